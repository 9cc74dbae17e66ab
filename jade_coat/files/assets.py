"""Assets: the files a project refers to, named by their content, in memory or in the project's folder."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Iterable
from pathlib import Path
from typing import Any

from jade_coat.files.atomic import write_atomic
from jade_coat.files.regular import is_regular, read_regular

_NAME = re.compile(r"^(maps|meshes|paint)/[A-Za-z0-9][A-Za-z0-9._-]{0,200}$")


class MissingAsset(OSError):
    """A file the project refers to is not there; the message names it and the remedy."""


def asset_name(kind: str, file: str, data: bytes) -> str:
    """The name of an asset: its kind, a part of its content's hash, and the file it came from."""
    stem = re.sub(r"[^A-Za-z0-9._-]+", "-", Path(file).name)[-60:].lstrip(".-") or "file"
    return f"{kind}/{hashlib.sha256(data).hexdigest()[:16]}-{stem}"


class Assets:
    """Finds assets by name. New ones stay in memory until the project is saved."""

    def __init__(self, folder: Path | None = None) -> None:
        self.folder = folder
        self._memory: dict[str, bytes] = {}

    def __getstate__(self) -> dict[str, Any]:
        """Sent to another process while the window takes in more."""
        return {"folder": self.folder, "_memory": self._memory.copy()}

    def put(self, kind: str, file: str, data: bytes) -> str:
        """Take a file's bytes; returns the asset's name. The same content twice is one asset."""
        name = asset_name(kind, file, data)
        self._memory.setdefault(name, data)
        return name

    def read(self, name: str) -> bytes:
        """An asset's bytes. Raises MissingAsset; a name that points out of the project counts as missing."""
        if name in self._memory:
            return self._memory[name]
        if not _NAME.match(name):
            raise MissingAsset(f"{name!r} is no name of a file inside a project. Correct project.json.")
        if self.folder is None:
            raise MissingAsset(f"{name} is in no folder yet. Import it again.")
        try:
            return read_regular(self.folder / name, self.folder)
        except OSError as error:
            raise MissingAsset(
                f"{self.folder / name} cannot be read ({error.strerror}). Put the file back, or choose another map."
            ) from error

    def forget(self, names: Iterable[str]) -> None:
        """Let go of files in memory that nothing refers to any more."""
        for name in names:
            self._memory.pop(name, None)

    def check(self, name: str) -> None:
        """Raise MissingAsset when an asset cannot be found."""
        if not self.has(name):
            self.read(name)

    def has(self, name: str) -> bool:
        """Whether the asset can be found."""
        if name in self._memory:
            return True
        return bool(_NAME.match(name)) and self.folder is not None and is_regular(self.folder / name, self.folder)

    def write_to(self, folder: Path, names: Iterable[str], mode: int = 0o666) -> None:
        """Write the named assets into a project folder where they are not there yet. Raises WriteFailed.

        Assets that are missing here stay missing there; opening the project says so.
        """
        for name in names:
            path = folder / name
            if _NAME.match(name) and not path.is_file() and self.has(name):
                write_atomic(path, self.read(name), mode, within=folder)

    def restore(self, folder: Path, name: str, data: bytes | None, mode: int = 0o666) -> None:
        """Write a lost asset again from what made it, if that still gives the same content. Raises WriteFailed."""
        kind, _, file = name.partition("/")
        if data is not None and asset_name(kind, file.partition("-")[2], data) == name:
            write_atomic(folder / name, data, mode, within=folder)

    def moved_to(self, folder: Path) -> None:
        """Note that everything in use is now in a folder."""
        self.folder = folder
