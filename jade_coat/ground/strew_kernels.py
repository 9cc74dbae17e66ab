"""Loops over the pieces of a scatter, compiled: a million of them take a fraction of a second."""

from __future__ import annotations

import math

import numpy as np
from numba import njit

from jade_coat.program.types import Array

CHANCES = 6
"""Random numbers that each piece has."""


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
def fates(cells: Array, cell: Array, number: Array, seed: int) -> Array:
    """What is random of each piece, `(n, CHANCES)` 0–1: the same for the same cell, number and seed.

    Mixed as by Steele, Lea & Flood 2014, Fast Splittable Pseudorandom Number Generators (SplitMix64).
    """
    found = np.empty((len(cell), CHANCES), np.float64)
    golden = np.uint64(0x9E3779B97F4A7C15)
    for i in range(len(cell)):
        x, z = cells[cell[i], 0] & 0xFFFFFF, cells[cell[i], 1] & 0xFFFFFF
        state = (np.uint64(x) << np.uint64(40)) ^ (np.uint64(z) << np.uint64(16)) ^ np.uint64(number[i])
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
def stood(at: Array, land: Array, sizes: Array, chance: Array, world: Array, shape: Array) -> Array:
    """The matrices `(n, 3, 4)` of pieces: leant and turned by chance, some of the way square to the ground.

    `shape` is how far they are turned and leant at the most, radians, how far they follow the slope, 0–1, and how far
    they are sunk in, metres at size 1.
    """
    made = np.empty((len(at), 3, 4), np.float32)
    for i in range(len(at)):
        ux, uy, uz = -land[i, 1], 1.0, -land[i, 2]
        long = math.sqrt(ux * ux + uy * uy + uz * uz)
        ux, uy, uz = ux / long * shape[2], uy / long * shape[2] + 1 - shape[2], uz / long * shape[2]
        way, lean = chance[i, 2] * 2 * math.pi, shape[1] * math.sqrt(chance[i, 3])
        long = math.sqrt(ux * ux + uy * uy + uz * uz)
        ux, uy, uz = ux / long, uy / long, uz / long
        out = math.tan(min(lean, 1.5))
        ux, uz = ux + out * math.cos(way), uz + out * math.sin(way)
        long = math.sqrt(ux * ux + uy * uy + uz * uz)
        ux, uy, uz = ux / long, uy / long, uz / long
        angle = (chance[i, 1] * 2 - 1) * shape[0]
        px, pz = math.cos(angle), -math.sin(angle)  # its own x axis, then square to the upright
        dot = px * ux + pz * uz
        px, py, pz = px - dot * ux, -dot * uy, pz - dot * uz
        long = math.sqrt(px * px + py * py + pz * pz)
        px, py, pz = px / long, py / long, pz / long
        qx, qy, qz = py * uz - pz * uy, pz * ux - px * uz, px * uy - py * ux
        s = sizes[i]
        down = shape[3] * s
        made[i, 0, 0], made[i, 0, 1], made[i, 0, 2] = px * s, ux * s, qx * s
        made[i, 1, 0], made[i, 1, 1], made[i, 1, 2] = py * s, uy * s, qy * s
        made[i, 2, 0], made[i, 2, 1], made[i, 2, 2] = pz * s, uz * s, qz * s
        made[i, 0, 3] = at[i, 0] + world[0] - ux * down
        made[i, 1, 3] = land[i, 0] + world[1] - uy * down
        made[i, 2, 3] = at[i, 1] + world[2] - uz * down
    return made
