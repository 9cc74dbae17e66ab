"""Controls for numbers, ranges, angles and colours: drag, type, wheel and arrows, with units."""

from __future__ import annotations

import math
from typing import Any

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QFocusEvent,
    QKeyEvent,
    QLinearGradient,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QWheelEvent,
)
from PyQt6.QtWidgets import QLineEdit, QToolTip, QVBoxLayout, QWidget

from jade_coat.app import theme
from jade_coat.app.controls.basics import FocusPainted
from jade_coat.app.controls.numbers import NotANumber, exact_text, numbers_text, read_numbers, shown
from jade_coat.maps.color import to_linear, to_srgb
from jade_coat.material.fields import Color, Number, Setting, Spec

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


class ColorField(Field):
    """A swatch of a linear colour; a click opens the picker."""

    def __init__(self, spec: Spec, value: Color) -> None:
        super().__init__(spec, value)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = self._painter()
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(color_of(self._value))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(18 if self._marked else 2, 2, -2, -2), 3, 3)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self.pick()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.pick()
        else:
            super().keyPressEvent(event)

    def pick(self) -> None:
        """Open the picker below the swatch."""
        popover = pick_color(self, self._value)
        popover.picked.connect(self._put)
        popover.closed.connect(self.settled.emit)


def color_of(value: Number) -> QColor:
    """A linear colour as Qt shows it; brighter than white is scaled down to white."""
    numbers = value if isinstance(value, tuple) else (value,) * 3
    top = max(1.0, *numbers)
    r, g, b = (float(v) for v in to_srgb([n / top for n in numbers]))
    return QColor.fromRgbF(min(r, 1.0), min(g, 1.0), min(b, 1.0))


class ColorPicker(QWidget):
    """Hue across, saturation down, brightness below, and the sRGB code to type."""

    picked = pyqtSignal(object)
    closed = pyqtSignal()

    def __init__(self, parent: QWidget, value: Color) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground, True)
        self.setFixedSize(232, 236)
        self._gain = max(1.0, *value)
        tone = color_of(value)
        self._hue, self._saturation, self._bright = max(tone.hueF(), 0.0), tone.saturationF(), tone.valueF()
        self._field, self._bar = QRectF(12, 12, 208, 140), QRectF(12, 162, 208, 18)
        self._part = ""
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 192, 12, 12)
        self._code = QLineEdit(tone.name())
        self._code.setAccessibleName("sRGB code")
        self._offered = tone.name()
        self._code.editingFinished.connect(self._typed)
        layout.addWidget(self._code)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.color("panel"))
        painter.setPen(QPen(theme.color("line")))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        hues = QLinearGradient(self._field.topLeft(), self._field.topRight())
        for i in range(13):
            hues.setColorAt(i / 12, QColor.fromHsvF(i / 12 % 1.0, 1, max(self._bright, 0.15)))
        painter.fillRect(self._field, hues)
        fade = QLinearGradient(self._field.topLeft(), self._field.bottomLeft())
        grey = QColor.fromHsvF(0, 0, max(self._bright, 0.15))
        clear = QColor(grey)
        clear.setAlpha(0)
        fade.setColorAt(0, clear)
        fade.setColorAt(1, grey)
        painter.fillRect(self._field, fade)
        ramp = QLinearGradient(self._bar.topLeft(), self._bar.topRight())
        ramp.setColorAt(0, QColor("black"))
        ramp.setColorAt(1, QColor.fromHsvF(self._hue, self._saturation, 1))
        painter.fillRect(self._bar, ramp)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for ring, width in ((QColor("black"), 3), (QColor("white"), 1.5)):
            painter.setPen(QPen(ring, width))
            painter.drawEllipse(self._spot(), 6, 6)
            x = self._bar.left() + self._bright * self._bar.width()
            painter.drawRect(QRectF(x - 3, self._bar.top() - 1, 6, self._bar.height() + 2))

    def _spot(self) -> QPointF:
        f = self._field
        return QPointF(f.left() + self._hue * f.width(), f.top() + (1 - self._saturation) * f.height())

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        inside = self._field.adjusted(-4, -4, 4, 4).contains(event.position())
        self._part = "field" if inside else "bar" if self._bar.contains(event.position()) else ""
        if not self.rect().contains(event.position().toPoint()):
            self.close()
        self.mouseMoveEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        p = event.position()
        if self._part == "field":
            self._hue = min(max((p.x() - self._field.left()) / self._field.width(), 0.0), 0.999)
            self._saturation = 1 - min(max((p.y() - self._field.top()) / self._field.height(), 0.0), 1.0)
        elif self._part == "bar":
            self._bright = min(max((p.x() - self._bar.left()) / self._bar.width(), 0.0), 1.0)
        else:
            return
        self._tell(QColor.fromHsvF(self._hue, self._saturation, self._bright))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._part = ""

    def _typed(self) -> None:
        tone = QColor(self._code.text())
        if tone.isValid() and self._code.text() != self._offered:
            self._gain = 1.0
            self._hue, self._saturation, self._bright = max(tone.hueF(), 0.0), tone.saturationF(), tone.valueF()
            self._tell(tone)

    def _tell(self, tone: QColor) -> None:
        self._offered = tone.name()
        self._code.setText(self._offered)
        self.update()
        linear = to_linear([tone.redF(), tone.greenF(), tone.blueF()])
        self.picked.emit(tuple(float(c) * self._gain for c in linear))

    def closeEvent(self, event: object) -> None:
        self.closed.emit()
        super().closeEvent(event)  # type: ignore[arg-type]


def pick_color(under: QWidget, value: Color) -> ColorPicker:
    """Open a picker below a widget."""
    popover = ColorPicker(under, value)
    corner = under.mapToGlobal(under.rect().bottomRight())
    screen = under.screen()
    assert screen is not None
    area = screen.availableGeometry()
    x = max(area.left(), min(corner.x() - popover.width(), area.right() - popover.width()))
    y = corner.y() + 4
    if y + popover.height() > area.bottom():
        y = corner.y() - under.height() - popover.height() - 4
    popover.move(x, y)
    popover.show()
    return popover


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
