"""Painting in the view: strokes with mouse or pen, the ring on the surface, and a faint preview of the next dab."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from PyQt6.QtCore import QPointF, Qt, QTimer
from PyQt6.QtGui import QPainter, QPen, QPointingDevice, QSinglePointEvent, QTabletEvent, QWheelEvent

from jade_coat.app import theme
from jade_coat.app.brush.pen import MouseAsPen
from jade_coat.app.brush.pointing import Pointing
from jade_coat.app.brush.ring import paint_ring
from jade_coat.app.brush.state import BrushState
from jade_coat.app.brush.waiting import Waiting
from jade_coat.app.view.view import View
from jade_coat.check.unseen_stroke import Laid, why_unseen
from jade_coat.looking.stage_rays import PropHit
from jade_coat.mesh.brush import TOOL_LABELS
from jade_coat.mesh.canvas import MapCanvas, VertexCanvas
from jade_coat.mesh.painting import TILE
from jade_coat.mesh.stroke import Stroke
from jade_coat.program.types import Array
from jade_coat.stage import edits
from jade_coat.stage.edits.registry import Edit
from jade_coat.stage.looks import as_worn, finish_on
from jade_coat.stage.project import Prop
from jade_coat.view.camera import project
from jade_coat.view.requests import Part

HOLD_MS = 40
"""How often an airbrush that is held still paints."""
MAX_PART = 60_000
"""Triangles up to which a dab's picture is drawn from what changed alone."""


@dataclass
class _Painting:
    """A stroke under way."""

    prop: Prop
    canvas: VertexCanvas | MapCanvas
    stroke: Stroke
    key: object
    at: QPointF
    """Where the brush is on the view; behind the pointer when it trails."""
    hit: PropHit
    """What the last dab met."""
    erasing: bool = False
    """Whether it paints toward the other value: with Ctrl, or the pen's other end."""


