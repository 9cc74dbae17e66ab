"""Mesh data: read-only arrays of attributes, triangles, and named slots."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property, wraps
from typing import Any, Concatenate, ParamSpec, TypeVar, cast

import numpy as np

from jade_coat.mesh.motion import Motion
from jade_coat.program.types import Array

MAX_UV_SETS = 8
MAX_COLOR_SETS = 4
ROUNDING = 5e-7
"""How far apart two places may be and still be one, as a share of the mesh's size."""
FULL = 65535
"""The value of a painted channel that counts as 1."""

Rest = ParamSpec("Rest")
Answer = TypeVar("Answer")


class BadMesh(ValueError):
    """A mesh that cannot be used; the message names it and the remedy."""


def kept_by_mesh(
    function: Callable[Concatenate[MeshData, Rest], Answer],
) -> Callable[Concatenate[MeshData, Rest], Answer]:
    """Let a mesh keep what is worked out of it (and of further, hashable arguments), as long as the mesh lives."""

    @wraps(function)
    def asked(mesh: MeshData, /, *more: Rest.args, **named: Rest.kwargs) -> Answer:
        kept: dict[object, Any] = mesh.__dict__.setdefault("_kept", {})
        key = (function.__module__, function.__name__, more, tuple(named.items()))
        if key not in kept:
            kept[key] = function(mesh, *more, **named)
        return cast(Answer, kept[key])

    return asked


@dataclass(frozen=True)
class Slot:
    """A named run of triangles that takes one finish."""

    name: str
    start: int
    count: int


