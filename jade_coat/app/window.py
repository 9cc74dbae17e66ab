"""The main window: the bar with six workspaces, their pages, the status line, and every command."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

from PyQt6 import sip
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QCloseEvent, QDragEnterEvent, QDropEvent, QKeyEvent, QKeySequence, QShortcut
from PyQt6.QtWidgets import (
    QApplication,
    QButtonGroup,
    QFileDialog,
    QInputDialog,
    QLineEdit,
    QMenu,
    QMessageBox,
    QStackedWidget,
    QWidget,
)

from jade_coat.app import importing, preferences, theme
from jade_coat.app.build.finish_table import FinishTable
from jade_coat.app.build.map_watch import MapWatch
from jade_coat.app.build.steps_sheet import StepsSheet
from jade_coat.app.commands import command, commands_of
from jade_coat.app.controls.basics import button, column, holder, label, row
from jade_coat.app.dialogs.common import ExportSize, ProgressDialog
from jade_coat.app.dialogs.finder import Entry, Finder
from jade_coat.app.dialogs.take_over import TakeOver, UpdateTaken
from jade_coat.app.mishaps import MishapBox
from jade_coat.app.project_window import ProjectWindow
from jade_coat.app.recent import recent
from jade_coat.app.session import Session
from jade_coat.app.workspaces.bench import Bench
from jade_coat.app.workspaces.planned import PLANNED, PlannedPage
from jade_coat.bake.scene_bake import Written, export_glb
from jade_coat.files.mesh_files import MESHES
from jade_coat.files.project_folder import BadProject
from jade_coat.formats import by_suffix, dialog_filter
from jade_coat.jobs.apart import apart
from jade_coat.maps.images import is_image_name

WORKSPACES = ("Build", "Brush", "Ground", "Stage", "Check", "Deliver")


class Window(ProjectWindow):
    """One window on one session."""

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.setWindowTitle("Jade Coat")
        self.resize(1280, 800)
        self.setMinimumSize(900, 560)
        self.setAcceptDrops(True)
        self.bench = Bench(session)
        self.view = self.bench.view
        self.pages = QStackedWidget()
        self.pages.addWidget(self.bench)
        self._planned = {}
        for name in PLANNED:
            actions: list[tuple[str, Callable[[], object]]] = []
            if name == "Deliver":
                actions = [("Export a GLB…", self.export_scene)]
            self._planned[name] = PlannedPage(name, actions)
            self.pages.addWidget(self._planned[name])
        body = column(self._make_bar(), self.pages, self._make_status(), gap=0)
        body.setStretch(1, 1)
        self.setCentralWidget(holder(body))
        self._make_shortcuts()
        self.mishap: MishapBox | None = None
        self.workspace = "Build"
        self.show_workspace("Build")
        session.agree = self.agree
        session.changed.connect(self._refresh)
        session.said.connect(self.say)
        session.view_state.connect(self._on_view_state)
        self.view.arrived.connect(self._on_frame)
        self._said = QTimer(self)
        self._said.setSingleShot(True)
        self._said.timeout.connect(lambda: self._message.setText(""))
        self._watch = MapWatch(session)
        self._restore_layout()
        self._refresh()

    # The bar and the status line

    def _make_bar(self) -> QWidget:
        self._project_button = button("", role="plain", tip="Project menu")
        self._project_button.clicked.connect(self._open_menu)
        self._saved = label("", "quiet")
        self.tabs = {}
        group = QButtonGroup(self)
        for name in WORKSPACES:
            tab = button(name, partial(self.show_workspace, name), "tab")
            tab.setCheckable(True)
            group.addButton(tab)
            self.tabs[name] = tab
        self._undo = button("Undo", self.undo, "plain")
        self._redo = button("Redo", self.redo, "plain")
        self._find = QLineEdit()
        self._find.setPlaceholderText("Find or do…")
        self._find.setReadOnly(True)
        self._find.setFixedWidth(118)
        self._find.setToolTip("Ctrl+K")
        self._find.mousePressEvent = lambda _: self.find_or_do()  # type: ignore[method-assign, assignment]
        left = holder(row(self._project_button, self._saved, 1, gap=6))
        right = holder(row(1, self._undo, self._redo, self._find, gap=4))
        layout = row(left, *self.tabs.values(), right, margins=(8, 5, 10, 5), gap=4)
        layout.setStretch(0, 1)
        layout.setStretch(len(WORKSPACES) + 1, 1)
        bar = holder(layout, "bar")
        bar.setFixedHeight(42)
        return bar

    def _make_status(self) -> QWidget:
        self._message = label("", "")
        self._figures = label("", "quiet")
        keys = button("F1 keys", self.show_keys, "plain")
        status = holder(row(self._figures, 1, self._message, 1, keys, margins=(12, 0, 6, 0), gap=12), "status")
        status.setFixedHeight(26)
        return status

    def _refresh(self) -> None:
        document, project = self.session.document, self.session.project
        self._project_button.setText(f"◆  {project.name}")
        self._saved.setText("unsaved" if document.dirty else "saved" if self.session.folder else "")
        self._saved.setProperty("role", "warn" if document.dirty else "quiet")
        style = self._saved.style()
        assert style is not None
        style.polish(self._saved)
        for control, title, word, keys in (
            (self._undo, document.undo_title, "Undo", "Ctrl+Z"), (self._redo, document.redo_title, "Redo", "Ctrl+Y"),
        ):  # fmt: skip
            control.setEnabled(title is not None)
            control.setToolTip(f"{word} {title.lower()} ({keys})" if title else f"Nothing to {word.lower()}")
        self.setWindowTitle(f"{project.name} – Jade Coat")
        self._on_frame()

    def _on_frame(self) -> None:
        project = self.session.project
        props, materials = len(project.props), len(project.materials)
        self._figures.setText(f"{props} props · {materials} materials · {len(project.finishes)} finishes")

    def say(self, text: str, problem: bool = False) -> None:
        """Say something in the status line: problems stay longer."""
        self._message.setText(text)
        self._message.setProperty("role", "warn" if problem else "quiet")
        self._message.setToolTip(text)
        style = self._message.style()
        assert style is not None
        style.polish(self._message)
        self._said.start(20_000 if problem else 5_000)

    def _on_view_state(self, text: str) -> None:
        if text:
            self.say(text, True)

    # Keys and menus

    def _make_shortcuts(self) -> None:
        for entry in commands_of(type(self)):
            for keys in entry.keys.split():
                shortcut = QShortcut(QKeySequence(keys), self)
                shortcut.activated.connect(getattr(self, entry.name))

    def _open_menu(self) -> None:
        menu = QMenu(self)
        group = ""
        for entry in commands_of(type(self)):
            if group and entry.group != group:
                menu.addSeparator()
            group = entry.group
            if entry.group in ("Project", "Bring in", "Hand over"):
                action = menu.addAction(f"{entry.title}\t{entry.keys.split()[0] if entry.keys else ''}".rstrip("\t"))
                assert action is not None
                action.triggered.connect(getattr(self, entry.name))
        others = [p for p in recent() if p != self.session.folder]
        if others:
            before = menu.addMenu("Open recent")
            assert before is not None
            for folder in others:
                before.addAction(folder.name, partial(self._leave_for, partial(self.open_folder, folder)))
        menu.exec(self._project_button.mapToGlobal(self._project_button.rect().bottomLeft()))

    def show_workspace(self, name: str) -> None:
        """Go to a workspace by its name."""
        self.workspace = name
        self.tabs[name].setChecked(True)
        if name in PLANNED:
            self.pages.setCurrentWidget(self._planned[name])
        else:
            self.pages.setCurrentWidget(self.bench)
            self.bench.set_tool("brush" if name == "Brush" else "look")
            self.view.setFocus()

    # Commands: bringing in and handing over

    @command("Bring in", "Ctrl+I")
    def import_mesh(self) -> None:
        """Import a mesh…"""
        path, _ = QFileDialog.getOpenFileName(self, "Import a mesh", "", dialog_filter("Meshes", MESHES))
        if path:
            importing.bring_mesh(self, Path(path))

    @command("Bring in", "Ctrl+Shift+I")
    def import_mesh_anew(self) -> None:
        """Import the chosen prop's mesh anew…"""
        if self.session.prop is None:
            self.say("Choose the prop whose mesh is to be imported anew first.", True)
            return
        path, _ = QFileDialog.getOpenFileName(self, "Import its mesh anew", "", dialog_filter("Meshes", MESHES))
        if path:
            importing.bring_mesh_anew(self, Path(path))

    @command("Bring in", "Ctrl+M")
    def import_maps(self) -> None:
        """Import a folder of maps…"""
        folder = QFileDialog.getExistingDirectory(self, "Import a folder of maps")
        if folder:
            importing.bring_maps(self, Path(folder))

    @command("Bring in", "Ctrl+Shift+N")
    def new_material(self) -> None:
        """New material…"""
        importing.make_material(self)

    @command("Bring in")
    def correct_maps(self) -> None:
        """Correct the maps of the chosen coat…"""
        importing.correct_maps(self)

    @command("Bring in")
    def choose_texture_size(self) -> None:
        """Texture size of the chosen coat…"""
        importing.choose_texture_size(self)

    @command("Bring in", "Ctrl+Shift+T")
    def take_from_project(self) -> None:
        """Take over from another project…"""
        folder = QFileDialog.getExistingDirectory(self, "Take over from which project?")
        if folder:
            self.take_from(Path(folder))

    def take_from(self, folder: Path) -> TakeOver | None:
        """Show what another project has; what is ticked there comes into this one."""
        try:
            dialog = TakeOver(self, self.session, folder)
        except BadProject as error:
            self._tell("Nothing was taken over", [str(error)])
            return None
        dialog.accepted.connect(dialog.run)
        dialog.open()
        return dialog

    @command("Bring in")
    def update_taken(self) -> UpdateTaken | None:
        """Update what was taken over…"""
        if not self.session.project.origins:
            self.say("Nothing here was taken over from another project yet: Ctrl+Shift+T takes something over.", True)
            return None
        dialog = UpdateTaken(self, self.session)
        dialog.accepted.connect(dialog.run)
        dialog.open()
        return dialog

    @command("Hand over", "Ctrl+E")
    def export_scene(self) -> None:
        """Export a GLB…"""
        count = len(self.session.project.props)
        if not count:
            self.say("There is no prop to export yet. Import a mesh first.", True)
            return
        ask = ExportSize(self, count)
        if not ask.exec():
            return
        path, _ = QFileDialog.getSaveFileName(self, "Export a GLB", f"{self.session.project.name}.glb", "GLB (*.glb)")
        if path:
            self.export_to(Path(path).with_suffix(".glb"), ask.side)

    def export_to(self, path: Path, side: int) -> ProgressDialog:
        """Bake and write a GLB in the background."""
        session = self.session
        project, library = session.project, session.library
        dialog = ProgressDialog(self, "Export a GLB")
        dialog.run(
            session,
            lambda job: apart(export_glb, job, project, library, path, side),
            lambda written: self._told_export(path, written),
            lambda error: self._tell("The export did not succeed; nothing was written", [str(error)]),
        )
        return dialog

    def _told_export(self, path: Path, written: Written) -> None:
        text = f"{path.name} written, {written.nbytes / 1e6:.1f} MB"
        if written.notes:
            self._tell(f"{text}, but not all as it should be", [*written.notes, *written.told])
        elif written.told:
            self.tell(text, list(written.told), problem=False)
        else:
            self.say(text)

    # Commands: editing and looking

    @command("Edit", "Ctrl+Z")
    def undo(self) -> None:
        """Undo."""
        if self.bench.brush_tool.give_up():
            return  # what is under way is what is taken back
        if self.bench.brush_panel.fill.live:
            self.bench.brush_panel.fill.take_back()
            self.say("The fill was taken back")
            return
        done = self.session.document.undo()
        self.say(f"Undone: {done.lower()}" if done else "Nothing to undo")

    @command("Edit", "Ctrl+Y Ctrl+Shift+Z")
    def redo(self) -> None:
        """Redo."""
        if self.bench.brush_tool.painting:
            return
        done = self.session.document.redo()
        self.say(f"Done again: {done.lower()}" if done else "Nothing to redo")

    @command("Edit", "Ctrl+K")
    def find_or_do(self) -> None:
        """Find or do…"""
        finder = Finder(self, self._entries())
        corner = self._find.mapToGlobal(self._find.rect().bottomRight())
        finder.move(corner.x() - finder.width(), corner.y() + 4)
        finder.show()
        self._finder = finder

    def _entries(self) -> list[Entry]:
        entries = [Entry(c.title, c.keys.replace(" ", " or "), getattr(self, c.name)) for c in commands_of(type(self))]
        entries += [Entry(f"Go to {n}", "workspace", partial(self.show_workspace, n)) for n in WORKSPACES]
        project, session = self.session.project, self.session
        entries += [Entry(f.name, "finish", partial(session.choose_finish, f.id)) for f in project.finishes]
        entries += [
            Entry(p.name, "prop", partial(session.choose_prop, p.id, project.mesh(p.mesh).slots[0]))
            for p in project.props
        ]
        return entries

    @command("Edit", "Ctrl+Shift+F")
    def new_finish(self) -> None:
        """New finish from the chosen one."""
        self.bench.rail.new_finish()

    @command("Edit", "Ctrl+Shift+C")
    def add_coat(self) -> None:
        """Add a coat on top."""
        self.bench.stack.add_coat()

    @command("View", "F")
    def frame_prop(self) -> None:
        """Bring the chosen prop into view."""
        self.view.frame()

    @command("View", "Shift+F")
    def frame_all(self) -> None:
        """Bring everything into view."""
        self.view.frame(everything=True)

    @command("View", "N")
    def swap_far(self) -> None:
        """Swap the near and the far picture."""
        self.view.swap_far()

    @command("Edit", "Ctrl+T")
    def compare_finishes(self) -> FinishTable:
        """Finishes side by side…"""
        self._table = FinishTable(self, self.session)
        self._table.show()
        return self._table

    @command("Edit", "Ctrl+R")
    def show_recipes(self) -> StepsSheet:
        """Recipes…"""
        self._recipes = StepsSheet(self, self.session)
        self._recipes.show()
        return self._recipes

    @command("View", "P")
    def play_shared(self) -> None:
        """Let the clock run, or hold it."""
        if self.session.project.plays:
            self.session.play(not self.session.playing)
        else:
            self.say("Nothing goes by the clock yet: no shared dial has a track, and no recipe reads the time.", True)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Hold W to see the state before the last change; 1 to 4 choose the brush's channels; Esc gives a stroke up."""
        assert event is not None
        if event.key() == Qt.Key.Key_Escape and self.bench.brush_tool.give_up():
            return
        digit = event.key() - Qt.Key.Key_1
        if self.workspace == "Brush" and 0 <= digit < 4:
            self.bench.brush.choose_channel(digit, bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier))
            return
        if event.key() == Qt.Key.Key_W and not event.isAutoRepeat():
            self.view.show_before(True)
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent | None) -> None:
        """Let W go to see the present state again."""
        assert event is not None
        if event.key() == Qt.Key.Key_W and not event.isAutoRepeat():
            self.view.show_before(False)
        else:
            super().keyReleaseEvent(event)

    @command("View", "Q")
    def look_tool(self) -> None:
        """Look: turn the view, choose props."""
        self.show_workspace("Build")

    @command("View", "B")
    def brush_tool(self) -> None:
        """Brush: paint on props."""
        self.show_workspace("Brush")

    @command("View", "E")
    def pick_value(self) -> None:
        """Pick the value under the pointer to paint with."""
        if self.workspace == "Brush":
            self.bench.brush_tool.pick_value()

    @command("View", "X")
    def swap_brush(self) -> None:
        """Swap the two values that the brush paints toward."""
        self.bench.brush.swap()

    @command("View", "A")
    def smaller_brush(self) -> None:
        """Smaller brush."""
        self.bench.brush.scale(1 / 1.15)

    @command("View", "D")
    def larger_brush(self) -> None:
        """Larger brush."""
        self.bench.brush.scale(1.15)

    @command("View")
    def swap_theme(self) -> None:
        """Swap the dark and the light theme."""
        name = "Porcelain" if theme.current().name == "Inkstone" else "Inkstone"
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        theme.apply(app, name)
        preferences.keep(preferences.THEME, name)
        for widget in self.findChildren(QWidget):
            widget.update()

    @command("Edit")
    def undo_memory(self) -> None:
        """Memory for undo…"""
        document, entry = self.session.document, preferences.UNDO_MEGABYTES
        held = document.history_bytes / 2**20
        text = f"Megabytes that paint in the history may take (it takes {held:.0f} now):"
        room, chosen = QInputDialog.getInt(self, "Memory for undo", text, document.room >> 20, 16, 65536, 64)
        if chosen:
            preferences.keep(entry, room)
            document.room = room << 20

    @command("Help", "F1")
    def show_keys(self) -> None:
        """Keys."""
        lines = [f"<tr><td><b>{c.keys.replace(' ', ' or ')}</b>&nbsp;&nbsp;</td><td>{c.title}</td></tr>"
                 for c in commands_of(type(self)) if c.keys]  # fmt: skip
        mouse = (
            ("Drag", "Turn the view (in Brush: paint; Ctrl paints toward the other value)"),
            ("Shift-drag in Brush", "A straight line, from the end of the last stroke"),
            ("1 2 3 4 in Brush", "Choose the channel; with Ctrl one more"), ("Right-drag", "Turn the view"),
            ("Middle- or Shift-drag", "Move the view"), ("Wheel", "Come closer, go away"),
            ("Drag a number", "Change it; Shift is fine, Ctrl coarse"), ("Drag a finish", "Put it on a prop"),
            ("Esc while painting", "Give the stroke up"), ("Hold W", "See the state before the last change"),
        )  # fmt: skip
        lines += [f"<tr><td><b>{k}</b>&nbsp;&nbsp;</td><td>{t}</td></tr>" for k, t in mouse]
        box = QMessageBox(self)
        box.setWindowTitle("Keys")
        box.setText(f"<table>{''.join(lines)}</table>")
        box.open()
        self._keys = box

    # Dropping files, telling, leaving

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        assert event is not None
        mime = event.mimeData()
        if mime is not None and mime.hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        assert event is not None
        mime = event.mimeData()
        for url in mime.urls() if mime is not None else []:
            self.bring(Path(url.toLocalFile()))

    def bring(self, path: Path) -> None:
        """Take in whatever was dropped: a project, a mesh, a folder of maps, or one picture."""
        if (path / "project.json").is_file() or path.name == "project.json":
            self._leave_for(lambda: self.open_folder(path))
        elif path.is_dir():
            importing.bring_maps(self, path)
        elif by_suffix(MESHES, path) is not None:
            importing.bring_mesh(self, path)
        elif is_image_name(path):
            importing.bring_picture(self, path)
        else:
            self.say(f"{path.name}: not read. Drop a project folder, a mesh, or a folder of maps.", True)

    def tell_mishap(self, line: str, report: str) -> None:
        """Say that something raised an error nobody expected; unsaved work is copied aside first."""
        kept = "A safety copy of your work is being made." if self.session.keep_aside() else "Nothing was unsaved."
        self.say(line, True)
        if self.mishap is not None and not sip.isdeleted(self.mishap) and self.mishap.isVisible():
            self.mishap.report += f"\n\n{report}"  # one box is enough
            return
        self.mishap = MishapBox(self, line, kept, report)
        self.mishap.open()

    def _restore_layout(self) -> None:
        for entry, splitter in ((preferences.ACROSS, self.bench.across), (preferences.MIDDLE, self.bench.middle)):
            state = preferences.recall(entry)
            if state is not None:
                splitter.restoreState(state)
        geometry = preferences.recall(preferences.WINDOW)
        if geometry is not None:
            self.restoreGeometry(geometry)

    def _keep_layout(self) -> None:
        preferences.keep(preferences.ACROSS, self.bench.across.saveState())
        preferences.keep(preferences.MIDDLE, self.bench.middle.saveState())
        preferences.keep(preferences.WINDOW, self.saveGeometry())

    def closeEvent(self, event: QCloseEvent | None) -> None:
        assert event is not None
        if not self.may_leave():
            event.ignore()
            return
        self._keep_layout()
        for timer in self.findChildren(QTimer):
            timer.stop()
        self.session.close()
        event.accept()

    def attention(self) -> Any:
        """The box that was last opened to tell something, for tests and screen readers."""
        return getattr(self, "told", None)

    def ready(self) -> bool:
        """Whether everything asked of the renderer has arrived."""
        return self.view.at_rest and self.bench.at_rest
