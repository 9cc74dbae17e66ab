"""Autosave: copies of unsaved work, found again after a crash."""

from __future__ import annotations

import json
import os
import shutil
import uuid
from dataclasses import dataclass
from pathlib import Path

from jade_coat.files.assets import Assets
from jade_coat.files.atomic import write_atomic
from jade_coat.files.project_folder import FILE, BadProject, Opened, data_folder, open_project, save_project
from jade_coat.stage.project import Project


@dataclass(frozen=True)
class Leftover:
    """Work a dead session left: its recovery folder, the project's name, and the folder it belongs to, if any."""

    folder: Path
    name: str
    home: Path | None


class Recovery:
    """One session's autosave folder; it goes away when the session ends well."""

    def __init__(self, base: Path | None = None) -> None:
        self._base = base or data_folder() / "recovery"
        self.folder = self._base / uuid.uuid4().hex[:12]

    def store(self, project: Project, assets: Assets, home: Path | None) -> None:
        """Keep a copy of the present state. Raises WriteFailed."""
        save_project(project, assets, self.folder)
        note = {"process": os.getpid(), "name": project.name, "home": str(home) if home else None}
        write_atomic(self.folder / "session.json", json.dumps(note).encode())

    def clear(self) -> None:
        """Forget the copy: the work is saved or given up."""
        shutil.rmtree(self.folder, ignore_errors=True)

    def leftovers(self) -> list[Leftover]:
        """Copies whose sessions are gone, newest first."""
        found = []
        for note in sorted(self._base.glob("*/session.json"), key=lambda p: -p.stat().st_mtime):
            try:
                content = json.loads(note.read_text())
                home = Path(content["home"]) if content["home"] else None
                leftover = Leftover(note.parent, str(content["name"]), home)
                alive = _alive(int(content["process"]))
            except (OSError, ValueError, KeyError, TypeError):
                continue
            if not alive and (note.parent / FILE).is_file():
                found.append(leftover)
        return found


def recover(leftover: Leftover) -> Opened:
    """Open a leftover. Raises BadProject."""
    try:
        return open_project(leftover.folder)
    except BadProject as error:
        raise BadProject(f"{error} The copy is kept in {leftover.folder}.") from None


def _alive(process: int) -> bool:
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        return True
    return True
