"""Points that lie evenly without a grid, in an order of which every beginning lies evenly too.

Yuksel 2015, Sample Elimination for Generating Poisson Disk Sample Sets (Computer Graphics Forum 34/2): of many random
points those that crowd most are left out one by one. Left out again down to half as many, and half of these, they are
in the order that a thinner and thinner spread keeps.
"""

from __future__ import annotations

import math
from functools import cache
from importlib.resources import files

import numpy as np
from numba import njit

from jade_coat.program.types import Array

COUNT = 16384
"""Points of the tile that comes along."""
CROWD = 5
"""So many times as many random points are begun with."""
PARTS = 4
"""The tile falls into so many squares along each edge."""
FILE = "blue_noise.npy"


def ranked_tile(count: int, seed: int = 1) -> Array:
    """Points `(count, 2)` of the unit square, which goes on at its edges; the first `k` of them lie evenly, any `k`."""
    points = np.random.default_rng(seed).random((count * CROWD, 2))
    left = points[_order(points, count)[:count]]
    tail: list[Array] = []
    while len(left) > 3:
        half = len(left) // 2
        order = _order(left, half)
        tail.append(left[order[half:]])
        left = left[order[:half]]
    return np.concatenate([left, *tail[::-1]])


def closest_packing(count: int) -> float:
    """How far so many points of a unit square can lie from each other at the most: that of a hexagonal grid."""
    return math.sqrt(2.0 / (math.sqrt(3.0) * count))


def _order(points: Array, keep: int) -> Array:
    """The numbers of points: first those that are left, then the others, the last to go out first."""
    reach = closest_packing(keep)
    side = max(int(1.0 / reach), 1)
    cells = (np.floor(points * side).astype(np.int64) % side) @ np.array([side, 1])
    by_cell = np.argsort(cells, kind="stable")
    starts = np.searchsorted(cells[by_cell], np.arange(side * side + 1))
    return np.asarray(_eliminated(points, keep, reach, side, by_cell, starts))


# Long: one loop that compiled code runs through, with its heap.
@njit(cache=True, nogil=True)
def _eliminated(points: Array, keep: int, reach: float, side: int, by_cell: Array, starts: Array) -> Array:
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


@cache
def tile() -> Array:
    """The tile that comes along: `ranked_tile(COUNT)` in 16 bits, `(COUNT, 2)` in the unit square."""
    with (files("jade_coat.ground") / FILE).open("rb") as file:
        made = np.load(file, allow_pickle=False).astype(np.float64)
    return np.asarray((made + 0.5) / 65536.0)
