"""Finds or makes a UV set without overlaps to bake into."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass

import numpy as np

from jade_coat.bake.raster import cover
from jade_coat.files.pack_cache import kept_arrays
from jade_coat.jobs.job import Job
from jade_coat.mesh.data import MAX_UV_SETS, MeshData, Slot
from jade_coat.mesh.tangents import split_tangents
from jade_coat.program.types import Array

MAX_OVERLAP = 0.005
_PROBE = 512
UNWRAP_FORMAT = 1
"""Raise this when unwrapping changes, so that nothing kept from before is used."""
ENLARGED = 1e4
RESOLUTION, PADDING = 1024, 8
"""Texels that charts are packed for, and left between them: at the level three below, one is still there."""


@dataclass(frozen=True)
class BakeMesh:
    """A mesh whose UV set 0 has no overlaps within each slot, and the vertex of the original each one came from.

    `lost` names the slots with triangles that found no place in the set, and the share of the slot's area they are.
    """

    mesh: MeshData
    source: Array
    lost: tuple[tuple[str, float], ...] = ()

    @property
    def whole(self) -> bool:
        """Whether it has the original's own vertices, in their order."""
        return bool((self.source == np.arange(len(self.source))).all())

    def of_original(self, values: Array) -> Array:
        """Values `(n, k)` by the original's vertices, by the vertices of this mesh."""
        return values if self.whole and len(values) == len(self.source) else values[self.source]

    def losses(self, name: str) -> list[str]:
        """What is not in the maps, in words."""
        return [
            f"{name}, {slot}: {share * 100:.2g} % of its surface found no place in the map" for slot, share in self.lost
        ]


def bake_mesh(mesh: MeshData, job: Job | None = None) -> BakeMesh:
    """The mesh with a set to bake into put in front of its UV sets.

    A set that does not overlap is used (moved and scaled into 0–1 where it lies outside); failing that, each slot is
    unwrapped anew with xatlas, once for each shape: what it gave is kept. Raises Cancelled between slots.
    """
    pieces = []
    for i, slot in enumerate(mesh.slots):
        if job is not None:
            job.step(i / len(mesh.slots), f"Unwrapping {slot.name}")
        pieces.append(_slot_piece(mesh, slot))
    lost = tuple(
        (slot.name, share)
        for slot, piece in zip(mesh.slots, pieces, strict=True) if (share := _lost_share(mesh, piece)) > 0
    )  # fmt: skip
    source = np.concatenate([p.source for p in pieces])
    starts = np.cumsum([0, *(len(p.source) for p in pieces)])
    triangles = np.concatenate([p.triangles + start for p, start in zip(pieces, starts, strict=False)])
    slots, at = [], 0
    for slot, piece in zip(mesh.slots, pieces, strict=True):
        slots.append(Slot(slot.name, at, len(piece.triangles)))
        at += len(piece.triangles)
    uv = np.concatenate([p.uv for p in pieces]).astype(np.float32)
    new = MeshData(
        mesh.positions[source], mesh.normals[source], mesh.tangents[source],
        (uv, *(u[source] for u in mesh.uvs[: MAX_UV_SETS - 1])), tuple(c[source] for c in mesh.colors),
        triangles.astype(np.uint32), tuple(slots),
    )  # fmt: skip
    split, origin = split_tangents(new)
    return BakeMesh(split, source[origin], lost)


