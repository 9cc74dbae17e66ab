"""Seams: how a coat's edge meets what lies beneath."""

from __future__ import annotations

import itertools
from typing import Literal

from pydantic import field_validator

from jade_coat.material.fields import Frozen, Vec2, field
from jade_coat.program import Value, lib
from jade_coat.program.value import Operand

SeamKind = Literal["soft", "interlock", "cut", "ramp"]
SEAM_LABELS: dict[SeamKind, str] = {
    "soft": "an even mix by amount",
    "interlock": "fills the low places first",
    "cut": "a clean edge at the middle",
    "ramp": "follows a curve you draw",
}


class Seam(Frozen):
    """The kind of edge, how soft it is, and how far it leans to one side."""

    kind: SeamKind = "interlock"
    softness: float = field(0.1, "Softness", low=0.001, high=1.0, soft=(0.005, 1.0), logarithmic=True)
    bias: float = field(0.0, "Bias", low=-1.0, high=1.0, hint="Above 0 the coat spreads sooner, below 0 later")
    points: tuple[Vec2, ...] = ((0.0, 0.0), (0.35, 0.1), (0.65, 0.9), (1.0, 1.0))

    @field_validator("points")
    @classmethod
    def _climbing(cls, points: tuple[Vec2, ...]) -> tuple[Vec2, ...]:
        xs, ys = [p[0] for p in points], [p[1] for p in points]
        if len(points) < 2 or points[0] != (0.0, 0.0) or points[-1] != (1.0, 1.0):
            raise ValueError("a seam's curve runs from (0, 0) to (1, 1)")
        if any(b <= a for a, b in itertools.pairwise(xs)) or ys != sorted(ys):
            raise ValueError("a seam's curve must climb from left to right")
        return points


def weight(seam: Seam, amount: Operand, above: Operand, below: Operand, softness: Operand, bias: Operand) -> Value:
    """The coat's weight, 0 to 1, from its amount and the heights of coat and ground (all floats).

    Amount 0 gives 0 and amount 1 gives 1 for every kind, whatever the heights.
    """
    a = lib.clamp(amount)
    a = a + a * (1.0 - a) * bias
    if seam.kind == "soft":
        return a
    if seam.kind == "cut":
        return lib.clamp((a - 0.5) / softness + 0.5)
    if seam.kind == "ramp":
        xs, ys = zip(*seam.points, strict=True)
        return lib.ramp(a, xs, ys)
    d = lib.as_value(softness)
    return lib.clamp((lib.as_value(above) - below + (2.0 * a - 1.0) * (1.0 + d)) / (2.0 * d) + 0.5)
