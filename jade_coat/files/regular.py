"""Reads files of a project: only regular ones, only within its folder, and no more than they said they hold."""

from __future__ import annotations

import errno
import os
import stat
from pathlib import Path

LARGEST = 4 << 30
"""Bytes of the largest file that is read whole."""


class NotAFile(OSError):
    """What lies in the place of a file cannot be read as one; the message says what it is, without its name."""


def read_regular(path: Path, within: Path | None = None, largest: int = LARGEST) -> bytes:
    """The bytes of a regular file; pipes, devices and folders are told at once, without waiting for them.

    `within` is the folder that it must not lead out of, links followed. Raises NotAFile, or another OSError.
    """
    if within is not None:
        stays_within(path, within)
    try:
        handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC | os.O_NOCTTY)
    except ValueError as error:
        raise NotAFile(errno.EINVAL, str(error)) from None
    with os.fdopen(handle, "rb") as file:
        told = os.fstat(handle)
        if not stat.S_ISREG(told.st_mode):
            raise NotAFile(errno.EINVAL, f"it is {_what(told.st_mode)}, not a file")
        if told.st_size > largest:
            raise NotAFile(errno.EFBIG, f"it takes {told.st_size >> 20} MB, more than the {largest >> 20} MB allowed")
        return file.read(told.st_size)


def is_regular(path: Path, within: Path | None = None) -> bool:
    """Whether there is a regular file, and within the folder, where one is given."""
    try:
        if within is not None:
            stays_within(path, within)
        return stat.S_ISREG(os.stat(path).st_mode)
    except (OSError, ValueError):
        return False


def stays_within(path: Path, folder: Path) -> None:
    """Raise NotAFile where a path leads out of a folder by links, and say whereto."""
    real, base = os.path.realpath(path), os.path.realpath(folder)
    if os.path.commonpath((real, base)) != base:
        raise NotAFile(errno.EXDEV, f"a link leads out of the project, to {real[:200]}; put a copy in its place")


def reason(error: BaseException) -> str:
    """Why a file could not be read, in a few words."""
    if isinstance(error, MemoryError):
        return "it takes more memory than there is"
    text = (error.strerror or str(error)) if isinstance(error, OSError) else str(error)
    return " ".join(text.split())[:160]


def _what(mode: int) -> str:
    kinds = (
        (stat.S_ISDIR, "a folder"), (stat.S_ISFIFO, "a pipe"), (stat.S_ISSOCK, "a socket"), (stat.S_ISCHR, "a device"),
        (stat.S_ISBLK, "a device"),
    )  # fmt: skip
    return next((name for check, name in kinds if check(mode)), "something else")
