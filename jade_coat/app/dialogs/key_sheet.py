"""The keys: every command that has one, by group, in columns, with a line to search them by."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QGridLayout, QHBoxLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from jade_coat.app.controls.basics import button, clear, holder, label, row, scrolled
from jade_coat.app.dialogs.finder import matches

COLUMNS = 3
MOUSE: dict[str, tuple[tuple[str, str], ...]] = {
    "Mouse in the view": (
        ("Drag", "Turn (in Brush: paint)"), ("Right-drag", "Turn"), ("Right-click", "What can be done with a prop"),
        ("Middle- or Shift-drag", "Move"), ("Wheel", "Come closer, go away"), ("Drag a finish", "Put it on a prop"),
    ),
    "Brush": (
        ("1 2 3 4", "Choose the channel; with Ctrl one more"), ("Ctrl-drag", "Paint toward the other value"),
        ("Shift-drag", "A straight line, from the end of the last stroke"), ("Esc", "Give the stroke up"),
    ),
    "In fields": (
        ("Drag a number", "Change it; Shift is fine, Ctrl coarse"), ("Return", "Type a number, with units and sums"),
        ("Hold W", "See the state before the last change"), ("Alt-arrows", "Move a coat or a where-term"),
    ),
}  # fmt: skip


class KeySheet(QDialog):
    """Commands with their keys; each group is a block, and blocks fill columns of about one height."""

    def __init__(self, parent: QWidget, groups: Sequence[tuple[str, Sequence[tuple[str, str]]]]) -> None:
        """`groups` are titles with pairs of keys and what they do."""
        super().__init__(parent)
        self.setWindowTitle("Keys")
        self.resize(1040, min(690, parent.height() - 40))
        merged = {title: [*lines] for title, lines in groups}
        for title, more in MOUSE.items():
            merged.setdefault(title, []).extend(more)
        self._groups = list(merged.items())
        self.line = QLineEdit()
        self.line.setPlaceholderText("Search the keys")
        self.line.textChanged.connect(self._fill)
        self._columns = QHBoxLayout()
        self._columns.setSpacing(28)
        body = holder(self._columns)
        layout = QVBoxLayout(self)
        layout.setSpacing(10)
        layout.addLayout(row(self.line))
        layout.addWidget(scrolled(body), 1)
        layout.addLayout(row(1, button("Close", self.accept)))
        self._fill("")
        self.line.setFocus()

    def text(self) -> str:
        """All that is shown, for tests and screen readers."""
        return "\n".join(w.text() for w in self.findChildren(QLabel))

    def _fill(self, typed: str) -> None:
        clear(self._columns)
        found = {
            title: [(k, t) for k, t in lines if matches(typed, f"{title} {k} {t}")] for title, lines in self._groups
        }
        blocks = [(title, lines) for title, lines in found.items() if lines]
        total = sum(len(lines) + 2 for _, lines in blocks)
        columns: list[QVBoxLayout] = []
        height = 0.0
        for title, lines in blocks:
            if not columns or (height + len(lines) / 2 > total / COLUMNS and len(columns) < COLUMNS):
                columns.append(QVBoxLayout())
                columns[-1].setSpacing(14)
                height = 0.0
            columns[-1].addLayout(self._block(title, lines))
            height += len(lines) + 2
        for made in columns:
            made.addStretch(1)
            self._columns.addLayout(made, 1)
        if not blocks:
            self._columns.addWidget(label("No key does that. Ctrl+K finds what has none.", "quiet"))

    def _block(self, title: str, lines: Sequence[tuple[str, str]]) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(12)
        grid.setVerticalSpacing(3)
        grid.setColumnStretch(1, 1)
        grid.addWidget(label(title.upper(), "head"), 0, 0, 1, 2)
        for at, (keys, text) in enumerate(lines, 1):
            key = label(keys, "name")
            key.setAlignment(Qt.AlignmentFlag.AlignTop)
            grid.addWidget(key, at, 0)
            grid.addWidget(label(text, "", wrap=True), at, 1)
        return grid
