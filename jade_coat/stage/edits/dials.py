"""Edits of dials, and of the finishes that turn them."""

from __future__ import annotations

from typing import Any

from jade_coat.material.fields import Setting
from jade_coat.material.material import Dial, Finish, label_at, owner_name, spec_at
from jade_coat.material.rows import dial_spec
from jade_coat.stage.edits.coats import set_field
from jade_coat.stage.edits.registry import added, edit, swap
from jade_coat.stage.looks import material_of
from jade_coat.stage.naming import free_id, free_name
from jade_coat.stage.project import Project
from jade_coat.stage.redress import redressed
from jade_coat.stage.references import without_fields


@edit
def expose(project: Project, /, material: str, path: str) -> Project:
    """Expose a field as a dial."""
    old = project.material(material)
    if old.dial_at(path):
        return project
    spec, owner = spec_at(old, path), owner_name(old, path)
    taken = {d.id for d in old.dials}.union(*(f.values for f in project.finishes))  # nobody's old values come back
    dial = Dial(
        id=free_id(path.replace(".surface", "").replace(".seam", "").replace(".where", ""), taken),
        path=path, name=free_name(f"{owner} {label_at(old, path).lower()}", {d.name for d in old.dials}),
        group=owner, hint=spec.hint,
    )  # fmt: skip
    return swap(project, "materials", old.with_(dials=(*old.dials, dial)))


@edit
def hide(project: Project, /, material: str, path: str) -> Project:
    """Take a dial away; its field keeps the material's value, in every finish."""
    found = project.material(material).dial_at(path)
    if found is None:
        return project
    links = project.material(material).links
    project = without_fields(project, material, lambda at: at == path)
    return swap(project, "materials", project.material(material).with_(links=links))


@edit
def rename_dial(project: Project, /, material: str, dial: str, name: str) -> Project:
    """Rename a dial."""
    old = project.material(material)
    return swap(
        project, "materials", old.with_(dials=tuple(d.with_(name=name) if d.id == dial else d for d in old.dials))
    )


@edit
def move_dial(project: Project, /, material: str, dial: str, to: int) -> Project:
    """Move a dial to another place in the sheet."""
    old = project.material(material)
    moved = next((d for d in old.dials if d.id == dial), None)
    if moved is None:
        raise KeyError(f"{old.name} has no dial {dial!r}")
    rest = [d for d in old.dials if d.id != dial]
    rest.insert(max(0, min(to, len(rest))), moved)
    return swap(project, "materials", old.with_(dials=tuple(rest)))


@edit
def set_dial_words(project: Project, /, material: str, dial: str, **changes: Any) -> Project:
    """Change a dial's group or hint."""
    old = project.material(material)
    if not any(d.id == dial for d in old.dials):
        raise KeyError(f"{old.name} has no dial {dial!r}")
    dials = tuple(d.with_(**changes) if d.id == dial else d for d in old.dials)
    return swap(project, "materials", old.with_(dials=dials))


@edit
def add_finish(project: Project, /, parent: str, name: str, id: str = "") -> Project:
    """Add a finish."""
    taken = {f.id for f in project.finishes} | {m.id for m in project.materials}
    name = free_name(name, {f.name for f in project.finishes})
    return added(project, "finishes", Finish(id=id or free_id(name, taken), name=name, parent=parent))


@edit
def rename_finish(project: Project, /, finish: str, name: str) -> Project:
    """Rename a finish."""
    return swap(project, "finishes", project.finish(finish).with_(name=name))


@edit
def remove_finish(project: Project, /, finish: str) -> Project:
    """Remove a finish; its children and wearers go to its parent."""
    gone = project.finish(finish)
    heir = gone.parent
    finishes = tuple(
        f.with_(parent=heir, values={**gone.values, **f.values}) if f.parent == finish else f
        for f in project.finishes if f.id != finish
    )  # fmt: skip
    changed: Project = redressed(project, lambda f: heir if f == finish else f).with_(finishes=finishes)
    return changed


@edit
def set_parent(project: Project, /, finish: str, parent: str) -> Project:
    """Give a finish another parent of the same material; a circle cannot be made."""
    if material_of(project, parent).id != material_of(project, finish).id:
        raise ValueError("a finish keeps its material; choose a parent that comes from the same one")
    return swap(project, "finishes", project.finish(finish).with_(parent=parent))


@edit
def set_dial(project: Project, /, finish: str, dial: str, value: Setting) -> Project:
    """Turn a dial of a finish."""
    old = project.finish(finish)
    material = material_of(project, finish)
    found = next((d for d in material.dials if d.id == dial), None)
    if found is None:
        raise KeyError(f"{material.name} has no dial {dial!r}")
    value = dial_spec(material, found).clamped(value)
    return swap(project, "finishes", old.with_(values={**old.values, dial: value}))


@edit
def reset_dial(project: Project, /, finish: str, dial: str) -> Project:
    """Give a dial its inherited value back."""
    old = project.finish(finish)
    return swap(project, "finishes", old.with_(values={k: v for k, v in old.values.items() if k != dial}))


@edit
def set_dial_of_many(project: Project, /, finishes: tuple[str, ...], dial: str, value: Setting) -> Project:
    """Turn a dial of several finishes."""
    for finish in finishes:
        project = set_dial.on(project, finish, dial, value)
    return project


@edit
def reset_dials(project: Project, /, finish: str) -> Project:
    """Give all dials of a finish their inherited values back."""
    return swap(project, "finishes", project.finish(finish).with_(values={}))


@edit
def promote_dial(project: Project, /, finish: str, dial: str) -> Project:
    """Hand a dial's value up to the parent, which may be the material; the finish then inherits it."""
    old = project.finish(finish)
    if dial not in old.values:
        raise KeyError(f"{old.name} does not change {dial!r}")
    value = old.values[dial]
    if any(f.id == old.parent for f in project.finishes):
        project = set_dial.on(project, old.parent, dial, value)
    else:
        material = project.material(old.parent)
        path = next(d.path for d in material.dials if d.id == dial)
        project = set_field.on(project, material.id, path, value)
    return reset_dial.on(project, finish, dial)
