"""Integer hashes, which both back ends compute bit for bit."""

from __future__ import annotations

from collections.abc import Hashable

import numpy as np

from jade_coat.program.ops.record import Op, Samples, fixed
from jade_coat.program.types import UVEC3, VEC3, Array

UVEC3_ARGS = Samples(types=((UVEC3,),), ranges=((0, 2**32 - 1),))


MULTIPLIER, INCREMENT = np.uint32(1664525), np.uint32(1013904223)


def pcg3d(v: Array) -> Array:
    """The 3-D PCG hash of `(3, n) uint32`, same shape (Jarzynski & Olano 2020, listing "pcg3d")."""
    with np.errstate(over="ignore"):
        x, y, z = v * MULTIPLIER + INCREMENT
        x = x + y * z
        y = y + z * x
        z = z + x * y
        x, y, z = x ^ (x >> np.uint32(16)), y ^ (y >> np.uint32(16)), z ^ (z >> np.uint32(16))
        x = x + y * z
        y = y + z * x
        z = z + x * y
        return np.stack([x, y, z])


def pcg_mix(state: Array) -> Array:
    """The mixing step of the 1-D PCG hash (Jarzynski & Olano 2020, listing "pcg", after its linear step)."""
    word = ((state >> ((state >> np.uint32(28)) + np.uint32(4))) ^ state) * np.uint32(277803737)
    return (word >> np.uint32(22)) ^ word


def cell(p: Array) -> Array:
    """The integer cell of each point, wrapped to uint32: uint(int(floor(p)))."""
    return np.floor(p).astype(np.int32).view(np.uint32)


def unit(h: Array) -> Array:
    """A hash as a float in [0, 1): its upper 24 bits times 2^-24."""
    return (h >> np.uint32(8)).astype(np.float32) * np.float32(2.0**-24)


def _hash_unit(_: Hashable, v: Array) -> Array:
    return unit(v)


DECLARED = (
    Op(
        "pcg3d", fixed(UVEC3, to=UVEC3), "Three well-mixed words out of three.",
        lambda _, v: pcg3d(v), "pcg3d({0})", 12.0, helpers=("pcg3d",),
        source="Jarzynski & Olano, Hash Functions for GPU Rendering, JCGT 9(3), 2020", samples=UVEC3_ARGS,
    ),
    Op(
        "cell", fixed(VEC3, to=UVEC3), "The whole-number cell a point lies in.",
        lambda _, p: cell(p), "uvec3(ivec3(floor({0})))", 2.0,
        samples=Samples(types=((VEC3,),), ranges=((-1000.0, 1000.0),)),
    ),
    Op(
        "unit_float", fixed(UVEC3, to=VEC3), "Hash words as numbers from 0 up to, not including, 1.",
        _hash_unit, "(vec3({0} >> 8u) * 5.96046448e-08)", 2.0, samples=UVEC3_ARGS,
    ),
)  # fmt: skip
