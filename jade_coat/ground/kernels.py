"""Loops over grids of heights, compiled."""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from jade_coat.program.types import Array


@njit(cache=True, nogil=True)
def bilinear(grid: Array, places: Array) -> Array:
    """Values of a grid `(rows, columns)` at places `(n, 2)`, column and row in cells."""
    rows, columns = grid.shape
    found = np.empty(len(places), np.float64)
    for i in range(len(places)):
        x = min(max(places[i, 0], 0.0), columns - 1.0)
        y = min(max(places[i, 1], 0.0), rows - 1.0)
        x0, y0 = min(int(x), columns - 2), min(int(y), rows - 2)
        fx, fy = x - x0, y - y0
        a = grid[y0, x0] * (1 - fx) + grid[y0, x0 + 1] * fx
        b = grid[y0 + 1, x0] * (1 - fx) + grid[y0 + 1, x0 + 1] * fx
        found[i] = a * (1 - fy) + b * fy
    return found


@njit(cache=True, nogil=True)
def _inside(start: float, way: float, limit: float, near: float, far: float) -> tuple[float, float]:
    if abs(way) < 1e-12:
        return (near, far) if 0.0 <= start <= limit else (1.0, 0.0)
    a, b = -start / way, (limit - start) / way
    return max(near, min(a, b)), min(far, max(a, b))


# Long: one loop that compiled code runs through, cell by cell.
@njit(cache=True, nogil=True)
def march(grid: Array, highest: Array, side: int, step: Array, origin: Array, way: Array) -> float:
    """How far along a ray a grid of heights is met from above; below 0 where it never is.

    `highest` is the highest height of each tile of `side` cells, `step` metres a cell along x and z.
    """
    rows, columns = grid.shape
    near, far = 0.0, 1e9
    near, far = _inside(origin[0], way[0], (columns - 1) * step[0], near, far)
    near, far = _inside(origin[2], way[2], (rows - 1) * step[1], near, far)
    if near > far:
        return -1.0
    flat = math.hypot(way[0], way[2])
    nudge = min(step[0], step[1]) * 1e-4 / flat if flat > 1e-9 else 0.0  # over a border, to be in the next cell
    t = near
    while t <= far:
        x, z = (origin[0] + way[0] * t) / step[0], (origin[2] + way[2] * t) / step[1]
        column, row = min(max(int(x), 0), columns - 2), min(max(int(z), 0), rows - 2)
        tile_x, tile_y = column // side, row // side
        y = origin[1] + way[1] * t
        if flat > 1e-9:  # to where the ray leaves this tile
            out = far
            for axis in range(2):
                w = way[0] if axis == 0 else way[2]
                size = step[axis] * side
                at = tile_x if axis == 0 else tile_y
                start = origin[0] if axis == 0 else origin[2]
                if abs(w) > 1e-12:
                    edge = (at + 1) * size if w > 0 else at * size
                    out = min(out, (edge - start) / w)
            out = max(out, t + 1e-6)
            if min(y, origin[1] + way[1] * out) > highest[tile_y, tile_x]:
                t = out + nudge
                continue
        found = _in_cell(grid, column, row, step, origin, way, t - nudge, far)  # what is met within the nudge too
        if found >= 0:
            return found
        if flat <= 1e-9:
            return -1.0
        out = far + 1.0
        if abs(way[0]) > 1e-12:
            edge = (column + 1) * step[0] if way[0] > 0 else column * step[0]
            out = min(out, (edge - origin[0]) / way[0])
        if abs(way[2]) > 1e-12:
            edge = (row + 1) * step[1] if way[2] > 0 else row * step[1]
            out = min(out, (edge - origin[2]) / way[2])
        t = max(out, t) + nudge
    return -1.0


@njit(cache=True, nogil=True)
def _in_cell(
    grid: Array, column: int, row: int, step: Array, origin: Array, way: Array, near: float, far: float
) -> float:
    """Where a ray meets the bilinear surface of one cell from above: the height over it is quadratic along the ray."""
    a = grid[row, column]
    b, c = grid[row, column + 1] - a, grid[row + 1, column] - a
    d = grid[row + 1, column + 1] - grid[row, column + 1] - c
    u0, v0 = origin[0] / step[0] - column, origin[2] / step[1] - row
    du, dv = way[0] / step[0], way[2] / step[1]
    # over(t) = y(t) - (a + b u + c v + d u v)
    q = -d * du * dv
    p = way[1] - b * du - c * dv - d * (u0 * dv + v0 * du)
    o = origin[1] - (a + b * u0 + c * v0 + d * u0 * v0)
    best = -1.0
    for k in range(2):
        if abs(q) < 1e-12:
            if abs(p) < 1e-15 or k == 1:
                continue
            t = -o / p
        else:
            root = p * p - 4 * q * o
            if root < 0:
                continue
            t = (-p + (1 if k else -1) * math.sqrt(root)) / (2 * q)
        u, v = u0 + du * t, v0 + dv * t
        inside = -1e-6 <= u <= 1 + 1e-6 and -1e-6 <= v <= 1 + 1e-6
        falling = p + 2 * q * t < 0
        if inside and falling and t >= near - 1e-6 and t <= far and (best < 0 or t < best):
            best = max(t, 0.0)
    return best
