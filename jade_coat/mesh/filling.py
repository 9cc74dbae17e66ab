"""Fills paint by rule: a share from 0 to 1 at each vertex or texel leads from value B to value A."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np

from jade_coat.mesh.data import MeshData
from jade_coat.mesh.measures import MEASURES, OWN, Around, Rule, between
from jade_coat.mesh.painting import TILE, Paint, PaintMap
from jade_coat.mesh.places import Places, map_places, vertex_places
from jade_coat.mesh.surface_index import surface_index
from jade_coat.program.ops.curves import Curve
from jade_coat.program.types import Array


def shares(
    rule: Rule, places: Places, matrix: Array, source: Array | None = None, around: Around | None = None
) -> Array:
    """How far from B to A each place is, `(n,)` or `(1,)`, 0 to 1.

    `matrix` places the prop; `source` `(n,)`, 0 to 1, is what the channel that a rule reads holds there.
    """
    if rule.measure == "channel":
        return _eased(rule, source if source is not None else np.zeros(1, np.float32))
    raw = MEASURES[rule.measure](rule, places, np.asarray(matrix, np.float64), around or Around())
    return _eased(rule, np.asarray(raw, np.float32))


def _eased(rule: Rule, raw: Array) -> Array:
    t = np.clip(raw, np.float32(0), np.float32(1))
    if rule.ease == "smooth":
        t = t * t * (3 - 2 * t)
    elif rule.ease == "step":
        t = (t >= 0.5).astype(np.float32)
    elif rule.ease == "curve":
        xs, ys = zip(*rule.curve, strict=True)
        t = np.clip(Curve(xs, ys).along(t), 0, 1).astype(np.float32)
    return 1 - t if rule.invert else t


def filled(rule: Rule, mesh: MeshData, matrix: Array, paint: Paint, around: Around | None = None) -> Paint:
    """Paint on vertices after a rule; tiles it does not change stay the same objects.

    Channels that the paint does not have are left out. Raises KeyError for an unknown slot, prop or map set.
    """
    return _filled(rule, mesh, matrix, paint, vertex_places(mesh), around)


def map_filled(
    rule: Rule, mesh: MeshData, matrix: Array, paint_map: PaintMap, around: Around | None = None
) -> PaintMap:
    """A painted map after a rule, its gutters too. Raises as `filled` does."""
    paint = _filled(rule, mesh, matrix, paint_map.paint, map_places(mesh, paint_map), around)
    return paint_map if paint is paint_map.paint else paint_map.with_paint(paint)


def run_rules(
    rules: tuple[Rule, ...], mesh: MeshData, matrix: Array, paint: Paint, around: Around | None = None
) -> Paint:
    """Paint after several rules in turn."""
    for rule in rules:
        paint = filled(rule, mesh, matrix, paint, around)
    return paint


@dataclass(frozen=True)
class Crossing:
    """Where a step on vertices runs across triangles `(k,)`, and how wide it is there, metres of the mesh: the median
    and the largest."""

    triangles: Array
    usual: float
    widest: float


def step_crossing(rule: Rule, mesh: MeshData, matrix: Array, around: Around | None = None) -> Crossing | None:
    """Where a rule's step lies between vertices: colours run across whole triangles there, so that is how sharp it is.

    None where it crosses no triangle. Raises as `filled` does.
    """
    if rule.measure in (*OWN, "channel"):
        return None
    found = [np.broadcast_to(shares(rule, p, matrix, None, around), _length(p.entries)) for p in vertex_places(mesh)]
    high = np.concatenate(found) >= 0.5
    ends = mesh.triangles[:, [[0, 1], [1, 2], [2, 0]]].astype(np.int64)
    crossing = high[ends[..., 0]] != high[ends[..., 1]]
    if not crossing.any():
        return None
    a, b = (mesh.positions[ends[crossing][:, i]] for i in (0, 1))
    wide = np.linalg.norm(a - b, axis=1)
    return Crossing(np.flatnonzero(crossing.any(axis=1)), float(np.median(wide)), float(wide.max()))


def _filled(
    rule: Rule, mesh: MeshData, matrix: Array, paint: Paint, parts: Iterator[Places], around: Around | None
) -> Paint:
    work = _Fill(rule, mesh, matrix, paint, around or Around())
    if not work.channels or rule.strength <= 0:
        return paint
    if rule.measure == "blur":
        parts = iter(work.soften(list(parts)))
    for places in parts:
        if work.around.cancelled():
            return paint
        work.fill(places)
    return work.paint()


class _Fill:
    """One fill under way: the tiles it has copied, and what it may change."""

    def __init__(self, rule: Rule, mesh: MeshData, matrix: Array, paint: Paint, around: Around) -> None:
        self.rule, self.mesh, self.around = rule, mesh, around
        self._matrix, self._before = matrix, paint
        self.channels = [c for c in rule.channels if c < paint.channels]
        self._allowed = _allowed(rule, mesh)
        self._made: dict[int, Array] = {}
        self._soft: dict[int, Array] = {}

    def paint(self) -> Paint:
        """The paint so far; it shares the tiles that are as they were."""
        before = self._before.tiles
        return self._before.replaced({i: t for i, t in self._made.items() if not np.array_equal(t, before[i])})

    def soften(self, parts: list[Places]) -> list[Places]:
        """Work out the softened values of all places beforehand; they are found again by place."""
        from jade_coat.mesh.kernels import soften

        cell, (low, _) = self.rule.size / 2, self.mesh.bounds
        values = [np.stack([self._now(p, c) for c in self.channels], axis=1).astype(np.float64) for p in parts]
        room = 1 << 14
        while True:
            keys, sums, used = np.full(room, -1, np.int64), np.zeros((room, len(self.channels) + 1)), 0
            for p, v in zip(parts, values, strict=True):
                if used >= 0:
                    used = soften(p.positions, p.normals, v, cell, low - cell, keys, sums, used, False)
            if used >= 0:
                break
            room *= 4
        for part, v in zip(parts, values, strict=True):
            soften(part.positions, part.normals, v, cell, low - cell, keys, sums, 0, True)
            self._soft[id(part)] = v.astype(np.float32)
        return parts

    def _now(self, places: Places, channel: int) -> Array:
        """What a channel holds at some places before the fill, 0 to 1."""
        tiles = self._before.tiles
        held = np.empty(_length(places.entries), np.float32)
        for tile, run, rows in _tiles(places.entries):
            held[run] = tiles[tile][rows, channel]
        held *= np.float32(1 / self._before.full)
        return held

    def fill(self, places: Places) -> None:
        """Fill some places."""
        rule = self.rule
        strength: Any = np.float32(rule.strength)
        if self._allowed is not None:
            strength = strength * self._allowed.at(places)
        if rule.chosen is not None:
            strength = strength * (self._now(places, rule.chosen) if rule.chosen < self._before.channels else 0)
        target: Any = None
        if rule.measure not in OWN:
            source = self._now(places, rule.source) if self._reads_channel() else np.zeros(1, np.float32)
            t = shares(rule, places, self._matrix, source, self.around)
            target = np.float32(rule.b) + np.float32(rule.a - rule.b) * t
        whole_strength = rule.strength >= 1 and not np.ndim(strength)
        for k, channel in enumerate(self.channels):
            plain = whole_strength and rule.mix == "replace" and target is not None
            old = np.zeros(1, np.float32) if plain else self._now(places, channel)
            new = target if target is not None else self._reworked(places, old, k)
            if rule.mix != "replace":
                new = np.clip(_MIXES[rule.mix](old, new), 0, 1)
            if not whole_strength:
                new = old + (new - old) * strength
            self._put(places, channel, new)

    def _reads_channel(self) -> bool:
        return self.rule.measure == "channel" and self.rule.source < self._before.channels

    def _put(self, places: Places, channel: int, new: Array) -> None:
        whole = (new * np.float32(self._before.full) + np.float32(0.5)).astype(self._before.tiles[0].dtype)
        whole = np.broadcast_to(whole, _length(places.entries))
        for tile, run, rows in _tiles(places.entries):
            if tile not in self._made:
                self._made[tile] = self._before.tiles[tile].copy()
            self._made[tile][rows, channel] = whole[run]

    def _reworked(self, places: Places, old: Array, k: int) -> Array:
        """What a channel becomes of its own values."""
        rule = self.rule
        if rule.measure == "clamp":
            low, high = sorted((rule.a, rule.b))
            return np.clip(old, np.float32(low), np.float32(high))
        if rule.measure == "levels":
            t = _eased(rule, between(old, *rule.range))
            return np.asarray(np.float32(rule.b) + np.float32(rule.a - rule.b) * t)
        return np.clip(self._soft[id(places)][:, k], 0, 1)


def _length(entries: Array | slice) -> int:
    return entries.stop - entries.start if isinstance(entries, slice) else len(entries)


def _tiles(entries: Array | slice) -> Iterator[tuple[int, Any, Any]]:
    """(tile, which of the entries, rows in it) for entries, a run of them or a list."""
    if isinstance(entries, slice):
        for start in range(entries.start, entries.stop, TILE):
            stop = min(start + TILE, entries.stop)
            yield start // TILE, slice(start - entries.start, stop - entries.start), slice(0, stop - start)
        return
    tiles = entries // TILE
    order = np.argsort(tiles, kind="stable")
    edges = np.flatnonzero(np.diff(tiles[order])) + 1
    for run in np.split(order, edges):
        if len(run):
            yield int(tiles[run[0]]), run, entries[run] % TILE


@dataclass(frozen=True)
class _Allowed:
    """1 on the triangles `(m,)`, and so on the vertices `(n,)`, that may be filled, 0 elsewhere."""

    triangles: Array
    vertices: Array

    def at(self, places: Places) -> Array:
        """Whether some places may be filled, `(k,) float32`."""
        return np.asarray(self.vertices[places.entries] if places.triangle is None else self.triangles[places.triangle])


def _allowed(rule: Rule, mesh: MeshData) -> _Allowed | None:
    """What a rule may fill; None for everything."""
    allowed = np.ones(len(mesh.triangles), bool)
    if rule.slot:
        found = next((s for s in mesh.slots if s.name == rule.slot), None)
        if found is None:
            raise KeyError(f"the mesh has no slot {rule.slot!r}")
        allowed[:] = False
        allowed[found.start : found.start + found.count] = True
    if rule.piece is not None:
        near = surface_index(mesh).nearest(np.array([rule.piece])).triangle[0]
        piece = mesh.pieces[mesh.triangles[:, 0]]
        allowed &= piece == piece[near]
    if allowed.all():
        return None
    vertices = np.zeros(mesh.vertex_count, np.float32)
    vertices[mesh.triangles[allowed]] = 1
    return _Allowed(allowed.astype(np.float32), vertices)


_MIXES: dict[str, Callable[[Array, Array], Array]] = {
    "replace": lambda old, new: new, "multiply": lambda old, new: old * new, "add": lambda old, new: old + new,
    "max": np.maximum, "min": np.minimum,
}  # fmt: skip
