"""The repetition score of the far picture, with the strongest repeat drawn over it."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QImage, QPainter, QPainterPath, QPen

from jade_coat.app import theme
from jade_coat.app.widgets.overlay import Overlay
from jade_coat.app.widgets.view import View
from jade_coat.check.repetition import Repetition, repetition
from jade_coat.maps.color import to_linear
from jade_coat.material.material import Material
from jade_coat.mesh.data import MeshData
from jade_coat.program.types import Array
from jade_coat.view.camera import eye_of, project
from jade_coat.view.client import Picture
from jade_coat.view.messages import Eye

WIDTH, HEIGHT = 516, 354
STREAM = "repeat"
NOTABLE = 0.2
"""From this score on, the repeat is drawn."""


class RepeatMark(Overlay):
    """Measures the far picture whenever the view has come to rest."""

    def __init__(self, view: View) -> None:
        super().__init__(view)
        self.found: Repetition | None = None
        self._measured: object = None
        self._working = False
        view.session.picture.connect(self._on_picture)
        view.arrived.connect(self._look)

    @property
    def waiting(self) -> bool:
        """Whether a newer score is on its way."""
        return self._working or self.view.session.client.busy(STREAM)

    def _state(self) -> object:
        view = self.view
        return (view.session.shown_project, view.session.prop_id, view.scene, view.shape, view.camera)

    def _look(self) -> None:
        view, session = self.view, self.view.session
        if view.moving or session.prop is None or self._state() == self._measured or self.waiting:
            return
        self._measured = self._state()
        camera = view.far_camera()
        eye = eye_of(camera.position(), np.array(camera.target), camera.field_of_view, WIDTH / HEIGHT)
        session.client.request(
            STREAM,
            eye,
            scene=view.scene,
            eye=eye,
            width=WIDTH,
            height=HEIGHT,
            looks=("lit",),
            priority=4,
            backdrop=False,
        )

    def _on_picture(self, picture: Picture, image: QImage) -> None:
        session = self.view.session
        if picture.stream != STREAM:
            return
        prop, material = session.prop, session.material
        if prop is None or material is None:
            return
        periods, box = self._periods(picture.tag, material)
        if box is None:
            self.found = None
            self.view.update()
            return
        pixels = picture.pixels
        self._working = True

        def measure() -> Repetition:
            part = pixels[box]
            luminance = to_linear(part[..., :3] / np.float32(255)) @ np.array([0.2126, 0.7152, 0.0722], np.float32)
            return repetition(np.cbrt(luminance), part[..., 3] > 0, periods)

        def done(found: Repetition) -> None:
            self._working = False
            self.found = found
            self.view.update()

        def failed(error: Exception) -> None:
            self._working = False
            session.said.emit(f"The repetition could not be measured: {error}", True)

        session.work(measure, done, failed)

    def _periods(self, eye: Eye, material: Material) -> tuple[list[tuple[float, float]], tuple[slice, slice] | None]:
        """The shifts in pixels of one tile across and down, for every coat with maps, and the rows and columns
        that the chosen prop takes up."""
        view, session = self.view, self.view.session
        prop = session.prop
        assert prop is not None
        if view.shape:
            mesh, matrix = session.link.preview_mesh(view.shape), np.eye(4)
        else:
            mesh, matrix = session.link.mesh_data(prop.mesh), prop.matrix()
        low, high = mesh.bounds
        x, y, z = np.meshgrid(*np.stack([low, high], axis=1))
        corners = np.stack([x.ravel(), y.ravel(), z.ravel()], axis=1) @ matrix[:3, :3].T + matrix[:3, 3]
        size = np.array([WIDTH, HEIGHT])
        places = project(eye, corners) * size
        first = np.clip(np.floor(places.min(axis=0)), 0, size - 1).astype(int)
        last = np.clip(np.ceil(places.max(axis=0)), 1, size).astype(int)
        if (last - first).min() < 24:
            return [], None
        facing = self._facing(mesh, matrix, eye)
        normal, tangent = mesh.normals[facing].astype(float), mesh.tangents[facing].astype(float)
        ways = [tangent[:3], np.cross(normal, tangent[:3])]
        origin = mesh.positions[facing].astype(float)
        periods = []
        for tile in sorted({c.surface.tile_size for c in material.coats if c.shown and c.surface.map_set}):
            ends = np.stack([origin, *(origin + w * tile for w in ways)]) @ matrix[:3, :3].T + matrix[:3, 3]
            a, *others = project(eye, ends) * size
            periods += [(float(d[0]), float(d[1])) for d in (b - a for b in others)]
        return periods, (slice(int(first[1]), int(last[1])), slice(int(first[0]), int(last[0])))

    def _facing(self, mesh: MeshData, matrix: Array, eye: Eye) -> int:
        """The vertex that faces the eye most squarely, near the middle."""
        positions = mesh.positions @ matrix[:3, :3].T + matrix[:3, 3]
        normals = mesh.normals @ matrix[:3, :3].T
        away = eye.position - positions
        away = away / np.linalg.norm(away, axis=1, keepdims=True)
        middle = np.linalg.norm(positions - positions.mean(axis=0), axis=1)
        return int(np.argmax((away * normals).sum(axis=1) - 0.3 * middle / max(float(middle.max()), 1e-9)))

    def text(self) -> str:
        """The score in words."""
        return "" if self.found is None else f"repeat {self.found.score:.2f}"

    def paint(self, painter: QPainter) -> None:
        if self.found is None or not self.view.inset_shown() or self.view.far_first:
            return
        box = self.view.inset_rect()
        path = QPainterPath()
        path.addRoundedRect(box, 6, 6)
        painter.save()
        painter.setClipPath(path)
        if self.found.score >= NOTABLE:
            scale = box.width() / WIDTH
            dx, dy = self.found.shift[0] * scale, self.found.shift[1] * scale
            painter.setBrush(Qt.BrushStyle.NoBrush)
            for i in (-1, 0, 1):
                centre = box.center() + QPointF(dx * i, dy * i)
                painter.setPen(QPen(theme.color("persimmon", 255 if i == 0 else 170), 1.4))
                painter.drawRect(QRectF(centre.x() - 7, centre.y() - 7, 14, 14))
            painter.drawLine(box.center() - QPointF(dx, dy), box.center() + QPointF(dx, dy))
        painter.restore()
        painter.setFont(theme.font(12, 500))
        width = painter.fontMetrics().horizontalAdvance(self.text()) + 14
        card = QRectF(box.right() - width - 6, box.bottom() - 26, width, 20)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("chrome", 215))
        painter.drawRoundedRect(card, 4, 4)
        painter.setPen(theme.color("persimmon" if self.found.score >= 0.5 else "text"))
        painter.drawText(card, Qt.AlignmentFlag.AlignCenter, self.text())
