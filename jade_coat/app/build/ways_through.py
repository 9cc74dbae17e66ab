"""The ways of letting through side by side on the chosen prop: what each costs, and what it gets wrong."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import partial

import numpy as np
from PyQt6.QtCore import QRectF, QSize, Qt, QTimer
from PyQt6.QtGui import QColor, QImage, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QButtonGroup, QDialog, QGridLayout, QPushButton, QVBoxLayout, QWidget

from jade_coat.app import theme
from jade_coat.app.controls.basics import button, label, row
from jade_coat.app.controls.tiles import PressedTile
from jade_coat.app.session import Session
from jade_coat.check.kind_faults import KindFaults, faults_of, light_of, right_of
from jade_coat.material.dither import PATTERN_LABELS, Pattern
from jade_coat.material.kinds import KINDS
from jade_coat.material.material import Material
from jade_coat.program.types import Array
from jade_coat.stage import edits
from jade_coat.stage.desk import Camera
from jade_coat.stage.project import Project
from jade_coat.view.camera import eye_of
from jade_coat.view.client import Picture
from jade_coat.view.looks import LAYERS


@dataclass(frozen=True)
class Way:
    """One way of letting through: a surface kind, and by which pattern it chooses points, if it does."""

    kind: str
    pattern: Pattern | None = None

    @property
    def label(self) -> str:
        """Its name for people."""
        name = KINDS[self.kind].label
        return f"{name} by {PATTERN_LABELS[self.pattern]}" if self.pattern else name

    def worn(self, material: Material) -> Material:
        """A material that lets through in this way."""
        dither = material.dither.with_(pattern=self.pattern) if self.pattern else material.dither
        made: Material = material.with_(kind=self.kind, dither=dither)
        return made

    def is_of(self, material: Material | None) -> bool:
        """Whether a material lets through in this way."""
        if material is None or material.kind != self.kind:
            return False
        return self.pattern in (None, material.dither.pattern)


WAYS = {
    "masked": Way("masked"), "dithered": Way("dithered", "noise"), "ordered": Way("dithered", "ordered"),
    "hashed": Way("dithered", "hashed"), "blended": Way("blended"), "additive": Way("additive"),
}  # fmt: skip
OPAQUE = "opaque"
RIGHT = "dithered"
"""The way whose mean over many samples is right: every point sorted, whatever the order of drawing."""
SAMPLES = 32
SIZE, ACROSS = QSize(336, 224), 3
STEP = 0.004
"""How far the camera turns between the two frames that shimmer is seen by, radians: about a pixel."""
LOOKING, NOTHING = "being looked at…", "choose a prop to see it here"
TIMED, FRAMES = "timed", 4
"""The frames that what a way costs is told by, and how many."""
TURN_MS, TURN = 120, 0.03
LIGHT_SEEN, GRID_SEEN = 0.03, 0.35
"""How much light may be lost or won, and what is off come again in a grid, before it is told."""
PREFIX = "ways:"
SIDES = {"As it is": None, "Light in front": 0.0, "Light aside": math.pi / 2, "Light behind": math.pi}
"""From where the light comes as the prop is seen: how far the camera stands from the sun's side, radians."""


class WayTile(PressedTile):
    """One way: its picture, what it gets wrong marked in place, and its numbers in words."""

    def __init__(self, way: Way) -> None:
        super().__init__()
        self.way, self.current, self.marks = way, False, True
        self.waits_for = LOOKING
        self.image: QImage | None = None
        self.faults: KindFaults | None = None
        self.cost = 0.0
        self.setFixedSize(SIZE.width() + 8, SIZE.height() + 66)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setToolTip(f"Take it: {KINDS[way.kind].hint.lower()}")

    def words(self) -> list[str]:
        """What is told under the picture."""
        record, found = KINDS[self.way.kind], self.faults
        lines = []
        if found is not None:
            lines.append(f"{found.layers:.1f} layers, {found.most_layers} at most · × {self.cost:.1f} of opaque")
            faults = [f"{found.wrong:.0%} off", f"{found.shimmers:.0%} shimmers"]
            faults += [f"{found.light:+.0%} light"] if record.lit and abs(found.light) > LIGHT_SEEN else []
            faults += ["a grid shows"] if found.grid > GRID_SEEN else []
        else:
            lines, faults = [self.waits_for], []
        faults += [] if record.lit else ["takes no light"]
        faults += [] if record.casts != "none" else ["throws no shadow"]
        return [*lines, " · ".join(faults)]

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        box = QRectF(4, 4, SIZE.width(), SIZE.height())
        path = QPainterPath()
        path.addRoundedRect(box, 6, 6)
        painter.setClipPath(path)
        painter.fillRect(box, theme.color("raised"))
        if self.image is not None:
            painter.drawImage(box, self.image)
        if self.marks and self.faults is not None:
            painter.drawImage(box, _marked(self.faults.where, theme.color("persimmon")))
        painter.setClipping(False)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if self.current or self.hasFocus():
            painter.setPen(QPen(theme.color("celadon" if self.current else "jade"), 2))
            painter.drawPath(path)
        first, second = self.words()
        lines = ((self.way.label, "text", 600), (first, "quiet", 400), (second, "persimmon", 400))
        for i, (text, tone, weight) in enumerate(lines):
            painter.setFont(theme.font(11.5, weight))
            painter.setPen(theme.color(tone))
            line = QRectF(6, SIZE.height() + 8 + 18 * i, SIZE.width() - 4, 18)
            shown = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, round(line.width()))
            painter.drawText(line, Qt.AlignmentFlag.AlignVCenter, shown)


