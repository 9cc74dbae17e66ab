"""What a paint rule can go by: each measure gives a number at every place, which the rule makes a share of."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, Protocol

import numpy as np

from jade_coat.material.fields import Vec2, Vec3
from jade_coat.material.where import MapReading
from jade_coat.mesh.curvature import curvature
from jade_coat.mesh.data import MeshData
from jade_coat.mesh.places import Places
from jade_coat.mesh.surface_index import surface_index
from jade_coat.program.ops.noise import Fbm, fbm
from jade_coat.program.types import Array


class Rule(Protocol):
    """What filling reads of a rule (`stage.paint_rules`)."""

    @property
    def measure(self) -> str: ...  # noqa: D102
    @property
    def a(self) -> float: ...  # noqa: D102
    @property
    def b(self) -> float: ...  # noqa: D102
    @property
    def channels(self) -> tuple[int, ...]: ...  # noqa: D102
    @property
    def mix(self) -> str: ...  # noqa: D102
    @property
    def strength(self) -> float: ...  # noqa: D102
    @property
    def slot(self) -> str: ...  # noqa: D102
    @property
    def piece(self) -> Vec3 | None: ...  # noqa: D102
    @property
    def chosen(self) -> int | None: ...  # noqa: D102
    @property
    def space(self) -> str: ...  # noqa: D102
    @property
    def points(self) -> tuple[Vec3, Vec3]: ...  # noqa: D102
    @property
    def direction(self) -> Vec3: ...  # noqa: D102
    @property
    def axis(self) -> str: ...  # noqa: D102
    @property
    def range(self) -> tuple[float, float]: ...  # noqa: D102
    @property
    def size(self) -> float: ...  # noqa: D102
    @property
    def seed(self) -> int: ...  # noqa: D102
    @property
    def source(self) -> int: ...  # noqa: D102
    @property
    def other(self) -> str: ...  # noqa: D102
    @property
    def map_set(self) -> str: ...  # noqa: D102
    @property
    def read(self) -> MapReading: ...  # noqa: D102
    @property
    def uv_set(self) -> int: ...  # noqa: D102
    @property
    def tiled(self) -> bool: ...  # noqa: D102
    @property
    def ease(self) -> str: ...  # noqa: D102
    @property
    def curve(self) -> tuple[Vec2, ...]: ...  # noqa: D102
    @property
    def invert(self) -> bool: ...  # noqa: D102


OWN = ("levels", "blur", "clamp")
"""Measures that rework what each channel holds."""
RAYS = 64
Given = Callable[["Rule", Places, Array, "Around"], Any]


@dataclass(frozen=True)
class Around:
    """What a rule may read beside the mesh itself: the other props by id, each a mesh and its 4×4 matrix; what a map
    set holds, by its id, the reading and UVs `(n, 2)`, as `(n,)`; and whether the work has been given up."""

    props: Mapping[str, tuple[MeshData, Array]] = field(default_factory=dict)
    map_value: Callable[[str, MapReading, Array], Array] | None = None
    cancelled: Callable[[], bool] = lambda: False


def between(value: Array, low: float, high: float) -> Array:
    """0 at `low`, 1 at `high`; a jump where they are one."""
    if low == high:
        return (value >= high).astype(np.float32)
    return np.asarray((value - low) / (high - low))


def _placed(rule: Rule, places: Places, matrix: Array) -> Array:
    """Positions in the rule's space, double where a large world would cost precision."""
    p = places.positions
    if rule.space != "world":
        return p
    return np.asarray(p.astype(np.float64) @ matrix[:3, :3].T + matrix[:3, 3])


def _facing(rule: Rule, places: Places, matrix: Array) -> Array:
    if rule.space == "object":
        return places.normals
    turned = places.normals.astype(np.float64) @ np.linalg.inv(matrix[:3, :3])
    return np.asarray(turned / np.maximum(np.linalg.norm(turned, axis=1, keepdims=True), 1e-20))


def _gradient(rule: Rule, places: Places, matrix: Array, around: Around) -> Array:
    start, end = (np.array(p) for p in rule.points)
    way = end - start
    length2 = float(way @ way)
    if length2 == 0:
        way, length2 = np.array([0.0, 1.0, 0.0]), 1e-30
    if rule.space == "world":  # the same line, told in the object's space: one product a vertex
        start, way = start - matrix[:3, 3], way @ matrix[:3, :3]
        offset = float(start @ (end - np.array(rule.points[0]))) / length2
    else:
        offset = float(start @ way) / length2
    along = places.positions @ (way / length2).astype(np.float32)
    along -= np.float32(offset)
    return np.asarray(along)


def _axis(rule: Rule, places: Places, matrix: Array, around: Around) -> Array:
    """The share of the way through the bounds of the whole mesh along an axis of the rule's space."""
    k = "xyz".index(rule.axis)
    row = matrix[k, :3] if rule.space == "world" else np.eye(3)[k]
    whole = places.mesh.positions @ row.astype(np.float32)
    low, high = float(whole.min()), float(whole.max())
    share = between(places.positions @ row.astype(np.float32), low, high if high > low else low + 1e-9)
    return between(share, *rule.range)


