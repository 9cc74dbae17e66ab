"""Splits triangles where paint needs more vertices: the shape, the seams and every attribute stay."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from jade_coat.mesh.data import MeshData, Slot
from jade_coat.mesh.painting import Paint
from jade_coat.program.types import Array

MAX_VERTICES = 8_000_000


@dataclass(frozen=True)
class Finer:
    """A mesh with more vertices, and the two vertices of the old mesh `(n, 2)` each lies midway between."""

    mesh: MeshData
    parents: Array

    def paint(self, paint: Paint) -> Paint:
        """The paint of the old mesh on the new one."""
        a, b = (paint.at(self.parents[:, i]).astype(np.uint32) for i in (0, 1))
        return Paint.of(((a + b + 1) // 2).astype(np.uint16))


def subdivided(mesh: MeshData, chosen: Array | None = None) -> Finer:
    """Split triangles in four at their edges' middles; `chosen` `(k,)` are some of them (None: all).

    Neighbours are split in two or three, so that no gap opens; vertices on both sides of a seam are split alike.
    Raises ValueError beyond `MAX_VERTICES`.
    """
    t = mesh.triangles.astype(np.int64)
    ends = np.stack([t, np.roll(t, -1, axis=1)], axis=2)  # (m, 3 edges, 2 vertices)
    place = mesh.places[ends]
    key = place.min(axis=2) * (int(mesh.places.max()) + 1) + place.max(axis=2)
    split = np.ones(t.shape, bool) if chosen is None else np.isin(key, np.unique(key[chosen]))
    pairs = np.sort(ends[split], axis=1)
    edges, which = np.unique(pairs[:, 0] * mesh.vertex_count + pairs[:, 1], return_inverse=True)
    if mesh.vertex_count + len(edges) > MAX_VERTICES:
        raise ValueError(
            f"that would make {mesh.vertex_count + len(edges):,} vertices; the limit is {MAX_VERTICES:,}. "
            "Split fewer triangles, or paint a map instead."
        )
    old = np.arange(mesh.vertex_count)
    middles = np.stack([edges // mesh.vertex_count, edges % mesh.vertex_count], axis=1)
    parents = np.concatenate([np.stack([old, old], axis=1), middles])
    middle = np.full(t.shape, -1, np.int64)
    middle[split] = mesh.vertex_count + which
    triangles, owner = _split(t, middle)
    order = np.argsort(owner, kind="stable")
    triangles, owner = triangles[order], owner[order]
    starts = [int(np.searchsorted(owner, s.start)) for s in mesh.slots]
    stops = [int(np.searchsorted(owner, s.start + s.count)) for s in mesh.slots]
    slots = tuple(Slot(s.name, a, b - a) for s, a, b in zip(mesh.slots, starts, stops, strict=True))
    return Finer(_between(mesh, parents, triangles, slots), parents)


def _split(t: Array, middle: Array) -> tuple[Array, Array]:
    """The new triangles `(k, 3)` and the old one each is part of `(k,)`."""
    cuts = (middle >= 0).sum(axis=1)
    parts, owners = [t[cuts == 0]], [np.flatnonzero(cuts == 0)]

    def add(owner: Array, *corners: tuple[Array, Array, Array]) -> None:
        for a, b, c in corners:
            parts.append(np.stack([a, b, c], axis=1))
            owners.append(owner)

    for k in range(3):  # turned so that the cut edge, or the first of two, is from a to b
        one = np.flatnonzero((cuts == 1) & (middle[:, k] >= 0))
        a, b, c = (t[one, (k + i) % 3] for i in range(3))
        m = middle[one, k]
        add(one, (a, m, c), (m, b, c))
        two = np.flatnonzero((cuts == 2) & (middle[:, (k + 2) % 3] < 0))
        a, b, c = (t[two, (k + i) % 3] for i in range(3))
        m, n = middle[two, k], middle[two, (k + 1) % 3]
        add(two, (m, b, n), (a, m, c), (m, n, c))
    all_three = np.flatnonzero(cuts == 3)
    a, b, c = t[all_three].T
    m, n, o = middle[all_three].T
    add(all_three, (a, m, o), (m, b, n), (o, n, c), (m, n, o))
    return np.concatenate(parts), np.concatenate(owners)


def _between(mesh: MeshData, parents: Array, triangles: Array, slots: tuple[Slot, ...]) -> MeshData:
    a, b = parents.T
    new = a != b

    def mean(values: Array) -> Array:
        found = values[a].copy()
        found[new] = (values[a[new]] + values[b[new]]) / 2
        return found

    def unit(values: Array) -> Array:
        """Mean directions at length 1; opposite ones keep the first."""
        found = mean(values)
        length = np.linalg.norm(found[new], axis=1, keepdims=True)
        found[new] = np.where(length > 1e-6, found[new] / np.maximum(length, 1e-6), values[a[new]])
        return found

    tangents = np.concatenate([unit(mesh.tangents[:, :3]), mesh.tangents[a, 3:]], axis=1)
    colors = []
    for values in mesh.colors:
        wide = values.astype(np.uint32)
        colors.append(((wide[a] + wide[b] + 1) // 2).astype(np.uint16))
    return MeshData(
        mean(mesh.positions), unit(mesh.normals), tangents.astype(np.float32), tuple(mean(u) for u in mesh.uvs),
        tuple(colors), np.ascontiguousarray(triangles, np.uint32), slots,
        mesh.motion.between(parents) if mesh.motion is not None else None,
    )  # fmt: skip
