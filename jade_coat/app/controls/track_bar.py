"""The time track of a shared dial: keys over a loop, dragged, added and removed."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF

from jade_coat.app import theme
from jade_coat.app.controls.tiles import FocusPainted
from jade_coat.stage.shared_dials import SharedDial

Keys = tuple[tuple[float, float], ...]


class TrackBar(FocusPainted):
    """Seconds across, the value upward, and a line where time stands."""

    changed = pyqtSignal(object)
    settled = pyqtSignal()

    def __init__(self, dial: SharedDial) -> None:
        super().__init__()
        self.dial = dial
        self.time = 0.0
        self._grabbed: int | None = None
        self._last = 0
        self.setFixedHeight(58)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(f"Time track of {dial.name}")
        self.setToolTip(
            "Drag a key; double-click adds one, or removes the one under the pointer; Delete removes the last"
        )

    def show_dial(self, dial: SharedDial, time: float) -> None:
        """Show a newer state."""
        self.dial, self.time = dial, time
        self.update()

    def _box(self) -> QRectF:
        return QRectF(self.rect()).adjusted(7, 7, -7, -7)

    def _place(self, time: float, value: float) -> QPointF:
        box, dial = self._box(), self.dial
        share = (value - dial.low) / max(dial.high - dial.low, 1e-9)
        return QPointF(box.left() + time / dial.length * box.width(), box.bottom() - share * box.height())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(theme.color("jade"), 1) if self.hasFocus() else Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("well"))
        painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 6, 6)
        times = np.linspace(0, self.dial.length * (1 - 1e-9), 80)
        line = [self._place(float(t), float(v)) for t, v in zip(times, self.dial.along(times), strict=True)]
        painter.setPen(QPen(theme.color("celadon"), 1.6))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF(line))
        x = self._place(self.time % self.dial.length, self.dial.low).x()
        painter.setPen(QPen(theme.color("persimmon"), 1))
        painter.drawLine(QPointF(x, 4), QPointF(x, self.height() - 4))
        for i, key in enumerate(self.dial.keys):
            painter.setPen(QPen(theme.color("chrome"), 1))
            painter.setBrush(theme.color("celadon" if i == self._last else "jade"))
            painter.drawEllipse(self._place(*key), 4, 4)

    def _at(self, position: QPointF) -> int | None:
        near = [((self._place(*k) - position).manhattanLength(), i) for i, k in enumerate(self.dial.keys)]
        best = min(near, default=(99.0, -1))
        return best[1] if best[0] < 10 else None

    def _key(self, position: QPointF) -> tuple[float, float]:
        box, dial = self._box(), self.dial
        time = min(max((position.x() - box.left()) / box.width(), 0.0), 0.999) * dial.length
        share = min(max((box.bottom() - position.y()) / box.height(), 0.0), 1.0)
        return time, dial.low + share * (dial.high - dial.low)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._grabbed = self._at(event.position())
        if self._grabbed is not None:
            self._last = self._grabbed
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._grabbed is None:
            return
        i, keys = self._grabbed, list(self.dial.keys)
        time, value = self._key(event.position())
        gap = self.dial.length * 0.005
        low = keys[i - 1][0] + gap if i else 0.0
        high = keys[i + 1][0] - gap if i + 1 < len(keys) else self.dial.length * 0.999
        keys[i] = (min(max(time, low), high), value)
        self.changed.emit(tuple(keys))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        if self._grabbed is not None:
            self._grabbed = None
            self.settled.emit()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        near = self._at(event.position())
        if near is not None:
            self._without(near)
            return
        made = self._key(event.position())
        if all(abs(made[0] - t) > self.dial.length * 0.005 for t, _ in self.dial.keys):
            self.changed.emit(tuple(sorted([*self.dial.keys, made])))
            self.settled.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and self.dial.keys:
            self._without(min(self._last, len(self.dial.keys) - 1))
        else:
            super().keyPressEvent(event)

    def _without(self, index: int) -> None:
        self._grabbed = None
        self.changed.emit(tuple(k for i, k in enumerate(self.dial.keys) if i != index))
        self.settled.emit()
