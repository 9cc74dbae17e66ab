"""Images of arrays."""

from __future__ import annotations

import numpy as np
from PyQt6.QtGui import QImage

from jade_coat.maps.color import to_srgb
from jade_coat.maps.images import as_float
from jade_coat.program.types import Array


def image_from(encoded: Array) -> QImage:
    """An image of values as a screen shows them, `(h, w, 3)` or `(h, w, 1)`, 0 to 1; beyond that they are cut."""
    height, width = encoded.shape[:2]
    pixels = np.round(np.clip(np.broadcast_to(encoded, (height, width, 3)), 0, 1) * 255).astype(np.uint8)
    return QImage(np.ascontiguousarray(pixels).tobytes(), width, height, width * 3, QImage.Format.Format_RGB888).copy()


def has_channel(picture: Array, channel: str) -> bool:
    """Whether a picture `(h, w, c)` has a channel of r, g, b, a; all have a colour, "rgb"."""
    return channel == "rgb" or "rgba".index(channel) < picture.shape[2]


def image_of(picture: Array, channel: str) -> QImage:
    """A channel of a file's picture `(h, w, c)`, or its colour ("rgb"); floating point is shown as light."""
    if channel == "rgb":
        values = picture[..., :3] if picture.shape[2] >= 3 else picture[..., :1]
    else:
        values = picture[..., ["rgba".index(channel)]]
    shown = as_float(np.ascontiguousarray(values))
    return image_from(to_srgb(np.clip(shown, 0, 1)) if picture.dtype == np.float32 else shown)
