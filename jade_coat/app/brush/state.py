"""The brush's settings, shared by the view, the brush panel and the keys."""

from __future__ import annotations

import itertools
from collections.abc import Collection, Iterable
from dataclasses import asdict, dataclass, fields, replace
from typing import Any, Literal, TypeVar, get_args, get_origin, get_type_hints

from PyQt6.QtCore import QObject, pyqtSignal

from jade_coat.app import preferences
from jade_coat.app.brush import tips
from jade_coat.app.session import Session
from jade_coat.mesh.brush import Brush
from jade_coat.mesh.data import MAX_COLOR_SETS


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
    told_wrong = pyqtSignal(str)
    """Something about the brush that people should know."""

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
        self.use(replace(self.brush, **changes))

    def use(self, brush: Brush) -> None:
        """Take another brush."""
        self.brush = brush
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

    def told(self, session: Session) -> str:
        """What the chosen channels are to people: what they do in the present material, or their letters."""
        material = session.material
        uses = material.paint_uses(session.link.lookup, self.color_set) if material is not None else {}
        letters = ["RGBA"[i] for i in self.letters]
        if len(letters) == 1 and letters[0] in uses:
            return uses[letters[0]][0].removesuffix(" shows")
        return f"Channel {letters[0]}" if len(letters) == 1 else f"Channels {', '.join(letters)}"

    def keep(self) -> None:
        """Remember the brush and the hand for the next start."""
        tip = self.brush.tip.name if self.brush.tip is not None else ""
        brush = asdict(replace(self.brush, tip=None))
        found = {"brush": brush, "tip": tip, "hand": asdict(self.hand), "set": self.color_set}
        preferences.keep(preferences.BRUSH, found)

    def recall(self) -> None:
        """Take up the brush and the hand as they were left; what is no setting of theirs is let be."""
        kept = preferences.recall(preferences.BRUSH)
        self.brush = restored(self.brush, kept.get("brush", {}))
        tip = kept.get("tip", "")  # the mirror belongs to the prop it was moved for
        self.brush = replace(self.brush, mirror_shift=0.0, tip=tips.tip(tip) if isinstance(tip, str) else None)
        self.hand = restored(self.hand, kept.get("hand", {}))
        if kept.get("set") in range(MAX_COLOR_SETS):
            self.color_set = kept["set"]
        if any(c // 4 != self.color_set for c in self.brush.channels) or not self.brush.channels:
            self.brush = replace(self.brush, channels=(4 * self.color_set + 1,))
        self.changed.emit()

    def choose_channel(self, letter: int, more: bool = False) -> None:
        """Paint one channel of the colour set, or one more (or one fewer); one always stays."""
        now = set(self.letters)
        wanted = now ^ {letter} if more else {letter}
        self._channels(wanted or {letter})

    def suit(self, read: Collection[str]) -> None:
        """Choose the first of the channels that a material reads, by letter, where it reads none of the chosen ones."""
        if read and not any("RGBA"[i] in read for i in self.letters):
            self.choose_channel("RGBA".index(next(iter(read))))

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


def _is_curve(value: Any) -> bool:
    """Whether something read from a file is a curve: two points or more from 0 to 1, from left to right."""
    try:
        points = [(float(x), float(y)) for x, y in value]
    except (TypeError, ValueError):
        return False
    inside = all(0 <= v <= 1 for point in points for v in point)
    return len(points) > 1 and inside and all(a[0] < b[0] for a, b in itertools.pairwise(points))


Settings = TypeVar("Settings", Brush, Hand)


def restored(now: Settings, kept: Any) -> Settings:
    """Settings with what was kept of them in place, where it is of the right kind and near enough to be meant."""
    if not isinstance(kept, dict):
        return now
    kinds = get_type_hints(type(now))
    changes: dict[str, Any] = {}
    for field in fields(now):
        value: Any = kept.get(field.name)
        kind, old = kinds[field.name], getattr(now, field.name)
        if get_origin(kind) is Literal:
            sound = value in get_args(kind)
        elif isinstance(old, bool):
            sound = isinstance(value, bool)
        elif isinstance(old, float):
            sound = isinstance(value, (int, float)) and not isinstance(value, bool) and 0.0 <= value <= 600.0
        elif field.name == "channels":
            sound = isinstance(value, list) and all(v in range(4 * MAX_COLOR_SETS) for v in value) and bool(value)
            value = tuple(value) if sound else value
        elif field.name == "curve":
            sound = _is_curve(value)
            value = tuple((float(x), float(y)) for x, y in value) if sound else value
        else:
            sound = False
        if sound:
            changes[field.name] = float(value) if isinstance(old, float) else value
    return replace(now, **changes)
