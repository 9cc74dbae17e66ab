"""The registry of edits, and what all of them are made with."""

from __future__ import annotations

import inspect
from collections.abc import Callable
from typing import Any

from jade_coat.stage.project import KINDS_OF_THINGS, Project

Edit = Callable[..., Project]
EDITS: dict[str, Edit] = {}


def edit(function: Edit) -> Edit:
    """Register an edit under its function's name; its docstring is what the history shows."""
    if not inspect.getdoc(function):
        raise TypeError(f"the edit {function.__name__} has no docstring")
    EDITS[function.__name__] = function
    return function


def title(name: str) -> str:
    """The first line of an edit's docstring, as the history shows it."""
    return (inspect.getdoc(EDITS[name]) or name).splitlines()[0].rstrip(".")


def swap(project: Project, what: str, new: Any) -> Project:
    """Replace the item that has the id of `new`. Raises KeyError when there is none."""
    items = getattr(project, what)
    if what in KINDS_OF_THINGS:
        if new.id not in items:
            raise KeyError(f"there is no {new.id!r} among the {what}")
        return project.with_things(what, new)
    at = next((i for i, item in enumerate(items) if item.id == new.id), None)
    if at is None:
        raise KeyError(f"there is no {new.id!r} among the {what}")
    if what == "finishes":  # its parents may be others now
        changed: Project = project.with_(finishes=(*items[:at], new, *items[at + 1 :]))
        return changed
    return project.with_item(what, at, new)


def added(project: Project, what: str, new: Any) -> Project:
    """Put one more behind the others. Raises ValueError where its id is taken."""
    if what in KINDS_OF_THINGS:
        if new.id in getattr(project, what):
            raise ValueError(f"the ids of {what} must be unique, and {new.id!r} is taken")
        return project.with_things(what, new)
    changed: Project = project.with_(**{what: (*getattr(project, what), new)})
    return changed
