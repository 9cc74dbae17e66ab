"""The repetition score of the far picture: how much the look repeats, with the step of the strongest repeat."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPen

from jade_coat.app import theme
from jade_coat.app.view.overlay import Overlay
from jade_coat.app.view.view import View
from jade_coat.jobs.words import told
from jade_coat.mesh.data import MeshData
from jade_coat.program.types import Array
from jade_coat.stage.looks import finish_on
from jade_coat.stage.project import Prop
from jade_coat.view.camera import project

if TYPE_CHECKING:
    from jade_coat.bake.tiling import Tiling

NOTABLE = 0.2
"""From this score on, the repeat is drawn."""
ALARMING = 0.5


class RepeatMark(Overlay[View]):
    """Measures the chosen prop's slot whenever its look has changed and the view has come to rest."""

    def __init__(self, view: View) -> None:
        super().__init__(view)
        self.found: Tiling | None = None
        self._measured: object = None
        self._working = False
        view.arrived.connect(self._look)

    @property
    def waiting(self) -> bool:
        """Whether a newer score is on its way."""
        return self._working

    def _state(self) -> tuple[object, ...]:
        view, session = self.view, self.view.session
        return (session.shown_project, session.prop_id, session.slot, view.shape, session.finish_id)

    def _same(self) -> bool:
        """Whether what is shown is what was measured: another camera changes nothing."""
        now, then = self._state(), self._measured
        if not isinstance(then, tuple) or now[1:] != then[1:]:
            return False
        return now[0] is then[0] or not now[0].differs_from(then[0])  # type: ignore[attr-defined]

    def _subject(self) -> tuple[Prop, str, MeshData] | None:
        """The prop whose look is measured, its slot and its mesh: the chosen one, or a preview shape."""
        view, session = self.view, self.view.session
        if view.shape:
            mesh = session.link.preview_mesh(view.shape)
            slot = mesh.slots[0].name
            return Prop(id="preview", name="Preview", mesh="", finishes={slot: session.finish_id}), slot, mesh
        prop = session.shown_prop
        if prop is None or not finish_on(session.project, prop, session.slot):
            return None
        return prop, session.slot, session.link.mesh_data(prop.mesh)

    def _look(self) -> None:
        view, session = self.view, self.view.session
        if view.moving or self._working or self._same() or session.link.unsent_sets(session.project):
            return
        self._measured, subject = self._state(), self._subject()
        if subject is None or not session.finish_id:
            self.found = None
            view.update()
            return
        prop, slot, mesh = subject
        shown, library = session.shown_project, session.library
        self._working = True

        def done(found: Tiling) -> None:
            self._working = False
            self.found = found
            view.update()

        def failed(error: Exception) -> None:
            self._working = False
            self.found = None
            if not session.faults:  # a look that cannot be worked out is told already
                session.said.emit(f"The repetition could not be measured: {told(error)}", True)

        def measured() -> Tiling:
            from jade_coat.bake.tiling import slot_repetition  # not before there is a picture

            return slot_repetition(shown, library, prop, slot, mesh)

        session.work(measured, done, failed)

    def _step_seen(self) -> tuple[float, float] | None:
        """The step of the repeat in the inset, as shares of its width and height."""
        subject = self._subject()
        if self.found is None or self.found.steps is None or subject is None:
            return None
        prop, _, mesh = subject
        matrix = np.eye(4) if self.view.shape else prop.matrix()
        box = self.view.inset_rect()
        eye = self.view.eye(self.view.far_camera(), box.width(), box.height())
        facing = _facing(mesh, matrix, eye.position)
        tangent, normal = mesh.tangents[facing, :3].astype(float), mesh.normals[facing].astype(float)
        step = self.found.steps[0]
        way = tangent * step[0] + np.cross(normal, tangent) * step[1]
        ends = np.stack([mesh.positions[facing].astype(float), mesh.positions[facing] + way])
        first, second = project(eye, ends @ matrix[:3, :3].T + matrix[:3, 3])
        return float(second[0] - first[0]), float(second[1] - first[1])

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
        step = self._step_seen() if self.found.score >= NOTABLE else None
        if step is not None:
            away = QPointF(step[0] * box.width(), step[1] * box.height())
            painter.setBrush(Qt.BrushStyle.NoBrush)
            for i in (-1, 0, 1):
                centre = box.center() + away * i
                painter.setPen(QPen(theme.color("persimmon", 255 if i == 0 else 170), 1.4))
                painter.drawRect(QRectF(centre.x() - 7, centre.y() - 7, 14, 14))
            painter.drawLine(box.center() - away, box.center() + away)
        painter.restore()
        painter.setFont(theme.font(12, 500))
        width = painter.fontMetrics().horizontalAdvance(self.text()) + 14
        card = QRectF(box.right() - width - 6, box.bottom() - 26, width, 20)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("chrome", 215))
        painter.drawRoundedRect(card, 4, 4)
        painter.setPen(theme.color("persimmon" if self.found.score >= ALARMING else "text"))
        painter.drawText(card, Qt.AlignmentFlag.AlignCenter, self.text())


def _facing(mesh: MeshData, matrix: Array, eye: Array) -> int:
    """A vertex that faces the eye squarely, near the middle, among a few hundred: each picture asks for it."""
    every = max(mesh.vertex_count // 400, 1)
    positions = mesh.positions[::every] @ matrix[:3, :3].T + matrix[:3, 3]
    normals = mesh.normals[::every] @ matrix[:3, :3].T
    away = eye - positions
    away = away / np.maximum(np.linalg.norm(away, axis=1, keepdims=True), 1e-12)
    middle = np.linalg.norm(positions - positions.mean(axis=0), axis=1)
    return every * int(np.argmax((away * normals).sum(axis=1) - 0.3 * middle / max(float(middle.max()), 1e-9)))
