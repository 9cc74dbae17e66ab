"""A ground as it was drawn into pages once: a program that reads them, in place of all layers of it."""

from __future__ import annotations

from jade_coat.material.compile_stacked import Ground, surface_of
from jade_coat.material.laying import const_of
from jade_coat.material.material import Coat
from jade_coat.material.quantity import OUTPUTS, QUANTITIES
from jade_coat.material.shared import CAMERA, TIME, WIND_DIRECTION, WIND_STRENGTH
from jade_coat.material.stacking import StackedMaterial
from jade_coat.material.surface import MapLookup
from jade_coat.program import VEC3, TextureRef, Value, combine, const, lib, passes

ROOM = 5.0
"""How far pages reach below the lowest and above the highest heights, metres: layers may lift the ground."""
PAGES = tuple(dict.fromkeys(q.place.attachment for q in QUANTITIES.values()))
"""The pages: attachments of the G-buffer, as they were filled from above."""
LIVE = {
    TIME: "changes with the clock", CAMERA: "follows the eye", WIND_DIRECTION: "follows the wind",
    WIND_STRENGTH: "follows the wind",
}  # fmt: skip
"""What a program must not read to be drawn into pages once, and what it does if it reads it, in words."""


PAGED_DEPTH = "depth"
"""The page of how far the ground lies below the highest that pages reach, 0 to 1 of all they reach."""


def reach(material: StackedMaterial) -> tuple[float, float]:
    """From and up to how high the pages of a ground reach, metres."""
    return material.lowest - ROOM, material.highest + ROOM


def page_texture(attachment: str) -> TextureRef:
    """The texture of one page."""
    return TextureRef(f"own page {attachment}")


class PagedMaterial(StackedMaterial):
    """What parts of a ground wear that are drawn from pages."""


def paged(material: StackedMaterial) -> PagedMaterial:
    """The material of pages of the ground that another material belongs to."""
    first = material.layers[0].with_(finish="")
    bare = type(first)(id=first.id, name=first.id)
    return PagedMaterial(
        id=f"{material.id} paged", name=material.name, coats=(Coat(id="page", name="Page"),), layers=(bare,),
        members={}, weights={first.id: 0}, extent=material.extent, samples=material.samples,
        weight_cells=material.weight_cells, foot=material.foot, lowest=material.lowest, highest=material.highest,
    )  # fmt: skip


def compile_paged(material: PagedMaterial) -> dict[str, Value]:
    """The folded program that reads every quantity from the pages, and how far the layers lift the heights."""
    ground = Ground(material)
    place = lib.attribute("world_position", VEC3)
    x, z, across, along = material.extent
    at = (combine(place.x, place.z) - const(x, z)) / const(across, along)
    outputs: dict[str, Value] = {}
    for name in OUTPUTS:
        kept = QUANTITIES[name].place
        read = lib.texture(page_texture(kept.attachment), at)
        parts = [getattr(read, "xyzw"["rgba".index(c)]) for c in kept.channels]
        outputs[name] = combine(*parts) if len(parts) > 1 else parts[0]
    outputs["base_color"] = outputs["base_color"] * outputs["base_color"]  # kept as its root
    outputs["normal"] = lib.normalize(outputs["normal"])
    outputs["coverage"] = const(0.0, 0.0, 0.0)
    low, high = reach(material)
    lies = high - lib.texture(page_texture(PAGED_DEPTH), at).x * (high - low)
    return passes.fold(ground.laid(outputs, lies - place.y))


def live_by(material: StackedMaterial, lookup: MapLookup) -> tuple[str, ...]:
    """What keeps a ground's material from being drawn into pages once, in words; nothing where all of it is still."""
    outputs, _, _ = surface_of(material, lookup, lambda _, value: const_of(value))
    read = passes.reads({name: outputs[name] for name in OUTPUTS}, "shared")
    return tuple(dict.fromkeys(words for name, words in LIVE.items() if name in read))
