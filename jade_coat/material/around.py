"""What lies around the place where a recipe is asked: maps, recipes, and the coats below."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from jade_coat.material.surface import MapLookup
from jade_coat.program import Value


@dataclass(frozen=True)
class Around:
    """Where maps and recipes are found; the height and colour of what lies below (None where nothing does); and how
    much of each coat below shows, by its name."""

    lookup: MapLookup
    height: Value | None = None
    color: Value | None = None
    shown: Mapping[str, Value] = field(default_factory=dict)

    def coat(self, name: str) -> Value:
        """How much of a coat below shows, 0 to 1. Raises KeyError, which names those that are there."""
        if name not in self.shown:
            there = f"; below lie {', '.join(self.shown)}" if self.shown else "; nothing lies below here"
            raise KeyError(f"no coat {name!r} lies below{there}" if name else "no coat is chosen")
        return self.shown[name]
