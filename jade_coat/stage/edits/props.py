"""Edits of meshes, props and their paint, the light, and of what is taken over from other projects."""

from __future__ import annotations

from typing import Any

from jade_coat.material.fields import Number
from jade_coat.mesh.painting import Paint, PaintMap
from jade_coat.stage.edits.registry import added, edit, swap
from jade_coat.stage.looks import material_of
from jade_coat.stage.mesh_assets import FarLevel, MeshAsset
from jade_coat.stage.origins import Kind
from jade_coat.stage.paint_rules import PaintRule
from jade_coat.stage.project import Project, Prop
from jade_coat.stage.references import released
from jade_coat.stage.taking import Place, take, update, with_coat_of


@edit
def add_mesh(project: Project, /, mesh: MeshAsset) -> Project:
    """Add a mesh."""
    return added(project, "meshes", mesh)


@edit
def exchange_mesh(
    project: Project, /, mesh: MeshAsset, paint: dict[str, Paint] | None = None, maps: dict[str, PaintMap] | None = None
) -> Project:
    """Put another mesh in a mesh's place."""
    project = swap(project, "meshes", mesh)
    for prop, own in (paint or {}).items():
        project = paint_prop.on(project, prop, own)
    for prop, own_map in (maps or {}).items():
        project = paint_map.on(project, prop, own_map)
    return project


@edit
def set_levels(project: Project, /, mesh: str, levels: tuple[FarLevel, ...]) -> Project:
    """Choose what the view shows of a mesh from afar."""
    for level in levels:
        project.mesh(level.mesh)
    return swap(project, "meshes", project.mesh(mesh).with_(levels=levels))


@edit
def set_clip(project: Project, /, mesh: str, clip: str) -> Project:
    """Let a mesh move by one of its clips, wherever it stands; by none it stands still."""
    found = project.mesh(mesh)
    if clip and clip not in found.clips:
        raise ValueError(f"{found.name} has no clip {clip!r}")
    return swap(project, "meshes", found.with_(clip=clip))


@edit
def add_prop(project: Project, /, prop: Prop) -> Project:
    """Place a prop."""
    project.mesh(prop.mesh)
    if prop.id in project.groups:
        raise ValueError(f"{prop.id!r} is taken by a group")
    return added(project, "props", prop)


@edit
def remove_prop(project: Project, /, prop: str) -> Project:
    """Remove a prop."""
    project.prop(prop)
    return released(project.with_(props=project.props.without(prop)), "props", prop)


@edit
def set_prop(project: Project, /, prop: str, **changes: Any) -> Project:
    """Move, turn, size or rename a prop."""
    old = project.prop(prop)
    if project.locks(old) and changes.keys() & {"position", "turn", "size"}:
        raise ValueError(f"{old.name} is locked; unlock it first")
    return swap(project, "props", old.with_(**changes))


@edit
def put_finish(project: Project, /, prop: str, slot: str, finish: str) -> Project:
    """Put a finish on a slot of a prop."""
    old = project.prop(prop)
    if slot not in project.mesh(old.mesh).slots:
        raise KeyError(f"{old.name} has no slot {slot!r}")
    material_of(project, finish)
    return swap(project, "props", old.with_(finishes={**old.finishes, slot: finish}))


@edit
def set_prop_dial(project: Project, /, prop: str, slot: str, dial: str, value: Number) -> Project:
    """Turn a dial of one prop only."""
    old = project.prop(prop)
    own = {**old.values.get(slot, {}), dial: value}
    return swap(project, "props", old.with_(values={**old.values, slot: own}))


@edit
def paint_prop(project: Project, /, prop: str, paint: Paint | None) -> Project:
    """Paint."""
    return swap(project, "props", project.prop(prop).with_(paint=paint))


@edit
def paint_map(project: Project, /, prop: str, paint_map: PaintMap | None) -> Project:
    """Paint on a map."""
    return swap(project, "props", project.prop(prop).with_(paint_map=paint_map))


@edit
def reset_paint(project: Project, /, prop: str) -> Project:
    """Give a prop its mesh's own paint back."""
    return swap(project, "props", project.prop(prop).with_(paint=None, paint_map=None))


@edit
def keep_rule(project: Project, /, prop: str, rule: PaintRule) -> Project:
    """Keep a rule that a prop's paint was filled by."""
    old = project.prop(prop)
    return swap(project, "props", old.with_(rules=(*old.rules, rule)))


@edit
def copy_rules(project: Project, /, prop: str, source: str) -> Project:
    """Take the paint rules of another prop, behind those there are; what is kept already is not taken twice."""
    old = project.prop(prop)
    new = tuple(r for r in project.prop(source).rules if r not in old.rules)
    return swap(project, "props", old.with_(rules=(*old.rules, *new))) if new else project


@edit
def drop_rule(project: Project, /, prop: str, index: int) -> Project:
    """Forget a rule that a prop's paint was filled by; the paint stays."""
    old = project.prop(prop)
    if not 0 <= index < len(old.rules):
        raise KeyError(f"{old.name} has no rule {index + 1}")
    return swap(project, "props", old.with_(rules=(*old.rules[:index], *old.rules[index + 1 :])))


@edit
def set_light(project: Project, /, **changes: Any) -> Project:
    """Change the light."""
    changed: Project = project.with_(light=project.light.with_(**changes))
    return changed


@edit
def set_wind(project: Project, /, **changes: Any) -> Project:
    """Change the wind."""
    changed: Project = project.with_(wind=project.wind.with_(**changes))
    return changed


@edit
def take_over(project: Project, /, other: Project, kind: Kind, id: str, folder: str) -> Project:
    """Take something over from another project, with all it needs."""
    changed: Project = take(project, other, (kind, id), folder).project
    return changed


@edit
def paste_coat(project: Project, /, other: Project, material: str, folder: str) -> Project:
    """Lay a coat of another project (`taking.coat_apart`) on top of a material, with all it needs."""
    return with_coat_of(project, other, material, folder)


@edit
def update_taken(project: Project, /, other: Project, folder: str, places: frozenset[Place]) -> Project:
    """Bring what was taken over from another project up to date."""
    changed: Project = update(project, other, folder, places)
    return changed
