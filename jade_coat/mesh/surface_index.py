"""A spatial index over a mesh's triangles: what lies in a ball, what can be walked to, what is nearest."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import cached_property
from threading import Lock

import numpy as np

from jade_coat.mesh.data import MeshData, kept_by_mesh
from jade_coat.program.sending import SentBare
from jade_coat.program.types import Array

SHARED_OUT = 20_000
"""Points from which on two threads look for the nearest places."""


@dataclass(frozen=True)
class Nearest:
    """The nearest places on a surface: the triangle `(n,)` (−1: none), weights of its second and third corner
    `(n, 2)`, and the distance `(n,)` in metres."""

    triangle: Array
    weights: Array
    distance: Array

    def values(self, mesh: MeshData, of_vertices: Array) -> Array:
        """Vertex values `(vertices, k)` interpolated at these places, `(n, k) float64`; rows without a place are 0."""
        corners = of_vertices[mesh.triangles[np.maximum(self.triangle, 0)]].astype(np.float64)
        w = self.weights.astype(np.float64)
        shares = np.stack([1 - w[:, 0] - w[:, 1], w[:, 0], w[:, 1]], axis=1)
        shares[self.triangle < 0] = 0
        return np.asarray(np.einsum("nck,nc->nk", corners, shares))


class SurfaceIndex(SentBare):
    """A tree of boxes over the triangles, in the order of their places along a curve through space."""

    def __init__(self, mesh: MeshData) -> None:
        from jade_coat.mesh.kernels import LEAF

        self.mesh = mesh
        self.triangles = np.ascontiguousarray(mesh.triangles, np.int64)
        corners = mesh.positions[self.triangles]
        self._order = np.argsort(_along_curve(corners.mean(axis=1)), kind="stable")
        leaves = -(-len(self._order) // LEAF)
        size = 1 << max(leaves - 1, 0).bit_length()
        low = np.full((2 * size, 3), np.inf, np.float32)
        high = np.full((2 * size, 3), -np.inf, np.float32)
        starts = np.arange(0, len(self._order), LEAF)
        low[size : size + leaves] = np.minimum.reduceat(corners.min(axis=1)[self._order], starts)
        high[size : size + leaves] = np.maximum.reduceat(corners.max(axis=1)[self._order], starts)
        while size > 1:
            size //= 2
            low[size : 2 * size] = low[2 * size : 4 * size].reshape(size, 2, 3).min(axis=1)
            high[size : 2 * size] = high[2 * size : 4 * size].reshape(size, 2, 3).max(axis=1)
        self._low, self._high = low, high
        self.everywhere = np.ones(len(self.triangles), np.uint8)
        """Allows every triangle."""
        self._found = np.empty(len(self.triangles), np.int64)
        self._stamps = np.zeros(len(self.triangles), np.int32)
        self._mark = 0
        self._one_at_a_time = Lock()
        """The lists above are shared: splitting in the background looks while the brush hovers."""

    @cached_property
    def beside(self) -> Array:
        """The triangle beyond each edge `(m, 3) int64`, −1 for none; vertices at one place are one."""
        t = self.mesh.places[self.triangles]
        a, b = t.ravel(), np.roll(t, -1, axis=1).ravel()
        key = np.minimum(a, b) * (int(t.max(initial=0)) + 1) + np.maximum(a, b)
        order = np.argsort(key, kind="stable")
        sorted_key = key[order]
        first = np.r_[True, sorted_key[1:] != sorted_key[:-1]]
        group = np.cumsum(first) - 1
        starts = np.flatnonzero(first)
        ends = np.r_[starts[1:], len(order)]
        # Round the ring of triangles at an edge: where more than two meet, each leads on to the next.
        following = np.arange(len(order)) + 1
        last = following == ends[group]
        following[last] = starts[group[last]]
        beyond = np.empty(len(order), np.int64)
        beyond[order] = order[following] // 3
        own = np.arange(len(order)) // 3
        return np.where(beyond == own, -1, beyond).reshape(-1, 3)

    def in_ball(self, point: Array, radius: float, allowed: Array | None = None) -> Array:
        """The triangles that reach into a ball, `(k,)`."""
        from jade_coat.mesh.kernels import triangles_in_ball

        with self._one_at_a_time:
            count = triangles_in_ball(
                self._low, self._high, self._order, self.mesh.positions, self.triangles,
                self.everywhere if allowed is None else allowed, np.asarray(point, np.float64), radius, self._found,
            )  # fmt: skip
            return self._found[:count].copy()

    def reached(self, start: int, point: Array, radius: float, allowed: Array | None = None) -> Array:
        """The triangles of a ball that are connected with `start` inside it, `(k,)`."""
        from jade_coat.mesh.kernels import triangles_reached

        with self._one_at_a_time:
            self._mark += 1
            count = triangles_reached(
                start, self.beside, self.mesh.positions, self.triangles,
                self.everywhere if allowed is None else allowed, np.asarray(point, np.float64), radius,
                self._stamps, self._mark, self._found,
            )  # fmt: skip
            return self._found[:count].copy()

    def nearest(self, points: Array, normals: Array | None = None, angle: float = np.pi) -> Nearest:
        """The nearest places on the surface to points `(n, 3)`; with normals, only where it faces within `angle`."""
        from jade_coat.mesh.kernels import nearest_points

        points = np.ascontiguousarray(points, np.float64)
        n = len(points)
        found = Nearest(np.empty(n, np.int64), np.zeros((n, 2), np.float64), np.empty(n, np.float64))
        wanted = np.ascontiguousarray(np.zeros((n, 3)) if normals is None else normals, np.float64)
        least = -2.0 if normals is None else float(np.cos(angle))

        def work(part: slice) -> None:
            nearest_points(
                self._low, self._high, self._order, self.mesh.positions, self.mesh.normals, self.triangles,
                points[part], wanted[part], least, found.triangle[part], found.weights[part], found.distance[part],
            )  # fmt: skip

        if n < SHARED_OUT:
            work(slice(0, n))
        else:
            with ThreadPoolExecutor(2) as pool:
                list(pool.map(work, (slice(0, n // 2), slice(n // 2, n))))
        return found


def _along_curve(points: Array) -> Array:
    """A number for each point that is near for points that are near (Morton 1966), `(n,) int64`."""
    low, high = points.min(axis=0), points.max(axis=0)
    cell = ((points - low) / np.maximum(high - low, 1e-30) * 1023).astype(np.int64)
    for shift, mask in ((16, 0x30000FF), (8, 0x300F00F), (4, 0x30C30C3), (2, 0x9249249)):
        cell = (cell | (cell << shift)) & mask
    return np.asarray(cell[:, 0] | (cell[:, 1] << 1) | (cell[:, 2] << 2))


@kept_by_mesh
def surface_index(mesh: MeshData) -> SurfaceIndex:
    """The index of a mesh."""
    return SurfaceIndex(mesh)
