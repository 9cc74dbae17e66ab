"""Loops compiled with numba: drawing triangles into a map; imported when first used."""

from __future__ import annotations

import numba
import numpy as np

from jade_coat.program.types import Array


@numba.njit(nogil=True, cache=True)
def draw_triangles(corners: Array, side: int, triangle: Array, weights: Array, inner: Array) -> None:
    """Write which triangle `(m, 3, 2)` in 0–1 covers each texel centre first, and count those that lie well over it."""
    for t in range(corners.shape[0]):
        ax, ay = corners[t, 0, 0] * side, corners[t, 0, 1] * side
        bx, by = corners[t, 1, 0] * side, corners[t, 1, 1] * side
        cx, cy = corners[t, 2, 0] * side, corners[t, 2, 1] * side
        area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
        if abs(area) < 1e-12:
            continue
        share = 1.0 / area
        x0, x1 = max(int(np.floor(min(ax, bx, cx) - 0.5)), 0), min(int(np.ceil(max(ax, bx, cx) - 0.5)), side - 1)
        y0, y1 = max(int(np.floor(min(ay, by, cy) - 0.5)), 0), min(int(np.ceil(max(ay, by, cy) - 0.5)), side - 1)
        for y in range(y0, y1 + 1):
            for x in range(x0, x1 + 1):
                px, py = x + 0.5, y + 0.5
                v = ((px - ax) * (cy - ay) - (py - ay) * (cx - ax)) * share
                w = ((bx - ax) * (py - ay) - (by - ay) * (px - ax)) * share
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
