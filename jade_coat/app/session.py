"""A session: the open document, its history, its files, and what became of them."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Iterable
from contextlib import suppress
from dataclasses import replace
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QTimer, pyqtSignal

from jade_coat.app import preferences
from jade_coat.app.merging import TwoSides
from jade_coat.app.recent import remember
from jade_coat.app.selecting import Selecting
from jade_coat.files.assets import Assets
from jade_coat.files.atomic import WriteFailed, clear_partial
from jade_coat.files.desk_file import write_desk
from jade_coat.files.library import Library
from jade_coat.files.open_mark import OpenMark, lift
from jade_coat.files.project_folder import Home, Opened, open_project, save_project
from jade_coat.files.recovery import Leftover, Recovery, recover
from jade_coat.files.save_lock import saving
from jade_coat.jobs.job import Job
from jade_coat.jobs.words import told
from jade_coat.stage import edits
from jade_coat.stage.document import Document
from jade_coat.stage.edits.registry import Edit
from jade_coat.stage.merging import Merged
from jade_coat.stage.packed_tree import PackedTree, TilePacker
from jade_coat.stage.project import Project
from jade_coat.stage.references import losses
from jade_coat.stage.remesh import painted_state
from jade_coat.view.client import RenderClient

AUTOSAVE_MS = 20_000
SAVE_WAIT = 2.0
"""Seconds that a save waits for another one in the same folder; then it is told, and nothing is lost."""


class Session(Selecting):
    """Owns everything that outlives a single panel. Panels watch its signals and edit through `do`."""

    changed = pyqtSignal()

    def __init__(self, client: RenderClient | None = None) -> None:
        """`client` may be one whose process was started earlier, to save time."""
        super().__init__(client)
        self.document = Document()
        self.document.room = preferences.recall(preferences.UNDO_MEGABYTES) << 20
        self._let_go = 0
        self._packer = TilePacker()
        self._packing = False
        self.folder: Path | None = None
        self.recovery = Recovery()
        self._home: Home | None = None
        self._mark = OpenMark()
        self._adopted: Path | None = None
        self.agree: Callable[[str, list[str]], bool] = lambda what, lines: True
        self.offer: Callable[[str, list[str]], bool] = lambda what, lines: True
        """Asks whether an edit may drop what the lines say."""
        self._autosave = QTimer(self)
        self._autosave.setInterval(AUTOSAVE_MS)
        self._autosave.timeout.connect(self.autosave)
        self._autosave.start()
        self._autosaved: Project | None = None
        self._stop_watching = self.document.watch(self._on_document)

    @property
    def project(self) -> Project:
        """The present tree."""
        return self.document.project

    def do(self, edit: Edit, merge: object = None) -> bool:
        """Run an edit; one that cannot be is said, not raised, and what it would drop besides is told beforehand.

        Returns whether it was made.
        """
        what, refused = edit.title, []

        def allow(before: Project, after: Project) -> bool:
            lines = losses(before, after)
            if lines and not self.agree(what, lines):
                refused.extend(lines)
            return not refused

        try:
            self.document.do(edit, merge=merge, allow=allow)
        except (KeyError, ValueError) as error:
            self.said.emit(f"That cannot be done: {told(error)}", True)
            return False
        return not refused

    def do_all(self, what: str, steps: Iterable[Edit]) -> bool:
        """Run several edits as one step of the history, all or none; what cannot be is said. Whether they were made."""
        try:
            self.document.do_all(what, steps)
        except (KeyError, ValueError) as error:
            self.said.emit(f"That cannot be done: {told(error)}", True)
            return False
        return True

    def _on_document(self) -> None:
        known, crowded = set(self.link.problems), len(self.link.crowded)
        if self.solo is not None and not self._solo_is_there():
            self.solo = None
        moved = self.link.sync(self.shown_project)
        for mesh in self.link.problems.keys() - known:
            self.said.emit(f"A plain box stands in: {self.link.problems[mesh]}", True)
        if len(self.link.crowded) > crowded:
            self.said.emit(self.link.crowded[-1], True)
        self._mend_selection()
        if self.document.let_go > self._let_go:
            room = self.document.room >> 20
            self.said.emit(f"The oldest steps of undo were let go: paint in them took more than {room} MB.", False)
        self._let_go = self.document.let_go
        self._pack_history()
        if moved:
            self.scene_changed.emit()
        self._load_textures()
        self._load_sky()
        self._strew()
        self.changed.emit()

    def tell_panels(self) -> None:
        """Have everything that watches show the project: panels made after it was opened know nothing of it yet."""
        self.changed.emit()
        self.selection_changed.emit()

    def _pack_history(self) -> None:
        """Compress paint that lies far behind in the history, a step at a time, in the background."""
        found = None if self._packing else self.document.to_pack()
        if found is None:
            return
        step, after = found
        self._packing = True
        packer, tree = self._packer, step.project

        def done(packed: PackedTree) -> None:
            self._packing = False
            self.document.packed(step, packed)
            self._pack_history()

        def failed(error: Exception) -> None:
            self._packing = False
            self.said.emit(f"The history could not be packed: {told(error)}", True)

        self.work(lambda: packer.pack(tree, after), done, failed)

    def child_for_prop(self, merge: object) -> str:
        """Make a child of the chosen finish and put it on the chosen prop's slot, as part of one change; its id."""
        prop, parent = self.prop, self.finish_id
        assert prop is not None
        known = {f.id for f in self.project.finishes}
        names = {f.id: f.name for f in self.project.finishes} | {m.id: m.name for m in self.project.materials}
        self.do(edits.add_finish(parent=parent, name=f"{names[parent]}, {prop.name.lower()}"), merge=merge)
        made = next(f.id for f in self.project.finishes if f.id not in known)
        self.do(edits.put_finish(prop=prop.id, slot=self.slot, finish=made), merge=merge)
        return made

    def work_on_paint(
        self, mesh_id: str, task: Callable[[], Any], done: Callable[[Any], None], failed: Callable[[Exception], None],
        job: Job | None = None,
    ) -> None:  # fmt: skip
        """Run a task on a mesh or the paint of its props in the background, as `work` does.

        Where either was changed meanwhile the result fits no more: it fails, and the change stays.
        """
        state = painted_state(self.project, mesh_id)

        def fitting(result: Any) -> None:
            if state.holds_in(self.project, mesh_id):
                done(result)
            else:
                failed(ValueError("it was painted or changed meanwhile. Do it again"))

        self.work(task, fitting, failed, job)

    # Files

    def open(self, folder: Path) -> list[str]:
        """Open a project; returns what is missing in it. Raises BadProject; the present project then stays."""
        opened = open_project(folder)
        self._show(opened, opened.assets.folder)
        assert self.folder is not None
        other = self._mark.take(self.folder)
        if other:
            opened.problems.append(
                f"{self.folder} is open elsewhere too, by {other}. Whoever saves later is asked. "
                'If nobody has it open, lift the mark (Ctrl+K, "lift").'
            )
        else:
            with suppress(WriteFailed), saving(self.folder, wait=0):  # never under a save that runs
                clear_partial(self.folder)
        remember(self.folder)
        return opened.problems

    def recover(self, leftover: Leftover) -> list[str]:
        """Take over unsaved work of a session that died. Raises BadProject."""
        opened = recover(leftover)
        self._show(opened, leftover.home)
        self.document.mark_unsaved()
        self._adopted = leftover.folder
        self.changed.emit()
        return opened.problems

    def new(self) -> None:
        """Start an empty project."""
        self._show(Opened(Project(), Assets()), None)

    def _show(self, opened: Opened, folder: Path | None) -> None:
        self._keep_desk()
        self.recovery.clear()
        if folder is None or folder != self.folder:
            self._mark.leave()
        self.folder, self._home = folder, opened.home
        self.show_library(Library(opened.assets))
        self.choose_nothing()
        self._autosaved = opened.project
        self.camera = opened.desk.camera
        self.document.replace(opened.project)
        self.choose_as(opened.desk)

    def save(self, folder: Path) -> tuple[str, ...]:
        """Save into a folder; returns a line for each file that is needed and lost, or could not be written besides.

        Raises WriteFailed, or ChangedOnDisk when somebody else has saved there meanwhile; nothing is lost then.
        """
        home = self._home if self._home is not None and self._home.folder == folder else None
        saved = save_project(self.project, self.library.assets, folder, home, self.library.mesh_bytes, SAVE_WAIT)
        self._home = saved.home
        told = list(saved.missing)
        try:
            write_desk(folder, self.desk)
        except WriteFailed as error:
            told.append(f"How it was looked at last was not kept: {error.strerror}")
        self.library.assets.moved_to(folder)
        self.folder = folder
        self._mark.take(folder)
        self.document.mark_saved()
        self._autosaved = self.project
        self.recovery.clear()
        if self._adopted is not None:
            shutil.rmtree(self._adopted, ignore_errors=True)  # recovered work is safe in its own folder now
            self._adopted = None
        remember(folder)
        self.changed.emit()
        return tuple(told)

    def two_sides(self, folder: Path) -> TwoSides:
        """What is here and what somebody else saved in the project's folder. Raises BadProject."""
        base = self._home.base if self._home is not None else None  # of recovered work it is not known
        return TwoSides(folder, base, self.project, open_project(folder), self.library)

    def take_merge(self, sides: TwoSides, made: Merged) -> None:
        """Take a merged tree as the present one; the next save knows what lies in the folder."""
        home = sides.theirs.home
        assert home is not None
        if self._home is not None and self._home.folder == home.folder:
            home = replace(home, paint=home.paint | self._home.paint, unread=home.unread | self._home.unread)
        self._home = home
        self.document.put("Merge with the saved file", made.project)

    def lift_mark(self) -> str:
        """Take away the mark that somebody else left in the project's folder; whose it was. Raises OSError."""
        if self.folder is None:
            return ""
        other = lift(self.folder) if not self._mark.is_ours(self.folder) else ""
        self._mark.take(self.folder)
        return other

    def _keep_desk(self) -> None:
        """Keep how the project is looked at in its folder, where it has one; what cannot be written is let be."""
        if self.folder is not None and self.folder.is_dir():
            with suppress(WriteFailed, OSError):
                write_desk(self.folder, self.desk)

    def autosave(self) -> None:
        """Keep a copy of unsaved work, in the background."""
        self._mark.renew()
        if self.project is not self._autosaved:
            self.keep_aside()

    def keep_aside(self) -> bool:
        """Copy unsaved work to a safe place, in the background; whether there was any."""
        project = self.project
        if not self.document.dirty:
            return False
        self._autosaved = project
        assets, home, turn = self.library.assets, self.folder, self.recovery.turn
        known = self._home or Home(self.recovery.folder)
        digest, base, desk = known.digest or "", known.base, self.desk
        self.work(
            lambda: self.recovery.store(project, assets, home, turn, digest, desk, base),
            lambda _: None,
            lambda error: self.said.emit(f"The safety copy could not be written: {told(error)}", True),
        )
        return True

    def close(self) -> None:
        """End the session; nothing is called back from here on."""
        if self.closed:
            return
        self._keep_desk()
        self._stop_watching()
        self._autosave.stop()
        self.stop_work()
        self.stop_showing()
        self._mark.leave()
        self.recovery.clear()
