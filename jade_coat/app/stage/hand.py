"""How a hand places things: what it snaps to, and whether it leans them with the ground. Kept between starts."""

from __future__ import annotations

import math

from PyQt6.QtCore import QObject, pyqtSignal

from jade_coat.app import preferences
from jade_coat.stage.arranging import snapped

STEPS = (0.01, 0.05, 0.1, 0.25, 0.5, 1.0)
ANGLES = (5.0, 15.0, 30.0, 45.0, 90.0)


class StageHand(QObject):
    """The settings of the hand on the stage."""

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        kept = preferences.recall(preferences.STAGE)
        self.snaps = bool(kept.get("snaps", True))
        self.step = _one_of(kept.get("step"), STEPS, 0.1)
        self.angle = _one_of(kept.get("angle"), ANGLES, 15.0)
        """Degrees."""
        self.leans = bool(kept.get("leans", False))

    def set(self, **settings: float | bool) -> None:
        """Change some settings."""
        for name, value in settings.items():
            setattr(self, name, value)
        kept = {n: getattr(self, n) for n in ("snaps", "step", "angle", "leans")}
        preferences.keep(preferences.STAGE, kept)
        self.changed.emit()

    def length(self, metres: float, free: bool) -> float:
        """A length as the hand lays it; `free` turns snapping off, or on where it is off."""
        return snapped(metres, self.step) if self.snaps != free else metres

    def turn(self, radians: float, free: bool) -> float:
        """An angle as the hand turns it."""
        return snapped(radians, math.radians(self.angle)) if self.snaps != free else radians


def _one_of(value: object, known: tuple[float, ...], usual: float) -> float:
    return float(value) if isinstance(value, (int, float)) and float(value) in known else usual
