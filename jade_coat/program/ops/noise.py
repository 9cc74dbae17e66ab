"""Gradient noise and its fractal sums; cellular noise."""

from __future__ import annotations

import itertools
from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from jade_coat.program.ops.hashing import pcg3d, pcg_mix, unit
from jade_coat.program.ops.record import Op, Samples, fixed
from jade_coat.program.types import FLOAT, VEC3, Array

F = np.float32

AXES = (np.uint32(747796405), np.uint32(2246822519), np.uint32(3266489917))
"""Steps of the hash's state along the axes: no two cells within a thousand of each other share a state."""


class Fbm(NamedTuple):
    """How octaves of noise are summed: their number and a seed; each has twice the frequency and half the weight."""

    octaves: int = 4
    seed: int = 0


def gradient_noise(p: Array, seed: int) -> Array:
    """Gradient noise at `(3, n)`, quintic fade, gradients from one hashed word a corner; `(n,)`."""
    low = np.floor(p)
    f = p - low
    x, y, z = low.astype(np.int32).view(np.uint32)
    here = x * AXES[0] + y * AXES[1] + (z * AXES[2] + np.uint32(seed * 0x9E3779B9 & 0xFFFFFFFF))
    # A gradient is h * step - 1: its steps are taken from the ways, and its ones from their sum.
    ways = [[part[0] * F(2.0**-10), part[1] * F(2.0**-10), part[2] * F(2.0**-9)] for part in (f, f - F(1))]
    whole = f[0] + f[1] + f[2]
    sums = [whole - F(far) for far in range(4)]
    fade = f * f * f * (f * (f * F(6) - F(15)) + F(10))

    def corner(i: int, j: int, k: int) -> Array:
        step = np.uint32((i * int(AXES[0]) + j * int(AXES[1]) + k * int(AXES[2])) & 0xFFFFFFFF)
        word = pcg_mix(here + step)
        total = (word >> np.uint32(21)).view(np.int32).astype(F) * ways[i][0]
        total += ((word >> np.uint32(10)) & np.uint32(0x7FF)).view(np.int32).astype(F) * ways[j][1]
        total += (word & np.uint32(0x3FF)).view(np.int32).astype(F) * ways[k][2]
        return total - sums[i + j + k]

    def edge(j: int, k: int) -> Array:
        first = corner(0, j, k)
        return first + (corner(1, j, k) - first) * fade[0]

    def face(k: int) -> Array:
        first = edge(0, k)
        return first + (edge(1, k) - first) * fade[1]

    first = face(0)
    return first + (face(1) - first) * fade[2]


def _octaves(settings: Fbm, p: Array, shaped: Callable[[Array], Array]) -> Array:
    """The weighted mean of octaves of shaped gradient noise at `(3, n)`; `(1, n)`."""
    total = None
    weight, norm = F(1), F(0)
    for octave in range(settings.octaves):
        part = shaped(gradient_noise(p, settings.seed + octave)) * weight
        total = part if total is None else total + part
        norm = norm + weight
        weight, p = weight * F(0.5), p * F(2)
    assert total is not None
    return np.stack([total / norm])


def octaves_in_glsl(settings: Fbm, shaped: str) -> str:
    """The same in GLSL, written out: compilers leave a loop over so much a loop, which is slower."""
    norm = sum(0.5**i for i in range(settings.octaves))
    parts = (f"gradient_noise({{0}} * {2.0**i}, {settings.seed + i}u)" for i in range(settings.octaves))
    summed = " + ".join(f"{shaped.format(part)} * {0.5**i}" for i, part in enumerate(parts))
    return f"(({summed}) / {norm})"


def fbm(settings: Fbm, p: Array) -> Array:
    """Fractal sum of gradient noise, about −1 to 1, at points `(3, n)`; returns `(1, n)`."""
    return _octaves(settings, p, lambda noise: noise)


def ridges(settings: Fbm, p: Array) -> Array:
    """Octaves of 1 − |noise| at `(3, n)`, 0 to 1 with sharp crests; `(1, n)`."""
    return _octaves(settings, p, lambda noise: F(1) - np.abs(noise))


def cells(seed: int, p: Array) -> Array:
    """Distances to the nearest and second nearest of one random point a cell, and the nearest's own random number.

    `(3, n)` in and out; about 0 to 1 (Worley 1996).
    """
    low = np.floor(p)
    away = low - p
    here = low.astype(np.int32).view(np.uint32)
    shift = np.uint32(seed * 0x9E3779B9 & 0xFFFFFFFF)
    first = second = mark = p[0] * F(0) + F(64)
    for k, j, i in itertools.product((-1, 0, 1), repeat=3):
        words = pcg3d(np.stack([here[n] + (np.uint32(o & 0xFFFFFFFF) + shift) for n, o in enumerate((i, j, k))]))
        at = unit(words)
        x, y, z = (at[n] + (away[n] + F(o)) for n, o in enumerate((i, j, k)))
        apart = x * x + y * y + z * z
        nearer = apart < first
        second = np.where(nearer, first, np.minimum(second, apart))
        mark = np.where(nearer, at[0], mark)
        first = np.where(nearer, apart, first)
    return np.stack([np.sqrt(first), np.sqrt(second), mark])


DECLARED = (
    Op(
        "cells", fixed(VEC3, to=VEC3),
        "Distance to the nearest of one random point a cell, to the second nearest, and the nearest's random number.",
        lambda static, p: cells(static, p), lambda static: f"cells({{0}}, {static}u)",
        cost=300.0, helpers=("pcg3d", "cells"), source="Worley, A Cellular Texture Basis Function, 1996",
        samples=Samples(types=((VEC3,),), ranges=((-20.0, 20.0),), statics=(0, 9)),
    ),
    Op(
        "ridges", fixed(VEC3, to=FLOAT), "Octaves of gradient noise folded into crests, 0 to 1.",
        lambda static, p: ridges(static, p), lambda static: octaves_in_glsl(static, "(1.0 - abs({}))"),
        cost=60.0, helpers=("gradient_noise",), source="Perlin, Improving Noise, 2002",
        samples=Samples(types=((VEC3,),), ranges=((-20.0, 20.0),), statics=(Fbm(1, 3), Fbm(4, 0))),
    ),
    Op(
        "fbm", fixed(VEC3, to=FLOAT), "Octaves of gradient noise over a point in space, about −1 to 1.",
        lambda static, p: fbm(static, p), lambda static: octaves_in_glsl(static, "{}"),
        cost=60.0, helpers=("gradient_noise",),
        source="Perlin, Improving Noise, 2002; hash by Jarzynski & Olano 2020",
        samples=Samples(types=((VEC3,),), ranges=((-20.0, 20.0),), statics=(Fbm(1, 3), Fbm(4, 0))),
    ),
)  # fmt: skip
