"""Loops over triangles, vertices and texels, compiled with numba; imported when first used."""

from __future__ import annotations

from typing import Any

import numba
import numpy as np

from jade_coat.program.types import Array

_jit: Any = numba.njit(nogil=True, cache=True)
LEAF = 4
"""Triangles in a leaf of the box tree."""


@_jit
def nearest_on_triangle(p: Array, a: Array, b: Array, c: Array) -> tuple[float, float, float]:
    """Squared distance from a point to a triangle, and the weights of its second and third corner there.

    Ericson, Real-Time Collision Detection, 2004, section 5.1.5.
    """
    ab0, ab1, ab2 = b[0] - a[0], b[1] - a[1], b[2] - a[2]
    ac0, ac1, ac2 = c[0] - a[0], c[1] - a[1], c[2] - a[2]
    ap0, ap1, ap2 = p[0] - a[0], p[1] - a[1], p[2] - a[2]
    d1 = ab0 * ap0 + ab1 * ap1 + ab2 * ap2
    d2 = ac0 * ap0 + ac1 * ap1 + ac2 * ap2
    bp0, bp1, bp2 = p[0] - b[0], p[1] - b[1], p[2] - b[2]
    d3 = ab0 * bp0 + ab1 * bp1 + ab2 * bp2
    d4 = ac0 * bp0 + ac1 * bp1 + ac2 * bp2
    cp0, cp1, cp2 = p[0] - c[0], p[1] - c[1], p[2] - c[2]
    d5 = ab0 * cp0 + ab1 * cp1 + ab2 * cp2
    d6 = ac0 * cp0 + ac1 * cp1 + ac2 * cp2
    va, vb, vc = d3 * d6 - d5 * d4, d5 * d2 - d1 * d6, d1 * d4 - d3 * d2
    if d1 <= 0.0 and d2 <= 0.0:
        v, w = 0.0, 0.0
    elif d3 >= 0.0 and d4 <= d3:
        v, w = 1.0, 0.0
    elif d6 >= 0.0 and d5 <= d6:
        v, w = 0.0, 1.0
    elif vc <= 0.0 and d1 >= 0.0 and d3 <= 0.0:
        v, w = d1 / (d1 - d3), 0.0
    elif vb <= 0.0 and d2 >= 0.0 and d6 <= 0.0:
        v, w = 0.0, d2 / (d2 - d6)
    elif va <= 0.0 and (d4 - d3) >= 0.0 and (d5 - d6) >= 0.0:
        w = (d4 - d3) / ((d4 - d3) + (d5 - d6))
        v = 1.0 - w
    else:
        share = 1.0 / (va + vb + vc)
        v, w = vb * share, vc * share
    x, y, z = ap0 - ab0 * v - ac0 * w, ap1 - ab1 * v - ac1 * w, ap2 - ab2 * v - ac2 * w
    return x * x + y * y + z * z, v, w


@_jit
def _box_distance2(low: Array, high: Array, p: Array) -> float:
    total = 0.0
    for k in range(3):
        away = max(low[k] - p[k], 0.0, p[k] - high[k])
        total += away * away
    return total


@_jit
def triangles_in_ball(
    low: Array, high: Array, order: Array, positions: Array, triangles: Array, allowed: Array, p: Array, radius: float,
    out: Array,
) -> int:  # fmt: skip
    """Triangles that reach into a ball, written to `out`; returns how many. `allowed` `(m,) uint8` rules some out."""
    r2, leaves, found = radius * radius, len(low) // 2, 0
    stack = np.empty(128, np.int64)
    stack[0], top = 1, 1
    while top:
        top -= 1
        node = stack[top]
        if _box_distance2(low[node], high[node], p) > r2:
            continue
        if node < leaves:
            stack[top], stack[top + 1] = 2 * node, 2 * node + 1
            top += 2
            continue
        first = (node - leaves) * LEAF
        for i in range(first, min(first + LEAF, len(order))):
            t = order[i]
            if not allowed[t]:
                continue
            a, b, c = positions[triangles[t, 0]], positions[triangles[t, 1]], positions[triangles[t, 2]]
            if nearest_on_triangle(p, a, b, c)[0] <= r2:
                out[found] = t
                found += 1
    return found


