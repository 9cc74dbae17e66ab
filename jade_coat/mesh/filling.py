"""Fills vertex paint by rule: a share from 0 to 1 at each vertex leads from value A to value B."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Literal

import numpy as np
from pydantic import Field, model_validator

from jade_coat.material.fields import Frozen, Vec3
from jade_coat.mesh.data import FULL, MeshData
from jade_coat.mesh.painting import Paint
from jade_coat.program.ops.noise import Fbm, fbm
from jade_coat.program.types import Array

Ground = Literal["even", "gradient", "angle", "cavity", "occlusion", "height", "distance", "noise", "part", "channel"]
Ease = Literal["linear", "smooth", "step"]
Mix = Literal["replace", "multiply", "add", "max", "min"]
GROUND_LABELS: dict[Ground, str] = {
    "even": "Everywhere", "gradient": "Gradient", "angle": "Facing", "cavity": "Edges", "occlusion": "Shelter",
    "height": "World height", "distance": "Distance", "noise": "Noise", "part": "By piece", "channel": "Channel",
}  # fmt: skip
GROUND_HINTS: dict[Ground, str] = {
    "even": "B on every vertex",
    "gradient": "from A at the first point to B at the second, along the line between them",
    "angle": "A where the surface faces the direction, B where it leans away by the second angle or more",
    "cavity": "B on edges, or in hollows when turned over",
    "occlusion": "B where little of the sky is seen, by rays",
    "height": "from A at one height above the world's ground to B at another",
    "distance": "from A near a point to B far from it",
    "noise": "soft patches",
    "part": "another value for each connected piece, by chance",
    "channel": "what another channel holds",
}
RAYS = 64


class PaintRule(Frozen):
    """What is filled, with what, and how it joins what is there.

    Lengths in metres, angles in radians. `points` are in the object's space or the world's; `range` are the two metres,
    angles or noise values at which A and B are reached.
    """

    ground: Ground = "gradient"
    a: float = Field(0.0, ge=0, le=1)
    b: float = Field(1.0, ge=0, le=1)
    channels: tuple[int, ...] = (0,)
    mix: Mix = "replace"
    strength: float = Field(1.0, ge=0, le=1)
    slot: str = ""
    """Only this slot; empty for the whole mesh."""
    space: Literal["object", "world"] = "object"
    points: tuple[Vec3, Vec3] = ((0.0, 0.0, 0.0), (0.0, 1.0, 0.0))
    direction: Vec3 = (0.0, 1.0, 0.0)
    range: tuple[float, float] = (0.0, 1.0)
    size: float = Field(0.3, gt=0, le=1000)
    """Metres across a patch of noise; the bend in metres that counts as full for edges; the reach of shelter."""
    seed: int = Field(0, ge=0, le=9999)
    source: int = Field(0, ge=0, le=3)
    ease: Ease = "linear"
    invert: bool = False

    @model_validator(mode="after")
    def _sound(self) -> PaintRule:
        if not self.channels or any(c not in range(4) for c in self.channels):
            raise ValueError(f"a rule fills channels 0 to 3, got {self.channels}")
        if not np.linalg.norm(self.direction) > 0:
            raise ValueError("a rule's direction has a length")
        return self


def shares(rule: PaintRule, mesh: MeshData, matrix: Array, paint: Array) -> Array:
    """How far from A to B each vertex is, `(n,) float32`, 0 to 1. `matrix` places the prop; `paint` `(n, 4) uint16`."""
    raw = _GROUNDS[rule.ground](rule, mesh, np.asarray(matrix, np.float64), paint)
    t = np.clip(np.asarray(raw, np.float32), 0, 1)
    if rule.ease == "smooth":
        t = t * t * (3 - 2 * t)
    elif rule.ease == "step":
        t = (t >= 0.5).astype(np.float32)
    return 1 - t if rule.invert else t


def filled(rule: PaintRule, mesh: MeshData, matrix: Array, paint: Paint) -> Paint:
    """Paint after a rule; tiles it does not change stay the same objects. Raises KeyError for an unknown slot."""
    before = paint.whole()
    where = _vertices_of(mesh, rule.slot)
    t = shares(rule, mesh, matrix, before)[where]
    target = rule.a + (rule.b - rule.a) * t
    after = before.copy()
    for channel in rule.channels:
        old = before[where, channel].astype(np.float32) / FULL
        new = _MIXES[rule.mix](old, target)
        kept = old + (np.clip(new, 0, 1) - old) * np.float32(rule.strength)
        after[where, channel] = np.round(kept * FULL).astype(np.uint16)
    return _shared_tiles(paint, Paint.of(after))


def filled_by(rules: tuple[PaintRule, ...], mesh: MeshData, matrix: Array, paint: Paint) -> Paint:
    """Paint after several rules in turn."""
    for rule in rules:
        paint = filled(rule, mesh, matrix, paint)
    return paint


def _shared_tiles(before: Paint, after: Paint) -> Paint:
    tiles = (a if np.array_equal(a, b) else b for a, b in zip(before.tiles, after.tiles, strict=True))
    return Paint(tuple(tiles))


def _vertices_of(mesh: MeshData, slot: str) -> Array:
    if not slot:
        return np.arange(mesh.vertex_count)
    found = next((s for s in mesh.slots if s.name == slot), None)
    if found is None:
        raise KeyError(f"the mesh has no slot {slot!r}")
    return np.unique(mesh.triangles[found.start : found.start + found.count])


def _between(value: Array, low: float, high: float) -> Array:
    """0 at `low`, 1 at `high`; a jump where they are one."""
    if low == high:
        return (value >= high).astype(np.float32)
    return (value - low) / (high - low)


def _positions(rule: PaintRule, mesh: MeshData, matrix: Array) -> Array:
    p = mesh.positions.astype(np.float64)
    return p @ matrix[:3, :3].T + matrix[:3, 3] if rule.space == "world" else p


def _normals(rule: PaintRule, mesh: MeshData, matrix: Array) -> Array:
    if rule.space == "object":
        return mesh.normals.astype(np.float64)
    turned = mesh.normals.astype(np.float64) @ np.linalg.inv(matrix[:3, :3])
    return np.asarray(turned / np.maximum(np.linalg.norm(turned, axis=1, keepdims=True), 1e-20))


def _gradient(rule: PaintRule, mesh: MeshData, matrix: Array, paint: Array) -> Array:
    start, end = (np.array(p) for p in rule.points)
    way = end - start
    length2 = float(way @ way)
    along = (_positions(rule, mesh, matrix) - start) @ way
    return _between(along / length2 if length2 > 0 else along * 0 + 1, 0.0, 1.0)


def _angle(rule: PaintRule, mesh: MeshData, matrix: Array, paint: Array) -> Array:
    toward = np.array(rule.direction) / np.linalg.norm(rule.direction)
    return _between(np.arccos(np.clip(_normals(rule, mesh, matrix) @ toward, -1, 1)), *rule.range)


def _distance(rule: PaintRule, mesh: MeshData, matrix: Array, paint: Array) -> Array:
    away = np.linalg.norm(_positions(rule, mesh, matrix) - np.array(rule.points[0]), axis=1)
    return _between(away, *rule.range)


def _height(rule: PaintRule, mesh: MeshData, matrix: Array, paint: Array) -> Array:
    return _between((mesh.positions @ matrix[:3, :3].T + matrix[:3, 3])[:, 1], *rule.range)


def _noise(rule: PaintRule, mesh: MeshData, matrix: Array, paint: Array) -> Array:
    places = (_positions(rule, mesh, matrix) / rule.size).T.astype(np.float32)
    with np.errstate(over="ignore"):  # the hash counts round
        return _between(fbm(Fbm(4, rule.seed), places)[0] * 0.5 + 0.5, *rule.range)


def _part(rule: PaintRule, mesh: MeshData, matrix: Array, paint: Array) -> Array:
    pieces = connected(mesh)
    return np.random.default_rng(rule.seed).random(int(pieces.max(initial=0)) + 1)[pieces]


def _occlusion(rule: PaintRule, mesh: MeshData, matrix: Array, paint: Array) -> Array:
    return 1 - openness(mesh, rule.size, RAYS)


_GROUNDS: dict[str, Callable[[PaintRule, MeshData, Array, Array], Any]] = {
    "even": lambda rule, mesh, matrix, paint: np.ones(mesh.vertex_count),
    "gradient": _gradient, "angle": _angle, "distance": _distance, "height": _height, "noise": _noise, "part": _part,
    "cavity": lambda rule, mesh, matrix, paint: mesh.curvature[:, 0] * rule.size,
    "occlusion": _occlusion,
    "channel": lambda rule, mesh, matrix, paint: paint[:, rule.source] / np.float32(FULL),
}  # fmt: skip
_MIXES: dict[str, Callable[[Array, Array], Array]] = {
    "replace": lambda old, new: new, "multiply": lambda old, new: old * new, "add": lambda old, new: old + new,
    "max": np.maximum, "min": np.minimum,
}  # fmt: skip


def connected(mesh: MeshData) -> Array:
    """The number of the connected piece each vertex belongs to, `(n,)`; vertices at one place are one."""
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    _, place = np.unique(mesh.positions, axis=0, return_inverse=True)
    place = place.reshape(-1)
    t = place[mesh.triangles.astype(np.int64)]
    a, b = np.concatenate([t[:, 0], t[:, 1]]), np.concatenate([t[:, 1], t[:, 2]])
    count = int(place.max(initial=0)) + 1
    _, piece = connected_components(coo_matrix((np.ones(len(a), bool), (a, b)), (count, count)), directed=False)
    return np.asarray(piece[place])


def openness(mesh: MeshData, reach: float, rays: int = RAYS) -> Array:
    """The cosine-weighted share of the half space above each vertex in which the mesh itself is not met, `(n,)`.

    Rays end after `reach` metres. They are spread by the golden angle over equal shares of the weight (Malley's
    method), the same for every vertex, so the error falls about as 1 / rays.
    """
    from jade_coat.mesh.picking import target

    index = target(mesh)
    radius = np.sqrt((np.arange(rays) + 0.5) / rays)
    angle = np.arange(rays) * np.pi * (3 - np.sqrt(5))
    local = np.stack([radius * np.cos(angle), radius * np.sin(angle), np.sqrt(1 - radius**2)], axis=1)
    n = mesh.normals.astype(np.float64)
    helper = np.where(np.abs(n[:, :1]) > 0.9, [[0.0, 1.0, 0.0]], [[1.0, 0.0, 0.0]])
    t = np.cross(helper, n)
    t /= np.maximum(np.linalg.norm(t, axis=1, keepdims=True), 1e-20)
    b = np.cross(n, t)
    low, high = mesh.bounds
    lift = max(float(np.linalg.norm(high - low)) * 1e-4, 1e-9)
    origins = mesh.positions.astype(np.float64) + n * lift
    free = np.zeros(len(n))
    for x, y, z in local:
        directions = t * x + b * y + n * z
        free += ~index.blocked(origins, directions, reach)
    return free / rays
