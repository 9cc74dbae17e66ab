"""The picker of a colour: by hue, saturation and value, by code, by linear numbers, from the view, from recent ones."""

from __future__ import annotations

import colorsys
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QLinearGradient, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QAbstractButton, QLineEdit, QVBoxLayout, QWidget

from jade_coat.app import preferences, theme
from jade_coat.app.controls.basics import button, label, row, show_or_hide
from jade_coat.app.controls.fields import NumberField
from jade_coat.maps.color import to_linear, to_srgb
from jade_coat.material.fields import Color, Number, Spec

_HUE = Spec("Hue", "angle", low=0.0, high=6.2831853)
_SHARE = Spec("Share")
_FIELD = 66
RECENT = 9
FIELD, BAR = QRectF(12, 12, 240, 132), QRectF(12, 152, 240, 16)


def color_of(value: Number) -> QColor:
    """A linear colour as Qt shows it; brighter than white is scaled down to white."""
    numbers = value if isinstance(value, tuple) else (value,) * 3
    top = max(1.0, *numbers)
    r, g, b = (float(v) for v in to_srgb([n / top for n in numbers]))
    return QColor.fromRgbF(min(r, 1.0), min(g, 1.0), min(b, 1.0))


class ColorPicker(QWidget):
    """Works on the linear colour itself: what is not touched is never rounded.

    Above white, a colour is one that is at most white times its strength.
    """

    picked = pyqtSignal(object)
    closed = pyqtSignal()
    dropper_wanted = pyqtSignal()

    def __init__(self, parent: QWidget, value: Color, high: float = 1.0, dropper: bool = False) -> None:
        """`high` is the largest value of a channel, `dropper` whether a colour can be taken from the view."""
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground, True)
        self.setFixedWidth(264)
        self._first = self._value = tuple(float(v) for v in value)
        self._high = high
        self._hsv = (0.0, 0.0, 0.0)
        self._part = ""
        self.code = QLineEdit()
        self.code.setAccessibleName("sRGB code")
        self.code.editingFinished.connect(self._typed_code)
        self._offered = ""
        take = button("From the view", self._take, "", "Press a place of the view to take the surface's colour there")
        show_or_hide(take, dropper)
        self.tones = self._fields((_HUE, _SHARE, _SHARE), ("Hue", "Saturation", "Value"), self._turn_tone)
        linear = Spec("Linear", low=0.0, high=high, soft=(0.0001, max(high, 1.0)), logarithmic=True)
        self.channels = self._fields((linear,) * 3, ("Red", "Green", "Blue"), self._turn_channel)
        self.strength = NumberField(Spec("Strength", low=1.0, high=max(high, 1.01), logarithmic=True), 1.0)
        self.strength.setToolTip("How many times brighter than white")
        self.strength.changed.connect(self._turn_strength)
        self.strength.setFixedWidth(_FIELD)
        lines = QVBoxLayout()
        lines.setSpacing(5)
        lines.addLayout(row(self.code, take))
        lines.addLayout(row(label("HSV", "quiet"), 1, *self.tones, gap=3))
        lines.addLayout(row(label("Linear", "quiet"), 1, *self.channels, gap=3))
        if high > 1:
            lines.addLayout(row(label("Strength", "quiet"), 1, self.strength))
        recent = [_Recent(c, self._take_recent) for c in preferences.recall(preferences.RECENT_COLORS)[:RECENT]]
        if recent:
            lines.addLayout(row(*recent, 1, gap=4))
        self.recent = recent
        outer = QVBoxLayout(self)
        outer.setContentsMargins(12, round(BAR.bottom()) + 12, 12, 12)
        outer.addLayout(lines)
        self._show(self._value)

    def _fields(
        self, specs: tuple[Spec, ...], names: tuple[str, ...], turn: Callable[[int, float], None]
    ) -> list[NumberField]:
        made = []
        for i, (spec, name) in enumerate(zip(specs, names, strict=True)):
            field = NumberField(spec, spec.low)
            field.setFixedWidth(_FIELD)
            field.setToolTip(name)
            field.setAccessibleName(name)
            field.changed.connect(lambda value, i=i: turn(i, float(value)))
            made.append(field)
        return made

    # The colour

    @property
    def value(self) -> Color:
        """The linear colour."""
        r, g, b = self._value
        return (r, g, b)

    @property
    def _gain(self) -> float:
        return max(1.0, *self._value)

    def _show(self, value: tuple[float, ...], hsv: tuple[float, float, float] | None = None) -> None:
        """Show a linear colour; `hsv` is what it was made of, which grey and black would not tell."""
        self._value = tuple(min(max(v, 0.0), self._high) for v in value)
        encoded = [float(v) for v in to_srgb([v / self._gain for v in self._value])]
        if hsv is None:
            hue, saturation, bright = colorsys.rgb_to_hsv(*encoded)
            hsv = (hue if saturation > 1e-6 else self._hsv[0], saturation if bright > 1e-6 else self._hsv[1], bright)
        self._hsv = hsv
        self._offered = color_of(self._value).name()
        self.code.setText(self._offered)
        for field, shown in zip(self.tones, (hsv[0] * _HUE.high, hsv[1], hsv[2]), strict=True):
            field.show_value(shown)
        for field, shown in zip(self.channels, self._value, strict=True):
            field.show_value(shown)
        self.strength.show_value(self._gain)
        self.update()

    def _put(self, value: tuple[float, ...], hsv: tuple[float, float, float] | None = None) -> None:
        self._show(value, hsv)
        self.picked.emit(self.value)

    def _put_tone(self, hsv: tuple[float, float, float]) -> None:
        gain = self._gain
        linear = to_linear(list(colorsys.hsv_to_rgb(*hsv)))
        self._put(tuple(float(v) * gain for v in linear), hsv)

    def _turn_tone(self, index: int, value: float) -> None:
        tones = list(self._hsv)
        tones[index] = value / _HUE.high if index == 0 else value
        self._put_tone((tones[0], tones[1], tones[2]))

    def _turn_channel(self, index: int, value: float) -> None:
        channels = list(self._value)
        channels[index] = value
        self._put(tuple(channels))

    def _turn_strength(self, value: Any) -> None:
        top = max(self._value)  # a dim colour first becomes as bright as it can be
        self._put(tuple(v / top * float(value) for v in self._value) if top > 0 else (float(value),) * 3)

    def _typed_code(self) -> None:
        tone = QColor(self.code.text() if self.code.text().startswith("#") else f"#{self.code.text()}")
        if self.code.text() == self._offered:
            return  # what was there is not rounded to a code
        if not tone.isValid():
            self.code.setText(self._offered)
            return
        self._put(tuple(float(v) for v in to_linear([tone.redF(), tone.greenF(), tone.blueF()])))

    def _take(self) -> None:
        self.close()
        self.dropper_wanted.emit()

    def _take_recent(self, value: Color) -> None:
        self._put(value)

    # Painting and the mouse

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.color("panel"))
        painter.setPen(QPen(theme.color("line")))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        hue, saturation, bright = self._hsv
        lit = max(bright, 0.15)
        hues = QLinearGradient(FIELD.topLeft(), FIELD.topRight())
        for i in range(13):
            hues.setColorAt(i / 12, QColor.fromHsvF(i / 12 % 1.0, 1, lit))
        painter.fillRect(FIELD, hues)
        fade = QLinearGradient(FIELD.topLeft(), FIELD.bottomLeft())
        grey = QColor.fromHsvF(0, 0, lit)
        clear = QColor(grey)
        clear.setAlpha(0)
        fade.setColorAt(0, clear)
        fade.setColorAt(1, grey)
        painter.fillRect(FIELD, fade)
        ramp = QLinearGradient(BAR.topLeft(), BAR.topRight())
        ramp.setColorAt(0, QColor("black"))
        ramp.setColorAt(1, QColor.fromHsvF(min(hue, 0.999), saturation, 1))
        painter.fillRect(BAR, ramp)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        spot = QPointF(FIELD.left() + hue * FIELD.width(), FIELD.top() + (1 - saturation) * FIELD.height())
        for ring, width in ((QColor("black"), 3), (QColor("white"), 1.5)):
            painter.setPen(QPen(ring, width))
            painter.drawEllipse(spot, 6, 6)
            painter.drawRect(QRectF(BAR.left() + bright * BAR.width() - 3, BAR.top() - 1, 6, BAR.height() + 2))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        at = event.position()
        inside = FIELD.adjusted(-4, -4, 4, 4).contains(at)
        self._part = "field" if inside else "bar" if BAR.adjusted(-4, -3, 4, 3).contains(at) else ""
        if not self.rect().contains(at.toPoint()):
            self.close()
        self.mouseMoveEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        at, (hue, saturation, bright) = event.position(), self._hsv
        if self._part == "field":
            hue = min(max((at.x() - FIELD.left()) / FIELD.width(), 0.0), 0.999)
            saturation = 1 - min(max((at.y() - FIELD.top()) / FIELD.height(), 0.0), 1.0)
        elif self._part == "bar":
            bright = min(max((at.x() - BAR.left()) / BAR.width(), 0.0), 1.0)
        else:
            return
        self._put_tone((hue, saturation, bright))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._part = ""

    def closeEvent(self, event: object) -> None:
        if self._value != self._first:
            keep_recent(self.value)
        self.closed.emit()
        super().closeEvent(event)  # type: ignore[arg-type]


