"""Marks over the view: the corners of what is chosen, and the frame that is drawn round things to choose them."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from PyQt6.QtCore import QLineF, QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QSinglePointEvent

from jade_coat.app import theme
from jade_coat.app.view.overlay import Overlay
from jade_coat.app.view.picking import stage_now
from jade_coat.app.view.view import View
from jade_coat.mesh.posed import bounds_of
from jade_coat.program.types import Array
from jade_coat.stage.arranging import unit_vector
from jade_coat.stage.decals import Decal
from jade_coat.stage.lamps import Lamp
from jade_coat.stage.placed import Placed
from jade_coat.stage.project import Prop
from jade_coat.view.camera import planes, seen

MOST_MARKED = 150
"""Things whose corners are drawn; more would cover the picture."""
_CORNERS = np.array([(x, y, z) for x in (0, 1) for y in (0, 1) for z in (0, 1)], np.float64)
_EDGES = [(a, b) for a in range(8) for b in range(a + 1, 8) if bin(a ^ b).count("1") == 1]
_STARTS, _ENDS = [a for e in _EDGES for a in e], [b for a, c in _EDGES for b in (c, a)]
_ARM = 0.22
"""How much of each edge is drawn from a corner."""


def box_corners(view: View, thing: Placed) -> Array:
    """The eight corners `(8, 3)` of the bounds of a thing in the world, turned with it."""
    session = view.session
    if isinstance(thing, Prop):
        asset = session.project.mesh(thing.mesh)
        low, high = bounds_of(session.link.mesh_data(thing.mesh), asset.clip)
        points = low + _CORNERS * (high - low)
    else:
        points = _CORNERS - 0.5
    matrix = thing.matrix()
    return np.asarray(points @ matrix[:3, :3].T + matrix[:3, 3])


def world_box(view: View, things: Sequence[Placed]) -> tuple[Array, Array] | None:
    """The lowest and the highest corner `(3,)` of one box round some things; None for none."""
    session = view.session
    boxes = session.rays.bounds(stage_now(session))
    props = boxes.around(t.id for t in things if isinstance(t, Prop))
    found = [props] if props is not None else []
    for thing in things:
        if not isinstance(thing, Prop):
            corners = box_corners(view, thing)
            found.append((corners.min(axis=0), corners.max(axis=0)))
    if not found:
        return None
    return np.min([low for low, _ in found], axis=0), np.max([high for _, high in found], axis=0)


class ChosenMarks(Overlay[View]):
    """Draws the corners of the boxes round chosen props; the one that leads is stronger."""

    def paint(self, painter: QPainter) -> None:
        """Draw them in Stage."""
        if self.view.tool != "stage" or self.view.shape:
            return
        session = self.view.session
        things = session.chosen_placed[-MOST_MARKED:]
        if not things:
            return
        corners = np.concatenate([box_corners(self.view, t) for t in things])
        at = seen(self.view.main_eye(), corners).reshape(-1, 8, 3)
        for thing, box in zip(things, at, strict=True):
            if (box[:, 2] > 1e-3).all():
                leads = thing.id in (session.prop_id, session.chosen[-1])
                self._box(painter, box, "celadon" if leads else "jade", 2.0 if leads else 1.4)
            if isinstance(thing, Decal) or (isinstance(thing, Lamp) and thing.spot):
                self._arrow(painter, thing)
            if isinstance(thing, Lamp):
                self._reach(painter, thing)

    def _arrow(self, painter: QPainter, thing: Placed) -> None:
        """The way a decal falls onto the surface, or a spot shines: down its axis."""
        matrix = thing.matrix()
        ends = matrix[:3, 3] + np.outer([0.5, -0.5], matrix[:3, 1])
        if isinstance(thing, Lamp):
            ends = matrix[:3, 3] - np.outer([0.0, min(thing.reach * 0.25, 0.6)], unit_vector(matrix[:3, 1]))
        at = seen(self.view.main_eye(), ends)
        if (at[:, 2] <= 1e-3).any():
            return
        start, end = (QPointF(x * self.view.width(), y * self.view.height()) for x, y, _ in at)
        way = end - start
        length = max(float(np.hypot(way.x(), way.y())), 1e-6)
        back, side = way * (9 / length), QPointF(-way.y(), way.x()) * (5 / length)
        for colour, width in (("chrome", 4.0), ("persimmon", 2.0)):
            painter.setPen(QPen(theme.color(colour), width, cap=Qt.PenCapStyle.RoundCap))
            painter.drawLine(start, end)
            painter.drawLine(end, end - back + side)
            painter.drawLine(end, end - back - side)

    def _reach(self, painter: QPainter, lamp: Lamp) -> None:
        """How far a lamp shines: a ring on the level it stands on, or for a spot where its cone ends."""
        matrix = lamp.matrix()
        middle, axis = matrix[:3, 3], np.array([0.0, 1.0, 0.0])
        radius = lamp.reach
        if lamp.spot:
            axis = -unit_vector(matrix[:3, 1])
            middle, radius = middle + axis * lamp.reach * math.cos(lamp.outer), lamp.reach * math.sin(lamp.outer)
        first = unit_vector(np.cross(axis, np.eye(3)[int(np.abs(axis).argmin())]))
        turn = np.linspace(0, 2 * np.pi, 65)[:, None]
        ring = middle + radius * (np.cos(turn) * first + np.sin(turn) * np.cross(axis, first))
        points = np.concatenate([ring, matrix[:3, 3][None]])
        at = seen(self.view.main_eye(), points)
        places = [QPointF(x * self.view.width(), y * self.view.height()) for x, y, _ in at]
        painter.setPen(QPen(theme.color("celadon", 190), 1.2, Qt.PenStyle.DashLine))
        for i in range(64):
            if (at[i : i + 2, 2] > 1e-3).all():
                painter.drawLine(places[i], places[i + 1])
        for i in (0, 16, 32, 48) if lamp.spot and at[64, 2] > 1e-3 else ():
            if at[i, 2] > 1e-3:
                painter.drawLine(places[64], places[i])

    def _box(self, painter: QPainter, at: Array, tone: str, width: float) -> None:
        places = at[:, :2] * (self.view.width(), self.view.height())
        starts = places[_STARTS]
        tips = starts + (places[_ENDS] - starts) * _ARM
        lines = [QLineF(*a, *b) for a, b in zip(starts.tolist(), tips.tolist(), strict=True)]
        for colour, extra in (("chrome", 1.6), (tone, 0.0)):
            painter.setPen(QPen(theme.color(colour), width + extra, cap=Qt.PenCapStyle.RoundCap))
            for line in lines:
                painter.drawLine(line)


class ChoosingFrame(Overlay[View]):
    """A frame drawn with Ctrl held chooses the props in it; with Shift too it adds them."""

    def __init__(self, view: View) -> None:
        super().__init__(view)
        self._from: QPointF | None = None
        self._to = QPointF()
        self.armed = False
        """Whether the next drag draws a frame without a key."""

    def press(self, at: QPointF, event: QSinglePointEvent) -> bool:
        """Begin a frame."""
        held = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if self.view.tool != "stage" or self.view.shape or not (held or self.armed):
            return False
        self._from = self._to = at
        return True

    def move(self, at: QPointF, event: QSinglePointEvent) -> None:
        """Draw it on."""
        self._to = at
        self.view.update()

    def release(self, at: QPointF, event: QSinglePointEvent) -> None:
        """Choose what it holds; one that was hardly drawn is a click, which adds or takes away one thing."""
        start, self._from, self.armed = self._from, None, False
        if start is None:
            return
        self.view.update()
        session = self.view.session
        if (at - start).manhattanLength() < 4:
            hit = self.view.pick(at)
            if hit is not None:
                toggle(self.view, hit.prop.id)
            return
        found = self.within(QRectF(start, at).normalized())
        adds = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        session.choose_things([*session.chosen, *found] if adds else found)
        session.said.emit(f"{len(session.chosen):,} chosen", False)

    def within(self, frame: QRectF) -> list[str]:
        """The ids of the props that are to be seen and lie in a frame of the view, by half of their box or more."""
        session, size = self.view.session, np.array([self.view.width(), self.view.height()])
        eye = self.view.main_eye()
        part = frame.left() / size[0], frame.top() / size[1], frame.right() / size[0], frame.bottom() / size[1]
        ids, low, high = session.rays.bounds(stage_now(session)).within(planes(eye.projection @ eye.view, part))
        corners = low[:, None] + _CORNERS * (high - low)[:, None]
        at = seen(eye, corners.reshape(-1, 3)).reshape(-1, 8, 3)
        first, last = (at[..., :2] * size).min(axis=1), (at[..., :2] * size).max(axis=1)
        sides = np.array([frame.left(), frame.top()]), np.array([frame.right(), frame.bottom()])
        inside = np.clip(np.minimum(last, sides[1]) - np.maximum(first, sides[0]), 0, None).prod(axis=1)
        whole = np.maximum((last - first).prod(axis=1), 1e-9)
        return [ids[i] for i in np.flatnonzero((at[..., 2] > 0).all(axis=1) & (inside >= whole / 2))]

    def paint(self, painter: QPainter) -> None:
        """Draw the frame."""
        if self._from is None:
            return
        painter.setPen(QPen(theme.color("celadon"), 1.4, Qt.PenStyle.DashLine))
        painter.setBrush(theme.color("celadon", 30))
        painter.drawRoundedRect(QRectF(self._from, self._to).normalized(), 3, 3)


def toggle(view: View, prop: str) -> None:
    """Add a prop to what is chosen, or take it away."""
    session = view.session
    chosen = session.chosen
    session.choose_things([i for i in chosen if i != prop] if prop in chosen else [*chosen, prop])
