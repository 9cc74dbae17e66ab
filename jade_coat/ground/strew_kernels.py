"""Loops over the pieces of a scatter, compiled: a million of them take a fraction of a second."""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from jade_coat.program.types import Array

CHANCES = 6
"""Random numbers that each piece has."""
_SIN = tuple((-1.0) ** k / math.factorial(2 * k + 1) for k in range(1, 6))
_COS = tuple((-1.0) ** k / math.factorial(2 * k) for k in range(1, 7))
"""Taylor's series of sine and cosine, in squares."""


@njit(cache=True, nogil=True)
def places_in(
    points: Array, ranks: Array, starts: Array, cells: Array, side: float, share: float, size: Array, parts: int
) -> tuple[Array, Array, Array]:
    """The places `(n, 2)` of a spread in some cells `(k, 2)` whose rank is below a share, inside a ground of a size.

    `points` are those of a tile by its parts, in edges of a part, in each the lowest rank first. With each place comes
    its number in the tile and which of the cells it lies in.
    """
    counts = np.zeros(parts * parts, np.int64)
    for part in range(parts * parts):
        k = starts[part]
        while k < starts[part + 1] and ranks[k] < share:
            k += 1
        counts[part] = k - starts[part]
    total = 0
    for c in range(len(cells)):
        total += counts[cells[c, 0] % parts + cells[c, 1] % parts * parts]
    at, number, cell = np.empty((total, 2)), np.empty(total, np.int32), np.empty(total, np.int32)
    n = 0
    for c in range(len(cells)):
        part = cells[c, 0] % parts + cells[c, 1] % parts * parts
        for k in range(starts[part], starts[part] + counts[part]):
            x, z = (cells[c, 0] + points[k, 0]) * side, (cells[c, 1] + points[k, 1]) * side
            if x <= size[0] and z <= size[1]:
                at[n, 0], at[n, 1], number[n], cell[n] = x, z, k, c
                n += 1
    return at[:n], number[:n], cell[:n]


@njit(cache=True, nogil=True)
def terrain(grid: Array, step: Array, at: Array) -> Array:
    """The height and both slopes (metres a metre along x and z) of a grid of heights at places `(n, 2)`, `(n, 3)`."""
    rows, columns = grid.shape
    found = np.empty((len(at), 3))
    for i in range(len(at)):
        x = min(max(at[i, 0] / step[0], 0.0), columns - 1.0)
        z = min(max(at[i, 1] / step[1], 0.0), rows - 1.0)
        c, r = min(int(x), columns - 2), min(int(z), rows - 2)
        fx, fz = x - c, z - r
        a, b = float(grid[r, c]), float(grid[r, c + 1])
        d, e = float(grid[r + 1, c]), float(grid[r + 1, c + 1])
        found[i, 0] = (a * (1 - fx) + b * fx) * (1 - fz) + (d * (1 - fx) + e * fx) * fz
        found[i, 1] = ((b - a) * (1 - fz) + (e - d) * fz) / step[0]
        found[i, 2] = ((d - a) * (1 - fx) + (e - b) * fx) / step[1]
    return found


@njit(cache=True, nogil=True)
def fates(cells: Array, cell: Array, number: Array, kept: Array, seed: int) -> Array:
    """What is random of the pieces that are `kept`, `(k, CHANCES)` 0–1: the same for the same cell, number and seed.

    Mixed as by Steele, Lea & Flood 2014, Fast Splittable Pseudorandom Number Generators (SplitMix64).
    """
    found = np.empty((len(kept), CHANCES), np.float64)
    golden = np.uint64(0x9E3779B97F4A7C15)
    for i in range(len(kept)):
        own = kept[i]
        x, z = cells[cell[own], 0] & 0xFFFFFF, cells[cell[own], 1] & 0xFFFFFF
        state = (np.uint64(x) << np.uint64(40)) ^ (np.uint64(z) << np.uint64(16)) ^ np.uint64(number[own])
        state = state * np.uint64(0xD1342543DE82EF95) + np.uint64(seed)
        for k in range(CHANCES):
            state += golden
            v = state
            v = (v ^ (v >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
            v = (v ^ (v >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
            v = v ^ (v >> np.uint64(31))
            found[i, k] = (v >> np.uint64(11)) * (1.0 / 9007199254740992.0)
    return found


@njit(cache=True, nogil=True)
def _way(angle: float) -> tuple[float, float]:
    """The cosine and the sine of an angle from −π to π, to 3e-7, which is finer than matrices are.

    By Taylor's series of half of it: in a fraction of the time of a library's, which are right for any angle.
    """
    h = angle * 0.5
    q = h * h
    s = h * (1.0 + q * (_SIN[0] + q * (_SIN[1] + q * (_SIN[2] + q * (_SIN[3] + q * _SIN[4])))))
    c = 1.0 + q * (_COS[0] + q * (_COS[1] + q * (_COS[2] + q * (_COS[3] + q * (_COS[4] + q * _COS[5])))))
    return c * c - s * s, 2.0 * s * c


# Long: one loop that compiled code runs through.
@njit(cache=True, nogil=True)
def stood(
    at: Array, land: Array, kept: Array, up: Array, sizes: Array, chance: Array, world: Array, shape: Array
) -> Array:
    """The matrices `(k, 3, 4)` of pieces: leant and turned by chance, some of the way square to the ground.

    They stand at those of the places `at` that are `kept`; `up` `(k,)` is how far these are lifted, metres, if any is.
    `shape` is how far they are turned and leant at the most, radians, how far they follow the slope, 0–1, and how far
    they are sunk in, metres at size 1.
    """
    made = np.empty((len(kept), 3, 4), np.float32)
    lifted = len(up) > 0
    for i in range(len(kept)):
        own = kept[i]
        east, south = land[own, 1], land[own, 2]
        share = shape[2] / math.sqrt(east * east + 1.0 + south * south)
        ux, uy, uz = -east * share, share + 1.0 - shape[2], -south * share
        long = 1.0 / math.sqrt(ux * ux + uy * uy + uz * uz)
        wx, wz = _way((chance[i, 2] * 2.0 - 1.0) * math.pi)
        lx, lz = _way(min(shape[1] * math.sqrt(chance[i, 3]), 1.5))
        out = lz / lx  # the tangent of how far it leans
        ux, uy, uz = ux * long + out * wx, uy * long, uz * long + out * wz
        long = 1.0 / math.sqrt(ux * ux + uy * uy + uz * uz)
        ux, uy, uz = ux * long, uy * long, uz * long
        px, pz = _way((chance[i, 1] * 2.0 - 1.0) * shape[0])
        pz = -pz  # its own x axis, then square to the upright
        dot = px * ux + pz * uz
        px, py, pz = px - dot * ux, -dot * uy, pz - dot * uz
        s = sizes[i]
        long = s / math.sqrt(px * px + py * py + pz * pz)
        px, py, pz = px * long, py * long, pz * long
        down = shape[3] * s
        made[i, 0, 0], made[i, 0, 1], made[i, 0, 2] = px, ux * s, py * uz - pz * uy
        made[i, 1, 0], made[i, 1, 1], made[i, 1, 2] = py, uy * s, pz * ux - px * uz
        made[i, 2, 0], made[i, 2, 1], made[i, 2, 2] = pz, uz * s, px * uy - py * ux
        made[i, 0, 3] = at[own, 0] + world[0] - ux * down
        made[i, 1, 3] = land[own, 0] + (up[i] if lifted else 0.0) + world[1] - uy * down
        made[i, 2, 3] = at[own, 1] + world[2] - uz * down
    return made
