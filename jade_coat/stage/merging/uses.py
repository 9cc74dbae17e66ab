"""Use wins over removal: what one side removed and the other has begun to use comes back, and is told."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from jade_coat.stage.looks import finish_on, material_of
from jade_coat.stage.loose_ends import LooseEnd, loose_ends
from jade_coat.stage.merging.collisions import Choices
from jade_coat.stage.naming import free_name
from jade_coat.stage.project import KINDS_OF_THINGS, LISTED, Project

MOST_ROUNDS = 64
Fields = dict[str, Any]


def with_parents(fields: Fields, sides: Sequence[Project], choices: Choices, notes: list[str]) -> Fields:
    """Fields of a project in which every finish leads to a material, and no group or finish is part of itself."""
    finishes, materials = list(fields["finishes"]), list(fields["materials"])
    for _ in range(MOST_ROUNDS):
        there = {i.id for i in (*finishes, *materials)}
        lost = next((f for f in finishes if f.parent not in there), None)
        if lost is None:
            break
        kind, back = _back(("materials", "finishes"), lost.parent, sides)
        (materials if kind == "materials" else finishes).append(back)
        notes.append(f"{back.name} was removed, and stays: {lost.name} is its child.")
    mine = {f.id: f for f in sides[0].finishes}
    ring = _ring({f.id: f.parent for f in finishes})
    if ring:
        for i, finish in enumerate(finishes):
            known = mine.get(finish.id)
            if known is not None and known.parent != finish.parent:
                choices.collide(("finishes", finish.id, "parent"), None, known.parent, finish.parent)
                finishes[i] = finish.with_(parent=known.parent)
    groups = fields["groups"]
    if _ring({g.id: g.parent for g in groups}):
        own = sides[0].groups
        turned = [g.with_(parent=own[g.id].parent) for g in groups if g.id in own and own[g.id].parent != g.parent]
        for group in turned:
            choices.collide(("groups", group.id, "parent"), None, group.parent, groups[group.id].parent)
        groups = groups.with_(*turned)
    return {**fields, "finishes": tuple(finishes), "materials": tuple(materials), "groups": groups}


def _ring(parents: dict[str, str]) -> bool:
    """Whether following parents ever leads in a circle."""
    for start in parents:
        at, seen = start, set[str]()
        while at in parents:
            if at in seen:
                return True
            seen.add(at)
            at = parents[at]
    return False


def _back(kinds: Sequence[str], wanted: str, sides: Sequence[Project]) -> tuple[str, Any]:
    """What has an id in some kinds, as the first side that has it knows it, and its kind. Raises ValueError."""
    for side in sides:
        for kind in kinds:
            found = next((i for i in getattr(side, kind) if i.id == wanted), None)
            if found is not None:
                return kind, found
    raise ValueError(f"something refers to {wanted!r}, which neither side has")


def with_what_is_used(project: Project, sides: Sequence[Project], notes: list[str]) -> Project:
    """A merged project with all that it refers to and any side has; `sides` are mine, theirs, then their origin."""
    known = {end for side in sides[:2] for end in loose_ends(side)}
    for _ in range(MOST_ROUNDS):
        ends = [e for e in loose_ends(project) if e not in known]
        if not ends:
            break
        for end in ends:
            known.add(end)
            project = _restored(project, end, sides, notes)
    return _with_dials(project, sides, notes)


_OF = {"receivers": ("props", "categories"), "finishes": ("finishes", "materials")}


def _restored(project: Project, end: LooseEnd, sides: Sequence[Project], notes: list[str]) -> Project:
    if end.kind == "variants":
        return _with_variant(project, end, sides, notes)
    if end.kind in ("layers", "paths"):
        return _with_path(project, end, sides, notes)
    try:
        kind, back = _back(_OF.get(end.kind, (end.kind,)), end.id, sides)
    except ValueError:
        return project
    if any(i.id == end.id for i in getattr(project, kind)):
        return project
    notes.append(f"{back.name} was removed, and stays: {end.name} uses it.")
    if kind in KINDS_OF_THINGS:
        return project.with_things(kind, back)
    fields = {kind: (*getattr(project, kind), back)}
    if kind == "finishes":
        whole = {n: getattr(project, n) for n in (*LISTED, *KINDS_OF_THINGS)} | fields
        whole = with_parents(whole, sides, Choices(), notes)
        fields = {"finishes": whole["finishes"], "materials": whole["materials"]}
    made: Project = project.with_(**fields)
    return made


def _with_variant(project: Project, end: LooseEnd, sides: Sequence[Project], notes: list[str]) -> Project:
    worn = [p.mesh for p in project.props if p.id == end.owner]
    worn += [s.mesh for g in project.grounds if g.id == end.owner for s in g.scatter if s.variant == end.id]
    for name in worn:
        mesh = next((m for m in project.meshes if m.id == name), None)
        found = [v for side in sides for m in side.meshes if m.id == name for v in m.variants if v.id == end.id]
        if mesh is not None and found and all(v.id != end.id for v in mesh.variants):
            notes.append(f"The variant {found[0].name} of {mesh.name} was removed, and stays: {end.name} wears it.")
            grown = mesh.with_(variants=(*mesh.variants, found[0]))
            project = project.with_(meshes=tuple(grown if m.id == name else m for m in project.meshes))
    return project


def _with_path(project: Project, end: LooseEnd, sides: Sequence[Project], notes: list[str]) -> Project:
    ground = project.grounds.get(end.owner)
    found = [p for side in sides for g in side.grounds if g.id == end.owner for p in g.paths if p.id == end.id]
    if ground is None or not found or end.kind != "paths":
        return project
    notes.append(f"The path {found[0].name} of {ground.name} was removed, and stays: a rule goes by it.")
    return project.with_things("grounds", ground.with_(paths=(*ground.paths, found[0])))


def _with_dials(project: Project, sides: Sequence[Project], notes: list[str]) -> Project:
    """A merged project with the dials that one side took away and the other has set since."""
    base = sides[-1]
    before = {f.id: f.values for f in base.finishes}
    wanted: dict[tuple[str, str], str] = {}
    for finish in project.finishes:
        material = material_of(project, finish.id)
        known, old = {d.id for d in material.dials}, before.get(finish.id, {})
        for dial in finish.values.keys() - known:
            if old.get(dial, project) != finish.values[dial]:
                wanted[material.id, dial] = finish.name
    owned = {p.id: p.values for p in base.props}
    for prop in project.props:
        if prop.values and prop.values != owned.get(prop.id):
            for slot, own in prop.values.items():
                worn = finish_on(project, prop, slot)
                if not worn:
                    continue
                material = material_of(project, worn)
                for dial in own.keys() - {d.id for d in material.dials}:
                    if own[dial] != owned.get(prop.id, {}).get(slot, {}).get(dial):
                        wanted[material.id, dial] = prop.name
    for (name, dial), user in wanted.items():
        project = _with_dial(project, name, dial, user, sides, notes)
    return project


def _with_dial(
    project: Project, name: str, dial: str, user: str, sides: Sequence[Project], notes: list[str]
) -> Project:
    material = project.material(name)
    found = [d for side in sides for m in side.materials if m.id == name for d in m.dials if d.id == dial]
    if not found or any(d.path == found[0].path for d in material.dials):
        return project
    back = found[0].with_(name=free_name(found[0].name, {d.name for d in material.dials}))
    try:
        grown = material.with_(dials=(*material.dials, back))
    except ValueError:  # the field that it was of is gone too
        return project
    notes.append(f"The dial {back.name} of {material.name} was removed, and stays: {user} sets it.")
    made: Project = project.with_(materials=tuple(grown if m.id == name else m for m in project.materials))
    return made
