"""The projects that were opened lately."""

from __future__ import annotations

import json
from pathlib import Path

from jade_coat.files.atomic import WriteFailed, write_atomic
from jade_coat.files.project_folder import data_folder

MAX_RECENT = 8


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
    try:
        write_atomic(data_folder() / "recent.json", json.dumps(names).encode())
    except WriteFailed:
        return  # only a convenience: an unwritable home must not stop the work
