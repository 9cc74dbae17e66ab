"""Moves paint from one mesh to another: from the nearest surface that faces the same way."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from jade_coat.mesh.data import MeshData, distinct_rows
from jade_coat.mesh.painting import Paint, PaintMap, lies_in_square
from jade_coat.mesh.places import map_places
from jade_coat.mesh.surface_index import Nearest, surface_index
from jade_coat.program.types import Array

FAR = 0.02
"""The share of a mesh's size from which on a place counts as far from where its paint was."""


@dataclass(frozen=True)
class Report:
    """What a transfer did, in places (vertices or texels): how many kept their values to the bit, how many were worked
    out between old ones, how many found no surface that faces their way and took the nearest of all, and how many lay
    far from it; with the middle and the largest distance in metres."""

    places: int
    same: int
    turned: int
    far: int
    median: float
    farthest: float

    def words(self, what: str = "vertices") -> str:
        """The report as a sentence."""
        if self.same == self.places:
            return f"all {self.places:,} {what} keep their paint"
        text = f"{self.same:,} of {self.places:,} {what} keep their paint, the rest take it from the nearest surface"
        text += f" (typically {self.median * 1000:.1f} mm away, at most {self.farthest * 1000:.0f} mm)"
        if self.turned:
            text += f"; {self.turned:,} found none that faces their way"
        if self.far:
            text += f"; {self.far:,} lie far from where anything was painted"
        return text


def transferred(old: MeshData, paint: Paint, new: MeshData) -> tuple[Paint, Report]:
    """Paint for another mesh. Vertices that are the same (place, normal, UV) keep their values to the bit."""
    n = new.vertex_count
    if old is new or _same_vertices(old, new):
        return paint, Report(n, n, 0, 0, 0.0, 0.0)
    source = _same(old, new)
    values = np.zeros((n, paint.channels), np.uint16)
    values[source >= 0] = paint.at(source[source >= 0])
    rest = np.flatnonzero(source < 0)
    if not len(rest):
        return Paint.of(values), Report(n, n, 0, 0, 0.0, 0.0)
    near, turned = _nearest(old, new.positions[rest], new.normals[rest])
    values[rest] = np.round(near.values(old, paint.whole()))
    return Paint.of(values), _report(n, n - len(rest), turned, near.distance, old)


def map_transferred(
    old: MeshData, paint_map: PaintMap, new: MeshData, step: Callable[[float], None] = lambda share: None
) -> tuple[PaintMap, Report]:
    """A painted map for another mesh, whose UVs may lie elsewhere: each texel from the nearest place of the old one.

    `step` is told the share that is done; what it raises ends the work.
    """
    uv_set, count = paint_map.uv_set, paint_map.paint.count
    laid = min(uv_set, len(new.uvs) - 1)
    made = PaintMap.even(
        paint_map.side, paint_map.bits, laid, paint_map.color_set, not lies_in_square(new, laid)
    )  # fmt: skip
    if np.array_equal(old.uv(uv_set), new.uv(laid)) and np.array_equal(old.triangles, new.triangles):
        return made.with_paint(paint_map.paint), Report(count, count, 0, 0, 0.0, 0.0)
    whole = np.concatenate(made.paint.tiles)
    turned, distances = 0, [np.zeros(0)]
    for places in map_places(new, made):
        near, lost = _nearest(old, places.positions, places.normals)
        values = paint_map.sampled(near.values(old, old.uv(uv_set)))
        whole[places.entries] = np.round(values * made.paint.full)
        turned += lost
        distances.append(near.distance)
        step(sum(map(len, distances)) / count)
    away = np.concatenate(distances)
    return made.with_paint(Paint.of(whole)), _report(len(away), 0, turned, away, old)


def map_from_vertices(mesh: MeshData, paint: Paint, side: int, bits: int, uv_set: int, color_set: int = 0) -> PaintMap:
    """Paint on the vertices laid onto a new map, between the vertices as the view shows it."""
    made = PaintMap.even(side, bits, uv_set, color_set, not lies_in_square(mesh, uv_set))
    own = paint.color_set(color_set)
    if own is None or not own.any():
        return made
    whole = np.concatenate(made.paint.tiles)
    for places in map_places(mesh, made):
        whole[places.entries] = np.round(np.clip(places.of(own), 0, paint.full) * (made.paint.full / paint.full))
    return made.with_paint(Paint.of(whole).sharing(made.paint))


def vertices_from_map(mesh: MeshData, paint_map: PaintMap, paint: Paint) -> Paint:
    """Paint on the vertices as a map shows it there, in the map's colour set."""
    whole = paint.whole().copy()
    first = 4 * paint_map.color_set
    values = paint_map.sampled(mesh.uv(paint_map.uv_set))
    whole[:, first : first + 4] = np.round(values * paint.full)
    return Paint.of(whole).sharing(paint)


def _report(places: int, same: int, turned: int, away: Array, old: MeshData) -> Report:
    low, high = old.bounds
    far = int((away > float(np.linalg.norm(high - low)) * FAR).sum())
    return Report(places, same, turned, far, float(np.median(away)) if len(away) else 0.0, float(away.max(initial=0)))


def _same_vertices(old: MeshData, new: MeshData) -> bool:
    return all(np.array_equal(getattr(old, k), getattr(new, k)) for k in ("positions", "normals", "triangles"))


def _same(old: MeshData, new: MeshData) -> Array:
    """For each new vertex the old one with the same place, normal and UV, −1 for none."""
    rows = [np.concatenate([m.positions, m.normals, m.uv(0)], axis=1) for m in (old, new)]
    number = distinct_rows(np.concatenate(rows))
    first = np.full(int(number.max(initial=0)) + 1, -1, np.int64)
    first[number[: old.vertex_count][::-1]] = np.arange(old.vertex_count)[::-1]
    return np.asarray(first[number[old.vertex_count :]])


def _nearest(old: MeshData, points: Array, normals: Array) -> tuple[Nearest, int]:
    """The nearest places that face the same way, or of all where none does; and for how many none did."""
    index = surface_index(old)
    near = index.nearest(points, normals, np.pi / 2)
    lost = near.triangle < 0
    if lost.any():
        any_way = index.nearest(points[lost])
        for part in ("triangle", "weights", "distance"):
            getattr(near, part)[lost] = getattr(any_way, part)
    return near, int(lost.sum())
