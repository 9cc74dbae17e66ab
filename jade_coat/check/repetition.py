"""How much a picture repeats: the masked autocorrelation of its luminance at the period of the tiling."""

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


def overlap_correlation(picture: Array, mask: Array, dy: int, dx: int) -> tuple[float, float]:
    """The correlation of the masked part of a picture `(h, w)` with itself shifted, and the share of it that overlaps.

    Pearson's, with the means and variances of the overlap: the masked autocorrelation at one shift.
    """
    height, width = picture.shape
    here = (slice(max(-dy, 0), height - max(dy, 0)), slice(max(-dx, 0), width - max(dx, 0)))
    there = (slice(max(dy, 0), height - max(-dy, 0)), slice(max(dx, 0), width - max(-dx, 0)))
    both = mask[here] & mask[there]
    count = int(both.sum())
    if count < 2:
        return 0.0, 0.0
    a, b = picture[here][both], picture[there][both]
    a, b = a - a.mean(), b - b.mean()
    spread = float(np.sqrt((a @ a) * (b @ b)))
    found = float(a @ b) / spread if spread > 1e-12 else 0.0
    return min(max(found, -1.0), 1.0), count / max(int(mask.sum()), 1)


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
    best = Repetition(0.0, (0.0, 0.0))
    for (px, py), length in usable:
        reach = max(round(length * SEARCH), 1)
        for y in range(round(py) - reach, round(py) + reach + 1):
            for x in range(round(px) - reach, round(px) + reach + 1):
                if abs(y) >= flat.shape[0] or abs(x) >= flat.shape[1]:
                    continue
                found, overlap = overlap_correlation(flat, mask, y, x)
                if overlap >= LEAST_OVERLAP and found > best.score:
                    best = Repetition(found, (float(x), float(y)))
    return best


def _without_slow_changes(picture: Array, mask: Array, period: float) -> Array:
    sigma = period * 0.8
    inside = mask.astype(np.float64)
    around = cv2.GaussianBlur(np.where(mask, picture, 0.0), (0, 0), sigma)
    share = np.maximum(cv2.GaussianBlur(inside, (0, 0), sigma), 1e-6)
    return np.asarray(np.where(mask, picture - around / share, 0.0))
