"""A simulated pen: tablet events as a real one sends them, for tests and for trying pressure with a mouse."""

from __future__ import annotations

from collections.abc import Iterable
from functools import cache

from PyQt6.QtCore import QEvent, QObject, QPointF, Qt
from PyQt6.QtGui import QInputDevice, QMouseEvent, QPointingDevice, QTabletEvent
from PyQt6.QtWidgets import QApplication, QWidget

FAST = 2200.0
"""Pixels a second at which a simulated pen is pressed least."""
LEAST = 0.12
STEADY = 0.35
"""How quickly the pressure follows the hand."""


@cache
def _pen() -> QPointingDevice:
    return QPointingDevice(
        "Simulated pen", 4711, QInputDevice.DeviceType.Stylus, QPointingDevice.PointerType.Pen,
        QInputDevice.Capability.Position | QInputDevice.Capability.Pressure, 1, 2,
    )  # fmt: skip


def tablet_event(
    kind: QEvent.Type, target: QWidget, at: QPointF, pressure: float,
    modifiers: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier,
) -> QTabletEvent:  # fmt: skip
    """A tablet event as Qt makes one from a real pen."""
    down = kind != QEvent.Type.TabletRelease and (pressure > 0 or kind == QEvent.Type.TabletPress)
    held = Qt.MouseButton.LeftButton if down else Qt.MouseButton.NoButton
    changed = Qt.MouseButton.NoButton if kind == QEvent.Type.TabletMove else Qt.MouseButton.LeftButton
    place = target.mapToGlobal(at)
    return QTabletEvent(kind, _pen(), at, place, pressure, 0, 0, 0.0, 0.0, 0.0, modifiers, changed, held)


def draw(target: QWidget, way: Iterable[tuple[float, float, float]]) -> None:
    """One stroke through (x, y, pressure), as a pen would send it."""
    points = [(QPointF(x, y), pressure) for x, y, pressure in way]
    for i, (at, pressure) in enumerate(points):
        kind = QEvent.Type.TabletMove if i else QEvent.Type.TabletPress
        QApplication.sendEvent(target, tablet_event(kind, target, at, pressure))
    QApplication.sendEvent(target, tablet_event(QEvent.Type.TabletRelease, target, points[-1][0], 0.0))


class MouseAsPen(QObject):
    """While on, a widget's mouse strokes with the left button become pen strokes: slow presses hard, fast lightly."""

    def __init__(self, target: QWidget) -> None:
        super().__init__(target)
        self._target = target
        self._last: tuple[QPointF, int] | None = None
        self._pressure = LEAST
        self._on = False

    def turn(self, on: bool) -> None:
        """Begin or stop."""
        if on and not self._on:
            self._target.installEventFilter(self)
        elif not on and self._on:
            self._target.removeEventFilter(self)
        self._on = on

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Turn a left-button mouse event into a tablet event."""
        if not isinstance(event, QMouseEvent) or watched is not self._target:
            return False
        left = Qt.MouseButton.LeftButton
        kind = event.type()
        if kind == QEvent.Type.MouseButtonPress and event.button() == left:
            self._last, self._pressure = (event.position(), int(event.timestamp())), LEAST
            self._send(QEvent.Type.TabletPress, event, LEAST)
        elif kind == QEvent.Type.MouseMove and self._last is not None:
            self._send(QEvent.Type.TabletMove, event, self._pressed(event))
        elif kind == QEvent.Type.MouseButtonRelease and event.button() == left and self._last is not None:
            self._last = None
            self._send(QEvent.Type.TabletRelease, event, 0.0)
        else:
            return False
        return True

    def _pressed(self, event: QMouseEvent) -> float:
        assert self._last is not None
        at, then = self._last
        way = event.position() - at
        seconds = max(int(event.timestamp()) - then, 1) / 1000
        self._last = (event.position(), int(event.timestamp()))
        speed = float((way.x() ** 2 + way.y() ** 2) ** 0.5) / seconds
        wanted = max(1.0 - speed / FAST, LEAST)
        self._pressure += (wanted - self._pressure) * STEADY
        return self._pressure

    def _send(self, kind: QEvent.Type, event: QMouseEvent, pressure: float) -> None:
        QApplication.sendEvent(
            self._target, tablet_event(kind, self._target, event.position(), pressure, event.modifiers())
        )