@dataclass(frozen=True, eq=False)
class MeshData:
    """A mesh. All arrays are read-only and have one entry a vertex, but `triangles`.

    positions `(n, 3) float32` metres; normals `(n, 3) float32`; tangents `(n, 4) float32`, w = ±1 as in glTF;
    uvs: `(n, 2) float32` each, v downward; colors: `(n, 4) uint16` each; triangles `(m, 3) uint32`. `motion` is how it
    moves by itself, if it does; `at_rest` the mesh that this one shows in motion.
    """

    positions: Array
    normals: Array
    tangents: Array
    uvs: tuple[Array, ...]
    colors: tuple[Array, ...]
    triangles: Array
    slots: tuple[Slot, ...]
    motion: Motion | None = None
    at_rest: MeshData | None = None

    def __post_init__(self) -> None:
        for array in (self.positions, self.normals, self.tangents, self.triangles, *self.uvs, *self.colors):
            array.flags.writeable = False

    def __getstate__(self) -> dict[str, Any]:
        """Sent to another process, what was worked out of a mesh stays behind."""
        return {name: value for name, value in self.__dict__.copy().items() if name != "_kept"}

    def with_(self, **changes: Any) -> MeshData:
        """A copy with some arrays replaced."""
        return replace(self, **changes)

    @property
    def rest(self) -> MeshData:
        """The mesh at rest: itself, unless it is shown in motion."""
        return self.at_rest if self.at_rest is not None else self

    @property
    def vertex_count(self) -> int:
        """How many vertices there are."""
        return len(self.positions)

    @cached_property
    def key(self) -> str:
        """A content hash."""
        digest = hashlib.sha256(repr(self.slots).encode())
        for array in (self.positions, self.normals, self.tangents, self.triangles, *self.uvs, *self.colors):
            digest.update(np.ascontiguousarray(array).tobytes())
        return digest.hexdigest()[:24]

    @cached_property
    def bounds(self) -> tuple[Array, Array]:
        """The lowest and highest corner, `(3,)` each."""
        return self.positions.min(axis=0), self.positions.max(axis=0)

    def part(self, vertices: Array, triangles: Array) -> MeshData:
        """Some of the vertices, and triangles `(m, 3)` among those; what was measured on the whole stays."""
        made = MeshData(
            self.positions[vertices], self.normals[vertices], self.tangents[vertices],
            tuple(u[vertices] for u in self.uvs), tuple(c[vertices] for c in self.colors),
            np.ascontiguousarray(triangles, np.uint32), (Slot("part", 0, len(triangles)),),
            at_rest=self.at_rest.part(vertices, triangles) if self.at_rest is not None else None,
        )  # fmt: skip
        made.__dict__["metres"], made.__dict__["typical_edge"] = self.metres, self.typical_edge
        for name in ("curvature", "outward"):
            known = self.__dict__.get(name)
            if known is not None:
                made.__dict__[name] = known[vertices]
        return made

    def uv(self, index: int) -> Array:
        """A UV set, or zeros where the mesh has no such set."""
        return self.uvs[index] if index < len(self.uvs) else np.zeros((self.vertex_count, 2), np.float32)

    @cached_property
    def places(self) -> Array:
        """A number for each vertex `(n,) int64` that is the same where positions are the same.

        Along open edges positions may differ by rounding: there the two sides of a seam are often worked out apart.
        """
        return _closed(self.positions, self.triangles, distinct_rows(self.positions))

    @cached_property
    def pieces(self) -> Array:
        """The number of the connected piece each vertex belongs to, `(n,)`; vertices at one place are one."""
        from scipy.sparse import coo_matrix
        from scipy.sparse.csgraph import connected_components

        t = self.places[self.triangles.astype(np.int64)]
        a, b = np.concatenate([t[:, 0], t[:, 1]]), np.concatenate([t[:, 1], t[:, 2]])
        count = int(self.places.max(initial=0)) + 1
        _, piece = connected_components(coo_matrix((np.ones(len(a), bool), (a, b)), (count, count)), directed=False)
        return np.asarray(piece[self.places])

    @cached_property
    def edge_length(self) -> Array:
        """The mean length of the edges at each vertex, `(n,) float32` in metres."""
        total, count = np.zeros(self.vertex_count), np.zeros(self.vertex_count)
        for i in range(3):
            a, b = self.triangles[:, i].astype(np.int64), self.triangles[:, (i + 1) % 3].astype(np.int64)
            length = np.linalg.norm(self.positions[a] - self.positions[b], axis=1)
            for end in (a, b):
                total += np.bincount(end, length, self.vertex_count)
                count += np.bincount(end, minlength=self.vertex_count)
        return (total / np.maximum(count, 1)).astype(np.float32)

    @cached_property
    def edge_count(self) -> int:
        """How many edges there are; the two sides of a seam count apart."""
        t = self.triangles.astype(np.int64)
        ends = np.sort(np.stack([t, np.roll(t, -1, axis=1)], axis=2).reshape(-1, 2), axis=1)
        return len(np.unique(ends[:, 0] * self.vertex_count + ends[:, 1]))

    @cached_property
    def spacing(self) -> float:
        """Metres between vertices, in the median over them."""
        return median(self.edge_length)

    @cached_property
    def typical_edge(self) -> float:
        """The median length of some edges, metres: quicker than `spacing`, and the same for every use of a mesh."""
        some = self.triangles[:: max(len(self.triangles) // 2048, 1)]
        corners = self.positions[some].astype(np.float64)
        return median(np.linalg.norm(corners - np.roll(corners, -1, axis=1), axis=2).ravel()) or 1e-3

    @cached_property
    def metres(self) -> tuple[tuple[float, float], ...]:
        """For every UV set, the metres that one unit of u and of v spans, in the median over triangles by area."""
        return tuple(_metres_per_uv(self.positions[self.triangles], uv[self.triangles]) for uv in self.uvs)


def median(values: Array) -> float:
    """As `np.median` of `(n,)`, which imports the masked arrays: every start of the application would wait for them."""
    middle = (len(values) - 1) // 2, len(values) // 2
    return float(np.partition(values, middle)[list(middle)].mean())


def _metres_per_uv(corners: Array, uv: Array) -> tuple[float, float]:
    x, y, z = corners.transpose(2, 1, 0)  # an array for each axis: three corners each
    e1, e2 = [axis[1] - axis[0] for axis in (x, y, z)], [axis[2] - axis[0] for axis in (x, y, z)]
    (u1, v1), (u2, v2) = ((uv[:, i] - uv[:, 0]).T for i in (1, 2))
    det = u1 * v2 - v1 * u2
    area = _length([e1[i] * e2[j] - e1[j] * e2[i] for i, j in ((1, 2), (2, 0), (0, 1))])
    good = (np.abs(det) > 1e-12) & (area > 1e-12)
    if not good.any():
        return 1.0, 1.0
    size = np.abs(det[good])
    along_u = _length([a * v2 - b * v1 for a, b in zip(e1, e2, strict=True)])[good] / size
    along_v = _length([b * u1 - a * u2 for a, b in zip(e1, e2, strict=True)])[good] / size
    return _weighted_median(along_u, area[good]), _weighted_median(along_v, area[good])


def _length(vector: list[Array]) -> Array:
    x, y, z = vector
    return np.sqrt(x * x + y * y + z * z)


def _weighted_median(values: Array, weights: Array) -> float:
    order = np.argsort(values)
    total = np.cumsum(weights[order])
    return float(values[order][np.searchsorted(total, total[-1] / 2)])


def _closed(positions: Array, triangles: Array, place: Array) -> Array:
    """Places with those on open edges that are apart by no more than rounding made one."""
    t = place[triangles.astype(np.int64)]
    ends = np.sort(np.stack([t, np.roll(t, -1, axis=1)], axis=2).reshape(-1, 2), axis=1)
    _, first, uses = np.unique(
        ends[:, 0] * (int(place.max(initial=0)) + 1) + ends[:, 1], return_index=True, return_counts=True
    )
    open_places = np.unique(ends[first[uses == 1]])
    if not len(open_places):
        return place
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components
    from scipy.spatial import cKDTree

    _, vertex = np.unique(place, return_index=True)
    reach = ROUNDING * float(np.ptp(positions, axis=0).max())
    pairs = cKDTree(positions[vertex[open_places]]).query_pairs(reach, output_type="ndarray")
    if not len(pairs):
        return place
    a, b = open_places[pairs].T
    _, joined = connected_components(coo_matrix((np.ones(len(a), bool), (a, b)), (len(vertex), len(vertex))))
    return np.asarray(joined[place], np.int64)


def distinct_rows(rows: Array) -> Array:
    """Number rows `(n, k)` so that equal ones share a number, `(n,) int64` from 0 on."""
    key = np.zeros(len(rows), np.int64)
    for axis in rows.T:  # the rank along each axis, then the rank of all so far: exact, and faster than whole rows
        values, rank = np.unique(axis, return_inverse=True)
        _, key = np.unique(key * len(values) + rank, return_inverse=True)
    return key


def smooth_normals(positions: Array, triangles: Array) -> Array:
    """Area-weighted vertex normals `(n, 3)`; vertices at one place share theirs."""
    corners = positions[triangles].astype(np.float64)
    face = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    place = distinct_rows(positions)
    total = np.zeros((place.max() + 1, 3))
    for c in range(3):
        np.add.at(total, place[triangles[:, c]], face)
    length = np.linalg.norm(total, axis=1, keepdims=True)
    total = np.where(length > 0, total / np.maximum(length, 1e-30), (0.0, 1.0, 0.0))
    return np.ascontiguousarray(total[place], np.float32)
