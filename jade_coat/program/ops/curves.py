"""Monotone curves through a few points."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from jade_coat.program.ops.inputs import number
from jade_coat.program.ops.record import Op, Samples, fixed
from jade_coat.program.types import FLOAT, Array

F = np.float32


class Curve(NamedTuple):
    """A monotone cubic through `xs`, `ys` with end slopes chosen so that it never overshoots."""

    xs: tuple[float, ...]
    ys: tuple[float, ...]

    def slopes(self) -> Array:
        """The slope at each point: Fritsch & Carlson 1980 with the harmonic mean of Fritsch & Butland 1984."""
        x, y = np.array(self.xs, float), np.array(self.ys, float)
        h, delta = np.diff(x), np.diff(y) / np.diff(x)
        if len(x) == 2:
            return np.array([delta[0], delta[0]])
        inner = np.zeros(len(x) - 2)
        same = delta[:-1] * delta[1:] > 0
        w1, w2 = 2 * h[1:] + h[:-1], h[1:] + 2 * h[:-1]
        inner[same] = ((w1 + w2)[same]) / (w1[same] / delta[:-1][same] + w2[same] / delta[1:][same])
        ends = [_end_slope(h[0], h[1], delta[0], delta[1]), _end_slope(h[-1], h[-2], delta[-1], delta[-2])]
        return np.concatenate([[ends[0]], inner, [ends[1]]])

    def spans(self) -> Array:
        """A row a span, (start, c0, c1, c2, c3): y = c0 + t·(c1 + t·(c2 + t·c3)) with t = x − start."""
        x, y, m = np.array(self.xs, float), np.array(self.ys, float), self.slopes()
        h = np.diff(x)
        delta = np.diff(y) / h
        c2 = (3 * delta - 2 * m[:-1] - m[1:]) / h
        c3 = (m[:-1] + m[1:] - 2 * delta) / (h * h)
        return np.stack([x[:-1], y[:-1], m[:-1], c2, c3], axis=1)

    def cubics(self) -> list[tuple[float, ...]]:
        """The spans in single precision, as programs work them out."""
        return [tuple(float(F(v)) for v in row) for row in self.spans()]

    def along(self, x: Array) -> Array:
        """The curve at `(n,)` places, in double precision; held flat beyond its ends."""
        x = np.clip(x, self.xs[0], self.xs[-1])
        start, c0, c1, c2, c3 = self.spans()[np.clip(np.searchsorted(self.xs, x, "right") - 1, 0, len(self.xs) - 2)].T
        t = x - start
        return np.asarray(c0 + t * (c1 + t * (c2 + t * c3)))


def _end_slope(h0: float, h1: float, d0: float, d1: float) -> float:
    slope = ((2 * h0 + h1) * d0 - h0 * d1) / (h0 + h1)
    if np.sign(slope) != np.sign(d0):
        return 0.0
    if np.sign(d0) != np.sign(d1) and abs(slope) > abs(3 * d0):
        return 3 * d0
    return float(slope)


def _ramp(curve: Curve, x: Array) -> Array:
    x = np.clip(x, F(curve.xs[0]), F(curve.xs[-1]))
    result = None
    for start, c0, c1, c2, c3 in curve.cubics():
        t = x - F(start)
        y = F(c0) + t * (F(c1) + t * (F(c2) + t * F(c3)))
        result = y if result is None else np.where(x >= F(start), y, result)
    assert result is not None
    return result


def _ramp_glsl(curve: Curve) -> str:
    n = number
    x = f"clamp({{0}}, {n(curve.xs[0])}, {n(curve.xs[-1])})"
    text = ""
    for start, c0, c1, c2, c3 in curve.cubics():
        y = f"cubic({x} - {n(start)}, vec4({n(c0)}, {n(c1)}, {n(c2)}, {n(c3)}))"
        text = y if not text else f"({x} >= {n(start)} ? {y} : {text})"
    return text


DECLARED = (
    Op(
        "ramp", fixed(FLOAT, to=FLOAT), "A monotone curve through given points, held flat beyond its ends.",
        _ramp, _ramp_glsl, cost=12.0, helpers=("cubic",),
        source="Fritsch & Carlson, Monotone Piecewise Cubic Interpolation, 1980",
        samples=Samples(
            types=((FLOAT,),), ranges=((-0.5, 1.5),),
            statics=(Curve((0.0, 1.0), (0.0, 1.0)), Curve((0.0, 0.3, 0.5, 1.0), (0.0, 0.1, 0.9, 1.0))),
        ),
    ),
)  # fmt: skip
