"""The hand that lays a path over the land in the view: its line, and its points to drag."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPen, QPolygonF, QSinglePointEvent

from jade_coat.app import theme
from jade_coat.app.ground.state import GroundState
from jade_coat.app.ground.tool import GroundTool
from jade_coat.app.view.overlay import Overlay, draw_tag
from jade_coat.app.view.view import View
from jade_coat.ground.paths import MOST_POINTS, GroundPath, line_of
from jade_coat.program.types import Array
from jade_coat.stage import edits
from jade_coat.stage.grounds import Ground
from jade_coat.view.camera import seen

NEAR = 11.0
"""Within how many pixels a point or the line is meant."""
DOT = 5.0


class PathTool(Overlay[View]):
    """Lays the chosen path; `ground_tool` says where on the ground the pointer is."""

    laid = pyqtSignal()
    """The path runs otherwise, and the hand is off."""

    def __init__(self, view: View, state: GroundState, ground_tool: GroundTool) -> None:
        super().__init__(view)
        self._state, self._ground_tool = state, ground_tool
        self._held: int | None = None
        self._key: object = None
        self._count = 0
        self._pointer: QPointF | None = None

    @property
    def active(self) -> bool:
        """Whether a path is in hand."""
        return self.view.tool == "ground" and not self.view.shape and self._state.path is not None

    # Mouse and keys

    def press(self, at: QPointF, event: QSinglePointEvent) -> bool:
        """Take a point; one between on the line; else a new one at the end."""
        path, ground = self._state.path, self._state.ground
        if not self.active or path is None or ground is None:
            return False
        if ground.locked or self.view.session.project.locks(ground):
            self.view.session.said.emit(f"{ground.name} is locked.", True)
            return True
        self._count += 1
        self._key = ("path", self._count)
        self._held = self._point_at(ground, path, at)
        if self._held is None:
            place = self._ground_tool.place_at(at)
            if place is None:
                return False
            if len(path.points) >= MOST_POINTS:
                self.view.session.said.emit(f"{path.name} has {MOST_POINTS} points: that is all it can have.", True)
                return True
            between = self._between(ground, path, at)
            self._held = len(path.points) if between is None else between
            self._put(ground, path, (*path.points[: self._held], _told(place), *path.points[self._held :]))
        return True

    def move(self, at: QPointF, event: QSinglePointEvent) -> None:
        """Move the point that is held."""
        self._pointer = at
        path, ground, place = self._state.path, self._state.ground, self._ground_tool.place_at(at)
        if path is None or ground is None or place is None or self._held is None or self._held >= len(path.points):
            return
        points = list(path.points)
        points[self._held] = _told(place)
        self._put(ground, path, tuple(points))

    def release(self, at: QPointF, event: QSinglePointEvent) -> None:
        """Let it go."""
        self._held = None
        self.view.session.document.settle()
        self.laid.emit()

    def take_out(self) -> bool:
        """Take out the point under the pointer, else the last; whether there was one."""
        path, ground = self._state.path, self._state.ground
        if not self.active or path is None or ground is None or not path.points:
            return False
        at = self._point_at(ground, path, self._pointer) if self._pointer is not None else None
        gone = len(path.points) - 1 if at is None else at
        self._count += 1
        self._key = ("path", self._count)
        self._put(ground, path, path.points[:gone] + path.points[gone + 1 :])
        self.laid.emit()
        return True

    def give_up(self) -> bool:
        """Take back what is being moved, else put the path down; whether there was any."""
        if not self.active:
            return False
        if self._held is not None:
            self._held = None
            self.view.session.document.give_up(self._key)
        else:
            self._state.take_path("")
        self.view.update()
        return True

    def hover(self, at: QPointF | None) -> None:
        """Remember where the pointer is."""
        self._pointer = at
        if self.active:
            self.view.update()

    def _put(self, ground: Ground, path: GroundPath, points: tuple[tuple[float, float], ...]) -> None:
        edit = edits.set_path(ground=ground.id, path=path.id, points=points)
        self.view.session.do(edit.called(f"Lay {path.name.lower()}"), merge=self._key)

    # Picture

    def paint(self, painter: QPainter) -> None:
        """The paths of the ground; that in hand with its points and its edges."""
        ground, chosen = self._state.ground, self._state.path
        if ground is None or chosen is None or not self.active:
            return
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for path in ground.paths:
            line = line_of(path)
            if len(line) > 1:
                self._draw(painter, ground, line, "celadon" if path is chosen else "quiet", 2.0)
            if path is chosen and len(line) > 1 and path.width > 0:
                along = np.gradient(line, axis=0)
                across = np.stack([-along[:, 1], along[:, 0]], axis=1)
                across *= path.width / 2 / np.maximum(np.hypot(*along.T), 1e-9)[:, None]
                for side in (line + across, line - across):
                    self._draw(painter, ground, side, "celadon", 1.0)
        over = self._point_at(ground, chosen, self._pointer) if self._pointer is not None else None
        for i, (x, y, ahead) in enumerate(self._seen(ground, np.array(chosen.points).reshape(-1, 2))):
            if ahead > 0:
                painter.setPen(QPen(theme.color("chrome", 200), 1.5))
                painter.setBrush(theme.color("persimmon" if i in (over, self._held) else "celadon"))
                painter.drawEllipse(QPointF(x, y), DOT, DOT)
        if len(chosen.points) < 2:
            draw_tag(painter, QPointF(14, self.view.height() - 14), f"Click the land where {chosen.name} runs")

    def _draw(self, painter: QPainter, ground: Ground, places: Array, color: str, width: float) -> None:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        found = self._seen(ground, places)
        ahead = found[:, 2] > 0
        for run in np.split(np.arange(len(found)), np.flatnonzero(np.diff(ahead)) + 1):
            if not ahead[run[0]]:
                continue
            line = QPolygonF([QPointF(x, y) for x, y, _ in found[run]])
            painter.setPen(QPen(theme.color("chrome", 160), width + 1.5))
            painter.drawPolyline(line)
            painter.setPen(QPen(theme.color(color), width))
            painter.drawPolyline(line)

    def _seen(self, ground: Ground, places: Array) -> Array:
        """Where places `(n, 2)` of the ground are in the view, pixels, and how far ahead of the eye, metres."""
        if not len(places):
            return np.zeros((0, 3))
        x, z = ground.corner
        points = np.stack([x + places[:, 0], ground.foot + ground.heights.at(places), z + places[:, 1]], axis=1)
        return np.asarray(seen(self.view.main_eye(), points) * [self.view.width(), self.view.height(), 1.0])

    def _nearest(self, ground: Ground, places: Array, at: QPointF) -> int | None:
        """Which of some places of the ground lies under a place of the view."""
        found = self._seen(ground, places)
        if not len(found):
            return None
        away = np.where(found[:, 2] > 0, np.hypot(found[:, 0] - at.x(), found[:, 1] - at.y()), np.inf)
        best = int(away.argmin())
        return best if away[best] <= NEAR else None

    def _point_at(self, ground: Ground, path: GroundPath, at: QPointF) -> int | None:
        """The point of a path under a place of the view."""
        return self._nearest(ground, np.array(path.points).reshape(-1, 2), at)

    def _between(self, ground: Ground, path: GroundPath, at: QPointF) -> int | None:
        """Where among the points of a path a new one comes whose place lies on its line."""
        line = line_of(path)
        if len(line) < 2:
            return None
        best = self._nearest(ground, line, at)
        if best is None:
            return None
        points = np.array(path.points)
        passed = [int(np.argmin(np.hypot(*(line - p).T))) for p in points]
        return next((i for i, k in enumerate(passed) if i > 0 and k > best), len(points) if path.closed else None)


def _told(place: Array) -> tuple[float, float]:
    """A place to the millimetre, as it is kept."""
    return round(float(place[0]), 3), round(float(place[1]), 3)
