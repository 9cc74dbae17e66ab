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
    from jade_coat.ground.blue_noise_kernels import eliminated  # slow to import; a start need not wait for it

    reach = closest_packing(keep)
    side = max(int(1.0 / reach), 1)
    cells = (np.floor(points * side).astype(np.int64) % side) @ np.array([side, 1])
    by_cell = np.argsort(cells, kind="stable")
    starts = np.searchsorted(cells[by_cell], np.arange(side * side + 1))
    return np.asarray(eliminated(points, keep, reach, side, by_cell, starts))


@cache
def tile() -> Array:
    """The tile that comes along: `ranked_tile(COUNT)` in 16 bits, `(COUNT, 2)` in the unit square."""
    with (files("jade_coat.ground") / FILE).open("rb") as file:
        made = np.load(file, allow_pickle=False).astype(np.float64)
    return np.asarray((made + 0.5) / 65536.0)
