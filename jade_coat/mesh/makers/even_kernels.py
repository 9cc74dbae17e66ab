"""The loop that thins points out evenly, compiled with numba; imported when first used."""

from __future__ import annotations

import numpy as np
from numba import njit


@njit(cache=True)
def thin(starts, others, weights, count, wanted):  # type: ignore[no-untyped-def]
    """Which points stay; a heap has the heaviest on top."""
    total = np.zeros(count)
    for i in range(count):
        for k in range(starts[i], starts[i + 1]):
            total[i] += weights[k]
    heap = np.argsort(-total)
    place = np.empty(count, np.int64)
    for at in range(count):
        place[heap[at]] = at
    kept = np.ones(count, np.bool_)
    size = count
    while size > wanted:
        top = heap[0]
        kept[top] = False
        size -= 1
        heap[0] = heap[size]
        place[heap[0]] = 0
        _sink(heap, place, total, 0, size)
        for k in range(starts[top], starts[top + 1]):
            other = others[k]
            if kept[other]:
                total[other] -= weights[k]
                _sink(heap, place, total, place[other], size)
    return kept


@njit(cache=True)
def _sink(heap, place, total, at, size):  # type: ignore[no-untyped-def]
    """Let an entry that became lighter go down to its place."""
    while True:
        child = 2 * at + 1
        if child >= size:
            return
        if child + 1 < size and total[heap[child + 1]] > total[heap[child]]:
            child += 1
        if total[heap[child]] <= total[heap[at]]:
            return
        heap[at], heap[child] = heap[child], heap[at]
        place[heap[at]], place[heap[child]] = at, child
        at = child
