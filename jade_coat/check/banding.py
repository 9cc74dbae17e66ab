"""Whether the steps of a map can be seen as bands where it glows softly, with 8 bits and with 16."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from jade_coat.maps.color import to_srgb, tone_mapped
from jade_coat.program.types import Array

CODES = 1.5
"""A screen itself shows steps of one code of 255; from this many on a step of a map stands out."""
SLOW = 0.5
"""Steps a pixel below which a gradient is so slow that each step is a band to be seen, not grain."""
FEW = 0.002
"""The share of what shines that may be banded before more bits are called for."""


@dataclass(frozen=True)
class Bands:
    """What becomes of a map in some bits: the highest step in codes of a screen, and the share of what shines that is
    banded."""

    bits: int
    step: float
    share: float

    @property
    def enough(self) -> bool:
        """Whether nobody will see its steps."""
        return self.share <= FEW


def bands(values: Array, bits: int, boost: float) -> Bands:
    """Bands of a glow `(h, w)`, 0 to 1, as it is seen a texel a pixel over darkness, `boost` times as bright.

    A step is banded where it is higher than the screen's own and the glow so slow there that it spans pixels. Common
    practice, no source.
    """
    top = (1 << bits) - 1
    held = np.round(np.asarray(values, np.float64) * top)
    height = shown(np.minimum(held + 1, top) / top, boost) - shown(held / top, boost)
    slope = np.hypot(*np.gradient(np.asarray(values, np.float64) * top))
    shines = (shown(np.asarray(values), boost) > 0.5) & (held < top)
    banded = shines & (height > CODES) & (slope < SLOW) & (slope > 0)
    if not shines.any():
        return Bands(bits, 0.0, 0.0)
    return Bands(bits, float(height[shines & (slope < SLOW)].max(initial=0.0)), float(banded.sum() / shines.sum()))


def shown(values: Array, boost: float) -> Array:
    """The codes of a screen, 0 to 255, for grey light over darkness."""
    light = np.repeat(np.asarray(values, np.float64)[..., None] * boost, 3, axis=-1)
    return np.asarray(to_srgb(np.clip(tone_mapped(light), 0, 1))[..., 0] * 255.0)


def told(values: Array, boost: float) -> str:
    """Which bits are enough, in words."""
    eight, sixteen = bands(values, 8, boost), bands(values, 16, boost)
    if eight.enough:
        return f"8 bits are enough: no step is seen (the highest is {eight.step:.1f} of 255)"
    seen = f"8 bits show bands on {eight.share:.0%} of what shines, {eight.step:.0f} of 255 high"
    return f"{seen}; 16 bits show none" if sixteen.enough else f"{seen}; 16 bits on {sixteen.share:.0%}"
