"""The projects that were opened lately."""

from __future__ import annotations

import hashlib
import json
from contextlib import suppress
from pathlib import Path

from PyQt6.QtCore import QBuffer, QIODevice, QSize, Qt
from PyQt6.QtGui import QImage

from jade_coat.files.atomic import WriteFailed, write_atomic
from jade_coat.files.project_folder import data_folder

MAX_RECENT = 8
_PICTURE = QSize(340, 192)


def recent() -> list[Path]:
    """Projects opened or saved lately, newest first, that are still there."""
    try:
        names = json.loads((data_folder() / "recent.json").read_text())
        return [p for p in (Path(str(n)) for n in names) if (p / "project.json").is_file()]
    except (OSError, ValueError, TypeError):
        return []


def remember(folder: Path) -> None:
    """Put a project in front of the recent ones."""
    folder = folder.resolve()
    names = [str(folder), *(str(p) for p in recent() if p != folder)][:MAX_RECENT]
    kept = {picture_of(Path(n)) for n in names}
    for old in [p for p in _pictures().glob("*.png") if p not in kept]:
        with suppress(OSError):
            old.unlink()
    try:
        write_atomic(data_folder() / "recent.json", json.dumps(names).encode())
    except WriteFailed:
        return  # only a convenience: an unwritable home must not stop the work


def _pictures() -> Path:
    return data_folder() / "recent"


def picture_of(folder: Path) -> Path:
    """Where the picture of a project lies, if one was kept."""
    return _pictures() / f"{hashlib.sha256(str(folder.resolve()).encode()).hexdigest()[:20]}.png"


def keep_picture(folder: Path, image: QImage | None) -> None:
    """Keep what the view shows as the picture of a project for the start page."""
    if image is None:
        return
    ways = (Qt.AspectRatioMode.KeepAspectRatioByExpanding, Qt.TransformationMode.SmoothTransformation)
    buffer = QBuffer()
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    image.scaled(_PICTURE, *ways).save(buffer, "PNG")
    with suppress(WriteFailed, OSError):  # only a convenience
        _pictures().mkdir(parents=True, exist_ok=True)
        write_atomic(picture_of(folder), bytes(buffer.data().data()))
