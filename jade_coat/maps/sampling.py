"""Bilinear texture reads for the NumPy back end."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numba
import numpy as np

from jade_coat.maps.packing import Texture
from jade_coat.program import TextureRef
from jade_coat.program.types import Array


@numba.njit(nogil=True, cache=True, fastmath=False)
def _bilinear(texels: Array, uv: Array, out: Array) -> None:
    height, width = texels.shape[0], texels.shape[1]
    w, h = np.float32(width), np.float32(height)
    half = np.float32(0.5)
    for i in range(uv.shape[1]):
        x = (uv[0, i] - np.floor(uv[0, i])) * w - half
        y = (uv[1, i] - np.floor(uv[1, i])) * h - half
        fx, fy = np.floor(x), np.floor(y)
        tx, ty = x - fx, y - fy
        x0, y0 = int(fx), int(fy)
        x1, y1 = x0 + 1, y0 + 1
        if x0 < 0:
            x0 += width
        if y0 < 0:
            y0 += height
        if x1 >= width:
            x1 -= width
        if y1 >= height:
            y1 -= height
        if x0 >= width or y0 >= height or x0 < 0 or y0 < 0:
            x0, y0, x1, y1 = x0 % width, y0 % height, x1 % width, y1 % height
        for c in range(4):
            a, b = texels[y0, x0, c], texels[y0, x1, c]
            d, e = texels[y1, x0, c], texels[y1, x1, c]
            top = a + (b - a) * tx
            bottom = d + (e - d) * tx
            out[c, i] = top + (bottom - top) * ty


def bilinear(texels: Array, uv: Array) -> Array:
    """Read `(h, w, 4) float32` at `uv` `(2, n)` with repeat; v = 0 is the first row. Returns `(4, n)`."""
    out = np.empty((4, uv.shape[1]), np.float32)
    _bilinear(texels, uv, out)
    return out


def fetcher(
    textures: Mapping[str, Texture], level: Callable[[Texture], int] | None = None
) -> Callable[[TextureRef, Array], Array]:
    """A `fetch` for the NumPy back end; `level` picks the mip level of each texture (default: the largest)."""

    def fetch(reference: TextureRef, uv: Array) -> Array:
        texture = textures[reference.name]
        return bilinear(texture.linear(level(texture) if level else 0), uv)

    return fetch
