"""What a candidate looks like: its tile in a slanting light, from its files alone."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from jade_coat.maps.color import to_linear, to_srgb
from jade_coat.maps.images import as_float, read_image
from jade_coat.program.types import Array


def _unit(x: float, y: float, z: float) -> Array:
    return np.array([x, y, z]) / np.linalg.norm([x, y, z])


_LIGHT = _unit(-0.46, 0.55, 0.70)
_HALF = _unit(_LIGHT[0], _LIGHT[1], _LIGHT[2] + 1.0)


def lit_tile(files: Mapping[str, bytes]) -> Array:
    """A picture `(n, n, 3)` of PNG files by role, as a screen shows it, 0 to 1. Raises BadImage and KeyError."""
    color = to_linear(_read(files, "base_color", 3))
    normal = _read(files, "normal", 3) * 2 - 1
    rough = _read(files, "roughness", 1)
    occlusion = _read(files, "occlusion", 1) if "occlusion" in files else np.ones_like(rough)
    metallic = _read(files, "metallic", 1) if "metallic" in files else np.zeros_like(rough)
    facing, mirror = (np.clip(normal @ way, 0, 1)[..., None] for way in (_LIGHT, _HALF))
    alpha2 = np.maximum(rough, 0.12) ** 4
    lobe = np.minimum(alpha2 / (np.pi * (mirror * mirror * (alpha2 - 1) + 1) ** 2), 8.0)  # GGX
    f0 = 0.04 * (1 - metallic) + color * metallic
    light = color * (1 - metallic) * (1.05 * facing + 0.4 * occlusion) + f0 * (0.7 * lobe * facing + 0.55)
    return np.asarray(to_srgb(np.clip(light, 0, 1)))


def _read(files: Mapping[str, bytes], role: str, channels: int) -> Array:
    return as_float(read_image(files[role], f"{role}.png"))[..., :channels]
