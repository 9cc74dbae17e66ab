"""Rings that drops of rain make on standing water."""

from __future__ import annotations

from jade_coat.material.shared import TIME
from jade_coat.program import Value, combine, const, lib

SCALES = (0.23, 0.31, 0.17)
"""How far from drop to drop, metres: one ring at a time in each square of each of these grids."""
REACH = 0.3
"""How far a ring goes, in such squares: from where drops fall it stays within its own."""
WIDTH = 0.035
"""How wide a ring is, in the same."""
EDGE = REACH + 2.2 * WIDTH
"""How far from the edge of its square a drop falls, at the least: no ring is cut."""
RATE = 0.85
"""How often a drop falls in a square, a second."""
STEEP = 0.8
"""The slope of a ring's waves where it begins."""


def rings(at: Value, strength: Value) -> Value:
    """The normal of water that rain falls on at places `at`, metres along x and z, in tangent space.

    `strength` is 0–1. Rings widen evenly and die away; each square draws its own place and moment by chance.
    """
    slope: Value = const(0.0, 0.0)
    time = lib.shared(TIME)
    for k, scale in enumerate(SCALES):
        p = at / scale + 0.37 * k
        cell = lib.unary("floor", p)
        turn = time * RATE + lib.hashed(combine(cell.x, cell.y, const(3.0 + 5.0 * k))).x
        round_, age = lib.unary("floor", turn), lib.unary("fract", turn)
        drop = lib.hashed(combine(cell.x, cell.y, round_ + 7.0 * k))
        chance = combine(drop.x, drop.y)
        away = p - cell - (EDGE + (1.0 - 2.0 * EDGE) * chance)
        far = lib.length(away)
        off = (far - age * REACH) / WIDTH
        wave = off * lib.unary("exp", off * off * -1.0) * (1.0 - age)
        slope = slope + away / lib.maximum(far, 1e-4) * wave
    slope = slope * (strength * STEEP)
    return lib.normalize(combine(slope.x, slope.y, const(1.0)))
