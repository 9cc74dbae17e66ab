"""Even sets of points: blue noise, by taking the most crowded of many away, and what is put where it is emptiest."""

from __future__ import annotations

import math

import numpy as np

from jade_coat.program.types import Array

TIMES = 5
"""How many points there are to choose from, for each that is wanted."""
POWER = 8.0


def spacing(measure: float, dimensions: int, count: int) -> float:
    """Half the distance that so many points can at most keep in a length, an area or a volume.

    Yuksel, Sample Elimination for Generating Poisson Disk Sample Sets, 2015, section 3.
    """
    if dimensions == 1:
        return measure / (2 * count)
    if dimensions == 2:
        return math.sqrt(measure / (2 * math.sqrt(3) * count))
    return (measure / (4 * math.sqrt(2) * count)) ** (1 / 3)


def thinned(points: Array, wanted: int, radius: float) -> Array:
    """The indices of so many of some points `(n, 3)` that lie evenly; `radius` is that of `spacing`.

    The point is taken away whose neighbours lie nearest, by the weights of Yuksel 2015, again and again.
    """
    if wanted >= len(points):
        return np.arange(len(points))
    from scipy.spatial import cKDTree  # slow to import, and the loops slower; a start need not wait for them

    from jade_coat.mesh.makers.even_kernels import thin

    pairs = cKDTree(points).query_pairs(2 * radius, output_type="ndarray")
    away = np.linalg.norm(points[pairs[:, 0]] - points[pairs[:, 1]], axis=1)
    # What is nearer than a share of the distance counts as that near, so that no pair outweighs all others.
    near = max(1 - (wanted / len(points)) ** 1.5, 0.0) * 0.65
    weight = (1 - np.maximum(away, near * 2 * radius) / (2 * radius)) ** POWER
    ends = np.concatenate([pairs, pairs[:, ::-1]])
    order = np.argsort(ends[:, 0], kind="stable")
    starts = np.searchsorted(ends[order, 0], np.arange(len(points) + 1))
    kept = thin(starts, ends[order, 1], np.concatenate([weight, weight])[order], len(points), wanted)
    return np.asarray(np.flatnonzero(kept))


def emptiest(points: Array, taken: Array, more: int) -> Array:
    """The indices of `more` further points, each where it lies farthest from all that are taken before it."""
    if not len(taken) or not more:
        return np.arange(more if not len(taken) else 0)
    from scipy.spatial import cKDTree

    away = cKDTree(points[taken]).query(points)[0]
    found = []
    for _ in range(more):
        best = int(away.argmax())
        found.append(best)
        away = np.minimum(away, np.linalg.norm(points - points[best], axis=1))
    return np.array(found, np.int64)


def uncovered(places: Array, radius: Array, overlap: float, free: Array) -> Array:
    """Which of some discs stay, the largest first, where no two may cover each other by more than a share.

    `places` `(n, 3)`, `radius` `(n,)`; those that are `free` neither make way nor are made way for.
    """
    kept = np.ones(len(places), bool)
    if overlap >= 1:
        return kept
    from scipy.spatial import cKDTree

    tree, done = cKDTree(places), np.zeros(len(places), bool)
    for i in np.argsort(-radius, kind="stable"):
        done[i] = True
        if not kept[i] or free[i]:
            continue
        near = np.array(tree.query_ball_point(places[i], float(2 * radius[i]) * (1 - overlap)))
        away = np.linalg.norm(places[near] - places[i], axis=1)
        covered = away < (radius[i] + radius[near]) * (1 - overlap)
        kept[near[covered & ~done[near] & ~free[near]]] = False
    return kept
