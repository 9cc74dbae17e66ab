"""The brush: what a dab does, how far it reaches, and how it fades to its edge."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any, Literal

import numpy as np

from jade_coat.mesh.tip import Tip
from jade_coat.program.ops.curves import Curve
from jade_coat.program.types import Array

Tool = Literal["paint", "smooth", "sharpen", "smear"]
Falloff = Literal["smooth", "linear", "sharp", "flat", "curve"]
Within = Literal["mesh", "slot", "part", "facing"]
Axis = Literal["", "x", "y", "z"]
TipWay = Literal["still", "each", "along"]
Points = tuple[tuple[float, float], ...]
TOOL_LABELS: dict[Tool, str] = {
    "paint": "Paint", "smooth": "Smooth", "sharpen": "Sharpen", "smear": "Smear",
}  # fmt: skip
STEPS = 512


@dataclass(frozen=True)
class Brush:
    """How a dab falls.

    `radius` in metres; `strength` 0–1 is the most a stroke does, `flow` 0–1 the share of that which one dab does (1:
    all at once); `a` and `b` are the two values painted toward, `second` picks b; `spacing` between dabs in radii;
    `angle` in radians is how far from the dab's normal a place may face.
    """

    radius: float = 0.15
    strength: float = 0.6
    falloff: Falloff = "smooth"
    channels: tuple[int, ...] = (0,)
    tool: Tool = "paint"
    a: float = 1.0
    b: float = 0.0
    second: bool = False
    flow: float = 1.0
    spacing: float = 0.25
    curve: Points = ((0.0, 0.0), (0.5, 0.5), (1.0, 1.0))
    """For the falloff "curve": the weight (0–1) over the way from the edge (0) to the middle (1)."""
    surface_only: bool = True
    """Paint only what is connected inside the ball, so that nothing leaks through a thin wall."""
    angle: float = float(np.pi / 2)
    within: Within = "mesh"
    """Stay on the slot, the connected part, or the facing that the stroke began on."""
    mirror: Axis = ""
    """Paint the mirror image across this axis of the object as well."""
    mirror_shift: float = 0.0
    """How far along that axis the mirror is moved from where it stands by itself, metres of the mesh."""
    tip: Tip | None = None
    """What each dab is pressed through; None for a round brush."""
    tip_turn: float = 0.0
    """Radians that the tip is turned by, anticlockwise."""
    tip_way: TipWay = "still"
    """Whether it lies the same in each dab, otherwise in each, or along the stroke."""

    @property
    def toward(self) -> float:
        """The value painted toward."""
        return self.b if self.second else self.a

    def with_(self, **changes: Any) -> Brush:
        """A brush with some settings changed."""
        return replace(self, **changes)

    @property
    def table(self) -> Array:
        """The weight at `STEPS + 1` distances from 0 to 1, `float64`."""
        return _table(self.falloff, self.curve if self.falloff == "curve" else ())


@lru_cache(maxsize=64)
def _table(kind: Falloff, curve: Points) -> Array:
    made = falloff(kind, np.linspace(0, 1, STEPS + 1), curve)
    if kind == "flat":
        made[-1] = 1.0  # whatever is reached is nearer than 1
    made.flags.writeable = False
    return made


def falloff(kind: Falloff, distance: Array, curve: Points = ()) -> Array:
    """The weight of a dab at distances in radii: 1 in the middle, 0 beyond 1."""
    d = np.clip(distance, 0, 1)
    if kind == "linear":
        return np.asarray(1 - d)
    if kind == "sharp":
        return np.asarray((1 - d) ** 3)
    if kind == "flat":
        return np.asarray((np.asarray(distance) < 1).astype(np.float64))
    if kind == "curve":
        return np.clip(Curve(tuple(p[0] for p in curve), tuple(p[1] for p in curve)).along(1 - d), 0, 1)
    return np.asarray((1 - d * d) ** 2)


def weights(brush: Brush, distance: Array) -> Array:
    """The weights of a dab at distances in radii, read off the table, `(n,) float64`."""
    at = np.minimum(distance, 1.0) * STEPS
    low = np.minimum(at.astype(np.int64), STEPS - 1)
    table = brush.table
    return np.asarray(table[low] + (table[low + 1] - table[low]) * (at - low))
