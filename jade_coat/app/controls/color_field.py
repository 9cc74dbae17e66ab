"""The control for a colour, and the picker behind it."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QKeyEvent,
    QLinearGradient,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
)
from PyQt6.QtWidgets import QLineEdit, QVBoxLayout, QWidget

from jade_coat.app import theme
from jade_coat.app.controls.fields import Field
from jade_coat.maps.color import to_linear, to_srgb
from jade_coat.material.fields import Color, Number, Spec


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
