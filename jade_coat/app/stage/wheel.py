"""The wheel: one handle that moves, turns and sizes what is chosen, like a potter's wheel under it.

Its disc slides things across, its rim turns them, the knob on its stem lifts them, the bead on its rim makes them
larger, the tip of the stem stretches them. Pressing its hub tips the wheel over onto the next axis, so that all of
this is done along and about each of the three.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF, QSinglePointEvent

from jade_coat.app import theme
from jade_coat.app.stage.chosen_marks import toggle, world_box
from jade_coat.app.stage.hand import StageHand
from jade_coat.app.view.overlay import Overlay, draw_tag
from jade_coat.app.view.view import View
from jade_coat.program.types import Array
from jade_coat.stage import edits
from jade_coat.stage.arranging import Places, Stand, turn_between
from jade_coat.stage.placed import Placed
from jade_coat.view.camera import on_line, on_plane, ray, seen

LEAST_PIXELS, NEAR_PIXELS, RIM_PIXELS = 46.0, 11.0, 7.0
_RING = np.linspace(0, 2 * np.pi, 73)
WORDS = {
    "disc": "slides it across: Shift keeps one way, Alt lays it on what is there", "rim": "turns it",
    "knob": "moves it along the stem", "bead": "makes it larger or smaller", "tip": "stretches it along the stem",
    "hub": "press to tip the wheel over", "body": "slides it across: Shift keeps one way, Alt lays it on what is there",
}  # fmt: skip


@dataclass(frozen=True)
class Shape:
    """Where the wheel is: its middle, its axis and two directions across `(3,)`, its radius and the stem's length."""

    pivot: Array
    axis: Array
    across: tuple[Array, Array]
    radius: float
    stem: float

    @property
    def spots(self) -> dict[str, Array]:
        """Where the parts that are points stand, `(3,)`."""
        return {
            "hub": self.pivot, "knob": self.pivot + self.axis * (self.stem + 0.3 * self.radius),
            "tip": self.pivot + self.axis * (self.stem + 0.62 * self.radius),
            "bead": self.pivot + self.across[0] * self.radius,
        }  # fmt: skip

    def ring(self) -> Array:
        """Points round the rim, `(73, 3)`."""
        a, b = self.across
        return np.asarray(self.pivot + self.radius * (np.outer(np.cos(_RING), a) + np.outer(np.sin(_RING), b)))

    def angle(self, point: Array) -> float:
        """Where round the axis a point lies, radians, right-handed."""
        away, a = point - self.pivot, self.across[0]
        return math.atan2(float(away @ np.cross(self.axis, a)), float(away @ a))


@dataclass
class _Grip:
    part: str
    shape: Shape
    stand: Stand
    start: Array
    pressed: QPointF
    moved: bool = False


