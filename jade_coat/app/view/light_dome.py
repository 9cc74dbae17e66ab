"""The light by hand: a small dome over the view, its dot the sun, dragged to move it."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QPainter, QPen, QRadialGradient, QSinglePointEvent

from jade_coat.app import theme
from jade_coat.app.view.overlay import Overlay
from jade_coat.app.view.view import View
from jade_coat.stage import edits

RADIUS = 27.0
LOWEST, HIGHEST = 0.04, 1.5


class LightDome(Overlay[View]):
    """The sky from above, the viewer at its foot: the rim is the horizon, the middle overhead."""

    _at: tuple[float, float] | None = None

    def middle(self) -> QPointF:
        """Where the dome lies on the view."""
        return QPointF(18 + RADIUS, self.view.height() - 18 - RADIUS)

    def spot(self) -> QPointF:
        """Where the sun lies on the view."""
        light = self.view.session.project.light
        azimuth, elevation = self._at or (light.azimuth, light.elevation)
        away = RADIUS * (1 - max(elevation, 0.0) / (math.pi / 2))
        turn = azimuth - self.view.camera.yaw
        return self.middle() + QPointF(math.sin(turn) * away, math.cos(turn) * away)

    def paint(self, painter: QPainter) -> None:
        middle, spot = self.middle(), self.spot()
        fill = QRadialGradient(spot, RADIUS * 1.6)
        fill.setColorAt(0, theme.color("celadon", 150))
        fill.setColorAt(1, theme.color("chrome", 170))
        painter.setPen(QPen(theme.color("line"), 1.2))
        painter.setBrush(fill)
        painter.drawEllipse(middle, RADIUS, RADIUS)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.color("text", 60), 1))
        painter.drawEllipse(middle, RADIUS / 2, RADIUS / 2)
        painter.setPen(QPen(theme.color("chrome"), 1.5))
        painter.setBrush(theme.color("persimmon"))
        painter.drawEllipse(spot, 5.5, 5.5)

    def press(self, at: QPointF, event: QSinglePointEvent) -> bool:
        away = at - self.middle()
        if self.view.tool != "look" or math.hypot(away.x(), away.y()) > RADIUS + 5:
            return False
        self.move(at, event)
        return True

    def move(self, at: QPointF, event: QSinglePointEvent) -> None:
        away = at - self.middle()
        share = min(math.hypot(away.x(), away.y()) / RADIUS, 1.0)
        elevation = min(max((1 - share) * math.pi / 2, LOWEST), HIGHEST)
        azimuth = math.atan2(away.x(), away.y()) + self.view.camera.yaw
        self._at = (math.remainder(azimuth, 2 * math.pi), elevation)
        self.view.session.drag_sun(*self._at)

    def release(self, at: QPointF, event: QSinglePointEvent) -> None:
        assert self._at is not None
        azimuth, elevation = self._at
        self._at = None
        self.view.session.do(edits.set_light(azimuth=azimuth, elevation=elevation))