@_jit
def triangles_reached(
    start: int, beside: Array, positions: Array, triangles: Array, allowed: Array, p: Array, radius: float,
    stamp: Array, mark: int, out: Array,
) -> int:  # fmt: skip
    """Triangles of a ball that can be walked to from `start` without leaving it, written to `out`; how many."""
    r2, found, at = radius * radius, 0, 0
    out[0] = start
    stamp[start] = mark
    found = 1
    while at < found:
        t = out[at]
        at += 1
        for k in range(3):
            n = beside[t, k]
            if n < 0 or stamp[n] == mark:
                continue
            stamp[n] = mark
            if not allowed[n]:
                continue
            a, b, c = positions[triangles[n, 0]], positions[triangles[n, 1]], positions[triangles[n, 2]]
            if nearest_on_triangle(p, a, b, c)[0] <= r2:
                out[found] = n
                found += 1
    return found


@_jit
def _faces(normals: Array, ia: int, ib: int, ic: int, v: float, w: float, wanted: Array, least_cosine: float) -> bool:
    """Whether the normal at a place of a triangle is near a wanted one."""
    if least_cosine <= -1.0:
        return True
    u, along, square = 1.0 - v - w, 0.0, 0.0
    for k in range(3):
        c = u * normals[ia, k] + v * normals[ib, k] + w * normals[ic, k]
        along += c * wanted[k]
        square += c * c
    return along >= least_cosine * np.sqrt(square) - 1e-6


@_jit
def nearest_points(
    low: Array, high: Array, order: Array, positions: Array, normals: Array, triangles: Array, points: Array,
    wanted: Array, least_cosine: float, owner: Array, weights: Array, distance: Array,
) -> None:  # fmt: skip
    """For each point the nearest place on the surface whose normal is near the wanted one; `owner` −1 for none."""
    leaves = len(low) // 2
    stack = np.empty(128, np.int64)
    last = -1
    for n in range(len(points)):
        p = points[n]
        best, owner[n] = np.inf, -1
        if last >= 0:  # points come side by side: the last one's triangle is a good guess, and prunes the tree
            ia, ib, ic = triangles[last, 0], triangles[last, 1], triangles[last, 2]
            d2, v, w = nearest_on_triangle(p, positions[ia], positions[ib], positions[ic])
            if _faces(normals, ia, ib, ic, v, w, wanted[n], least_cosine):
                best = d2
                owner[n], weights[n, 0], weights[n, 1] = last, v, w
        stack[0], top = 1, 1
        while top:
            top -= 1
            node = stack[top]
            if _box_distance2(low[node], high[node], p) >= best:
                continue
            if node < leaves:
                near, far = 2 * node, 2 * node + 1
                if _box_distance2(low[far], high[far], p) < _box_distance2(low[near], high[near], p):
                    near, far = far, near
                stack[top], stack[top + 1] = far, near
                top += 2
                continue
            first = (node - leaves) * LEAF
            for i in range(first, min(first + LEAF, len(order))):
                t = order[i]
                ia, ib, ic = triangles[t, 0], triangles[t, 1], triangles[t, 2]
                d2, v, w = nearest_on_triangle(p, positions[ia], positions[ib], positions[ic])
                if d2 < best and _faces(normals, ia, ib, ic, v, w, wanted[n], least_cosine):
                    best = d2
                    owner[n], weights[n, 0], weights[n, 1] = t, v, w
        distance[n] = np.sqrt(best)
        last = owner[n]


@_jit
def vertices_in_ball(
    reached: Array, positions: Array, normals: Array, triangles: Array, p: Array, radius: float, facing: Array,
    least_cosine: float, stamp: Array, mark: int, out: Array,
) -> int:  # fmt: skip
    """The vertices of some triangles that lie in a ball and face a way, each once; returns how many."""
    r2, found = radius * radius, 0
    for i in range(len(reached)):
        for k in range(3):
            n = triangles[reached[i], k]
            if stamp[n] == mark:
                continue
            stamp[n] = mark
            x, y, z = positions[n, 0] - p[0], positions[n, 1] - p[1], positions[n, 2] - p[2]
            if x * x + y * y + z * z >= r2:
                continue
            along = normals[n, 0] * facing[0] + normals[n, 1] * facing[1] + normals[n, 2] * facing[2]
            if along >= least_cosine - 1e-6:
                out[found] = n
                found += 1
    return found


