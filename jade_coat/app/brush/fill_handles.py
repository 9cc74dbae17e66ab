"""Handles in the view for the points that a fill goes by."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QPainter, QPen, QSinglePointEvent

from jade_coat.app import theme
from jade_coat.app.brush.fill_panel import FillPanel, _moved, _points
from jade_coat.app.view.overlay import Overlay
from jade_coat.app.view.view import View
from jade_coat.program.types import Array
from jade_coat.view.camera import on_line, project, ray


class FillHandles(Overlay[View]):
    """The two points of a gradient on the view, to be dragged."""

    def __init__(self, view: View, panel: FillPanel) -> None:
        super().__init__(view)
        self._panel, self._grabbed = panel, 0
        panel.changed.connect(view.update)

    def _places(self) -> list[QPointF]:
        """Where the points of the rule lie on the view."""
        panel, prop = self._panel, self._panel.prop
        shows = {"gradient": 2, "distance": 1}.get(panel.rule.measure, 0)
        if prop is None or self.view.tool != "brush" or self.view.shape or not panel.live or not shows:
            return []
        points = np.array(panel.rule.points[:shows])
        if panel.rule.space == "object":
            points = points @ prop.matrix()[:3, :3].T + prop.matrix()[:3, 3]
        seen = project(self.view.main_eye(), points)
        return [QPointF(x * self.view.width(), y * self.view.height()) for x, y in seen[:, :2]]

    def paint(self, painter: QPainter) -> None:
        """Draw the points, the one where B is empty and the one where A is full, and the line between them."""
        places = self._places()
        if len(places) == 2:
            for tone, width in (("chrome", 3.5), ("persimmon", 1.5)):
                painter.setPen(QPen(theme.color(tone), width))
                painter.drawLine(places[0], places[1])
        painter.setPen(QPen(theme.color("persimmon"), 2))
        for i, place in enumerate(places):
            painter.setBrush(theme.color("persimmon" if i else "chrome"))
            painter.drawEllipse(place, 6, 6)

    def press(self, at: QPointF, event: QSinglePointEvent) -> bool:
        """Take hold of a point, or say which piece is filled."""
        panel = self._panel
        if panel.choosing_piece and self.view.tool == "brush" and panel.prop is not None:
            hit = self.view.pick(at, panel.prop.id)
            if hit is not None:
                x, y, z = (float(v) for v in hit.local[0])
                panel.choose_piece((x, y, z))
            return True
        for i, place in enumerate(self._places()):
            if (place - at).manhattanLength() < 13:
                self._grabbed = i
                return True
        return False

    def move(self, at: QPointF, event: QSinglePointEvent) -> None:
        """Move it along the line between the points; with Shift, or alone, across the plane that faces the viewer."""
        panel, prop = self._panel, self._panel.prop
        assert prop is not None
        own = panel.rule.space == "object"
        points = np.array(panel.rule.points, np.float64)
        world = _moved(points, prop.matrix()) if own else points
        origin, way = ray(self.view.main_eye(), at.x() / max(self.view.width(), 1), at.y() / max(self.view.height(), 1))
        free = panel.rule.measure != "gradient" or bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        held, other = world[self._grabbed], world[1 - self._grabbed]
        along = None if free else along_line(held, other, origin, way)
        if along is None:
            _, ahead = ray(self.view.main_eye(), 0.5, 0.5)
            along = origin + way * (float((held - origin) @ ahead) / max(float(way @ ahead), 1e-9))
        world[self._grabbed] = along
        panel.set(points=_points(_moved(world, np.linalg.inv(prop.matrix())) if own else world))


def along_line(held: Array, other: Array, origin: Array, way: Array) -> Array | None:
    """The place on the line through two points that is nearest to a ray; None where the line points at the viewer."""
    line = held - other
    size = float(np.linalg.norm(line))
    return on_line(other, line / size, origin, way) if size >= 1e-9 else None
