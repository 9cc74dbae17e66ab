"""The brush over the view in Ground: strokes that shape the land or paint a layer, and its ring on the ground."""

from __future__ import annotations

import math
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from PyQt6.QtCore import QPointF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QPainter, QPen, QPolygonF, QSinglePointEvent, QWheelEvent

from jade_coat.app import theme
from jade_coat.app.ground.state import GroundState
from jade_coat.app.view.overlay import Overlay
from jade_coat.app.view.view import View
from jade_coat.ground.pages import Pages
from jade_coat.ground.stroke import DEED_LABELS, by_hand_after, painted, ramped, shaped
from jade_coat.looking.ground_rays import on_ground
from jade_coat.program.types import Array
from jade_coat.stage import edits
from jade_coat.stage.edits.registry import Edit
from jade_coat.stage.grounds import Ground
from jade_coat.stage.naming import free_id, free_name
from jade_coat.stage.plucking import as_prop, near
from jade_coat.stage.project import KINDS_OF_THINGS, Prop
from jade_coat.view.camera import project, ray

RING_POINTS = 72
SPACING = 0.22
"""How far dabs lie apart, in radii."""
HOLD_MS = 60
"""How often a brush that is held still goes on."""


@dataclass
class _Stroke:
    """A stroke under way: its name for undo, where its last dab lies, metres from the corner, and its first height."""

    key: object
    at: Array
    level: float


