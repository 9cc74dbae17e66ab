"""Joins the parts of a glTF scene into one mesh."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from jade_coat.files.gltf_motion import PartMotion
from jade_coat.mesh.building import build_mesh
from jade_coat.mesh.data import FULL, MeshData, Slot
from jade_coat.mesh.motion import Motion
from jade_coat.program.types import Array


class _Part:
    """One primitive in all its places."""

    def __init__(
        self, source: tuple[Any, ...], slot: str, shape: dict[str, Array], uvs: list[Array], colors: list[Array],
        triangles: Array,
    ) -> None:  # fmt: skip
        self.source, self.slot = source, slot
        self.positions: Array = shape["POSITION"]
        self.normals, self.tangents = shape.get("NORMAL"), shape.get("TANGENT")
        self.uvs, self.colors, self.triangles = uvs, colors, triangles
        self.motion: PartMotion | None = None

    def place(self, matrices: Sequence[Array]) -> None:
        """Put a copy in every place; where that is the origin alone, everything stays as it is to the bit."""
        if len(matrices) == 1 and np.array_equal(matrices[0], np.eye(4)):
            return
        count, placed = len(self.positions), np.stack(matrices)
        with np.errstate(all="ignore"):
            self._move(placed[:, None, :3, :3], placed[:, None, :3, 3])
        self.uvs = [np.tile(u, (len(placed), 1)) for u in self.uvs]
        self.colors = [np.tile(c, (len(placed), 1)) for c in self.colors]
        mirrored = np.linalg.det(placed[:, :3, :3]) < 0
        turned = [self.triangles[:, ::-1] if m else self.triangles for m in mirrored]
        self.triangles = np.concatenate([t + i * count for i, t in enumerate(turned)])

    def pose(self, matrices: Array) -> None:
        """Move every vertex by a matrix of its own `(n, 4, 4)`."""
        with np.errstate(all="ignore"):
            self._move(matrices[None, :, :3, :3], matrices[None, :, :3, 3])

    def _move(self, linear: Array, offset: Array) -> None:
        """Transform by `(places or 1, vertices or 1, 3, 3)` and `(…, 3)`."""
        if len(linear) == 1 and linear.shape[1] == 1:
            one, away = linear[0, 0], offset[0, 0]
            self.positions = (self.positions @ one.T + away).astype(np.float32)
        else:
            moved = np.einsum("pvij,vj->pvi", np.broadcast_to(linear, (len(linear), len(self.positions), 3, 3)),
                              self.positions) + offset  # fmt: skip
            self.positions = moved.reshape(-1, 3).astype(np.float32)
        if self.normals is not None:
            across = np.linalg.pinv(linear).swapaxes(-1, -2)
            self.normals = _turned(self.normals, across)
        if self.tangents is not None:
            still = linear.shape[:2] == (1, 1) and np.array_equal(linear[0, 0], np.eye(3))
            if not still:
                side = np.sign(np.linalg.det(linear))[..., None]  # a mirrored place turns the bitangents round
                turned = _turned(self.tangents[:, :3], linear)
                turned /= np.maximum(np.linalg.norm(turned, axis=1, keepdims=True), 1e-12)
                sign = np.broadcast_to(self.tangents[None, :, 3:] * side, (len(linear), len(self.tangents), 1))
                self.tangents = np.concatenate([turned, sign.reshape(-1, 1)], axis=1).astype(np.float32)


def _turned(vectors: Array, linear: Array) -> Array:
    if linear.shape[:2] == (1, 1):
        return np.asarray(vectors @ linear[0, 0].T.astype(vectors.dtype))
    wide = np.broadcast_to(linear, (len(linear), len(vectors), 3, 3))
    return np.einsum("pvij,vj->pvi", wide, vectors).reshape(-1, 3).astype(np.float32)


def _drop_what_is_no_paint(parts: list[_Part], first_colors: list[Array | None], baked: list[bool]) -> None:
    """Leave out a first colour set that is white everywhere, and the UV set that a bake of ours put in front."""
    if all(c is None or (c == FULL).all() for c in first_colors):
        for part in parts:
            part.colors = part.colors[1:]
    for part, ours in zip(parts, baked, strict=True):
        if ours and len(part.uvs) > 1:
            part.uvs = part.uvs[1:]
            part.tangents = None  # they followed the set that is gone


def _owners(parts: list[_Part]) -> list[_Part]:
    """The parts that have vertices of their own: the first of those that share them."""
    found: dict[Any, _Part] = {}
    for part in parts:
        found.setdefault(part.source, part)
    return list(found.values())


def _joined(name: str, parts: list[_Part], owners: list[_Part], motion: Motion | None) -> MeshData:
    """One mesh of all parts: those that share vertices keep sharing them, those of one material share a slot."""
    starts: dict[Any, int] = {}
    total = 0
    for part in owners:
        starts[part.source] = total
        total += len(part.positions)
    by_slot: dict[str, list[Array]] = {}
    for part in parts:
        by_slot.setdefault(part.slot, []).append(part.triangles + starts[part.source])
    slots, runs, at = [], [], 0
    for slot, pieces in by_slot.items():
        count = sum(len(p) for p in pieces)
        slots.append(Slot(slot, at, count))
        runs += pieces
        at += count
    positions = np.concatenate([p.positions for p in owners])
    normals = tangents = None
    if all(p.normals is not None for p in owners):
        normals = np.concatenate([p.normals for p in owners if p.normals is not None])
    if all(p.tangents is not None for p in owners):
        tangents = np.concatenate([p.tangents for p in owners if p.tangents is not None])
    return build_mesh(
        positions, np.concatenate(runs), name, normals,
        _columns([p.uvs for p in owners], owners, 2, np.float32),
        _columns([p.colors for p in owners], owners, 4, np.uint16), tuple(slots), tangents, motion,
    )  # fmt: skip


def _columns(sets: list[list[Array]], owners: list[_Part], width: int, kind: type[np.generic]) -> tuple[Array, ...]:
    count = max(len(s) for s in sets)
    blank = [np.zeros((len(o.positions), width), kind) for o in owners]
    return tuple(
        np.concatenate([s[i] if i < len(s) else b for s, b in zip(sets, blank, strict=True)]) for i in range(count)
    )
