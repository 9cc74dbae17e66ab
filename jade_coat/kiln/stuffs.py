"""The stuffs and patterns of the simulated kiln, as fields over one tile that look the same at every size."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from jade_coat.maps.color import hex_to_linear
from jade_coat.maps.synthesis import cells, ease, grid
from jade_coat.program.types import Array

WIDEST = 1024
"""Texels across the largest tile that is fired."""


@lru_cache(maxsize=128)
def _deviation(scale: float, slope: float) -> float:
    fy, fx = np.fft.fftfreq(WIDEST, 1 / WIDEST)[:, None], np.fft.rfftfreq(WIDEST, 1 / WIDEST)[None]
    twice = np.where(fx > 0, 4.0, 1.0)  # a frequency across stands for its mirror image too
    return float(np.sqrt((twice * _gain(np.hypot(fx, fy), scale, slope) ** 2).sum()))


def _gain(f: Array, scale: float, slope: float) -> Array:
    safe = np.maximum(f, 1e-6)
    return np.asarray(np.where(f > 0, np.exp(-0.5 * (scale / safe) ** 2) * np.maximum(f, 1) ** -slope, 0))


def nested_noise(size: int, seed: int, scale: float, slope: float = 1.6, across: float = 1.0) -> Array:
    """Tiling noise `(size, size) float32` of mean 0 and deviation 1 that is the same picture at every size.

    Each octave of frequencies has random numbers of its own, so that a larger tile adds finer ones and changes nothing.
    `across` above 1 draws it out along y. `size` is a power of two.
    """
    from scipy import fft  # slow to import

    half = size // 2
    spectrum = np.zeros((size, half + 1), np.complex64)
    low = 0
    for band in range(half.bit_length() - 1):
        high = 2 << band
        drawn = np.random.default_rng([seed, band]).standard_normal((2 * high - 1, high, 2), dtype=np.float32)
        block = drawn[..., 0] + 1j * drawn[..., 1]
        line = np.arange(-high + 1, high)
        ring = np.maximum(np.abs(line)[:, None], np.arange(high)[None]) >= low
        at = np.ix_(line % size, np.arange(high))
        spectrum[at] += np.where(ring, block, 0)
        low = high
    fy, fx = np.fft.fftfreq(size, 1 / size)[:, None], np.fft.rfftfreq(size, 1 / size)[None]
    gain = _gain(np.hypot(fx, fy * across), scale, slope)
    centred = np.exp(1j * np.pi * (fx + fy) / size)  # texels are read in their middles, as at every other size
    made = fft.irfft2(spectrum * gain * centred, s=(size, size)) * (size * size)
    return (made * np.sqrt(across) / _deviation(scale, slope)).astype(np.float32)


@dataclass(frozen=True)
class Stuff:
    """What a tile is made of: the project category it belongs to, its colours from dark to light, and its grain.

    `grains` are scale, slope, amount in the relief and amount in the tone. `size` are the metres of a tile, `depth` the
    height of its relief in tile widths. `drawn_out` stretches the grain along y.
    """

    category: str
    colors: tuple[str, ...]
    roughness: float
    grains: tuple[tuple[float, float, float, float], ...]
    size: float = 1.0
    depth: float = 0.016
    metallic: float = 0.0
    drawn_out: float = 1.0
    patina: str = ""
    """The colour of what a metal turns to."""

    def stops(self) -> Array:
        """Its colours, linear, `(n, 3)`."""
        return np.array([hex_to_linear(c) for c in self.colors], np.float32)


STUFFS: dict[str, Stuff] = {
    "clay": Stuff("Clay", ("#4a2a1d", "#85503a", "#b97f5d"), 0.88,
                      ((4, 2.1, 0.30, 0.5), (28, 1.4, 0.14, 0.3), (110, 0.7, 0.05, 0.2))),
    "plaster": Stuff("Plaster", ("#8d8070", "#c0b49e", "#e4dbc8"), 0.9,
                         ((5, 2.2, 0.34, 0.4), (18, 1.7, 0.14, 0.3), (130, 0.6, 0.06, 0.15))),
    "stone": Stuff("Stone", ("#4b4a47", "#7d7a73", "#b0aba0"), 0.82,
                       ((4, 1.9, 0.36, 0.4), (20, 1.5, 0.2, 0.4), (90, 0.8, 0.08, 0.35)), depth=0.022),
    "sand": Stuff("Sand", ("#8f744f", "#b99c70", "#dcc59b"), 0.94,
                      ((6, 2.2, 0.22, 0.4), (60, 1.0, 0.10, 0.3), (220, 0.3, 0.10, 0.4)), depth=0.01),
    "wood": Stuff("Wood", ("#3f2a1a", "#745033", "#a67d53"), 0.72,
                      ((14, 1.4, 0.16, 0.6), (60, 1.0, 0.10, 0.5), (180, 0.6, 0.05, 0.3)), depth=0.008, drawn_out=9.0),
    "copper": Stuff("Metal", ("#8c4a2f", "#c47a52", "#e3a57c"), 0.32,
                        ((5, 2.0, 0.12, 0.4), (80, 0.9, 0.04, 0.3)), depth=0.004, metallic=1.0, patina="#5f9484"),
    "iron": Stuff("Metal", ("#2e2d2d", "#565555", "#868483"), 0.48,
                      ((5, 2.0, 0.16, 0.4), (70, 0.9, 0.06, 0.4)), depth=0.005, metallic=1.0, patina="#7a3f22"),
    "cloth": Stuff("Cloth", ("#6b6250", "#9c9078", "#c7bda6"), 0.95,
                       ((6, 2.0, 0.14, 0.4), (120, 0.6, 0.08, 0.3)), size=0.3, depth=0.02),
    "glaze": Stuff("Clay", ("#2f5347", "#6a927d", "#b9d3bb"), 0.16,
                       ((5, 2.1, 0.10, 0.6), (24, 1.6, 0.04, 0.25)), depth=0.014),
    "leaf": Stuff("Leaf", ("#3a2c16", "#6f5a2a", "#a08743"), 0.8,
                      ((6, 1.9, 0.2, 0.4), (80, 0.9, 0.1, 0.3)), size=0.6, depth=0.03),
    "moss": Stuff("Leaf", ("#1a240b", "#4a5c1b", "#8d8d42"), 0.95,
                      ((5, 2.0, 0.3, 0.4), (50, 1.0, 0.25, 0.4), (160, 0.5, 0.12, 0.3)), depth=0.03),
}  # fmt: skip
"""All stuffs by the names that briefs know them by."""


@dataclass(frozen=True)
class Laid:
    """A pattern over a tile: what is inside of its pieces 0–1, their relief 0–1, and a random number for each piece."""

    inside: Array
    relief: Array
    chance: Array


def _boxes(size: int, seed: int, columns: int, rows: int, joint: float, shift: float) -> Laid:
    """Pieces with rounded corners in rows, each row shifted by a share of a piece."""
    x, y = grid(size)
    wobble = nested_noise(size, seed + 40, 7, 2.2) * 0.0016
    row = np.floor(y * rows).astype(int)
    across = x * columns + shift * (row % 2)
    piece = row * columns + np.floor(across).astype(int) % columns
    px, py = (across - np.floor(across) - 0.5) / columns, (y * rows - row - 0.5) / rows
    half = 0.5 / columns - joint, 0.5 / rows - joint
    radius = min(0.012, 0.4 * min(half))
    qx, qy = np.abs(px) - half[0] + radius, np.abs(py) - half[1] + radius
    edge = np.hypot(np.maximum(qx, 0), np.maximum(qy, 0)) + np.minimum(np.maximum(qx, qy), 0) - radius + wobble
    rng = np.random.default_rng(seed)
    lean = rng.uniform(-1, 1, (3, columns * rows))
    relief = 0.8 + 0.2 * ease(0.0, 0.03, -edge) + (lean[0][piece] * px + lean[1][piece] * py) * 0.5
    return Laid(ease(0.0, 0.006, -edge), relief + 0.06 * lean[2][piece], rng.random(columns * rows)[piece])


def _pebbles(size: int, seed: int, coarse: float) -> Laid:
    warp = np.stack([nested_noise(size, seed + i, 8, 2.0) for i in (41, 42)]) * 0.006
    found = cells(size, seed + 43, max(round(140 / 4**coarse), 8), warp)
    reach = (found.second - found.first) * np.sqrt(found.count)
    chance = np.random.default_rng(seed).random(found.count)[found.index]
    return Laid(ease(0.04, 0.14, reach), 0.55 + 0.45 * np.sqrt(np.clip(reach / 0.9, 0, 1)), chance)


def _weave(size: int, seed: int, coarse: float) -> Laid:
    threads = 2 * max(round(12 / 2**coarse), 2)
    x, y = grid(size)
    across, along = x * threads, y * threads
    over = (np.floor(across) + np.floor(along)) % 2
    bow_x, bow_y = np.sin(np.pi * (across % 1)), np.sin(np.pi * (along % 1))
    height = np.where(over == 0, bow_x * (0.5 + 0.5 * bow_y), bow_y * (0.5 + 0.5 * bow_x))
    chance = np.random.default_rng(seed).random((2, threads))
    lot = np.where(over == 0, chance[0][np.floor(across).astype(int)], chance[1][np.floor(along).astype(int)])
    return Laid(ease(0.02, 0.3, height), height, lot)


def _rings(size: int, seed: int, coarse: float) -> Laid:
    _, y = grid(size)
    count = max(round(20 / 2**coarse), 2)
    wave = np.sin(y * 2 * np.pi * count + 0.9 * nested_noise(size, seed + 44, 3, 2.3))
    return Laid(np.ones_like(wave), 0.5 + 0.5 * wave, np.full_like(wave, 0.5))


def _leaves(size: int, seed: int, coarse: float) -> Laid:
    """Leaves over one another: of those that cover a place the one that lies highest is seen."""
    from scipy.spatial import cKDTree  # slow to import

    count = max(round(420 / 4**coarse), 24)
    rng = np.random.default_rng(seed)
    centres, angles, lots = rng.random((count, 2)), rng.uniform(0, 2 * np.pi, count), rng.random(count)
    x, y = grid(size)
    at = np.stack([x, y], axis=-1).reshape(-1, 2).astype(np.float64)
    _, near = cKDTree(centres, boxsize=1.0).query(at, k=10, workers=-1)
    away = (at[:, None] - centres[near] + 0.5) % 1 - 0.5
    c, s = np.cos(angles)[near], np.sin(angles)[near]
    along, across = away[..., 0] * c + away[..., 1] * s, away[..., 1] * c - away[..., 0] * s
    long = 1.25 / np.sqrt(count) * (0.7 + 0.6 * lots[near])
    half = 0.42 * long * np.clip(1 - (along / long) ** 2, 0, 1) * (1 + 0.3 * along / long)
    inside = half - np.abs(across)
    top = np.where(inside > 0, lots[near], -1).argmax(axis=1)[:, None]
    pick = [np.take_along_axis(v, top, 1)[:, 0].reshape(size, size) for v in (inside, half, across, lots[near])]
    edge, width, off, lot = pick
    rib = np.exp(-((off * np.sqrt(count) / 0.05) ** 2))
    bow = np.clip(1 - np.abs(off) / np.maximum(width, 1e-6), 0, 1)
    relief = (0.25 + 0.55 * lot + 0.2 * bow + 0.08 * rib) * (edge > 0)
    return Laid(ease(-0.001, 0.001, edge), relief.astype(np.float32), np.clip(2.4 * lot - 0.7, -0.6, 1.6))


def _plain(size: int, seed: int, coarse: float) -> Laid:
    one = np.ones((size, size), np.float32)
    return Laid(one, one, one * 0.5)


def _planks(size: int, seed: int, coarse: float) -> Laid:
    """Boards side by side, each with its end at another height."""
    count = max(round(6 / 2**coarse), 1)
    laid = _boxes(size, seed, count, 1, 0.003, 0.0)
    x, _ = grid(size)
    ends = np.random.default_rng([seed, 3]).integers(0, size, count)
    rows = (np.arange(size)[:, None] + ends[np.floor(x[0] * count).astype(int)]) % size
    return Laid(*(np.take_along_axis(part, rows, axis=0) for part in (laid.inside, laid.relief, laid.chance)))


def _pieces(columns: int, rows: int, joint: float, shift: float) -> Callable[[int, int, float], Laid]:
    def laid(size: int, seed: int, coarse: float) -> Laid:
        even = 2 if shift else 1  # rows that are shifted come in pairs, or the tile would not meet itself
        return _boxes(
            size, seed, max(round(columns / 2**coarse), 1), even * max(round(rows / even / 2**coarse), 1), joint, shift
        )

    return laid


PATTERNS: dict[str, Callable[[int, int, float], Laid]] = {
    "plain": _plain, "tiles": _pieces(4, 4, 0.005, 0.0), "bricks": _pieces(4, 10, 0.007, 0.5),
    "planks": _planks, "pebbles": _pebbles, "weave": _weave, "rings": _rings, "leaves": _leaves,
}  # fmt: skip
"""All patterns by name: made by size, seed and how coarse they are."""
