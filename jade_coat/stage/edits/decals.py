"""Edits of decals and of the stamps that they are made with."""

from __future__ import annotations

from typing import Any

from jade_coat.material.material import by_id
from jade_coat.stage.decals import Decal, Stamp
from jade_coat.stage.edits.registry import added, edit
from jade_coat.stage.looks import material_of
from jade_coat.stage.naming import free_id, free_name
from jade_coat.stage.project import Project


@edit
def set_decals(project: Project, /, decals: tuple[str, ...], **changes: Any) -> Project:
    """Change some settings of decals. Raises KeyError for one that is not there, or a finish that is not."""
    if changes.get("finish"):
        material_of(project, changes["finish"])
    made = []
    for wanted in decals:
        if wanted not in project.decals:
            raise KeyError(f"there is no decal {wanted!r}")
        old = project.decals[wanted]
        new: Decal = old.with_(**changes)
        if new != old:
            made.append(new)
    return project.with_things("decals", *made) if made else project


@edit
def keep_stamp(project: Project, /, decal: Decal, name: str) -> Project:
    """Keep a decal's look and size as a stamp, to lay it elsewhere."""
    name = free_name(name.strip() or "Stamp", {s.name for s in project.stamps})
    kept = decal.with_(id="stamp", name=name, position=(0.0, 0.0, 0.0), turn=(0.0, 0.0, 0.0, 1.0), parent="",
                       visible=True, locked=False)  # fmt: skip
    return added(project, "stamps", Stamp(id=free_id(name, {s.id for s in project.stamps}), name=name, decal=kept))


@edit
def remove_stamp(project: Project, /, stamp: str) -> Project:
    """Remove a stamp; decals that were laid with it stay."""
    by_id(project.stamps, stamp, "stamp")
    changed: Project = project.with_(stamps=tuple(s for s in project.stamps if s.id != stamp))
    return changed


@edit
def rename_stamp(project: Project, /, stamp: str, name: str) -> Project:
    """Call a stamp by another name."""
    old, name = by_id(project.stamps, stamp, "stamp"), name.strip()
    if not name:
        raise ValueError("a name cannot be empty")
    if any(s.name == name and s.id != stamp for s in project.stamps):
        raise ValueError(f"another stamp is called {name}")
    changed: Project = project.with_(stamps=tuple(old.with_(name=name) if s.id == stamp else s for s in project.stamps))
    return changed
