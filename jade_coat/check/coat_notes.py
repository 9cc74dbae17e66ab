"""What a coat in a stack should tell: whom it shares its paint with, and why its seam or its place does not work."""

from __future__ import annotations

from jade_coat.material.material import Coat, Material
from jade_coat.material.surface import MapLookup, Role


def coat_notes(material: Material, lookup: MapLookup) -> dict[str, tuple[str, ...]]:
    """Sentences for each coat that needs some, by its id; numbers are the material's own."""
    found = {c.id: tuple(_notes(material, c, lookup)) for c in material.coats[1:]}
    return {coat: notes for coat, notes in found.items() if notes}


def _notes(material: Material, coat: Coat, lookup: MapLookup) -> list[str]:
    notes = []
    for term in coat.where:
        twins = [c.name for c in material.coats[1:] if c.id != coat.id and term.painted in _painted(c)]
        if term.painted is not None and twins:
            paint = term.painted
            of = f" of colour set {paint.color_set + 1}" if paint.color_set else ""
            notes.append(f"Channel {paint.channel}{of} also shows {', '.join(twins)}: a stroke changes both.")
    below = material.coats[: material.coats.index(coat)]
    if coat.seam.kind == "interlock" and not any(_uneven(material, c, lookup) for c in (*below, coat)):
        notes.append("Neither it nor what lies below has heights: its seam cannot interlock, and mixes evenly.")
    if not coat.where and coat.amount >= 1 and coat.shown:
        notes.append("It has no where-term: it covers everything below.")
    return notes


def _painted(coat: Coat) -> set[tuple[int, str]]:
    return {t.painted for t in coat.where if t.painted is not None}


def _uneven(material: Material, coat: Coat, lookup: MapLookup) -> bool:
    """Whether a coat's height differs from place to place: by a map, or by a recipe that it follows."""
    paths = {f"{coat.id}.surface.{name}" for name in ("height", "height_range", "lift")}
    if any(k.recipe and k.path in paths for k in material.links):
        return True
    return any(lookup.read(s, Role.HEIGHT) is not None for s in coat.surface.sets)
