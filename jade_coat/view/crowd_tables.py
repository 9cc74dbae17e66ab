"""What pixels read of a crowd as textures: its instances, and the vertices of its mesh."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import moderngl
import numpy as np

from jade_coat.mesh.attributes import STREAMS
from jade_coat.mesh.data import distinct_rows
from jade_coat.program.types import Array
from jade_coat.stage.draws import Draw

WIDE = 1024
"""Texels a row of the vertices: what OpenGL 3.3 promises at least for any texture."""
MEMBER = 4
"""Texels an instance: three rows of its matrix, then its row of looks, its seed and whose paint it shows."""
A_ROW = WIDE // MEMBER
"""Instances a row."""
TRIANGLES = 1 << 22
"""So many triangles a mesh can have: their numbers are worked with as floats."""
BESIDE, HOLD = "uv0", ("position", "normal")
"""A stream that has no texel of its own: its parts lie behind the three of two that are nearly always read."""
MOST_BYTES = 160 << 20
"""A mesh that would take more as a table is drawn triangle by triangle."""


@dataclass(frozen=True)
class CornerTable:
    """The vertices of a mesh, a texel for each stream, and from `triangles` on a texel with the vertices of each.

    `places` says which texel of a vertex a stream has; at `nothing` lies a texel of zeros.
    """

    texture: Any
    places: Mapping[str, int]
    triangles: int
    nothing: int


def corner_table(context: Any, streams: Mapping[str, Any], indices: Any) -> CornerTable | None:
    """The vertices of a mesh by its buffers; None where they are more than a texture can hold."""
    arrays = {name: _read(buffer, STREAMS[name].format) for name, buffer in streams.items()}
    beside = arrays.pop(BESIDE, None)
    corners = np.frombuffer(indices.read(), np.uint32).reshape(-1, 3)
    count = len(arrays["position"])
    too_many = count >= 1 << 24 or len(corners) > TRIANGLES  # more than floats can count
    if too_many or (count * len(arrays) + len(corners)) * 16 > MOST_BYTES:
        return None
    vertices = np.zeros((count, len(arrays), 4), np.float32)
    for k, array in enumerate(arrays.values()):
        vertices[:, k, : array.shape[1]] = array
    places = {n: k for k, n in enumerate(arrays)}
    if beside is not None:
        for part, held in enumerate(HOLD):
            vertices[:, places[held], 3] = beside[:, part]
    ends = np.pad(corners.astype(np.float32), ((0, 1), (0, 1)))
    texels = np.concatenate([vertices.reshape(-1, 4), ends])
    if len(texels) > WIDE * context.info["GL_MAX_TEXTURE_SIZE"]:
        return None
    return CornerTable(_table(context, texels, WIDE), places, count * len(arrays), len(texels) - 1)


def closed(positions: Array, corners: Array) -> bool:
    """Whether triangles `(m, 3)` of vertices at `positions` `(n, 3)` have no border and face outwards.

    Vertices at one place, to a millionth of the whole, count as one. There is no border where each edge is gone along
    as often both ways.
    """
    fine = max(float(np.ptp(positions, axis=0).max()), 1e-20) * 1e-6
    welded = distinct_rows(np.round(positions.astype(np.float64) / fine))[corners]
    edges = np.concatenate([welded[:, [0, 1]], welded[:, [1, 2]], welded[:, [2, 0]]])
    edges = edges[edges[:, 0] != edges[:, 1]]
    there, back = (np.sort(edges[:, a] << 32 | edges[:, b]) for a, b in ((0, 1), (1, 0)))
    a, b, c = np.moveaxis(positions[corners].astype(np.float64), 1, 0)
    return bool(np.array_equal(there, back) and (a * np.cross(b, c)).sum() > 0.0)


def provoked(corners: Array) -> tuple[Array, Array]:
    """The vertices of triangles `(m, 3)`, repeated so that each triangle has a last (provoking) one of its own.

    Gives the vertex `(k,) int32` of each number, and the triangles `(m, 3) uint32` in those numbers: the last of
    triangle i is i. So a shader knows a triangle by a vertex: software OpenGL takes triangles apart to number them.
    """
    count, vertices = len(corners), int(corners.max()) + 1 if len(corners) else 0
    last, taken = np.full(count, -1), np.zeros(vertices, bool)
    for side in range(3):  # a vertex that none has yet, where there is one: fewer are left over
        free = np.flatnonzero(last < 0)
        free = free[~taken[corners[free, side]]]
        found = free[np.unique(corners[free, side], return_index=True)[1]]
        last[found] = side
        taken[corners[found, side]] = True
    turned = corners[np.arange(count)[:, None], (np.maximum(last, 0)[:, None] + (1, 2, 3)) % 3].astype(np.int64)
    number = np.full(vertices, -1)
    number[turned[::-1, 2]] = np.arange(count)[::-1]
    used = np.zeros(vertices, bool)
    used[turned] = True
    left = np.flatnonzero(used & (number < 0))
    number[left] = count + np.arange(len(left))
    numbered = number[turned]
    numbered[:, 2] = np.arange(count)
    return np.concatenate([turned[:, 2], left]).astype(np.int32), numbered.astype(np.uint32)


def member_table(context: Any, draw: Draw) -> Any:
    """The instances of a draw."""
    return _table(context, _members(draw, 0, len(draw.rows)).reshape(-1, 4), A_ROW * MEMBER)


def write_members(table: Any, draw: Draw, low: int, high: int) -> bool:
    """Write the instances of a draw from one number to another anew; False where they are too many for the table."""
    first, last = low // A_ROW, -(-high // A_ROW)
    if -(-len(draw.rows) // A_ROW) > table.size[1]:
        return False
    if last > first:
        data = np.zeros((last - first, A_ROW, MEMBER * 4), np.float32)
        found = _members(draw, first * A_ROW, min(last * A_ROW, len(draw.rows)))
        data.reshape(-1, MEMBER * 4)[: len(found)] = found
        table.write(data.tobytes(), viewport=(0, first, A_ROW * MEMBER, last - first))
    return True


def _members(draw: Draw, low: int, high: int) -> Array:
    data = np.zeros((high - low, MEMBER * 4), np.float32)
    data[:, :12] = draw.matrices[low:high, :3].reshape(-1, 12)
    data[:, 12], data[:, 13] = draw.rows[low:high], draw.seeds[low:high]
    if len(draw.owners):
        data[:, 14] = draw.owners[low:high]
    return data


def _read(buffer: Any, form: str) -> Array:
    """What a buffer holds, `(n, k)`; its form is as the OpenGL binding writes it."""
    size, kind = int(form[0]), {"f4": np.float32, "u2": np.uint16}[form[1:]]
    return np.frombuffer(buffer.read(), kind).reshape(-1, size)


def _table(context: Any, texels: Array, width: int) -> Any:
    rows = max(-(-len(texels) // width), 1)
    data = np.zeros((rows * width, 4), np.float32)
    data[: len(texels)] = texels
    made = context.texture((width, rows), 4, data.tobytes(), dtype="f4")
    made.filter = (moderngl.NEAREST, moderngl.NEAREST)
    return made


def clustered(positions: Array, corners: Array, cell: float) -> Array:
    """The triangles `(k, 3) uint32` that are left where the vertices in one cell of a grid are one of them."""
    used, flat = np.unique(corners, return_inverse=True)
    at = np.floor(positions[used] / cell).astype(np.int64)
    _, first, group = np.unique(at, axis=0, return_index=True, return_inverse=True)
    merged = used[first][group.ravel()][flat.reshape(corners.shape)]
    merged = np.sort(merged, axis=1)
    merged = merged[(merged[:, 0] != merged[:, 1]) & (merged[:, 1] != merged[:, 2])]
    return np.ascontiguousarray(np.unique(merged, axis=0), np.uint32) if len(merged) else merged.astype(np.uint32)
