"""Draws triangles into UV space: which triangle covers each texel, and where in it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from jade_coat.program.types import Array


@dataclass(frozen=True)
class Coverage:
    """For a square of texels: the triangle at each `(side, side) int32` (−1: none) and weights `(side, side, 2)`.

    The weights belong to the triangle's second and third corner. `overlap` is the share of covered texels that lie
    well inside more than one triangle.
    """

    triangle: Array
    weights: Array
    overlap: float

    @property
    def filled(self) -> float:
        """The share of texels covered."""
        return float((self.triangle >= 0).mean())


def cover(uv: Array, triangles: Array, side: int) -> Coverage:
    """Rasterise triangles `(m, 3)` with UVs `(n, 2)` in 0–1 at texel centres of a `side` × `side` map."""
    from jade_coat.bake.kernels import draw_triangles

    triangle = np.full((side, side), -1, np.int32)
    weights = np.zeros((side, side, 2), np.float32)
    inner = np.zeros((side, side), np.uint8)
    draw_triangles(np.ascontiguousarray(uv[triangles], np.float64), side, triangle, weights, inner)
    covered = max(int((triangle >= 0).sum()), 1)
    return Coverage(triangle, weights, float((inner > 1).sum()) / covered)


def nearest_covered(coverage: Coverage) -> tuple[tuple[Array, Array], tuple[Array, Array]]:
    """Rows and columns of the empty texels, and those of the covered texel nearest to each: to fill gutters."""
    from scipy import ndimage

    empty = coverage.triangle < 0
    at = np.nonzero(empty)
    if not len(at[0]) or empty.all():
        return (at[0][:0], at[1][:0]), (at[0][:0], at[1][:0])
    rows, columns = ndimage.distance_transform_edt(empty, return_distances=False, return_indices=True)
    return (at[0], at[1]), (rows[at], columns[at])


def blend(values: Array, triangles: Array, weights: Array) -> Array:
    """Interpolate vertex values `(n, k)` at points of triangles `(m, 3)` with weights `(m, 2)`; `(k, m) float32`."""
    from jade_coat.bake.kernels import blend_values

    out = np.empty((values.shape[1], len(triangles)), np.float32)
    blend_values(np.ascontiguousarray(values, np.float32), triangles, weights, out)
    return out
