"""Lays stamps in the view: a press lays one, a drag stretches a strip; it stays in hand until Esc."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPen, QPolygonF, QSinglePointEvent, QWheelEvent

from jade_coat.app import theme
from jade_coat.app.stage.hand import StageHand
from jade_coat.app.view.overlay import Overlay, draw_tag
from jade_coat.app.view.view import View
from jade_coat.looking.stage_surface import SurfaceHit
from jade_coat.stage import edits
from jade_coat.stage.arranging import place_of
from jade_coat.stage.copying import Copier
from jade_coat.stage.decals import Decal
from jade_coat.stage.stamping import Chance, stamped, strip
from jade_coat.view.camera import seen

DRAGGED = 14
"""Pixels from which a drag stretches a strip."""
_FACE = np.array([(-0.5, 0.0, -0.5), (0.5, 0.0, -0.5), (0.5, 0.0, 0.5), (-0.5, 0.0, 0.5)])


class StampTool(Overlay[View]):
    """The stamp in hand."""

    taken = pyqtSignal()
    """Another stamp, or none, is in hand."""

    def __init__(self, view: View, hand: StageHand) -> None:
        super().__init__(view)
        self._hand = hand
        self.decal: Decal | None = None
        self.chance = Chance()
        self.roll = 0.0
        self.size = 1.0
        self._seed = 1
        self._at: SurfaceHit | None = None
        self._start: tuple[QPointF, SurfaceHit] | None = None
        self._end: SurfaceHit | None = None

    @property
    def active(self) -> bool:
        """Whether a stamp is in hand."""
        return self.decal is not None and self.view.tool == "stage" and not self.view.shape

    def take(self, decal: Decal | None) -> None:
        """Take a stamp in hand, or lay it aside."""
        self.decal, self._at, self._start = decal, None, None
        self.view.setCursor(Qt.CursorShape.CrossCursor if decal is not None else Qt.CursorShape.ArrowCursor)
        if decal is not None:
            text = f"{decal.name} in hand: press to lay it, drag for a strip, Shift-wheel turns it, Alt-wheel sizes it."
            self.view.session.said.emit(f"{text} Esc lays it aside.", False)
        self.taken.emit()
        self.view.update()

    def give_up(self) -> bool:
        """Lay the stamp aside; whether one was in hand."""
        was = self.decal is not None
        if was:
            self.take(None)
        return was

    def _sized(self) -> Decal:
        assert self.decal is not None
        width, depth, height = self.decal.size
        sized: Decal = self.decal.with_(size=(width * self.size, depth, height * self.size))
        return sized

    def _made(self) -> Decal | None:
        """The decal as it would lie now."""
        if self._start is not None and self._end is not None:
            first, last = self._start[1], self._end
            return strip(self._sized(), first.point, last.point, first.normal)
        hit = self._start[1] if self._start is not None else self._at
        if hit is None:
            return None
        return stamped(self._sized(), hit.point, hit.normal, self.roll, self.chance, self._seed)

    def hover(self, at: QPointF | None) -> None:
        """Show where it would lie."""
        if not self.active:
            return
        self._at = self.view.surface(at) if at is not None else None
        self.view.update()

    def press(self, at: QPointF, event: QSinglePointEvent) -> bool:
        """Begin to lay it."""
        if not self.active:
            return False
        hit = self.view.surface(at)
        if hit is None:
            self.view.session.said.emit("There is nothing to lay it on here.", True)
            return True
        self._start, self._end = (at, hit), None
        return True

    def move(self, at: QPointF, event: QSinglePointEvent) -> None:
        """Stretch it."""
        if self._start is None:
            return
        far = (at - self._start[0]).manhattanLength() >= DRAGGED
        self._end = self.view.surface(at) if far else None
        self.view.update()

    def release(self, at: QPointF, event: QSinglePointEvent) -> None:
        """Lay it."""
        made = self._made()
        started, self._start, self._end = self._start, None, None
        if started is None or made is None:
            return
        session = self.view.session
        laid = Copier(session.project).copy(made, place_of(made))
        if session.do(edits.add_things(things=(laid,)).called(f"Lay {made.name.lower()}")):
            session.choose_things((laid.id,))
            self._seed += 1
        self.view.update()

    def wheel(self, turn: float, event: QWheelEvent) -> bool:
        """With Shift it rolls, with Alt it grows."""
        keys = event.modifiers()
        if not self.active or not keys & (Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.AltModifier):
            return False
        if keys & Qt.KeyboardModifier.ShiftModifier:
            self.roll += math.radians(self._hand.angle) * (1 if turn > 0 else -1)
        else:
            self.size = min(max(self.size * 1.1**turn, 0.05), 20.0)
        self.view.update()
        return True

    def quarter(self) -> None:
        """Roll it by a quarter turn."""
        self.roll = (round(self.roll / (math.pi / 2)) + 1) * math.pi / 2 % (2 * math.pi)
        self.view.update()

    def paint(self, painter: QPainter) -> None:
        """Draw its outline on the surface, the upper edge of its picture stronger."""
        made = self._made() if self.active else None
        if made is None:
            return
        matrix = made.matrix()
        corners = _FACE @ matrix[:3, :3].T + matrix[:3, 3]
        at = seen(self.view.main_eye(), corners)
        if (at[:, 2] <= 1e-3).any():
            return
        points = [QPointF(x * self.view.width(), y * self.view.height()) for x, y, _ in at]
        painter.setBrush(theme.color("celadon", 40))
        painter.setPen(QPen(theme.color("celadon"), 1.6, Qt.PenStyle.DashLine))
        painter.drawPolygon(QPolygonF(points))
        painter.setPen(QPen(theme.color("persimmon"), 2.6))
        painter.drawLine(points[0], points[1])
        draw_tag(painter, points[1] + QPointF(8, 0), f"{made.size[0]:.2f} × {made.size[2]:.2f} m")
