"""Edits of many things at once: where they stand, what they wear, more of them and fewer."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from typing import Any

from jade_coat.material.fields import Number
from jade_coat.material.material import Finish
from jade_coat.stage.arranging import Place
from jade_coat.stage.edits.groups import thing_of
from jade_coat.stage.edits.registry import added, edit
from jade_coat.stage.looks import finish_on, material_of
from jade_coat.stage.placed import Placed
from jade_coat.stage.project import KINDS_OF_THINGS, TYPES_OF_THINGS, Group, Project, Prop
from jade_coat.stage.references import released_all
from jade_coat.stage.taking_things import with_things_of
from jade_coat.stage.things import Thing


@edit
def place_things(project: Project, /, places: Mapping[str, Place]) -> Project:
    """Move, turn or size things. Raises ValueError where one is locked, KeyError where one is not there."""
    by_kind: dict[str, list[Thing]] = {}
    for wanted, place in places.items():
        kind, thing = thing_of(project, wanted)
        if not isinstance(thing, Placed):
            raise ValueError(f"{thing.name} stands nowhere itself; move what is in it")
        if project.locks(thing):
            raise ValueError(f"{thing.name} is locked; unlock it first")
        if (thing.position, thing.turn, thing.size) != place:
            by_kind.setdefault(kind, []).append(thing.with_(**place._asdict()))
    for kind, made in by_kind.items():
        project = project.with_things(kind, *made)
    return project


@edit
def add_things(project: Project, /, things: tuple[Thing, ...]) -> Project:
    """Place more. Raises ValueError where an id is taken, KeyError where a prop's mesh or a group is not there."""
    taken = {i for kind in KINDS_OF_THINGS for i in getattr(project, kind).ids()}
    by_kind: dict[str, list[Thing]] = {}
    for thing in things:
        if thing.id in taken:
            raise ValueError(f"{thing.id!r} is taken by another thing")
        taken.add(thing.id)
        if isinstance(thing, Prop):
            project.mesh(thing.mesh)
        by_kind.setdefault(kind_of_thing(thing), []).append(thing)
    for kind in sorted(by_kind, key=KINDS_OF_THINGS.index):
        project = project.with_things(kind, *by_kind[kind])
    for thing in things:
        if thing.parent:
            project.group(thing.parent)
    return project


def kind_of_thing(thing: Thing) -> str:
    """The field of a project that holds things like this one."""
    for kind, known in TYPES_OF_THINGS.items():
        if isinstance(thing, known):
            return kind
    raise TypeError(f"{type(thing).__name__} is no thing of the stage")


@edit
def paste_things(project: Project, /, other: Project, folder: str, by: tuple[float, float, float]) -> Project:
    """Place the things of another project (`taking_things.things_apart`), shifted by metres, with all they need."""
    return with_things_of(project, other, folder, by)


@edit
def remove_things(project: Project, /, things: tuple[str, ...]) -> Project:
    """Remove things; a group goes with all it holds. Raises ValueError where one is locked."""
    gone = dict.fromkeys(things)
    groups = {i for i in things if isinstance(thing_of(project, i)[1], Group)}
    if groups:
        gone.update(dict.fromkeys(within_groups(project, groups)))
    by_kind: dict[str, list[str]] = {}
    for wanted in gone:
        kind, thing = thing_of(project, wanted)
        if project.locks(thing):
            raise ValueError(f"{thing.name} is locked; unlock it first")
        by_kind.setdefault(kind, []).append(wanted)
    for kind, ids in by_kind.items():
        project = project.with_(**{kind: getattr(project, kind).without(*ids)})
    return released_all(project, {(kind, i) for kind, ids in by_kind.items() for i in ids})


def within_groups(project: Project, groups: Iterable[str]) -> list[str]:
    """The ids of everything that is in some groups, however deep, the groups inside among them."""
    inside = set(groups)
    found: list[str] = []
    grown = True
    while grown:
        grown = False
        for group in project.groups:
            if group.parent in inside and group.id not in inside:
                inside.add(group.id)
                found.append(group.id)
                grown = True
    for kind in KINDS_OF_THINGS:
        if kind != "groups":
            found += [t.id for t in getattr(project, kind) if t.parent in inside]
    return found