class GroundTool(Overlay[View]):
    """The brush; `state` says what it does."""

    land_shaped = pyqtSignal()
    """The land has another shape, and the hand is off."""
    pointed = pyqtSignal()
    """The place on the ground under the pointer is another."""

    def __init__(self, view: View, state: GroundState) -> None:
        super().__init__(view)
        self._state = state
        self._stroke: _Stroke | None = None
        self._ramp: tuple[Array, Array] | None = None
        self._picking: object = None
        """The name for undo of the pieces that are being taken out."""
        self._pointer: QPointF | None = None
        self.last: Array | None = None
        """Where on the ground the pointer was last, metres from its corner."""
        self._count = 0
        self._holding = QTimer(self)
        self._holding.setInterval(HOLD_MS)
        self._holding.timeout.connect(self._hold)
        state.changed.connect(view.update)

    @property
    def active(self) -> bool:
        """Whether it is in hand."""
        here = self.view.tool == "ground" and not self.view.shape
        return here and self._state.ground is not None and self._state.path is None

    @property
    def working(self) -> bool:
        """Whether a stroke is under way."""
        return self._stroke is not None

    def place_at(self, at: QPointF) -> Array | None:
        """Where on the ground a place of the view is, metres from the ground's corner, `(2,)`."""
        ground = self._state.ground
        if ground is None:
            return None
        origin, way = ray(self.view.main_eye(), at.x() / max(self.view.width(), 1), at.y() / max(self.view.height(), 1))
        found = on_ground(ground, origin, way)
        return found.place if found is not None else None

    # Mouse

    def press(self, at: QPointF, event: QSinglePointEvent) -> bool:
        """Begin a stroke, or a ramp."""
        if not self.active:
            return False
        place, ground = self.place_at(at), self._state.ground
        if place is None or ground is None:
            return False
        if ground.locked or self.view.session.project.locks(ground):
            self.view.session.said.emit(f"{ground.name} is locked.", True)
            return True
        self._count += 1
        if self._state.plucking:
            self._picking = ("pluck", self._count)
            self._pluck(place)
            return True
        if self._state.brush.deed == "ramp":
            self._ramp = (place, place)
            return True
        self._stroke = _Stroke(("ground stroke", self._count), place, float(ground.heights.at(place[None])[0]))
        self._dab(place)
        self._holding.start()
        return True

    def move(self, at: QPointF, event: QSinglePointEvent) -> None:
        """Go on with it, dab by dab."""
        self._pointer = at
        place = self.place_at(at)
        if place is None:
            return
        self._point(place)
        if self._picking is not None:
            if self._state.plucking == "out":
                self._pluck(place)
        elif self._ramp is not None:
            self._ramp = (self._ramp[0], place)
        elif self._stroke is not None:
            way = place - self._stroke.at
            step = self._state.brush.radius * SPACING
            length, start = math.hypot(*way), self._stroke.at
            for i in range(1, int(length / step) + 1):
                self._dab(start + way * (i * step / length))
        self.view.update()

    def release(self, at: QPointF, event: QSinglePointEvent) -> None:
        """End it."""
        self._holding.stop()
        if self._ramp is not None:
            (start, end), self._ramp = self._ramp, None
            ground = self._state.ground
            if ground is not None and math.hypot(*(end - start)) > 1e-6:
                made = ramped(ground.heights, self._state.brush, start, end)
                self._do(edits.sculpt(ground=ground.id, pages=made.pages), ground, None)
        worked = self._picking is None and (self._stroke is not None or self._state.brush.deed == "ramp")
        self._stroke = self._picking = None
        self.view.session.document.settle()
        if worked and self._state.brush.shapes:
            self.land_shaped.emit()

    def give_up(self) -> bool:
        """Take back the stroke under way; whether there was one."""
        stroke, ramp, picking = self._stroke, self._ramp, self._picking
        self._stroke = self._ramp = self._picking = None
        self._holding.stop()
        key = stroke.key if stroke is not None else picking
        if key is not None:
            self.view.session.document.give_up(key)
        elif ramp is None and self._state.plucking:
            self._state.pluck("")
            return True
        self.view.update()
        return key is not None or ramp is not None

    def hover(self, at: QPointF | None) -> None:
        """Show the ring where the pointer is."""
        self._pointer = at
        if self.active:
            self._point(self.place_at(at) if at is not None else None)
            self.view.update()

    def _point(self, place: Array | None) -> None:
        if place is not None:
            self.last = place
            self.pointed.emit()

    def wheel(self, turn: float, event: QWheelEvent) -> bool:
        """Ctrl sizes the brush."""
        if not self.active or not event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            return False
        self._state.scale(1.12**turn)
        return True

    # Dabs

    def _hold(self) -> None:
        if self._stroke is not None:
            self._dab(self._stroke.at)

    def _dab(self, place: Array) -> None:
        ground, layer, brush, stroke = self._state.ground, self._state.layer, self._state.brush, self._stroke
        if ground is None or layer is None or stroke is None:
            return
        stroke.at = place
        if brush.shapes:
            made = shaped(ground.heights, brush, place, stroke.level)
            self._do(edits.sculpt(ground=ground.id, pages=made.pages), ground, stroke.key)
            return
        size = ground.heights.size
        weights = painted(ground.weights, ground.sharing, layer.id, size, brush, place)
        if weights:
            columns, rows = ground.weight_cells
            before = ground.by_hand if ground.by_hand is not None else Pages.flat(rows, columns, "uint8", 0)
            after = by_hand_after(before, size, brush, place)
            self._do(edits.paint_layers(ground=ground.id, weights=weights, by_hand=after), ground, stroke.key)

    def _do(self, edit: Edit, ground: Ground, merge: object) -> None:
        brush, layer = self._state.brush, self._state.layer
        what = ground.name if brush.shapes or layer is None else layer.name
        self.view.session.do(edit.called(f"{DEED_LABELS[brush.deed]} {what.lower()}"), merge=merge)

    def _pluck(self, place: Array) -> None:
        """Take the pieces under the brush out of the scatter, or make a prop of the one next to the pointer."""
        ground, scatter, session = self._state.ground, self._state.scatter, self.view.session
        if ground is None or scatter is None:
            return
        found = near(session.link.pieces(ground.id, scatter.id), scatter, place, self._state.brush.radius)
        if self._state.plucking == "prop":
            found = found.some(slice(0, 1))
        if not len(found):
            return
        places = tuple((float(x), float(z)) for x, z in found.places)
        props: tuple[Prop, ...] = ()
        title = f"Take {scatter.name.lower()} out"
        if self._state.plucking == "prop":
            taken = {t.id for kind in KINDS_OF_THINGS for t in getattr(session.project, kind)}
            name = free_name(scatter.name, {p.name for p in session.project.props})
            props = (as_prop(session.project, scatter, found, free_id(name, taken), name),)
            title = f"Make a prop of {scatter.name.lower()}"
        edit = edits.take_pieces(ground=ground.id, scatter=scatter.id, places=places, props=props)
        session.do(edit.called(title), merge=self._picking)

    # Picture

    def paint(self, painter: QPainter) -> None:
        """The ring on the ground, and the ramp that is being drawn."""
        if not self.active:
            return
        ground = self._state.ground
        assert ground is not None
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if self._ramp is not None:
            start, end = self._ramp
            side = np.array([-(end - start)[1], (end - start)[0]])
            side = side / max(math.hypot(*side), 1e-9) * self._state.brush.radius
            corners = np.array([start + side, end + side, end - side, start - side, start + side])
            sides = [np.linspace(a, b, 24) for a, b in pairwise(corners)]
            self._draw(painter, ground, np.concatenate(sides))
            return
        place = self.place_at(self._pointer) if self._pointer is not None else None
        if place is None:
            return
        turn = np.linspace(0, 2 * math.pi, RING_POINTS + 1)
        for share in (1.0, max(self._state.brush.hard, 0.05)):
            ring = np.stack([np.cos(turn), np.sin(turn)], axis=1) * self._state.brush.radius * share
            self._draw(painter, ground, place + ring, 2.0 if share == 1.0 else 1.0)

    def _draw(self, painter: QPainter, ground: Ground, places: Array, width: float = 2.0) -> None:
        """A line over the ground through places `(n, 2)`, metres from its corner."""
        x, z = ground.corner
        points = np.stack([x + places[:, 0], ground.foot + ground.heights.at(places), z + places[:, 1]], axis=1)
        seen = project(self.view.main_eye(), points)
        line = QPolygonF([QPointF(float(u) * self.view.width(), float(v) * self.view.height()) for u, v in seen])
        painter.setPen(QPen(theme.color("chrome", 160), width + 1.5))
        painter.drawPolyline(line)
        painter.setPen(QPen(theme.color("celadon"), width))
        painter.drawPolyline(line)
