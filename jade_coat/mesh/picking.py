"""Finds what a ray hits."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from jade_coat.mesh.data import MeshData, kept_by_mesh
from jade_coat.program.types import Array


@dataclass(frozen=True)
class Hit:
    """Where a ray met a mesh: distance in ray units, point and unit normal `(3,)`, and the triangle."""

    distance: float
    point: Array
    normal: Array
    triangle: int


class RayTarget:
    """Triangles prepared for rays; the first ray builds the index."""

    def __init__(self, positions: Array, triangles: Array) -> None:
        """Positions `(n, 3)` and triangles `(m, 3)` among them."""
        from embreex.mesh_construction import TriangleMesh  # loaded when the first ray is cast
        from embreex.rtcore_scene import EmbreeScene

        self._corners = positions[triangles].astype(np.float64)
        # Single precision: the index is built on the mesh moved to the origin, about a hundred units large.
        low, high = positions.min(axis=0), positions.max(axis=0)
        self._origin = low.astype(np.float64)
        self._scale = 100.0 / max(float(np.linalg.norm(high - low)), 1e-12)
        self._index = EmbreeScene()
        placed = ((positions - self._origin) * self._scale).astype(np.float32)
        TriangleMesh(self._index, placed, triangles.astype(np.int32))

    def _first(self, origins: Array, directions: Array) -> Array:
        """The triangle that each ray meets first, −1 for none."""
        placed = ((origins - self._origin) * self._scale).astype(np.float32)
        length = np.linalg.norm(directions, axis=1, keepdims=True)
        return np.asarray(
            self._index.run(placed, (directions / np.maximum(length, 1e-30)).astype(np.float32)), np.int64
        )

    def blocked(self, origins: Array, directions: Array, reach: float) -> Array:
        """Whether rays `(n, 3)` in the mesh's own space meet it within `reach` metres, `(n,)`."""
        owner = self._first(origins, directions)
        a, b, c = (self._corners[np.maximum(owner, 0), i] for i in range(3))
        normal = np.cross(b - a, c - a)
        length = np.maximum(np.linalg.norm(directions, axis=1), 1e-30)
        along = (normal * directions).sum(axis=1) / length
        distance = (normal * (a - origins)).sum(axis=1) / np.where(np.abs(along) < 1e-30, 1.0, along)
        return (owner >= 0) & (distance <= reach)

    def hit(self, origin: Array, direction: Array) -> Hit | None:
        """The nearest hit in the mesh's own space, front or back, or None."""
        triangle = int(self._first(origin[None], direction[None])[0])
        if triangle < 0:
            return None
        a, b, c = self._corners[triangle]
        normal = np.cross(b - a, c - a)
        denominator = float(normal @ direction)
        if denominator == 0:
            return None
        distance = float(normal @ (a - origin)) / denominator
        return Hit(distance, origin + distance * direction, normal / np.linalg.norm(normal), triangle)

    def hits(self, origins: Array, directions: Array) -> tuple[Array, Array]:
        """For rays `(n, 3)` in the mesh's own space: the triangle first met `(n,)`, −1 for none, and weights `(n, 2)`.

        The weights belong to the triangle's second and third corner.
        """
        owner = self._first(origins, directions)
        a, b, c = (self._corners[owner, i] for i in range(3))
        u, v = b - a, c - a
        normal = np.cross(u, v)
        along = (normal * directions).sum(axis=1)
        flat = np.abs(along) < 1e-20
        share = (normal * (a - origins)).sum(axis=1) / np.where(flat, 1.0, along)
        p = origins + directions * share[:, None] - a
        square = np.maximum((normal * normal).sum(axis=1), 1e-30)
        weights = np.stack(
            [(np.cross(p, v) * normal).sum(axis=1) / square, (np.cross(u, p) * normal).sum(axis=1) / square], axis=1
        )
        return np.where(flat, -1, owner), np.clip(weights, 0, 1).astype(np.float32)


@kept_by_mesh
def target(mesh: MeshData) -> RayTarget:
    """The prepared target of a mesh."""
    return RayTarget(mesh.positions, mesh.triangles)


def hit_in_world(rays: RayTarget, matrix: Array, origin: Array, direction: Array) -> Hit | None:
    """The nearest hit on the triangles of a mesh placed by a 4×4 matrix; everything in world space."""
    inverse = np.linalg.inv(matrix)
    local = rays.hit(inverse[:3, :3] @ origin + inverse[:3, 3], inverse[:3, :3] @ direction)
    if local is None:
        return None
    normal = inverse[:3, :3].T @ local.normal
    point = matrix[:3, :3] @ local.point + matrix[:3, 3]
    return Hit(local.distance, point, normal / np.linalg.norm(normal), local.triangle)
