"""The brush's settings, shared by the view, the brush panel and the keys."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from jade_coat.mesh.painting import Brush


class BrushState(QObject):
    """Holds the brush and tells when it changes."""

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.brush = Brush(radius=0.14, strength=0.5, channels=(1,))

    def set(self, **changes: Any) -> None:
        """Change some settings."""
        self.brush = replace(self.brush, **changes)
        self.changed.emit()

    @property
    def erasing(self) -> bool:
        """Whether it paints toward 0."""
        return self.brush.toward < 0.5

    def swap(self) -> None:
        """Paint instead of erase, or the other way round."""
        self.set(toward=1.0 if self.erasing else 0.0)

    def scale(self, factor: float) -> None:
        """Grow or shrink the brush, 1 mm to 50 m."""
        self.set(radius=min(max(self.brush.radius * factor, 0.001), 50.0))
