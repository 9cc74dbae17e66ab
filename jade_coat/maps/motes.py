"""Motes: soft round lights of many sizes, stars and tiling noises, packed into the channels of one map."""

from __future__ import annotations

import math
from typing import Literal

import numpy as np

from jade_coat.maps.images import png_bytes, quantized
from jade_coat.material.fields import Frozen, Vec2, field, option
from jade_coat.program.types import Array

Bits = Literal["8", "16"]
BITS: dict[Bits, str] = {"8": "8 bits", "16": "16 bits"}
REGIONS, LIGHTS, NOISES, FILE = "Regions", "Motes", "Noises", "File"
MARGIN = 0.02
"""The share of a region at its rim that stays empty, so that nothing of a neighbour is filtered in."""
FULL_DARK = 1.5e-5
"""What is fainter than this is left out: no step of 16 bits holds it."""


class Motes(Frozen):
    """What a map of motes is made from: R soft motes, G and B two noises that tile, A stars with a cross.

    Regions lie row by row, from the one with the most motes to the one with the fewest; each has room for itself.
    """

    columns: int = option(2, "Across", "integer", low=1, high=16, soft=(1, 4), group=REGIONS)
    rows: int = option(2, "Down", "integer", low=1, high=16, soft=(1, 4), group=REGIONS)
    most: int = option(
        24, "In the first", "integer", low=1, high=400, soft=(1, 80), group=REGIONS, hint="Motes in the densest region"
    )
    least: int = option(1, "In the last", "integer", low=1, high=400, soft=(1, 80), group=REGIONS)
    size: Vec2 = field(
        (0.06, 0.9), "Sizes", kind="range", low=0.01, high=1.0, group=LIGHTS,
        hint="Across, from the smallest to the largest, as shares of a region",
    )  # fmt: skip
    soft: float = field(
        2.2, "Falls off", low=0.5, high=8.0, soft=(1.0, 5.0), group=LIGHTS, hint="Above 1 faster from the middle"
    )
    core: float = field(0.25, "Core", group=LIGHTS, hint="How much of a mote's light is in a small core")
    dim: float = field(0.6, "Dim by chance", group=LIGHTS, hint="How far the faintest falls below the brightest")
    scale: Vec2 = field(
        (5.0, 9.0), "Scales", kind="pair", low=1.0, high=64.0, soft=(2.0, 24.0), group=NOISES,
        hint="How many features of each noise lie across the map",
    )  # fmt: skip
    contrast: float = field(1.0, "Contrast", high=4.0, soft=(0.3, 2.0), group=NOISES)
    seed: int = option(1, "Seed", "integer", low=0, high=1_000_000, soft=(0, 100), group=FILE)
    side: int = option(1024, "Side", "integer", low=64, high=4096, soft=(128, 2048), group=FILE, unit="texels")
    bits: Bits = option("16", "Steps", "choice", BITS, group=FILE)

    @property
    def regions(self) -> int:
        """How many there are."""
        return self.columns * self.rows

    def count_in(self, region: int) -> int:
        """How many motes a region has, by its number from 0: fewer in equal ratios."""
        share = region / max(self.regions - 1, 1)
        return max(round(self.most ** (1 - share) * self.least**share), 1)

    def channels(self) -> Array:
        """The map `(side, side, 4) float32`, 0 to 1, linear."""
        from jade_coat.maps.synthesis import noise  # slow to import, and no start need wait for it

        out = np.zeros((self.side, self.side, 4), np.float32)
        for region in range(self.regions):
            row, column = divmod(region, self.columns)
            top, bottom = (round(r * self.side / self.rows) for r in (row, row + 1))
            left, right = (round(c * self.side / self.columns) for c in (column, column + 1))
            part = out[top:bottom, left:right]
            for channel, starry in ((0, False), (3, True)):
                part[..., channel] = self._lights(part.shape[0], part.shape[1], region, starry)
        for channel in (1, 2):
            made = noise(self.side, self.seed + 7919 * channel, self.scale[channel - 1])
            out[..., channel] = np.clip(0.5 + made * (0.22 * self.contrast), 0, 1)
        return out

    def file(self) -> bytes:
        """The map as a PNG."""
        return self.file_of(self.channels())

    def file_of(self, channels: Array) -> bytes:
        """The map as a PNG, of its channels as they were worked out."""
        return png_bytes(quantized(channels, int(self.bits)))

    def _lights(self, high: int, wide: int, region: int, starry: bool) -> Array:
        """The motes or the stars of one region `(high, wide)`, added, and brought below 1."""
        rng = np.random.default_rng((self.seed, region, starry))
        count = self.count_in(region)
        small, large = min(self.size), max(self.size)
        # Small ones are many and large ones few: sizes are even by their logarithm. Alone one is as large as can be.
        sizes = small * (large / small) ** (rng.random(count) ** 2) if count > 1 else np.array([large])
        sizes = np.minimum(sizes, 1 - 2 * MARGIN)
        total = np.zeros((high, wide))
        taken: list[tuple[float, float]] = []
        for size in np.sort(sizes)[::-1]:
            half = size / 2
            tries = half + MARGIN + rng.random((12, 2)) * (1 - 2 * (half + MARGIN))
            away = [min((math.hypot(px - tx, py - ty) for tx, ty in taken), default=0.0) for px, py in tries]
            px, py = tries[int(np.argmax(away))] if taken else np.clip([0.5, 0.5], half + MARGIN, 1 - half - MARGIN)
            taken.append((px, py))
            bright = 1 - self.dim * rng.random() if count > 1 else 1.0
            box = tuple(
                slice(max(math.floor((p - half) * n), 0), min(math.ceil((p + half) * n), n))
                for p, n in ((py, high), (px, wide))
            )
            y, x = (((np.arange(part.start, part.stop) + 0.5) / n - p)
                    for part, n, p in zip(box, (high, wide), (py, px), strict=True))  # fmt: skip
            total[box] += bright * self._one(x[None], y[:, None], half, starry)
        return np.asarray(np.where(total < FULL_DARK, 0.0, total / max(float(total.max()), 1.0)))

    def _one(self, dx: Array, dy: Array, half: float, starry: bool) -> Array:
        """One light about the origin, 1 in its middle and nothing beyond `half`."""
        far = np.clip(1 - np.hypot(dx, dy) / half, 0, 1)
        halo = far**self.soft
        core = np.clip(1 - np.hypot(dx, dy) / (half * 0.3), 0, 1) ** 2
        made = (1 - self.core) * halo * halo + self.core * core
        if starry:
            across, along = np.abs(dx) / half, np.abs(dy) / half
            long = np.clip(1 - np.maximum(across, along), 0, 1)
            cross = np.clip(1 - np.minimum(across, along) / (0.05 * np.maximum(long, 1e-6)), 0, 1) * long**2
            made = np.maximum(core, cross * 0.8) + 0.15 * halo**3
        return np.asarray(np.clip(made, 0, 1))
