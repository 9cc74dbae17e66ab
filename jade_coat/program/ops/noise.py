"""Gradient noise and its fractal sum."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from jade_coat.program.ops.hashing import pcg3d
from jade_coat.program.ops.record import Op, Samples, fixed
from jade_coat.program.types import FLOAT, VEC3, Array

F = np.float32
_TO_SIGNED = F(2.0**-23)


class Fbm(NamedTuple):
    """How octaves of noise are summed: their number and a seed; each has twice the frequency and half the weight."""

    octaves: int = 4
    seed: int = 0


def _corner(base: Array, frac: Array, offset: tuple[int, int, int], seed: int) -> Array:
    shift = np.array(offset, np.uint32)[:, None]
    with np.errstate(over="ignore"):
        hashed = pcg3d(base + shift + np.uint32(seed) * np.uint32(0x9E3779B9))
    gradient = (hashed >> np.uint32(8)).astype(F) * _TO_SIGNED - F(1)
    away = frac - np.array(offset, F)[:, None]
    return gradient[0] * away[0] + gradient[1] * away[1] + gradient[2] * away[2]


def gradient_noise(p: Array, seed: int) -> Array:
    """Gradient noise, roughly −1 to 1, at points `(3, n) float32`; returns `(1, n)` (Perlin 2002, quintic fade)."""
    low = np.floor(p)
    frac = p - low
    base = low.astype(np.int32).view(np.uint32)
    fade = frac * frac * frac * (frac * (frac * F(6) - F(15)) + F(10))
    u, v, w = fade

    def along_x(y: int, z: int) -> Array:
        a = _corner(base, frac, (0, y, z), seed)
        b = _corner(base, frac, (1, y, z), seed)
        return a + (b - a) * u

    near = along_x(0, 0)
    near = near + (along_x(1, 0) - near) * v
    far = along_x(0, 1)
    far = far + (along_x(1, 1) - far) * v
    return (near + (far - near) * w)[None]


def fbm(settings: Fbm, p: Array) -> Array:
    """Fractal sum of gradient noise, about −1 to 1, at points `(3, n)`; returns `(1, n)`."""
    total = np.zeros((1, p.shape[1]), F)
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
