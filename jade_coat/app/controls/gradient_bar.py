"""The gradient editor: colours along a bar, each stop dragged, recoloured, added or removed."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QLinearGradient, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF

from jade_coat.app import theme
from jade_coat.app.controls.color_picker import color_of, pick_color
from jade_coat.app.controls.tiles import FocusPainted
from jade_coat.material.fields import Color

Stops = tuple[tuple[float, Color], ...]
MAX_STOPS = 8
_STEPS = 24


class GradientBar(FocusPainted):
    """What the dark, the middle and the light of a picture become."""

    changed = pyqtSignal(object)
    settled = pyqtSignal()

    def __init__(self, stops: Stops) -> None:
        super().__init__()
        self.stops = stops
        self._grabbed: int | None = None
        self._moved = False
        self.setFixedHeight(40)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Gradient")
        self.setToolTip(
            "Drag a stop; click it to choose its colour; double-click the bar to add one; Delete removes the last"
        )
        self._last = 0

    def show_stops(self, stops: Stops) -> None:
        """Show other stops."""
        if stops != self.stops:
            self.stops = stops
            self.update()

    def _bar(self) -> QRectF:
        return QRectF(7, 3, self.width() - 14, 20)

    def _x(self, place: float) -> float:
        return self._bar().left() + place * self._bar().width()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        bar = self._bar()
        ramp = QLinearGradient(bar.topLeft(), bar.topRight())
        for i in range(_STEPS + 1):
            ramp.setColorAt(i / _STEPS, color_of(self._color(i / _STEPS)))
        painter.setPen(QPen(theme.color("jade" if self.hasFocus() else "line"), 1))
        painter.setBrush(ramp)
        painter.drawRoundedRect(bar, 4, 4)
        for i, (place, color) in enumerate(self.stops):
            x = self._x(place)
            painter.setPen(QPen(theme.color("celadon" if i == self._last else "quiet"), 1.4))
            painter.setBrush(color_of(color))
            shape = [QPointF(x, 22), QPointF(x + 6, 28), QPointF(x + 6, 37), QPointF(x - 6, 37), QPointF(x - 6, 28)]
            painter.drawPolygon(QPolygonF(shape))

    def _color(self, t: float) -> Color:
        before = [s for s in self.stops if s[0] <= t]
        after = [s for s in self.stops if s[0] > t]
        if not before:
            return after[0][1]
        if not after:
            return before[-1][1]
        (x0, c0), (x1, c1) = before[-1], after[0]
        share = (t - x0) / (x1 - x0)
        r, g, b = (p + (q - p) * share for p, q in zip(c0, c1, strict=True))
        return r, g, b

    def _at(self, position: QPointF) -> int | None:
        near = [(abs(self._x(p) - position.x()), i) for i, (p, _) in enumerate(self.stops)]
        distance, index = min(near)
        return index if distance < 9 and position.y() > 16 else None

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._grabbed, self._moved = self._at(event.position()), False
        if self._grabbed is not None:
            self._last = self._grabbed
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._grabbed is None:
            return
        i, stops = self._grabbed, list(self.stops)
        low = stops[i - 1][0] + 0.01 if i else 0.0
        high = stops[i + 1][0] - 0.01 if i + 1 < len(stops) else 1.0
        share = (event.position().x() - self._bar().left()) / self._bar().width()
        if self._moved or abs(self._x(stops[i][0]) - event.position().x()) > 3:
            self._moved = True
            stops[i] = (min(max(share, low), high), stops[i][1])
            self._tell(tuple(stops))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        grabbed, self._grabbed = self._grabbed, None
        if grabbed is None:
            return
        if self._moved:
            self.settled.emit()
        else:
            self._recolor(grabbed)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        share = (event.position().x() - self._bar().left()) / self._bar().width()
        clear = all(abs(share - p) > 0.02 for p, _ in self.stops)
        if self._at(event.position()) is None and clear and len(self.stops) < MAX_STOPS and 0 <= share <= 1:
            stops = tuple(sorted([*self.stops, (share, self._color(share))], key=lambda s: s[0]))
            self._last = [s[0] for s in stops].index(share)
            self._tell(stops)
            self.settled.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and len(self.stops) > 2:
            self._tell(tuple(s for i, s in enumerate(self.stops) if i != self._last))
            self._last = 0
            self.settled.emit()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self._recolor(self._last)
        elif event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            step = 1 if event.key() == Qt.Key.Key_Right else -1
            self._last = (self._last + step) % len(self.stops)
            self.update()
        else:
            super().keyPressEvent(event)

    def _recolor(self, index: int) -> None:
        picker = pick_color(self, self.stops[index][1])

        def put(color: Color) -> None:
            self._tell(tuple((p, color if i == index else c) for i, (p, c) in enumerate(self.stops)))

        picker.picked.connect(put)
        picker.closed.connect(self.settled.emit)

    def _tell(self, stops: Stops) -> None:
        self.stops = stops
        self.update()
        self.changed.emit(stops)


def plain_gradient() -> Stops:
    """Dark to light, to start from."""
    return ((0.0, (0.02, 0.02, 0.02)), (1.0, (0.9, 0.9, 0.9)))
