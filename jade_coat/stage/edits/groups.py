"""Edits of groups, and of how things on the stage are shown and locked."""

from __future__ import annotations

from jade_coat.stage.edits.registry import added, edit
from jade_coat.stage.project import KINDS_OF_THINGS, Group, Project
from jade_coat.stage.things import Thing


def thing_of(project: Project, wanted: str) -> tuple[str, Thing]:
    """A thing by its id, and the kind it is of. Raises KeyError."""
    for kind in KINDS_OF_THINGS:
        found = getattr(project, kind).get(wanted)
        if found is not None:
            return kind, found
    raise KeyError(f"there is nothing called {wanted!r} on the stage")


def _changed(project: Project, things: tuple[str, ...], **changes: object) -> Project:
    """The project with some fields of things replaced."""
    by_kind: dict[str, list[Thing]] = {}
    for wanted in things:
        kind, found = thing_of(project, wanted)
        if any(getattr(found, name) != value for name, value in changes.items()):
            by_kind.setdefault(kind, []).append(found.with_(**changes))
    for kind, made in by_kind.items():
        project = project.with_things(kind, *made)
    return project


@edit
def add_group(project: Project, /, group: Group, things: tuple[str, ...] = ()) -> Project:
    """Make a group of things."""
    if any(group.id in getattr(project, kind) for kind in KINDS_OF_THINGS):
        raise ValueError(f"{group.id!r} is taken by another thing")
    return _changed(added(project, "groups", group), things, parent=group.id)


@edit
def remove_group(project: Project, /, group: str) -> Project:
    """Let a group go; what it held goes to the group around it."""
    gone = project.group(group)
    held = tuple(t.id for kind in KINDS_OF_THINGS for t in getattr(project, kind) if t.parent == group)
    project = _changed(project, held, parent=gone.parent)
    changed: Project = project.with_(groups=project.groups.without(group))
    return changed


@edit
def put_in_group(project: Project, /, things: tuple[str, ...], group: str) -> Project:
    """Put things into a group, or into none; a group cannot hold itself."""
    if group:
        project.group(group)
    return _changed(project, things, parent=group)


@edit
def show_things(project: Project, /, things: tuple[str, ...], on: bool) -> Project:
    """Show things or hide them."""
    return _changed(project, things, visible=on)


@edit
def lock_things(project: Project, /, things: tuple[str, ...], on: bool) -> Project:
    """Lock things where they are, or unlock them."""
    return _changed(project, things, locked=on)


@edit
def rename_thing(project: Project, /, thing: str, name: str) -> Project:
    """Call a thing by another name."""
    if not name.strip():
        raise ValueError("a name cannot be empty")
    return _changed(project, (thing,), name=name.strip())
