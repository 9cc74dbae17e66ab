"""Makes bushes of cards from numbers, with a live picture; a bush of the project can be made anew, its paint kept."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np
from PyQt6.QtCore import QSize, Qt, QTimer
from PyQt6.QtGui import QImage, QPixmap
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from jade_coat.app.controls.basics import button, holder, label, row, scrolled
from jade_coat.app.controls.fields import Field
from jade_coat.app.controls.settings import field_for
from jade_coat.app.session import Session
from jade_coat.check.kind_faults import layers_of
from jade_coat.jobs.words import told
from jade_coat.material.fields import Setting, declared
from jade_coat.mesh.cards import Bush, bush
from jade_coat.mesh.data import MeshData
from jade_coat.stage import edits
from jade_coat.stage.looks import field_row, worn
from jade_coat.stage.mesh_assets import MeshAsset
from jade_coat.stage.remesh import Exchange, imported_anew
from jade_coat.view.camera import eye_of
from jade_coat.view.client import Picture
from jade_coat.view.looks import LAYERS
from jade_coat.view.requests import Eye

SIZE = QSize(420, 420)
SCENE, COUNT = "maker", "maker:layers"
WAIT_MS = 120
SAMPLES = 4
Place = Callable[[MeshData, str, Bush], object]
"""Places a prop of a new mesh under a name."""


class BushMaker(QDialog):
    """The numbers of one bush. Without a mesh it makes a new one; with one, that is made anew."""

    def __init__(self, parent: QWidget, session: Session, place: Place, mesh: MeshAsset | None = None) -> None:
        super().__init__(parent)
        self._session, self._place, self._mesh = session, place, mesh.id if mesh is not None else ""
        self.setWindowTitle(f"Make {mesh.name} anew" if mesh is not None else "Make a bush")
        self.numbers = mesh.bush if mesh is not None and mesh.bush is not None else Bush()
        self.made: MeshData | None = None
        """The mesh of the numbers as they were last worked out."""
        self.fields: dict[str, Field] = {}
        self.picture = QLabel()
        self.picture.setFixedSize(SIZE)
        self.picture.setAccessibleName("The bush as it is now")
        self.told = label("", "quiet", wrap=True)
        self._make = button("Make anew" if self._mesh else "Make", self.make, "main")
        inner = QVBoxLayout()
        inner.setSpacing(4)
        self._build(inner)
        left = scrolled(holder(inner))
        left.setFixedWidth(300)
        right = QVBoxLayout()
        right.addWidget(self.picture)
        right.addWidget(self.told)
        right.addStretch(1)
        right.addLayout(row(1, button("Close", self.reject), self._make))
        layout = QHBoxLayout(self)
        layout.addWidget(left)
        layout.addLayout(right)
        self._wait = QTimer(self)
        self._wait.setSingleShot(True)
        self._wait.setInterval(WAIT_MS)
        self._wait.timeout.connect(self._work)
        self._asked = 0
        self._counted = False
        """Whether the layers of what is made are known, or cannot be."""
        session.picture.connect(self._on_picture)

    def _build(self, box: QVBoxLayout) -> None:
        specs = declared(Bush)
        for group in dict.fromkeys(spec.group for spec in specs.values()):
            box.addWidget(label(group, "name"))
            for name, spec in specs.items():
                if spec.group == group:
                    field = self.fields[name] = field_for(spec, getattr(self.numbers, name))
                    field.changed.connect(partial(self._turn, name))
                    field.setFixedWidth(128)
                    box.addLayout(row(label(spec.label, tip=spec.hint), 1, field))

    @property
    def ready(self) -> bool:
        """Whether the picture shows what the numbers make, if there is a look for it."""
        return self.made is not None and not self._wait.isActive() and self._counted

    def _turn(self, name: str, value: Setting) -> None:
        self.numbers = self.numbers.with_(**{name: value})
        self._soon()

    def _soon(self) -> None:
        self.made, self._counted = None, False
        self._wait.start()

    # What it makes

    def _work(self) -> None:
        """Work the mesh out beside the window; only what was asked for last is shown."""
        self._asked += 1
        asked, numbers = self._asked, self.numbers

        def done(mesh: MeshData) -> None:
            if asked == self._asked and self.isVisible():
                self.made = mesh
                self._show(mesh)

        failed = lambda error: self.told.setText(f"It cannot be made: {told(error)}")  # noqa: E731
        self._session.work(lambda: bush(numbers), done, failed)

    def _show(self, mesh: MeshData) -> None:
        session = self._session
        material = session.material
        if material is not None:
            finish = session.finish_id or material.id
            session.link.show_made(SCENE, mesh, worn(session.project, finish), field_row(session.project, finish))
            self._ask(0)
            session.client.request(COUNT, 0, scene=SCENE, eye=self._eye(mesh), width=SIZE.width(), height=SIZE.height(),
                                   looks=(LAYERS,), priority=4)  # fmt: skip
        words = f"{self.numbers.count:,} cards, {len(mesh.triangles):,} triangles"
        self._counted = material is None
        self.told.setText(words if material is not None else f"{words}. Choose a finish to see it dressed.")

    def _eye(self, mesh: MeshData) -> Eye:
        low, high = mesh.bounds
        middle, half = (low + high) / 2, float(np.linalg.norm(high - low)) / 2
        return eye_of(middle + np.array([0.35, 0.3, 1.0]) * half * 2.1, middle, 0.6, SIZE.width() / SIZE.height())

    def _ask(self, sample: int) -> None:
        if self.made is not None:
            self._session.client.request(
                SCENE, sample, scene=SCENE, eye=self._eye(self.made), width=SIZE.width(), height=SIZE.height(),
                sample=sample, priority=3,
            )  # fmt: skip

    def _on_picture(self, picture: Picture, image: QImage) -> None:
        if not self.isVisible() or self.made is None:
            return
        if picture.stream == SCENE:
            self.picture.setPixmap(QPixmap.fromImage(image.copy()))
            if picture.tag + 1 < SAMPLES:
                self._ask(picture.tag + 1)
        elif picture.stream == COUNT:
            self._counted = True
            mean, most = layers_of(picture.pixels)
            self.told.setText(
                f"{self.numbers.count:,} cards, {len(self.made.triangles):,} triangles; {mean:.1f} layers over one "
                f"another, {most} at most."
            )

    # Hands

    def make(self) -> None:
        """Put the bush into the project, or in the place of the one that it is made anew from."""
        numbers = self.numbers
        mesh = self.made if self.made is not None else bush(numbers)
        if not self._mesh:
            self._place(mesh, "Bush", numbers)
            self.accept()
            return
        session, mesh_id = self._session, self._mesh
        old = session.link.mesh_data(mesh_id)
        project = session.project

        def done(found: Exchange) -> None:
            asset = session.library.exchanged(session.project.mesh(mesh_id), found.mesh, numbers)
            session.do_all("Make a bush anew", [edits.exchange_mesh(mesh=asset, paint=found.paint, maps=found.maps)])

        failed = lambda error: session.said.emit(f"It cannot be made anew: {told(error)}", True)  # noqa: E731
        session.work_on_paint(mesh_id, lambda: imported_anew(project, mesh_id, old, mesh), done, failed)
        self.accept()

    def showEvent(self, event: object) -> None:
        self._soon()

    def hideEvent(self, event: object) -> None:
        """Let go of the scene and its pictures."""
        self._session.client.forget_stream(COUNT)
        self._session.link.hide(SCENE)

    def keyPressEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        """Return settles a field; it does not press a button."""
        if event.key() not in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            super().keyPressEvent(event)
