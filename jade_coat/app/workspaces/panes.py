"""Panes: the parts of the bench round the view, which fold with a click and a key; each workspace remembers its own."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import partial

from PyQt6.QtCore import QByteArray, Qt, pyqtSignal
from PyQt6.QtWidgets import QApplication, QPushButton, QSplitter, QWidget

from jade_coat.app import preferences
from jade_coat.app.commands import command
from jade_coat.app.controls.basics import button, row


@dataclass(frozen=True)
class Pane:
    """A part that folds: what it is called on its button, what is shown or hidden, and what it holds, in words."""

    title: str
    widget: QWidget
    holds: str


class Panes(QWidget):
    """The buttons of the panes, and which of them are open."""

    arranged = pyqtSignal()

    def __init__(self, panes: Mapping[str, Pane], splitters: Mapping[str, QSplitter], stays: QWidget) -> None:
        """`stays` is what is never hidden, and takes the keyboard over from what is."""
        super().__init__()
        self._panes, self._splitters, self._stays = dict(panes), dict(splitters), stays
        self._workspace, self._usual = "", frozenset[str]()
        self._before_alone: frozenset[str] | None = None
        self.buttons: dict[str, QPushButton] = {}
        keys = {f.command.name: f.command.keys for f in vars(type(self)).values() if hasattr(f, "command")}
        for name, pane in self._panes.items():
            made = button(pane.title, partial(self.turn, name), "pane", f"{pane.holds} ({keys[f'turn_{name}']})")
            made.setCheckable(True)
            made.setChecked(True)
            made.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            self.buttons[name] = made
        self.alone = button("View alone", self.view_alone, "pane", f"Nothing but the view ({keys['view_alone']})")
        self.alone.setCheckable(True)
        self.setLayout(row(*self.buttons.values(), self.alone, gap=0))

    @property
    def shut(self) -> frozenset[str]:
        """The panes that are folded."""
        return frozenset(n for n, p in self._panes.items() if p.widget.isHidden())

    def enter(self, workspace: str, usually_shut: frozenset[str]) -> None:
        """Arrange the panes as a workspace was left, or as it is at first."""
        if workspace == self._workspace:
            return
        self.keep()
        self._workspace, self._usual, self._before_alone = workspace, usually_shut, None
        kept = preferences.recall(preferences.LAYOUTS).get(workspace, {})
        for name, splitter in self._splitters.items():
            state = kept.get(name)
            if isinstance(state, str):
                splitter.restoreState(QByteArray.fromBase64(state.encode()))
        shut = kept.get("shut")
        self._fold(frozenset(shut) & set(self._panes) if isinstance(shut, list) else usually_shut)

    def keep(self) -> None:
        """Remember how the present workspace is arranged."""
        if not self._workspace:
            return
        shut = self.shut if self._before_alone is None else self._before_alone
        found = {n: bytes(s.saveState().toBase64().data()).decode() for n, s in self._splitters.items()}
        layouts = dict(preferences.recall(preferences.LAYOUTS))
        layouts[self._workspace] = {"shut": sorted(shut), **found}
        preferences.keep(preferences.LAYOUTS, layouts)

    def turn(self, name: str) -> None:
        """Fold a pane that is open, open one that is folded."""
        self._before_alone = None
        self._fold(self.shut ^ {name})

    def open(self, name: str) -> None:
        """Open a pane."""
        if name in self.shut:
            self.turn(name)

    def _fold(self, shut: frozenset[str]) -> None:
        focus = QApplication.focusWidget()
        for name, pane in self._panes.items():
            if name in shut and focus is not None and pane.widget.isAncestorOf(focus):
                self._stays.setFocus()
            pane.widget.setHidden(name in shut)
            self.buttons[name].setChecked(name not in shut)
        self.alone.setChecked(self._before_alone is not None)
        self.arranged.emit()

    @command("View", "V")
    def view_alone(self) -> None:
        """The view alone, or all as before."""
        before, self._before_alone = self._before_alone, None
        if before is None and self.shut == set(self._panes):
            before = self._usual  # all was folded one by one
        if before is None:
            self._before_alone = self.shut
            before = frozenset(self._panes)
        self._fold(before)

    @command("View", "Alt+1")
    def turn_panel(self) -> None:
        """Fold or open the panel at the left."""
        self.turn("panel")

    @command("View", "Alt+2")
    def turn_looks(self) -> None:
        """Fold or open the look-at strip."""
        self.turn("looks")

    @command("View", "Alt+3")
    def turn_section(self) -> None:
        """Fold or open the coats and their section."""
        self.turn("section")

    @command("View", "Alt+4")
    def turn_finishes(self) -> None:
        """Fold or open the finish rail."""
        self.turn("finishes")

    @command("View", "Alt+5")
    def turn_dials(self) -> None:
        """Fold or open the dials at the right."""
        self.turn("dials")
