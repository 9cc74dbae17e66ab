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
    """A command with what it is done to."""

    command: Command
    do: Callable[[], Any]


def commands_of(*owners: object) -> list[Bound]:
    """All commands of some objects, those of their classes' bases first, as declared.

    Raises ValueError when two share a key.
    """
    found = [
        Bound(f.command, getattr(owner, f.command.name))
        for owner in owners for base in reversed(type(owner).__mro__) for f in vars(base).values()
        if hasattr(f, "command")
    ]  # fmt: skip
    taken: dict[str, str] = {}
    for entry in found:
        for key in entry.command.keys.split():
            if key in taken:
                raise ValueError(f"{key} is given to both {taken[key]} and {entry.command.name}")
            taken[key] = entry.command.name
    return found
