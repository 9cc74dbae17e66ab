"""Rules that paint is filled by: what they go by, and how they join what is there."""

from __future__ import annotations

from typing import Literal

import numpy as np
from pydantic import Field, model_validator

from jade_coat.material.fields import Frozen, Vec2, Vec3
from jade_coat.material.where import MapReading
from jade_coat.mesh.data import MAX_COLOR_SETS

Measure = Literal[
    "even", "gradient", "axis", "angle", "cavity", "occlusion", "height", "distance", "mesh", "noise", "part", "map",
    "channel", "levels", "blur", "clamp",
]  # fmt: skip
Ease = Literal["linear", "smooth", "step", "curve"]
Mix = Literal["replace", "multiply", "add", "max", "min"]
MEASURE_LABELS: dict[Measure, str] = {
    "even": "Everywhere", "gradient": "Gradient", "axis": "By axis", "angle": "Facing",
    "cavity": "Edges", "occlusion": "Shelter",
    "height": "World height", "distance": "Distance", "mesh": "Near a prop", "noise": "Noise", "part": "By piece",
    "map": "A map", "channel": "Channel", "levels": "Levels", "blur": "Blur", "clamp": "Clamp",
}  # fmt: skip
MEASURE_HINTS: dict[Measure, str] = {
    "even": "A everywhere",
    "gradient": "from B at the first point to A at the second, along the line between them",
    "axis": "from B where its bounds begin along an axis to A where they end",
    "angle": "B where the surface faces the direction, A where it leans away by the second angle or more",
    "cavity": "A on edges, or in hollows when turned over",
    "occlusion": "A where little of the sky is seen, by rays",
    "height": "from B at one height above the world's ground to A at another",
    "distance": "from B near a point to A far from it",
    "mesh": "from B at another prop's surface to A away from it",
    "noise": "soft patches",
    "part": "another value for each connected piece, by chance",
    "map": "what a map set or a mask holds, laid by a UV set",
    "channel": "what another channel holds",
    "levels": "its own values, stretched from one range to B and A",
    "blur": "its own values, softened over a width in metres",
    "clamp": "its own values, kept between B and A",
}


class PaintRule(Frozen):
    """What is filled, with what, and how it joins what is there.

    Lengths in metres, angles in radians. `points` are in the object's space or the world's; `range` are the two metres,
    angles or values at which B and A are reached. Channels count on from one colour set to the next.
    """

    measure: Measure = "gradient"
    a: float = Field(1.0, ge=0, le=1)
    """What it leads to, as the brush's A."""
    b: float = Field(0.0, ge=0, le=1)
    """What it leaves, or starts from."""
    channels: tuple[int, ...] = (0,)
    mix: Mix = "replace"
    strength: float = Field(1.0, ge=0, le=1)
    slot: str = ""
    """Only this slot; empty for the whole mesh."""
    piece: Vec3 | None = None
    """Only the connected piece that is nearest to this point of the object."""
    chosen: int | None = Field(None, ge=0, lt=4 * MAX_COLOR_SETS)
    """Only as far as this channel is painted: a selection made with the brush."""
    space: Literal["object", "world"] = "object"
    points: tuple[Vec3, Vec3] = ((0.0, 0.0, 0.0), (0.0, 1.0, 0.0))
    direction: Vec3 = (0.0, 1.0, 0.0)
    axis: Literal["x", "y", "z"] = "y"
    range: tuple[float, float] = (0.0, 1.0)
    size: float = Field(0.3, gt=0, le=1000)
    """Metres: across a patch of noise, the bend that counts as full for edges, the reach of shelter, a tile of a map,
    the width of a blur."""
    seed: int = Field(0, ge=0, le=9999)
    source: int = Field(0, ge=0, lt=4 * MAX_COLOR_SETS)
    other: str = ""
    """The prop that distance is measured from."""
    map_set: str = ""
    read: MapReading = "mask"
    uv_set: int = Field(0, ge=0, le=7)
    tiled: bool = False
    """A map is tiled by metres rather than laid once over the UV square."""
    ease: Ease = "linear"
    curve: tuple[Vec2, ...] = ((0.0, 0.0), (0.35, 0.1), (0.65, 0.9), (1.0, 1.0))
    invert: bool = False

    @model_validator(mode="after")
    def _sound(self) -> PaintRule:
        if not self.channels or any(c not in range(4 * MAX_COLOR_SETS) for c in self.channels):
            raise ValueError(f"a rule fills channels 0 to {4 * MAX_COLOR_SETS - 1}, got {self.channels}")
        if not np.linalg.norm(self.direction) > 0:
            raise ValueError("a rule's direction has a length")
        return self
