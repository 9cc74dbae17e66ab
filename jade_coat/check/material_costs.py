"""What a material costs a pixel, and what each of its coats adds to that: read off the program that draws it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from jade_coat.material.compile import compile_material, live_fields
from jade_coat.material.material import Material
from jade_coat.material.quantity import OUTPUTS
from jade_coat.material.surface import MapLookup
from jade_coat.program import passes


@dataclass(frozen=True)
class PixelCost:
    """Texture reads, and arithmetic in units of one addition."""

    reads: int
    operations: int

    @property
    def sentence(self) -> str:
        """Both in words."""
        return f"{self.reads} read{'s' if self.reads != 1 else ''} · {self.operations:,} operations"


@dataclass(frozen=True)
class MaterialCost:
    """The cost of a whole material, and what would be saved without each coat that is shown, by its id."""

    whole: PixelCost
    coats: Mapping[str, PixelCost]


def material_cost(material: Material, lookup: MapLookup) -> MaterialCost:
    """The cost of a material as the view draws it. Raises ValueError for one that refers to what is not there."""
    whole = pixel_cost(material, lookup)
    found = {}
    for coat in (c for c in material.coats if c.shown):
        without = material.with_(coats=tuple(c.with_(shown=False) if c is coat else c for c in material.coats))
        alone = not any(c.shown for c in without.coats)
        less = PixelCost(0, 0) if alone else pixel_cost(without, lookup)
        found[coat.id] = PixelCost(whole.reads - less.reads, whole.operations - less.operations)
    return MaterialCost(whole, found)


def pixel_cost(material: Material, lookup: MapLookup) -> PixelCost:
    """What a material costs a pixel as the view draws it."""
    outputs = compile_material(material, lookup, live_fields(material))
    found = passes.cost({name: outputs[name] for name in OUTPUTS})
    return PixelCost(found.fetches, round(found.arithmetic))
