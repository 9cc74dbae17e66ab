"""A mesh in the render process: its vertex streams and triangles, and what is worked out of them when it is needed."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from jade_coat.mesh.data import distinct_rows
from jade_coat.mesh.motion import Motion
from jade_coat.program.types import Array
from jade_coat.view.crowd_tables import CornerTable, closed, clustered, corner_table, provoked

MOST_JOINED, SHARE_JOINED = 1 << 16, 0.9
"""Vertices at one place are made one in meshes of no more vertices, where no larger share of them is left."""


@dataclass
class GpuMesh:
    """Vertex streams, triangles, and the numbers that programs read of the mesh as a whole."""

    streams: dict[str, Any]
    indices: Any
    numbers: Mapping[str, tuple[float, ...]]
    bounds: Array
    middles: tuple[Array, Array] | None = None
    reach: Array | None = None
    corners: CornerTable | None = None
    too_large: bool = False
    """Whether the vertices are too many for pixels to read them."""
    motion: Motion | None = None
    rest: dict[str, Array] = field(default_factory=dict)
    """The streams of a mesh that moves as they are at rest."""
    _places: Any = None
    _provoked: dict[bool, tuple[Any, Any]] = field(default_factory=dict)
    _closed: dict[tuple[int, int], bool] = field(default_factory=dict)
    _coarse: dict[tuple[int, int, float], Any] = field(default_factory=dict)

    def corner_table(self, context: Any) -> CornerTable | None:
        """The vertices as pixels read them, made when first asked for; None for a mesh of too many."""
        if self.corners is None and not self.too_large:
            self.corners = corner_table(context, self.streams, self.indices)
            self.too_large = self.corners is None
        return self.corners

    def triangle_middles(self) -> tuple[Array, Array]:
        """The corners of all triangles `(m, 3) uint32` and their middles `(m, 3)`, read back once for sorting."""
        if self.middles is None:
            corners = _rows(self.indices, np.uint32)
            self.middles = (corners, _rows(self.streams["position"], np.float32)[corners].mean(axis=1))
        return self.middles

    def triangle_reach(self) -> Array:
        """How far the corners of each triangle lie from its middle at the most, `(m,)`, worked out once."""
        if self.reach is None:
            corners, middles = self.triangle_middles()
            places = _rows(self.streams["position"], np.float32)
            self.reach = np.sqrt(
                np.max([((places[corners[:, i]] - middles) ** 2).sum(axis=1) for i in range(3)], axis=0)
            )
        return self.reach

    def has_moved(self, bounds: Array) -> None:
        """Forget what followed from where the vertices were."""
        self.bounds, self.middles, self.reach = bounds, None, None
        if self.corners is not None:
            self.corners.texture.release()
            self.corners = None

    def by_place(self, context: Any) -> Any:
        """The indices with vertices at one place made one, as the sides of a hard edge are: fewer to work out.

        The same as `indices` where that spares little, and for a mesh that moves by itself, which may part them.
        """
        if self._places is None:
            self._places = self.indices
            vertices = self.streams["position"].size // 12
            if self.motion is None and vertices <= MOST_JOINED:
                places = distinct_rows(_rows(self.streams["position"], np.float32))
                _, first, number = np.unique(places, return_index=True, return_inverse=True)
                if len(first) <= vertices * SHARE_JOINED:
                    corners = first[number].astype(np.uint32)[_rows(self.indices, np.uint32)]
                    self._places = context.buffer(corners.tobytes())
        return self._places

    def provoked(self, context: Any, by_place: bool) -> tuple[Any, Any]:
        """Indices, and the vertex that each of them stands for: the last of a triangle has the triangle's number.

        `by_place` makes vertices at one place one, as the function does.
        """
        if by_place not in self._provoked:
            indices = self.by_place(context) if by_place else self.indices
            order, corners = provoked(_rows(indices, np.uint32))
            self._provoked[by_place] = (context.buffer(corners.tobytes()), context.buffer(order.tobytes()))
        return self._provoked[by_place]

    def is_closed(self, start: int, count: int) -> bool:
        """Whether a run of the triangles has no border and faces outwards (`crowd_tables.closed`)."""
        if (start, count) not in self._closed:
            corners = np.frombuffer(self.indices.read(), np.uint32).reshape(-1, 3)[start : start + count]
            positions = np.frombuffer(self.streams["position"].read(), np.float32).reshape(-1, 3)
            self._closed[start, count] = closed(positions, corners)
        return self._closed[start, count]

    def coarse(self, context: Any, start: int, count: int, cell: float) -> Any:
        """Indices of a run of the triangles where the vertices in one cell of a grid, metres, count as one.

        Rossignac & Borrel 1993, Multi-resolution 3D approximations. What is closed stays so.
        """
        cell = 2.0 ** float(np.round(np.log2(max(cell, 1e-6))))
        key = (start, count, float(cell))
        if key not in self._coarse:
            corners = _rows(self.indices, np.uint32)[start : start + count]
            kept = clustered(_rows(self.streams["position"], np.float32), corners, cell)
            self._coarse[key] = context.buffer(kept.tobytes()) if len(kept) else None
        return self._coarse[key]

    def release(self) -> None:
        """Free its buffers."""
        made = [b for b in self._coarse.values() if b is not None]
        if self._places is not None and self._places is not self.indices:
            made.append(self._places)
        made += [buffer for pair in self._provoked.values() for buffer in pair]
        for buffer in (*self.streams.values(), self.indices, *made):
            buffer.release()
        if self.corners is not None:
            self.corners.texture.release()


def _rows(buffer: Any, kind: type[np.generic]) -> Array:
    """A buffer's content, three to a row."""
    return np.frombuffer(buffer.read(), kind).reshape(-1, 3)
