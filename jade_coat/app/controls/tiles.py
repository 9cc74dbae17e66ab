"""What is pressed, dragged or reached by the keyboard and paints itself: the bases of rows and tiles."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent
from PyQt6.QtWidgets import QWidget


class FocusPainted(QWidget):
    """A widget that paints its own focus ring, and so repaints when the keyboard comes or goes."""

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        super().focusInEvent(event)
        self.update()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self.update()


class PressedTile(FocusPainted):
    """A painted tile that is pressed by the mouse, Return or Space."""

    pressed = pyqtSignal()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.pressed.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.pressed.emit()
        else:
            super().keyPressEvent(event)


class DraggedRow(FocusPainted):
    """A row that is dragged up or down to another place. Subclasses set `_grabbed` on a press and say where it goes."""

    def __init__(self) -> None:
        super().__init__()
        self._grabbed: QPointF | None = None
        self._dragging = False

    def let_go(self, y: float) -> None:
        """The row was dropped at this height of the screen."""
        raise NotImplementedError

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._grabbed is not None and abs(event.position().y() - self._grabbed.y()) > 7 and not self._dragging:
            self._dragging = True
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        dragging, self._dragging, self._grabbed = self._dragging, False, None
        self.setCursor(Qt.CursorShape.OpenHandCursor)
        self.update()
        if dragging:
            self.let_go(float(self.mapToGlobal(event.position()).y()))
