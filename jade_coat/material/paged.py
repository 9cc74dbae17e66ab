"""A ground as it was drawn into pages once: a program that reads them, in place of all layers of it."""

from __future__ import annotations

from collections.abc import Mapping

from jade_coat.material.compile_stacked import Ground, surface_of
from jade_coat.material.laying import FieldReader, const_of
from jade_coat.material.material import Coat
from jade_coat.material.quantity import OUTPUTS, QUANTITIES
from jade_coat.material.splitting import KEPT_PAGE, split, why_live
from jade_coat.material.stacking import StackedMaterial
from jade_coat.material.surface import MapLookup
from jade_coat.program import VEC3, TextureRef, Value, combine, const, lib, passes

ROOM = 5.0
"""How far pages reach below the lowest and above the highest heights, metres: layers may lift the ground."""
PAGES = tuple(dict.fromkeys(q.place.attachment for q in QUANTITIES.values()))
"""The pages: attachments of the G-buffer, as they were filled from above."""
PAGED_DEPTH = "depth"
"""The page of how far the ground lies below the highest that pages reach, 0 to 1 of all they reach."""


def reach(material: StackedMaterial) -> tuple[float, float]:
    """From and up to how high the pages of a ground reach, metres."""
    return material.lowest - ROOM, material.highest + ROOM


def page_texture(attachment: str) -> TextureRef:
    """The texture of one page."""
    return TextureRef(f"own page {attachment}")


class PagedMaterial(StackedMaterial):
    """What parts of a ground wear that are drawn from pages; `of` is what they wear live, where some of that moves."""

    of: StackedMaterial | None = None


def paged(material: StackedMaterial, moves: bool = False) -> PagedMaterial:
    """The material of pages of the ground that another material belongs to; `moves` where some of that one does."""
    first = material.layers[0].with_(finish="")
    bare = type(first)(id=first.id, name=first.id)
    return PagedMaterial(
        id=f"{material.id} paged", name=material.name, coats=(Coat(id="page", name="Page"),), layers=(bare,),
        members={}, weights={first.id: 0}, extent=material.extent, samples=material.samples,
        weight_cells=material.weight_cells, foot=material.foot, lowest=material.lowest, highest=material.highest,
        of=material if moves else None,
    )  # fmt: skip


def paged_for(material: StackedMaterial, lookup: MapLookup, still: PagedMaterial) -> PagedMaterial | None:
    """What is worn from pages in place of a material: `still` where nothing of it moves, None where too much does."""
    parts = split(surface_of(material, lookup, lambda _, value: const_of(value))[0])
    if parts is None:
        return None
    return paged(material, moves=True) if parts.live else still


def compile_paged(material: PagedMaterial, lookup: MapLookup, reader: FieldReader) -> dict[str, Value]:
    """The folded program that reads every quantity from the pages, and how far the layers lift the heights.

    What moves is made of what pages hold of it; `reader` reads the fields of `material.of`.
    """
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
    if material.of is not None:
        outputs |= _moving(material.of, lookup, reader, outputs, lib.texture(page_texture(KEPT_PAGE), at))
    outputs["coverage"] = const(0.0, 0.0, 0.0)
    low, high = reach(material)
    lies = high - lib.texture(page_texture(PAGED_DEPTH), at).x * (high - low)
    return passes.fold(ground.laid(outputs, lies - place.y))


def _moving(
    material: StackedMaterial, lookup: MapLookup, reader: FieldReader, held: Mapping[str, Value], kept: Value
) -> dict[str, Value]:
    """The quantities that move, made of those that pages hold. Raises ValueError where pages do not hold enough."""
    parts = split(surface_of(material, lookup, reader)[0])
    if parts is None:
        raise ValueError(f"{material.name}: what moves of it reads more than pages hold")
    known = {
        value: held[place] if isinstance(place, str) else _channels(kept, place)
        for value, place in parts.reads.items()
    }  # fmt: skip
    return passes.rebuilt({name: parts.outputs[name] for name in parts.live}, lambda node: node, known)


def _channels(kept: Value, places: tuple[int, ...]) -> Value:
    found = [getattr(kept, "xyzw"[k]) for k in places]
    return combine(*found) if len(found) > 1 else found[0]


def live_by(material: StackedMaterial, lookup: MapLookup) -> tuple[str, ...]:
    """What keeps a ground's material from being drawn from pages, in words; nothing where pages hold what it takes."""
    outputs, _, _ = surface_of(material, lookup, lambda _, value: const_of(value))
    return why_live(outputs) if split(outputs) is None else ()
