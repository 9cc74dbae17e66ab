"""Commands: declared once, on methods beside what they command; menus, keys, the finder and F1 follow from that."""

from __future__ import annotations

import inspect
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, TypeVar

F = TypeVar("F", bound=Callable[..., Any])


@dataclass(frozen=True)
class Command:
    """One command: the method's name, its title (the docstring), the keys, and the menu group."""

    name: str
    title: str
    keys: str
    group: str


def command(group: str, keys: str = "") -> Callable[[F], F]:
    """Make a method a command. Its docstring's first line is the title; one without is refused."""

    def mark(function: F) -> F:
        doc = inspect.getdoc(function)
        if not doc:
            raise TypeError(f"the command {function.__name__} has no docstring")
        title = doc.splitlines()[0].rstrip(".")
        function.command = Command(function.__name__, title, keys, group)  # type: ignore[attr-defined]
        return function

    return mark


@dataclass(frozen=True)
class Bound:
    """A command with what it is done to; `scope` is the workspace whose own it is, empty for what is everywhere.

    The keys of a `narrow` one do nothing in other workspaces.
    """

    command: Command
    do: Callable[[], Any]
    scope: str = ""
    narrow: bool = False


def commands_of(*owners: object) -> list[Bound]:
    """All commands of some objects, those of their classes' bases first, as declared.

    An owner that has a `scope` keeps its commands to that: two scopes may give one key to different things. Raises
    ValueError when two share a key otherwise.
    """
    found = [
        Bound(
            f.command, getattr(owner, f.command.name), getattr(owner, "scope", ""), getattr(owner, "narrow", False)
        )
        for owner in owners for base in reversed(type(owner).__mro__) for f in vars(base).values()
        if hasattr(f, "command")
    ]  # fmt: skip
    taken: dict[str, list[Bound]] = {}
    for entry in found:
        for key in entry.command.keys.split():
            for other in taken.get(key, ()):
                if entry.scope == other.scope or not (entry.scope and other.scope):
                    raise ValueError(f"{key} is given to both {other.command.name} and {entry.command.name}")
            taken.setdefault(key, []).append(entry)
    return found


def chosen_by_scope(entries: list[Bound], scope: str) -> Bound | None:
    """Which of the commands with one key is meant in a scope: its own, else the first that is not a narrow one."""
    own = next((e for e in entries if e.scope == scope), None)
    return own or next((e for e in entries if not e.narrow), None)
