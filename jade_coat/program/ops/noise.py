"""Gradient noise and its fractal sum."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from jade_coat.program.ops.record import Op, Samples, fixed
from jade_coat.program.types import FLOAT, VEC3, Array

F = np.float32


class Fbm(NamedTuple):
    """How octaves of noise are summed: their number and a seed; each has twice the frequency and half the weight."""

    octaves: int = 4
    seed: int = 0


def fbm(settings: Fbm, p: Array) -> Array:
    """Fractal sum of gradient noise, about −1 to 1, at points `(3, n)`; returns `(1, n)`."""
    from jade_coat.program.kernels import add_gradient_noise

    points = np.ascontiguousarray(p, F)
    total = np.zeros(points.shape[1], F)
    weight, norm, scale = F(1), F(0), F(1)
    for octave in range(settings.octaves):
        add_gradient_noise(points, scale, np.uint32(settings.seed + octave), weight, total)
        norm = norm + weight
        weight, scale = weight * F(0.5), scale * F(2)
    return (total / norm)[None]


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
