"""A small picture of what a brush does: one stroke across a sheet, by the formulas of real strokes."""

from __future__ import annotations

import numpy as np

from jade_coat.mesh.brush import Brush, weights
from jade_coat.mesh.tip import GOLDEN_ANGLE
from jade_coat.program.types import Array

RADIUS = 0.36
"""The brush's radius, as a share of the picture's height."""


def stroke_picture(brush: Brush, width: int, height: int) -> Array:
    """A stroke from left to right along a wave, `(height, width) float64`, 0 to 1.

    A brush that paints leads 0 towards 1; the others rework an edge that runs across the sheet. Size and the values
    painted toward do not show.
    """
    y, x = np.mgrid[0:height, 0:width].astype(np.float64)
    radius = RADIUS * height
    done = np.zeros((height, width))
    way = np.linspace(radius, width - radius, 400)
    wave = height / 2 + np.sin(np.linspace(0, 2 * np.pi, 400)) * height * 0.12
    length = np.concatenate([[0.0], np.cumsum(np.hypot(np.diff(way), np.diff(wave)))])
    step = max(brush.spacing * radius, 0.75)
    for i, at in enumerate(np.arange(0, length[-1] + 1e-9, step)):
        cx, cy = np.interp(at, length, way), np.interp(at, length, wave)
        slope = np.interp(at + 1, length, wave) - np.interp(at - 1, length, wave)
        plane = np.stack([(x - cx).ravel(), (cy - y).ravel()], axis=1) / radius
        near = np.flatnonzero(np.hypot(*plane.T) < 1)
        share = weights(brush, np.hypot(*plane[near].T))
        if brush.tip is not None:
            turn = (
                brush.tip_turn
                + {"still": 0.0, "each": i * GOLDEN_ANGLE, "along": -np.arctan(slope / 2) - np.pi / 2}[brush.tip_way]
            )
            cos, sin = np.cos(turn), np.sin(turn)
            share = share * brush.tip.at(plane[near] @ np.array([[cos, -sin], [sin, cos]]))
        old = done.ravel()[near]
        flow = (
            brush.strength * share
            if brush.flow >= 1
            else old + np.maximum(brush.strength - old, 0) * share * brush.flow
        )
        done.ravel()[near] = np.maximum(old, flow)
    return done if brush.tool == "paint" else _reworked(brush.tool, done, height, width)


def _reworked(tool: str, share: Array, height: int, width: int) -> Array:
    """What smoothing, sharpening or smearing make of stripes, where a stroke lies on them."""
    from scipy.ndimage import gaussian_filter

    stripes = (np.arange(width)[None, :] // max(height // 5, 2) % 2).astype(np.float64) * np.ones((height, 1))
    soft = gaussian_filter(stripes, height * 0.09)
    if tool == "smooth":
        return stripes + (gaussian_filter(stripes, height * 0.2) - stripes) * share
    if tool == "sharpen":
        return np.asarray(np.clip(soft + (stripes - soft) * share, 0, 1))
    return stripes + (np.roll(soft, max(height // 4, 1), axis=1) - stripes) * share
