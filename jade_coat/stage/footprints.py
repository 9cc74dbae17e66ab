"""Where props stand on a ground: how far each place of it is from the next of them."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from copy import copy

import cv2
import numpy as np

from jade_coat.ground.pages import Pages
from jade_coat.mesh.data import MeshData, kept_by_mesh
from jade_coat.program.types import Array
from jade_coat.stage.grounds import Ground
from jade_coat.stage.project import Project, Prop

FINE, MOST_CELLS = 0.1, 1025
"""Metres from cell to cell, as far as no more of them are needed along an edge."""
LOW = 0.6
"""What lies up to so far above the lowest of a mesh counts as standing, metres; what hangs higher shuts nothing out."""
BELOW, ABOVE = 0.8, 0.6
"""A thing stands on the ground whose lowest point is at the most so far below or above it, metres."""
Box = tuple[int, int, int, int]
"""Rows from and up to, columns from and up to."""
Meshes = Callable[[Project, str], MeshData]


@kept_by_mesh
def footing_of(mesh: MeshData) -> Array:
    """Points `(n, 2)`, x and z of the mesh's own, that cover what of it stands on the ground, no two in one cell."""
    places = mesh.positions
    low = places[:, 1].min() + LOW
    corners = places[mesh.triangles]
    corners = corners[(corners[:, :, 1].min(axis=1) <= low)]
    if not len(corners):
        return np.zeros((0, 2))
    spans = np.ptp(corners[:, :, [0, 2]], axis=1).max(axis=1)
    # Large triangles are covered by points of their own, so that no gap is left between their corners.
    found = [corners.reshape(-1, 3)[:, [0, 2]]]
    counts = np.clip(np.ceil(spans / FINE), 1, 64).astype(int)
    for count in sorted(set(counts.tolist()) - {1}):
        some = corners[counts == count][:, :, [0, 2]]
        a, b = np.meshgrid(*(np.arange(count + 1) / count,) * 2)
        inside = a + b <= 1 + 1e-9
        a, b = a[inside][:, None], b[inside][:, None]
        at = some[:, 0, None] * (1 - a - b) + some[:, 1, None] * a + some[:, 2, None] * b
        found.append(at.reshape(-1, 2))
    points = np.concatenate(found)
    _, first = np.unique(np.floor(points / FINE).astype(np.int64), axis=0, return_index=True)
    return np.asarray(points[first], np.float64)


