"""Looks at a texture in a smaller size before deciding: as the view shows it, with what is lost and what is saved."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from jade_coat.check.likeness import Likeness, likeness
from jade_coat.maps.packing import reduced
from jade_coat.program.types import Array

SEEN = 420
"""Pixels of the picture that is compared, at most."""


@dataclass(frozen=True)
class SizeCheck:
    """Both sizes as the view shows them, `(h, w, 3) float32` linear; how alike they are; bytes with mip chains."""

    full: Array
    small: Array
    likeness: Likeness
    bytes_full: int
    bytes_small: int


def texture_bytes(height: int, width: int, bytes_a_texel: int = 4) -> int:
    """Bytes of a texture with its full mip chain, which costs 4/3 (common practice, no source)."""
    total = 0
    while True:
        total += height * width * bytes_a_texel
        if height == width == 1:
            return total
        height, width = max(height // 2, 1), max(width // 2, 1)


def check_size(values: Array, side: int, pixels_a_tile: float, bytes_a_texel: int = 4) -> SizeCheck:
    """Compare a map `(h, w, c)`, linear, 0–1, with itself at a longest side of `side` texels.

    `pixels_a_tile` is how many pixels of the view one tile spans; of a larger tile a part is looked at.
    """
    color = values[..., :3] if values.shape[2] >= 3 else np.repeat(values[..., :1], 3, axis=2)
    color = np.ascontiguousarray(color, np.float32)
    small = reduced(color, side).astype(np.float32)
    pixels = max(round(pixels_a_tile), 32)
    seen = [_as_seen(picture, pixels) for picture in (color, small)]
    height, width = color.shape[:2]
    return SizeCheck(
        seen[0], seen[1], likeness(seen[0], seen[1]), texture_bytes(height, width, bytes_a_texel),
        texture_bytes(small.shape[0], small.shape[1], bytes_a_texel),
    )  # fmt: skip


def _as_seen(picture: Array, pixels: int) -> Array:
    """A picture with its longest side at so many pixels, at most `SEEN` of them from its corner."""
    share = min(SEEN / pixels, 1.0)
    rows, columns = (max(round(n * share), 1) for n in picture.shape[:2])
    part = picture[:rows, :columns]
    scale = pixels / max(picture.shape[:2])
    size = (max(round(columns * scale), 1), max(round(rows * scale), 1))
    shrinks = size[0] < columns
    made = cv2.resize(part, size, interpolation=cv2.INTER_AREA if shrinks else cv2.INTER_LINEAR)
    return np.asarray(np.clip(made, 0, 1), np.float32).reshape(size[1], size[0], 3)
