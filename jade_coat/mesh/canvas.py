"""What can be painted on: a mesh's vertices, or a map laid over it. Both are entries in tiles, with places in space."""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Protocol

import numpy as np

from jade_coat.mesh.data import MeshData, kept_by_mesh
from jade_coat.mesh.painting import TILE, Paint, PaintMap, lies_in_square
from jade_coat.mesh.surface_index import SurfaceIndex, surface_index
from jade_coat.program.types import Array

GUTTER = 2.0
"""Texels beyond a map's triangles that are painted along with them."""


@dataclass(frozen=True)
class Ball:
    """A ball on the surface and what is looked for in it, all in the mesh's own space."""

    point: Array
    radius: float
    facing: Array
    """The direction that what is painted must face, unit length."""
    least_cosine: float
    plane: bool = True
    """Whether the places in the brush's plane are wanted."""


@dataclass(frozen=True)
class Patch:
    """What a dab reaches in one tile: rows `(k,)`, distances in radii `(k,)`, and the place in the brush's plane
    `(k, 2)`, in radii."""

    tile: int
    rows: Array
    distance: Array
    plane: Array
    through: Array | None = None
    """What the brush's tip lets through there, `(k,)`, 0 to 1; None for all."""


class Canvas(Protocol):
    """Something to paint on."""

    mesh: MeshData
    index: SurfaceIndex

    @property
    def paint(self) -> Paint:
        """The paint as it was when the stroke began."""

    def patches(self, triangles: Array, ball: Ball) -> Iterator[Patch]:
        """What a dab reaches on some triangles, tile by tile."""

    def value(self, triangle: int, weights: Array) -> Array:
        """The values at a place of a triangle, 0 to 1, by channel; weights belong to its second and third corner."""


class VertexCanvas:
    """The vertices of a mesh."""

    def __init__(self, mesh: MeshData, paint: Paint) -> None:
        if paint.count != mesh.vertex_count:
            raise ValueError(f"the paint covers {paint.count} vertices, the mesh has {mesh.vertex_count}")
        self.mesh, self._paint, self.index = mesh, paint, surface_index(mesh)
        self._stamps, self._mark = np.zeros(mesh.vertex_count, np.int32), 0
        self._found = np.empty(mesh.vertex_count, np.int64)

    @property
    def paint(self) -> Paint:
        """The paint on the vertices."""
        return self._paint

    def patches(self, triangles: Array, ball: Ball) -> Iterator[Patch]:
        """What a dab reaches on some triangles, tile by tile."""
        from jade_coat.mesh.kernels import vertices_in_ball

        self._mark += 1
        count = vertices_in_ball(
            triangles, self.mesh.positions, self.mesh.normals, self.index.triangles, ball.point, ball.radius,
            ball.facing, ball.least_cosine, self._stamps, self._mark, self._found,
        )  # fmt: skip
        near = np.sort(self._found[:count])
        if not count:
            return
        away = self.mesh.positions[near] - ball.point
        distance = np.sqrt(np.einsum("nk,nk->n", away, away)) / ball.radius
        flat = np.stack(axes(ball.facing), axis=1) / ball.radius if ball.plane else np.zeros((3, 2))
        plane = away @ flat
        tiles = near // TILE
        edges = np.flatnonzero(tiles[1:] != tiles[:-1]) + 1
        for a, b in zip([0, *edges], [*edges, count], strict=True):
            yield Patch(int(tiles[a]), near[a:b] - tiles[a] * TILE, distance[a:b], plane[a:b])

    def value(self, triangle: int, weights: Array) -> Array:
        """The values at a place of a triangle, 0 to 1, by channel."""
        corners = self.paint.at(self.mesh.triangles[triangle]) / self.paint.full
        v, w = weights
        return np.asarray(corners[0] * (1 - v - w) + corners[1] * v + corners[2] * w)


