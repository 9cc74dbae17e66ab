"""Places on a mesh that paint lies at: its vertices, or the texels of a map, with what is known of them there."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from jade_coat.mesh.canvas import GUTTER
from jade_coat.mesh.data import MeshData
from jade_coat.mesh.painting import PaintMap
from jade_coat.program.types import Array

AT_ONCE = 1 << 18
"""Places looked at in one go."""


@dataclass(frozen=True)
class Places:
    """Some places of a mesh: the entries of the paint there `(n,)`, and where they are.

    `triangle` `(n,)` and `weights` `(n, 2)`, of its second and third corner, are None at vertices.
    """

    mesh: MeshData
    entries: Array | slice
    triangle: Array | None = None
    weights: Array | None = None

    def of(self, values: Array) -> Array:
        """Vertex values `(vertices, k)` at these places, `(n, k)`, in single precision."""
        values = values if values.dtype == np.float32 else values.astype(np.float32)
        if self.triangle is None or self.weights is None:
            return values[self.entries]
        a, b, c = (values[self.mesh.triangles[self.triangle, i]] for i in range(3))
        v, w = self.weights[:, :1], self.weights[:, 1:]
        return np.asarray(a + (b - a) * v + (c - a) * w)

    @property
    def positions(self) -> Array:
        """Where they are, `(n, 3) float32`."""
        return self.of(self.mesh.positions)

    @property
    def normals(self) -> Array:
        """What they face, `(n, 3) float32`, unit length."""
        found = self.of(self.mesh.normals)
        if self.triangle is None:
            return found
        return np.asarray(found / np.maximum(np.linalg.norm(found, axis=1, keepdims=True), 1e-12))

    def nearest_vertex(self) -> Array:
        """The vertex each place is nearest to in its triangle, `(n,)`."""
        if self.triangle is None or self.weights is None:
            return np.arange(self.mesh.vertex_count)[self.entries]
        v, w = self.weights.T
        corner = np.argmax(np.stack([1 - v - w, v, w]), axis=0)
        return np.asarray(self.mesh.triangles[self.triangle, corner].astype(np.int64))


def vertex_places(mesh: MeshData) -> Iterator[Places]:
    """All vertices, a part at a time."""
    for start in range(0, mesh.vertex_count, AT_ONCE):
        yield Places(mesh, slice(start, min(start + AT_ONCE, mesh.vertex_count)))


def map_places(mesh: MeshData, paint_map: PaintMap) -> Iterator[Places]:
    """All texels of a map that lie on the mesh, or in the gutters beside it, a part at a time."""
    from jade_coat.mesh.texel_kernels import texel_owners

    side = paint_map.side
    owner = np.full((side, side), -1, np.int32)
    weights = np.zeros((side, side, 2), np.float32)
    uv = mesh.uv(paint_map.uv_set).astype(np.float64)
    texel_owners(uv, mesh.triangles.astype(np.int64), side, GUTTER, owner, weights)
    row, column = np.nonzero(owner >= 0)
    for start in range(0, len(row), AT_ONCE):
        y, x = row[start : start + AT_ONCE], column[start : start + AT_ONCE]
        yield Places(mesh, paint_map.entries(x, y), owner[y, x].astype(np.int64), weights[y, x])
