"""Autosave: copies of unsaved work, found again after a crash."""

from __future__ import annotations

import json
import os
import shutil
import threading
import uuid
from dataclasses import dataclass, replace
from pathlib import Path

from jade_coat.files.assets import Assets
from jade_coat.files.atomic import write_atomic
from jade_coat.files.desk_file import write_desk
from jade_coat.files.project_folder import FILE, BadProject, Home, Opened, data_folder, open_project, save_project
from jade_coat.stage.desk import Desk
from jade_coat.stage.project import Project


@dataclass(frozen=True)
class Leftover:
    """Work a dead session left: its recovery folder, the project's name, and the folder it belongs to, if any.

    `digest` is of the project.json that the work began from, to see whether somebody else has saved there since.
    """

    folder: Path
    name: str
    home: Path | None
    digest: str = ""


class Recovery:
    """One session's autosave folder; it goes away when the session ends well."""

    def __init__(self, base: Path | None = None) -> None:
        self._base = base or data_folder() / "recovery"
        self.folder = self._base / uuid.uuid4().hex[:12]
        self._turn = 0
        self._storing = threading.Lock()
        self._home: Home | None = None

    @property
    def turn(self) -> int:
        """Counts up whenever the copy is forgotten: what was begun before that is not kept."""
        return self._turn

    def store(
        self, project: Project, assets: Assets, home: Path | None, turn: int | None = None, digest: str = "",
        desk: Desk | None = None,
    ) -> None:  # fmt: skip
        """Keep a copy of the state as it was at a turn (the present one). Raises WriteFailed.

        May run in a background thread while the window's saves or forgets; a copy that comes too late is taken away.
        """
        turn = self._turn if turn is None else turn
        with self._storing:
            if turn != self._turn:
                return
            self._home = save_project(project, assets, self.folder, self._known()).home
            if desk is not None:
                write_desk(self.folder, desk)
            note = {"process": os.getpid(), "name": project.name, "home": str(home) if home else None,
                    "digest": digest}  # fmt: skip
            if turn == self._turn:
                write_atomic(self.folder / "session.json", json.dumps(note).encode())
            if turn != self._turn:
                shutil.rmtree(self.folder, ignore_errors=True)

    def _known(self) -> Home | None:
        """What is known of the copy's folder, but for its project.json, which nobody else writes."""
        return replace(self._home, digest="") if self._home is not None else None

    def clear(self) -> None:
        """Forget the copy: the work is saved or given up."""
        self._turn += 1
        shutil.rmtree(self.folder, ignore_errors=True)

    def leftovers(self) -> list[Leftover]:
        """Copies whose sessions are gone, newest first."""
        found = []
        for note in sorted(self._base.glob("*/session.json"), key=lambda p: -p.stat().st_mtime):
            try:
                content = json.loads(note.read_text())
                home = Path(content["home"]) if content["home"] else None
                leftover = Leftover(note.parent, str(content["name"]), home, str(content.get("digest", "")))
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
