"""The small pictures of a recipe's steps, on points of an invented wall."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace
from functools import lru_cache

import numpy as np
from PyQt6.QtGui import QImage, QPixmap

from jade_coat.maps.packing import Texture
from jade_coat.maps.sampling import reading
from jade_coat.material.around import Around
from jade_coat.material.surface import MapLookup
from jade_coat.program import FLOAT, VEC3, Value, const, lib
from jade_coat.program.numpy_backend import Environment, evaluate
from jade_coat.program.types import Array

WIDE, HIGH = 66, 40


def around(lookup: MapLookup, coats: Iterable[str]) -> Around:
    """What steps are shown above: soft bumps of clay and grass, and coats by these names that show in patches."""
    patches = lib.attribute("coats below", FLOAT)  # given like attributes: what lies below is paid for anyway
    height, color = lib.attribute("height below", FLOAT), lib.attribute("colour below", VEC3)
    return Around(lookup, height, color, dict.fromkeys(coats, patches))


def _below() -> dict[str, Value]:
    """What lies below the coat that steps are shown on."""
    point = lib.attribute("position", VEC3)
    height = lib.fbm(point / 0.4, 2, 11) * 0.5 + 0.5
    return {
        "height below": height, "colour below": lib.lerp(const(0.6, 0.3, 0.15), const(0.2, 0.4, 0.1), height),
        "coats below": lib.smoothstep(0.4, 0.6, lib.fbm(point / 0.7, 2, 12) * 0.5 + 0.5),
    }  # fmt: skip


def sample(textures: Mapping[str, Texture]) -> Environment:
    """Points to show steps on, and the maps they read, in a size that suits the pictures."""
    small = reading(textures, lambda texture: max(len(texture.levels) - 1 - int(np.log2(HIGH * 2)), 0))
    return replace(_wall(), fetch=small["fetch"], mean=small["mean"], fetch_level=small["fetch_level"])


@lru_cache(maxsize=1)
def _wall() -> Environment:
    """A wall 2 m wide and 1.2 m high, rolling towards its top and bottom, its viewer 3 m before it."""
    x, y = np.meshgrid(np.linspace(-1, 1, WIDE), np.linspace(1.2, 0, HIGH))
    tilt = (y - 0.6) / 0.6 * 1.1
    normal = np.stack([0 * x, np.sin(tilt), np.cos(tilt)])
    point = np.stack([x, y, 0.2 * np.cos(tilt)])
    attributes = {
        "position": point, "world_position": point, "normal": normal,
        **{f"uv{i}": np.stack([(x + 1) / 1.2, 1 - y / 1.2]) for i in range(4)},
        "color0": np.stack([(x + 1) / 2, y / 1.2, 1 - y / 1.2, 0 * x]), "curvature": 30 * np.sin(x * 5)[None],
    }  # fmt: skip
    flat = {n: a.reshape(a.shape[0], -1).astype(np.float32) for n, a in attributes.items()}
    flat |= evaluate(_below(), Environment(attributes=flat))
    metres = {f"metres{i}": np.full((2, 1), 1.2, np.float32) for i in range(4)}
    return Environment(
        attributes=flat, instance={"seed": np.full((1, 1), 0.4, np.float32), **metres},
        shared={"camera_position": np.array([[0.0], [0.6], [3.0]], np.float32)},
    )  # fmt: skip


def picture(values: Array) -> QPixmap:
    """A step's values as grey, or as colours for points; below 0 and above 1 are cut."""
    spread = np.broadcast_to(values, (len(values), WIDE * HIGH)).reshape(-1, HIGH, WIDE)
    planes = [spread[min(i, len(spread) - 1)] for i in range(3)]
    pixels = np.full((HIGH, WIDE, 4), 255, np.uint8)
    pixels[..., :3] = np.round(np.clip(np.nan_to_num(np.stack(planes, axis=2)), 0, 1) * 255)
    return QPixmap.fromImage(QImage(pixels.tobytes(), WIDE, HIGH, WIDE * 4, QImage.Format.Format_RGBA8888))
