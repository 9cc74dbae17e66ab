"""Frees unreachable objects in the window's thread only.

Python collects cycles in whatever thread happens to allocate; a widget freed in a background thread takes the whole
application down, since Qt's objects belong to the thread that made them.
"""

from __future__ import annotations

import gc

from PyQt6.QtCore import QObject, QTimer

PAUSE_MS = 500


class Collector(QObject):
    """Takes over Python's collector of cycles: a timer of the window's thread runs it when its own counts say so."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._thresholds = gc.get_threshold()
        gc.disable()
        self._timer = QTimer(self)
        self._timer.setInterval(PAUSE_MS)
        self._timer.timeout.connect(self.look)
        self._timer.start()

    def look(self) -> None:
        """Collect the oldest generation that has had its number of new objects, or of younger collections."""
        for generation in (2, 1, 0):
            if gc.get_count()[generation] > self._thresholds[generation]:
                gc.collect(generation)
                return
