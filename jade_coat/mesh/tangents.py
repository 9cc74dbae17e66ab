"""MikkTSpace-compatible tangents, in glTF's convention."""

from __future__ import annotations

import numpy as np

from jade_coat.mesh.data import MeshData, distinct_rows
from jade_coat.program.types import Array


def with_tangents(mesh: MeshData, uv_set: int = 0) -> MeshData:
    """The mesh with tangents of a UV set; vertices where mirrored UVs meet are split."""
    return split_tangents(mesh, uv_set)[0]


def split_tangents(mesh: MeshData, uv_set: int = 0) -> tuple[MeshData, Array]:
    """The mesh with tangents of a UV set, and for each of its vertices `(n,)` the one it came from.

    Follows Mikkelsen 2008: a triangle's direction of rising u, projected to the plane of each corner's normal and
    weighted by the corner's angle there, is averaged over corners alike in position, normal, UV and handedness.
    """
    tri = mesh.triangles.astype(np.int64)
    uv = mesh.uv(uv_set).astype(np.float64)
    positions, normals = mesh.positions.astype(np.float64), mesh.normals.astype(np.float64)
    direction, mirrored = _triangle_tangents(positions[tri], uv[tri])
    corner_vertex, corner_mirror = tri.reshape(-1), np.repeat(mirrored, 3)
    weighted = _weighted_corners(positions[tri], normals[tri], direction).reshape(-1, 3)

    used = np.unique(corner_vertex * 2 + corner_mirror, return_inverse=True)
    keys, new_index = used[0], used[1].reshape(-1)
    source, side = keys // 2, keys % 2
    alike = np.concatenate(
        [mesh.positions[source], mesh.normals[source], mesh.uv(uv_set)[source], side[:, None]], axis=1
    ).astype(np.float32)
    group = distinct_rows(alike)
    total = np.zeros((group.max() + 1, 3))
    np.add.at(total, group[new_index], weighted)
    tangent = _perpendicular(total[group], normals[source])

    if len(source) == mesh.vertex_count and (source == np.arange(len(source))).all():
        triangles = mesh.triangles
    else:
        triangles = new_index.reshape(-1, 3).astype(np.uint32)
    signed = np.concatenate([tangent, np.where(side[:, None] == 1, -1.0, 1.0)], axis=1).astype(np.float32)
    split = MeshData(
        mesh.positions[source],
        mesh.normals[source],
        signed,
        tuple(u[source] for u in mesh.uvs),
        tuple(c[source] for c in mesh.colors),
        triangles,
        mesh.slots,
        mesh.motion.take(source) if mesh.motion is not None else None,
    )
    return split, source


def _triangle_tangents(corners: Array, uv: Array) -> tuple[Array, Array]:
    """Unit direction of rising u per triangle, and whether its UVs are mirrored.

    glTF's v runs downward and its bitangent points to falling v, so triangles wound anticlockwise as seen with v
    downward are the mirrored ones.
    """
    e1, e2 = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    d1, d2 = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
    det = d1[:, 0] * d2[:, 1] - d1[:, 1] * d2[:, 0]
    along = (e1 * d2[:, 1:2] - e2 * d1[:, 1:2]) * np.sign(det)[:, None]
    length = np.linalg.norm(along, axis=1, keepdims=True)
    return np.where(length > 0, along / np.maximum(length, 1e-300), 0.0), (det > 0).astype(np.int64)


def _weighted_corners(corners: Array, normals: Array, direction: Array) -> Array:
    """Each corner's tangent in its normal's plane times the corner's angle there; `(m, 3, 3)`."""

    def flat(v: Array, n: Array) -> Array:
        v = v - n * (v * n).sum(axis=-1, keepdims=True)
        return v / np.maximum(np.linalg.norm(v, axis=-1, keepdims=True), 1e-300)

    out = np.empty_like(corners)
    for c in range(3):
        n = normals[:, c]
        ahead = flat(corners[:, (c + 1) % 3] - corners[:, c], n)
        behind = flat(corners[:, (c + 2) % 3] - corners[:, c], n)
        angle = np.arccos(np.clip((ahead * behind).sum(axis=1), -1, 1))
        out[:, c] = flat(direction, n) * angle[:, None]
    return out


def _perpendicular(tangent: Array, normal: Array) -> Array:
    """Unit tangents in the normals' planes; any direction there where the UVs gave none."""
    t = tangent - normal * (tangent * normal).sum(axis=1, keepdims=True)
    length = np.linalg.norm(t, axis=1, keepdims=True)
    helper = np.where(np.abs(normal[:, :1]) < 0.9, (1.0, 0.0, 0.0), (0.0, 0.0, 1.0))
    other = np.cross(normal, np.cross(helper, normal))
    other = other / np.maximum(np.linalg.norm(other, axis=1, keepdims=True), 1e-12)
    return np.where(length > 1e-8, t / np.maximum(length, 1e-8), other)
