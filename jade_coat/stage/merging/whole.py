"""Merges two versions of a whole project: inside things, with what collides told and what is used kept."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from jade_coat.stage.merging.additions import with_own_ids
from jade_coat.stage.merging.collisions import ABSENT, BOTH, Choices, Collision
from jade_coat.stage.merging.uses import with_parents, with_what_is_used
from jade_coat.stage.merging.values import BaseColors, Merger, no_base_colors, same
from jade_coat.stage.naming import free_id, free_name
from jade_coat.stage.project import KINDS_OF_THINGS, LISTED, Project
from jade_coat.stage.things import Things

NOTHING_CHOSEN: Mapping[str, str] = {}


@dataclass(frozen=True)
class Merged:
    """A merged project; what both sides changed, each in another way; and what was settled by itself, in words."""

    project: Project
    collisions: tuple[Collision, ...]
    notes: tuple[str, ...]


def merged(
    base: Project | None, mine: Project, theirs: Project, chosen: Mapping[str, str] = NOTHING_CHOSEN,
    base_colors: BaseColors = no_base_colors,
) -> Merged:  # fmt: skip
    """Both sides' changes since `base`; without one, nothing counts as removed, and what differs collides.

    Where two collide, `chosen` says by the collision's key which counts: "mine" (so where nothing is said), "theirs",
    or "both", which keeps their version of the whole item as a second one. What one side removed and the other changed
    or uses stays. Raises ValueError where the two do not go together at all.
    """
    notes: list[str] = []
    choices = Choices(chosen)
    before = base if base is not None else Project()
    own = mine
    if base is not None:
        own, notes = with_own_ids(base, mine, theirs)
    merger = Merger(choices, base_colors)
    fields: dict[str, Any] = {}
    for name in Project.model_fields:
        held = [getattr(side, name) for side in (before, own, theirs)]
        if name in KINDS_OF_THINGS:
            fields[name] = _things(merger, name, *held)
        elif name in LISTED or name == "origins":
            fields[name] = merger.listed((name,), *held)
        elif name != "schema_version":
            fields[name] = merger.value((name,), held[0] if base is not None else ABSENT, *held[1:])
    sides = (own, theirs, before)
    fields = with_parents(fields, sides, choices, notes)
    made: Project = own.with_(**fields)
    made = with_what_is_used(made, sides, notes)
    notes += choices.notes
    made = _with_second(made, theirs, [c for c in choices.found if chosen.get(c.key) == BOTH])
    return Merged(made, tuple(choices.found), tuple(notes))


def _things(merger: Merger, kind: str, base: Things[Any], mine: Things[Any], theirs: Things[Any]) -> Things[Any]:
    """The things of a kind: my collection with what they changed, so that what nobody changed stays the same object."""
    gone: list[str] = []
    come: list[Any] = []
    pairs = [(b, t) for b, t in theirs.changed_from(base) if b is None or t is None or b != t]
    other = {thing.id for pair in pairs for thing in pair if thing is not None}
    for key in sorted(other):
        held = [side.get(key) for side in (base, mine, theirs)]
        sides = [ABSENT if i is None else i for i in held]
        picked = merger.value((kind, key), *sides)
        if picked is ABSENT:
            gone.append(key)
        elif picked is not sides[1]:
            come.append(picked)
    return mine.without(*gone).with_(*come)


def can_be_two(collision: Collision, theirs: Project) -> bool:
    """Whether their version of what collides can be kept as a second thing."""
    kind = collision.place[0]
    if len(collision.place) < 2 or kind not in (*LISTED, *KINDS_OF_THINGS):
        return False
    return collision.mine is not ABSENT and any(i.id == collision.place[1] for i in getattr(theirs, kind))


def _with_second(project: Project, theirs: Project, collisions: list[Collision]) -> Project:
    """The project with their versions of some things beside those that it has."""
    for kind, key in dict.fromkeys((c.place[0], c.place[1]) for c in collisions if can_be_two(c, theirs)):
        second = next(i for i in getattr(theirs, kind) if i.id == key)
        now = next((i for i in getattr(project, kind) if i.id == key), None)
        if now is None or same(now, second):
            continue
        near = ("materials", "finishes") if kind in ("materials", "finishes") else KINDS_OF_THINGS
        taken = {i.id for k in (near if kind in near else (kind,)) for i in getattr(project, k)}
        made = second.with_(
            id=free_id(key, taken), name=free_name(f"{second.name}, theirs", {i.name for i in getattr(project, kind)})
        )
        if kind in KINDS_OF_THINGS:
            project = project.with_things(kind, made)
        else:
            project = project.with_(**{kind: (*getattr(project, kind), made)})
    return project
