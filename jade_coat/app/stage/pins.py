"""A small mark where things stand that have no surface of their own, to choose them by; and the aim of lamps."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF, QSinglePointEvent

from jade_coat.app import theme
from jade_coat.app.stage.chosen_marks import MOST_MARKED
from jade_coat.app.view.overlay import Overlay
from jade_coat.app.view.view import View
from jade_coat.maps.color import to_srgb
from jade_coat.stage import edits
from jade_coat.stage.arranging import turn_between
from jade_coat.stage.decals import Decal
from jade_coat.stage.lamps import Lamp
from jade_coat.stage.placed import Placed
from jade_coat.view.camera import seen

_LOZENGE = ((0, -1), (1, 0), (0, 1), (-1, 0))


class Pins(Overlay[View]):
    """A lozenge where a decal is, a disc with a lamp's own colour, and three strokes for mist."""

    def _places(self) -> list[tuple[Placed, QPointF]]:
        view = self.view
        project = view.session.project
        if view.tool != "stage" or view.shape:
            return []
        things: list[Placed] = [*project.lamps, *project.mists, *project.decals]
        shown = [t for t in things if project.shows(t)][:MOST_MARKED]
        if not shown:
            return []
        at = seen(view.main_eye(), np.array([t.position for t in shown]))
        size = (view.width(), view.height())
        return [(t, QPointF(x * size[0], y * size[1])) for t, (x, y, z) in zip(shown, at, strict=True) if z > 1e-3]

    def paint(self, painter: QPainter) -> None:
        """Draw them."""
        chosen = set(self.view.session.chosen)
        for thing, at in self._places():
            on = thing.id in chosen
            painter.setPen(QPen(theme.color("chrome", 255 if on else 150), 1.2))
            painter.setBrush(theme.color("persimmon" if on else "celadon", 245 if on else 150))
            if isinstance(thing, Decal):
                size = 6 if on else 4
                painter.drawPolygon(QPolygonF([at + QPointF(x * size, y * size) for x, y in _LOZENGE]))
            elif isinstance(thing, Lamp):
                self._lamp(painter, at, thing, on)
            else:
                self._mist(painter, at, on)

    @staticmethod
    def _lamp(painter: QPainter, at: QPointF, lamp: Lamp, on: bool) -> None:
        red, green, blue = (round(255 * float(c)) for c in to_srgb(np.array(lamp.color, np.float32)))
        painter.setPen(QPen(theme.color("persimmon" if on else "chrome"), 2.4 if on else 1.6))
        painter.setBrush(QColor(red, green, blue))
        painter.drawEllipse(at, 6.0, 6.0)
        painter.setPen(QPen(theme.color("chrome", 200), 1.0))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(at, 8.4, 8.4)

    @staticmethod
    def _mist(painter: QPainter, at: QPointF, on: bool) -> None:
        for tone, width in (("chrome", 4.0), ("persimmon" if on else "celadon", 2.0)):
            painter.setPen(QPen(theme.color(tone), width, cap=Qt.PenCapStyle.RoundCap))
            for i, half in enumerate((5, 8, 6)):
                y = (i - 1) * 5
                painter.drawLine(at + QPointF(-half + 2 * (i - 1), y), at + QPointF(half + 2 * (i - 1), y))

    def press(self, at: QPointF, event: QSinglePointEvent) -> bool:
        """Choose the thing whose mark is under the pointer."""
        found = [(float((p - at).manhattanLength()), t.id) for t, p in self._places()]
        if not found or min(found)[0] > 10:
            return False
        session, name = self.view.session, min(found)[1]
        adds = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if name in session.chosen and not adds:
            return False  # the wheel's hub is there too
        session.choose_things([*session.chosen, name] if adds else [name])
        return True


class Aim(Overlay[View]):
    """While it is taken up, the next press turns the chosen lamps to shine on what is there."""

    def __init__(self, view: View) -> None:
        super().__init__(view)
        self.active = False

    def _lamps(self) -> list[Lamp]:
        session = self.view.session
        return [t for t in session.chosen_placed if isinstance(t, Lamp) and not session.project.locks(t)]

    def take(self) -> None:
        """Take it up; says so where no lamp is chosen."""
        self.active = bool(self._lamps())
        if self.active:
            self.view.setCursor(Qt.CursorShape.CrossCursor)
            self.view.session.said.emit("Press what the lamp should shine on. Esc lays the aim aside.", False)
        else:
            self.view.session.said.emit("Choose a lamp to be aimed first.", True)

    def give_up(self) -> bool:
        """Lay it aside; whether it was taken up."""
        was, self.active = self.active, False
        if was:
            self.view.setCursor(Qt.CursorShape.ArrowCursor)
        return was

    def press(self, at: QPointF, event: QSinglePointEvent) -> bool:
        """Aim the lamps."""
        if not self.active or self.view.tool != "stage":
            return False
        session, hit = self.view.session, self.view.surface(at)
        if hit is None:
            session.said.emit("There is nothing to shine on here.", True)
            return True
        turns = {}
        for lamp in self._lamps():
            way = hit.point - np.array(lamp.position)
            if np.linalg.norm(way) > 1e-6:
                turns[lamp.id] = turn_between(np.array([0.0, -1.0, 0.0]), way)
        self.give_up()
        if turns:
            session.do(edits.aim_lamps(turns=turns).called(f"Aim at {hit.name}"))
        return True
