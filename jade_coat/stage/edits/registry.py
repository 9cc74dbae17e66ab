"""What an edit is, and what all of them are made with."""

from __future__ import annotations

import inspect
from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Any, Concatenate, Generic, ParamSpec

from jade_coat.stage.project import KINDS_OF_THINGS, Project

Arguments = ParamSpec("Arguments")


@dataclass(frozen=True)
class Edit:
    """An edit with its arguments: a pure function from tree to tree. `title` is what the history shows."""

    name: str
    title: str
    apply: Callable[[Project], Project]

    def called(self, title: str) -> Edit:
        """The same edit under another title in the history."""
        return replace(self, title=title)


class EditMaker(Generic[Arguments]):
    """Makes edits: `set_prop(prop="jar", name="Jar")` is one that can be done, `set_prop.on(project, …)` does it.

    It takes the arguments of the function it was made of, but for the project, which the type checker sees.
    """

    def __init__(self, function: Callable[Concatenate[Project, Arguments], Project]) -> None:
        self.name = function.__name__
        self.doc = inspect.getdoc(function) or ""
        if not self.doc:
            raise TypeError(f"the edit {self.name} has no docstring")
        self.on = function
        """Works the edit out on a project."""

    @property
    def title(self) -> str:
        """The first line of its docstring, as the history shows it."""
        return self.doc.splitlines()[0].rstrip(".")

    def __call__(self, *args: Arguments.args, **kwargs: Arguments.kwargs) -> Edit:
        """The edit with these arguments."""
        return Edit(self.name, self.title, lambda project: self.on(project, *args, **kwargs))


EDITS: dict[str, EditMaker[Any]] = {}
"""All edits by name."""


def edit(function: Callable[Concatenate[Project, Arguments], Project]) -> EditMaker[Arguments]:
    """Make an edit of a function, known by the function's name."""
    made = EditMaker(function)
    EDITS[made.name] = made
    return made


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
