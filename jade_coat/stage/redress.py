"""Puts other finishes in the places of some, wherever the project names one to be worn."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from jade_coat.stage.decals import Stamp
from jade_coat.stage.grounds import Ground
from jade_coat.stage.mesh_assets import MeshAsset
from jade_coat.stage.project import Project, Prop

New = Callable[[str], str]
"""The finish that is worn in a finish's place; an empty string for none."""


def redressed(project: Project, new: New) -> Project:
    """The project with the finishes replaced that props, decals, layers of grounds, variants and categories name.

    A prop's own dial values on a slot go where it wears nothing there any more.
    """
    changes: dict[str, Any] = {}
    props = [p for p in (_prop(prop, new) for prop in project.props) if p is not None]
    if props:
        changes["props"] = project.props.with_(*props)
    decals = [d.with_(finish=new(d.finish)) for d in project.decals if d.finish and new(d.finish) != d.finish]
    if decals:
        changes["decals"] = project.decals.with_(*decals)
    grounds = [g for g in (_ground(ground, new) for ground in project.grounds) if g is not None]
    if grounds:
        changes["grounds"] = project.grounds.with_(*grounds)
    for name, redone in (
        ("meshes", lambda mesh: _mesh(mesh, new)), ("categories", lambda category: _worn(category, new)),
        ("stamps", lambda stamp: _stamp(stamp, new)),
    ):  # fmt: skip
        before = getattr(project, name)
        after = tuple(redone(thing) for thing in before)
        if any(a is not b for a, b in zip(after, before, strict=True)):
            changes[name] = after
    made: Project = project.with_(**changes) if changes else project
    return made


def _ground(ground: Ground, new: New) -> Ground | None:
    """A ground whose layers are made of other finishes; None where it keeps all."""
    layers = tuple(_worn(layer, new) for layer in ground.layers)
    same = all(a is b for a, b in zip(layers, ground.layers, strict=True))
    return None if same else ground.with_(layers=layers)


def _chosen(finishes: dict[str, str], new: New) -> dict[str, str]:
    made = {slot: new(finish) if finish else finish for slot, finish in finishes.items()}
    return finishes if made == finishes else {s: f for s, f in made.items() if f or not finishes[s]}


def _prop(prop: Prop, new: New) -> Prop | None:
    """A prop dressed anew; None where it keeps all."""
    own = _chosen(prop.finishes, new)
    if own is prop.finishes:
        return None
    gone = prop.finishes.keys() - own.keys()
    made: Prop = prop.with_(finishes=own, values={s: v for s, v in prop.values.items() if s not in gone})
    return made


def _mesh(mesh: MeshAsset, new: New) -> MeshAsset:
    variants = tuple(
        v if (own := _chosen(v.finishes, new)) is v.finishes else v.with_(finishes=own) for v in mesh.variants
    )
    made: MeshAsset = mesh
    if any(a is not b for a, b in zip(variants, mesh.variants, strict=True)):
        made = mesh.with_(variants=variants)
    return made


def _worn(thing: Any, new: New) -> Any:
    """A category or a decal that wears another finish; itself where it keeps its own."""
    return thing.with_(finish=new(thing.finish)) if thing.finish and new(thing.finish) != thing.finish else thing


def _stamp(stamp: Stamp, new: New) -> Stamp:
    decal = _worn(stamp.decal, new)
    made: Stamp = stamp if decal is stamp.decal else stamp.with_(decal=decal)
    return made
