"""The tip of a brush: a picture that each dab is pressed through, and the built-in ones."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import lru_cache

import numpy as np

from jade_coat.program.types import Array

SIDE = 128
GOLDEN_ANGLE = float(np.pi * (3 - np.sqrt(5)))
"""What each dab turns on by where every one lies otherwise: the turns never repeat, and spread evenly."""


@dataclass(frozen=True, eq=False)
class Tip:
    """A tip: `values` `(n, n) float32` from 0 to 1, top row first; it spans the square round the brush's circle."""

    name: str
    values: Array = field(repr=False)

    def __post_init__(self) -> None:
        self.values.flags.writeable = False

    def at(self, plane: Array) -> Array:
        """What it lets through at places `(k, 2)` of the brush's plane, in radii, x across and y up: `(k,)`, 0 to 1."""
        side = len(self.values)
        x, y = (np.clip(v, -1, 1) for v in plane.T)
        column, row = (x + 1) / 2 * (side - 1), (1 - y) / 2 * (side - 1)
        left, top = (np.minimum(v.astype(np.int64), side - 2) for v in (column, row))
        fx, fy = column - left, row - top
        flat, first = self.values.ravel(), top * side + left
        upper = flat[first] + (flat[first + 1] - flat[first]) * fx
        lower = flat[first + side] + (flat[first + side + 1] - flat[first + side]) * fx
        return np.asarray(upper + (lower - upper) * fy)


def tip_of(name: str, picture: Array) -> Tip:
    """A tip from a picture `(h, w, c)`, 0 to 1: white paints, black does not, alpha cuts; fitted into the square.

    Raises ValueError for a picture without a single bright place.
    """
    import cv2

    picture = np.asarray(picture, np.float32)
    color = picture[..., :3].mean(axis=-1) if picture.shape[-1] >= 3 else picture[..., 0]
    light = color * picture[..., -1] if picture.shape[-1] in (2, 4) else color
    peak = float(light.max(initial=0.0))
    if not np.isfinite(peak) or peak <= 0:
        raise ValueError("the picture is black all over: a tip paints where it is bright")
    height, width = light.shape
    share = SIDE / max(height, width)
    size = (max(round(width * share), 2), max(round(height * share), 2))
    small = cv2.resize(np.ascontiguousarray(light / peak), size, interpolation=cv2.INTER_AREA)
    made = np.zeros((SIDE, SIDE), np.float32)
    top, left = (SIDE - size[1]) // 2, (SIDE - size[0]) // 2
    made[top : top + size[1], left : left + size[0]] = np.clip(small, 0, 1)
    return Tip(name, made)


def _square() -> tuple[Array, Array, Array]:
    """x and y from −1 to 1, y up, and the distance from the middle."""
    y, x = np.mgrid[1 : -1 : SIDE * 1j, -1 : 1 : SIDE * 1j]
    return x, y, np.hypot(x, y)


def _flecks() -> Array:
    """Small soft spots, as a sponge leaves them."""
    rng = np.random.default_rng(7)
    x, y, away = _square()
    made = np.zeros_like(x)
    for cx, cy, radius in zip(*rng.uniform(-0.9, 0.9, (2, 70)), rng.uniform(0.03, 0.15, 70), strict=True):
        made = np.maximum(made, np.clip(1.3 - np.hypot(x - cx, y - cy) / radius, 0, 1))
    return np.asarray(made * (away < 1))


def _bristles() -> Array:
    """Fine lines beside each other, as a dry flat brush leaves them."""
    rng = np.random.default_rng(3)
    x, y, _ = _square()
    hairs = np.interp(x, np.linspace(-1, 1, 40), rng.uniform(0, 1, 40) ** 1.6)
    return np.asarray(hairs * np.clip((0.3 - np.abs(y)) / 0.12, 0, 1) * np.clip((1 - np.abs(x)) / 0.05, 0, 1))


def _grain() -> Array:
    """A cloudy round, denser in its middle."""
    from scipy.ndimage import gaussian_filter

    rng = np.random.default_rng(5)
    _, _, away = _square()
    noise = gaussian_filter(rng.normal(size=away.shape), 2.2)
    return np.asarray(np.clip(0.55 + noise / noise.std() * 0.35 - away * 0.25, 0, 1) * (away < 1))


def _drop() -> Array:
    """A streak that thins out downwards, as water runs."""
    x, y, _ = _square()
    wide = np.interp(y, (-1.0, -0.5, 0.4, 0.75, 1.0), (0.03, 0.1, 0.26, 0.3, 0.0))
    return np.asarray(np.clip((wide - np.abs(x)) / 0.05, 0, 1) * np.interp(y, (-1.0, 0.3), (0.35, 1.0)))


TIPS: dict[str, Callable[[], Array]] = {
    "Flecks": _flecks, "Bristles": _bristles, "Grain": _grain, "Run": _drop,
}  # fmt: skip
"""The built-in tips by name."""


@lru_cache(maxsize=8)
def built_in(name: str) -> Tip | None:
    """A built-in tip, or None where there is none of this name."""
    make = TIPS.get(name)
    return None if make is None else Tip(name, make().astype(np.float32))
