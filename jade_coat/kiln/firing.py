"""Fires a brief: makes its maps, step by step, from a seed; a small tile is the large one seen from further away."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from jade_coat.kiln.brief import Brief
from jade_coat.kiln.stuffs import PATTERNS, STUFFS, Laid, Stuff, nested_noise
from jade_coat.maps.color import LUMINANCE, hex_to_linear, to_srgb
from jade_coat.maps.images import png_bytes, quantized
from jade_coat.maps.synthesis import blur, cells, ease, normal_from_height, occlusion_from_height
from jade_coat.program.types import Array

SIDES = (64, 128, 256, 512, 1024)
"""Texels across a tile that can be fired."""


@dataclass(frozen=True)
class Fired:
    """The maps of a tile: linear colour `(n, n, 3)`, the others `(n, n)` 0–1, and its real size in metres.

    `depth` is the height of its full relief in tile widths.
    """

    color: Array
    height: Array
    roughness: Array
    metallic: Array
    depth: float
    size: float

    def normal(self) -> Array:
        """Its normals, green up, `(n, n, 3)`, which follow from its height."""
        return normal_from_height(self.height, self.depth)

    def occlusion(self) -> Array:
        """How far its places lie below what is round them."""
        return occlusion_from_height(self.height, 3.5)

    def files(self) -> dict[str, bytes]:
        """The maps as PNG files by role; metallic only where there is any."""
        found = {
            "base_color": png_bytes(quantized(to_srgb(self.color))),
            "normal": png_bytes(quantized(self.normal() * 0.5 + 0.5, 16)),
            "roughness": png_bytes(quantized(self.roughness)), "occlusion": png_bytes(quantized(self.occlusion())),
            "height": png_bytes(quantized(self.height, 16)),
        }  # fmt: skip
        if self.metallic.any():
            found["metallic"] = png_bytes(quantized(self.metallic))
        return found


@dataclass
class _Work:
    """A tile in the making."""

    brief: Brief
    seed: int
    size: int
    color: Array
    height: Array
    roughness: Array
    metallic: Array

    def noise(self, number: int, scale: float, slope: float = 1.6) -> Array:
        """Noise of its own by number, coarser as the brief is."""
        return nested_noise(self.size, self.seed * 64 + number, max(scale / 2**self.brief.coarse, 1.0), slope)

    def lay(self, mask: Array, color: Array, roughness: float, metallic: float = 0.0) -> None:
        """Lay a colour over it by a mask 0–1."""
        m = np.clip(mask, 0, 1).astype(np.float32)
        self.color = self.color * (1 - m[..., None]) + color * m[..., None]
        self.roughness = self.roughness * (1 - m) + roughness * m
        self.metallic = self.metallic * (1 - m) + metallic * m


def fire(brief: Brief, seed: int, side: int) -> Fired:
    """The maps of a brief: the same brief, seed and side give the same bytes. Raises ValueError for another side."""
    if side not in SIDES:
        raise ValueError(f"a tile is {', '.join(map(str, SIDES))} texels across, not {side}")
    stuff = STUFFS[brief.stuff]
    laid = PATTERNS[brief.pattern](side, seed, brief.coarse)
    work = _base(brief, seed, side, stuff, laid)
    for step in (_break, _age, _soot, _dust, _grow):
        step(work, stuff, laid)
    _finish(work)
    return Fired(
        np.clip(work.color, 0, 1).astype(np.float32), np.clip(work.height, 0, 1).astype(np.float32),
        np.clip(work.roughness, 0.04, 1).astype(np.float32), np.clip(work.metallic, 0, 1).astype(np.float32),
        stuff.depth * brief.relief * (1.4 if brief.pattern != "plain" else 1.0),
        round(stuff.size * 2**brief.coarse, 3),
    )  # fmt: skip


def _base(brief: Brief, seed: int, side: int, stuff: Stuff, laid: Laid) -> _Work:
    empty = np.zeros((side, side), np.float32)
    work = _Work(brief, seed, side, np.zeros((side, side, 3), np.float32), empty, empty, empty)
    relief: Array = np.zeros_like(empty)
    tone: Array = np.zeros_like(empty)
    for i, (scale, slope, raised, toned) in enumerate(stuff.grains):
        grain = nested_noise(side, seed * 64 + i, max(scale / 2**brief.coarse, 1.0), slope, across=stuff.drawn_out)
        relief += grain * raised * 0.48
        tone += grain * toned * 0.3
    tone = 0.5 + tone + (0.35 if brief.pattern == "leaves" else 0.10) * (laid.chance - 0.5)
    body = 0.5 + 0.28 * np.tanh(relief)
    inside = laid.inside
    patterned = brief.pattern != "plain"
    height: Array = (0.12 + 0.06 * relief) * (1 - inside) + (0.2 + 0.62 * laid.relief + 0.5 * (body - 0.5)) * inside
    work.height = (height if patterned else body).astype(np.float32)
    stops = stuff.stops()
    if brief.tint is not None:
        light = stops @ LUMINANCE
        stops = np.clip(np.array(brief.tint, np.float32) * (light / light[1])[:, None], 0, 1)
    xs = np.linspace(0, 1, len(stops))
    mixed = [np.interp(tone, xs, stops[:, c]) for c in range(3)]
    work.color = np.stack(mixed, axis=2).astype(np.float32)
    work.roughness = np.clip(stuff.roughness + 0.05 * tone - 0.03, 0.05, 1).astype(np.float32)
    work.metallic = np.full_like(empty, stuff.metallic)
    if patterned and brief.pattern not in ("rings", "weave", "leaves"):
        mortar = np.array(hex_to_linear("#6f6657"), np.float32) * (0.9 + 0.25 * work.noise(20, 60, 0.9)[..., None])
        work.lay(1 - inside, np.clip(mortar, 0, 1), 0.95)
    return work


def _break(work: _Work, stuff: Stuff, laid: Laid) -> None:
    """Cracks between plates, and pieces chipped off where the relief is high."""
    amount = work.brief.broken
    if amount <= 0:
        return
    warp = np.stack([work.noise(i, 9, 2.0) for i in (21, 22)]) * 0.02
    plates = cells(work.size, work.seed * 64 + 23, max(round((14 + 40 * amount) / 4**work.brief.coarse), 4), warp)
    gap = (plates.second - plates.first) * np.sqrt(plates.count)
    wander = 0.5 + 0.5 * np.tanh(work.noise(24, 3, 2.0) + 3.2 * amount - 1.2)
    crack = (1 - ease(0.0, 0.035 + 0.05 * amount, gap)) * wander
    chip = ease(1.9 - 1.5 * amount, 2.3 - 1.5 * amount, work.noise(25, 7, 1.5)) * laid.inside
    work.height = work.height - 0.34 * crack - 0.2 * chip * (0.6 + 0.4 * np.tanh(work.noise(26, 40, 1.2)))
    raw = np.clip(work.color * 1.25 + 0.04, 0, 1)
    work.lay(chip, raw, 0.93, stuff.metallic)
    work.lay(0.85 * crack, work.color * 0.25, 0.95)


def _age(work: _Work, stuff: Stuff, laid: Laid) -> None:
    """Stains that ran down, faded colour, worn heights; on metals the patina."""
    amount = work.brief.aged
    if amount <= 0:
        return
    drops = work.noise(30, 10, 1.8)
    run = sum(np.roll(drops, round(k * work.size / 48), 0) * 0.88**k for k in range(16))
    stain = ease(0.4, 2.2, np.asarray(run) / 3.0) * amount
    if stuff.metallic:
        low = 1 - blur(work.height, 0.004)
        mask = ease(1.1 - 1.1 * amount, 1.5 - 1.1 * amount, low + 0.33 * work.noise(31, 7, 1.7) + 0.2 * stain)
        patina = np.array(hex_to_linear(stuff.patina), np.float32) * (1 + 0.2 * work.noise(32, 30, 1.2)[..., None])
        work.lay(mask, np.clip(patina, 0, 1), 0.88)
        work.height = work.height + 0.06 * mask * (1 + 0.4 * work.noise(33, 80, 0.8))
        return
    grey = (work.color @ LUMINANCE)[..., None]
    work.color = work.color + (grey - work.color) * 0.35 * amount
    work.lay(0.5 * stain, work.color * 0.55, 0.9)
    worn = ease(0.62, 0.9, blur(work.height, 0.003) + 0.1 * work.noise(34, 12, 1.5)) * amount
    work.lay(0.4 * worn, np.clip(work.color * 1.35 + 0.03, 0, 1), 0.7)
    work.height = work.height - 0.05 * worn


def _soot(work: _Work, stuff: Stuff, laid: Laid) -> None:
    amount = work.brief.sooty
    if amount > 0:
        mask = ease(0.9 - 1.6 * amount, 1.9 - 1.6 * amount, work.noise(35, 3, 2.1) + 0.25 * work.noise(36, 40, 1.2))
        work.lay(0.85 * mask, np.array(hex_to_linear("#17140f"), np.float32), 0.96)


def _dust(work: _Work, stuff: Stuff, laid: Laid) -> None:
    """Dust lies in what is low."""
    amount = work.brief.dusty
    if amount > 0:
        low = 1 - work.height + 0.08 * work.noise(37, 30, 1.3)
        work.lay(0.8 * ease(0.95 - 0.9 * amount, 1.3 - 0.9 * amount, low), np.array(hex_to_linear("#9c8a70")), 0.97)


def _grow(work: _Work, stuff: Stuff, laid: Laid) -> None:
    """Growth starts in what is low, and covers more as it goes on."""
    amount = work.brief.grown
    if amount <= 0:
        return
    if work.brief.growth == "lichen":
        spots = cells(work.size, work.seed * 64 + 50, max(round(70 / 4**work.brief.coarse), 6))
        lot = np.random.default_rng(work.seed).random(spots.count)[spots.index]
        reach = spots.first * np.sqrt(spots.count) + 0.06 * work.noise(51, 24, 1.4)
        mask = ease(0.34, 0.24, reach) * (lot < amount)
        tint = np.array(hex_to_linear("#b9bb8f"), np.float32) * (0.75 + 0.5 * ease(0.1, 0.3, reach)[..., None])
        work.lay(mask, np.clip(tint, 0, 1), 0.95)
        work.height = work.height + 0.05 * mask
        return
    low = 1 - blur(work.height, 0.003)
    mask = ease(1.0 - amount, 1.22 - amount, low * 0.75 + 0.17 * work.noise(52, 5, 1.9) + 0.1)
    tufts = np.tanh(work.noise(53, 70, 0.9) * 0.7)
    wet = work.brief.growth == "algae"
    codes = ("#24301a", "#4d5e2c") if wet else ("#27340f", "#7d8335")
    dark, pale = (np.array(hex_to_linear(c), np.float32) for c in codes)
    work.lay(mask, dark + (pale - dark) * (0.45 + 0.45 * tufts)[..., None], 0.5 if wet else 0.94)
    if not wet:
        work.height = np.maximum(work.height, 0) + mask * (0.16 + 0.07 * tufts)


def _finish(work: _Work) -> None:
    """Warmth, brightness, strength of colour and gloss, over all."""
    brief = work.brief
    grey = (work.color @ LUMINANCE)[..., None]
    color = grey + (work.color - grey) * 2.0**brief.vivid
    warmth = np.array([1 + 0.22 * brief.warm, 1 + 0.02 * brief.warm, 1 - 0.22 * brief.warm], np.float32)
    work.color = np.clip(color * warmth * 2.0**brief.light, 0, 1)
    work.roughness = (
        work.roughness ** (2.0**brief.gloss) if brief.gloss >= 0 else 1 - (1 - work.roughness) * 2.0**brief.gloss
    )
