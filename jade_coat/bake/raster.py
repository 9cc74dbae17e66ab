"""Draws triangles into UV space: which triangle covers each texel, and where in it."""

from __future__ import annotations

from dataclasses import dataclass

import numba
import numpy as np
from scipy import ndimage

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


@numba.njit(nogil=True, cache=True)
def _draw(corners: Array, side: int, triangle: Array, weights: Array, inner: Array) -> None:
    for t in range(corners.shape[0]):
        ax, ay = corners[t, 0, 0] * side, corners[t, 0, 1] * side
        bx, by = corners[t, 1, 0] * side, corners[t, 1, 1] * side
        cx, cy = corners[t, 2, 0] * side, corners[t, 2, 1] * side
        area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
        if abs(area) < 1e-12:
            continue
        x0, x1 = max(int(np.floor(min(ax, bx, cx) - 0.5)), 0), min(int(np.ceil(max(ax, bx, cx) - 0.5)), side - 1)
        y0, y1 = max(int(np.floor(min(ay, by, cy) - 0.5)), 0), min(int(np.ceil(max(ay, by, cy) - 0.5)), side - 1)
        for y in range(y0, y1 + 1):
            for x in range(x0, x1 + 1):
                px, py = x + 0.5, y + 0.5
                v = ((px - ax) * (cy - ay) - (py - ay) * (cx - ax)) / area
                w = ((bx - ax) * (py - ay) - (by - ay) * (px - ax)) / area
                u = 1.0 - v - w
                least = min(u, v, w)
                if least < -1e-6:
                    continue
                if least * abs(area) > 0.02:
                    inner[y, x] += 1
                if triangle[y, x] < 0:
                    triangle[y, x] = t
                    weights[y, x, 0] = v
                    weights[y, x, 1] = w


def cover(uv: Array, triangles: Array, side: int) -> Coverage:
    """Rasterise triangles `(m, 3)` with UVs `(n, 2)` in 0–1 at texel centres of a `side` × `side` map."""
    triangle = np.full((side, side), -1, np.int32)
    weights = np.zeros((side, side, 2), np.float32)
    inner = np.zeros((side, side), np.uint8)
    _draw(np.ascontiguousarray(uv[triangles], np.float64), side, triangle, weights, inner)
    covered = max(int((triangle >= 0).sum()), 1)
    return Coverage(triangle, weights, float((inner > 1).sum()) / covered)


def nearest_covered(coverage: Coverage) -> tuple[Array, Array]:
    """For every texel the row and column of the nearest covered one: fills the gutters between islands."""
    empty = coverage.triangle < 0
    rows, columns = ndimage.distance_transform_edt(empty, return_distances=False, return_indices=True)
    return rows, columns
