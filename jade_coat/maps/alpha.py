"""Keeps what a cut-out covers the same through its levels, so that leaves do not thin out with distance."""

from __future__ import annotations

import cv2
import numpy as np

from jade_coat.program.types import Array

CUT = 0.5
"""The threshold that coverage is kept for."""
FINE_SIDE = 256
"""Up to this side a texel is looked at in several places; larger pictures have texels enough."""
STEPS = 16
ROUGH, SPREAD = 0.004, 0.2
"""From what error on a small level is spread, and how far it then reaches from the threshold."""


def coverage(opacity: Array, cut: float = CUT) -> float:
    """The share of a picture `(h, w)`, repeated and filtered as it is drawn, whose opacity reaches the threshold.

    Castaño, Computing Alpha Mipmaps, 2010: small levels are sampled between their texels.
    """
    return float((_between(opacity) >= cut).mean())


def with_coverage(opacity: Array, wanted: float, cut: float = CUT) -> Array:
    """An opacity `(h, w)` from 0 to 1, scaled so that it covers as much as wanted, or as nearly as it can."""
    if opacity.max() <= 0:
        return opacity
    low, high, best, off = 0.0, 16.0, opacity, abs(coverage(opacity, cut) - wanted)
    for _ in range(STEPS):  # coverage grows with the scale
        scale = (low + high) / 2
        scaled = np.clip(opacity * np.float32(scale), 0, 1)
        found = coverage(_rounded(scaled), cut)
        if abs(found - wanted) < off:
            best, off = scaled, abs(found - wanted)
        low, high = (scale, high) if found < wanted else (low, scale)
    if off > ROUGH:
        best = min((best, _spread(opacity, wanted, cut)), key=lambda a: abs(coverage(_rounded(a), cut) - wanted))
    return np.asarray(best, np.float32)


def _spread(opacity: Array, wanted: float, cut: float) -> Array:
    """A small level that is nearly even, spread about the threshold: its steps of a byte are too coarse otherwise."""
    middle = float(np.quantile(_between(opacity), 1 - wanted))
    reach = max(float(np.abs(opacity - middle).max()), 1e-6)
    return np.clip(cut + (opacity - middle) * max(SPREAD / reach, 1.0), 0, 1)


def _rounded(opacity: Array) -> Array:
    return np.asarray(np.round(opacity * 255) / np.float32(255))


def _between(opacity: Array) -> Array:
    height, width = opacity.shape
    times = 1 if max(height, width) > FINE_SIDE else 4
    if times == 1:
        return opacity
    padded = np.pad(np.asarray(opacity, np.float32), 1, mode="wrap")
    size = (padded.shape[1] * times, padded.shape[0] * times)
    fine = cv2.resize(padded, size, interpolation=cv2.INTER_LINEAR)
    return np.asarray(fine[times:-times, times:-times])
