"""How much of each coat is seen in the end, and the colours that coats and layers are told apart by."""

from __future__ import annotations

from jade_coat.material.material import Coat, Material
from jade_coat.program import Value, const

COAT_COLORS = (
    (0.0, 0.447, 0.698), (0.902, 0.624, 0.0), (0.0, 0.62, 0.451), (0.8, 0.475, 0.655),
    (0.337, 0.706, 0.914), (0.835, 0.369, 0.0), (0.941, 0.894, 0.259), (0.6, 0.6, 0.6),
)  # fmt: skip
"""Colours that stay apart for the colour-blind, sRGB 0–1 (Okabe & Ito 2008, grey instead of black)."""


def coat_color(index: int) -> tuple[float, float, float]:
    """The colour that a coat or a layer is told apart by, sRGB 0–1."""
    return COAT_COLORS[index % len(COAT_COLORS)]


def coverage_of(material: Material, weights: list[tuple[Coat, Value]]) -> dict[str, Value]:
    """How much of each coat is seen in the end, and all of them as one colour."""
    found: dict[str, Value] = {}
    left: Value = const(1.0)
    color: Value = const(0.0, 0.0, 0.0)
    for coat, w in reversed(weights):
        seen = left * w
        left = left * (1.0 - w)
        found[f"coverage:{coat.id}"] = seen
        color = color + seen * const(*coat_color(material.coats.index(coat)))
    return {"coverage": color, **found}
