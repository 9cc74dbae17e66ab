"""What a smaller texture loses: structural similarity, colour difference, and the bytes it saves."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from jade_coat.program.types import Array

_WHITE = np.array([0.95047, 1.0, 1.08883])
_TO_XYZ = np.array(
    [[0.4123908, 0.3575843, 0.1804808], [0.2126390, 0.7151687, 0.0721923], [0.0193308, 0.1191948, 0.9505322]]
)


@dataclass(frozen=True)
class Likeness:
    """`ssim` up to 1 (the same); mean and 95th percentile of CIEDE2000 (below about 1 no eye tells)."""

    ssim: float
    mean_difference: float
    high_difference: float


def likeness(a: Array, b: Array) -> Likeness:
    """Compare two pictures `(h, w, 3)` of linear Rec. 709 colour, 0 to 1, of one size."""
    difference = ciede2000(lab(a), lab(b))
    grey_a, grey_b = (np.clip(lab(p)[..., 0] / 100, 0, 1) for p in (a, b))
    return Likeness(ssim(grey_a, grey_b), float(difference.mean()), float(np.percentile(difference, 95)))


def ssim(a: Array, b: Array, peak: float = 1.0) -> float:
    """Mean structural similarity of two grey pictures `(h, w)` with a Gaussian window of 1.5 (Wang et al. 2004)."""
    c1, c2 = (0.01 * peak) ** 2, (0.03 * peak) ** 2

    def blurred(values: Array) -> Array:
        return np.asarray(cv2.GaussianBlur(values, (11, 11), 1.5, borderType=cv2.BORDER_REFLECT))

    a, b = a.astype(np.float64), b.astype(np.float64)
    mean_a, mean_b = blurred(a), blurred(b)
    var_a, var_b = blurred(a * a) - mean_a**2, blurred(b * b) - mean_b**2
    together = blurred(a * b) - mean_a * mean_b
    found = ((2 * mean_a * mean_b + c1) * (2 * together + c2)) / ((mean_a**2 + mean_b**2 + c1) * (var_a + var_b + c2))
    return float(found[5:-5, 5:-5].mean()) if min(found.shape) > 10 else float(found.mean())


def lab(linear: Array) -> Array:
    """CIE L*a*b* (D65) of linear Rec. 709 colour `(…, 3)` (CIE 15:2004)."""
    t = np.maximum(linear.astype(np.float64), 0) @ _TO_XYZ.T / _WHITE
    f = np.where(t > (6 / 29) ** 3, np.cbrt(t), t / (3 * (6 / 29) ** 2) + 4 / 29)
    return np.stack([116 * f[..., 1] - 16, 500 * (f[..., 0] - f[..., 1]), 200 * (f[..., 1] - f[..., 2])], axis=-1)


def ciede2000(a: Array, b: Array) -> Array:
    """The colour difference of L*a*b* values `(…, 3)` (Sharma, Wu & Dalal 2005)."""
    chroma_mean = (np.hypot(a[..., 1], a[..., 2]) + np.hypot(b[..., 1], b[..., 2])) / 2
    g = 0.5 * (1 - np.sqrt(chroma_mean**7 / (chroma_mean**7 + 25.0**7)))
    a1, a2 = (1 + g) * a[..., 1], (1 + g) * b[..., 1]
    c1, c2 = np.hypot(a1, a[..., 2]), np.hypot(a2, b[..., 2])
    h1, h2 = (np.degrees(np.arctan2(y, x)) % 360 for y, x in ((a[..., 2], a1), (b[..., 2], a2)))
    grey = c1 * c2 == 0
    turn = np.where(grey, 0.0, (h2 - h1 + 180) % 360 - 180)
    turn = np.where(~grey & (h2 - h1 == 180), 180.0, turn)
    d_light, d_chroma = b[..., 0] - a[..., 0], c2 - c1
    d_hue = 2 * np.sqrt(c1 * c2) * np.sin(np.radians(turn) / 2)
    light, chroma = (a[..., 0] + b[..., 0]) / 2, (c1 + c2) / 2
    total = h1 + h2
    hue = np.where(np.abs(h1 - h2) <= 180, total / 2, np.where(total < 360, total / 2 + 180, total / 2 - 180))
    hue = np.where(grey, total, hue)

    def cosine(factor: float, shift: float) -> Array:
        return np.asarray(np.cos(np.radians(factor * hue + shift)))

    t = 1 - 0.17 * cosine(1, -30) + 0.24 * cosine(2, 0) + 0.32 * cosine(3, 6) - 0.20 * cosine(4, -63)
    bend = 30 * np.exp(-(((hue - 275) / 25) ** 2))
    r = -2 * np.sqrt(chroma**7 / (chroma**7 + 25.0**7)) * np.sin(np.radians(2 * bend))
    s_light = 1 + 0.015 * (light - 50) ** 2 / np.sqrt(20 + (light - 50) ** 2)
    x, y, z = d_light / s_light, d_chroma / (1 + 0.045 * chroma), d_hue / (1 + 0.015 * chroma * t)
    return np.asarray(np.sqrt(np.maximum(x * x + y * y + z * z + r * y * z, 0)))
