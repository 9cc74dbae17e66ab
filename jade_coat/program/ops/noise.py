"""Gradient noise and its fractal sum."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from jade_coat.program.ops.hashing import INCREMENT, MULTIPLIER, pcg3d_mix
from jade_coat.program.ops.record import Op, Samples, fixed
from jade_coat.program.types import FLOAT, VEC3, Array

F = np.float32
_TO_SIGNED = F(2.0**-23)


class Fbm(NamedTuple):
    """How octaves of noise are summed: their number and a seed; each has twice the frequency and half the weight."""

    octaves: int = 4
    seed: int = 0


def _corner(words: tuple[Array, Array, Array], away: tuple[Array, Array, Array]) -> Array:
    x, y, z = pcg3d_mix(*words)
    total = _signed(x) * away[0]
    total = total + _signed(y) * away[1]
    return total + _signed(z) * away[2]


def _signed(word: Array) -> Array:
    return (word >> np.uint32(8)).astype(F) * _TO_SIGNED - F(1)


def gradient_noise(p: Array, seed: int) -> Array:
    """Gradient noise, roughly −1 to 1, at points `(3, n) float32`; returns `(1, n)` (Perlin 2002, quintic fade).

    The hash's first step is taken once for all eight corners.
    """
    low = np.floor(p)
    f = p - low
    with np.errstate(over="ignore"):
        base = low.astype(np.int32).view(np.uint32) + np.uint32(seed) * np.uint32(0x9E3779B9)
        near = base * MULTIPLIER + INCREMENT
        far = near + MULTIPLIER
    words, away = (near, far), (f, f - F(1))
    u, v, w = f * f * f * (f * (f * F(6) - F(15)) + F(10))

    def along_x(y: int, z: int) -> Array:
        a, b = (_corner((words[x][0], words[y][1], words[z][2]), (away[x][0], away[y][1], away[z][2])) for x in (0, 1))
        return a + (b - a) * u

    front = along_x(0, 0)
    front = front + (along_x(1, 0) - front) * v
    back = along_x(0, 1)
    back = back + (along_x(1, 1) - back) * v
    return (front + (back - front) * w)[None]


def fbm(settings: Fbm, p: Array) -> Array:
    """Fractal sum of gradient noise, about −1 to 1, at points `(3, n)`; returns `(1, n)`."""
    total: Array = np.zeros((1, p.shape[1]), F)
    weight, norm = F(1), F(0)
    for octave in range(settings.octaves):
        total = total + gradient_noise(p, settings.seed + octave) * weight
        norm = norm + weight
        weight = weight * F(0.5)
        p = p * F(2)
    return total / norm


DECLARED = (
    Op(
        "fbm", fixed(VEC3, to=FLOAT), "Octaves of gradient noise over a point in space, about −1 to 1.",
        lambda static, p: fbm(static, p),
        lambda static: f"fbm({{0}}, {static.octaves}, {static.seed}u)",
        cost=90.0, helpers=("pcg3d", "gradient_noise", "fbm"),
        source="Perlin, Improving Noise, 2002; hash by Jarzynski & Olano 2020",
        samples=Samples(types=((VEC3,),), ranges=((-20.0, 20.0),), statics=(Fbm(1, 3), Fbm(4, 0))),
    ),
)  # fmt: skip
