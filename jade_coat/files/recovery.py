"""Autosave: copies of unsaved work, found again after a crash."""

from __future__ import annotations

import contextlib
import json
import shutil
import threading
import uuid
from dataclasses import dataclass, replace
from pathlib import Path

from jade_coat.files.assets import Assets
from jade_coat.files.atomic import PRIVATE, write_atomic
from jade_coat.files.desk_file import write_desk
from jade_coat.files.paint_files import write_paint
from jade_coat.files.processes import Who
from jade_coat.files.project_folder import (
    FILE,
    BadProject,
    Home,
    Opened,
    data_folder,
    open_file,
    open_project,
    save_project,
)
from jade_coat.files.project_text import project_text
from jade_coat.files.regular import is_regular, read_regular
from jade_coat.stage.desk import Desk
from jade_coat.stage.project import Project

NOTE, BASE = "session.json", "base.json"


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
        self._began: Project | None = None

    @property
    def turn(self) -> int:
        """Counts up whenever the copy is forgotten: what was begun before that is not kept."""
        return self._turn

    def store(
        self, project: Project, assets: Assets, home: Path | None, turn: int | None = None, digest: str = "",
        desk: Desk | None = None, base: Project | None = None,
    ) -> None:  # fmt: skip
        """Keep a copy of the state as it was at a turn (the present one). Raises WriteFailed.

        `base` is the tree that the work began from as it was saved, by which it can be merged with what others save.
        May run in a background thread while the window's saves or forgets; a copy that comes too late is taken away.
        """
        turn = self._turn if turn is None else turn
        with self._storing:
            if turn != self._turn:
                return
            self._home = save_project(project, assets, self.folder, self._known()).home
            if base is not None and base is not self._began:
                write_paint(self.folder, base, self._home.paint, self._home.unread, assets.folder, PRIVATE)
                write_atomic(self.folder / BASE, project_text(base).encode(), PRIVATE)
                self._began = base
            if desk is not None:
                write_desk(self.folder, desk, PRIVATE)
            note = {**Who.me().told(), "name": project.name, "home": str(home) if home else None, "digest": digest}
            if turn == self._turn:
                write_atomic(self.folder / NOTE, json.dumps(note).encode(), PRIVATE)
            if turn != self._turn:
                shutil.rmtree(self.folder, ignore_errors=True)

    def _known(self) -> Home:
        """What is known of the copy's folder, but for its project.json, which nobody else writes."""
        return replace(self._home or Home(self.folder, private=True), digest=None)

    def clear(self) -> None:
        """Forget the copy: the work is saved or given up."""
        self._turn += 1
        self._began = None
        shutil.rmtree(self.folder, ignore_errors=True)

    def leftovers(self) -> list[Leftover]:
        """Copies whose sessions are gone, newest first; notes that make no sense are passed over."""
        found = []
        for note in self._base.glob(f"*/{NOTE}"):
            try:
                written, leftover = note.stat().st_mtime, _leftover(note)
            except (OSError, ValueError, KeyError, TypeError, RecursionError):
                continue
            if leftover is not None and is_regular(note.parent / FILE):
                found.append((written, leftover))
        return [leftover for _, leftover in sorted(found, key=lambda pair: -pair[0])]


def _leftover(note: Path) -> Leftover | None:
    """What a note says of a copy; None while its session lives."""
    content = json.loads(read_regular(note, largest=1 << 20))
    who, home = Who.read(content), content["home"]
    if who is None or (home is not None and not isinstance(home, str)):
        raise ValueError("it names no process or no place")
    digest = content.get("digest", "")
    leftover = Leftover(note.parent, str(content["name"])[:200], Path(home) if home else None, str(digest))
    return None if who.alive else leftover


def recover(leftover: Leftover) -> Opened:
    """Open a leftover; its home is the folder it belongs to, and what lay there when it began. Raises BadProject."""
    try:
        opened = open_project(leftover.folder)
    except BadProject as error:
        raise BadProject(f"{error} The copy is kept in {leftover.folder}.") from None
    base: Project | None = None
    with contextlib.suppress(BadProject):  # without it, all that differs is asked about
        base = open_file(leftover.folder / BASE, leftover.folder).project
    opened.home = Home(leftover.home, leftover.digest, base) if leftover.home is not None else None
    return opened