class _Recent(QAbstractButton):
    """One of the colours that were used lately."""

    def __init__(self, value: Color, chosen: Callable[[Color], None]) -> None:
        super().__init__()
        self._value = value
        self.setFixedSize(22, 22)
        self.setToolTip(f"{color_of(value).name()}, used lately")
        self.setAccessibleName(f"Recent colour {color_of(value).name()}")
        self.clicked.connect(lambda _=False: chosen(value))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.color("celadon" if self.hasFocus() else "line"), 1))
        painter.setBrush(color_of(self._value))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 4, 4)


def keep_recent(value: Color) -> None:
    """Put a colour in front of those used lately."""
    known = [tuple(c) for c in preferences.recall(preferences.RECENT_COLORS)]
    preferences.keep(preferences.RECENT_COLORS, [value, *(c for c in known if c != value)][:RECENT])


def pick_color(under: QWidget, value: Color, high: float = 1.0, dropper: bool = False) -> ColorPicker:
    """Open a picker below a widget."""
    popover = ColorPicker(under, value, high, dropper)
    popover.adjustSize()
    corner = under.mapToGlobal(under.rect().bottomRight())
    screen = under.screen()
    assert screen is not None
    area = screen.availableGeometry()
    x = max(area.left(), min(corner.x() - popover.width(), area.right() - popover.width()))
    y = corner.y() + 4
    if y + popover.height() > area.bottom():
        y = max(corner.y() - under.height() - popover.height() - 4, area.top())
    popover.move(x, y)
    popover.show()
    return popover