def with_paint_uvs(mesh: MeshData, job: Job | None = None) -> tuple[MeshData, Array]:
    """The mesh with one more UV set, behind the others, that lies in one square without overlaps; and for each of its
    vertices the one it came from. Raises ValueError when the mesh has no room for another set."""
    if len(mesh.uvs) >= MAX_UV_SETS:
        raise ValueError(f"the mesh has {MAX_UV_SETS} UV sets already; take one away in the program it came from")
    baked = bake_mesh(mesh, job)
    uv, source = baked.mesh.uvs[0].copy(), baked.source
    across = int(np.ceil(np.sqrt(len(baked.mesh.slots))))
    for i, slot in enumerate(baked.mesh.slots):  # each slot has a square of its own: lay them side by side
        own = np.unique(baked.mesh.triangles[slot.start : slot.start + slot.count])
        uv[own] = (uv[own] * 0.98 + 0.01 + np.array([i % across, i // across])) / across
    made = MeshData(
        mesh.positions[source], mesh.normals[source], mesh.tangents[source],
        (*(u[source] for u in mesh.uvs), uv.astype(np.float32)), tuple(c[source] for c in mesh.colors),
        baked.mesh.triangles, baked.mesh.slots, mesh.motion.take(source) if mesh.motion is not None else None,
    )  # fmt: skip
    return made, source


@dataclass(frozen=True)
class _Piece:
    """One slot: its vertices by original index, triangles among them, and UVs."""

    source: Array
    triangles: Array
    uv: Array


def _slot_piece(mesh: MeshData, slot: Slot) -> _Piece:
    run = mesh.triangles[slot.start : slot.start + slot.count].astype(np.int64)
    source, local = np.unique(run, return_inverse=True)
    triangles = local.reshape(-1, 3)
    for uv in mesh.uvs:
        fitted = _fitted(uv[source])
        if fitted is not None and _is_flat(fitted, triangles):
            return _Piece(source, triangles, fitted)
    mapping, indices, uv = _parametrised(mesh.positions[source], mesh.normals[source], triangles)
    return _Piece(source[mapping], indices, uv)


def _parametrised(positions: Array, normals: Array, triangles: Array) -> tuple[Array, Array, Array]:
    """xatlas' charts: the vertex each new one came from, triangles `(m, 3)` and UVs `(k, 2)`; kept by their content."""
    marks = hashlib.sha256(f"{UNWRAP_FORMAT} {PADDING} {RESOLUTION}".encode())
    for array in (positions, normals, triangles):
        marks.update(np.ascontiguousarray(array).tobytes())

    def make() -> dict[str, Array]:
        import xatlas

        # Triangles below a fixed area (about 1e-7) are dropped inside the library: it works on an enlarged copy.
        extent = max(float(np.ptp(positions, axis=0).max()), 1e-12)
        atlas = xatlas.Atlas()
        large = np.ascontiguousarray((positions - positions.mean(axis=0)) * (ENLARGED / extent), np.float32)
        atlas.add_mesh(large, np.ascontiguousarray(triangles, np.uint32), np.ascontiguousarray(normals, np.float32))
        packing = xatlas.PackOptions()
        packing.padding, packing.resolution, packing.bilinear = PADDING, RESOLUTION, True
        atlas.generate(pack_options=packing)
        mapping, indices, uv = atlas[0]
        return {"mapping": np.asarray(mapping, np.int64), "indices": np.asarray(indices, np.int64),
                "uv": np.asarray(uv, np.float32)}  # fmt: skip

    found = kept_arrays("unwraps", marks.hexdigest()[:32], make)
    return found["mapping"], found["indices"].reshape(-1, 3), found["uv"]


def _lost_share(mesh: MeshData, piece: _Piece) -> float:
    """The share of a slot's area whose triangles have area on the mesh and none in the map."""
    corners = mesh.positions[piece.source[piece.triangles]].astype(np.float64)
    area = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    d1 = piece.uv[piece.triangles[:, 1]].astype(np.float64) - piece.uv[piece.triangles[:, 0]]
    d2 = piece.uv[piece.triangles[:, 2]].astype(np.float64) - piece.uv[piece.triangles[:, 0]]
    flat = np.abs(d1[:, 0] * d2[:, 1] - d1[:, 1] * d2[:, 0]) <= 1e-16
    return float(area[flat].sum() / max(area.sum(), 1e-30))


def _fitted(uv: Array) -> Array | None:
    """UVs inside 0–1: as they are, or moved and stretched to fill the square less a margin; None when degenerate."""
    low, high = uv.min(axis=0), uv.max(axis=0)
    if (high - low).min() < 1e-6:
        return None
    if low.min() >= -1e-4 and high.max() <= 1 + 1e-4 and (high - low).min() > 0.3:
        return np.clip(uv, 0, 1)
    return np.asarray((uv - low) / (high - low) * 0.992 + 0.004)


def _is_flat(uv: Array, triangles: Array) -> bool:
    coverage = cover(uv, triangles, _PROBE)
    corners = uv[triangles].astype(np.float64)
    d1, d2 = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    area = (d1[:, 0] * d2[:, 1] - d1[:, 1] * d2[:, 0]) / 2
    # Turned-over triangles would give one vertex two handednesses; a tiny square would waste the map.
    one_way = (area > 0).all() or (area < 0).all()
    total = np.abs(area).sum()
    return bool(one_way and coverage.overlap <= MAX_OVERLAP and 0.05 < total < 1.001)
