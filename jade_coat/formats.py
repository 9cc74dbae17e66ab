"""What a file format is: one record each, of which lists of suffixes, dialogs and messages are made."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Any


@dataclass(frozen=True)
class Format:
    """A format by the name people know.

    `opens` tells by a file's first bytes whether it is one; None leaves it to the suffix. `read` takes the bytes, the
    file's name for messages, and the folder where its neighbours lie. `holds` says in words what it can hold.
    """

    name: str
    suffixes: tuple[str, ...]
    holds: str
    read: Callable[[bytes, str, Path], Any]
    opens: Callable[[bytes], bool] | None = None


def suffixes(formats: Iterable[Format]) -> tuple[str, ...]:
    """All endings of some formats, with their dots."""
    return tuple(s for f in formats for s in f.suffixes)


def named(formats: Iterable[Format]) -> str:
    """Their names for a sentence: GLB, glTF, OBJ or PLY."""
    *most, last = (f.name for f in formats)
    return f"{', '.join(most)} or {last}" if most else last


def dialog_filter(what: str, formats: Iterable[Format]) -> str:
    """What a file dialog shows: Meshes (*.glb *.gltf)."""
    return f"{what} ({' '.join(f'*{s}' for s in suffixes(formats))})"


def by_suffix(formats: Iterable[Format], path: Path) -> Format | None:
    """The format that a file's ending stands for."""
    return next((f for f in formats if path.suffix.lower() in f.suffixes), None)
