"""Draws triangles into UV space: which triangle covers each texel, and where in it."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from jade_coat.program.types import Array


@dataclass(frozen=True)
class Coverage:
    """For a square of texels: the triangle at each `(side, side) int32` (−1: none) and weights `(side, side, 2)`.

    The weights belong to the triangle's second and third corner. `overlap` is the share of covered texels that lie
    well inside more than one triangle.
    """

    triangle: Array
    weights: Array
    overlap: float

    @property
    def filled(self) -> float:
        """The share of texels covered."""
        return float((self.triangle >= 0).mean())


def cover(uv: Array, triangles: Array, side: int) -> Coverage:
    """Rasterise triangles `(m, 3)` with UVs `(n, 2)` in 0–1 at texel centres of a `side` × `side` map."""
    from jade_coat.bake.kernels import draw_triangles

    triangle = np.full((side, side), -1, np.int32)
    weights = np.zeros((side, side, 2), np.float32)
    inner = np.zeros((side, side), np.uint8)
    draw_triangles(np.ascontiguousarray(uv[triangles], np.float64), side, triangle, weights, inner)
    covered = max(int((triangle >= 0).sum()), 1)
    return Coverage(triangle, weights, float((inner > 1).sum()) / covered)


def nearest_covered(coverage: Coverage) -> tuple[Array, Array]:
    """The empty texels, by index into the flattened map, and a covered texel very near each: to fill gutters."""
    empty = coverage.triangle < 0
    at = np.flatnonzero(empty)
    if not len(at) or empty.all():
        return at[:0], at[:0]
    _, labels = cv2.distanceTransformWithLabels(
        empty.astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_5, labelType=cv2.DIST_LABEL_PIXEL
    )
    labels = labels.ravel()
    covered = np.flatnonzero(~empty)
    place = np.zeros(int(labels.max()) + 1, np.int64)
    place[labels[covered]] = covered
    return at, place[labels[at]]