def _angle(rule: Rule, places: Places, matrix: Array, around: Around) -> Array:
    toward = np.array(rule.direction) / np.linalg.norm(rule.direction)
    return between(np.arccos(np.clip(_facing(rule, places, matrix) @ toward, -1, 1)), *rule.range)


def _height(rule: Rule, places: Places, matrix: Array, around: Around) -> Array:
    return between(places.positions @ matrix[1, :3].astype(np.float32) + np.float32(matrix[1, 3]), *rule.range)


def _distance(rule: Rule, places: Places, matrix: Array, around: Around) -> Array:
    away = np.linalg.norm(_placed(rule, places, matrix) - np.array(rule.points[0]), axis=1)
    return between(away, *rule.range)


def _noise(rule: Rule, places: Places, matrix: Array, around: Around) -> Array:
    at = (_placed(rule, places, matrix) / rule.size).T.astype(np.float32)
    with np.errstate(over="ignore"):  # the hash counts round
        return between(fbm(Fbm(4, rule.seed), at)[0] * 0.5 + 0.5, *rule.range)


def _part(rule: Rule, places: Places, matrix: Array, around: Around) -> Array:
    pieces = places.mesh.pieces
    numbers = np.random.default_rng(rule.seed).random(int(pieces.max(initial=0)) + 1)
    return np.asarray(numbers[pieces[places.nearest_vertex()]])


def _cavity(rule: Rule, places: Places, matrix: Array, around: Around) -> Array:
    return np.asarray(places.of(curvature(places.mesh))[:, 0] * rule.size)


def _occlusion(rule: Rule, places: Places, matrix: Array, around: Around) -> Array:
    return 1 - openness(places.positions, places.normals, places.mesh, rule.size, RAYS, around.cancelled)


def _mesh(rule: Rule, places: Places, matrix: Array, around: Around) -> Array:
    """Metres in the world to another prop's surface."""
    if rule.other not in around.props:
        raise KeyError(f"there is no prop {rule.other!r} to measure the distance from; choose another")
    mesh, placed = around.props[rule.other]
    world = places.positions.astype(np.float64) @ matrix[:3, :3].T + matrix[:3, 3]
    inverse = np.linalg.inv(placed)
    scale = np.cbrt(abs(np.linalg.det(placed[:3, :3])))
    away = surface_index(mesh).nearest(world @ inverse[:3, :3].T + inverse[:3, 3]).distance * scale
    return between(away.astype(np.float32), *rule.range)


def _map(rule: Rule, places: Places, matrix: Array, around: Around) -> Array:
    """A channel of a map set, laid over the UV square, or tiled by metres."""
    if around.map_value is None or not rule.map_set:
        raise KeyError("choose the map set that the fill reads")
    uv = places.of(places.mesh.uv(rule.uv_set))
    if rule.tiled:
        metres = places.mesh.metres[rule.uv_set] if rule.uv_set < len(places.mesh.metres) else (1.0, 1.0)
        uv = uv * np.array(metres, np.float32) / np.float32(rule.size)
    return between(around.map_value(rule.map_set, rule.read, uv), *rule.range)


MEASURES: dict[str, Given] = {
    "even": lambda rule, places, matrix, around: np.ones(1, np.float32),
    "gradient": _gradient, "axis": _axis, "angle": _angle, "distance": _distance, "height": _height, "noise": _noise,
    "part": _part, "cavity": _cavity, "occlusion": _occlusion, "mesh": _mesh, "map": _map,
}  # fmt: skip


def openness(
    positions: Array, normals: Array, mesh: MeshData, reach: float, rays: int = RAYS,
    cancelled: Callable[[], bool] = lambda: False,
) -> Array:  # fmt: skip
    """The cosine-weighted share of the half space above each place `(n, 3)` in which a mesh is not met, `(n,)`.

    Rays end after `reach` metres. They are spread by the golden angle over equal shares of the weight (Malley's
    method), the same for every place, so the error falls about as 1 / rays. What was `cancelled` is not finished.
    """
    from jade_coat.mesh.picking import target

    index = target(mesh)
    radius = np.sqrt((np.arange(rays) + 0.5) / rays)
    angle = np.arange(rays) * np.pi * (3 - np.sqrt(5))
    local = np.stack([radius * np.cos(angle), radius * np.sin(angle), np.sqrt(1 - radius**2)], axis=1)
    n = normals.astype(np.float64)
    helper = np.where(np.abs(n[:, :1]) > 0.9, [[0.0, 1.0, 0.0]], [[1.0, 0.0, 0.0]])
    t = np.cross(helper, n)
    t /= np.maximum(np.linalg.norm(t, axis=1, keepdims=True), 1e-20)
    b = np.cross(n, t)
    low, high = mesh.bounds
    lift = max(float(np.linalg.norm(high - low)) * 1e-4, 1e-9)
    origins = positions.astype(np.float64) + n * lift
    free = np.zeros(len(n))
    for x, y, z in local:
        if cancelled():
            break
        directions = t * x + b * y + n * z
        free += ~index.blocked(origins, directions, reach)
    return free / rays
