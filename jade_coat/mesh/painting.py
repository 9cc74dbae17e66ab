"""Paint: four channels a vertex in immutable tiles, and the strokes that change them."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache
from typing import Any, Literal

import numpy as np

from jade_coat.mesh.data import FULL, MeshData
from jade_coat.program.types import Array

TILE = 4096
"""Vertices in a tile."""
Falloff = Literal["smooth", "linear", "sharp", "flat"]


@dataclass(frozen=True, eq=False)
class Paint:
    """Vertex paint `(n, 4) uint16` as read-only tiles; an edit shares every tile it does not touch."""

    tiles: tuple[Array, ...]

    @staticmethod
    def of(values: Array) -> Paint:
        """Paint with these values `(n, 4)`."""
        values = np.ascontiguousarray(values, np.uint16)
        tiles = tuple(values[i : i + TILE].copy() for i in range(0, len(values), TILE))
        for tile in tiles:
            tile.flags.writeable = False
        return Paint(tiles)

    @property
    def count(self) -> int:
        """How many vertices are covered."""
        return sum(len(t) for t in self.tiles)

    def whole(self) -> Array:
        """All values `(n, 4) uint16`."""
        return np.concatenate(self.tiles)

    def replaced(self, tiles: dict[int, Array]) -> Paint:
        """Paint with some tiles exchanged."""
        for tile in tiles.values():
            tile.flags.writeable = False
        return Paint(tuple(tiles.get(i, t) for i, t in enumerate(self.tiles)))

    def changed_tiles(self, other: Paint) -> list[int]:
        """The indices of tiles that are not the same object in both."""
        if len(self.tiles) != len(other.tiles):
            return list(range(len(self.tiles)))
        return [i for i, (a, b) in enumerate(zip(self.tiles, other.tiles, strict=True)) if a is not b]

    @cached_property
    def key(self) -> str:
        """A content hash."""
        digest = hashlib.sha256()
        for tile in self.tiles:
            digest.update(tile.tobytes())
        return digest.hexdigest()[:24]

    def __eq__(self, other: object) -> bool:
        if self is other:
            return True
        same_shape = isinstance(other, Paint) and len(other.tiles) == len(self.tiles)
        return same_shape and all(
            a is b or np.array_equal(a, b)
            for a, b in zip(self.tiles, other.tiles, strict=True)  # type: ignore[attr-defined]
        )

    __hash__ = object.__hash__


@dataclass(frozen=True)
class Brush:
    """How a dab falls: radius in metres, strength 0–1, falloff, channels (0–3), and the value painted toward."""

    radius: float = 0.15
    strength: float = 0.6
    falloff: Falloff = "smooth"
    channels: tuple[int, ...] = (0,)
    toward: float = 1.0


def falloff(kind: Falloff, distance: Array) -> Array:
    """The weight of a dab at distances in radii: 1 in the middle, 0 at and beyond 1."""
    d = np.clip(distance, 0, 1)
    if kind == "linear":
        return 1 - d
    if kind == "sharp":
        return (1 - d) ** 3
    if kind == "flat":
        return (d < 1).astype(d.dtype)
    return (1 - d * d) ** 2


@lru_cache(maxsize=16)
def vertex_index(mesh: MeshData) -> Any:
    """A spatial index (`scipy.spatial.cKDTree`) over the mesh's vertices, kept for the most recent meshes."""
    from scipy.spatial import cKDTree  # slow to import; the first picture need not wait for it

    return cKDTree(mesh.positions)


