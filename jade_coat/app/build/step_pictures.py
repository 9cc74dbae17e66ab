"""The small pictures of a recipe's steps, on points of an invented wall."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from PyQt6.QtGui import QImage, QPixmap

from jade_coat.program.numpy_backend import Environment
from jade_coat.program.types import Array

WIDE, HIGH = 66, 40


@lru_cache(maxsize=1)
def sample() -> Environment:
    """Points to show steps on: a wall 2 m wide and 1.2 m high, rolling towards its top and bottom."""
    x, y = np.meshgrid(np.linspace(-1, 1, WIDE), np.linspace(1.2, 0, HIGH))
    tilt = (y - 0.6) / 0.6 * 1.1
    normal = np.stack([0 * x, np.sin(tilt), np.cos(tilt)])
    point = np.stack([x, y, 0.2 * np.cos(tilt)])
    attributes = {
        "position": point, "world_position": point, "normal": normal,
        "color0": np.stack([(x + 1) / 2, y / 1.2, 1 - y / 1.2, 0 * x]), "curvature": 30 * np.sin(x * 5)[None],
    }  # fmt: skip
    flat = {n: a.reshape(a.shape[0], -1).astype(np.float32) for n, a in attributes.items()}
    return Environment(attributes=flat, instance={"seed": np.full((1, 1), 0.4, np.float32)})


def picture(values: Array) -> QPixmap:
    """A step's values as grey, or as colours for points; below 0 and above 1 are cut."""
    spread = np.broadcast_to(values, (len(values), WIDE * HIGH)).reshape(-1, HIGH, WIDE)
    planes = [spread[min(i, len(spread) - 1)] for i in range(3)]
    pixels = np.full((HIGH, WIDE, 4), 255, np.uint8)
    pixels[..., :3] = np.round(np.clip(np.nan_to_num(np.stack(planes, axis=2)), 0, 1) * 255)
    return QPixmap.fromImage(QImage(pixels.tobytes(), WIDE, HIGH, WIDE * 4, QImage.Format.Format_RGBA8888))
