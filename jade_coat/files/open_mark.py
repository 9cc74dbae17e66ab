"""Marks a project folder as in use, so that two windows, or two people, do not save over each other unawares."""

from __future__ import annotations

import contextlib
import json
import os
import socket
import uuid
from pathlib import Path

from jade_coat.files.atomic import WriteFailed, write_atomic

NAME = ".jade-open"


class OpenMark:
    """One window's mark in the folder of its project."""

    def __init__(self) -> None:
        self._session = uuid.uuid4().hex
        self._folder: Path | None = None

    def take(self, folder: Path) -> str:
        """Mark a folder; returns who has it open already, in words, or an empty string. The old mark is given up."""
        if folder == self._folder:
            return ""
        self.leave()
        other = _holder(folder)
        content = {"process": os.getpid(), "start": _started(os.getpid()), "host": socket.gethostname()}
        if not other:
            with contextlib.suppress(WriteFailed):  # a folder that cannot be written to cannot be marked
                write_atomic(folder / NAME, json.dumps({**content, "session": self._session}).encode())
                self._folder = folder
        return other

    def leave(self) -> None:
        """Take the mark away, if it is still this window's."""
        if self._folder is not None and _content(self._folder).get("session") == self._session:
            with contextlib.suppress(OSError):
                (self._folder / NAME).unlink()
        self._folder = None


def in_use(folder: Path) -> bool:
    """Whether a living window has a project open."""
    return bool(_holder(folder))


def _content(folder: Path) -> dict[str, object]:
    try:
        found = json.loads((folder / NAME).read_text())
    except (OSError, ValueError, RecursionError):
        return {}
    return found if isinstance(found, dict) else {}


def _holder(folder: Path) -> str:
    """Who has the folder open: a living process here, or anyone on another machine. Stale marks count for nothing."""
    found = _content(folder)
    process, host = found.get("process"), found.get("host")
    if not isinstance(process, int) or not isinstance(host, str):
        return ""
    if host != socket.gethostname():
        return f"process {process} on {host[:60]}"
    if _started(process) and _started(process) == found.get("start"):
        return f"process {process} on this machine"
    return ""


def _started(process: int) -> str:
    """When a process started, in the kernel's ticks; empty when there is none. (proc(5): field 22 of stat.)"""
    try:
        return Path(f"/proc/{process}/stat").read_text().rpartition(")")[2].split()[19]
    except (OSError, IndexError):
        return ""
