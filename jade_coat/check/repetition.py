"""How much a picture repeats: the autocorrelation of its luminance at the period of the tiling."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np

from jade_coat.program.types import Array

SEARCH = 0.02
"""How far from the expected period the repeat is looked for, as a share of it."""
LEAST_OVERLAP = 0.08
"""A shift that leaves less of the picture over itself than this share tells nothing."""


@dataclass(frozen=True)
class Repetition:
    """`score` 0 (no visible repeat) to 1 (pure tiling), and the shift in pixels (x, y) at which it repeats most."""

    score: float
    shift: tuple[float, float]


def autocorrelation(picture: Array, mask: Array) -> tuple[Array, Array]:
    """The normalised autocorrelation of the masked part of a picture `(h, w)`, and the share of it that overlaps.

    Both `(2h, 2w)`, shift (y, x) at that index, negative shifts wrapped; by FFT (Wiener–Khinchin), with the means and
    variances of each overlap (Padfield, Masked Object Registration in the Fourier Domain, 2012).
    """
    inside = mask.astype(np.float64)
    values = np.where(mask, picture, 0.0)
    values = values - values.sum() / max(inside.sum(), 1.0) * inside
    shape = (2 * picture.shape[0], 2 * picture.shape[1])

    def correlated(a: Array, b: Array) -> Array:
        return np.asarray(np.fft.irfft2(np.conj(np.fft.rfft2(a, shape)) * np.fft.rfft2(b, shape), shape))

    count = np.maximum(correlated(inside, inside), 1e-6)
    there, here = correlated(inside, values), correlated(values, inside)
    squares_there, squares_here = correlated(inside, values**2), correlated(values**2, inside)
    cross = correlated(values, values) - here * there / count
    spread = np.sqrt(
        np.maximum(squares_here - here**2 / count, 1e-12) * np.maximum(squares_there - there**2 / count, 1e-12)
    )
    return np.clip(cross / spread, -1, 1), count / max(inside.sum(), 1.0)


def repetition(luminance: Array, mask: Array, periods: Sequence[tuple[float, float]]) -> Repetition:
    """How much a picture `(h, w)` repeats at any of the expected shifts (x, y) in pixels, or close to one.

    Slow changes of light, wider than the longest period, are taken out first. 0 without enough picture.
    """
    lengths = [float(np.hypot(*p)) for p in periods]
    usable = [(p, n) for p, n in zip(periods, lengths, strict=True) if n >= 3]
    if not usable or mask.sum() < 64:
        return Repetition(0.0, (0.0, 0.0))
    flat = _without_slow_changes(luminance.astype(np.float64), mask, max(n for _, n in usable))
    if flat[mask].std() < 1e-4:
        return Repetition(0.0, (0.0, 0.0))  # an even picture shows no repeat
    found, overlap = autocorrelation(flat, mask)
    found = np.where(overlap >= LEAST_OVERLAP, found, 0.0)
    best = Repetition(0.0, (0.0, 0.0))
    for (px, py), length in usable:
        reach = max(round(length * SEARCH), 1)
        for y in range(round(py) - reach, round(py) + reach + 1):
            for x in range(round(px) - reach, round(px) + reach + 1):
                if abs(y) < found.shape[0] // 2 and abs(x) < found.shape[1] // 2 and found[y, x] > best.score:
                    best = Repetition(float(found[y, x]), (float(x), float(y)))
    return best


def _without_slow_changes(picture: Array, mask: Array, period: float) -> Array:
    sigma = period * 0.8
    inside = mask.astype(np.float64)
    around = cv2.GaussianBlur(np.where(mask, picture, 0.0), (0, 0), sigma)
    share = np.maximum(cv2.GaussianBlur(inside, (0, 0), sigma), 1e-6)
    return np.asarray(np.where(mask, picture - around / share, 0.0))
