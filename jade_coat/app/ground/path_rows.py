"""The paths over a ground: one row each; the chosen one is laid by hand in the view, and shows its numbers."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from jade_coat.app.build.number_rows import WIDTH, NumberRows
from jade_coat.app.controls.basics import button, clear, counted, holder, label, row
from jade_coat.app.controls.focus import focus_kept
from jade_coat.app.ground.state import GroundState
from jade_coat.app.session import Session
from jade_coat.ground.paths import GroundPath
from jade_coat.material.fields import Setting
from jade_coat.stage import edits
from jade_coat.stage.grounds import Ground
from jade_coat.stage.naming import free_id, free_name


class PathRows(QWidget):
    """One row a path."""

    laid = pyqtSignal()
    """A path runs otherwise: what goes by it is to follow."""

    def __init__(self, session: Session, state: GroundState) -> None:
        super().__init__()
        self._session, self._state = session, state
        self._key: object = None
        self.numbers: NumberRows | None = None
        self.name: QLineEdit | None = None
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(2)
        self.add = button("+ path", self.add_path, "add", "A curve over the land that rules and scatters go by")
        box.addLayout(row(label("PATHS", "head"), 1, self.add))
        self._box = QVBoxLayout()
        self._box.setSpacing(2)
        box.addLayout(self._box)

    def show_ground(self, ground: Ground) -> None:
        """Show the paths of a ground, and which is in hand."""
        key = (ground.id, tuple((p.id, p.name, len(p.points)) for p in ground.paths), self._state.path_id)
        if key != self._key:
            self._key = key
            with focus_kept(self):
                self._build(ground)
        chosen = self._state.path
        if self.numbers is not None and chosen is not None:
            self.numbers.follow(chosen)

    def _build(self, ground: Ground) -> None:
        clear(self._box)
        self.numbers = self.name = None
        for path in ground.paths:
            words = f"{path.name} · {counted(len(path.points), 'point')}"
            entry = button(words, partial(self._choose, path.id), "entry", "Lay it by hand", names=True)
            gone = button("×", partial(self._drop, path.id), "plain", "Remove this path")
            gone.setFixedWidth(26)
            line = row(entry, gone, gap=2)
            line.setStretch(0, 1)
            self._box.addWidget(holder(line))
            if path is self._state.path:
                self._build_chosen(path)
        if not ground.paths:
            none = "None yet. Lay one, and let gravel follow it, or keep bushes off it."
            self._box.addWidget(label(none, "quiet", wrap=True))

    def _build_chosen(self, path: GroundPath) -> None:
        how = (
            "Click the land to go on, or its line for a point between. Drag a point to move it; Delete takes one out. "
        )
        self._box.addWidget(label(how + "Esc puts it down.", "quiet", wrap=True))
        self.name = QLineEdit(path.name)
        self.name.setAccessibleName("Name of the path")
        self.name.setFixedWidth(WIDTH)
        self.name.editingFinished.connect(self._rename)
        self._box.addLayout(row(label("Name"), 1, self.name, margins=(9, 0, 9, 0)))
        self.numbers = NumberRows(path, self._turn)
        self._box.addWidget(self.numbers)

    # Hands

    def add_path(self) -> None:
        """Add a path without a point, and take it in hand."""
        ground = self._state.ground
        if ground is None:
            return
        name = free_name("Path", {p.name for p in ground.paths})
        made = GroundPath(id=free_id(name, {p.id for p in ground.paths}), name=name)
        if self._session.do(edits.add_path(ground=ground.id, path=made).called(f"Lay {name.lower()}")):
            self._state.take_path(made.id)

    def _choose(self, path: str) -> None:
        self._state.take_path("" if self._state.path_id == path else path)

    def _rename(self) -> None:
        path = self._state.path
        if self.name is not None and path is not None and self.name.text().strip() not in ("", path.name):
            self._set("name", self.name.text().strip())

    def _turn(self, name: str, value: Setting) -> None:
        self._set(name, value)
        self.laid.emit()

    def _set(self, name: str, value: Setting) -> None:
        ground, path = self._state.ground, self._state.path
        if ground is not None and path is not None and getattr(path, name) != value:
            edit = edits.set_path(ground=ground.id, path=path.id, **{name: value})
            self._session.do(edit.called(f"Change {path.name.lower()}"), merge=("path", ground.id, path.id, name))

    def _drop(self, path: str) -> None:
        ground = self._state.ground
        if ground is None:
            return
        name, by_it = ground.path(path).name, sum(r.path == path for r in ground.rules)
        grown = sum(s.off_paths > 0 or s.by_paths > 0 for s in ground.scatter)
        if self._session.do(edits.remove_path(ground=ground.id, path=path).called(f"Remove {name.lower()}")):
            told = [f"{counted(by_it, 'rule')} went by it and lays nothing now"] if by_it else []
            told += [f"{counted(grown, 'scatter')} minded paths and grows anew"] if grown else []
            self._session.said.emit(f"{name} is gone. {'; '.join(told)}".rstrip() + ("." if told else ""), False)
            self.laid.emit()
