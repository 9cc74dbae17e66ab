"""Rows of controls for the numbers that something is made from, group by group; only those that matter are shown."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from typing import Any

from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from jade_coat.app.controls.basics import clear, label, row
from jade_coat.app.controls.fields import Field
from jade_coat.app.controls.settings import field_for
from jade_coat.material.fields import Frozen, Setting, declared

WIDTH = 128


class NumberRows(QWidget):
    """The numbers of a record, which `turned` is told of by their names."""

    def __init__(
        self, numbers: Frozen, turned: Callable[[str, Setting], object], map_sets: Sequence[tuple[str, str]] = ()
    ) -> None:
        super().__init__()
        self._numbers, self._turned, self._map_sets = numbers, turned, map_sets
        self._shown: tuple[str, ...] = ()
        self.fields: dict[str, Field] = {}
        self._box = QVBoxLayout(self)
        self._box.setSpacing(4)
        self._build()

    def inset(self, margin: int) -> None:
        """Leave another margin round the rows."""
        self._box.setContentsMargins(margin, margin, margin, margin)

    def follow(self, numbers: Any) -> None:
        """Show other numbers. A field in the hand may have others appear: they are built once the hand is off it."""
        self._numbers = numbers
        for name, field in self.fields.items():
            field.show_value(getattr(numbers, name))
        QTimer.singleShot(0, self._build)

    def _build(self) -> None:
        wanted = {n: s for n, s in declared(type(self._numbers)).items() if s.matters(self._numbers)}
        if tuple(wanted) == self._shown:
            return
        self._shown = tuple(wanted)
        clear(self._box)
        self.fields = {}
        for group in dict.fromkeys(spec.group for spec in wanted.values()):
            if group:
                self._box.addWidget(label(group, "name"))
            for name, spec in wanted.items():
                if spec.group == group:
                    field = self.fields[name] = field_for(spec, getattr(self._numbers, name), self._map_sets)
                    field.changed.connect(partial(self._turned, name))
                    field.setFixedWidth(WIDTH)
                    self._box.addLayout(row(label(spec.label, tip=spec.hint), 1, field))
        self._box.addStretch(1)
