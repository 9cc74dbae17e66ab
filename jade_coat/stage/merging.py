"""Merges two versions of a project that come from one: what only one side changed is taken, by id."""

from __future__ import annotations

from typing import Any

from jade_coat.stage.project import KINDS_OF_THINGS, LISTED, Project

LISTS = (*LISTED, *KINDS_OF_THINGS)
SINGLE = ("name", "light", "wind", "origins")


def merged(base: Project, mine: Project, theirs: Project) -> tuple[Project, list[str]]:
    """Both sides' changes since `base`, and the names of what both changed: there mine is taken.

    Raises ValueError when the two do not go together.
    """
    both: list[str] = []
    changes: dict[str, Any] = {}
    for kind in LISTS:
        sides = [{i.id: i for i in getattr(side, kind)} for side in (base, mine, theirs)]
        order = [*dict.fromkeys([*sides[2], *sides[1]])]
        picked = [_picked(both, "", *(side.get(i) for side in sides)) for i in order]
        changes[kind] = [p for p in picked if p is not None]
    for name in SINGLE:
        changes[name] = _picked(both, name, *(getattr(side, name) for side in (base, mine, theirs)))
    made: Project = mine.with_(**changes)
    return made, both


def _picked(both: list[str], name: str, base: Any, mine: Any, theirs: Any) -> Any:
    """base, mine -> theirs where only they changed it; mine elsewhere. What they changed and I removed stays theirs."""
    if mine == base:
        return theirs
    if theirs in (base, mine):
        return mine
    both.append(name or getattr(mine if mine is not None else theirs, "name", "something"))
    return mine if mine is not None else theirs
