"""The mirror of the brush, shown in the view and moved by a handle."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF, QSinglePointEvent

from jade_coat.app import theme
from jade_coat.app.brush.fill_handles import along_line
from jade_coat.app.brush.state import BrushState
from jade_coat.app.view.overlay import Overlay, draw_tag
from jade_coat.app.view.view import View
from jade_coat.check.paint_costs import length
from jade_coat.mesh.stroke import FACING, mirror_plane
from jade_coat.program.types import Array
from jade_coat.stage.project import Prop
from jade_coat.view.camera import project, ray

REACH = 12.0
HOLDS = 25
MARGIN = 0.06
"""How far the sheet stands out beyond the mesh, as a share of its size."""


class MirrorLine(Overlay[View]):
    """The sheet that strokes are mirrored across, over the chosen prop while the brush is in hand."""

    def __init__(self, view: View, state: BrushState) -> None:
        super().__init__(view)
        self._state, self._hold = state, 4
        state.changed.connect(view.update)

    def _prop(self) -> Prop | None:
        shown = self.view.tool == "brush" and not self.view.shape and self._state.brush.mirror
        return self.view.session.prop if shown else None

    def _corners(self, prop: Prop) -> Array:
        """The corners of the sheet and places for its handle down its middle, `(4 + HOLDS, 3)`, in the mesh's space."""
        mesh, axis = self.view.session.link.mesh_data(prop.mesh), FACING[self._state.brush.mirror]
        low, high = (np.asarray(v, np.float64) for v in mesh.bounds)
        out = (high - low) * MARGIN + 1e-6
        low, high = low - out, high + out
        across, up = (k for k in range(3) if k != axis)
        if up != 1 and across == 1:
            across, up = up, across  # the handle stands above
        at = mirror_plane(mesh, self._state.brush.mirror) + self._state.brush.mirror_shift
        down = [(0.5, 1 - i / (HOLDS - 1)) for i in range(HOLDS)]
        found = np.full((4 + HOLDS, 3), at)
        for i, (a, b) in enumerate(((0, 0), (1, 0), (1, 1), (0, 1), *down)):
            found[i, across] = low[across] + (high[across] - low[across]) * a
            found[i, up] = low[up] + (high[up] - low[up]) * b
        return found

    def _seen(self, prop: Prop) -> tuple[list[QPointF], int]:
        """Those places on the view, and which of them is the handle: the uppermost that is well within it."""
        matrix = prop.matrix()
        points = self._corners(prop) @ matrix[:3, :3].T + matrix[:3, 3]
        seen = project(self.view.main_eye(), points)
        places = [QPointF(x * self.view.width(), y * self.view.height()) for x, y in seen[:, :2]]
        inside = QRectF(self.view.rect()).adjusted(30, 60, -30, -30)
        return places, next((i for i in range(4, len(places)) if inside.contains(places[i])), 4)

    def paint(self, painter: QPainter) -> None:
        """Draw the sheet and its handle."""
        prop = self._prop()
        if prop is None:
            return
        places, hold = self._seen(prop)
        corners, handle = places[:4], places[hold]
        painter.setBrush(theme.color("celadon", 22))
        for tone, width in ((theme.color("chrome", 150), 3.0), (theme.color("celadon"), 1.2)):
            painter.setPen(QPen(tone, width))
            painter.drawPolygon(QPolygonF(corners))
            painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setBrush(theme.color("celadon"))
        painter.setPen(QPen(theme.color("chrome"), 1.5))
        painter.drawEllipse(handle, 6, 6)
        shift = self._state.brush.mirror_shift * prop.scale
        text = f"Mirror, moved {'+' if shift > 0 else '−'}{length(abs(shift))}" if shift else "Mirror"
        draw_tag(painter, handle + QPointF(10, -2), text)

    def press(self, at: QPointF, event: QSinglePointEvent) -> bool:
        """Take hold of the handle."""
        prop = self._prop()
        if prop is None:
            return False
        places, self._hold = self._seen(prop)
        return (places[self._hold] - at).manhattanLength() < REACH

    def move(self, at: QPointF, event: QSinglePointEvent) -> None:
        """Move it along its axis."""
        prop = self._prop()
        if prop is None:
            return
        matrix, axis = prop.matrix(), FACING[self._state.brush.mirror]
        handle = self._corners(prop)[self._hold]
        origin, way = ray(self.view.main_eye(), at.x() / max(self.view.width(), 1), at.y() / max(self.view.height(), 1))
        inverse = np.linalg.inv(matrix)
        start, turned = inverse[:3, :3] @ origin + inverse[:3, 3], inverse[:3, :3] @ way
        line = np.eye(3)[axis]
        found = along_line(handle + line, handle, start, turned / np.linalg.norm(turned))
        if found is not None:  # where the axis points at the viewer there is no telling where along it
            self._state.set(mirror_shift=self._state.brush.mirror_shift + float((found - handle) @ line))
