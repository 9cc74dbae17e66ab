"""Controls for numbers, ranges, angles and colours: drag, type, wheel and arrows, with units."""

from __future__ import annotations

import math
from typing import Any

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QFocusEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QWheelEvent,
)
from PyQt6.QtWidgets import QLineEdit, QToolTip

from jade_coat.app import theme
from jade_coat.app.controls.numbers import NotANumber, exact_text, numbers_text, read_numbers, shown
from jade_coat.app.controls.tiles import FocusPainted
from jade_coat.material.fields import Number, Setting, Spec

FINE, COARSE = 0.1, 5.0


class Field(FocusPainted):
    """What all controls share. `changed` comes while a value moves, `settled` when the move is over."""

    changed = pyqtSignal(object)
    settled = pyqtSignal()

    def __init__(self, spec: Spec, value: Setting) -> None:
        super().__init__()
        self.spec = spec
        self._value: Any = value
        self._marked = False
        self.setFixedHeight(24)
        self.setMinimumWidth(92)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setToolTip(spec.hint or spec.label)
        self.setAccessibleName(spec.label)

    @property
    def value(self) -> Any:
        """What the control shows."""
        return self._value

    def show_value(self, value: Setting) -> None:
        """Show a value without telling anyone."""
        if value != self._value:
            self._value = value
            self.update()

    def mark(self, on: bool) -> None:
        """Show by a dot that the value is set here rather than inherited, or not."""
        if on != self._marked:
            self._marked = on
            self.update()

    def _put(self, value: Setting) -> None:
        value = self.spec.clamped(value)
        if value != self._value:
            self._value = value
            self.update()
            self.changed.emit(value)

    def _painter(self) -> QPainter:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        edge = theme.color("jade") if self.hasFocus() else theme.color("well")
        painter.setPen(QPen(edge, 1))
        painter.setBrush(theme.color("well"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 4, 4)
        if self._marked:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.color("persimmon"))
            painter.drawEllipse(QPointF(9, self.height() / 2), 3, 3)
        return painter


class _Editor(QLineEdit):
    """Where a value is typed. Enter and leaving end it, Escape gives it up; no key of it goes on to the window."""

    ended = pyqtSignal(bool)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.ended.emit(True)
        elif event.key() == Qt.Key.Key_Escape:
            self.ended.emit(False)
        else:
            super().keyPressEvent(event)
        event.accept()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        if event is not None and event.reason() != Qt.FocusReason.PopupFocusReason:
            self.ended.emit(True)


