"""The part of the window that keeps a project: new, open, save, leave, and the boxes that ask and tell."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QMainWindow, QMessageBox

from jade_coat.app.commands import command
from jade_coat.app.dialogs.choose_sides import ChooseSides
from jade_coat.app.dialogs.common import ProgressDialog
from jade_coat.app.dialogs.files import ask_folder
from jade_coat.app.merging import TwoSides
from jade_coat.app.recent import keep_picture
from jade_coat.app.session import Session
from jade_coat.app.view.view import View
from jade_coat.files.atomic import WriteFailed
from jade_coat.files.names import file_name
from jade_coat.files.project_folder import BadProject, ChangedOnDisk, painted_maps
from jade_coat.files.recovery import Leftover
from jade_coat.jobs.job import Job
from jade_coat.jobs.words import told
from jade_coat.stage.merging import Collision

LARGE_MAP = 2048
"""The side from which on a painted map takes so long to encode that the window must not wait for it."""


class ProjectWindow(QMainWindow):
    """A window that keeps the project of one session; what it says goes through the session's `said`."""

    view: View

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session

    def say(self, text: str, problem: bool = False) -> None:
        """Say something in passing, at the foot of the window."""
        self.session.said.emit(text, problem)

    def soon(self, do: Callable[[], object]) -> None:
        """Do something once the event loop turns; not any more where the window is closed before."""

        def go() -> None:
            timer.deleteLater()
            if not self.session.closed:
                do()

        timer = QTimer(self)
        timer.setSingleShot(True)
        timer.timeout.connect(go)
        timer.start(0)

    # Commands: project

    @command("Project", "Ctrl+N")
    def new_project(self) -> None:
        """New project."""
        self._leave_for(self.session.new)

    @command("Project", "Ctrl+O")
    def open_project(self) -> None:
        """Open…"""
        folder = ask_folder(self, "Open a project folder", "Projects")
        if folder is not None:
            self._leave_for(lambda: self.open_folder(folder))

    @command("Project", "Ctrl+S")
    def save_project(self, wait: bool = False) -> bool:
        """Save."""
        return self._save_to(self.session.folder, wait) if self.session.folder else self.save_project_as(wait)

    @command("Project", "Ctrl+Shift+S")
    def save_project_as(self, wait: bool = False) -> bool:
        """Save as…"""
        folder = ask_folder(self, "Choose or make a folder for the project", "Projects")
        return self._save_to(folder, wait) if folder is not None else False

    @command("Project")
    def lift_mark(self) -> None:
        """Lift the mark of somebody who has the project open no more."""
        try:
            other = self.session.lift_mark()
        except OSError as error:
            self._tell("The mark cannot be lifted", [told(error)])
            return
        self.say(f"The mark of {other} is gone" if other else "Nobody else has marked this project")

    def open_folder(self, folder: Path) -> bool:
        """Open a project; what is wrong is told. Returns whether it was opened."""
        try:
            problems = self.session.open(folder)
        except BadProject as error:
            self._tell("The project cannot be opened", [told(error)])
            return False
        self.tell_missing(problems)
        return True

    def tell_missing(self, problems: list[str]) -> None:
        """Tell what is missing in a project that was opened; nothing for none."""
        if problems:
            self._tell("The project is open, but parts are missing", problems)

    def take_over(self, leftover: Leftover) -> bool:
        """Take over the work of a session that died; whether that worked."""
        try:
            problems = self.session.recover(leftover)
        except BadProject as error:
            self._tell("The kept copy cannot be opened", [told(error)])
            return False
        if problems:
            self._tell("The work is back, but parts are missing", problems)
        return True

    def _save_to(self, folder: Path, wait: bool = False) -> bool:
        """Save; large painted maps are encoded in the background first, unless the caller has to `wait`."""
        large = [m for m in painted_maps(self.session.project) if m.side >= LARGE_MAP and "png" not in m.__dict__]
        if not large or wait:
            return self._save_now(folder)

        def encode(job: Job) -> None:
            for i, found in enumerate(large):
                job.step(i / len(large), "Writing the painted maps")
                found.png  # noqa: B018  (kept by the map)

        def save(_: object) -> None:
            self._save_now(folder)

        dialog = ProgressDialog(self, "Save")
        dialog.run(
            self.session, encode, save, lambda error: self._tell("The project could not be saved", [told(error)])
        )
        return True

    def _save_now(self, folder: Path) -> bool:
        if (
            folder != self.session.folder
            and folder.is_dir()
            and any(folder.iterdir())
            and not (folder / "project.json").exists()
        ):
            name = self.session.project.name
            folder = folder / ("Jade Coat project" if name == "Untitled" else file_name(name))
        if folder != self.session.folder and (folder / "project.json").exists() and not self.may_replace(folder):
            return False
        if self.session.project.name == "Untitled":
            self.session.document.rename(folder.name)
        was_gone = folder == self.session.folder and not folder.is_dir()
        try:
            missing = self.session.save(folder)
        except ChangedOnDisk:
            return self._settle_with_others(folder)
        except (WriteFailed, OSError) as error:
            self._tell("The project could not be saved", [told(error)])
            return False
        if was_gone:
            missing = (f"{folder} was gone and has been made anew.", *missing)
        self._keep_picture()
        if missing:
            self._tell("Saved, but not all of it", list(missing))
        else:
            self.session.said.emit(f"Saved to {folder}", False)
        return True

    def may_replace(self, folder: Path) -> bool:
        """Ask whether another project in a folder may be replaced by this one."""
        box = QMessageBox(self)
        box.setText(f"{folder.name} holds another project.")
        box.setInformativeText("Saving here puts this project in its place. Its maps and meshes stay in the folder.")
        over = box.addButton("Put this one in its place", QMessageBox.ButtonRole.DestructiveRole)
        box.addButton("Leave it", QMessageBox.ButtonRole.RejectRole)
        box.exec()
        return box.clickedButton() is over

    def ask_others(self, folder: Path) -> str:
        """Somebody else saved the project meanwhile: ask what becomes of both; "merge", "copy", "theirs" or ""."""
        box = QMessageBox(self)
        box.setText("Somebody else has saved this project since it was opened here.")
        box.setInformativeText(
            "Nothing has been written yet. Both can be merged; where both changed the same you choose."
        )
        roles = QMessageBox.ButtonRole
        ways = {
            box.addButton("Merge both", roles.AcceptRole): "merge",
            box.addButton("Save mine as a copy…", roles.ActionRole): "copy",
            box.addButton("Take theirs, drop mine", roles.DestructiveRole): "theirs",
            box.addButton("Not now", roles.RejectRole): "",
        }
        box.exec()
        return next((way for made, way in ways.items() if made is box.clickedButton()), "")

    def _settle_with_others(self, folder: Path) -> bool:
        """Save although somebody else has saved in the folder, as people choose; whether anything was saved."""
        way = self.ask_others(folder)
        if way == "copy":
            return self.save_project_as()
        if way == "theirs":
            return self.open_folder(folder)
        if way != "merge":
            return False
        try:
            sides = self.session.two_sides(folder)
            found = sides.merged({}).collisions
            chosen = self.choose_sides(sides, found) if found else {}
            if chosen is None:
                return False
            made = sides.merged(chosen)
        except (BadProject, ValueError) as error:
            self._tell("The two cannot be merged", [told(error), "Save this one as a copy instead."])
            return False
        lines = [*made.notes, *sides.keep_the_rest(found, chosen), *sides.theirs.problems]
        self.session.take_merge(sides, made)
        if not self._save_now(folder):
            return False
        if lines:
            self.tell("Merged", lines, problem=False)
        else:
            self.say(f"Merged with what somebody else had saved, and saved to {folder}")
        return True

    def choose_sides(self, sides: TwoSides, found: tuple[Collision, ...]) -> Mapping[str, str] | None:
        """Ask which side counts where both changed the same; None where nothing is to be merged after all."""
        dialog = ChooseSides(self, sides, found)
        return dialog.chosen() if dialog.exec() else None

    def _leave_for(self, go: Callable[[], object]) -> None:
        if self.may_leave():
            self._keep_picture()
            go()

    def _keep_picture(self) -> None:
        """Keep a picture of the project for the start page, if it lies in a folder."""
        if self.session.folder is not None and self.session.folder.is_dir():
            keep_picture(self.session.folder, self.view.picture())

    def may_leave(self) -> bool:
        """Ask what to do with unsaved work, if there is any; whether the present project may be left."""
        if not self.session.document.dirty:
            return True
        box = QMessageBox(self)
        box.setText(f"{self.session.project.name} has unsaved changes.")
        kinds = QMessageBox.StandardButton
        box.setStandardButtons(kinds.Save | kinds.Discard | kinds.Cancel)
        answer = box.exec()
        return answer == kinds.Discard or (answer == kinds.Save and self.save_project(wait=True))

    # Asking and telling

    def agree(self, what: str, lines: list[str]) -> bool:
        """Ask whether an edit may drop what the lines say."""
        box = QMessageBox(self)
        box.setWindowTitle(what)
        box.setText(f"{what}: this drops more than that.")
        box.setInformativeText("\n".join([*lines[:10], *(["…"] if len(lines) > 10 else [])]))
        go = box.addButton("Do it", QMessageBox.ButtonRole.AcceptRole)
        box.setDefaultButton(box.addButton("Leave it", QMessageBox.ButtonRole.RejectRole))
        box.exec()
        return box.clickedButton() is go

    def offer(self, question: str, lines: list[str]) -> bool:
        """Ask whether to do something that would only add."""
        box = QMessageBox(self)
        box.setWindowTitle(self.session.project.name)
        box.setText(question)
        box.setInformativeText("\n".join([*lines[:10], *(["…"] if len(lines) > 10 else [])]))
        go = box.addButton("Take them", QMessageBox.ButtonRole.AcceptRole)
        box.setDefaultButton(go)
        box.addButton("Leave them", QMessageBox.ButtonRole.RejectRole)
        box.exec()
        return box.clickedButton() is go

    def _tell(self, title: str, lines: list[str]) -> None:
        self.tell(title, lines, problem=True)

    def tell(self, title: str, lines: list[str], problem: bool) -> None:
        """Say something longer in a box of its own, and its first line in the status line; nothing once closed."""
        if self.session.closed:
            return
        self.session.said.emit(f"{title}: {lines[0]}", problem)
        box = QMessageBox(self)
        box.setWindowTitle(title)
        box.setText(title)
        box.setInformativeText("\n\n".join(lines[:12]))
        box.open()
        self.told = box
