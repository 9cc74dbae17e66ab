"""Vectors: joining, picking, products and lengths."""

from __future__ import annotations

from collections.abc import Hashable

import numpy as np

from jade_coat.program.ops.record import Op, Samples, fixed, float_types, same_floats
from jade_coat.program.types import FLOAT, FLOAT_BY_SIZE, VEC2, VEC3, VEC4, Array, Type
from jade_coat.program.value import TypeMismatch

VECTORS = ((VEC2,), (VEC3,), (VEC4,))
PAIRS = ((VEC2, VEC2), (VEC3, VEC3), (VEC4, VEC4))


def _combine_rule(types: tuple[Type, ...], static: Hashable) -> Type:
    size = sum(t.size for t in types)
    if not float_types(types) or not 2 <= size <= 4:
        raise TypeMismatch("expected floats and vectors of two to four components in all")
    return FLOAT_BY_SIZE[size]


def _combine(_: Hashable, *parts: Array) -> Array:
    width = max(p.shape[1] for p in parts)
    return np.concatenate([np.broadcast_to(p, (p.shape[0], width)) for p in parts])


def _swizzle_rule(types: tuple[Type, ...], static: Hashable) -> Type:
    if len(types) != 1 or not types[0].is_float or not isinstance(static, tuple):
        raise TypeMismatch("expected one float or vector")
    if max(static) >= types[0].size:
        raise TypeMismatch(f"it has no component {'xyzw'[max(static)]}")
    return FLOAT_BY_SIZE[len(static)]


def _swizzle_glsl(static: tuple[int, ...]) -> str:
    return "{0}." + "".join("xyzw"[i] for i in static)


def _splat_rule(types: tuple[Type, ...], static: Hashable) -> Type:
    if types != (FLOAT,) or static not in (2, 3, 4):
        raise TypeMismatch("expected one float")
    return FLOAT_BY_SIZE[int(str(static))]


def _dot(_: Hashable, a: Array, b: Array) -> Array:
    total = a[:1] * b[:1]
    for i in range(1, a.shape[0]):
        total = total + a[i : i + 1] * b[i : i + 1]
    return total


def _normalize(_: Hashable, a: Array) -> Array:
    length = np.sqrt(np.maximum(_dot(None, a, a), np.float32(1e-20)))
    return a / length


def _cross(_: Hashable, a: Array, b: Array) -> Array:
    x = a[1] * b[2] - a[2] * b[1]
    y = a[2] * b[0] - a[0] * b[2]
    z = a[0] * b[1] - a[1] * b[0]
    return np.stack([x, y, z])


DECLARED = (
    Op(
        "combine", _combine_rule, "Joins floats and vectors into one vector.", _combine,
        lambda _: "{type}({all})", cost=0.0,
        samples=Samples(types=((FLOAT, FLOAT), (VEC2, FLOAT), (FLOAT, VEC3), (VEC2, VEC2))),
    ),
    Op(
        "swizzle", _swizzle_rule, "Picks components in any order.",
        lambda static, a: a[static[0] : static[0] + 1] if len(static) == 1 else a[list(static)],
        _swizzle_glsl, cost=0.0,
        samples=Samples(statics=((0,), (1, 0), (2, 2, 1), (3, 0, 1, 2)), types=((VEC4,),)),
    ),
    Op(
        "splat", _splat_rule, "One float in every component.",
        lambda static, a: np.broadcast_to(a, (static, a.shape[1])),
        lambda static: f"vec{static}({{0}})", cost=0.0, samples=Samples(statics=(2, 3, 4), types=((FLOAT,),)),
    ),
    Op("dot", same_floats(2, to=FLOAT), "Scalar product.", _dot, "dot({0}, {1})", 3.0, samples=Samples(types=PAIRS)),
    Op("cross", fixed(VEC3, VEC3, to=VEC3), "Vector product.", _cross, "cross({0}, {1})", 6.0,
       samples=Samples(types=((VEC3, VEC3),))),
    Op(
        "length", same_floats(1, to=FLOAT), "Euclidean length.",
        lambda _, a: np.sqrt(_dot(None, a, a)), "length({0})", 6.0, samples=Samples(types=VECTORS),
    ),
    Op(
        "normalize", same_floats(1), "The vector at length 1; a zero vector stays near zero.",
        _normalize, "({0} / sqrt(max(dot({0}, {0}), 1e-20)))", 8.0, samples=Samples(types=VECTORS),
    ),
)  # fmt: skip
