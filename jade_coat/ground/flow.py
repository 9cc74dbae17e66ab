"""Where water runs on a grid of heights: filled pits, and how much land drains through each cell."""

from __future__ import annotations

import heapq
import math

import numpy as np
from numba import njit

from jade_coat.program.types import Array

_ROWS = np.array([-1, -1, -1, 0, 0, 1, 1, 1])
_COLUMNS = np.array([-1, 0, 1, -1, 1, -1, 0, 1])
_FACETS = np.array([[0, 1, -1, 1], [-1, 0, -1, 1], [-1, 0, -1, -1], [0, -1, -1, -1],
                    [0, -1, 1, -1], [1, 0, 1, -1], [1, 0, 1, 1], [0, 1, 1, 1]])  # fmt: skip
"""The cells beside and aslant of the eight facets round a cell, row and column each (Tarboton 1997, figure 3)."""


@njit(cache=True, nogil=True)
def filled(heights: Array, slope: float = 0.0) -> Array:
    """Heights `(rows, columns)` with every pit filled to where it spills; what is filled falls by `slope` a cell.

    Barnes, Lehman & Mulla 2014, Priority-flood (algorithms 1 and 3), DOI 10.1016/j.cageo.2013.04.024.
    """
    rows, columns = heights.shape
    found = heights.astype(np.float64)
    done = np.zeros((rows, columns), np.bool_)
    heap = [(0.0, 0, 0)]
    heap.pop()
    for r in range(rows):
        for c in range(columns):
            if r in (0, rows - 1) or c in (0, columns - 1):
                heapq.heappush(heap, (found[r, c], r, c))
                done[r, c] = True
    while len(heap):
        at, r, c = heapq.heappop(heap)
        for k in range(8):
            i, j = r + _ROWS[k], c + _COLUMNS[k]
            if 0 <= i < rows and 0 <= j < columns and not done[i, j]:
                done[i, j] = True
                found[i, j] = max(found[i, j], at + slope)
                heapq.heappush(heap, (found[i, j], i, j))
    return found


@njit(cache=True, nogil=True)
def receivers(heights: Array, spacing: float) -> Array:
    """The cell that each drains into, by its number; itself where none is lower (O'Callaghan & Mark 1984, D8)."""
    rows, columns = heights.shape
    found = np.empty(rows * columns, np.int64)
    for r in range(rows):
        for c in range(columns):
            best, at = 0.0, r * columns + c
            for k in range(8):
                i, j = r + _ROWS[k], c + _COLUMNS[k]
                if 0 <= i < rows and 0 <= j < columns:
                    away = spacing * (math.sqrt(2.0) if _ROWS[k] != 0 and _COLUMNS[k] != 0 else 1.0)
                    fall = (heights[r, c] - heights[i, j]) / away
                    if fall > best:
                        best, at = fall, i * columns + j
            found[r * columns + c] = at
    return found


@njit(cache=True, nogil=True)
def drained(heights: Array, spacing: float) -> Array:
    """How many cells drain through each, itself among them, `(rows, columns)` (O'Callaghan & Mark 1984, D8)."""
    rows, columns = heights.shape
    into = receivers(heights, spacing)
    found = np.ones(rows * columns, np.float64)
    order = np.argsort(heights.ravel())
    for n in range(len(order) - 1, -1, -1):
        cell = order[n]
        if into[cell] != cell:
            found[into[cell]] += found[cell]
    return found.reshape(rows, columns)


@njit(cache=True, nogil=True)
def spread(heights: Array, spacing: float) -> Array:
    """The same where what a cell drains is shared by the two cells that its steepest way lies between (D-infinity).

    Tarboton 1997, DOI 10.1029/96WR03137, equations 1 to 5.
    """
    rows, columns = heights.shape
    found = np.ones((rows, columns), np.float64)
    order = np.argsort(heights.ravel())
    for n in range(len(order) - 1, -1, -1):
        r, c = order[n] // columns, order[n] % columns
        best, turn, facet = 0.0, 0.0, -1
        for k in range(8):
            i1, j1, i2, j2 = r + _FACETS[k, 0], c + _FACETS[k, 1], r + _FACETS[k, 2], c + _FACETS[k, 3]
            if min(i1, i2, j1, j2) < 0 or max(i1, i2) >= rows or max(j1, j2) >= columns:
                continue
            s1 = (heights[r, c] - heights[i1, j1]) / spacing
            s2 = (heights[i1, j1] - heights[i2, j2]) / spacing
            angle, fall = math.atan2(s2, s1), math.hypot(s1, s2)
            if angle < 0:
                angle, fall = 0.0, s1
            elif angle > math.pi / 4:
                angle, fall = math.pi / 4, (heights[r, c] - heights[i2, j2]) / (spacing * math.sqrt(2.0))
            if fall > best:
                best, turn, facet = fall, angle, k
        if facet >= 0:
            aslant = turn / (math.pi / 4)
            found[r + _FACETS[facet, 0], c + _FACETS[facet, 1]] += found[r, c] * (1 - aslant)
            found[r + _FACETS[facet, 2], c + _FACETS[facet, 3]] += found[r, c] * aslant
    return found


@njit(cache=True, nogil=True)
def eroded(heights: Array, spacing: float, strength: float, rounds: int, rise: Array) -> Array:
    """Heights after rounds of streams that cut in by what drains through them, while the land rises.

    The implicit stream-power law with exponents 0.5 and 1 (Braun & Willett 2013, DOI 10.1016/j.geomorph.2012.10.008).
    """
    rows, columns = heights.shape
    found = heights.astype(np.float64)
    for _ in range(rounds):
        found = filled(found + rise, 1e-5 * spacing)
        into = receivers(found, spacing)
        order = np.argsort(found.ravel())
        area = np.ones(rows * columns, np.float64)
        for n in range(len(order) - 1, -1, -1):
            if into[order[n]] != order[n]:
                area[into[order[n]]] += area[order[n]]
        flat = found.ravel()
        for n in range(len(order)):  # the lowest first: what it drains into is there already
            cell = order[n]
            to = into[cell]
            if to != cell:
                cut = strength * math.sqrt(area[cell])
                flat[cell] = (flat[cell] + cut * flat[to]) / (1 + cut)
        found = flat.reshape(rows, columns)
    return found
