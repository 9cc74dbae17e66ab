"""The line of the section on the surface: dragged across the view, its ends moved by hand."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QPainter, QPen, QPolygonF, QSinglePointEvent

from jade_coat.app import theme
from jade_coat.app.view.overlay import Overlay
from jade_coat.app.view.view import View
from jade_coat.looking.section import SurfaceLine, line_across, longest_run, trace
from jade_coat.mesh.picking import target
from jade_coat.stage.project import Prop
from jade_coat.view.camera import project, ways

RAYS = 480
REACH = 9.0
GRID = (40, 26)
"""Rays across and down the view that look for the slot."""


class SectionLine(Overlay[View]):
    """Keeps a line on the chosen prop's slot. `drawing` makes the next drag across the view a new line."""

    changed = pyqtSignal()
    drawing_changed = pyqtSignal(bool)

    def __init__(self, view: View) -> None:
        super().__init__(view)
        self.line: SurfaceLine | None = None
        self.marked: int | None = None
        self.is_read = True
        """Whether anything shows what lies along it; else it is neither drawn nor followed."""
        self._drawing = False
        self._place: object = None
        self._missed_from: object = None
        """The camera that the last search for a line looked through."""
        self._ends: tuple[QPointF, QPointF] | None = None
        self._grabbed = 0
        session = view.session
        session.changed.connect(self.follow)
        session.selection_changed.connect(self.follow)
        session.scene_changed.connect(self.follow)
        self._seen = QTimer(self)
        self._seen.setSingleShot(True)
        self._seen.timeout.connect(self.follow)
        view.arrived.connect(lambda: self._seen.start(0))  # a picture is shown before anything is done about it

    @property
    def drawing(self) -> bool:
        """Whether the next drag draws a line."""
        return self._drawing

    def read(self, wanted: bool) -> None:
        """Draw and follow the line from now on, or let it be."""
        if wanted != self.is_read:
            self.is_read = wanted
            self.follow()
            self.view.update()

    @property
    def _in_hand(self) -> bool:
        return self.is_read and self.view.tool == "look" and not self.view.shape

    def draw_next(self, on: bool = True) -> None:
        """Let the next drag across the view draw a line, or not."""
        self._drawing = on
        self.view.setCursor(Qt.CursorShape.CrossCursor if on else Qt.CursorShape.ArrowCursor)
        self.drawing_changed.emit(on)

    def follow(self) -> None:
        """Put a line on what is chosen now, when it lies on something else."""
        if not self.view.has_picture or not self.is_read or self.view.tool == "stage":
            return  # the first picture need not wait for the rays' index, and Stage shows no section
        session = self.view.session
        prop = session.prop
        place = None
        if prop is not None:
            place = (
                prop.mesh,
                prop.position,
                prop.turn,
                prop.size,
                session.slot,
                session.link.mesh_data(prop.mesh).key,
            )
        missed = self.line is None and self._missed_from != session.camera
        if (place != self._place or missed) and self.view.width() > 50:
            self._place = place
            self._by_default()

    def _by_default(self) -> None:
        """A level line across the middle of what is seen of the slot; where nothing is, across its largest side."""
        session, prop = self.view.session, self.view.session.prop
        self.line, self._missed_from = None, session.camera
        if prop is not None:
            seen = self._seen_run(prop)
            if seen is not None:
                left, right, y = seen
                inset = (right - left) * 0.22
                self._trace(left + inset, y, right - inset, y)
            if self.line is None:
                self.line = line_across(session.link.mesh_data(prop.mesh), prop.matrix(), session.slot, RAYS)
        self._tell()

    def _seen_run(self, prop: Prop) -> tuple[float, float, float] | None:
        """The longest level run of the view over the slot, near the middle of what is seen: left, right and height."""
        mesh, slot = self.view.session.link.mesh_data(prop.mesh), self.view.session.slot
        inverse, eye = np.linalg.inv(prop.matrix()), self.view.main_eye()
        columns, rows = (np.arange(GRID[0]) + 0.5) / GRID[0], (np.arange(GRID[1]) + 0.5) / GRID[1]
        directions = ways(eye, np.tile(columns, GRID[1]), np.repeat(rows, GRID[0]))
        origin = inverse[:3, :3] @ np.asarray(eye.position) + inverse[:3, 3]
        owner, _ = target(mesh).hits(np.broadcast_to(origin, directions.shape), directions @ inverse[:3, :3].T)
        run = next(s for s in mesh.slots if s.name == slot)
        met = ((owner >= run.start) & (owner < run.start + run.count)).reshape(GRID[1], GRID[0])
        if not met.any():
            return None
        middle = float(np.average(np.arange(GRID[1]), weights=met.sum(axis=1)))
        runs = [longest_run(row) for row in met]
        # A long run counts, and one near the middle of what is seen a little more.
        best = max(range(GRID[1]), key=lambda i: (runs[i][1] - runs[i][0]) - abs(i - middle) * 0.5)
        start, stop = runs[best]
        return start / GRID[0], stop / GRID[0], float(rows[best])

    def _trace(self, x0: float, y0: float, x1: float, y1: float) -> None:
        session, prop = self.view.session, self.view.session.prop
        if prop is None:
            return
        eye = self.view.main_eye()
        share = np.linspace(0, 1, RAYS)
        directions = ways(eye, x0 + (x1 - x0) * share, y0 + (y1 - y0) * share)
        self.line = trace(
            session.link.mesh_data(prop.mesh), prop.matrix(), session.slot, np.asarray(eye.position), directions
        )

    def _tell(self) -> None:
        self.marked = None
        self.view.update()
        self.changed.emit()

    # On the view

    def _on_view(self) -> QPolygonF:
        if self.line is None:
            return QPolygonF()
        places = project(self.view.main_eye(), self.line.points)
        width, height = self.view.width(), self.view.height()
        return QPolygonF([QPointF(x * width, y * height) for x, y in places])

    def mark(self, index: int | None) -> None:
        """Show a point of the line, by its index."""
        self.marked = index
        self.view.update()

    def paint(self, painter: QPainter) -> None:
        if self._ends is not None:
            painter.setPen(QPen(theme.color("celadon"), 1.5, Qt.PenStyle.DashLine))
            painter.drawLine(*self._ends)
        if not self._in_hand:
            return
        line = self._on_view()
        if line.count() < 2:
            return
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for tone, width in (("chrome", 3.5), ("celadon", 1.5)):
            painter.setPen(QPen(theme.color(tone, 170 if tone == "chrome" else 255), width))
            painter.drawPolyline(line)
        painter.setPen(QPen(theme.color("chrome"), 1.5))
        painter.setBrush(theme.color("celadon"))
        for end in (line.at(0), line.at(line.count() - 1)):
            painter.drawEllipse(end, 4.5, 4.5)
        if self.marked is not None and self.marked < line.count():
            painter.setBrush(theme.color("persimmon"))
            painter.drawEllipse(line.at(self.marked), 5.5, 5.5)

    def press(self, at: QPointF, event: QSinglePointEvent) -> bool:
        if self._drawing and not self.view.shape:
            self._ends, self._grabbed = (at, at), 1
            return True
        line = self._on_view()
        if not self._in_hand or line.count() < 2:
            return False
        ends = (line.at(0), line.at(line.count() - 1))
        for i, end in enumerate(ends):
            if (end - at).manhattanLength() < REACH:
                self._ends, self._grabbed = ends, i
                return True
        return False

    def move(self, at: QPointF, event: QSinglePointEvent) -> None:
        assert self._ends is not None
        self._ends = (at, self._ends[1]) if self._grabbed == 0 else (self._ends[0], at)
        self._take()

    def release(self, at: QPointF, event: QSinglePointEvent) -> None:
        self._take()
        self._ends = None
        if self._drawing:
            self.draw_next(False)
        self.view.update()

    def _take(self) -> None:
        assert self._ends is not None
        a, b = self._ends
        if (b - a).manhattanLength() < 8:
            return
        width, height = max(self.view.width(), 1), max(self.view.height(), 1)
        before = self.line
        self._trace(a.x() / width, a.y() / height, b.x() / width, b.y() / height)
        if self.line is None:
            self.line = before  # beside the surface: keep what was there
            self.view.update()
        else:
            self._tell()
