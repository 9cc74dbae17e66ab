"""The chosen prop from near and from afar in one row, each at its own size and enlarged: does it thin out?"""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QSize, Qt, QTimer
from PyQt6.QtGui import QImage, QPainter, QPixmap
from PyQt6.QtWidgets import QDialog, QGridLayout, QLabel, QVBoxLayout, QWidget

from jade_coat.app import theme
from jade_coat.app.build.level_rows import LevelRows
from jade_coat.app.controls.basics import button, label, row
from jade_coat.app.session import Session
from jade_coat.mesh.makers import Bush
from jade_coat.stage.mesh_assets import MeshAsset
from jade_coat.stage.project import Project, Prop
from jade_coat.view.camera import eye_of
from jade_coat.view.client import Picture
from jade_coat.view.requests import Eye

DISTANCES = (2.0, 10.0, 40.0)
SIDE, LEAST = 264, 8
SAMPLES = 16
PREFIX, SEEN, COVER = "afar:", "seen", "cover"


class FarRow(QDialog):
    """Pictures of one prop from three distances; a second row of its levels with fewer cards, where it has such."""

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent)
        self._session = session
        self.setWindowTitle("From afar")
        self.pictures: dict[str, QLabel] = {}
        self.words: dict[str, QLabel] = {}
        self.covers: dict[str, float] = {}
        """By row and distance, which share of its frame the prop covers."""
        self._eyes: dict[str, tuple[Eye, int]] = {}
        self._asked: tuple[str, ...] = ()
        self._grid = QGridLayout()
        self._grid.setSpacing(10)
        for j, kind in enumerate(("own", "levels")):
            for i, _ in enumerate(DISTANCES):
                picture, words = QLabel(), label("", "quiet")
                picture.setFixedSize(QSize(SIDE, SIDE))
                self.pictures[f"{kind}{i}"], self.words[f"{kind}{i}"] = picture, words
                self._grid.addWidget(picture, 2 * j, i)
                self._grid.addWidget(words, 2 * j + 1, i)
        self.told = label("", "quiet", wrap=True)
        layout = QVBoxLayout(self)
        layout.addLayout(self._grid)
        layout.addWidget(self.told)
        self.levels = LevelRows(session)
        layout.addWidget(self.levels)
        layout.addLayout(row(1, button("Close", self.reject)))
        self._wait = QTimer(self)
        self._wait.setSingleShot(True)
        self._wait.setInterval(200)
        self._wait.timeout.connect(self.look)
        session.picture.connect(self._on_picture)
        for signal in (session.changed, session.selection_changed, session.scene_changed):
            signal.connect(self._wait.start)

    @property
    def ready(self) -> bool:
        """Whether all that is asked for has been seen."""
        return not self._wait.isActive() and all(k in self.covers for k in self._asked)

    def look(self) -> None:
        """Draw all anew."""
        if not self.isVisible():
            return
        session = self._session
        prop, self.covers, self._asked = session.prop, {}, ()
        for words in self.words.values():
            words.setText("")
        if prop is None:
            self.told.setText("Choose a prop to see it from afar.")
            return
        mesh = session.project.mesh(prop.mesh)
        levels = self._levels(mesh)
        self.levels.show_mesh(mesh)
        for i, distance in enumerate(DISTANCES):
            self._show(f"own{i}", i, prop.mesh)
            if len(levels) > 1:
                at = self._level_at(prop, distance) if mesh.levels else min(i, len(levels) - 1)
                self._show(f"levels{i}", i, levels[at].id)
        for j in range(len(DISTANCES)):
            self.pictures[f"levels{j}"].setVisible(len(levels) > 1)
            self.words[f"levels{j}"].setVisible(len(levels) > 1)
        told = "Above the prop itself, below its levels with fewer cards. " if len(levels) > 1 else ""
        told = "Above the prop itself, below what the view shows of it. " if mesh.levels else told
        self.told.setText(f"{told}Every picture has the prop as large in its frame; small ones are enlarged, and lie "
                          "in their corner at their own size. A prop that keeps its cover stays as dense.")  # fmt: skip

    def _levels(self, mesh: MeshAsset) -> list[MeshAsset]:
        """The mesh, and what the view shows of it from afar; or what is made from the same numbers for that."""
        made = mesh.made
        if mesh.levels:
            return [self._session.project.mesh(name) for name, _, _ in self._session.project.spans(mesh.id)]
        if not isinstance(made, Bush):
            return [mesh]
        found = [
            m for m in self._session.project.meshes
            if isinstance(m.made, Bush) and m.made.level > made.level and m.made.with_(level=made.level) == made
        ]  # fmt: skip
        return [mesh, *sorted(found, key=lambda m: m.made.level if isinstance(m.made, Bush) else 0)]

    def _level_at(self, prop: Prop, distance: float) -> int:
        """Which of its levels the view shows of a prop from a distance."""
        spans = self._session.project.spans(prop.mesh)
        return sum(low <= distance / max(prop.size) for _, low, _ in spans[1:])

    def _alone(self, mesh: str) -> Project:
        session = self._session
        assert session.prop is not None
        alone = session.prop.with_(mesh=mesh, parent="", visible=True, position=(0.0, 0.0, 0.0))
        if mesh != session.prop.mesh:
            alone = alone.with_(paint=None, paint_map=None, finishes=self._finishes())
        bare = tuple(m.with_(levels=()) if m.levels else m for m in session.project.meshes)
        return session.project.alone(alone, meshes=bare)

    def _finishes(self) -> dict[str, str]:
        prop = self._session.prop
        assert prop is not None
        return dict.fromkeys(self._session.project.mesh(prop.mesh).slots[:1], self._session.finish_id) | prop.finishes

    def _show(self, key: str, i: int, mesh: str) -> None:
        """Ask for one picture: the same part of the world from a distance, as many pixels as it then has."""
        session, scene = self._session, f"{PREFIX}{key}"
        session.link.show_other(scene, self._alone(mesh))
        data = session.link.mesh_data(session.prop.mesh if session.prop else mesh)
        assert session.prop is not None
        size = np.array(session.prop.size)
        low, high = (b * size for b in data.bounds)
        middle, radius = (low + high) / 2, max(float(np.linalg.norm(high - low)) / 2, 1e-3)
        away = DISTANCES[i] + radius
        half, nearest = (math.asin(min(radius / (d + radius), 0.99)) for d in (DISTANCES[i], DISTANCES[0]))
        side = max(round(SIDE * math.tan(half) / math.tan(nearest)), LEAST)
        camera = session.camera
        towards = np.array(camera.position()) - np.array(camera.target)
        eye = eye_of(middle + towards / max(float(np.linalg.norm(towards)), 1e-6) * away, middle, 2 * half, 1.0)
        self._asked = (*self._asked, key)
        self._eyes[key] = (eye, side)
        self._ask(key, SEEN, 0)
        self._ask(key, COVER, 0)

    def _ask(self, key: str, what: str, sample: int) -> None:
        eye, side = self._eyes[key]
        self._session.client.request(
            f"{PREFIX}{key}:{what}", sample, scene=f"{PREFIX}{key}", eye=eye, width=side, height=side, sample=sample,
            priority=4, backdrop=what == SEEN,
        )  # fmt: skip

    def _on_picture(self, picture: Picture, image: QImage) -> None:
        """Ask for the next sample until the picture is at rest, then show it."""
        if not picture.stream.startswith(PREFIX) or not self.isVisible():
            return
        key, _, what = picture.stream.removeprefix(PREFIX).partition(":")
        if key not in self._eyes:
            return
        if picture.tag + 1 < SAMPLES:
            self._ask(key, what, picture.tag + 1)
            return
        if what == SEEN:
            self.pictures[key].setPixmap(_framed(picture.pixels))
            return
        self.covers[key] = float(picture.pixels[..., 3].mean() / 255)
        for known in self.covers:
            self._tell(known)

    def _tell(self, key: str) -> None:
        """Say from how far a picture is taken, and what the prop covers beside what it covers near."""
        i = int(key[-1])
        first = self.covers.get("own0", 0.0)
        share = f", {self.covers[key] / first:.0%} of what it covers near" if first and key != "own0" else ""
        self.words[key].setText(f"{DISTANCES[i]:.0f} m, {self._eyes[key][1]} pixels{share}")

    def showEvent(self, event: object) -> None:
        self._wait.start()

    def hideEvent(self, event: object) -> None:
        """Let go of the scenes and pictures."""
        for key in self.pictures:
            for what in (SEEN, COVER):
                self._session.client.forget_stream(f"{PREFIX}{key}:{what}")
            self._session.link.hide(f"{PREFIX}{key}")


def _framed(pixels: np.ndarray) -> QPixmap:
    """A small picture `(n, n, 4)` enlarged over grey, and at its own size in the corner."""
    side = pixels.shape[0]
    small = QImage(np.ascontiguousarray(pixels).tobytes(), side, side, 4 * side, QImage.Format.Format_RGBA8888)
    frame = QPixmap(SIDE, SIDE)
    painter = QPainter(frame)
    painter.drawImage(frame.rect(), small.scaled(
        SIDE, SIDE, Qt.AspectRatioMode.IgnoreAspectRatio, Qt.TransformationMode.FastTransformation
    ))  # fmt: skip
    if side < SIDE // 2:
        painter.fillRect(SIDE - side - 12, SIDE - side - 12, side + 8, side + 8, theme.color("well"))
        painter.drawImage(SIDE - side - 8, SIDE - side - 8, small)
    painter.end()
    return frame
