"""A stroke: dabs laid along a way over a surface, on private copies of the tiles they touch."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np

from jade_coat.mesh.brush import Brush, weights
from jade_coat.mesh.canvas import Ball, Canvas, Patch, axes
from jade_coat.mesh.data import MeshData
from jade_coat.mesh.painting import Paint
from jade_coat.mesh.tip import GOLDEN_ANGLE
from jade_coat.program.types import Array

GRID = 33
"""Places along a side of the square in which smoothing and smearing look at what is under the brush."""
SOFT = 0.3
"""The reach of smoothing, in radii."""
MAX_DABS = 4000
"""Dabs that one move may lay; a longer way is laid sparser."""
OFF_CENTRE = 0.15
"""How far its middle may be from its origin, as a share of its size, before a mesh counts as lying off-centre."""
FACING = {"x": 0, "y": 1, "z": 2}
_AS_IS = np.array([0.0, 1.0])
"""A table of weights that gives what is looked up."""


def mirror_plane(mesh: MeshData, axis: str) -> float:
    """Where along an axis strokes are mirrored, metres: at the mesh's origin; in its middle if off-centre."""
    low, high = (float(corner[FACING[axis]]) for corner in mesh.bounds)
    middle = (low + high) / 2
    return middle if abs(middle) > OFF_CENTRE * (high - low) else 0.0


@dataclass
class _Tile:
    """A tile under a stroke: as it was, as it is, and how far each row has been led."""

    before: Array
    work: Array
    done: Array = field(repr=False)


