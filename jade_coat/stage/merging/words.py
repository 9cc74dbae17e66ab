"""What collided, in words: what and where, and what each side made of it."""

from __future__ import annotations

from typing import Any

from jade_coat.material.fields import Frozen, Spec, declared
from jade_coat.stage.looks import material_of
from jade_coat.stage.merging.collisions import ABSENT, Collision
from jade_coat.stage.project import KINDS_OF_THINGS, LISTED, Project

KIND_WORDS = {
    "map_sets": "map set", "materials": "material", "finishes": "finish", "meshes": "mesh", "categories": "category",
    "groups": "group", "props": "prop", "decals": "decal", "lamps": "lamp", "mists": "mist", "grounds": "ground",
    "shared": "shared dial", "recipes": "recipe", "stamps": "stamp", "origins": "what was taken over",
}  # fmt: skip
"""What a thing of each field of a project is called."""
FIELD_WORDS = {
    "values": "own values", "finishes": "finishes", "position": "place", "paint": "paint", "paint_map": "painted map",
    "weights": "weights", "heights": "heights", "order": "order", "size": "size", "only": "receivers",
    "azimuth": "turn", "elevation": "height", "by_hand": "what is painted by hand",
}  # fmt: skip
COUNTED = {"paint": "vertices", "paint_map": "texels", "weights": "cells", "heights": "samples"}


def title(collision: Collision, *sides: Project) -> str:
    """Where it is: "Ash wall (finish): moss amount"."""
    kind, *rest = collision.place
    if not rest:
        return {"light": "The light", "wind": "The wind", "name": "The project's name"}.get(kind, kind.capitalize())
    if kind not in (*LISTED, *KINDS_OF_THINGS):
        return f"The {kind}: {' · '.join(_word(None, name) for name in rest)}"
    owner: Any = next((i for side in sides for i in getattr(side, kind) if i.id == rest[0]), None)
    names, at = [], owner
    for name in rest[1:]:
        names.append(_named(at, name, owner, sides))
        at = _inner(at, name)
    called = owner.name if owner is not None else rest[0]
    return f"{called} ({KIND_WORDS.get(kind, kind)})" + (f": {' · '.join(n for n in names if n)}" if names else "")


def told(collision: Collision, value: Any) -> str:
    """What one side made of it, in a few words."""
    if value is ABSENT:
        return "removed"
    if collision.count:
        word = COUNTED.get(collision.place[-1], "places")
        return f"{'shaped' if word == 'samples' else 'painted'} {collision.count:,} {word}"
    if collision.mine is ABSENT or collision.theirs is ABSENT:
        return "changed"
    return _short(value)


def _short(value: Any) -> str:
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, float):
        return f"{value:.4g}"
    if isinstance(value, (int, str)):
        return str(value)[:60] or "none"
    if isinstance(value, tuple) and value and all(isinstance(v, (int, float)) for v in value):
        return ", ".join(f"{v:.4g}" for v in value[:6])
    if isinstance(value, tuple) and all(isinstance(v, str) for v in value):
        return ", ".join(value)[:80] or "none"
    if isinstance(value, Frozen) and hasattr(value, "name"):
        return f"changed ({value.name})"
    return "changed"


def _inner(at: Any, name: str) -> Any:
    if isinstance(at, dict):
        return at.get(name)
    if isinstance(at, tuple):
        return next((i for i in at if getattr(i, "id", getattr(i, "path", None)) == name), None)
    return getattr(at, name, None)


def _named(at: Any, name: str, owner: Any, sides: tuple[Project, ...]) -> str:
    """What a step on the way is called: a part by its name, a field by its label, a dial by its name."""
    found = _inner(at, name)
    if isinstance(at, tuple) and found is not None:
        return str(getattr(found, "name", name))
    if isinstance(at, dict):
        return _dial(owner, name, sides) or name
    return _word(at, name)


def _dial(owner: Any, name: str, sides: tuple[Project, ...]) -> str:
    for side in sides:
        if any(f.id == owner.id for f in side.finishes):
            dial = next((d for d in material_of(side, owner.id).dials if d.id == name), None)
            if dial is not None:
                return dial.name
    return ""


def _word(at: Any, name: str) -> str:
    spec: Spec | None = declared(type(at)).get(name) if isinstance(at, Frozen) else None
    return spec.label.lower() if spec is not None else FIELD_WORDS.get(name, name.replace("_", " "))
