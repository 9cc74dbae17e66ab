"""Meshes made by formula: bent wall, plane, box, ball, lathed forms, and the glazed tile of the finish rail."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from jade_coat.mesh.building import build_mesh
from jade_coat.mesh.data import MeshData, Slot
from jade_coat.program.types import Array


def sheet(columns: int, rows: int, place: Callable[[Array, Array], tuple[Array, Array]], name: str) -> MeshData:
    """A grid of quads; `place(s, t)` with s, t in 0–1 gives positions `(n, 3)` and UVs `(n, 2)`.

    s runs to the right and t downward when seen from the front.
    """
    s, t = np.meshgrid(np.linspace(0, 1, columns + 1), np.linspace(0, 1, rows + 1))
    positions, uv = place(s.ravel(), t.ravel())
    return build_mesh(positions, grid_triangles(columns, rows), name, uvs=(uv,))


def grid_triangles(columns: int, rows: int) -> Array:
    """Two triangles a quad for a grid of (rows + 1) × (columns + 1) vertices, anticlockwise from the front."""
    corner = np.arange(rows * (columns + 1)).reshape(rows, columns + 1)[:, :-1].ravel()
    right, down = corner + 1, corner + columns + 1
    return np.concatenate([np.stack([corner, down, right], 1), np.stack([right, down, down + 1], 1)])


def bent_wall(width: float, height: float, radius: float, spacing: float) -> MeshData:
    """A wall bent round a vertical axis in front of it, standing on y = 0.

    UVs in metres of arc and height; a second set spans the whole wall from 0 to 1.
    """

    def place(s: Array, t: Array) -> tuple[Array, Array]:
        angle = (s - 0.5) * width / radius
        positions = np.stack([radius * np.sin(angle), height * (1 - t), radius * (1 - np.cos(angle))], axis=1)
        return positions, np.stack([s * width, t * height], axis=1)

    made = sheet(round(width / spacing), round(height / spacing), place, "wall")
    return made.with_(uvs=(*made.uvs, (made.uvs[0] / np.array([width, height], np.float32)).astype(np.float32)))


def plane(width: float, depth: float, spacing: float) -> MeshData:
    """A level plane around the origin, facing up; UVs in metres."""

    def place(s: Array, t: Array) -> tuple[Array, Array]:
        x, z = (s - 0.5) * width, (t - 0.5) * depth
        return np.stack([x, 0 * x, z], axis=1), np.stack([s * width, t * depth], axis=1)

    return sheet(round(width / spacing), round(depth / spacing), place, "plane")


def lathe(
    profile: Sequence[tuple[float, float]], segments: int, rings_per_metre: float, slots: Sequence[tuple[str, float]]
) -> MeshData:
    """A form turned round the y axis from (radius, height) points, bottom to top along the outside.

    `slots` are names with the share of the profile's length where each ends. UVs are in metres: around at the widest
    place, and along the profile.
    """
    points = np.array(profile, float)
    length = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])
    count = max(int(length[-1] * rings_per_metre), len(points))
    along = np.linspace(0, length[-1], count + 1)
    r, y = np.interp(along, length, points[:, 0]), np.interp(along, length, points[:, 1])
    r = np.where(r < 1e-9, 0.0, r)
    around = 2 * np.pi * points[:, 0].max()

    def place(s: Array, t: Array) -> tuple[Array, Array]:
        ring = np.rint((1 - t) * count).astype(int)
        angle = s * 2 * np.pi
        positions = np.stack([r[ring] * np.sin(angle), y[ring], r[ring] * np.cos(angle)], axis=1)
        return positions, np.stack([s * around, length[-1] - along[ring]], axis=1)

    mesh = sheet(segments, count, place, "lathe")
    middle = (length[-1] - mesh.uvs[0][mesh.triangles].mean(axis=1)[:, 1]) / length[-1]
    ends = np.array([end for _, end in slots])
    owner = np.minimum(np.searchsorted(ends, middle), len(slots) - 1)
    order = np.argsort(owner, kind="stable")
    runs, start = [], 0
    for i, (name, _) in enumerate(slots):
        n = int((owner == i).sum())
        if n:
            runs.append(Slot(name, start, n))
            start += n
    return mesh.with_(triangles=np.ascontiguousarray(mesh.triangles[order]), slots=tuple(runs))


def post(width: float, height: float, corner: float, spacing: float) -> MeshData:
    """A square post with rounded corners, standing on y = 0, with a low hipped cap as a second slot.

    UVs of the sides are in metres round the post and down from its top.
    """
    side = width - 2 * corner
    around = 4 * side + 2 * np.pi * corner

    def outline(s: Array) -> tuple[Array, Array]:
        quarter = around / 4
        k, along = np.divmod(np.asarray(s) * around, quarter)
        k = np.minimum(k, 3)
        along = np.asarray(s) * around - k * quarter
        straight = np.minimum(along, side) - side / 2
        bend = np.maximum(along - side, 0) / corner
        x, z = straight + corner * np.sin(bend), side / 2 + corner * np.cos(bend)
        turn = k * np.pi / 2
        return x * np.cos(turn) + z * np.sin(turn), -x * np.sin(turn) + z * np.cos(turn)

    def place(s: Array, t: Array) -> tuple[Array, Array]:
        x, z = outline(s)
        return np.stack([x, height * (1 - t), z], axis=1), np.stack([s * around, t * height], axis=1)

    shell = sheet(round(around / spacing), round(height / spacing), place, "post")

    def cap_place(s: Array, t: Array) -> tuple[Array, Array]:
        x, z = outline(s)
        reach = 1.16 * t
        rise = height + 0.02 + 0.16 * width * (1 - t)
        lip = np.where(t >= 1.0, height - 0.045, rise)
        reach = np.where(t >= 1.0, 1.16, np.minimum(reach * 1.05, 1.16))
        return np.stack([x * reach, lip, z * reach], axis=1), np.stack([s * around, t * 0.4], axis=1)

    cap = sheet(round(around / spacing / 2), 8, cap_place, "cap")
    return joined(((shell, "Shaft"), (cap, "Cap")))


def joined(parts: Sequence[tuple[MeshData, str]]) -> MeshData:
    """Several meshes as one, each part a slot of the given name."""
    starts = np.cumsum([0, *(m.vertex_count for m, _ in parts)])
    triangles = np.concatenate([m.triangles + start for (m, _), start in zip(parts, starts, strict=False)])
    slots, at = [], 0
    for mesh, name in parts:
        slots.append(Slot(name, at, len(mesh.triangles)))
        at += len(mesh.triangles)
    meshes = [m for m, _ in parts]
    return MeshData(
        np.concatenate([m.positions for m in meshes]),
        np.concatenate([m.normals for m in meshes]),
        np.concatenate([m.tangents for m in meshes]),
        (np.concatenate([m.uvs[0] for m in meshes]),),
        (np.concatenate([m.colors[0] for m in meshes]),),
        triangles.astype(np.uint32),
        tuple(slots),
    )


def merged(parts: Sequence[MeshData], slot: str = "surface") -> MeshData:
    """Several meshes as one with a single slot."""
    whole = joined([(part, str(i)) for i, part in enumerate(parts)])
    made: MeshData = whole.with_(slots=(Slot(slot, 0, len(whole.triangles)),))
    return made


def ball(radius: float, segments: int = 64) -> MeshData:
    """A ball around the origin; UVs in metres at the equator."""
    angles = np.linspace(-np.pi / 2, np.pi / 2, segments // 2 + 1)
    profile = [(radius * max(np.cos(a), 0.0), radius * np.sin(a)) for a in angles]
    return lathe(profile, segments, segments / (2 * np.pi * radius) * 1.0, [("surface", 1.0)])


def box(width: float, height: float, depth: float) -> MeshData:
    """A box standing on y = 0: six faces of their own vertices, UVs in metres."""
    w, h, d = width / 2, height, depth / 2
    faces = [  # origin (upper left from outside), rightward, downward
        ((-w, h, d), (width, 0, 0), (0, -height, 0)), ((w, h, -d), (-width, 0, 0), (0, -height, 0)),
        ((w, h, d), (0, 0, -depth), (0, -height, 0)), ((-w, h, -d), (0, 0, depth), (0, -height, 0)),
        ((-w, h, -d), (width, 0, 0), (0, 0, depth)), ((-w, 0, d), (width, 0, 0), (0, 0, -depth)),
    ]  # fmt: skip
    positions, normals, uvs, triangles = [], [], [], []
    for i, (origin, right, down) in enumerate(faces):
        o, r, dn = np.array(origin), np.array(right), np.array(down)
        positions += [o, o + r, o + dn, o + r + dn]
        u, v = np.linalg.norm(r), np.linalg.norm(dn)
        normals += [np.cross(dn, r) / (u * v)] * 4
        uvs += [(0, 0), (u, 0), (0, v), (u, v)]
        triangles += [(4 * i, 4 * i + 2, 4 * i + 1), (4 * i + 1, 4 * i + 2, 4 * i + 3)]
    return build_mesh(np.array(positions), np.array(triangles), "box", np.array(normals), (np.array(uvs),))


def rail_tile(cells: int = 44) -> MeshData:
    """The swatch form: a bevelled tile bent backward at its right, so that flat, curve and edge show in one picture.

    About 0.9 m wide and 0.66 m high, facing +z.
    """
    width, height, bevel, radius = 0.98, 0.66, 0.055, 0.34

    def place(s: Array, t: Array) -> tuple[Array, Array]:
        along, y = (s - 0.5) * width, (0.5 - t) * height
        rim = np.minimum(np.minimum(s, 1 - s) * width, np.minimum(t, 1 - t) * height)
        sunk = bevel - np.sqrt(np.maximum(bevel**2 - np.maximum(bevel - rim, 0) ** 2, 0))
        angle = np.maximum(along - 0.04, 0) / radius
        x = np.where(along < 0.04, along, 0.04 + (radius - sunk) * np.sin(angle))
        z = np.where(along < 0.04, -sunk, (radius - sunk) * np.cos(angle) - radius)
        return np.stack([x + 0.03, y, z], axis=1), np.stack([s * width, t * height], axis=1)

    return sheet(round(cells * width / height), cells, place, "rail tile")


def rod(radius: float = 0.18, height: float = 1.0) -> MeshData:
    """An upright rod with rounded ends around the origin; UVs in metres."""
    bend = np.linspace(0, np.pi / 2, 9)
    foot = [(radius * 0.8 + radius * 0.2 * np.sin(a), -height / 2 + radius * 0.2 * (1 - np.cos(a))) for a in bend]
    head = [(r, -y) for r, y in reversed(foot)]
    profile = [(0.0, -height / 2), *foot, *head, (0.0, height / 2)]
    return lathe(profile, 72, 60, [("surface", 1.0)])


def hanging_cloth(width: float = 1.2, height: float = 1.1, cells: int = 110) -> MeshData:
    """A hanging cloth whose folds deepen towards its foot, facing +z; UVs in metres of cloth."""

    def place(s: Array, t: Array) -> tuple[Array, Array]:
        depth = 0.02 + 0.10 * t**1.3
        wave = np.sin(s * 2 * np.pi * 3.5 + 0.6 * np.sin(t * 2.2)) + 0.35 * np.sin(s * 2 * np.pi * 8 + 1.7 + t)
        drawn = width * (0.92 - 0.12 * t)
        positions = np.stack([(s - 0.5) * drawn, (0.5 - t) * height, depth * wave], axis=1)
        return positions, np.stack([s * width * 1.25, t * height], axis=1)

    return sheet(cells, round(cells * height / width), place, "cloth")


def wall_piece(width: float = 1.6, height: float = 1.1) -> MeshData:
    """An upright flat sheet around the origin, facing +z; UVs in metres."""

    def place(s: Array, t: Array) -> tuple[Array, Array]:
        return np.stack([(s - 0.5) * width, (0.5 - t) * height, 0 * s], axis=1), np.stack(
            [s * width, t * height], axis=1
        )

    return sheet(64, 44, place, "plane")
