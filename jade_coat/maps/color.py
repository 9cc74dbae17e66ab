"""The sRGB transfer curve (IEC 61966-2-1)."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from jade_coat.program.types import Array


def to_linear(encoded: Array | Sequence[float]) -> Array:
    """sRGB-encoded values 0–1 of any shape to linear light, float32."""
    e = np.asarray(encoded, np.float32)
    return np.where(
        e <= 0.04045, e / np.float32(12.92), ((e + np.float32(0.055)) / np.float32(1.055)) ** np.float32(2.4)
    )


def to_srgb(linear: Array | Sequence[float]) -> Array:
    """Linear light 0–1 of any shape to sRGB-encoded values, float32."""
    x = np.maximum(np.asarray(linear, np.float32), np.float32(0))
    curve = np.float32(1.055) * x ** np.float32(1 / 2.4) - np.float32(0.055)
    return np.where(x <= 0.0031308, x * np.float32(12.92), curve)


LINEAR_OF_BYTE = to_linear(np.arange(256) / 255.0)
"""Linear value of each 8-bit sRGB code, `(256,) float32`."""


def hex_to_linear(text: str) -> tuple[float, float, float]:
    """`#rrggbb` to linear RGB."""
    codes = [int(text[i : i + 2], 16) for i in (1, 3, 5)]
    r, g, b = (float(LINEAR_OF_BYTE[c]) for c in codes)
    return r, g, b