class BrushTool(Pointing):
    """The brush over the view. `state` holds its settings."""

    def __init__(self, view: View, state: BrushState) -> None:
        super().__init__(view, state)
        self._painting: _Painting | None = None
        self._line: tuple[QPointF, QPointF] | None = None
        self._last_end: tuple[str, QPointF, object] | None = None
        self._count = 0
        self._waiting: list[Waiting] = []
        """Strokes drawn while their surface is being got ready, the last one maybe still under the hand."""
        self.readied.connect(self._lay_waiting)
        self._changed: list[tuple[int, Array, Array]] = []
        self._holding = QTimer(self)
        self._holding.setInterval(HOLD_MS)
        self._holding.timeout.connect(self._hold)
        self._pen = MouseAsPen(view)
        view.live_paint = self.live_paint
        view.marks = self.marks
        state.changed.connect(self._follow)
        state.shown_changed.connect(self._show_marks)
        view.session.selection_changed.connect(self._show_marks)
        view.session.changed.connect(self._point_again)

    @property
    def painting(self) -> bool:
        """Whether a stroke is under way."""
        return self._painting is not None or bool(self._waiting)

    def _follow(self) -> None:
        self._pen.turn(self._state.hand.simulated)
        self.view.update()

    def _point_again(self) -> None:
        """The prop under the pointer may have another mesh or another place now."""
        hover, project, link = self._hover, self.view.session.project, self.view.session.link
        if hover is None or self._painting is not None:
            return
        now = project.props.get(hover.prop.id)
        if (
            now is None
            or link.mesh_data(now.mesh) is not hover.mesh
            or now.matrix().tolist() != hover.prop.matrix().tolist()
        ):
            self._hover = self.contact = None
            if self._pointer is not None and self.active:
                self._point(self._pointer, "")

    # What lies under the brush

    # Mouse and pen

    def press(self, at: QPointF, event: QSinglePointEvent) -> bool:
        """Begin a stroke or a straight line, or pick a value."""
        if not self.active:
            return False
        hit = self.view.pick(at)
        if self._state.picking:
            self.pick_value(hit)
            return True
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self._line = (self._line_start(hit, at), at)
            return True
        erasing = _erases(event)
        if not self._begin(at, hit, erasing) and hit is not None and self.readying:
            self._waiting.append(Waiting(self.view, hit.prop.id))
            self._waiting[-1].add(at, erasing)
        return True

    def _line_start(self, hit: PropHit | None, at: QPointF) -> QPointF:
        """A line goes on from the end of the last stroke, if that was on the same prop in the same picture."""
        eye = self.view.main_eye().view.tobytes()
        if self._last_end is not None and hit is not None and self._last_end[0] == hit.prop.id:
            return self._last_end[1] if self._last_end[2] == eye else at
        return at

    def move(self, at: QPointF, event: QSinglePointEvent) -> None:
        """Go on with what was begun."""
        self._pointer = at
        if self._line is not None:
            self._line = (self._line[0], at)
        elif self._painting is not None:
            self._go_on(at, _erases(event))
        elif self._waiting and not self._waiting[-1].ended:
            self._waiting[-1].add(at, _erases(event))
        self._point(at, self._painting.prop.id if self._painting else "")

    def release(self, at: QPointF, event: QSinglePointEvent) -> None:
        """End it."""
        if self._line is not None:
            (start, _), self._line = self._line, None
            self._lay_line(start, at, _erases(event))
        elif self._painting is not None:
            self._end()
        elif self._waiting:
            self._waiting[-1].ended = True

    def hover(self, at: QPointF | None) -> None:
        """Show the ring and what a dab would do."""
        self._pointer = at
        if at is None or not self.active:
            self._hover = None
            self.view.update()
        else:
            self._point(at, "")

    def wheel(self, turn: float, event: QWheelEvent) -> bool:
        """Ctrl sizes the brush."""
        if not self.active or not event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            return False
        self._state.scale(1.12**turn)
        return True

    def pick_value(self, hit: PropHit | None = None) -> None:
        """Take the value under the pointer as the one that is painted toward."""
        self._state.pick(False)
        if not self.warm():
            return
        hit = hit or (self.view.pick(self._pointer) if self._pointer is not None else None)
        if hit is None:
            self.view.session.said.emit("Point at a prop to pick a value from it.", True)
            return
        canvas = self._canvas(hit.prop, hit.mesh)
        point, normal = hit.local
        near = canvas.index.nearest(point[None], normal[None], math.pi / 2)
        if near.triangle[0] < 0:
            near = canvas.index.nearest(point[None])
        values = canvas.value(int(near.triangle[0]), near.weights[0])
        channel = self._on(canvas, self._state.brush).channels[0]
        value = round(float(values[channel]), 4)
        self._state.set(**{"b" if self._state.brush.second else "a": value})
        self.view.session.said.emit(f"{value:.2f} picked from channel {'RGBA'[channel % 4]}", False)

    # Strokes

    def _lay_waiting(self) -> None:
        """Lay the strokes that were drawn meanwhile, now that they can be; what the view no longer shows is let go."""
        if self.readying:
            return
        waiting, self._waiting = self._waiting, []
        for stroke in waiting:
            if not stroke.stands or self._painting is not None:
                continue
            if stroke.replay(lambda at, erasing: self._begin(at, self.view.pick(at), erasing), self._go_on):
                if stroke.ended:
                    self._end()
            elif self.readying:  # another surface has to be got ready first
                self._waiting.append(stroke)

    def _begin(self, at: QPointF, hit: PropHit | None, erasing: bool) -> bool:
        if hit is None or not self._ready(hit.prop, hit.mesh):
            return False
        self._count += 1
        key, session = ("stroke", self._count), self.view.session
        if (session.prop_id, session.slot) != (hit.prop.id, hit.slot):
            session.choose_prop(hit.prop.id, hit.slot)
        canvas = self._canvas(hit.prop, hit.mesh)
        if isinstance(canvas, VertexCanvas) and canvas.paint is not hit.prop.paint:
            session.do(self._named(edits.paint_prop(prop=hit.prop.id, paint=canvas.paint)), merge=key)
        self._changed = []
        self._painting = _Painting(hit.prop, canvas, Stroke(canvas, hit.prop.scale), key, at, hit)
        self._dab(hit, erasing)
        if self._state.brush.flow < 1:
            self._holding.start()
        return True

    def _go_on(self, at: QPointF, erasing: bool) -> None:
        painting = self._painting
        assert painting is not None
        away = at - painting.at
        length, trail = math.hypot(away.x(), away.y()), self._state.hand.trail
        if length <= trail:
            return
        painting.at = painting.at + away * ((length - trail) / length)
        hit = self.view.pick(painting.at, painting.prop.id)
        if hit is not None:
            self._dab(hit, erasing)

    def _dab(self, hit: PropHit, erasing: bool) -> None:
        assert self._painting is not None
        point, normal = hit.local
        self._painting.hit, self._painting.erasing = hit, erasing
        brush = self._on(self._painting.canvas, self.brush_at(hit, self._painting.erasing))
        if self._painting.stroke.move(point, normal, brush, hit.hit.triangle):
            self._send()

    def _hold(self) -> None:
        if self._painting is None or not self._state.brush.flow < 1:
            self._holding.stop()
            return
        painting = self._painting
        painting.stroke.hold(self._on(painting.canvas, self.brush_at(painting.hit, painting.erasing)))
        self._send()

    def _send(self) -> None:
        """Hand what has changed to the renderer."""
        painting, client = self._painting, self.view.session.client
        assert painting is not None
        fresh = painting.stroke.fresh()
        for tile, values in fresh.items():
            if isinstance(painting.canvas, MapCanvas):
                client.patch_map(painting.prop.id, tile, values)
            else:
                client.patch_paint(painting.prop.id, tile * TILE, values.copy())
        if fresh:
            self.view.refresh(self._part())
            self.view.painted_over.emit()

    def _part(self) -> Part | None:
        """What has changed since the picture that is shown: the triangles of all dabs since then, where they are."""
        painting, view = self._painting, self.view
        assert painting is not None
        numbers = painting.stroke.fresh_triangles()
        mesh = painting.canvas.mesh
        used = mesh.positions[np.unique(mesh.triangles[numbers])]
        matrix = painting.prop.matrix()
        if not len(used):
            return None
        seen = project(view.main_eye(), used @ matrix[:3, :3].T + matrix[:3, 3])
        box = (*seen.min(axis=0), *seen.max(axis=0))
        self._changed = [c for c in self._changed if c[0] > view.drawn]
        self._changed.append((view.generation + 1, numbers, np.array(box)))
        boxes = np.stack([b for _, _, b in self._changed])
        every = np.unique(np.concatenate([n for _, n, _ in self._changed]))
        if len(every) > MAX_PART:
            return None
        left, top = boxes[:, :2].min(axis=0).tolist()
        right, bottom = boxes[:, 2:].max(axis=0).tolist()
        return Part(painting.prop.id, every, mesh.triangles[every], (left, top, right, bottom))

    def _lay_line(self, start: QPointF, end: QPointF, erasing: bool) -> None:
        """A straight line across the view, laid onto the surface."""
        hit = self.view.pick(start)
        if not self._begin(start, hit, erasing):
            return
        assert self._painting is not None
        way = end - start
        steps = max(int(math.hypot(way.x(), way.y()) / 4), 1)
        for i in range(1, steps + 1):
            place = start + way * (i / steps)
            self._painting.at = place
            hit = self.view.pick(place, self._painting.prop.id)
            if hit is not None:
                self._dab(hit, erasing)
        self._end()

    def _end(self) -> None:
        painting, self._painting = self._painting, None
        self._holding.stop()
        assert painting is not None
        made, session = painting.stroke.paint(), self.view.session
        laid = Laid(changed=bool(made.changed_tiles(painting.canvas.paint)), reached=painting.stroke.reached)
        if not laid.changed:
            session.document.give_up(painting.key)
            self._tell(painting, laid)
            return
        with self.view.picture_kept():
            if isinstance(painting.canvas, MapCanvas):
                done = painting.canvas.map.with_paint(made)
                session.do(self._named(edits.paint_map(prop=painting.prop.id, paint_map=done)), merge=painting.key)
            else:
                session.do(self._named(edits.paint_prop(prop=painting.prop.id, paint=made)), merge=painting.key)
        session.document.settle()
        self._last_end = (painting.prop.id, painting.at, self.view.main_eye().view.tobytes())

        self._tell(painting, laid)

    def _tell(self, painting: _Painting, laid: Laid) -> None:
        """Say why a stroke shows nothing, where it does not."""
        session, hit = self.view.session, painting.hit
        finish = finish_on(self.view.session.project, painting.prop, hit.slot)
        worn = as_worn(session.project, finish) if finish else None
        brush = self.brush_at(hit, painting.erasing)
        unseen = why_unseen(laid, brush, worn, session.link.lookup, isinstance(painting.canvas, MapCanvas))
        if unseen:
            session.said.emit(unseen, True)
        self.touched.emit()

    def _named(self, edit: Edit) -> Edit:
        """An edit by the name that undo tells: what was done, and to what."""
        what = TOOL_LABELS[self._state.brush.tool]
        return replace(edit, title=f"{what} {self._state.told(self.view.session).lower()}")

    def give_up(self) -> bool:
        """Take back the stroke or line under way, as if it had never begun; whether there was one."""
        if self._line is not None:
            self._line = None
            self.view.update()
            return True
        if self._waiting:
            self._waiting.clear()
            return True
        painting, self._painting = self._painting, None
        if painting is None:
            return False
        self._holding.stop()
        session = self.view.session
        session.document.give_up(painting.key)
        session.link.repaint(painting.prop.id)
        self.view.refresh()
        session.said.emit("The stroke was given up", False)
        return True

    def live_paint(self, prop: str) -> Callable[[Array], Array] | None:
        """What a stroke under way has made of a prop's vertex paint, as a function of vertices; None otherwise."""
        painting = self._painting
        if painting is None or painting.prop.id != prop or isinstance(painting.canvas, MapCanvas):
            return None
        return painting.stroke.snapshot().at

    # Marks over the mesh

    def paint(self, painter: QPainter) -> None:
        """Draw the ring, the preview, and what ties the brush to the pointer."""
        if not self.active:
            return
        if self._line is not None:
            painter.setPen(QPen(theme.color("celadon"), 1.5, Qt.PenStyle.DashLine))
            painter.drawLine(*self._line)
        if self._painting is not None and self._pointer is not None and self._state.hand.trail > 0:
            painter.setPen(QPen(theme.color("celadon", 160), 1))
            painter.drawLine(self._painting.at, self._pointer)
        if self._hover is None:
            return
        brush = self.brush_at(self._hover)
        if self._painting is None:
            self._paint_preview(painter, self._hover, brush)
        paint_ring(painter, self.view, self._hover, brush)


def _erases(event: QSinglePointEvent) -> bool:
    """Whether a dab paints toward the other value: with Ctrl, or with the pen's other end, but not with both."""
    eraser = isinstance(event, QTabletEvent) and event.pointerType() == QPointingDevice.PointerType.Eraser
    return bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier) != eraser