class Wheel(Overlay[View]):
    """The wheel under what is chosen in Stage."""

    def __init__(self, view: View, hand: StageHand) -> None:
        super().__init__(view)
        self._hand = hand
        self.axis = 1
        """The world's axis that the wheel stands on: 0, 1 or 2."""
        self._grip: _Grip | None = None
        self._hot, self._told = "", ""
        self._run = 0

    # Where it is

    def _free(self) -> tuple[Placed, ...]:
        """What is chosen and can be moved."""
        session = self.view.session
        if self.view.tool != "stage" or self.view.shape or self.view.scene == "before":
            return ()
        return tuple(t for t in session.chosen_placed if not session.project.locks(t))

    def shape(self) -> Shape | None:
        """Where the wheel is now; None while nothing that can be moved is chosen."""
        things = self._free()
        box = world_box(self.view, things)
        if box is None:
            return None
        low, high = box
        axis = np.eye(3)[self.axis]
        pivot = (low + high) / 2
        if len(things) == 1:
            pivot = np.array(things[0].position, np.float64)
        elif self.axis == 1:
            pivot[1] = low[1]
        half = np.maximum(high - pivot, pivot - low)
        eye = self.view.main_eye()
        ahead = float(seen(eye, pivot[None])[0, 2])
        if ahead <= 1e-3:
            return None
        pixel = 2 * ahead * math.tan(self.view.camera.field_of_view / 2) / max(self.view.height(), 1)
        across = [i for i in range(3) if i != self.axis]
        radius = max(float(np.hypot(*half[across])) * 1.06, LEAST_PIXELS * pixel)
        right = eye.view[0, :3] - axis * float(eye.view[0, :3] @ axis)
        length = float(np.linalg.norm(right))
        first = right / length if length > 1e-3 else np.eye(3)[across[0]]
        stem = min(max(float(high[self.axis] - pivot[self.axis]), 0.0), radius * 3)
        return Shape(pivot, axis, (first, np.cross(axis, first)), min(radius, 4000 * pixel), stem)

    def _on_view(self, points: Array) -> Array | None:
        """Points on the view in pixels `(n, 2)`; None where one is not ahead of the eye."""
        at = seen(self.view.main_eye(), points)
        return None if (at[:, 2] <= 1e-3).any() else at[:, :2] * (self.view.width(), self.view.height())

    def spot(self, part: str) -> QPointF | None:
        """Where a part that is a point lies on the view."""
        shape = self.shape()
        at = self._on_view(shape.spots[part][None]) if shape is not None else None
        return None if at is None else QPointF(*at[0])

    # Looks

    def paint(self, painter: QPainter) -> None:
        """Draw it, the part under the pointer stronger, and what a drag does in words."""
        shape = self._grip.shape if self._grip is not None and self._grip.part in ("rim", "bead") else self.shape()
        if shape is None:
            return
        ring, spots = self._on_view(shape.ring()), self._on_view(np.stack(list(shape.spots.values())))
        if ring is None or spots is None:
            return
        at = {name: QPointF(*p) for name, p in zip(shape.spots, spots, strict=True)}
        polygon = QPolygonF([QPointF(*p) for p in ring])
        hot = self._grip.part if self._grip is not None else self._hot
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("celadon", 38 if hot in ("disc", "body") else 14))
        painter.drawPolygon(polygon)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for tone, extra in (("chrome", 2.0), ("celadon", 0.0)):
            painter.setPen(QPen(theme.color(tone), (3.0 if hot == "rim" else 1.8) + extra))
            painter.drawPolyline(polygon)
            painter.setPen(QPen(theme.color(tone), 1.6 + extra))
            painter.drawLine(at["hub"], at["tip"])
        for name, size in (("hub", 4.5), ("knob", 6.5), ("bead", 6.0)):
            self._dot(painter, at[name], size + (1.5 if hot == name else 0), hot == name)
        self._ridge(painter, at["tip"], at["knob"], hot == "tip")
        if self._told:
            draw_tag(painter, at["tip"] + QPointF(12, 4), self._told)

    @staticmethod
    def _dot(painter: QPainter, at: QPointF, size: float, hot: bool) -> None:
        painter.setPen(QPen(theme.color("chrome"), 1.6))
        painter.setBrush(theme.color("persimmon" if hot else "celadon"))
        painter.drawEllipse(at, size, size)

    @staticmethod
    def _ridge(painter: QPainter, at: QPointF, below: QPointF, hot: bool) -> None:
        """The tip: a bar across the stem."""
        way = at - below
        length = max(math.hypot(way.x(), way.y()), 1e-6)
        side = QPointF(-way.y() / length, way.x() / length) * 8
        for tone, width in (("chrome", 6.5), ("persimmon" if hot else "celadon", 3.5)):
            painter.setPen(QPen(theme.color(tone), width, cap=Qt.PenCapStyle.RoundCap))
            painter.drawLine(at - side, at + side)

    # Hands

    def part_at(self, at: QPointF) -> str:
        """The part under a place of the view; empty for none."""
        shape = self.shape()
        if shape is None:
            return ""
        pointer = np.array([at.x(), at.y()])
        spots = self._on_view(np.stack(list(shape.spots.values())))
        if spots is not None:
            away = np.linalg.norm(spots - pointer, axis=1)
            if away.min() < NEAR_PIXELS:
                return list(shape.spots)[int(away.argmin())]
        ring = self._on_view(shape.ring())
        if ring is not None:
            starts, along = ring[:-1], np.diff(ring, axis=0)
            share = ((pointer - starts) * along).sum(axis=1) / np.maximum((along * along).sum(axis=1), 1e-9)
            nearest = starts + along * np.clip(share, 0, 1)[:, None]
            if np.linalg.norm(nearest - pointer, axis=1).min() < RIM_PIXELS:
                return "rim"
        hit = self.view.pick(at)
        if hit is not None and any(t.id == hit.prop.id for t in self._free()):
            return "body"
        point = self._across(shape, at)
        inside = point is not None and float(np.linalg.norm(point - shape.pivot)) < shape.radius
        return "disc" if inside and hit is None else ""

    def hover(self, at: QPointF | None) -> None:
        """Show which part the pointer is on."""
        hot = self.part_at(at) if at is not None and self._grip is None else ""
        if hot != self._hot:
            self._hot = hot
            if hot and hot not in ("body", "disc"):
                self.view.session.said.emit(f"{WORDS[hot].capitalize()}.", False)
            self.view.update()

    def press(self, at: QPointF, event: QSinglePointEvent) -> bool:
        """Take hold of a part."""
        part = self.part_at(at)
        shape = self.shape()
        if not part or shape is None:
            return False
        if part == "body":
            hit = self.view.pick(at)
            start = hit.hit.point if hit is not None else shape.pivot
        else:
            found = self._along(shape, at) if part in ("knob", "tip") else self._across(shape, at)
            start = shape.pivot if found is None else found
        self._grip = _Grip(part, shape, Stand(self._free()), start, at)
        self._run += 1
        return True

    def move(self, at: QPointF, event: QSinglePointEvent) -> None:
        """Move, turn or size by it."""
        grip = self._grip
        if grip is None:
            return
        if not grip.moved and (at - grip.pressed).manhattanLength() < 4:
            return
        grip.moved = True
        keys = event.modifiers()
        free = bool(keys & Qt.KeyboardModifier.ControlModifier)
        ways = {"rim": self._turn, "bead": self._size, "knob": self._lift, "tip": self._stretch}
        if grip.part in ways:
            ways[grip.part](grip, at, free)
        elif grip.part in ("disc", "body"):
            if keys & Qt.KeyboardModifier.AltModifier:
                self._lay(grip, at)
            else:
                self._slide(grip, at, free, bool(keys & Qt.KeyboardModifier.ShiftModifier))
        self.view.update()

    def release(self, at: QPointF, event: QSinglePointEvent) -> None:
        """Let go. A press without a drag chooses what is there, or tips the wheel over."""
        grip, self._grip, self._told = self._grip, None, ""
        session = self.view.session
        session.document.settle()
        self.view.update()
        if grip is None or grip.moved:
            return
        if grip.part == "hub":
            self.tip_over()
            return
        hit = self.view.pick(at)
        if hit is not None and event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            toggle(self.view, hit.prop.id)
        elif hit is not None:
            session.choose_prop(hit.prop.id, hit.slot)

    def give_up(self) -> bool:
        """Take back what is being dragged; whether anything was."""
        if self._grip is None:
            return False
        if self._grip.moved:
            self.view.session.document.give_up(("wheel", self._run))
        self._grip, self._told = None, ""
        self.view.update()
        return True

    def tip_over(self) -> None:
        """Stand the wheel on the next axis."""
        self.axis = (self.axis + 1) % 3
        self.view.session.said.emit(f"The wheel stands on {'xyz'[self.axis]} now.", False)
        self.view.update()

    # What the parts do

    def _place(self, places: Places, what: str, told: str) -> None:
        self._told = told
        count = len(places)
        title = f"{what} {count} things" if count > 1 else what
        self.view.session.do(edits.place_things(places=places).called(title), merge=("wheel", self._run))

    def _slide(self, grip: _Grip, at: QPointF, free: bool, one_way: bool) -> None:
        point = self._on_plane(grip.start, grip.shape.axis, at)
        if point is None:
            return
        by = point - grip.start
        by[self.axis] = 0.0  # not nearly: what slides over the ground keeps its height to the last bit
        if one_way:
            by = by * (np.abs(by) == np.abs(by).max())
        for i in range(3):
            if i != self.axis and abs(by[i]) > 0:
                by[i] = self._hand.length(float(grip.shape.pivot[i] + by[i]), free) - grip.shape.pivot[i]
        told = "  ".join(f"{'xyz'[i]} {grip.shape.pivot[i] + by[i]:.2f}" for i in range(3) if i != self.axis)
        self._place(grip.stand.moved(by), "Move", f"{told} m")

    def _lay(self, grip: _Grip, at: QPointF) -> None:
        """Lay what is chosen on whatever is under the pointer."""
        hit = self.view.surface(at, but=frozenset(grip.stand.ids))
        if hit is None:
            return
        places = grip.stand.moved(hit.point - grip.shape.pivot)
        if self._hand.leans:
            x, y, z, w = turn_between(np.array([0.0, 1.0, 0.0]), hit.normal)
            half = math.acos(min(max(w, -1.0), 1.0))
            axis = np.array([x, y, z])
            if np.linalg.norm(axis) > 1e-9:
                places = Stand.of(places).turned(hit.point, axis, 2 * half)
        self._place(places, "Lay", f"on {hit.name}")

    def _turn(self, grip: _Grip, at: QPointF, free: bool) -> None:
        point = self._across(grip.shape, at)
        if point is None:
            return
        angle = grip.shape.angle(point) - grip.shape.angle(grip.start)
        angle = (angle + math.pi) % (2 * math.pi) - math.pi
        angle = self._hand.turn(angle, free)
        self._place(grip.stand.turned(grip.shape.pivot, grip.shape.axis, angle), "Turn", f"{math.degrees(angle):.1f}°")

    def _lift(self, grip: _Grip, at: QPointF, free: bool) -> None:
        point = self._along(grip.shape, at)
        if point is None:
            return
        pivot = float(grip.shape.pivot[self.axis])
        by = float((point - grip.start)[self.axis])
        by = self._hand.length(pivot + by, free) - pivot
        told = f"{'xyz'[self.axis]} {pivot + by:.2f} m"
        self._place(grip.stand.moved(grip.shape.axis * by), "Lift" if self.axis == 1 else "Move", told)

    def _size(self, grip: _Grip, at: QPointF, free: bool) -> None:
        point = self._across(grip.shape, at)
        if point is None:
            return
        before = max(float(np.linalg.norm(grip.start - grip.shape.pivot)), 1e-9)
        factor = self._factor(float(np.linalg.norm(point - grip.shape.pivot)) / before, free)
        self._place(grip.stand.sized(grip.shape.pivot, factor), "Size", f"× {factor:.2f}")

    def _stretch(self, grip: _Grip, at: QPointF, free: bool) -> None:
        point = self._along(grip.shape, at)
        if point is None:
            return
        before = max(float((grip.start - grip.shape.pivot) @ grip.shape.axis), 1e-9)
        factor = self._factor(float((point - grip.shape.pivot) @ grip.shape.axis) / before, free)
        self._place(grip.stand.sized(grip.shape.pivot, factor, self._own_axis(grip)), "Stretch", f"× {factor:.2f}")

    def _factor(self, factor: float, free: bool) -> float:
        factor = max(factor, 0.02)
        return max(round(factor * 20) / 20, 0.05) if self._hand.snaps != free else factor

    def _own_axis(self, grip: _Grip) -> int:
        """The axis of the leading thing's own that lies nearest to the stem."""
        from scipy.spatial.transform import Rotation  # slow to import

        own = Rotation.from_quat(grip.stand.turns[-1]).as_matrix()
        return int(np.abs(own.T @ grip.shape.axis).argmax())

    # Rays

    def _ray(self, at: QPointF) -> tuple[Array, Array]:
        return ray(self.view.main_eye(), at.x() / max(self.view.width(), 1), at.y() / max(self.view.height(), 1))

    def _on_plane(self, point: Array, normal: Array, at: QPointF) -> Array | None:
        return on_plane(point, normal, *self._ray(at))

    def _across(self, shape: Shape, at: QPointF) -> Array | None:
        """Where the pointer is on the wheel's plane."""
        return self._on_plane(shape.pivot, shape.axis, at)

    def _along(self, shape: Shape, at: QPointF) -> Array | None:
        """The place on the stem's line that is nearest to the pointer."""
        return on_line(shape.pivot, shape.axis, *self._ray(at))