class Stroke:
    """One stroke on one canvas. Points and normals are in the mesh's own space."""

    def __init__(self, canvas: Canvas, scale: float = 1.0) -> None:
        """`scale` is the prop's size: a brush of r metres reaches r / scale in the mesh's space."""
        self._canvas, self._scale = canvas, scale
        self._tiles: dict[int, _Tile] = {}
        self._fresh: set[int] = set()
        self._last: tuple[Array, Array] | None = None
        self._began: tuple[int, Array] | None = None
        self._allowed: tuple[str, Array] | None = None
        self._carried: Array | None = None
        self._reached: list[Array] = []
        self.reached = False
        """Whether any dab has met a vertex or texel."""
        self._way: Array | None = None
        self.dabs = 0

    def dab(self, point: Array, normal: Array, brush: Brush, triangle: int = -1, lay: bool = True) -> list[Patch]:
        """Lay one dab, and its mirror image where the brush has one; returns what it reached.

        `triangle` is the one the point lies on, where that is known. Without `lay` nothing is changed.
        """
        point, normal = np.asarray(point, np.float64), np.asarray(normal, np.float64)
        lies = self._tip_lies(normal, brush)
        found = self._one(point, normal, brush, triangle, lay, lies)
        if brush.mirror:
            axis = FACING[brush.mirror]
            flip, middle = np.ones(3), np.zeros(3)
            flip[axis], middle[axis] = -1, mirror_plane(self._canvas.mesh, brush.mirror) + brush.mirror_shift
            twin = (point - middle) * flip + middle
            found += self._one(twin, normal * flip, brush, -1, lay, lies if lies is None else lies * flip)
        self.dabs += lay
        return found

    def move(self, point: Array, normal: Array, brush: Brush, triangle: int = -1) -> int:
        """Dab along the surface from the last point, every `spacing` radii; returns how many dabs were laid."""
        point, normal = np.asarray(point, np.float64), np.asarray(normal, np.float64)
        if self._last is None:
            self._last = point, normal
            self.dab(point, normal, brush, triangle)
            return 1
        start, facing = self._last
        way, turn = point - start, normal - facing
        length = float(np.linalg.norm(way))
        step = max(brush.spacing * brush.radius / self._scale, length / MAX_DABS)
        count = int(length / step)
        if not count:
            return 0
        shares = step / length * np.arange(1, count + 1)
        between = facing + turn * shares[:, None]
        between /= np.maximum(np.linalg.norm(between, axis=1, keepdims=True), 1e-12)
        places = start + way * shares[:, None]
        self._way = way / length
        near = self._canvas.index.nearest(places, between, np.pi / 2)
        surface = near.values(self._canvas.mesh, self._canvas.mesh.positions)
        for at, n, p, t in zip(surface, between, places, near.triangle, strict=True):
            self.dab(at if t >= 0 else p, n, brush, int(t))
        self._last = places[-1], between[-1]
        return count

    def hold(self, brush: Brush) -> None:
        """Dab once more where the stroke is: an airbrush that is held still."""
        if self._last is not None:
            self.dab(*self._last, brush)

    def fresh_triangles(self) -> Array:
        """The triangles that dabs have reached since this was last asked, `(k,)`, each once."""
        found, self._reached = self._reached, []
        return np.unique(np.concatenate(found)) if found else np.zeros(0, np.int64)

    def fresh(self) -> dict[int, Array]:
        """The tiles that changed since this was last asked, as they are now."""
        found = {tile: self._tiles[tile].work for tile in sorted(self._fresh)}
        self._fresh.clear()
        return found

    def values(self, entries: Array) -> Array:
        """The present values `(k, channels)` of some vertices or texels."""
        return Paint(tuple(self._now(i) for i in range(len(self._canvas.paint.tiles)))).at(entries)

    def snapshot(self) -> Paint:
        """The paint as it is at this moment, which later dabs do not change: for work in other threads."""
        return self._canvas.paint.replaced({i: t.work.copy() for i, t in self._tiles.items()})

    def paint(self) -> Paint:
        """The paint after the stroke; it shares the tiles no dab changed."""
        changed = {i: t.work.copy() for i, t in self._tiles.items() if not np.array_equal(t.work, t.before)}
        return self._canvas.paint.replaced(changed)

    def changes(self, patch: Patch, brush: Brush) -> Array:
        """How far a dab with this brush would lead the rows of a patch, from 0 to 1, `(k,)`: for a preview."""
        full = self._canvas.paint.full
        old = self._now(patch.tile)[patch.rows][:, list(brush.channels)].astype(np.float64)
        share = _pressed(brush, patch) * brush.strength
        if brush.tool != "paint":
            return share
        return np.asarray((np.abs(brush.toward * full - old).max(axis=1) / full) * share)

    # One dab

    def _tip_lies(self, normal: Array, brush: Brush) -> Array | None:
        """The directions across and up of the tip, `(2, 3)`; None for a round brush."""
        if brush.tip is None:
            return None
        across, up = axes(normal)
        turn = brush.tip_turn
        if brush.tip_way == "each":
            turn += self.dabs * GOLDEN_ANGLE
        elif brush.tip_way == "along" and self._way is not None:
            turn += float(np.arctan2(self._way @ up, self._way @ across)) - np.pi / 2
        cos, sin = np.cos(turn), np.sin(turn)
        return np.stack([across * cos + up * sin, up * cos - across * sin])

    def _one(
        self, point: Array, normal: Array, brush: Brush, triangle: int, lay: bool, lies: Array | None
    ) -> list[Patch]:
        canvas, radius = self._canvas, brush.radius / self._scale
        if triangle < 0 and (brush.surface_only or self._began is None):
            near = canvas.index.nearest(point[None], normal[None], np.pi / 2)
            triangle = int(near.triangle[0]) if near.distance[0] <= radius else -1
            if triangle < 0:
                return []
        if self._began is None:
            self._began = triangle, normal
        allowed = self._allowed_by(brush)
        if brush.surface_only:
            if allowed is not None and not allowed[triangle]:
                return []
            reached = canvas.index.reached(triangle, point, radius, allowed)
        else:
            reached = canvas.index.in_ball(point, radius, allowed)
        facing = self._began[1] if brush.within == "facing" else normal
        flat = brush.tool != "paint" or not lay or lies is not None
        found = list(canvas.patches(reached, Ball(point, radius, facing, float(np.cos(brush.angle)), flat)))
        if lies is not None and brush.tip is not None:
            turned = np.stack(axes(facing)) @ lies.T
            found = [replace(p, through=brush.tip.at(p.plane @ turned)) for p in found]
        self.reached |= bool(found)
        if lay and brush.strength > 0 and found:
            self._reached.append(reached)
            if brush.tool == "paint":
                self._lead(found, brush)
            else:
                self._rework(found, brush, point)
        return found

    def _allowed_by(self, brush: Brush) -> Array | None:
        """Which triangles the stroke may change, `(m,) uint8`, or None for all."""
        if brush.within not in ("slot", "part"):
            return None
        if self._allowed is None or self._allowed[0] != brush.within:
            assert self._began is not None
            mesh, start = self._canvas.mesh, self._began[0]
            allowed = np.zeros(len(mesh.triangles), np.uint8)
            if brush.within == "slot":
                slot = next((s for s in mesh.slots if s.start <= start < s.start + s.count), mesh.slots[0])
                allowed[slot.start : slot.start + slot.count] = 1
            else:
                piece = mesh.pieces[mesh.triangles[:, 0]]
                allowed[piece == piece[start]] = 1
            self._allowed = brush.within, allowed
        return self._allowed[1]

    def _lead(self, found: list[Patch], brush: Brush) -> None:
        from jade_coat.mesh.kernels import lay

        channels = np.array(brush.channels, np.int64)
        full = float(self._canvas.paint.full)
        target = min(max(brush.toward, 0.0), 1.0)
        for patch in found:
            tile = self._tile(patch.tile)
            at, table = patch.distance, brush.table
            if patch.through is not None:
                at, table = _pressed(brush, patch), _AS_IS
            lay(
                tile.before, tile.work, tile.done, patch.rows, at, table, channels, target, full,
                float(min(brush.strength, 1.0)), float(brush.flow),
            )  # fmt: skip
            self._fresh.add(patch.tile)

    def _rework(self, found: list[Patch], brush: Brush, point: Array) -> None:
        """Smooth, sharpen or smear what is under the brush."""
        if not found:
            return
        channels, full = list(brush.channels), self._canvas.paint.full
        plane = np.concatenate([p.plane for p in found])
        old = np.concatenate([self._now(p.tile)[p.rows][:, channels] for p in found]).astype(np.float64)
        share = (np.concatenate([_pressed(brush, p) for p in found]) * brush.strength)[:, None]
        under = _Plane(plane)
        if brush.tool == "smear":
            carried, self._carried = self._carried, under.spread(old)
            if carried is None:
                return
            there = under.read(carried)
            new = np.where(np.isnan(there), old, old + (there - old) * share)
            self._carried = under.spread(new)
        else:
            soft = under.read(under.softened(old))
            soft = np.where(np.isnan(soft), old, soft)
            sign = 1.0 if brush.tool == "smooth" else -1.0
            new = old + sign * (soft - old) * share
        new = np.clip(np.floor(new + 0.5), 0, full)
        at = 0
        for patch in found:
            tile = self._tile(patch.tile)
            rows = new[at : at + len(patch.rows)]
            at += len(patch.rows)
            for k, channel in enumerate(channels):
                tile.work[patch.rows, channel] = rows[:, k]
            self._fresh.add(patch.tile)

    def _tile(self, index: int) -> _Tile:
        if index not in self._tiles:
            before = self._canvas.paint.tiles[index]
            self._tiles[index] = _Tile(before, before.copy(), np.zeros(len(before)))
        return self._tiles[index]

    def _now(self, index: int) -> Array:
        found = self._tiles.get(index)
        return found.work if found is not None else self._canvas.paint.tiles[index]


