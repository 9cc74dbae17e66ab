"""Materials of one coat of another, and all that may be shown while a material is worked on."""

from __future__ import annotations

from typing import Any

from jade_coat.material.fields import remembered
from jade_coat.material.material import Coat, Material
from jade_coat.material.shading import KIND_PARTS
from jade_coat.stage.looks import material_of, worn
from jade_coat.stage.project import Project


def every_wear(project: Project, owners: set[str]) -> list[Material]:
    """Some materials, with all that dials of their finishes make of them, and their coats alone."""
    looks = [m.id for m in project.materials if m.id in owners]
    looks += [f.id for f in project.finishes if material_of(project, f.id).id in owners]
    worn_ones = {m.id: m for m in (worn(project, look) for look in looks)}
    alone = [coat_alone(m, c) for m in project.materials if m.id in owners for c in m.coats]
    return [*worn_ones.values(), *alone]


def coat_alone(material: Material, coat: Coat) -> Material:
    """A material of one coat only, under an id of its own."""
    own = {name: getattr(material, name) for name in ("depth", "kind", "cut", "two_sided", *KIND_PARTS)}
    known = _made_alone(coat)
    found = known.get(material.id)
    if found is None or found[0] != own:
        bare = coat.with_(where=(), amount=1.0, shown=True)
        made = Material(id=alone_id(material.id, coat.id), name=coat.name, coats=(bare,), **own)
        found = known[material.id] = (own, made)
    return found[1]


@remembered
def _made_alone(coat: Coat) -> dict[str, tuple[dict[str, Any], Material]]:
    """By the material whose coat it is, the one of it alone, and what else that follows from."""
    return {}


def alone_id(material: str, coat: str) -> str:
    """The id of a material that shows one coat of another alone."""
    return f"coat:{material}:{coat}"
