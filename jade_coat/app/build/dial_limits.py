"""Asks for a dial's limits: what it may never leave, where its slider ends, and whether the slider runs by powers."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from PyQt6.QtWidgets import QCheckBox, QDialog, QGridLayout, QVBoxLayout, QWidget

from jade_coat.app.controls.basics import button, label, row
from jade_coat.app.controls.fields import NumberLine
from jade_coat.app.controls.numbers import number_text, shown
from jade_coat.material.fields import Spec, Vec2
from jade_coat.material.material import Dial, Material, spec_at
from jade_coat.material.rows import dial_spec


class DialLimits(QDialog):
    """Four numbers and a tick; what is left as the field has it stays the field's."""

    def __init__(self, parent: QWidget, material: Material, dial: Dial) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Limits of {dial.name}")
        self.setFixedWidth(380)
        self._field, now = spec_at(material, dial.path), dial_spec(material, dial)
        self._slider = now.span
        unit = "°" if now.kind == "angle" else now.unit
        self.low, self.high = _number(now, now.low), _number(now, now.high)
        self.start, self.end = _number(now, now.span[0]), _number(now, now.span[1])
        self.powers = QCheckBox("by powers: as easy to set to 0.001 as to 1")
        self.powers.setChecked(now.logarithmic)
        self._warning = label("", "warn", wrap=True)
        self.keep = button("Keep", self._keep, "main")
        grid = QGridLayout()
        grid.setVerticalSpacing(8)
        for at, (text, first, second) in enumerate(
            (("Never beyond", self.low, self.high), ("Slider", self.start, self.end))
        ):
            for place, widget in enumerate((label(text), first, label("to"), second, label(unit))):
                grid.addWidget(widget, at, place)
        inside = f"The field itself allows {number_text(shown(now, self._field.low))} to "
        note = label(f"{inside}{number_text(shown(now, self._field.high))}{' ' + unit if unit else ''}.", "quiet")
        layout = QVBoxLayout(self)
        layout.setSpacing(10)
        layout.addLayout(grid)
        layout.addWidget(self.powers)
        layout.addWidget(note)
        layout.addWidget(self._warning)
        layout.addLayout(row(1, button("Cancel", self.reject), self.keep))

    def chosen(self) -> dict[str, Any]:
        """What to change of the dial. Raises ValueError for something that is no number, or limits the wrong way."""
        limits, slider = self._span(self.low, self.high), self._span(self.start, self.end)
        return {
            "limits": None if limits == (self._field.low, self._field.high) else limits,
            "soft": None if slider == self._field.span else slider,
            "logarithmic": self.powers.isChecked(),
        }

    def _span(self, first: NumberLine, second: NumberLine) -> Vec2:
        low, high = first.number(), second.number()
        if not low < high:
            raise ValueError("the first number of each pair must be the smaller one")
        return low, high

    def _keep(self) -> None:
        try:
            span = self.chosen()["soft"] or self._slider
        except ValueError as error:
            text = str(error)
            self._warning.setText(f"{text[:1].upper()}{text[1:]}.")
            return
        if self.powers.isChecked() and span[0] <= 0:
            self._warning.setText("By powers, the slider has to start above 0.")
            return
        self.accept()


def _number(spec: Spec, value: float) -> NumberLine:
    return NumberLine(replace(spec, kind="angle" if spec.kind == "angle" else "number", choices=()), value, 84)
