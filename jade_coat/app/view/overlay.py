"""What can lie over the view: paint something, and take the mouse before the view does."""

from __future__ import annotations

from typing import Generic, TypeVar

from PyQt6.QtCore import QObject, QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QSinglePointEvent, QWheelEvent
from PyQt6.QtWidgets import QWidget

from jade_coat.app import theme


def draw_tag(painter: QPainter, corner: QPointF, text: str, weight: int = 500, most: float = 1e9) -> None:
    """A word on a dark tag, its lower left corner at a place of the view; cut short beyond `most` pixels."""
    painter.setFont(theme.font(12, weight))
    shown = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, round(min(most, 1e6)))
    tag = QRectF(corner.x(), corner.y() - 20, painter.fontMetrics().horizontalAdvance(shown) + 14, 20)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme.color("chrome", 215))
    painter.drawRoundedRect(tag, 4, 4)
    painter.setPen(theme.color("text"))
    painter.drawText(tag, Qt.AlignmentFlag.AlignCenter, shown)


Over = TypeVar("Over", bound=QWidget)


class Overlay(QObject, Generic[Over]):
    """One thing over the view. An overlay that returns True from `press` gets the moves until the release."""

    def __init__(self, view: Over) -> None:
        super().__init__(view)
        self.view = view

    def paint(self, painter: QPainter) -> None:
        """Draw over the picture."""

    def press(self, at: QPointF, event: QSinglePointEvent) -> bool:
        """Take a left press at a place of the view, or leave it."""
        return False

    def move(self, at: QPointF, event: QSinglePointEvent) -> None:
        """The mouse moved after a press that was taken."""

    def release(self, at: QPointF, event: QSinglePointEvent) -> None:
        """The button was let go after a press that was taken."""

    def give_up(self) -> bool:
        """Take back what is under way; whether anything was."""
        return False

    def wheel(self, turn: float, event: QWheelEvent) -> bool:
        """Take a turn of the wheel, in notches, or leave it."""
        return False

    def hover(self, at: QPointF | None) -> None:
        """The mouse moves without a button, or has left (None)."""