class Stroke:
    """One stroke on one mesh: dabs change private copies of the tiles they touch; `paint()` gives the result."""

    def __init__(self, mesh: MeshData, paint: Paint, scale: float = 1.0) -> None:
        """`scale` is the prop's size: a brush of r metres reaches r / scale in the mesh's space."""
        if paint.count != mesh.vertex_count:
            raise ValueError(f"the paint covers {paint.count} vertices, the mesh has {mesh.vertex_count}")
        self._mesh, self._before, self._scale = mesh, paint, scale
        self._index = vertex_index(mesh)
        self._work: dict[int, Array] = {}
        self._last: Array | None = None

    def dab(self, point: Array, normal: Array, brush: Brush) -> Array:
        """Paint around a point (in the mesh's space) on vertices that face the way `normal` does.

        Returns the indices of the touched vertices, sorted.
        """
        radius = brush.radius / self._scale
        near = np.asarray(self._index.query_ball_point(point, radius, return_sorted=True), np.int64)
        near = near[self._mesh.normals[near] @ np.asarray(normal, np.float32) > 0]
        if not len(near) or brush.strength <= 0:
            return near[:0]
        distance = np.linalg.norm(self._mesh.positions[near] - point, axis=1) / radius
        weight = falloff(brush.falloff, distance) * brush.strength
        for tile, first, last in _runs(near):
            rows = near[first:last] - tile * TILE
            values = self._tile(tile)
            for channel in brush.channels:
                old = values[rows, channel].astype(np.float32)
                new = old + (brush.toward * FULL - old) * weight[first:last]
                # Rounding away from the old value, so that a gentle stroke still arrives.
                rounded = np.where(brush.toward * FULL >= old, np.ceil(new), np.floor(new))
                values[rows, channel] = np.clip(rounded, 0, FULL).astype(np.uint16)
        return near

    def move(self, point: Array, normal: Array, brush: Brush, spacing: float = 0.25) -> Array:
        """Dab along the way from the last point, every `spacing` radii; returns the touched vertices."""
        point = np.asarray(point, float)
        if self._last is None:
            self._last = point
            return self.dab(point, normal, brush)
        step = spacing * brush.radius / self._scale
        way = point - self._last
        count = int(np.linalg.norm(way) / step)
        touched = []
        for i in range(1, count + 1):
            touched.append(self.dab(self._last + way * (i * step / np.linalg.norm(way)), normal, brush))
        if count:
            self._last = self._last + way * (count * step / np.linalg.norm(way))
        return np.unique(np.concatenate(touched)) if touched else np.zeros(0, np.int64)

    def values(self, vertices: Array) -> Array:
        """The present values `(k, 4) uint16` of some vertices (sorted indices)."""
        parts = [self._now(tile)[vertices[a:b] - tile * TILE] for tile, a, b in _runs(vertices)]
        return np.concatenate(parts) if parts else np.zeros((0, 4), np.uint16)

    def paint(self) -> Paint:
        """The paint after the stroke; it shares the tiles no dab reached."""
        return self._before.replaced({i: t.copy() for i, t in self._work.items()})

    def _tile(self, index: int) -> Array:
        if index not in self._work:
            self._work[index] = self._before.tiles[index].copy()
        return self._work[index]

    def _now(self, index: int) -> Array:
        return self._work.get(index, self._before.tiles[index])


def _runs(vertices: Array) -> Iterable[tuple[int, int, int]]:
    """(tile, first, last) over sorted vertex indices: which run of them lies in which tile."""
    tiles = vertices // TILE
    edges = np.flatnonzero(np.diff(tiles)) + 1
    for a, b in zip([0, *edges], [*edges, len(vertices)], strict=True):
        if b > a:
            yield int(tiles[a]), int(a), int(b)


def spread(vertices: Sequence[int] | Array, gap: int = 256) -> list[tuple[int, int]]:
    """Cover sorted indices with few (start, stop) ranges, joining those less than `gap` apart: for uploads."""
    v = np.asarray(vertices)
    if not len(v):
        return []
    cuts = np.flatnonzero(np.diff(v) > gap)
    starts, stops = [v[0], *v[cuts + 1]], [*v[cuts], v[-1]]
    return [(int(a), int(b) + 1) for a, b in zip(starts, stops, strict=True)]
