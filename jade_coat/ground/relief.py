"""What the land is like at each place: how steep, which way it falls, how it bends."""

from __future__ import annotations

import numpy as np

from jade_coat.program.types import Array


def gradient(heights: Array, spacing: tuple[float, float]) -> tuple[Array, Array]:
    """How much heights `(rows, columns)` rise along columns and rows, metres a metre (Horn 1981, third order).

    At the edge the heights beyond it go on as they come.
    """
    h = np.pad(np.asarray(heights, np.float64), 1, mode="reflect", reflect_type="odd")
    across = (h[:-2, 2:] + 2 * h[1:-1, 2:] + h[2:, 2:]) - (h[:-2, :-2] + 2 * h[1:-1, :-2] + h[2:, :-2])
    down = (h[2:, :-2] + 2 * h[2:, 1:-1] + h[2:, 2:]) - (h[:-2, :-2] + 2 * h[:-2, 1:-1] + h[:-2, 2:])
    return across / (8 * spacing[0]), down / (8 * spacing[1])


def slope(heights: Array, spacing: tuple[float, float]) -> Array:
    """How far the land leans from level, radians."""
    across, down = gradient(heights, spacing)
    return np.asarray(np.arctan(np.hypot(across, down)))


def aspect(heights: Array, spacing: tuple[float, float]) -> Array:
    """Which way the land falls: radians about +y from +z (down the rows) towards +x; 0 where it is level."""
    across, down = gradient(heights, spacing)
    return np.asarray(np.arctan2(-across, -down))


def curvature(heights: Array, spacing: tuple[float, float]) -> Array:
    """How the land bends, 1/metres: above 0 on crests, below in hollows (minus the Laplacian)."""
    h = np.pad(np.asarray(heights, np.float64), 1, mode="reflect", reflect_type="odd")
    middle = h[1:-1, 1:-1]
    across = (h[1:-1, 2:] - 2 * middle + h[1:-1, :-2]) / spacing[0] ** 2
    down = (h[2:, 1:-1] - 2 * middle + h[:-2, 1:-1]) / spacing[1] ** 2
    return np.asarray(-(across + down))
