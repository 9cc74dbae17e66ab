"""Makes sound meshes of arrays: checks them, and works out what is missing."""

from __future__ import annotations

import numpy as np

from jade_coat.mesh.data import (
    MAX_COLOR_SETS,
    MAX_UV_SETS,
    BadMesh,
    MeshData,
    Slot,
    smooth_normals,
)
from jade_coat.mesh.motion import Motion
from jade_coat.mesh.tangents import with_tangents
from jade_coat.program.types import Array


def build_mesh(
    positions: Array,
    triangles: Array,
    name: str = "mesh",
    normals: Array | None = None,
    uvs: tuple[Array, ...] = (),
    colors: tuple[Array, ...] = (),
    slots: tuple[Slot, ...] = (),
    tangents: Array | None = None,
    motion: Motion | None = None,
) -> MeshData:
    """Check arrays and make a mesh of them; normals and tangents are worked out where they are missing
    (given tangents are kept where they are sound, as glTF asks).

    Raises BadMesh for NaN, infinite numbers, indices out of range, or no triangles.
    """
    positions = np.ascontiguousarray(positions, np.float32)
    triangles = np.ascontiguousarray(triangles, np.int64).reshape(-1, 3)
    _check(name, positions, triangles, uvs)
    triangles, slots = _without_slivers(positions, triangles, slots or (Slot("surface", 0, len(triangles)),))
    if not len(triangles):
        raise BadMesh(f"{name}: every triangle is flat to a line. Export it again from the program it came from.")
    if normals is None or not np.isfinite(normals).all():
        normals = smooth_normals(positions, triangles)
    normals = _unit(np.ascontiguousarray(normals, np.float32), positions, triangles)
    uvs = tuple(np.ascontiguousarray(u, np.float32) for u in uvs[:MAX_UV_SETS]) or (box_uv(positions, normals),)
    colors = tuple(np.ascontiguousarray(c, np.uint16) for c in colors[:MAX_COLOR_SETS])
    if not colors:
        colors = (np.zeros((len(positions), 4), np.uint16),)
    if tangents is not None and _are_tangents(tangents, normals):
        given = np.ascontiguousarray(tangents, np.float32)
        return MeshData(positions, normals, given, uvs, colors, triangles.astype(np.uint32), slots, motion)
    return with_tangents(
        MeshData(
            positions, np.ascontiguousarray(normals, np.float32),
            np.zeros((len(positions), 4), np.float32), uvs, colors,
            triangles.astype(np.uint32), slots, motion,
        )
    )  # fmt: skip


def _are_tangents(tangents: Array, normals: Array) -> bool:
    """Whether a file's tangents can be used as they are: unit, across the normals, with a sign."""
    if tangents.shape != (len(normals), 4) or not np.isfinite(tangents).all():
        return False
    unit = np.abs(np.linalg.norm(tangents[:, :3], axis=1) - 1) < 1e-3
    across = np.abs((tangents[:, :3] * normals).sum(axis=1)) < 1e-2
    return bool((unit & across & (np.abs(tangents[:, 3]) == 1)).all())


def _unit(normals: Array, positions: Array, triangles: Array) -> Array:
    """Normals at length 1; those that are stay as they are to the bit, and zero ones are worked out anew."""
    length = np.linalg.norm(normals, axis=1, keepdims=True)
    if (np.abs(length - 1) < 1e-5).all():
        return normals
    scaled = normals / np.maximum(length, 1e-6)
    return np.where(length > 1e-6, scaled, smooth_normals(positions, triangles))


def _check(name: str, positions: Array, triangles: Array, uvs: tuple[Array, ...]) -> None:
    again = "Export it again from the program it came from."
    if positions.ndim != 2 or positions.shape[1] != 3 or not len(positions) or not len(triangles):
        raise BadMesh(f"{name}: it holds no triangles. {again}")
    if not np.isfinite(positions).all() or np.abs(positions).max() > 1e7:
        raise BadMesh(f"{name}: some positions are not numbers or beyond 10,000 km. {again}")
    if any(not np.isfinite(u).all() for u in uvs):
        raise BadMesh(f"{name}: some texture coordinates are not numbers. {again}")
    if triangles.min() < 0 or triangles.max() >= len(positions):
        raise BadMesh(
            f"{name}: a triangle refers to vertex {int(triangles.max())}, but there are {len(positions)}. {again}"
        )


def _without_slivers(positions: Array, triangles: Array, slots: tuple[Slot, ...]) -> tuple[Array, tuple[Slot, ...]]:
    """Drop triangles without area; slots that lose all theirs go too."""
    corners = positions[triangles].astype(np.float64)
    area = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    # Thinner than a millionth of the mesh's own size, a triangle is rounding, not surface.
    good = area > (1e-6 * float(np.ptp(positions, axis=0).max())) ** 2
    kept, found, start = [], [], 0
    for slot in slots:
        run = slice(slot.start, slot.start + slot.count)
        part = triangles[run][good[run]]
        if len(part):
            kept.append(part)
            found.append(Slot(slot.name, start, len(part)))
            start += len(part)
    return (np.concatenate(kept) if kept else triangles[:0]), tuple(found)


def box_uv(positions: Array, normals: Array) -> Array:
    """UVs in metres projected along the axis each normal is closest to, for meshes that came without any."""
    axis = np.argmax(np.abs(normals), axis=1)
    x, y, z = positions.T
    u = np.choose(axis, [-z, x, x])
    v = np.choose(axis, [-y, z, -y])
    return np.stack([u, v], axis=1).astype(np.float32)
