"""Grounds made from numbers and a seed: ridges and dales, terraces, and what streams have cut."""

from __future__ import annotations

import math

import cv2
import numpy as np

from jade_coat.ground.heights import MOST, Heights
from jade_coat.material.fields import Frozen, field, option
from jade_coat.program.types import Array

LAND, TERRACES, STREAMS, SIZE = "Land", "Terraces", "Streams", "Size"


class Land(Frozen):
    """What a ground is made from. The same numbers give the same heights."""

    samples: int = option(513, "Samples", "integer", low=33, high=MOST, soft=(129, 2049), group=SIZE,
                          hint="Along an edge")  # fmt: skip
    across: float = field(64.0, "Across", unit="m", low=1.0, high=100_000.0, soft=(8.0, 1000.0), logarithmic=True,
                          group=SIZE)  # fmt: skip
    seed: int = option(1, "Seed", "integer", low=0, high=1_000_000, soft=(0, 100), group=LAND)
    height: float = field(6.0, "Height", unit="m", high=10_000.0, soft=(0.0, 60.0), group=LAND)
    hill: float = field(32.0, "Hills across", unit="m", low=0.5, high=100_000.0, soft=(2.0, 500.0), logarithmic=True,
                        group=LAND, hint="From crest to crest")  # fmt: skip
    rough: float = field(0.45, "Roughness", group=LAND, hint="How much smaller forms matter")
    ridged: float = field(0.4, "Ridges", group=LAND, hint="0 is round hills, 1 sharp crests")
    lean: float = field(0.0, "Leans", low=-1.0, high=1.0, group=LAND, hint="How far the land falls along z, in heights")
    steps: int = option(0, "Steps", "integer", low=0, high=64, soft=(0, 12), group=TERRACES, hint="0 is none")
    flat: float = field(0.7, "Level part", group=TERRACES, hint="Of each step")
    streams: float = field(0.0, "Cut in", group=STREAMS, hint="How deep streams have cut in")

    def heights(self) -> Heights:
        """The heights; the ground is square."""
        n = self.samples
        land = self._hills(n)
        land = land - self.lean * np.linspace(-0.5, 0.5, n)[:, None]
        if self.streams > 0:
            land = self._cut(land)
        if self.steps:
            land = _terraced(land, self.steps, self.flat)
        return Heights.of((land * self.height).astype(np.float32), (self.across, self.across))

    def _hills(self, n: int) -> Array:
        """Octaves of smooth noise, round or folded into crests, 0–1."""
        rng = np.random.default_rng(self.seed)
        total, weight, sum_of = np.zeros((n, n)), 1.0, 0.0
        cells = max(self.across / self.hill, 0.5)
        while sum_of < 8 and cells < n / 2:
            noise = _noise(rng, cells, n)
            folded = 1 - np.abs(noise * 2 - 1)
            total += weight * (noise * (1 - self.ridged) + folded * self.ridged)
            sum_of += 1
            weight, cells = weight * self.rough, cells * 2
        low, high = total.min(), total.max()
        return np.asarray((total - low) / max(high - low, 1e-9))

    def _cut(self, land: Array) -> Array:
        """Streams cut in on a coarser grid, and what that changes is laid onto the fine one."""
        from jade_coat.ground.flow import eroded  # slow to import, and only where streams run

        coarse = min(self.samples, 513)
        small = cv2.resize(land.astype(np.float32), (coarse, coarse), interpolation=cv2.INTER_AREA).astype(np.float64)
        spacing = self.across / (coarse - 1) / max(self.height, 1e-3)
        cut = eroded(small, spacing, 0.02 * self.streams, round(8 + 16 * self.streams), np.zeros_like(small))
        deeper = cv2.resize((cut - small).astype(np.float32), land.shape[::-1], interpolation=cv2.INTER_CUBIC)
        return np.asarray(np.clip(land + deeper, 0, None))


def _noise(rng: np.random.Generator, cells: float, n: int) -> Array:
    """Smooth noise 0–1 with so many cells across."""
    count = math.ceil(cells) + 4
    grid = rng.random((count, count)).astype(np.float32)
    at = (np.linspace(0, cells, n, dtype=np.float32) + 1.5).astype(np.float32)
    x, y = np.meshgrid(at, at)
    return np.asarray(np.clip(cv2.remap(grid, x, y, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REFLECT), 0, 1), np.float64)


def _terraced(land: Array, steps: int, flat: float) -> Array:
    """Land in level steps with slopes between."""
    at = land * steps
    base = np.floor(at)
    share = np.clip((at - base - flat) / max(1 - flat, 1e-3), 0, 1)
    return np.asarray((base + share * share * (3 - 2 * share)) / steps)
