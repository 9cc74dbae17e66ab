"""What can lie over the view: paint something, and take the mouse before the view does."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QPointF
from PyQt6.QtGui import QPainter, QSinglePointEvent, QWheelEvent

if TYPE_CHECKING:
    from jade_coat.app.widgets.view import View


class Overlay(QObject):
    """One thing over the view. An overlay that returns True from `press` gets the moves until the release."""

    def __init__(self, view: View) -> None:
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

    def wheel(self, turn: float, event: QWheelEvent) -> bool:
        """Take a turn of the wheel, in notches, or leave it."""
        return False

    def hover(self, at: QPointF | None) -> None:
        """The mouse moves without a button, or has left (None)."""
