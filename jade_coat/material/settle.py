"""Settling on the ground: near the land a surface takes on its colour, its roughness and its normal, low places first.

What stands on land then grows out of it, and does not look set down on a table. The land is told by two pictures of it
from above (`LAND_COLOR`, `LAND_SHAPE`) that the renderer makes.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar

from jade_coat.material.fields import field
from jade_coat.material.kind_part import KindPart
from jade_coat.material.shared import LAND_AT, LAND_SIZE
from jade_coat.material.surface import MapLookup
from jade_coat.program import VEC3, TextureRef, Value, combine, const, lib

LAND_COLOR, LAND_SHAPE = TextureRef("own land color"), TextureRef("own land shape")
"""The land from above: its colour as the G-buffer keeps it; its normal along x and z, its roughness and its height."""
LAND = (LAND_COLOR, LAND_SHAPE)


class Settle(KindPart):
    """How a surface blends into the land it stands on. Every surface kind has it."""

    label: ClassVar[str] = "On the ground"
    reach: float = field(
        0.0, "Blends up to", unit="m", high=100.0, soft=(0.0, 1.0),
        hint="How far above the land it takes on the land's look; 0 is not at all",
    )  # fmt: skip
    lead: float = field(0.6, "Heights lead", hint="0 is an even edge, 1 fills its own low places first")

    def program(
        self, fields: Any, quantities: Mapping[str, Value], lookup: MapLookup, frame: str = ""
    ) -> dict[str, Value]:
        """The quantities that it changes; nothing at all where it takes on nothing."""
        if lib.is_const(fields.reach, 0.0):
            return {}
        place, corner, size = lib.attribute("world_position", VEC3), lib.shared(LAND_AT, VEC3), lib.shared(
            LAND_SIZE, VEC3)  # fmt: skip
        at = (combine(place.x, place.z) - combine(corner.x, corner.z)) / combine(size.x, size.z)
        shape, color = lib.texture(LAND_SHAPE, at), lib.texture(LAND_COLOR, at)
        over = (place.y - shape.w) / lib.maximum(fields.reach, 1e-4)
        led = 1.0 - lib.clamp(over) + (0.5 - quantities["height"]) * fields.lead
        inner = lib.minimum(lib.minimum(at.x, at.y), lib.minimum(1.0 - at.x, 1.0 - at.y))
        there = lib.clamp(inner * 200.0) * color.w * lib.select(lib.less(fields.reach, 1e-6), 0.0, 1.0)
        share = lib.smoothstep(0.15, 0.85, led) * lib.clamp((1.0 - over) * 4.0) * there
        across = combine(shape.x, shape.y)
        up = combine(shape.x, lib.unary("sqrt", lib.maximum(1.0 - lib.dot(across, across), 0.0)), shape.y)
        land = color.xyz * color.xyz
        changed = {
            "base_color": lib.lerp(quantities["base_color"], land, share),
            "normal": lib.normalize(lib.lerp(quantities["normal"], up, share)),
            "roughness": lib.lerp(quantities["roughness"], shape.z, share),
            "metallic": quantities["metallic"] * (1.0 - share),
            "occlusion": lib.lerp(quantities["occlusion"], const(1.0), share),
        }
        nowhere = lib.less(size.y, 0.5)  # so that a program which knows of no land is that of a surface without this
        return {name: lib.select(nowhere, quantities[name], value) for name, value in changed.items()}
