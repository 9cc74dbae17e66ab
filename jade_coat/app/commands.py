"""Commands: declared once on the window's methods; menus, keys and the finder follow from that."""

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


def commands_of(owner: type) -> list[Command]:
    """All commands of a class, its bases' first, as declared. Raises ValueError when two share a key."""
    found = [f.command for base in reversed(owner.__mro__) for f in vars(base).values() if hasattr(f, "command")]
    taken: dict[str, str] = {}
    for entry in found:
        for key in entry.keys.split():
            if key in taken:
                raise ValueError(f"{key} is given to both {taken[key]} and {entry.name}")
            taken[key] = entry.name
    return found
