"""The loop that leaves points out one by one, compiled with numba; imported when first used."""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from jade_coat.program.types import Array


# Long: one loop that compiled code runs through, with its heap.
@njit(cache=True, nogil=True)
def eliminated(points: Array, keep: int, reach: float, side: int, by_cell: Array, starts: Array) -> Array:
    """The numbers of points `(n, 2)` of the unit square: first the `keep` that are left, then those left out, the last
    first. `by_cell` has them by the cells of a grid of `side` along each edge, which begin at `starts`."""
    count = len(points)
    weights = np.zeros(count)
    heap = np.arange(count)
    place = np.arange(count)
    least = reach * (1 - (keep / count) ** 1.5) * 0.65  # his weight limiting, against clumps of the random points
    order = np.empty(count, np.int64)
    for turn in range(count + 1):
        if turn == 0:
            for i in range(count):
                weights[i] = _crowding(points, i, reach, least, side, by_cell, starts)
            for at in range(count // 2 - 1, -1, -1):
                _sink(heap, place, weights, at, count)
            continue
        size = count - turn
        if size < keep:
            break
        worst = heap[0]
        order[size] = worst
        heap[0] = heap[size]
        place[heap[0]] = 0
        place[worst] = -1
        _sink(heap, place, weights, 0, size)
        cx, cy = int(points[worst, 0] * side) % side, int(points[worst, 1] * side) % side
        for dx in range(-1, 2) if side > 2 else range(side):
            for dy in range(-1, 2) if side > 2 else range(side):
                column, row = ((cx + dx) % side, (cy + dy) % side) if side > 2 else (dx, dy)
                cell = column * side + row
                for k in range(starts[cell], starts[cell + 1]):
                    other = by_cell[k]
                    if place[other] < 0:
                        continue
                    w = _pull(points, worst, other, reach, least)
                    if w > 0:
                        weights[other] -= w
                        _sink(heap, place, weights, place[other], size)
    for i in range(keep):
        order[i] = heap[i]
    return order


@njit(cache=True, nogil=True)
def _crowding(
    points: Array, i: int, reach: float, least: float, side: int, by_cell: Array, starts: Array
) -> float:  # fmt: skip
    cx, cy = int(points[i, 0] * side) % side, int(points[i, 1] * side) % side
    total = 0.0
    for dx in range(-1, 2) if side > 2 else range(side):
        for dy in range(-1, 2) if side > 2 else range(side):
            column, row = ((cx + dx) % side, (cy + dy) % side) if side > 2 else (dx, dy)
            cell = column * side + row
            for k in range(starts[cell], starts[cell + 1]):
                if by_cell[k] != i:
                    total += _pull(points, i, by_cell[k], reach, least)
    return total


@njit(cache=True, nogil=True)
def _pull(points: Array, a: int, b: int, reach: float, least: float) -> float:
    dx, dy = abs(points[a, 0] - points[b, 0]), abs(points[a, 1] - points[b, 1])
    away = math.hypot(min(dx, 1 - dx), min(dy, 1 - dy))
    if away >= reach:
        return 0.0
    return (1 - max(away, least) / reach) ** 8


@njit(cache=True, nogil=True)
def _sink(heap: Array, place: Array, weights: Array, at: int, size: int) -> None:
    while True:
        largest = at
        for child in (2 * at + 1, 2 * at + 2):
            if child < size and weights[heap[child]] > weights[heap[largest]]:
                largest = child
        if largest == at:
            return
        a, b = heap[at], heap[largest]
        heap[at], heap[largest] = b, a
        place[a], place[b] = largest, at
        at = largest