class Footprints:
    """Which cells of a grid over a ground props stand on, and how far each cell is from the next of them.

    Kept from state to state: only props that are others are looked at, and only places near them worked out again.
    Distances are known up to `reach` metres; what is farther is as far as that.
    """

    def __init__(self, ground: Ground, reach: float) -> None:
        self.reach = reach
        self._lies, self._heights = _lies(ground), ground.heights
        size = ground.heights.size
        self._shape = tuple(min(max(round(s / FINE) + 1, 17), MOST_CELLS) for s in reversed(size))
        self._step = np.array(size) / (self._shape[1] - 1, self._shape[0] - 1)
        self._stood = np.zeros(self._shape, np.int16)
        """On each cell, how many props stand."""
        self._cells: dict[str, Array] = {}
        self.clear = np.full(self._shape, reach, np.float32)
        """How far each cell is from the next prop, metres; never changed, but replaced."""

    def copied(self) -> Footprints:
        """Another that goes on from the same state."""
        made = copy(self)
        made._stood, made._cells = self._stood.copy(), dict(self._cells)
        return made

    def fits(self, ground: Ground, reach: float) -> bool:
        """Whether it can go on with a state of a ground, and with such a reach."""
        return self._lies == _lies(ground) and reach <= self.reach

    def update(
        self, project: Project, ground: Ground, changed: Iterable[tuple[str, Prop | None]], mesh_data: Meshes
    ) -> list[Box]:
        """Take some props as they are now, None for those that are gone; the cells whose distance may be another.

        Where the land has another shape, those on it are looked at too.
        """
        boxes: list[Box] = []
        taken = dict(changed)
        for prop in self._on_other_land(project, ground, mesh_data):
            taken.setdefault(prop.id, prop)
        for name, taken_prop in taken.items():
            old, new = self._cells.pop(name, None), None
            if taken_prop is not None and project.shows(taken_prop):
                new = self._footprint(project, ground, taken_prop, mesh_data)
            if new is not None and len(new):
                self._cells[name] = new
            if old is not None and new is not None and np.array_equal(old, new):
                continue
            for cells, by in ((old, -1), (new, 1)):
                if cells is not None and len(cells):
                    self._stood[cells[:, 0], cells[:, 1]] += np.int16(by)
                    boxes.append(self._round(cells))
        boxes = _joined(boxes)
        if boxes:
            self.clear = self.clear.copy()
        for box in boxes:
            self._work_out(box)
        return boxes

    def _on_other_land(self, project: Project, ground: Ground, mesh_data: Meshes) -> list[Prop]:
        """The props where the heights are others than they were."""
        then, self._heights = self._heights, ground.heights
        if then is ground.heights:
            return []
        rects = [(x0 + ground.corner[0], x1 + ground.corner[0], z0 + ground.corner[1], z1 + ground.corner[1])
                 for x0, x1, z0, z1 in changed_in(then.pages, ground.heights.pages, ground.heights.size)]  # fmt: skip
        found = []
        for prop in project.props:
            x, _, z = prop.position
            near = radius_of(mesh_data(project, prop.mesh)) * max(prop.size)
            if any(x0 - near < x < x1 + near and z0 - near < z < z1 + near for x0, x1, z0, z1 in rects):
                found.append(prop)
        return found

    def metres(self, box: Box) -> tuple[float, float, float, float]:
        """A box of cells from and up to along x, then z, metres from the ground's corner."""
        top, bottom, left, right = box
        x, z = self._step
        return float((left - 1) * x), float((right + 1) * x), float((top - 1) * z), float((bottom + 1) * z)

    def _round(self, cells: Array) -> Box:
        """The cells whose distance some others may change."""
        edge = math.ceil(self.reach / self._step.min()) + 1
        (top, left), (bottom, right) = cells.min(axis=0) - edge, cells.max(axis=0) + edge + 1
        rows, columns = self._shape
        return max(int(top), 0), min(int(bottom), rows), max(int(left), 0), min(int(right), columns)

    def _work_out(self, box: Box) -> None:
        edge = math.ceil(self.reach / self._step.min()) + 1
        top, bottom, left, right = box
        t, b = max(top - edge, 0), min(bottom + edge, self._shape[0])
        l, r = max(left - edge, 0), min(right + edge, self._shape[1])  # noqa: E741
        free = (self._stood[t:b, l:r] == 0).astype(np.uint8)
        away = np.full(free.shape, self.reach, np.float32)
        if not free.all():
            away = cv2.distanceTransform(free, cv2.DIST_L2, cv2.DIST_MASK_PRECISE) * np.float32(self._step.min())
        inner = away[top - t : bottom - t, left - l : right - l]
        self.clear[top:bottom, left:right] = np.minimum(inner, self.reach)

    def _footprint(self, project: Project, ground: Ground, prop: Prop, mesh_data: Meshes) -> Array:
        """The cells that a prop stands on, row and column, each once, `(n, 2)`."""
        matrix = prop.matrix()
        x, z = ground.corner
        size = ground.heights.size
        mesh = mesh_data(project, prop.mesh)
        reach = radius_of(mesh) * max(prop.size)
        if not (x - reach < matrix[0, 3] < x + size[0] + reach and z - reach < matrix[2, 3] < z + size[1] + reach):
            return np.zeros((0, 2), np.int64)
        low, points = float(mesh.positions[:, 1].min()), footing_of(mesh)
        world = matrix[:3, [0, 2]] @ points.T + (matrix[:3, 1] * low + matrix[:3, 3])[:, None]
        at = world[[0, 2]].T - ground.corner
        there = ((at >= 0) & (at <= size)).all(axis=1)
        if not there.any():
            return np.zeros((0, 2), np.int64)
        above = world[1, there] - ground.foot - ground.heights.at(at[there])
        cells = np.rint(at[there][(above > -BELOW) & (above < ABOVE)] / self._step).astype(np.int64)
        return np.unique(cells[:, ::-1], axis=0) if len(cells) else np.zeros((0, 2), np.int64)


@kept_by_mesh
def radius_of(mesh: MeshData) -> float:
    """How far a mesh reaches from its origin, metres."""
    return float(np.sqrt((mesh.positions.astype(np.float64) ** 2).sum(axis=1).max()))


def changed_in(then: Pages, now: Pages, size: tuple[float, float]) -> list[tuple[float, float, float, float]]:
    """Where two grids of one shape differ, and what lies between those cells and others: from and up to along x, then
    z, metres from the corner of the land that they lie over from edge to edge."""
    dx, dz = size[0] / (now.columns - 1), size[1] / (now.rows - 1)
    return [
        ((left - 1) * dx, right * dx, (top - 1) * dz, bottom * dz)
        for top, bottom, left, right in now.changed_cells(then)
    ]  # fmt: skip


def clear_of_props(project: Project, ground: Ground, mesh_data: Meshes, reach: float = 1000.0) -> Array | None:
    """How far places of a ground are from what stands there, metres, `(rows, columns) float32` from edge to edge.

    None where nothing stands on it; what is farther than `reach` is as far as that.
    """
    made = Footprints(ground, reach)
    made.update(project, ground, ((p.id, p) for p in project.props), mesh_data)
    return made.clear if (made.clear < reach).any() else None


def _lies(ground: Ground) -> tuple[object, ...]:
    """Where a ground lies, and how fine it is."""
    pages = ground.heights.pages
    return (ground.corner, ground.foot, ground.heights.size, pages.rows, pages.columns)


def _joined(boxes: list[Box]) -> list[Box]:
    """Boxes, those that overlap as one."""
    found: list[Box] = []
    for box in boxes:
        joined = box
        while True:
            other = next((o for o in found if o[0] <= joined[1] and joined[0] <= o[1]
                          and o[2] <= joined[3] and joined[2] <= o[3]), None)  # fmt: skip
            if other is None:
                break
            found.remove(other)
            joined = (min(joined[0], other[0]), max(joined[1], other[1]), min(joined[2], other[2]),
                      max(joined[3], other[3]))  # fmt: skip
        found.append(joined)
    return found
