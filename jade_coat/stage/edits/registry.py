"""The registry of edits, and what all of them are made with."""

from __future__ import annotations

import inspect
from collections.abc import Callable
from typing import Any

from jade_coat.stage.project import Project

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
    if not any(item.id == new.id for item in items):
        raise KeyError(f"there is no {new.id!r} among the {what}")
    changed: Project = project.with_(**{what: tuple(new if i.id == new.id else i for i in items)})
    return changed


def added(project: Project, what: str, new: Any) -> Project:
    """Put one more behind the others."""
    changed: Project = project.with_(**{what: (*getattr(project, what), new)})
    return changed
