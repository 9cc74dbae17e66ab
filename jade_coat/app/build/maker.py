"""Makes meshes from numbers, with a live picture; what is of the project can be made anew, its paint kept."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import ClassVar

import numpy as np
from PyQt6.QtCore import QSize
from PyQt6.QtGui import QImage, QPixmap
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from jade_coat.app.build.number_rows import NumberRows
from jade_coat.app.build.number_sheet import NumberSheet
from jade_coat.app.controls.basics import button, label, row, scrolled
from jade_coat.app.controls.fields import Field
from jade_coat.app.controls.images import image_from
from jade_coat.app.session import Session
from jade_coat.check.kind_faults import heat_of, layers_of
from jade_coat.files.library import mean_color
from jade_coat.jobs.words import told
from jade_coat.material.fields import Setting
from jade_coat.material.material import Material
from jade_coat.material.rows import field_values
from jade_coat.material.surface import Role
from jade_coat.mesh.data import MeshData
from jade_coat.mesh.makers import Bush, Made
from jade_coat.stage import edits
from jade_coat.stage.alone import Look
from jade_coat.stage.looks import field_row, worn
from jade_coat.stage.making import FILL, fill_material, levels_made
from jade_coat.stage.mesh_assets import MeshAsset
from jade_coat.stage.remesh import Exchange, imported_anew
from jade_coat.view.camera import eye_of
from jade_coat.view.client import Picture
from jade_coat.view.looks import LAYERS
from jade_coat.view.requests import Eye

SIZE, FAR_SIZE = QSize(420, 420), QSize(72, 72)
SCENE, FAR, COUNT = "maker", "maker:far", "maker:layers"
FAR_TIMES, FIELD = 6.0, 0.6
"""How much farther away the small picture is taken from, and the angle that the large one spans, radians."""
SAMPLES = 4
Keep = Callable[[MeshData, str, Made, str], object]
"""Places a prop of a new mesh under a name; then what it is made from and the mark of what it was cut by."""
SIDES = {"Light in front": 0.35, "Light aside": math.pi / 2, "Light behind": math.pi - 0.35}
"""How far to the side of the light the picture is taken from, radians."""


class Maker(NumberSheet):
    """The numbers of one mesh. Without a mesh it makes a new one; with one, that is made anew."""

    kind: ClassVar[type[Made]] = Bush
    title: ClassVar[str] = "Make a bush"

    def __init__(self, parent: QWidget, session: Session, keep: Keep, mesh: MeshAsset | None = None) -> None:
        super().__init__(parent)
        self._session, self._keep, self._mesh = session, keep, mesh.id if mesh is not None else ""
        self.setWindowTitle(f"Make {mesh.name} anew" if mesh is not None else self.title)
        self.numbers: Made = mesh.made if mesh is not None and isinstance(mesh.made, self.kind) else self.first()
        self.made: MeshData | None = None
        """The mesh of the numbers as they were last worked out."""
        self._mark = ""
        self.picture = self.build_picture()
        self.picture.setFixedSize(SIZE)
        self.picture.setAccessibleName(f"The {self.kind.noun} as it is now")
        self.far = QLabel(self.picture)
        self.far.setFixedSize(FAR_SIZE)
        self.far.move(SIZE.width() - FAR_SIZE.width() - 8, SIZE.height() - FAR_SIZE.height() - 8)
        self.far.setToolTip("The same from six times as far")
        self.told = label("", "quiet", wrap=True)
        self.told.setMinimumHeight(40)
        self._build()
        self._counted = False
        """Whether the layers of what is made are known, or cannot be."""
        self._failed = False
        session.picture.connect(self._on_picture)
        session.selection_changed.connect(self._dress)

    def _build(self) -> None:
        self._make = button("Make anew" if self._mesh else "Make", self.make, "main")
        cut_by = [(s.id, s.name) for s in self._session.project.map_sets if s.file(Role.OPACITY) is not None]
        self.rows = NumberRows(self.numbers, self.turn, cut_by)
        left = scrolled(self.rows)
        left.setFixedWidth(300)
        right = QVBoxLayout()
        right.addLayout(row(*self._build_sides(), 1, gap=4))
        right.addWidget(self.picture)
        right.addWidget(self.told)
        self.build_more(right)
        right.addStretch(1)
        right.addLayout(row(1, button("Close", self.reject), self._make))
        layout = QHBoxLayout(self)
        layout.addWidget(left)
        self.build_source(layout)
        layout.addLayout(right)

    def first(self) -> Made:
        """What a new one begins with."""
        return self.kind()

    @property
    def is_anew(self) -> bool:
        """Whether a mesh of the project is made anew."""
        return bool(self._mesh)

    def build_more(self, box: QVBoxLayout) -> None:
        """Add what else is to be chosen, over the buttons."""

    def build_picture(self) -> QLabel:
        """What the picture is shown on."""
        return QLabel()

    def build_source(self, layout: QHBoxLayout) -> None:
        """Add what shows the source, where there is one to be seen."""

    def show_source(self) -> None:
        """Show the source as the numbers have it now."""

    def more_words(self) -> str:
        """What else is to be told of what was made."""
        return ""

    def _build_sides(self) -> list[QWidget | int]:
        self._sides = QButtonGroup(self)
        made: list[QWidget | int] = []
        for i, name in enumerate(SIDES):
            side = button(name, self._turn_light, "tab")
            side.setCheckable(True)
            side.setChecked(i == 0)
            self._sides.addButton(side, i)
            made.append(side)
        self.heat = button("Layers", self._turn_light, "tab", "Show how often each pixel is drawn over")
        self.heat.setCheckable(True)
        return [*made, 24, self.heat]

    @property
    def fields(self) -> dict[str, Field]:
        """The controls by the numbers they turn."""
        return self.rows.fields

    @property
    def ready(self) -> bool:
        """Whether the picture shows what the numbers make, if there is a look for it; or they make nothing."""
        return self._failed or (self.made is not None and not self._wait.isActive() and self._counted)

    def turn(self, name: str, value: Setting) -> None:
        """Set one number."""
        self.numbers = self.numbers.with_(**{name: value})
        self.rows.follow(self.numbers)
        self._soon()

    def _soon(self) -> None:
        self.made, self._counted, self._failed = None, False, False
        super()._soon()

    # What it makes

    def _work(self) -> None:
        """Work the mesh out beside the window; only what was asked for last is shown."""
        self._asked += 1
        asked, numbers, session = self._asked, self.numbers, self._session
        project, library = session.project, session.library

        def done(found: tuple[MeshData, str]) -> None:
            if asked == self._asked and self.isVisible():
                self.made, self._mark = found
                self.show_source()
                self._dress()
                self._worked_out(True)

        def failed(error: Exception) -> None:
            if asked == self._asked:
                self._failed = True
                self.told.setText(f"It cannot be made: {told(error)}.")
                self._worked_out(False)

        session.work(lambda: library.make(project, numbers), done, failed)

    def _dress(self) -> None:
        """Show what is made in the chosen finish."""
        mesh, session = self.made, self._session
        if mesh is None or not self.isVisible():
            return
        material = session.material
        if material is not None:
            finish = session.finish_id or material.id
            looks = worn(session.project, finish), field_row(session.project, finish)
            session.link.show_made(SCENE, mesh, *looks, self._inside(mesh, material))
            self._look()
        self._counted = material is None
        words = ". ".join(w for w in (self.numbers.words(mesh), self.more_words()) if w)
        self.told.setText(f"{words}." if material is not None else f"{words}. Choose a finish to see it dressed.")

    def _inside(self, mesh: MeshData, over: Material) -> dict[str, Look]:
        """The look of what lies inside, where there is anything."""
        if not any(s.name == FILL for s in mesh.slots):
            return {}
        dark = fill_material(over, mean_color(self._session.library, self._session.project, over), FILL)
        return {FILL: (dark, field_values(dark))}

    def _look(self) -> None:
        self._ask(0)
        for stream, size, looks in ((COUNT, SIZE, (LAYERS,)), (FAR, FAR_SIZE, ("lit",))):
            self._session.client.request(
                stream, 0, scene=SCENE, eye=self.eye(stream == FAR), width=size.width(),
                height=size.height(), looks=looks, priority=4,
            )  # fmt: skip

    def _turn_light(self) -> None:
        if self.made is not None and self._session.material is not None:
            self._look()

    def eye(self, far: bool = False) -> Eye:
        """From the chosen side of the light, all of it in sight; from afar a pixel spans the same angle."""
        assert self.made is not None
        low, high = self.made.bounds
        middle = (low + high) / 2
        radius = float(np.linalg.norm(self.made.positions - middle, axis=1).max())
        yaw = self._session.project.light.azimuth + list(SIDES.values())[self._sides.checkedId()]
        away = np.array([np.sin(yaw), 0.3, np.cos(yaw)]) * (radius / math.sin(FIELD / 2))
        if not far:
            return eye_of(middle + away, middle, FIELD, 1.0)
        field = 2 * math.atan(math.tan(FIELD / 2) * FAR_SIZE.width() / SIZE.width())
        return eye_of(middle + away * FAR_TIMES, middle, field, 1.0)

    def _ask(self, sample: int) -> None:
        if self.made is not None:
            self._session.client.request(
                SCENE, sample, scene=SCENE, eye=self.eye(), width=SIZE.width(), height=SIZE.height(),
                sample=sample, priority=3,
            )  # fmt: skip

    def _on_picture(self, picture: Picture, image: QImage) -> None:
        if not self.isVisible() or self.made is None:
            return
        if picture.stream == SCENE and not self.heat.isChecked():
            self.picture.setPixmap(QPixmap.fromImage(image.copy()))
            if picture.tag + 1 < SAMPLES:
                self._ask(picture.tag + 1)
        elif picture.stream == FAR:
            self.far.setPixmap(QPixmap.fromImage(image.copy()))
        elif picture.stream == COUNT:
            self._counted = True
            mean, most = layers_of(picture.pixels)
            if self.heat.isChecked():
                self.picture.setPixmap(QPixmap.fromImage(image_from(heat_of(picture.pixels))))
            words = f"{self.numbers.words(self.made)}; {mean:.1f} layers over one another, {most} at most"
            self.told.setText(". ".join(w for w in (words, self.more_words()) if w) + ".")

    # Hands

    def make(self) -> None:
        """Put it into the project, or in the place of the one that it is made anew from."""
        if self.made is None:
            self.make_once_there()
            return
        if self._mesh:
            made_anew(self._session, self._mesh, self.made, self.numbers, self._mark)
        else:
            self._keep(self.made, self.kind.noun.capitalize(), self.numbers, self._mark)
        self.accept()

    def showEvent(self, event: object) -> None:
        self._soon()

    def hideEvent(self, event: object) -> None:
        """Let go of the scene and its pictures."""
        for stream in (COUNT, FAR):
            self._session.client.forget_stream(stream)
        self._session.link.hide(SCENE)


def made_anew(session: Session, mesh_id: str, mesh: MeshData, numbers: Made, mark: str) -> None:
    """Put a new mesh in the place of the one with an id, and carry over the paint of what shows it.

    Its levels for afar that were made from the same numbers are made anew with it.
    """
    old, project, library = session.link.mesh_data(mesh_id), session.project, session.library
    name = project.mesh(mesh_id).name
    coarser = levels_made(project, mesh_id, numbers)

    def task() -> tuple[Exchange, dict[str, tuple[MeshData, str]]]:
        return imported_anew(project, mesh_id, old, mesh), {i: library.make(project, m) for i, m in coarser.items()}

    def done(found: tuple[Exchange, dict[str, tuple[MeshData, str]]]) -> None:
        exchange, levels = found
        now = session.project
        asset = library.exchanged(now.mesh(mesh_id), exchange.mesh, numbers, mark)
        steps = [edits.exchange_mesh(mesh=asset, paint=exchange.paint, maps=exchange.maps)]
        for there in (m for m in now.meshes if m.id in levels):
            data, key = levels[there.id]
            steps.append(edits.exchange_mesh(mesh=library.exchanged(there, data, coarser[there.id], key)))
        session.do_all(f"Make {name} anew", steps)

    failed = lambda error: session.said.emit(f"{name} cannot be made anew: {told(error)}", True)  # noqa: E731
    session.work_on_paint(mesh_id, task, done, failed)
