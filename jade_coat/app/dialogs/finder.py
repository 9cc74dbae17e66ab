"""Find or do: type a few letters to run a command or to choose a finish or a prop."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget


@dataclass(frozen=True)
class Entry:
    """Something that can be found: its words, a remark at the right, and what choosing it does."""

    text: str
    remark: str
    do: Callable[[], object]


def matches(typed: str, text: str) -> bool:
    """Whether every typed word is somewhere in the text, whatever the case."""
    return all(word in text.lower() for word in typed.lower().split())


class Finder(QDialog):
    """A field over a list."""

    def __init__(self, parent: QWidget, entries: list[Entry]) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self._entries = entries
        self.setObjectName("panel")
        self.setFixedSize(440, 380)
        self.line = QLineEdit()
        self.line.setPlaceholderText("Find a coat, a dial, a finish… or do something")
        self.line.textChanged.connect(self._filter)
        self.list = QListWidget()
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.list.itemActivated.connect(lambda _: self._run())
        self.list.itemClicked.connect(lambda _: self._run())
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 10, 10, 10)
        layout.addWidget(self.line)
        layout.addWidget(self.list)
        self._filter("")
        self.line.setFocus()

    def _filter(self, typed: str) -> None:
        self.list.clear()
        for i, entry in enumerate(self._entries):
            if matches(typed, f"{entry.text} {entry.remark}"):
                item = QListWidgetItem(f"{entry.text}    {entry.remark}".rstrip())
                item.setData(Qt.ItemDataRole.UserRole, i)
                self.list.addItem(item)
        self.list.setCurrentRow(0)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
        if step is not None:
            self.list.setCurrentRow(min(max(self.list.currentRow() + step, 0), self.list.count() - 1))
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._run()
        else:
            super().keyPressEvent(event)

    def _run(self) -> None:
        item = self.list.currentItem()
        if item is None:
            return
        entry = self._entries[item.data(Qt.ItemDataRole.UserRole)]
        self.accept()
        entry.do()
