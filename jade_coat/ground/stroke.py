"""What a brush does to heights and to the weights of layers, dab by dab."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Literal

import cv2
import numpy as np

from jade_coat.ground.heights import Heights
from jade_coat.ground.pages import Pages, Rect
from jade_coat.material.fields import Frozen, field
from jade_coat.program.types import Array

Deed = Literal["paint", "erase", "soften", "raise", "lower", "smooth", "flatten", "terrace", "roughen", "ramp"]
DEED_LABELS: dict[Deed, str] = {
    "paint": "Paint", "erase": "Take away", "soften": "Soften", "raise": "Raise", "lower": "Lower",
    "smooth": "Smooth", "flatten": "Flatten", "terrace": "Terrace", "roughen": "Roughen", "ramp": "Ramp",
}  # fmt: skip
DEED_HINTS: dict[Deed, str] = {
    "paint": "Lay the chosen layer on, towards the value", "erase": "Take the chosen layer away",
    "soften": "Blur what is painted of the chosen layer", "raise": "Lift the ground", "lower": "Sink the ground",
    "smooth": "Even out what is rough", "flatten": "Bring the ground to the height where the stroke began",
    "terrace": "Bring the ground to steps", "roughen": "Add bumps", "ramp": "Drag from one place to another: the "
    "ground between runs straight from the height of the one to that of the other",
}  # fmt: skip
PAINTING: tuple[Deed, ...] = ("paint", "erase", "soften")
SHAPING: tuple[Deed, ...] = ("raise", "lower", "smooth", "flatten", "terrace", "roughen", "ramp")
DABBING = (*PAINTING, *SHAPING[:-1])
"""Those that go on dab by dab."""
RISE = 0.12
"""How far a dab at full strength lifts the ground, of its radius."""
FULL = 255
LEAST = 0.02
"""Where a dab does less than this it does nothing: weights have 255 steps."""


class GroundBrush(Frozen):
    """How a brush works on a ground; lengths in metres."""

    deed: Deed = "paint"
    radius: float = field(3.0, "Radius", unit="m", low=0.02, high=2000.0, soft=(0.2, 40.0), logarithmic=True)
    strength: float = field(0.35, "Strength", low=0.01, when=("deed", DABBING), hint="How much of it a dab does")
    hard: float = field(0.3, "Hardness", high=0.98, hint="How much of the radius is at full strength")
    value: float = field(1.0, "Value", when=("deed", ("paint",)), hint="What is painted towards")
    ragged: float = field(0.3, "Ragged edge", when=("deed", ("paint", "erase")), hint="How far noise frays the edge")
    step: float = field(
        0.8, "Steps", unit="m", low=0.01, high=1000.0, soft=(0.1, 10.0), logarithmic=True, when=("deed", ("terrace",))
    )

    @property
    def shapes(self) -> bool:
        """Whether it changes the heights, and not a layer."""
        return self.deed in SHAPING


def _cells(pages: Pages, size: tuple[float, float]) -> tuple[float, float]:
    """Metres from cell to cell of a grid whose first and last cells lie on the edges, along x and z."""
    return size[0] / (pages.columns - 1), size[1] / (pages.rows - 1)


def _touched(pages: Pages, size: tuple[float, float], low: Array, high: Array) -> tuple[Rect, Array, Array]:
    """The cells between two corners, metres, and where they lie: x `(1, w)` and z `(h, 1)`."""
    dx, dz = _cells(pages, size)
    top, bottom = max(int(np.floor(low[1] / dz)), 0), min(int(np.ceil(high[1] / dz)) + 1, pages.rows)
    left, right = max(int(np.floor(low[0] / dx)), 0), min(int(np.ceil(high[0] / dx)) + 1, pages.columns)
    return (top, bottom, left, right), np.arange(left, right)[None] * dx, np.arange(top, bottom)[:, None] * dz


def _share(away: Array, brush: GroundBrush) -> Array:
    """How much a dab does, 0–1, by how far from its middle, in radii."""
    t = np.clip((away - brush.hard) / max(1 - brush.hard, 1e-3), 0, 1)
    return np.asarray((1 - t * t) ** 2)


def bumps(x: Array, z: Array, size: float) -> Array:
    """Smooth noise 0–1 that stays where it is, `size` metres a bump, two octaves."""
    total = np.zeros(np.broadcast(x, z).shape)
    for octave, weight in ((1.0, 0.65), (2.3, 0.35)):
        u, v = x / size * octave, z / size * octave
        u0, v0 = np.floor(u), np.floor(v)
        fu, fv = (f * f * (3 - 2 * f) for f in (u - u0, v - v0))
        a, b, c, d = (_chance(u0 + i, v0 + j) for j in (0, 1) for i in (0, 1))
        total = total + weight * ((a * (1 - fu) + b * fu) * (1 - fv) + (c * (1 - fu) + d * fu) * fv)
    return np.asarray(total)


def _chance(u: Array, v: Array) -> Array:
    """A number 0–1 for each cell of a lattice, by an integer hash (after Jarzynski & Olano 2020, pcg)."""
    state = (u.astype(np.int64).astype(np.uint32) * np.uint32(747796405)) ^ (
        v.astype(np.int64).astype(np.uint32) * np.uint32(2891336453)
    )
    word = ((state >> ((state >> np.uint32(28)) + np.uint32(4))) ^ state) * np.uint32(277803737)
    return np.asarray(((word >> np.uint32(22)) ^ word) / 2.0**32)


def shaped(heights: Heights, brush: GroundBrush, place: Array, level: float) -> Heights:
    """Heights after a dab at `place` `(2,)`, metres from the corner; `level` is where a flattening stroke began."""
    pages = heights.pages
    rect, x, z = _touched(pages, heights.size, place - brush.radius, place + brush.radius)
    if rect[0] >= rect[1] or rect[2] >= rect[3]:
        return heights
    before = pages.values(rect).astype(np.float64)
    share = _share(np.hypot(x - place[0], z - place[1]) / brush.radius, brush) * brush.strength
    rise = brush.radius * RISE
    if brush.deed == "raise":
        after = before + share * rise
    elif brush.deed == "lower":
        after = before - share * rise
    elif brush.deed == "flatten":
        after = before + (level - before) * share
    elif brush.deed == "terrace":
        after = before + (np.round(before / brush.step) * brush.step - before) * share
    elif brush.deed == "roughen":
        after = before + (bumps(x, z, brush.radius * 0.4) - 0.5) * share * rise
    else:
        after = before + (_blurred(pages, rect, brush, heights.spacing) - before) * share
    return heights.with_pages(pages.with_values(rect[0], rect[2], after.astype(np.float32)))


def ramped(heights: Heights, brush: GroundBrush, start: Array, end: Array) -> Heights:
    """Heights that run straight from those at one place to those at another, as wide as the brush; metres."""
    pages = heights.pages
    low, high = np.minimum(start, end) - brush.radius, np.maximum(start, end) + brush.radius
    rect, x, z = _touched(pages, heights.size, low, high)
    if rect[0] >= rect[1] or rect[2] >= rect[3]:
        return heights
    way = end - start
    t = np.clip(((x - start[0]) * way[0] + (z - start[1]) * way[1]) / max(float(way @ way), 1e-9), 0, 1)
    away = np.hypot(x - start[0] - t * way[0], z - start[1] - t * way[1])
    first, last = heights.at(np.stack([start, end]))
    before = pages.values(rect).astype(np.float64)
    after = before + (first + (last - first) * t - before) * _share(away / brush.radius, brush)
    return heights.with_pages(pages.with_values(rect[0], rect[2], after.astype(np.float32)))


def _blurred(pages: Pages, rect: Rect, brush: GroundBrush, spacing: tuple[float, float]) -> Array:
    """A grid as a wide blur has it, in some cells."""
    sigma = max(brush.radius * 0.2 / min(spacing), 0.8)
    edge = int(np.ceil(3 * sigma))
    top, bottom, left, right = rect
    wide = pages.values((top - edge, bottom + edge, left - edge, right + edge)).astype(np.float32)
    return np.asarray(cv2.GaussianBlur(wide, (0, 0), sigma)[edge:-edge, edge:-edge], np.float64)


def painted(
    weights: Mapping[str, Pages], sharing: Sequence[str], layer: str, size: tuple[float, float], brush: GroundBrush,
    place: Array,
) -> dict[str, Pages]:  # fmt: skip
    """The weights of the layers that a dab changes, at `place` `(2,)`, metres from the corner.

    Where the layer is one of those `sharing` a place out, the others of them make room for it: painted fully it is
    alone. Where it is taken away they share what it leaves; where there are none, the first fills in.
    """
    pages = weights[layer]
    rect, x, z = _touched(pages, size, place - brush.radius, place + brush.radius)
    if rect[0] >= rect[1] or rect[2] >= rect[3]:
        return {}
    share = _share(np.hypot(x - place[0], z - place[1]) / brush.radius, brush)
    if brush.deed != "soften" and brush.ragged > 0:
        frayed = share * (1 + brush.ragged) - brush.ragged * bumps(x, z, brush.radius * 0.35) * (share < 1)
        share = np.clip(frayed, 0, 1)
    share = share * brush.strength
    before = pages.values(rect).astype(np.float64)
    wanted = {"paint": brush.value * FULL, "erase": 0.0}.get(brush.deed)
    target = _blurred(pages, rect, brush, _cells(pages, size)) if wanted is None else wanted
    after = _towards(before, target, share)
    made = {layer: pages.with_values(rect[0], rect[2], after.astype(np.uint8))}
    if layer not in sharing:
        return made
    others = [name for name in sharing if name != layer]
    if not others:
        return {}  # the only one that shares is always alone
    first = others[0]  # it fills in where there are none
    there = [name for name in others if name == first or not weights[name].is_bare(rect)]
    theirs = {name: weights[name].values(rect).astype(np.float64) for name in there}
    changed = after != before
    for name, room in shared_out(theirs, there, layer, after).items():
        now = np.where(changed, np.rint(room), theirs[name])
        if not np.array_equal(now, theirs[name]):
            made[name] = weights[name].with_values(rect[0], rect[2], now.astype(np.uint8))
    return made


def shared_out(weights: Mapping[str, Array], sharing: Sequence[str], layer: str, own: Array) -> dict[str, Array]:
    """The weights of the other layers that share a place with one whose own are these: they come to the rest of it.

    Where there are none of them, the first fills in.
    """
    others = [name for name in sharing if name != layer]
    total = sum((weights[name] for name in others), np.zeros_like(own))
    left, bare = FULL - own, total <= 0
    return {
        name: np.where(bare, left if i == 0 else 0.0, weights[name] * left / np.maximum(total, 1e-9))
        for i, name in enumerate(others)
    }


def by_hand_after(by_hand: Pages, size: tuple[float, float], brush: GroundBrush, place: Array) -> Pages:
    """How far cells are painted by hand, 0–255, after one more dab."""
    rect, x, z = _touched(by_hand, size, place - brush.radius, place + brush.radius)
    if rect[0] >= rect[1] or rect[2] >= rect[3]:
        return by_hand
    share = _share(np.hypot(x - place[0], z - place[1]) / brush.radius, brush) * brush.strength
    before = by_hand.values(rect).astype(np.float64)
    return by_hand.with_values(rect[0], rect[2], _towards(before, float(FULL), share).astype(np.uint8))


def _towards(before: Array, target: Array | float, share: Array) -> Array:
    """Weights a share of the way towards others; at least by one step where a dab does anything."""
    moved = (target - before) * share
    stepped = np.where(moved > 0, np.ceil(moved - 1e-6), np.floor(moved + 1e-6))
    return np.clip(before + np.where(share >= LEAST, stepped, 0.0), 0, FULL)
