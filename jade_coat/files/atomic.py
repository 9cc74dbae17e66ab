"""Writes files so that a reader sees either the old content or the new, never a part."""

from __future__ import annotations

import contextlib
import errno
import os
import secrets
import stat
import time
from collections.abc import Mapping
from pathlib import Path

from jade_coat.files.regular import stays_within

PREFIX, SUFFIX = ".jade-", ".part"
PRIVATE = 0o600
"""The mode of files that only their owner may read."""
OLD_SECONDS = 60.0
"""A part that nobody has written to for so long was left by somebody who is gone."""


class WriteFailed(OSError):
    """A file could not be written; what was there before is untouched. The message names the file and the remedy."""


def write_atomic(path: Path, data: bytes, mode: int = 0o666, within: Path | None = None) -> None:
    """Write a temporary file beside `path`, sync it, and rename it into place. Raises WriteFailed.

    A file that is there keeps its mode, and a link stays one: what it leads to is written. A new one gets `mode`, less
    the umask. `within` is a folder that the file must not lead out of by links.
    """
    temporary = None
    try:
        if within is not None:
            stays_within(path, within)
        target = Path(os.path.realpath(path))
        make_folder(target.parent, mode)
        temporary = _written_beside(target, data, mode)
        os.replace(temporary, target)
        sync_folder(target.parent)
    except OSError as error:
        if temporary is not None and os.path.exists(temporary):
            os.unlink(temporary)
        raise WriteFailed(error.errno, _advice(path, error)) from error


def write_all(folder: Path, files: Mapping[str, bytes]) -> list[Path]:
    """Write files into a folder, all of them or none; returns their paths. Raises WriteFailed.

    Every file is written under a temporary name and synced before the first is renamed into place.
    """
    blocked = [folder / name for name in files if (folder / name).is_dir()]
    if blocked:
        raise WriteFailed(errno.EISDIR, f"{blocked[0]} is a folder. Nothing was changed; choose another folder.")
    ready: list[tuple[str, Path]] = []
    path = folder
    try:
        folder.mkdir(parents=True, exist_ok=True)
        for name, data in files.items():
            path = folder / name
            ready.append((_written_beside(path, data, 0o666), path))
        for temporary, path in ready:
            os.replace(temporary, path)
        sync_folder(folder)
    except OSError as error:
        for temporary, _ in ready:
            if os.path.exists(temporary):
                os.unlink(temporary)
        raise WriteFailed(error.errno, _advice(path, error)) from error
    return [path for _, path in ready]


def make_folder(folder: Path, mode: int = 0o666) -> None:
    """Make a folder and those it lies in where they are not there; whoever may read files of a mode may enter it."""
    if folder.is_dir():
        return
    make_folder(folder.parent, mode)
    with contextlib.suppress(FileExistsError):
        folder.mkdir(mode=mode | (mode >> 2 & 0o111))


def _written_beside(path: Path, data: bytes, mode: int) -> str:
    """Write data to a temporary file beside a path and sync it; the file's name. Leaves nothing when that fails."""
    temporary = str(path.parent / f"{PREFIX}{secrets.token_hex(6)}{SUFFIX}")
    handle = os.open(temporary, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_CLOEXEC, mode)
    try:
        with os.fdopen(handle, "wb") as file:
            with contextlib.suppress(FileNotFoundError):
                _keep_mode(handle, os.stat(path))
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
    except OSError:
        os.unlink(temporary)
        raise
    return temporary


def _keep_mode(handle: int, before: os.stat_result) -> None:
    """Give a file the mode and the group of the one it is to replace, as far as that is allowed."""
    with contextlib.suppress(OSError):
        os.fchown(handle, -1, before.st_gid)
    with contextlib.suppress(OSError):
        os.fchmod(handle, stat.S_IMODE(before.st_mode))


def clear_partial(folder: Path) -> None:
    """Remove what saves that were killed left half-written in a folder and those directly in it.

    What somebody may still be writing to stays; the caller sees to it that no save runs.
    """
    for path in (*folder.glob(f"{PREFIX}*{SUFFIX}"), *folder.glob(f"*/{PREFIX}*{SUFFIX}")):
        with contextlib.suppress(OSError):
            if path.is_symlink() or path.parent.is_symlink() or not path.is_file():
                continue
            if abs(time.time() - path.stat().st_mtime) > OLD_SECONDS:
                path.unlink()


def sync_folder(folder: Path) -> None:
    """Make renames in a folder durable."""
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def _advice(path: Path, error: OSError) -> str:
    if error.errno in (errno.ENOSPC, errno.EDQUOT):
        return f"{path}: the disk is full. Nothing was changed; free some space and save again."
    if error.errno in (errno.EACCES, errno.EPERM, errno.EROFS):
        return f"{path}: writing is not allowed here. Choose another folder."
    if error.errno == errno.EXDEV:
        return f"{path}: {error.strerror}. Nothing was changed; save again then."
    return f"{path}: {error.strerror or error}. Nothing was changed; choose another folder and save again."
