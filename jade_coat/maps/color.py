"""The sRGB transfer curve (IEC 61966-2-1), and the tone mapper of the view."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from jade_coat.program.types import Array

LUMINANCE = np.array([0.2126, 0.7152, 0.0722], np.float32)
"""The shares of linear Rec. 709 red, green and blue in luminance."""


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


_START, _DESATURATION = 0.8 - 0.04, 0.15


def tone_mapped(light: Array) -> Array:
    """What a screen shows of light `(..., 3)`, linear: the Khronos PBR Neutral tone mapper, as `light.glsl` has it."""
    least = light.min(axis=-1, keepdims=True)
    color = light - np.where(least < 0.08, least - 6.25 * least * least, 0.04)
    peak = color.max(axis=-1, keepdims=True)
    room = 1.0 - _START
    pressed = 1.0 - room * room / (np.maximum(peak, _START) + room - _START)
    grey = 1.0 - 1.0 / (_DESATURATION * (np.maximum(peak, _START) - pressed) + 1.0)
    high = color * (pressed / np.maximum(peak, _START)) * (1.0 - grey) + pressed * grey
    return np.asarray(np.where(peak < _START, color, high))


def tone_unmapped(shown: Array) -> Array:
    """The light `(..., 3)` that `tone_mapped` makes a shown colour of; of what is nearly white only some."""
    pressed = np.minimum(shown.max(axis=-1, keepdims=True), 0.99)
    room = 1.0 - _START
    peak = room * room / (1.0 - pressed) - room + _START
    grey = 1.0 - 1.0 / (_DESATURATION * (peak - pressed) + 1.0)
    high = (shown - pressed * grey) / (1.0 - grey) * (peak / np.maximum(pressed, 1e-6))
    color = np.where(pressed < _START, shown, high)
    least = color.min(axis=-1, keepdims=True)
    return np.asarray(color + np.where(least < 0.04, np.sqrt(np.maximum(least, 0.0) / 6.25) - least, 0.04))
