"""Loops over the straight parts of paths, compiled with numba; imported when first used."""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from jade_coat.program.types import Array


@njit(cache=True, nogil=True)
def _away(part: Array, x: float, z: float) -> float:
    """How far a place is from the edge of one straight part, metres; 0 on it."""
    dx, dz = part[2] - part[0], part[3] - part[1]
    along = dx * dx + dz * dz
    t = ((x - part[0]) * dx + (z - part[1]) * dz) / along if along > 0.0 else 0.0
    t = min(max(t, 0.0), 1.0)
    return max(math.hypot(x - part[0] - t * dx, z - part[1] - t * dz) - part[4], 0.0)


@njit(cache=True, nogil=True)
def to_places(parts: Array, at: Array, reach: float) -> Array:
    """How far places `(n, 2)` are from the nearest edge of parts `(k, 5)`, metres, at the most `reach`."""
    found = np.full(len(at), reach)
    for i in range(len(at)):
        for k in range(len(parts)):
            by = found[i] + parts[k, 4]
            if at[i, 0] + by < min(parts[k, 0], parts[k, 2]) or at[i, 0] - by > max(parts[k, 0], parts[k, 2]):
                continue
            if at[i, 1] + by < min(parts[k, 1], parts[k, 3]) or at[i, 1] - by > max(parts[k, 1], parts[k, 3]):
                continue
            found[i] = min(found[i], _away(parts[k], at[i, 0], at[i, 1]))
    return found


@njit(cache=True, nogil=True)
def to_grid(parts: Array, rows: int, columns: int, dx: float, dz: float, reach: float) -> Array:
    """The same of the cells of a grid `(rows, columns)` whose first lies at 0, those within reach alone."""
    found = np.full((rows, columns), reach)
    for k in range(len(parts)):
        by = reach + parts[k, 4]
        left = max(math.floor((min(parts[k, 0], parts[k, 2]) - by) / dx), 0)
        right = min(math.ceil((max(parts[k, 0], parts[k, 2]) + by) / dx) + 1, columns)
        top = max(math.floor((min(parts[k, 1], parts[k, 3]) - by) / dz), 0)
        bottom = min(math.ceil((max(parts[k, 1], parts[k, 3]) + by) / dz) + 1, rows)
        for r in range(top, bottom):
            for c in range(left, right):
                found[r, c] = min(found[r, c], _away(parts[k], c * dx, r * dz))
    return found
