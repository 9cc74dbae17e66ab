"""From which ways light comes from the sky, to find out how much of it a place sees."""

from __future__ import annotations

import numpy as np

from jade_coat.program.types import Array

WAYS = 16
"""As `light.glsl` knows too."""


def sky_ways() -> Array:
    """Unit directions `(WAYS, 3)` spread evenly over the upper half of the sphere by solid angle.

    A spiral by the golden angle: each has a band of height of its own (Saff & Kuijlaars 1997, Distributing many points
    on a sphere).
    """
    number = np.arange(WAYS)
    up = (number + 0.5) / WAYS
    azimuth = number * np.pi * (3 - np.sqrt(5)) + 0.4
    flat = np.sqrt(1 - up**2)
    return np.stack([flat * np.sin(azimuth), up, flat * np.cos(azimuth)], axis=1)
