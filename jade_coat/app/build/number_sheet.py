"""What the sheets of all makers share: work that waits until a number rests, and Return that settles a field."""

from __future__ import annotations

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QDialog, QWidget

WAIT_MS = 120


class NumberSheet(QDialog):
    """A sheet of numbers. `_soon` asks for `_work`, once, when nothing has been turned for a moment."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self._wait = QTimer(self)
        self._wait.setSingleShot(True)
        self._wait.setInterval(WAIT_MS)
        self._wait.timeout.connect(self._work)
        self._asked = 0
        """How often work was asked for: what comes back for an earlier time is not shown."""
        self._pressed = False
        """Whether what is still being worked out is to be made as soon as it is there."""

    def _soon(self) -> None:
        self._wait.start()

    def _work(self) -> None:
        raise NotImplementedError

    def make(self) -> None:
        """Put what the numbers make into the project."""
        raise NotImplementedError

    def make_once_there(self) -> None:
        """Make what is not worked out yet as soon as it is: the window never waits for it."""
        self._pressed = True
        if self._wait.isActive():
            self._wait.stop()
            self._work()

    def _worked_out(self, well: bool) -> None:
        """What was asked for last is there, or cannot be made."""
        pressed, self._pressed = self._pressed, False
        if pressed and well:
            self.make()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Return settles a field; it does not press a button."""
        assert event is not None
        if event.key() not in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            super().keyPressEvent(event)
