"""A material that lies on something: its coats over a layer that is handed in, mixed in by how much it shows."""

from __future__ import annotations

from collections.abc import Mapping

from jade_coat.material.compile import compile_material
from jade_coat.material.layers import Layer
from jade_coat.material.laying import FieldReader
from jade_coat.material.material import Material
from jade_coat.material.quantity import OUTPUTS, QUANTITIES
from jade_coat.material.surface import MapLookup
from jade_coat.program import FLOAT, Value, const, lib, passes

BELOW = "below_"
SHARE_OF = {
    "base_color": "color", "emissive": "glow", "normal": "normal", "height": "height", "roughness": "surface",
    "metallic": "surface", "occlusion": "surface", "specular": "surface", "transmission": "surface",
}  # fmt: skip
"""By which of a decal's shares each quantity is mixed in."""
SHOWN = "shown_"


def lying_program(material: Material, lookup: MapLookup, reader: FieldReader) -> dict[str, Value]:
    """The quantities of a surface once a material lies on it; the opacity stays the surface's.

    Attributes `below_QUANTITY` are what is below (its normal in world space), `shown_SHARE` how much of a share shows,
    0 to 1. What lies on top is the coats' own formula over the layer below; both are mixed in linear light.
    """
    below = {name: lib.attribute(BELOW + name, QUANTITIES[name].type) for name in OUTPUTS}
    flat = const(0.0, 0.0, 1.0)  # the surface's own normal is the frame that the material's lies in
    lone = material.with_(moves=()) if material.moves else material
    made = compile_material(lone, lookup, reader, Layer(**{**below, "normal": flat}))
    mixed: dict[str, Value] = {}
    for name in OUTPUTS:
        share = SHARE_OF.get(name)
        if share is None:
            mixed[name] = below[name]
            continue
        shown = lib.attribute(SHOWN + share, FLOAT)
        mixed[name] = lib.lerp(below[name], made[name], shown)
    mixed["normal"] = lib.normalize(mixed["normal"])
    return passes.fold(mixed)


def handed_in(outputs: Mapping[str, Value]) -> dict[str, Value]:
    """A program whose attributes are handed in at each pixel, where there are no vertices to bring them."""
    return passes.rebuilt(outputs, lambda n: lib.given(*n.static) if n.op == "attribute" else n)
