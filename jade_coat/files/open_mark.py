"""Marks a project folder as in use, so that two windows, or two people, do not save over each other unawares."""

from __future__ import annotations

import contextlib
import json
import os
import time
import uuid
from pathlib import Path
from typing import Any

from jade_coat.files.atomic import WriteFailed, write_atomic
from jade_coat.files.processes import Who
from jade_coat.files.regular import read_regular

NAME = ".jade-open"
OLD_SECONDS = 7 * 24 * 3600.0
"""A mark of another machine that nobody has renewed for a week counts for nothing: its window is gone."""


class OpenMark:
    """One window's mark in the folder of its project."""

    def __init__(self) -> None:
        self._session = uuid.uuid4().hex
        self._folder: Path | None = None

    def take(self, folder: Path) -> str:
        """Mark a folder; returns who has it open already, in words, or an empty string. The old mark is given up."""
        if folder == self._folder:
            self.renew()
            return ""
        self.leave()
        other = holder(folder)
        if not other:
            with contextlib.suppress(WriteFailed):  # a folder that cannot be written to cannot be marked
                note = json.dumps({**Who.me().told(), "session": self._session}).encode()
                write_atomic(folder / NAME, note, within=folder)
                self._folder = folder
        return other

    def is_ours(self, folder: Path) -> bool:
        """Whether a folder is marked by this window."""
        return folder == self._folder

    def renew(self) -> None:
        """Say that the window is still there."""
        if self._folder is not None:
            with contextlib.suppress(OSError):
                os.utime(self._folder / NAME)

    def leave(self) -> None:
        """Take the mark away, if it is still this window's."""
        if self._folder is not None and _content(self._folder).get("session") == self._session:
            with contextlib.suppress(OSError):
                (self._folder / NAME).unlink()
        self._folder = None


def lift(folder: Path) -> str:
    """Take away the mark that somebody left in a folder; returns whose it was, or an empty string. Raises OSError."""
    other = holder(folder)
    if other:
        (folder / NAME).unlink(missing_ok=True)
    return other


def in_use(folder: Path) -> bool:
    """Whether a living window has a project open."""
    return bool(holder(folder))


def holder(folder: Path) -> str:
    """Who has the folder open: a living process here, or anyone on another machine. Stale marks count for nothing."""
    who = Who.read(_content(folder))
    if who is None:
        return ""
    if who.here:
        return str(who) if who.alive else ""
    try:
        age = time.time() - (folder / NAME).stat().st_mtime
    except OSError:
        return ""
    return str(who) if age < OLD_SECONDS else ""


def _content(folder: Path) -> dict[str, Any]:
    try:
        found = json.loads(read_regular(folder / NAME, largest=65536))
    except (OSError, ValueError, RecursionError):
        return {}
    return found if isinstance(found, dict) else {}