class _Plane:
    """Values scattered over the brush's plane, gathered on a small square grid and read back between its places."""

    def __init__(self, plane: Array) -> None:
        at = (np.clip(plane.astype(np.float64), -1, 1) + 1) * (GRID - 1) / 2
        # As many cells as there are values for, so that sparse vertices still find their neighbours.
        self._side = int(np.clip(np.sqrt(len(plane) / 2), 4, GRID))
        at *= (self._side - 1) / (GRID - 1)
        low = np.minimum(at.astype(np.int64), self._side - 2)
        fx, fy = (at - low).T
        base = low[:, 1] * self._side + low[:, 0]
        self._places = np.stack([base, base + 1, base + self._side, base + self._side + 1])
        self._shares = np.stack([(1 - fx) * (1 - fy), fx * (1 - fy), (1 - fx) * fy, fx * fy])
        self._amount = self._gathered(np.ones(len(plane)))

    def _gathered(self, values: Array) -> Array:
        return np.bincount(self._places.ravel(), (self._shares * values).ravel(), self._side**2)

    def _sums(self, values: Array) -> tuple[Array, Array]:
        sums = np.stack([self._gathered(v) for v in values.T], axis=1)
        return sums.reshape(self._side, self._side, -1), self._amount.reshape(self._side, self._side, 1)

    def spread(self, values: Array) -> Array:
        """Mean values `(GRID, GRID, channels)` over the plane; NaN where there are none."""
        return self._resized(_mean(*self._sums(values)), GRID)

    def softened(self, values: Array) -> Array:
        """The same after blurring by `SOFT` radii."""
        sums, amount = self._sums(values)
        sigma = max(SOFT * (self._side - 1) / 2 / 2, 0.6)
        from scipy.ndimage import gaussian_filter

        blur = [gaussian_filter(a, (sigma, sigma, 0), mode="constant") for a in (sums, amount)]
        return self._resized(_mean(*blur), GRID)

    def read(self, grid: Array) -> Array:
        """Grid values at the places, `(k, channels)`; NaN where the grid has none."""
        own = self._resized(grid, self._side).reshape(self._side**2, -1)[self._places]
        known = ~np.isnan(own[..., :1])
        shares = self._shares[..., None] * known
        total = shares.sum(axis=0)
        return np.where(total > 1e-9, (shares * np.nan_to_num(own)).sum(axis=0) / np.maximum(total, 1e-9), np.nan)

    @staticmethod
    def _resized(grid: Array, side: int) -> Array:
        if len(grid) == side:
            return grid
        at = np.linspace(0, len(grid) - 1, side)
        low = np.minimum(at.astype(np.int64), len(grid) - 2)
        f = at - low
        rows = grid[low] * (1 - f)[:, None, None] + grid[low + 1] * f[:, None, None]
        return np.asarray(rows[:, low] * (1 - f)[None, :, None] + rows[:, low + 1] * f[None, :, None])


def _pressed(brush: Brush, patch: Patch) -> Array:
    """How strongly a dab presses on the rows of a patch, `(k,)`, 0 to 1."""
    share = weights(brush, patch.distance)
    return share if patch.through is None else np.asarray(share * patch.through)


def _mean(sums: Array, amount: Array) -> Array:
    return np.where(amount > 1e-6, sums / np.maximum(amount, 1e-6), np.nan)
