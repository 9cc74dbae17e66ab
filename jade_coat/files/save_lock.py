"""One save at a time in a project's folder, whoever saves: windows and commands, of this machine and of others."""

from __future__ import annotations

import contextlib
import errno
import fcntl
import json
import os
import time
from collections.abc import Iterator
from pathlib import Path

from jade_coat.files.atomic import WriteFailed, make_folder
from jade_coat.files.processes import Who

NAME = ".jade-saving"
WAIT_SECONDS, LOOK_SECONDS = 20.0, 0.02
FORGOTTEN_SECONDS = 600.0
"""A mark of another machine that is older than this was left by a save that died."""
_UNLOCKABLE = (errno.ENOLCK, errno.ENOTSUP, errno.ENOSYS, errno.EINVAL)


class SaveBusy(WriteFailed):
    """Somebody else is saving into the folder, and did not come to an end."""


@contextlib.contextmanager
def saving(folder: Path, wait: float = WAIT_SECONDS, mode: int = 0o666) -> Iterator[None]:
    """Hold a folder for the length of a save; others wait up to so many seconds. Raises SaveBusy or WriteFailed.

    The kernel's lock serves on this machine and on most networks; the mark in the file serves where it does not hold.
    """
    handle = _taken(folder, wait, mode)
    try:
        yield
    finally:
        with contextlib.suppress(OSError):
            os.unlink(folder / NAME)  # while it is still held: nobody else can have opened it in between
        os.close(handle)


def _taken(folder: Path, wait: float, mode: int) -> int:
    until = time.monotonic() + wait
    while True:
        try:
            make_folder(folder, mode)
            handle = os.open(folder / NAME, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC | os.O_NOFOLLOW | os.O_NONBLOCK, mode)
        except OSError as error:
            raise WriteFailed(
                error.errno, f"{folder}: {error.strerror}. Nothing was changed; choose another folder."
            ) from error
        try:
            other = _holder(folder, handle)
            if not other:
                os.ftruncate(handle, 0)
                os.pwrite(handle, json.dumps(Who.me().told()).encode(), 0)
                return handle
        except OSError as error:
            os.close(handle)
            raise WriteFailed(error.errno, f"{folder / NAME}: {error.strerror}. Nothing was changed.") from error
        os.close(handle)
        if time.monotonic() > until:
            raise SaveBusy(
                errno.EBUSY,
                f"{folder} is being saved by {other} just now. Nothing was written; save again when that is done, or "
                f"remove {folder / NAME} if nobody saves there.",
            )
        time.sleep(LOOK_SECONDS)


def _holder(folder: Path, handle: int) -> str:
    """Who else holds the folder, in words; empty where it is ours now."""
    locks = True
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError as error:
        if error.errno not in _UNLOCKABLE:
            return str(_marked(handle) or "somebody else")
        locks = False
    try:
        at_name = os.stat(folder / NAME)
    except FileNotFoundError:
        return "somebody else"  # its holder has just taken it away: begin again
    if (at_name.st_dev, at_name.st_ino) != (os.fstat(handle).st_dev, os.fstat(handle).st_ino):
        return "somebody else"
    who = _marked(handle)
    if who is None:
        return ""
    if who.here:
        return str(who) if not locks and who.alive and who != Who.me() else ""
    return str(who) if time.time() - os.fstat(handle).st_mtime < FORGOTTEN_SECONDS else ""


def _marked(handle: int) -> Who | None:
    """Whom the file says it is held by."""
    try:
        return Who.read(json.loads(os.pread(handle, 4096, 0)))
    except (OSError, ValueError, RecursionError):
        return None