def _with_props(project: Project, made: Iterable[Prop]) -> Project:
    listed = list(made)
    return project.with_things("props", *listed) if listed else project


@edit
def dress(project: Project, /, props: tuple[str, ...], slot: str, finish: str) -> Project:
    """Put a finish on a slot of several props; an empty one lets the variant dress it again.

    Props without that slot stay as they are. Raises KeyError for a finish that is not there.
    """
    if finish:
        material_of(project, finish)
    made = []
    for wanted in props:
        old = project.prop(wanted)
        if slot not in project.mesh(old.mesh).slots or old.finishes.get(slot, "") == finish:
            continue
        own = {**old.finishes, slot: finish} if finish else {s: f for s, f in old.finishes.items() if s != slot}
        made.append(old.with_(finishes=own))
    return _with_props(project, made)


@edit
def wear_variant(project: Project, /, props: tuple[str, ...], variant: str) -> Project:
    """Let props wear a variant of their model, by its id; what a prop has chosen for a slot itself stays on top."""
    made, by_mesh = [], {}  # type: list[Prop], dict[str, str]
    for wanted in props:
        old = project.prop(wanted)
        if old.mesh not in by_mesh:
            mesh = project.mesh(old.mesh)
            chosen = mesh.variant(variant)
            by_mesh[old.mesh] = "" if chosen is mesh.variants[0] else chosen.id
        if old.variant != by_mesh[old.mesh]:
            made.append(old.with_known(variant=by_mesh[old.mesh]))  # known to be one of the mesh's
    return _with_props(project, made)


@edit
def turn_own_dials(project: Project, /, values: Mapping[str, Mapping[str, Mapping[str, Number]]]) -> Project:
    """Give props values of their own for dials: by prop, slot and dial. Raises KeyError for no such prop."""
    made = []
    for wanted, by_slot in values.items():
        old = project.prop(wanted)
        own: dict[str, Any] = {**old.values}
        for slot, given in by_slot.items():
            own[slot] = {**own.get(slot, {}), **given}
        if own != old.values:
            _check_numbers(by_slot)
            made.append(old.with_known(values=own))
    return _with_props(project, made)


def _check_numbers(by_slot: Mapping[str, Mapping[str, Number]]) -> None:
    """Raise ValueError for what is no finite number: thousands of props are not validated as a whole for one dial."""
    for given in by_slot.values():
        for value in given.values():
            numbers = value if isinstance(value, tuple) else (value,)
            if not all(isinstance(n, (int, float)) and math.isfinite(n) for n in numbers):
                raise ValueError(f"expected a finite number, got {value!r}")


@edit
def drop_own_dials(project: Project, /, props: tuple[str, ...], slot: str, dials: tuple[str, ...] = ()) -> Project:
    """Let props follow their finishes again, in some dials of a slot; in all for none named."""
    made = []
    for wanted in props:
        old = project.prop(wanted)
        given = old.values.get(slot, {})
        kept = {k: v for k, v in given.items() if dials and k not in dials}
        if kept != given:
            own = {s: v for s, v in {**old.values, slot: kept}.items() if v}
            made.append(old.with_(values=own))
    return _with_props(project, made)


@edit
def lift_own_dials(project: Project, /, props: tuple[str, ...], slot: str, name: str, id: str) -> Project:
    """Make a finish of the first prop's own values in a slot; the props wear it, and follow it in those dials.

    Raises ValueError where that prop has no value of its own, or wears nothing there.
    """
    first = project.prop(props[0])
    worn, own = finish_on(project, first, slot), first.values.get(slot, {})
    if not worn or not own:
        raise ValueError(f"{first.name} has no values of its own to make a finish of")
    project = added(project, "finishes", Finish(id=id, name=name, parent=worn, values=dict(own)))
    project = drop_own_dials.on(project, props, slot, tuple(own))
    return dress.on(project, props, slot, id)
