"""The control for a colour."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPaintEvent
from PyQt6.QtWidgets import QWidget

from jade_coat.app.controls.color_picker import ColorPicker, color_of, keep_recent, pick_color
from jade_coat.app.controls.fields import Field
from jade_coat.material.fields import Color, Spec

TakesColors = Callable[[Callable[[Color], None]], None]


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

    def pick(self) -> ColorPicker:
        """Open the picker below the swatch."""
        taker = self._taker()
        popover = pick_color(self, self._value, self.spec.high, taker is not None)
        popover.picked.connect(self._put)
        popover.closed.connect(self.settled.emit)
        if taker is not None:
            popover.dropper_wanted.connect(lambda: taker(self._taken))
        return popover

    def _taken(self, color: Color) -> None:
        keep_recent(color)
        self._put(color)
        self.settled.emit()

    def _taker(self) -> TakesColors | None:
        """Who around this field takes colours from a view, if anybody does."""
        at: QWidget | None = self
        while at is not None:
            found: TakesColors | None = getattr(at, "take_color", None)
            if found is not None:
                return found
            at = at.parentWidget()
        return None
