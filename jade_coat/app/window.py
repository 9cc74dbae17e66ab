"""The main window: the bar with six workspaces, their pages, the status line, and every command."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property, partial
from pathlib import Path
from typing import Any

from PyQt6 import sip
from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QCloseEvent, QContextMenuEvent, QKeyEvent, QKeySequence, QShortcut
from PyQt6.QtWidgets import (
    QApplication,
    QButtonGroup,
    QInputDialog,
    QLineEdit,
    QMenu,
    QStackedWidget,
    QWidget,
)

from jade_coat.app import beginning, focus_order, preferences, theme
from jade_coat.app.bringing import BringingWindow
from jade_coat.app.build.made_watch import MadeWatch
from jade_coat.app.build.map_watch import MapWatch
from jade_coat.app.commands import Bound, chosen_by_scope, command, commands_of
from jade_coat.app.controls.basics import button, column, counted, holder, label, row
from jade_coat.app.dialogs.finder import Finder
from jade_coat.app.dialogs.key_sheet import KeySheet
from jade_coat.app.finding import entries_of
from jade_coat.app.mishaps import MishapBox
from jade_coat.app.recent import recent
from jade_coat.app.session import Session
from jade_coat.app.start_page import StartPage
from jade_coat.app.view.commands import ViewCommands
from jade_coat.app.workspaces.bench import Bench
from jade_coat.app.workspaces.known import WORKSPACES
from jade_coat.material.fields import Color


class Window(BringingWindow):
    """One window on one session."""

    closed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.setWindowTitle("Jade Coat")
        self.resize(1280, 800)
        self.setMinimumSize(900, 560)
        self.setAcceptDrops(True)
        self.bench = Bench(session)
        self.view = self.bench.view
        self.pages = QStackedWidget()
        self.workspaces = {kind.name: kind(self, self.bench) for kind in WORKSPACES}
        for made in self.workspaces.values():
            if self.pages.indexOf(made.page) < 0:
                self.pages.addWidget(made.page)
        self.view_commands = ViewCommands(session, self.view)
        body = column(self._make_bar(), self.pages, self._make_status(), gap=0)
        body.setStretch(1, 1)
        self.setCentralWidget(holder(body))
        theme.dress(self)
        self.bench.arrange()
        self._make_shortcuts()
        self.mishap: MishapBox | None = None
        self.workspace = "Build"
        self.show_workspace("Build")
        session.agree, session.offer = self.agree, self.offer
        session.changed.connect(self._refresh)
        session.said.connect(self.say)
        session.view_state.connect(self._on_view_state)
        self.view.arrived.connect(self._on_frame)
        self._said = QTimer(self)
        self._said.setSingleShot(True)
        self._said.timeout.connect(lambda: self._message.setText(""))
        self._watch, self._made_watch = MapWatch(session), MadeWatch(session)
        self.bench.brush.recall()
        self._refresh()
        self._restore_layout()

    # The bar and the status line

    def _make_bar(self) -> QWidget:
        self._project_button = button("", role="plain", tip="Project menu", names=True)
        self._project_button.clicked.connect(self._open_menu)
        self._saved = label("", "quiet")
        self.tabs = {}
        group = QButtonGroup(self)
        for name in self.workspaces:
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
        layout.setStretch(len(self.workspaces) + 1, 1)
        bar = holder(layout, "bar")
        bar.setFixedHeight(42)
        return bar

    def _make_status(self) -> QWidget:
        self._message = label("", "")
        self._figures = label("", "quiet")
        keys = button("F1 keys", self.show_keys, "plain")
        parts = (self._figures, self.bench.panes, 1, self._message, 1, keys)
        status = holder(row(*parts, margins=(12, 0, 6, 0), gap=12), "status")
        status.setFixedHeight(26)
        self._foot = status
        return status

    def _refresh(self) -> None:
        document, project = self.session.document, self.session.project
        self._project_button.setText(project.name)
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
        self._show_page()
        self._on_frame()

    def _on_frame(self) -> None:
        project = self.session.project
        counts = (
            (len(project.props), "prop"), (len(project.materials), "material"), (len(project.finishes), "finish"),
        )  # fmt: skip
        self._figures.setText(" · ".join(counted(n, word) for n, word in counts) if any(n for n, _ in counts) else "")

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

    def commands(self) -> list[Bound]:
        """All commands there are: of the window, the view and every workspace."""
        return commands_of(self, self.view_commands, self.bench.panes, *self.workspaces.values())

    def _make_shortcuts(self) -> None:
        by_keys: dict[str, list[Bound]] = {}
        for entry in self.commands():
            for keys in entry.command.keys.split():
                by_keys.setdefault(keys, []).append(entry)
        for keys, entries in by_keys.items():
            shortcut = QShortcut(QKeySequence(keys), self)
            shortcut.activated.connect(partial(self._do_key, entries))

    def bring_picture(self, path: Path) -> None:
        """Take one picture in: in Stage as a stamp, else as a map set."""
        if not self.workspaces[self.workspace].takes_picture(path):
            super().bring_picture(path)

    def _do_key(self, entries: list[Bound]) -> None:
        chosen = chosen_by_scope(entries, self.workspace)
        if chosen is not None:
            chosen.do()

    def _open_menu(self) -> None:
        menu = QMenu(self)
        group = ""
        for entry in self.commands():
            known = entry.command
            if group and known.group != group:
                menu.addSeparator()
            group = known.group
            if known.group in ("Project", "Bring in", "Make", "Hand over"):
                action = menu.addAction(f"{known.title}\t{known.keys.split()[0] if known.keys else ''}".rstrip("\t"))
                assert action is not None
                action.triggered.connect(entry.do)
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
        self.workspaces[name].enter()
        self._show_page()

    @cached_property
    def start(self) -> StartPage:
        """The start page, made when it is first wanted."""
        made = StartPage(self.open_project, self.import_mesh, self.import_maps)
        made.demo_wanted.connect(self.open_demo)
        made.project_wanted.connect(lambda folder: self._leave_for(lambda: self.open_folder(folder)))
        made.shape_wanted.connect(lambda shape: beginning.place_shape(self, shape))
        self.pages.addWidget(made)
        return made

    def _show_page(self) -> None:
        """The workspace's page; the start page while there is nothing to work on."""
        page = self.workspaces[self.workspace].page
        if page is self.bench and beginning.is_empty(self.session.project):
            page = self.start
            if self.pages.currentWidget() is not page:
                page.refresh()
        self.pages.setCurrentWidget(page)
        self.bench.panes.setVisible(page is self.bench)

    # Commands: editing and looking

    @command("Edit", "Ctrl+Z")
    def undo(self) -> None:
        """Undo."""
        if self.bench.brush_tool.give_up() or self.bench.wheel.give_up():
            return  # what is under way is what is taken back
        if self.bench.give_back_fill():
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
        finder = Finder(self, entries_of(self))
        corner = self._find.mapToGlobal(self._find.rect().bottomRight())
        finder.move(corner.x() - finder.width(), corner.y() + 4)
        finder.show()
        self._finder = finder

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Hold W to see the state before the last change; Esc gives a stroke up; the workspace may take other keys."""
        assert event is not None
        if event.key() == Qt.Key.Key_Escape and self.bench.give_up():
            return
        if self.workspaces[self.workspace].key(event):
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

    def take_color(self, done: Callable[[Color], None]) -> None:
        """Let the next press in the view give a colour."""
        self.bench.dropper.take(done)

    @command("View")
    def swap_theme(self) -> None:
        """Swap the dark and the light theme."""
        name = "Porcelain" if theme.current().name == "Inkstone" else "Inkstone"
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        theme.apply(app, name)
        theme.dress(self)
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

    @command("Edit", "Shift+F10")
    def open_menu(self) -> None:
        """Open the menu of what has the focus, as a right click on it does."""
        focus = QApplication.focusWidget()
        if focus is not None:
            middle = focus.rect().center()
            kind = QContextMenuEvent.Reason.Keyboard
            QApplication.sendEvent(focus, QContextMenuEvent(kind, middle, focus.mapToGlobal(middle)))

    def focusNextPrevChild(self, next: bool) -> bool:
        """Tab goes through the panes as people read."""
        bench = self.bench
        panes = (
            bench.left, bench.view_bar, bench.view, bench.looks, bench.stack, bench.dials, bench.shared,
            bench.rail, self._foot,
        )  # fmt: skip
        return focus_order.step(self, panes, next)

    @command("Help", "F1")
    def show_keys(self) -> None:
        """Keys."""
        groups: dict[str, list[tuple[str, str]]] = {}
        for bound in self.commands():
            if bound.command.keys:
                known = bound.command
                groups.setdefault(known.group, []).append((known.keys.replace(" ", " or "), known.title))
        self._keys = KeySheet(self, list(groups.items()))
        self._keys.show()

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
        geometry = preferences.recall(preferences.WINDOW)
        if geometry is not None:
            self.restoreGeometry(geometry)

    def _keep_layout(self) -> None:
        self.bench.panes.keep()
        preferences.keep(preferences.WINDOW, self.saveGeometry())

    def closeEvent(self, event: QCloseEvent | None) -> None:
        assert event is not None
        if not self.may_leave():
            event.ignore()
            return
        self._keep_layout()
        self.bench.brush.keep()
        self._keep_picture()
        for timer in self.findChildren(QTimer):
            timer.stop()
        self.session.close()
        for widget in self.findChildren(QWidget):
            if widget.isWindow():  # boxes and sheets would keep the application running
                widget.hide()
        event.accept()
        self.closed.emit()

    def attention(self) -> Any:
        """The box that was last opened to tell something, for tests and screen readers."""
        return getattr(self, "told", None)

    def ready(self) -> bool:
        """Whether everything asked of the renderer has arrived."""
        return self.view.at_rest and self.bench.at_rest
