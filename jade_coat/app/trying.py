"""Tries an edit out while the pointer rests on something that stands for it; leaving takes it back."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject, QTimer
from PyQt6.QtWidgets import QWidget

from jade_coat.app.session import Session
from jade_coat.stage.edits.registry import Edit

REST_MS = 140
"""How long the pointer rests before something is tried out."""


class Resting(QObject):
    """Watches widgets; each has a function that makes the edit to be tried, or None for nothing."""

    def __init__(self, session: Session, owner: QObject) -> None:
        super().__init__(owner)
        self._session = session
        self._make: Callable[[], Edit | None] = lambda: None
        self._makers: dict[QObject, Callable[[], Edit | None]] = {}
        self._wait = QTimer(self)
        self._wait.setSingleShot(True)
        self._wait.setInterval(REST_MS)
        self._wait.timeout.connect(self._try)

    def watch(self, widget: QWidget, make: Callable[[], Edit | None]) -> None:
        """Try what `make` gives while the pointer rests on a widget."""
        self._makers[widget] = make
        widget.installEventFilter(self)
        widget.destroyed.connect(lambda: self._makers.pop(widget, None))

    def rest(self, make: Callable[[], Edit | None]) -> None:
        """The pointer has come to something."""
        self._make = make
        self._wait.start()

    def leave(self) -> None:
        """It has left: take back what is tried."""
        self._wait.stop()
        self._session.try_out(None)

    def _try(self) -> None:
        self._session.try_out(self._make())

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and watched in self._makers:
            if event.type() == QEvent.Type.Enter:
                self.rest(self._makers[watched])
            elif event.type() in (QEvent.Type.Leave, QEvent.Type.MouseButtonPress, QEvent.Type.Hide):
                self.leave()
        return False
