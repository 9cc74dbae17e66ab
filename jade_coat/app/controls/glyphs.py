"""Buttons with a small drawn sign: what the font has no letter for is never left to a font that may be missing."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QPushButton

from jade_coat.app import theme

# Closed outlines within -1 … 1, y downwards.
SIGNS = {
    "up": (((0, -0.9), (0.9, 0.1), (0.25, 0.1), (0.25, 0.9), (-0.25, 0.9), (-0.25, 0.1), (-0.9, 0.1)),),
    "down": (((0, 0.9), (0.9, -0.1), (0.25, -0.1), (0.25, -0.9), (-0.25, -0.9), (-0.25, -0.1), (-0.9, -0.1)),),
    "start": (((-0.9, -0.8), (-0.55, -0.8), (-0.55, 0.8), (-0.9, 0.8)), ((0.8, -0.8), (0.8, 0.8), (-0.35, 0))),
}


class SignButton(QPushButton):
    """A 26 by 26 button with one of `SIGNS`; what it does is its tool tip and its accessible name."""

    def __init__(self, sign: str, do: Callable[[], object], tip: str) -> None:
        super().__init__()
        self._outlines = SIGNS[sign]
        self.setProperty("role", "plain")
        self.setFixedSize(26, 26)
        self.setAutoDefault(False)
        self.setToolTip(tip)
        self.setAccessibleName(tip)
        self.clicked.connect(lambda _checked=False: do())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.color("line" if not self.isEnabled() else "text"), 0))
        painter.setBrush(painter.pen().color())
        middle, half = QPointF(self.width() / 2, self.height() / 2), 5.0
        for outline in self._outlines:
            painter.drawPolygon(QPolygonF([middle + QPointF(x, y) * half for x, y in outline]))