class MapCanvas:
    """The texels of a map laid over a mesh by one of its UV sets."""

    def __init__(self, mesh: MeshData, paint_map: PaintMap) -> None:
        self.mesh, self.map, self.index = mesh, paint_map, surface_index(mesh)
        self._uv = mesh.uv(paint_map.uv_set).astype(np.float64)
        self._inside = inside(mesh, paint_map.uv_set, paint_map.side)
        self._rim = rim(mesh)
        edge = paint_map.tile_side
        self._place = np.full((paint_map.side // edge) ** 2, -1, np.int32)
        self._room = np.zeros((16, edge * edge, 3), np.float32)
        self._used = np.zeros(16, np.int64)

    @property
    def paint(self) -> Paint:
        """The map's paint."""
        return self.map.paint

    def patches(self, triangles: Array, ball: Ball) -> Iterator[Patch]:
        """What a dab reaches on some triangles, tile by tile."""
        from jade_coat.mesh.texel_kernels import take_texels

        count = self._draw(triangles, ball)
        most = count * self._room.shape[1]
        rows, distance = np.empty(most, np.int64), np.empty(most)
        plane, starts = np.empty((most, 2)), np.empty(count + 1, np.int64)
        take_texels(self._room, self._used, count, self._place, rows, distance, plane, starts)
        for slot, (a, b) in enumerate(itertools.pairwise(starts.tolist())):
            yield Patch(int(self._used[slot]), rows[a:b], distance[a:b], plane[a:b])

    def _draw(self, triangles: Array, ball: Ball) -> int:
        from jade_coat.mesh.texel_kernels import texels_in_ball

        across, up = axes(ball.facing)
        while True:
            count = texels_in_ball(
                triangles, self.mesh.positions, self.mesh.normals, self.index.triangles, self._uv, self.map.side,
                self.map.tile_side, self._inside, ball.point, ball.radius, ball.facing, ball.least_cosine, across, up,
                self._rim, GUTTER, self._place, self._room, self._used,
            )  # fmt: skip
            if count >= 0:
                return int(count)
            self._place[self._used] = -1
            more = len(self._used) * 2
            self._room = np.zeros((more, *self._room.shape[1:]), np.float32)
            self._used = np.zeros(more, np.int64)

    def value(self, triangle: int, weights: Array) -> Array:
        """The values at a place of a triangle, 0 to 1, by channel."""
        corners = self._uv[self.index.triangles[triangle]]
        v, w = weights
        return np.asarray(self.map.sampled((corners[0] * (1 - v - w) + corners[1] * v + corners[2] * w)[None])[0])


@kept_by_mesh
def inside(mesh: MeshData, uv_set: int, side: int) -> Array:
    """Which texels lie in a triangle, `(side, side) uint8`; all do where a UV set repeats over the square."""
    from jade_coat.mesh.texel_kernels import mark_inside

    if not lies_in_square(mesh, uv_set):
        return np.ones((side, side), np.uint8)
    found = np.zeros((side, side), np.uint8)
    mark_inside(mesh.uv(uv_set).astype(np.float64), mesh.triangles.astype(np.int64), side, found)
    return found


@kept_by_mesh
def rim(mesh: MeshData) -> Array:
    """Which triangles touch the edge of a chart, `(m,) uint8`: vertices are split along it."""
    t = mesh.triangles.astype(np.int64)
    ends = np.sort(np.stack([t, np.roll(t, -1, axis=1)], axis=2).reshape(-1, 2), axis=1)
    _, first, uses = np.unique(ends[:, 0] * mesh.vertex_count + ends[:, 1], return_index=True, return_counts=True)
    border = np.zeros(mesh.vertex_count, bool)
    border[ends[first[uses == 1]]] = True
    return np.asarray(border[t].any(axis=1), np.uint8)


def axes(normal: Array) -> tuple[Array, Array]:
    """Two unit vectors that span the plane across a normal."""
    helper = np.array([0.0, 1.0, 0.0]) if abs(normal[1]) < 0.9 else np.array([1.0, 0.0, 0.0])
    across = np.cross(helper, normal)
    across /= np.linalg.norm(across)
    return across, np.cross(normal, across)
