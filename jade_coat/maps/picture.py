"""What all picture formats share: the limits, turning upright, and numbers that are not finite."""

from __future__ import annotations

import numpy as np

from jade_coat.program.types import Array

MAX_SIDE = 16384
MAX_PIXELS = 2**26
"""8192 squared: decoded at 16 bits and four channels, half a gibibyte."""


class BadImage(ValueError):
    """A picture file that cannot be used; the message names the file and the remedy."""


def turned(picture: Array, orientation: int) -> Array:
    """A picture turned upright: what the Exif and TIFF orientations 1 to 8 ask for (TIFF 6.0, tag 274)."""
    if orientation >= 5:
        picture = picture.swapaxes(0, 1)
    if orientation in (2, 3, 7, 6):
        picture = picture[:, ::-1]
    if orientation in (3, 4, 7, 8):
        picture = picture[::-1]
    return np.ascontiguousarray(picture)


def finite(picture: Array) -> Array:
    """Float pictures without NaN (0) and infinity (the largest half float, or 0), which would spoil coarser levels."""
    if picture.dtype in (np.uint8, np.uint16):
        return picture
    return np.nan_to_num(picture.astype(np.float32, copy=False), nan=0.0, posinf=65504.0, neginf=0.0)


def check_size(width: int, height: int, name: str) -> None:
    """Raise BadImage when a picture is too large to hold."""
    if width < 1 or height < 1:
        raise BadImage(f"{name}: the picture is empty. Save it again.")
    if max(width, height) > MAX_SIDE or width * height > MAX_PIXELS:
        raise BadImage(_too_large(name, f"{width} × {height}"))


def _too_large(name: str, size: str) -> str:
    return (
        f"{name}: {size} texels is too large; the limit is {MAX_SIDE} a side and {MAX_PIXELS / 2**20:.0f} million "
        "in all. Save a smaller copy."
    )
