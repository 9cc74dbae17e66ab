"""Writes files so that a reader sees either the old content or the new, never a part."""

from __future__ import annotations

import contextlib
import errno
import os
import tempfile
from collections.abc import Mapping
from pathlib import Path

PREFIX, SUFFIX = ".jade-", ".part"


class WriteFailed(OSError):
    """A file could not be written; what was there before is untouched. The message names the file and the remedy."""


def write_atomic(path: Path, data: bytes) -> None:
    """Write a temporary file beside `path`, sync it, and rename it into place. Raises WriteFailed."""
    temporary = None
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        temporary = _written_beside(path, data)
        os.replace(temporary, path)
        sync_folder(path.parent)
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
            ready.append((_written_beside(path, data), path))
        for temporary, path in ready:
            os.replace(temporary, path)
        sync_folder(folder)
    except OSError as error:
        for temporary, _ in ready:
            if os.path.exists(temporary):
                os.unlink(temporary)
        raise WriteFailed(error.errno, _advice(path, error)) from error
    return [path for _, path in ready]


def _written_beside(path: Path, data: bytes) -> str:
    """Write data to a temporary file beside a path and sync it; the file's name. Leaves nothing when that fails."""
    handle, temporary = tempfile.mkstemp(prefix=PREFIX, suffix=SUFFIX, dir=path.parent)
    try:
        with os.fdopen(handle, "wb") as file:
            file.write(data)
            file.flush()
            os.fsync(file.fileno())
        os.chmod(temporary, 0o644)
    except OSError:
        os.unlink(temporary)
        raise
    return temporary


def clear_partial(folder: Path) -> None:
    """Remove what saves that were killed left half-written in a folder and those directly in it."""
    for path in (*folder.glob(f"{PREFIX}*{SUFFIX}"), *folder.glob(f"*/{PREFIX}*{SUFFIX}")):
        if path.is_file() and not path.is_symlink() and not path.parent.is_symlink():
            with contextlib.suppress(OSError):
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
    return f"{path}: {error.strerror or error}. Nothing was changed; choose another folder and save again."