@_jit
def lay(
    before: Array, work: Array, done: Array, rows: Array, distance: Array, table: Array, channels: Array,
    target: float, full: float, strength: float, flow: float,
) -> None:  # fmt: skip
    """Lead a tile's values towards a target: `done` `(rows,)` holds how far the stroke has led each row so far.

    `table` gives the weight of a dab at distances from 0 to 1. With a flow of 1 a row goes as far as the strongest dab
    on it; below, every dab adds that share of what is left up to the strength.
    """
    last = len(table) - 1
    for i in range(len(rows)):
        at = distance[i] * last
        low = min(int(at), last - 1)
        share = table[low] + (table[low + 1] - table[low]) * (at - low)
        r = rows[i]
        far = share * strength
        if flow < 1.0:
            far = done[r] + max(strength - done[r], 0.0) * share * flow
        if far <= done[r]:
            continue
        done[r] = far
        for k in range(len(channels)):
            old = float(before[r, channels[k]])
            work[r, channels[k]] = int(np.floor(old + (target * full - old) * far + 0.5))


@_jit
def _cell(keys: Array, key: int) -> int:
    """Where a key stands in an open hash table, or the empty place (−1 there) it would take."""
    mask = len(keys) - 1
    h = np.uint64(key) * np.uint64(0x9E3779B97F4A7C15)
    at = int(h >> np.uint64(20)) & mask
    while keys[at] != -1 and keys[at] != key:
        at = (at + 1) & mask
    return at


# Long: one compiled loop.
@_jit
def soften(
    positions: Array, normals: Array, values: Array, cell: float, low: Array, keys: Array, sums: Array, used: int,
    gather: bool,
) -> int:  # fmt: skip
    """Add values `(n, k)` at places to the cells of a grid in space, or read the means of the cells back into them.

    Each place counts for the eight cells around it, and for the directions it faces with the squares of its normal,
    so that the two sides of a thin wall stay apart. `keys` `(cells,)` and `sums` `(cells, k + 1)` are a hash table
    whose length is a power of two. Returns how many cells are used, `used` before, or −1 when it is too full.
    """
    k = values.shape[1]
    new = np.empty(k)
    for n in range(len(positions)):
        total = 0.0
        new[:] = 0.0
        gx, gy = (positions[n, 0] - low[0]) / cell, (positions[n, 1] - low[1]) / cell
        gz = (positions[n, 2] - low[2]) / cell
        x, y, z = int(np.floor(gx)), int(np.floor(gy)), int(np.floor(gz))
        fx, fy, fz = gx - x, gy - y, gz - z
        for axis in range(3):
            facing = normals[n, axis] * normals[n, axis]
            if facing < 1e-3:
                continue
            side = 2 * axis + (1 if normals[n, axis] < 0 else 0)
            for corner in range(8):
                i, j, m = corner & 1, (corner >> 1) & 1, corner >> 2
                share = facing * (fx if i else 1 - fx) * (fy if j else 1 - fy) * (fz if m else 1 - fz)
                if share <= 0.0:
                    continue
                key = ((((x + i) * 1048576 + (y + j)) * 1048576) + (z + m)) * 6 + side
                at = _cell(keys, key)
                if gather:
                    if keys[at] == key and sums[at, k] > 0:
                        total += share
                        for c in range(k):
                            new[c] += share * sums[at, c] / sums[at, k]
                    continue
                if keys[at] == -1:
                    keys[at] = key
                    used += 1
                    if used * 3 > len(keys) * 2:
                        return -1
                for c in range(k):
                    sums[at, c] += share * values[n, c]
                sums[at, k] += share
        if gather and total > 0:
            for c in range(k):
                values[n, c] = new[c] / total
    return used
