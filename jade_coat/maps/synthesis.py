"""Makes tiling maps from seeds: noise, cells, and normal and occlusion derived from height."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from jade_coat.maps.color import to_srgb
from jade_coat.maps.images import png_bytes, quantized
from jade_coat.program.types import Array


def grid(size: int) -> tuple[Array, Array]:
    """Texel centres in tile units, `(size, size)` each: x to the right, y downward, both 0–1."""
    line = (np.arange(size, dtype=np.float32) + 0.5) / size
    return np.meshgrid(line, line)


def noise(size: int, seed: int, scale: float, slope: float = 1.6) -> Array:
    """Tiling noise `(size, size) float32` of mean 0 and deviation 1.

    Features span 1/`scale` of the tile; amplitudes fall as frequency^-`slope` beyond that (spectral synthesis).
    """
    from scipy import fft  # slow to import

    white = np.random.default_rng(seed).standard_normal((size, size)).astype(np.float32)
    spectrum = fft.rfft2(white)
    fy, fx = np.fft.fftfreq(size, 1 / size)[:, None], np.fft.rfftfreq(size, 1 / size)[None]
    f = np.hypot(fx, fy)
    with np.errstate(divide="ignore"):
        gain = np.where(f > 0, np.exp(-0.5 * (scale / np.maximum(f, 1e-6)) ** 2) * np.maximum(f, 1) ** -slope, 0)
    result = fft.irfft2(spectrum * gain, s=(size, size))
    return (result / result.std()).astype(np.float32)


@dataclass(frozen=True)
class Cells:
    """Tiling cells: distance to the nearest and second-nearest centre in tile units, and the nearest one's index."""

    first: Array
    second: Array
    index: Array
    count: int


def cells(size: int, seed: int, count: int, warp: Array | None = None) -> Cells:
    """Cellular noise over `count` random centres that repeats at the tile's edge (Worley 1996).

    `warp` `(2, size, size)` displaces the points looked up, in tile units.
    """
    from scipy.spatial import cKDTree  # slow to import

    centres = np.random.default_rng(seed).random((count, 2))
    x, y = grid(size)
    at = np.stack([x, y], axis=-1).astype(np.float64)
    if warp is not None:
        at = at + np.moveaxis(warp, 0, -1)
    distance, index = cKDTree(centres, boxsize=1.0).query(np.mod(at.reshape(-1, 2), 1.0), k=2, workers=-1)
    shape = (size, size)
    return Cells(
        distance[:, 0].reshape(shape).astype(np.float32), distance[:, 1].reshape(shape).astype(np.float32),
        index[:, 0].reshape(shape), count,
    )  # fmt: skip


def blur(values: Array, radius: float) -> Array:
    """Gaussian blur over the tile's edges; `radius` in tile units."""
    from scipy import ndimage  # slow to import

    return np.asarray(ndimage.gaussian_filter(values, radius * values.shape[0], mode="wrap"))


def ease(low: float, high: float, x: Array) -> Array:
    """A cubic ease from 0 at `low` to 1 at `high`."""
    t = np.clip((x - low) / (high - low), 0, 1)
    return np.asarray(t * t * (3 - 2 * t), np.float32)


def normal_from_height(height: Array, depth: float) -> Array:
    """Tangent-space normals `(h, w, 3)`, green up, of a tiling height; `depth` is its full height in tile widths."""
    size = height.shape[0]
    dx = (np.roll(height, -1, 1) - np.roll(height, 1, 1)) * (0.5 * size * depth)
    dy = (np.roll(height, -1, 0) - np.roll(height, 1, 0)) * (0.5 * size * depth)
    normal = np.stack([-dx, dy, np.ones_like(dx)], axis=2)
    return np.asarray(normal / np.linalg.norm(normal, axis=2, keepdims=True), np.float32)


def occlusion_from_height(height: Array, strength: float, radii: tuple[float, ...] = (0.004, 0.012, 0.03)) -> Array:
    """Occlusion 0–1 by how far a point lies below its surroundings, over several radii in tile units."""
    below = sum(np.maximum(blur(height, r) - height, 0) for r in radii) / len(radii)
    return np.exp(-strength * np.asarray(below)).astype(np.float32)


def colored(height: Array, stops: tuple[tuple[float, tuple[float, float, float]], ...]) -> Array:
    """Colour `(h, w, 3)` by value through stops of (value, linear colour)."""
    xs = [s[0] for s in stops]
    return np.stack([np.interp(height, xs, [s[1][c] for s in stops]) for c in range(3)], axis=2).astype(np.float32)


@dataclass(frozen=True)
class SurfaceMaps:
    """A synthesised surface: linear colour, height, roughness, normal and occlusion over one tile."""

    color: Array
    height: Array
    roughness: Array
    normal: Array
    occlusion: Array

    def files(self) -> dict[str, bytes]:
        """The maps as PNG files by role: colour 8-bit sRGB, occlusion and roughness 8-bit, normal and height 16-bit."""
        return {
            "base_color": png_bytes(quantized(to_srgb(self.color))),
            "normal": png_bytes(quantized(self.normal * 0.5 + 0.5, 16)),
            "roughness": png_bytes(quantized(self.roughness)),
            "occlusion": png_bytes(quantized(self.occlusion)),
            "height": png_bytes(quantized(self.height, 16)),
        }