def _marked(where: Array, tone: QColor) -> QImage:
    """Stripes of a colour over what is wrong."""
    high, wide = where.shape
    stripes = (np.add.outer(np.arange(high), np.arange(wide)) // 3) % 2 == 0
    pixels = np.zeros((high, wide, 4), np.uint8)
    pixels[where & stripes] = (tone.red(), tone.green(), tone.blue(), 210)
    return QImage(pixels.tobytes(), wide, high, 4 * wide, QImage.Format.Format_RGBA8888)


class WaysThrough(QDialog):
    """The sheet. Pressing a picture takes that way."""

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent)
        self._session = session
        self.setWindowTitle("Ways of letting through")
        self.tiles = {name: WayTile(way) for name, way in WAYS.items()}
        grid = QGridLayout()
        grid.setSpacing(8)
        for i, (name, tile) in enumerate(self.tiles.items()):
            tile.pressed.connect(partial(self.take, name))
            grid.addWidget(tile, i // ACROSS, i % ACROSS)
        sides = self._build_buttons()
        layout = QVBoxLayout(self)
        layout.addLayout(row(*sides, 1, self.marks, self.moving, gap=4))
        layout.addLayout(grid)
        layout.addWidget(label(
            "Off: differs from what it would be if every point were sorted. Shimmers: changes between two frames of a "
            "turning camera more than that does. Light: more or less of it than should be. Press one to take it.",
            "quiet", wrap=True,
        ))  # fmt: skip
        self._got: dict[str, Array] = {}
        self._sums: dict[str, Array] = {}
        self._took: dict[str, float] = {}
        self._turned = 0.0
        self._turning = QTimer(self)
        self._turning.setInterval(TURN_MS)
        self._turning.timeout.connect(self._turn)
        self._wait = QTimer(self)
        self._wait.setSingleShot(True)
        self._wait.setInterval(200)
        self._wait.timeout.connect(self.look)
        session.picture.connect(self._on_picture)
        session.changed.connect(self._wait.start)
        session.scene_changed.connect(self._wait.start)
        session.selection_changed.connect(self._wait.start)

    def _build_buttons(self) -> list[QPushButton]:
        self._sides = QButtonGroup(self)
        sides = []
        for i, name in enumerate(SIDES):
            made = button(name, lambda: self.look(), "tab")
            made.setCheckable(True)
            self._sides.addButton(made, i)
            sides.append(made)
        sides[0].setChecked(True)
        self.marks = button("Marks", self._mark, "tab", "Show in place what is off")
        self.moving = button("Turning", self._move, "tab", "Let the camera turn round the prop")
        for toggle in (self.marks, self.moving):
            toggle.setCheckable(True)
        self.marks.setChecked(True)
        return sides

    @property
    def ready(self) -> bool:
        """Whether all have been looked at."""
        return all(t.faults is not None for t in self.tiles.values()) and not self._wait.isActive()

    # Looking

    def _alone(self, name: str) -> Project | None:
        """The chosen prop by itself, the present material in one of the ways."""
        session, material, prop = self._session, self._session.material, self._session.prop
        if material is None or prop is None:
            return None
        project = session.project
        swapped = tuple(WAYS.get(name, Way(OPAQUE)).worn(m) if m.id == material.id else m for m in project.materials)
        alone = prop.with_(parent="", visible=True)
        return project.alone(alone, materials=swapped)

    def _camera(self, turned: float) -> Camera:
        session, away = self._session, list(SIDES.values())[self._sides.checkedId()]
        yaw = session.camera.yaw if away is None else session.project.light.azimuth + away
        moved: Camera = session.camera.with_(yaw=yaw + turned)
        return moved

    def look(self) -> None:
        """Draw all anew, and find what is wrong."""
        if not self.isVisible():
            return
        self._got, self._took = {}, {}
        nothing = self._session.material is None or self._session.prop is None
        for tile in self.tiles.values():
            tile.faults, tile.waits_for = None, NOTHING if nothing else LOOKING
            tile.update()
        for kind in (*WAYS, OPAQUE):
            project = self._alone(kind)
            if project is None:
                return
            self._session.link.show_other(f"{PREFIX}{kind}", project)
            self._ask(kind, "first", 0.0)
            self._ask(kind, "second", STEP)
            self._ask(kind, TIMED, 0.0)
            if kind in WAYS:
                self.tiles[kind].current = WAYS[kind].is_of(self._session.material)
                self._ask(kind, "layers", 0.0)
        self._ask(RIGHT, "right", 0.0, 1)
        self._ask(RIGHT, "right second", STEP, 1)

    def _ask(self, kind: str, what: str, turned: float, sample: int = 0) -> None:
        camera = self._camera(self._turned + turned)
        eye = eye_of(camera.position(), np.array(camera.target), camera.field_of_view, SIZE.width() / SIZE.height())
        self._session.client.request(
            f"{PREFIX}{kind}:{what}", sample, scene=f"{PREFIX}{kind}", eye=eye, width=SIZE.width(),
            height=SIZE.height(), looks=(LAYERS,) if what == "layers" else ("lit",), sample=sample, priority=4,
            single=what != "first",
        )  # fmt: skip

    def _on_picture(self, picture: Picture, image: QImage) -> None:
        if not picture.stream.startswith(PREFIX) or not self.isVisible():
            return
        kind, what = picture.stream.removeprefix(PREFIX).split(":")
        if what.startswith("right"):
            self._add_right(what, picture)
            return
        if what == "first" and kind in self.tiles:
            self.tiles[kind].image = image.copy()
            self.tiles[kind].update()
        self._got[f"{kind}:{what}"] = picture.pixels
        if what == TIMED:
            self._time(kind, picture)
        if not self._turning.isActive():
            self._judge()

    def _time(self, kind: str, picture: Picture) -> None:
        """Keep the shortest of some frames: the first ones have shadows to cast and programs to make."""
        self._took[kind] = min(self._took.get(kind, math.inf), picture.milliseconds)
        if picture.tag < FRAMES:
            self._ask(kind, TIMED, 0.0, picture.tag + 1)

    def _add_right(self, what: str, picture: Picture) -> None:
        """Add one sample to the mean of those that are right, which is taken in linear light."""
        share = light_of(picture.pixels) / SAMPLES
        self._sums[what] = share if picture.tag == 1 else self._sums[what] + share
        if picture.tag < SAMPLES:
            self._ask(RIGHT, what, STEP if what.endswith("second") else 0.0, picture.tag + 1)
        else:
            self._got[f"{RIGHT}:{what}"] = right_of(self._sums[what])
            self._judge()

    def _judge(self) -> None:
        """Work out the faults of those whose pictures are all there."""
        right = [self._got.get(f"{RIGHT}:{what}") for what in ("right", "right second")]
        if right[0] is None or right[1] is None or OPAQUE not in self._took:
            return
        for kind, tile in self.tiles.items():
            found = [self._got.get(f"{kind}:{what}") for what in ("first", "second", "layers")]
            if tile.faults is None and all(f is not None for f in found):
                first, second, layers = (f for f in found if f is not None)
                tile.faults = faults_of((first, second), (right[0], right[1]), layers)
                tile.cost = self._took[kind] / max(self._took[OPAQUE], 1e-3)
                tile.update()

    # Hands

    def take(self, name: str) -> None:
        """Let the present material let through in this way."""
        material, way = self._session.material, WAYS[name]
        if material is None:
            return
        steps = [edits.set_material(material=material.id, kind=way.kind)]
        if way.pattern:
            steps.append(edits.set_shading(material=material.id, light="dither", pattern=way.pattern))
        self._session.do_all(f"Let {material.name} through: {way.label.lower()}", steps)

    def _mark(self) -> None:
        for tile in self.tiles.values():
            tile.marks = self.marks.isChecked()
            tile.update()

    def _move(self) -> None:
        if self.moving.isChecked():
            for tile in self.tiles.values():
                tile.faults = None
            self._turning.start()
        else:
            self._turning.stop()
            self.look()

    def _turn(self) -> None:
        self._turned += TURN
        for kind in WAYS:
            self._ask(kind, "first", 0.0)

    def showEvent(self, event: object) -> None:
        self._wait.start()

    def hideEvent(self, event: object) -> None:
        """Let go of the scenes and pictures."""
        self._turning.stop()
        self.moving.setChecked(False)
        for kind in (*WAYS, OPAQUE):
            for what in ("first", "second", TIMED, "layers", "right", "right second"):
                self._session.client.forget_stream(f"{PREFIX}{kind}:{what}")
            self._session.link.hide(f"{PREFIX}{kind}")
