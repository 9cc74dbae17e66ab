"""Puts other finishes in the places of some, wherever the project names one to be worn."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from jade_coat.stage.project import Project

New = Callable[[str], str]
"""The finish that is worn in a finish's place; an empty string for none."""


def redressed(project: Project, new: New) -> Project:
    """The project with the finishes replaced that props, decals, variants and categories name.

    A prop's own dial values on a slot go where it wears nothing there any more.
    """

    def chosen(finishes: dict[str, str]) -> dict[str, str]:
        made = {slot: new(finish) if finish else finish for slot, finish in finishes.items()}
        return finishes if made == finishes else {s: f for s, f in made.items() if f or not finishes[s]}

    changes: dict[str, Any] = {}
    props = []
    for prop in project.props:
        own = chosen(prop.finishes)
        if own is not prop.finishes:
            gone = prop.finishes.keys() - own.keys()
            props.append(prop.with_(finishes=own, values={s: v for s, v in prop.values.items() if s not in gone}))
    if props:
        changes["props"] = project.props.with_(*props)
    decals = [d.with_(finish=new(d.finish)) for d in project.decals if d.finish and new(d.finish) != d.finish]
    if decals:
        changes["decals"] = project.decals.with_(*decals)
    stamps = tuple(
        s.with_(decal=s.decal.with_(finish=new(s.decal.finish)))
        if s.decal.finish and new(s.decal.finish) != s.decal.finish else s
        for s in project.stamps
    )  # fmt: skip
    if any(a is not b for a, b in zip(stamps, project.stamps, strict=True)):
        changes["stamps"] = stamps
    meshes = []
    for mesh in project.meshes:
        variants = tuple(
            v if (own := chosen(v.finishes)) is v.finishes else v.with_(finishes=own) for v in mesh.variants
        )
        alike = all(a is b for a, b in zip(variants, mesh.variants, strict=True))
        meshes.append(mesh if alike else mesh.with_(variants=variants))
    if any(a is not b for a, b in zip(meshes, project.meshes, strict=True)):
        changes["meshes"] = tuple(meshes)
    categories = tuple(
        c.with_(finish=new(c.finish)) if c.finish and new(c.finish) != c.finish else c for c in project.categories
    )
    if any(a is not b for a, b in zip(categories, project.categories, strict=True)):
        changes["categories"] = categories
    made: Project = project.with_(**changes) if changes else project
    return made
