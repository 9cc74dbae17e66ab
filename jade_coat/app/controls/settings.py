"""Controls for dials that shape the program: whole numbers, choices, map sets and curves; and the one for any dial."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtGui import QMouseEvent, QPaintEvent
from PyQt6.QtWidgets import QComboBox, QVBoxLayout, QWidget

from jade_coat.app.controls.basics import choice
from jade_coat.app.controls.color_field import ColorField
from jade_coat.app.controls.fields import Field, NumberField, ToggleField
from jade_coat.app.controls.seam_curve import SeamCurve
from jade_coat.material.fields import Setting, Spec
from jade_coat.material.seam import Seam


class IntegerField(NumberField):
    """A whole number; a drag, a turn of the wheel or an arrow moves it by one."""

    def text(self) -> str:
        """The number without a point."""
        return f"{round(float(self._numbers()[0]))}{' ' + self.spec.unit if self.spec.unit else ''}"

    def exact_text(self) -> str:
        """The same: it has no other digits."""
        return self.text()

    def _nudge(self, start: Setting, index: int, amount: float, modifiers: object) -> None:
        assert isinstance(start, (int, float))
        low, high = self.spec.span
        step = amount * (high - low)
        self._put(round(start + (step if abs(step) >= 1 or self._grab is not None else (1 if amount > 0 else -1))))


class ChoiceField(Field):
    """A drop-down of keys and words."""

    def __init__(self, spec: Spec, value: Setting, choices: Sequence[tuple[str, str]]) -> None:
        super().__init__(spec, value)
        self._choices = choices
        self.box: QComboBox = choice(choices, str(value), self._put, spec.hint or spec.label)
        self.box.setAccessibleName(spec.label)
        self.box.setFixedHeight(24)
        _filled(self, self.box)
        self.setFocusProxy(self.box)

    def mark(self, on: bool) -> None:
        """Leave room for the dot before the drop-down."""
        super().mark(on)
        layout = self.layout()
        if layout is not None:
            layout.setContentsMargins(18 if on else 0, 0, 0, 0)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        self._painter()

    def show_value(self, value: Setting) -> None:
        """Show a value without telling anyone."""
        super().show_value(value)
        self.box.setCurrentIndex(max(self.box.findData(str(value)), 0))


class CurveField(Field):
    """A monotone curve to draw."""

    def __init__(self, spec: Spec, value: Setting) -> None:
        super().__init__(spec, value)
        self.setFixedHeight(74)
        self.curve = _DialCurve(self)
        self.curve.setAccessibleName(spec.label)
        self.curve.moved.connect(self._put)
        _filled(self, self.curve)
        self.show_value(value)

    def show_value(self, value: Setting) -> None:
        """Show a value without telling anyone."""
        super().show_value(value)
        self.curve.show_seam(Seam(kind="ramp", points=value))

    def _put(self, value: Setting) -> None:
        super()._put(value)
        self.show_value(self._value)


class _DialCurve(SeamCurve):
    def __init__(self, owner: CurveField) -> None:
        super().__init__()
        self._owner = owner

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        super().mouseReleaseEvent(event)
        self._owner.settled.emit()


def _short(key: str, text: str) -> str:
    """A choice in a narrow drop-down: its words where they fit, else its key."""
    shown = text if len(text) <= 14 else key
    return shown[:1].upper() + shown[1:]


def _filled(field: Field, inner: QWidget) -> None:
    layout = QVBoxLayout(field)
    layout.setContentsMargins(0, 0, 0, 0)
    layout.addWidget(inner)


def field_for(spec: Spec, value: Setting, map_sets: Sequence[tuple[str, str]] = ()) -> Field:
    """The control for a kind of field; `map_sets` are the ids and names to choose a map set from."""
    if spec.kind == "color":
        return ColorField(spec, value)  # type: ignore[arg-type]
    if spec.kind == "toggle":
        return ToggleField(spec, value)
    if spec.kind == "integer":
        return IntegerField(spec, value)
    if spec.kind == "choice":
        return ChoiceField(spec, value, [(k, _short(k, text)) for k, text in spec.choices])
    if spec.kind == "map":
        return ChoiceField(spec, value, [("", "None"), *map_sets])
    if spec.kind == "curve":
        return CurveField(spec, value)
    return NumberField(spec, value)
