"""Component-wise arithmetic, comparisons and choices."""

from __future__ import annotations

from collections.abc import Hashable

import numpy as np

from jade_coat.program.ops.record import Op, Samples, same_floats
from jade_coat.program.types import BOOL, FLOAT, Array, Type
from jade_coat.program.value import TypeMismatch

POSITIVE = Samples(ranges=((1e-3, 4.0),))


def _smoothstep(_: Hashable, low: Array, high: Array, x: Array) -> Array:
    t = np.clip((x - low) / (high - low), np.float32(0), np.float32(1))
    return t * t * (np.float32(3) - np.float32(2) * t)


def _select(types: tuple[Type, ...], static: Hashable) -> Type:
    if len(types) != 3 or types[0] != BOOL or types[1] != types[2]:
        raise TypeMismatch("expected a bool and two values of one type")
    return types[1]


def _clamp(_: Hashable, x: Array, low: Array, high: Array) -> Array:
    kept = np.maximum(x, low)
    return np.minimum(kept, high, out=kept) if kept.shape[1] >= high.shape[1] else np.minimum(kept, high)


def _mix(_: Hashable, a: Array, b: Array, t: Array) -> Array:
    way = (b - a) * t
    return np.add(a, way, out=way) if way.shape[1] >= a.shape[1] else a + way


def _choose(_: Hashable, c: Array, a: Array, b: Array) -> Array:
    return np.where(c, a, b)


def _ratio(_: Hashable, a: Array, b: Array) -> Array:
    # GLSL leaves division by zero undefined, so this op defines it: 0.
    zero = b == 0
    return np.where(zero, np.float32(0), a / np.where(zero, np.float32(1), b))


DECLARED = (
    Op("add", same_floats(2), "Sum.", lambda _, a, b: a + b, "({0} + {1})"),
    Op("sub", same_floats(2), "Difference.", lambda _, a, b: a - b, "({0} - {1})"),
    Op("mul", same_floats(2), "Product, component by component.", lambda _, a, b: a * b, "({0} * {1})"),
    Op(
        "div", same_floats(2), "Quotient; 0 where the divisor is 0.", _ratio, "safe_div({0}, {1})",
        cost=4.0, helpers=("safe_div",), source="Division by zero defined here as 0",
    ),
    Op("neg", same_floats(1), "Negation.", lambda _, a: -a, "(-{0})"),
    Op(
        "per_vertex", same_floats(1),
        "The same value; asked to be worked out at the vertices and interpolated, which is not exact for what bends.",
        lambda _, a: a, "{0}", cost=0.0, source="Declared here",
    ),
    Op("abs", same_floats(1), "Absolute value.", lambda _, a: np.abs(a), "abs({0})"),
    Op("sign", same_floats(1), "−1, 0 or 1.", lambda _, a: np.sign(a), "sign({0})"),
    Op("min", same_floats(2), "The smaller.", lambda _, a, b: np.minimum(a, b), "min({0}, {1})"),
    Op("max", same_floats(2), "The larger.", lambda _, a, b: np.maximum(a, b), "max({0}, {1})"),
    Op(
        "clamp", same_floats(3), "The first argument kept between the second and the third.",
        _clamp, "min(max({0}, {1}), {2})", cost=2.0,
    ),
    Op(
        "mix", same_floats(3), "a + (b − a)·t; exact at t = 0.",
        _mix, "({0} + ({1} - {0}) * {2})", cost=3.0,
    ),
    Op(
        "smoothstep", same_floats(3), "0 below the first, 1 above the second, a cubic ease between.",
        _smoothstep, "smoothstep({0}, {1}, {2})", cost=6.0,
        samples=Samples(ranges=((-2.0, -0.5), (0.5, 2.0), (-4.0, 4.0))),
    ),
    Op(
        "step", same_floats(2), "0 where the second is below the first, else 1.",
        lambda _, edge, x: (x >= edge).astype(np.float32), "step({0}, {1})",
    ),
    Op("floor", same_floats(1), "The next whole number down.", lambda _, a: np.floor(a), "floor({0})"),
    Op("fract", same_floats(1), "What floor leaves.", lambda _, a: a - np.floor(a), "({0} - floor({0}))", cost=2.0),
    Op(
        "modulo", same_floats(2), "Remainder with the divisor's sign (floored).",
        lambda _, a, b: a - b * np.floor(a / b), "({0} - {1} * floor({0} / {1}))", cost=6.0,
        # Within a rounding of a multiple the two divisions may fall on either side; the op is undefined at 0.
        samples=Samples(ranges=((0.1, 0.9), (1.0, 2.0))),
    ),
    Op("sqrt", same_floats(1), "Square root of a value ≥ 0.", lambda _, a: np.sqrt(a), "sqrt({0})", 4.0,
       samples=POSITIVE),
    Op(
        "pow", same_floats(2), "The first (> 0) raised to the second.",
        lambda _, a, b: np.power(a, b), "pow({0}, {1})", cost=8.0,
        samples=Samples(ranges=((0.01, 2.0), (0.1, 3.0)), tolerance=2e-5),
    ),
    Op("exp", same_floats(1), "e raised to the argument.", lambda _, a: np.exp(a), "exp({0})", 8.0),
    Op("log", same_floats(1), "Natural logarithm of a value > 0.", lambda _, a: np.log(a), "log({0})", 8.0,
       samples=POSITIVE),
    Op("sin", same_floats(1), "Sine of an angle in radians.", lambda _, a: np.sin(a), "sin({0})", 8.0),
    Op("cos", same_floats(1), "Cosine of an angle in radians.", lambda _, a: np.cos(a), "cos({0})", 8.0),
    Op(
        "acos", same_floats(1), "Angle in radians, 0 to π, of a cosine kept within ±1.",
        lambda _, a: np.arccos(np.clip(a, np.float32(-1), np.float32(1))), "acos(clamp({0}, -1.0, 1.0))", 10.0,
        # Drivers may approximate acos with a polynomial; Mesa's is good to about 1e-4 in absolute terms.
        samples=Samples(ranges=((-1.0, 1.0),), tolerance=4e-4),
    ),
    Op(
        "less", same_floats(2, to=BOOL), "Whether the first is below the second (floats).",
        lambda _, a, b: a < b, "({0} < {1})", samples=Samples(types=((FLOAT, FLOAT),)),
    ),
    Op(
        "select", _select, "The second where the first holds, else the third.",
        _choose, "({0} ? {1} : {2})",
        samples=Samples(types=((BOOL, FLOAT, FLOAT),)),
    ),
)  # fmt: skip
