"""What words ask of the kiln, as numbers: stuff, pattern, and how far it is grown over, broken, aged."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any

LIMITS: dict[str, tuple[float, float]] = {
    "coarse": (-2.0, 2.0), "grown": (0.0, 1.0), "broken": (0.0, 1.0), "aged": (0.0, 1.0), "dusty": (0.0, 1.0),
    "sooty": (0.0, 1.0), "gloss": (-1.0, 1.0), "warm": (-1.0, 1.0), "light": (-1.0, 1.0), "vivid": (-1.0, 1.0),
    "relief": (0.0, 2.0),
}  # fmt: skip
"""What each number of a brief lies between."""


@dataclass(frozen=True)
class Brief:
    """All that a firing follows from, but for its seed and size.

    `coarse` doubles the size of everything with each 1, and the metres of a tile with it. `tint` is a linear colour
    that takes the place of the stuff's own, keeping its light and dark.
    """

    stuff: str = "clay"
    pattern: str = "plain"
    growth: str = "moss"
    coarse: float = 0.0
    grown: float = 0.0
    broken: float = 0.0
    aged: float = 0.0
    dusty: float = 0.0
    sooty: float = 0.0
    gloss: float = 0.0
    warm: float = 0.0
    light: float = 0.0
    vivid: float = 0.0
    relief: float = 1.0
    tint: tuple[float, float, float] | None = None

    def with_(self, **changes: Any) -> Brief:
        """Another brief; numbers are kept within their limits."""
        kept = {n: min(max(v, LIMITS[n][0]), LIMITS[n][1]) if n in LIMITS else v for n, v in changes.items()}
        return replace(self, **kept)

    def moved(self, **steps: float) -> Brief:
        """A brief some steps further in some numbers."""
        return self.with_(**{name: getattr(self, name) + step for name, step in steps.items()})


@dataclass(frozen=True)
class Direction:
    """A way to walk from one candidate to another: its name, and by how much it changes which numbers."""

    key: str
    label: str
    steps: tuple[tuple[str, float], ...]

    def walk(self, brief: Brief) -> Brief:
        """The brief one step that way."""
        return brief.moved(**dict(self.steps))


DIRECTIONS: dict[str, Direction] = {
    d.key: d
    for d in (
        Direction("bare", "less grown", (("grown", -0.3),)), Direction("grown", "more grown", (("grown", 0.3),)),
        Direction("sound", "less broken", (("broken", -0.3),)), Direction("broken", "more broken", (("broken", 0.3),)),
        Direction("new", "newer", (("aged", -0.3), ("dusty", -0.15))),
        Direction("old", "older", (("aged", 0.3), ("dusty", 0.1))),
        Direction("fine", "finer", (("coarse", -0.6),)), Direction("coarse", "coarser", (("coarse", 0.6),)),
        Direction("cool", "cooler", (("warm", -0.35),)), Direction("warm", "warmer", (("warm", 0.35),)),
        Direction("dull", "duller", (("gloss", -0.35),)), Direction("glossy", "glossier", (("gloss", 0.35),)),
    )
}  # fmt: skip
"""All ways, each followed or preceded by its opposite."""
