"""Seams: how a coat's edge meets what lies beneath."""

from __future__ import annotations

import itertools
from typing import Literal

from pydantic import field_validator

from jade_coat.material.fields import Color, Frozen, Vec2, When, field, option, setting
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

    kind: SeamKind = option("interlock", "Kind of seam", "choice", SEAM_LABELS)
    softness: float = field(
        0.1,
        "Softness",
        low=0.001,
        high=1.0,
        soft=(0.005, 1.0),
        logarithmic=True,
        when=("kind", ("interlock", "cut")),
    )
    bias: float = field(0.0, "Bias", low=-1.0, high=1.0, hint="Above 0 the coat spreads sooner, below 0 later")
    wobble: float = field(0.0, "Wobble", hint="How far noise pushes the edge about")
    wobble_size: float = field(
        0.1, "Wobble size", unit="m", low=0.001, high=100.0, soft=(0.01, 2.0), logarithmic=True,
        hint="Metres across one bulge",
    )  # fmt: skip
    points: tuple[Vec2, ...] = option(
        ((0.0, 0.0), (0.35, 0.1), (0.65, 0.9), (1.0, 1.0)),
        "Seam curve",
        "curve",
        hint="Weight over amount, of a ramp",
        when=("kind", ("ramp",)),
    )

    @field_validator("points")
    @classmethod
    def _climbing(cls, points: tuple[Vec2, ...]) -> tuple[Vec2, ...]:
        xs, ys = [p[0] for p in points], [p[1] for p in points]
        if len(points) < 2 or points[0] != (0.0, 0.0) or points[-1] != (1.0, 1.0):
            raise ValueError("a seam's curve runs from (0, 0) to (1, 1)")
        if any(b <= a for a, b in itertools.pairwise(xs)) or ys != sorted(ys):
            raise ValueError("a seam's curve must climb from left to right")
        return points


_ON: When = ("on", (True,))


class Rim(Frozen):
    """A band along a seam with a look of its own: mortar creeping out, a damp edge, a worn lip."""

    on: bool = setting(False, "a band along the seam", "flag", hint="Mortar creeping out, a damp edge, a worn lip")
    width: float = field(0.3, "Rim width", low=0.01, high=1.0, when=_ON)
    tint: Color = field(
        (0.6, 0.55, 0.5), "Rim tint", kind="color", high=4.0, hint="Multiplies the colour in the band", when=_ON
    )
    strength: float = field(1.0, "Rim strength", when=_ON)
    roughness: float = field(
        0.0, "Rim roughness", low=-1.0, high=1.0, hint="Added to the roughness in the band", when=_ON
    )
    lift: float = field(0.0, "Rim lift", low=-1.0, high=1.0, hint="Added to the height in the band", when=_ON)


def wobbled(amount: Value, noise: Value, strength: Operand) -> Value:
    """An amount pushed about by noise (−1 to 1); 0 and 1 stay what they are."""
    a = lib.clamp(amount)
    return lib.clamp(a + noise * strength * (4.0 * a * (1.0 - a)))


def rim_band(seam: Seam, width: Operand, amount: Operand, above: Operand, below: Operand, softness: Operand,
             bias: Operand) -> Value:  # fmt: skip
    """Where the rim lies, 0 to 1: full in the middle of the seam, 0 where the amount is 0 or 1."""
    if seam.kind in ("interlock", "cut"):
        w = weight(seam, amount, above, below, lib.as_value(softness) + width, bias)
        return 4.0 * w * (1.0 - w)
    w = weight(seam, amount, above, below, softness, bias)
    return lib.clamp(1.0 - lib.unary("abs", 2.0 * w - 1.0) / width)


def weight(seam: Seam, amount: Operand, above: Operand, below: Operand, softness: Operand, bias: Operand) -> Value:
    """The coat's weight, 0 to 1, from its amount and the heights of coat and ground (all floats).

    Amount 0 gives 0 and amount 1 gives 1 for every kind, whatever the heights.
    """
    a = lib.clamp(amount)
    if not lib.is_const(lib.as_value(bias), 0.0):
        a = a + a * (1.0 - a) * bias
    if seam.kind == "soft":
        return a
    if seam.kind == "cut":
        return lib.clamp((a - 0.5) / softness + 0.5)
    if seam.kind == "ramp":
        xs, ys = zip(*seam.points, strict=True)
        return lib.ramp(a, xs, ys)
    # The heights' difference shifted by (2 a - 1)(1 + d), a ramp 2 d wide round 0; in this form rounding never lets
    # a coat through at amount 0, nor the ground at 1.
    return lib.clamp((lib.as_value(above) - below + (2.0 * a - 1.0)) / (2.0 * lib.as_value(softness)) + a)