class NumberField(Field):
    """One number or a pair: drag sideways, type, wheel, arrows; Shift is fine, Ctrl coarse."""

    def __init__(self, spec: Spec, value: Setting) -> None:
        super().__init__(spec, value)
        self._grab: tuple[float, int, Number] | None = None
        self._moved = False
        self._editor: _Editor | None = None
        self._by_hand = False
        """Whether typing was begun with the mouse: the keyboard then goes back to the window."""
        self.setCursor(Qt.CursorShape.SizeHorCursor)

    def _numbers(self) -> tuple[float, ...]:
        return self._value if isinstance(self._value, tuple) else (self._value,)

    def _with(self, index: int, number: float) -> Number:
        numbers = list(self._numbers())
        numbers[index] = number
        return tuple(numbers) if len(numbers) > 1 else numbers[0]

    def text(self) -> str:
        """The value as shown, with its unit."""
        return numbers_text(self.spec, self._value)

    def _share(self, number: float) -> float:
        low, high = self.spec.span
        if self.spec.logarithmic:
            low = max(low, 1e-9)
            return (math.log(max(number, low)) - math.log(low)) / (math.log(high) - math.log(low))
        return (number - low) / (high - low)

    def _from_share(self, share: float) -> float:
        low, high = self.spec.span
        if self.spec.logarithmic:
            low = max(low, 1e-9)
            return math.exp(math.log(low) + share * (math.log(high) - math.log(low)))
        return low + share * (high - low)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = self._painter()
        inner = QRectF(self.rect()).adjusted(8, 0, -8, 0)
        painter.setPen(theme.color("text"))
        painter.setFont(theme.font(13))
        painter.drawText(inner, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, self.text())
        shares = [min(max(self._share(n), 0.0), 1.0) for n in self._numbers()]
        if self.spec.kind in ("pair", "point"):
            return
        start = min(shares) if len(shares) > 1 else 0.0
        width = self.width() - 4
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("jade"))
        painter.drawRoundedRect(
            QRectF(2 + start * width, self.height() - 3.5, max((max(shares) - start) * width, 2), 2), 1, 1
        )

    def _nudge(self, start: Number, index: int, amount: float, modifiers: Qt.KeyboardModifier) -> None:
        if modifiers & Qt.KeyboardModifier.ShiftModifier:
            amount *= FINE
        if modifiers & Qt.KeyboardModifier.ControlModifier:
            amount *= COARSE
        numbers = start if isinstance(start, tuple) else (start,)
        self._put(self._with(index, self._from_share(self._share(numbers[index]) + amount)))

    def _index_at(self, x: float) -> int:
        return min(int(x / max(self.width(), 1) * len(self._numbers())), len(self._numbers()) - 1)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() == Qt.MouseButton.LeftButton:
            x = event.position().x()
            self._grab, self._moved = (x, self._index_at(x), self._value), False

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._grab is None:
            return
        x, index, start = self._grab
        offset = event.position().x() - x
        if self._moved or abs(offset) > 3:
            self._moved = True
            self._nudge(start, index, offset / 220, event.modifiers())

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        grab, self._grab = self._grab, None
        if grab is None:
            return
        if self._moved:
            self.settled.emit()
        else:
            self.edit(by_hand=True)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        if not self.hasFocus():
            event.ignore()  # let the panel scroll
            return
        turn = event.angleDelta().y() or event.angleDelta().x()
        self._nudge(self._value, self._index_at(event.position().x()), turn / 120 * 0.02, event.modifiers())
        self.settled.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        step = {Qt.Key.Key_Up: 0.02, Qt.Key.Key_Right: 0.02, Qt.Key.Key_Down: -0.02, Qt.Key.Key_Left: -0.02}.get(
            Qt.Key(event.key())
        )
        if step is not None:
            self._nudge(self._value, 0, step, event.modifiers())
            self.settled.emit()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_F2):
            self.edit()
        else:
            super().keyPressEvent(event)

    def edit(self, by_hand: bool = False) -> None:
        """Let the user type the value."""
        if self._editor is not None:
            return
        self._by_hand = by_hand
        editor = _Editor(self)
        editor.setGeometry(self.rect())
        editor.setAlignment(Qt.AlignmentFlag.AlignRight)
        editor.setText(self.exact_text())
        editor.selectAll()
        editor.ended.connect(self._typed)
        editor.show()
        editor.setFocus()
        self._editor = editor
        self._offered = editor.text()

    def exact_text(self) -> str:
        """The value with all its digits, as it is edited."""
        return numbers_text(self.spec, self._value, exact=True)

    def _typed(self, keep: bool) -> None:
        editor, self._editor = self._editor, None
        if editor is None:
            return
        typed, held = editor.text(), editor.hasFocus()
        editor.hide()
        editor.deleteLater()
        if held and self._by_hand:
            self.clearFocus()
        elif held:
            self.setFocus()
        if not keep or typed.strip() == self._offered.strip():
            return
        try:
            value = read_numbers(self.spec, typed)
        except NotANumber as error:
            QToolTip.showText(self.mapToGlobal(self.rect().bottomLeft()), f"{error}. The value stays.", self)
            return
        self._put(value)
        self.settled.emit()


class NumberLine(QLineEdit):
    """A line to type one number into; it keeps the exact number it was given until another text stands there."""

    def __init__(self, spec: Spec, value: float, width: int) -> None:
        super().__init__(exact_text(shown(spec, value)))
        self._spec, self._exact, self._offered = spec, value, self.text()
        self.setFixedWidth(width)

    def number(self) -> float:
        """The number. Raises NotANumber."""
        if self.text() == self._offered:
            return self._exact
        value = read_numbers(self._spec, self.text())
        assert isinstance(value, (int, float))
        return float(value)

    def give_up(self) -> None:
        """Show the number it was given again."""
        self.setText(self._offered)


class ToggleField(Field):
    """A switch between off (0) and on (1)."""

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        track = QRectF(self.width() - 38, 4, 32, 16)
        on = bool(self._value)
        painter.setPen(QPen(theme.color("jade" if self.hasFocus() else "line"), 1))
        painter.setBrush(theme.color("jade" if on else "well"))
        painter.drawRoundedRect(track, 8, 8)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("panel" if on else "quiet"))
        painter.drawEllipse(QPointF(track.right() - 8 if on else track.left() + 8, track.center().y()), 5, 5)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self.flip()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.flip()
        else:
            super().keyPressEvent(event)

    def flip(self) -> None:
        """Turn it over."""
        self._put(0.0 if self._value else 1.0)
        self.settled.emit()
