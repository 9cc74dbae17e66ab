"""Bilinear texture reads for the NumPy back end."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import cv2
import numpy as np

from jade_coat.maps.packing import Texture
from jade_coat.program import TextureRef
from jade_coat.program.types import Array

Fetch = Callable[[TextureRef, Array], Array]
_ROW = 256
"""OpenCV takes the points of a read as a picture; this is its width."""


def bilinear(wrapped: Array, uv: Array) -> Array:
    """Read texels with one wrapped texel around them, `(h + 2, w + 2, 4) float32`, at `uv` `(2, n)`; `(4, n)`.

    Repeats beyond 0–1; v = 0 is the first row. Good to about 5e-5 of the difference between neighbours.
    """
    height, width = wrapped.shape[0] - 2, wrapped.shape[1] - 2
    count = uv.shape[1]
    rows = -(-count // _ROW)
    at = np.zeros((2, rows * _ROW), np.float32)
    np.subtract(uv, np.floor(uv), out=at[:, :count])
    at *= np.array([[width], [height]], np.float32)
    at += np.float32(0.5)
    grid = at.reshape(2, rows, _ROW)
    read = cv2.remap(wrapped, grid[0], grid[1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return np.ascontiguousarray(read.reshape(-1, 4)[:count].T)


def fetcher(textures: Mapping[str, Texture], level: Callable[[Texture], int] | None = None) -> Fetch:
    """A `fetch` for the NumPy back end; `level` picks the mip level of each texture (default: the largest)."""

    def fetch(reference: TextureRef, uv: Array) -> Array:
        texture = textures[reference.name]
        return bilinear(texture.wrapped(level(texture) if level else 0), uv)

    return fetch
