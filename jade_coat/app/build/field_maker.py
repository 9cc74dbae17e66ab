"""Makes card fields: cards are taken out and placed by pressing the picture, and a curve is drawn on it."""

from __future__ import annotations

from collections.abc import Callable
from typing import ClassVar

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QLabel

from jade_coat.app import theme
from jade_coat.app.build.maker import SIZE, Maker
from jade_coat.mesh.makers import CardField, Made
from jade_coat.mesh.makers.card_field import drawn
from jade_coat.program.types import Array
from jade_coat.view.camera import seen, ways
from jade_coat.view.requests import Eye

NEAR = 16.0
"""How near to the middle of a card, or to a point of a curve, it has to be pressed, in pixels."""
SHIFT, CTRL = Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier


class FieldMaker(Maker):
    """The numbers of a card field. A press takes a card out, with Shift it places one.

    The points of a drawn curve are dragged; a press with Ctrl adds one, or takes one away.
    """

    kind: ClassVar[type[Made]] = CardField
    title: ClassVar[str] = "Make a card field"

    def build_picture(self) -> QLabel:
        """A picture that is pressed, and drawn on."""
        self._grabbed: int | None = None
        self._seen: Eye | None = None
        """From where the picture was seen last: while a hand holds a point the eye stays."""
        return DrawnPicture(self)

    def eye(self, far: bool = False) -> Eye:
        """From where the picture is seen, or the small one from afar."""
        if far:
            return super().eye(far)
        if self._seen is None or (self._grabbed is None and self.made is not None):
            self._seen = super().eye()
        return self._seen

    @property
    def is_shown(self) -> bool:
        """Whether there was ever anything to be seen."""
        return self._seen is not None or self.made is not None

    def more_words(self) -> str:
        """What hands can do."""
        told = "Press a card to take it out; with Shift a press places one"
        return f"{told}. Drag the curve's points; with Ctrl a press adds one or takes one away" if self.curve else told

    @property
    def field(self) -> CardField:
        """The numbers as they are."""
        assert isinstance(self.numbers, CardField)
        return self.numbers

    @property
    def curve(self) -> tuple[tuple[float, float, float], ...]:
        """The points of the curve in the world, if the field lies along one."""
        made = self.field
        return tuple((x, y + made.foot, z) for x, y, z in made.curve) if made.over == "curve" else ()

    def on_picture(self, places: Array) -> Array:
        """Where some places `(n, 3)` are in the picture, pixels `(n, 2)`; where nothing is shown yet, none."""
        return seen(self.eye(), places)[:, :2] * [SIZE.width(), SIZE.height()] if self.is_shown else np.zeros((0, 2))

    def press(self, x: float, y: float, keys: Qt.KeyboardModifier) -> None:
        """The picture was pressed at a place, 0–1 from its upper left."""
        if not self.is_shown:
            return
        at = self._point_at(x, y)
        if keys & CTRL and self.curve:
            self._add_or_drop(x, y, at)
        elif keys & SHIFT:
            middle = self.field.standing()[1].mean(axis=0)
            self._put(self.field.with_(more=(*self.field.more, self._place(x, y, middle))))
        elif at is not None:
            self._grabbed = at
        else:
            self._take_out(x, y)

    def drag(self, x: float, y: float) -> None:
        """The hand moves to a place: a point of the curve follows it, as far away as it was."""
        if self._grabbed is None or self._grabbed >= len(self.curve):
            return
        points = list(self.field.curve)
        points[self._grabbed] = self._own(self._place(x, y, np.array(self.curve[self._grabbed])))
        self._curve(points)

    def release(self) -> None:
        """The hand is off."""
        self._grabbed = None

    def _point_at(self, x: float, y: float) -> int | None:
        """Which point of the curve is at a place of the picture."""
        at = self.on_picture(np.array(self.curve)) if self.curve else np.zeros((0, 2))
        away = np.hypot(*(at - [x * SIZE.width(), y * SIZE.height()]).T) if len(at) else np.zeros(0)
        return int(away.argmin()) if len(away) and away.min() < NEAR else None

    def _place(self, x: float, y: float, like: Array) -> tuple[float, float, float]:
        """What is at a place of the picture, as far away as something else is, metres."""
        eye = self.eye()
        way, ahead = ways(eye, np.array([x]), np.array([y]))[0], -eye.view[2, :3]
        far = float((like - eye.position) @ ahead) / max(float(way @ ahead), 1e-6)
        px, py, pz = (round(float(v), 4) for v in eye.position + way * far)
        return (px, py, pz)

    def _own(self, place: tuple[float, float, float]) -> tuple[float, float, float]:
        x, y, z = place
        return (x, round(y - self.field.foot, 4), z)

    def _add_or_drop(self, x: float, y: float, at: int | None) -> None:
        """Take a point of the curve away, or add one between those that it is nearest to."""
        points = list(self.field.curve)
        if at is not None:
            if len(points) > 2:
                del points[at]
                self._curve(points)
            return
        shares = np.linspace(0, 1, 129)
        line = self.on_picture(drawn(self.curve, shares)[0])
        nearest = int(np.hypot(*(line - [x * SIZE.width(), y * SIZE.height()]).T).argmin())
        place = self._place(x, y, drawn(self.curve, shares[nearest : nearest + 1])[0][0])
        own = self.on_picture(np.array(self.curve))
        before = sum(int(np.hypot(*(line - p).T).argmin()) <= nearest for p in own)
        points.insert(min(max(before, 0 if nearest == 0 else 1), len(points)), self._own(place))
        self._curve(points)

    def _curve(self, points: list[tuple[float, float, float]]) -> None:
        self._put(self.field.with_(curve=tuple(points)))
        self.picture.update()

    def _take_out(self, x: float, y: float) -> None:
        """Take out the card whose middle is pressed."""
        numbers = self.field
        which, middles = numbers.standing()
        at = self.on_picture(middles)
        away = np.hypot(*(at - [x * SIZE.width(), y * SIZE.height()]).T)
        if not len(away) or away.min() > NEAR:
            return
        taken = int(which[int(away.argmin())])
        if taken >= numbers.count:
            placed = [p for i, p in enumerate(numbers.more) if i != taken - numbers.count]
            self._put(numbers.with_(more=tuple(placed)))
        else:
            self._put(numbers.with_(without=(*numbers.without, taken)))

    def _put(self, numbers: CardField) -> None:
        self.numbers = numbers
        self._soon()


class DrawnPicture(QLabel):
    """A picture that tells where it is pressed, with the curve of the field over it."""

    def __init__(self, maker: FieldMaker) -> None:
        super().__init__()
        self._maker = maker

    def _told(self, event: QMouseEvent | None, tell: Callable[[float, float], None]) -> None:
        assert event is not None
        at = event.position()
        tell(at.x() / max(self.width(), 1), at.y() / max(self.height(), 1))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._told(event, lambda x, y: self._maker.press(x, y, event.modifiers()))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        self._told(event, self._maker.drag)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._maker.release()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        curve = self._maker.curve
        if not curve or not self._maker.is_shown:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        line = self._maker.on_picture(drawn(curve, np.linspace(0, 1, 65))[0])
        painter.setPen(QPen(theme.color("celadon", 170), 1.4))
        painter.drawPolyline(QPolygonF([QPointF(float(x), float(y)) for x, y in line]))
        painter.setPen(QPen(theme.color("well"), 1))
        painter.setBrush(theme.color("celadon"))
        for x, y in self._maker.on_picture(np.array(curve)):
            painter.drawEllipse(QPointF(float(x), float(y)), 5, 5)
