"""The brush's settings, shared by the view, the brush panel and the keys."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Any, Literal

from PyQt6.QtCore import QObject, pyqtSignal

from jade_coat.mesh.brush import Brush


@dataclass(frozen=True)
class Hand:
    """How the hand is read: the brush's size on the surface or on the screen, what the pen's pressure does, how far
    the brush trails behind the pointer, and whether a mouse stands in for a pen."""

    measure: Literal["surface", "screen"] = "surface"
    pixels: float = 40.0
    pressure_size: bool = False
    pressure_strength: bool = True
    trail: float = 0.0
    simulated: bool = False


@dataclass(frozen=True)
class Shown:
    """What is shown over the view while painting."""

    edges: bool = False
    vertices: bool = False
    held: bool = False
    """How many vertices the brush reaches across, in colours."""
    channels: bool = False
    """All four channels in small pictures."""


class BrushState(QObject):
    """Holds the brush and tells when it changes."""

    changed = pyqtSignal()
    shown_changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.brush = Brush(radius=0.14, strength=0.5, channels=(1,))
        self.hand = Hand()
        self.shown = Shown()
        self.color_set = 0
        self.picking = False
        """Whether the next press picks a value instead of painting."""

    def set(self, **changes: Any) -> None:
        """Change some settings of the brush."""
        self.brush = replace(self.brush, **changes)
        self.changed.emit()

    def set_hand(self, **changes: Any) -> None:
        """Change how the hand is read."""
        self.hand = replace(self.hand, **changes)
        self.changed.emit()

    def show(self, **changes: Any) -> None:
        """Change what is shown over the view."""
        self.shown = replace(self.shown, **changes)
        self.shown_changed.emit()
        self.changed.emit()

    @property
    def letters(self) -> tuple[int, ...]:
        """The chosen channels within the colour set, 0 to 3."""
        return tuple(c - 4 * self.color_set for c in self.brush.channels)

    def choose_channel(self, letter: int, more: bool = False) -> None:
        """Paint one channel of the colour set, or one more (or one fewer); one always stays."""
        now = set(self.letters)
        wanted = now ^ {letter} if more else {letter}
        self._channels(wanted or {letter})

    def choose_set(self, color_set: int) -> None:
        """Paint another colour set, on the same channels."""
        letters = set(self.letters)
        self.color_set = color_set
        self._channels(letters)

    def _channels(self, letters: Iterable[int]) -> None:
        self.set(channels=tuple(4 * self.color_set + i for i in sorted(letters)))

    def swap(self) -> None:
        """Paint toward the other value."""
        self.set(second=not self.brush.second)

    def scale(self, factor: float) -> None:
        """Grow or shrink the brush: 1 mm to 50 m, or 2 to 600 pixels."""
        if self.hand.measure == "screen":
            self.set_hand(pixels=min(max(self.hand.pixels * factor, 2.0), 600.0))
        else:
            self.set(radius=min(max(self.brush.radius * factor, 0.001), 50.0))

    def pick(self, on: bool = True) -> None:
        """Let the next press pick a value, or not."""
        self.picking = on
        self.changed.emit()
