"""What lies under cut-outs, so that no bald ground shines through: a darker closed skin a little below the surface."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar

from jade_coat.material.fields import Color, field
from jade_coat.material.kind_part import KindPart
from jade_coat.material.surface import MapLookup
from jade_coat.program import VEC3, Value, const, lib

DULL = {"roughness": 0.95, "metallic": 0.0, "specular": 0.3, "transmission": 0.0, "opacity": 1.0}
"""What a fill is like, whatever grows over it."""


class Fill(KindPart):
    """The surface once more, uncut and pushed inward: for what is closed, such as thatch, fur and hedges."""

    label: ClassVar[str] = "Fill"
    outputs: ClassVar[tuple[tuple[str, int], ...]] = (("fill_color", 3), ("fill_offset", 3))
    depth: float = field(
        0.0, "Fill below", unit="m", high=10.0, soft=(0.0, 0.2),
        hint="How far under what is cut out a closed skin lies; 0 is none",
    )  # fmt: skip
    tint: Color = field((0.3, 0.3, 0.3), "Colour", kind="color", hint="Darker than what grows over it")
    own: float = field(1.0, "Of the surface", hint="1 multiplies the coats' own colour, 0 stands for itself")

    def program(
        self, fields: Any, quantities: Mapping[str, Value], lookup: MapLookup, frame: str = ""
    ) -> dict[str, Value]:
        """Its colour and how far inward it lies; nothing at all where there is none."""
        if lib.is_const(fields.depth, 0.0):
            return {}
        color = lib.lerp(const(1.0, 1.0, 1.0), quantities["base_color"], fields.own) * fields.tint
        normal = quantities.get("placed_normal", lib.attribute("normal", VEC3))
        return {"fill_color": lib.clamp(color), "fill_offset": normal * -fields.depth}


def filled_in(outputs: Mapping[str, Value], level: int) -> dict[str, Value]:
    """The program of a material's fill; textures at vertices are read from a level."""
    place = outputs.get("placed_position", lib.attribute("world_position", VEC3))
    dull = {name: const(value) for name, value in DULL.items()}
    return {
        **outputs, **dull, "base_color": outputs["fill_color"], "emissive": const(0.0, 0.0, 0.0),
        "placed_position": lib.per_vertex(place + outputs["fill_offset"], level),
    }  # fmt: skip
