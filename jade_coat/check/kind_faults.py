"""What ways of letting through get wrong, found by comparing pictures with one that is right."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from jade_coat.maps.color import LUMINANCE, to_linear, tone_mapped, tone_unmapped
from jade_coat.program.types import Array
from jade_coat.view.looks import A_LAYER

PERIOD = 8
"""After how many pixels the ordered grid comes again."""
NO_GRAIN = 0.01
"""Grain of less linear light than this is none."""
TOLERANCE = 0.05
"""How far a pixel may be off in linear light before it counts as wrong: about twice what an eye tells apart."""


@dataclass(frozen=True)
class KindFaults:
    """What one way gets wrong, as shares of what the thing covers, and where (`(h, w) bool`).

    `wrong` is off from the right picture while all stands still; `shimmers` changes between two frames of a moving
    camera more than the right pictures do. `light` is how much more light there is than should be, a share of that,
    and `grid` how much of what is off comes again in step with a grid, 0–1. `layers` and `most_layers` are how often a
    covered pixel is drawn over.
    """

    wrong: float
    shimmers: float
    light: float
    grid: float
    layers: float
    most_layers: int
    where: Array


def shown(picture: Array) -> Array:
    """The linear colours `(h, w, 3)` of a picture `(h, w, 4) uint8`, as a screen shows them."""
    return np.asarray(to_linear(picture[..., :3] / np.float32(255)))


def light_of(picture: Array) -> Array:
    """The light `(h, w, 3)` that a picture was tone-mapped of."""
    return tone_unmapped(shown(picture))


def right_of(light: Array) -> Array:
    """What a screen should show of a mean of light `(h, w, 3)`: layers mix as light, before it is tone-mapped."""
    return tone_mapped(light)


def layers_of(layers: Array) -> tuple[float, int]:
    """How many layers lie over one another where there are any, on average and at most, by a picture of them."""
    count = layers[..., 0] // A_LAYER
    covered = count > 0
    return (float(count[covered].mean()) if covered.any() else 0.0), int(count.max(initial=0))


def faults_of(pair: tuple[Array, Array], right: tuple[Array, Array], layers: Array) -> KindFaults:
    """The faults of two frames, `(h, w, 4) uint8` each, against what both should be; `layers` is of the first.

    The right ones are linear colours `(h, w, 3)` as a screen shows them. They may be of the mean of dithered pictures
    of many samples: that is the thing as it would be if all its points were sorted (stochastic transparency, Enderton
    et al. 2010).
    """
    first, second = (shown(p) for p in pair)
    covered = layers[..., 0] >= A_LAYER
    mean, most = layers_of(layers)
    pixels = max(int(covered.sum()), 1)
    where = covered & (np.abs(first - right[0]).max(axis=-1) > TOLERANCE)
    moved = np.abs(first - second).max(axis=-1) - np.abs(right[0] - right[1]).max(axis=-1)
    off = (first - right[0]) @ LUMINANCE
    should = float((right[0] @ LUMINANCE)[covered].sum())
    return KindFaults(
        float(where.sum() / pixels), float((covered & (moved > TOLERANCE)).sum() / pixels),
        float(off[covered].sum()) / max(should, 1e-6), grid_of(off, covered), mean, most, where,
    )  # fmt: skip


def grid_of(off: Array, covered: Array) -> float:
    """How much of what is off, `(h, w)`, comes again after a period of the ordered grid both ways, 0–1.

    The autocorrelation of what is finer than the grid, where it is `covered`, `(h, w) bool`.
    """
    from scipy import ndimage  # slow to import

    fine = np.where(covered, off - ndimage.uniform_filter(off, PERIOD), 0.0)
    power = float((fine**2).sum())
    if power < covered.sum() * NO_GRAIN**2:
        return 0.0
    again = [float((fine * np.roll(fine, PERIOD, axis)).sum()) for axis in (0, 1)]
    return max(min(again) / power, 0.0)


_HEAT = ((0, (0.10, 0.12, 0.13)), (1, (0.12, 0.36, 0.32)), (3, (0.45, 0.68, 0.42)), (6, (0.92, 0.74, 0.36)),
         (10, (0.86, 0.42, 0.22)), (20, (1.0, 0.96, 0.92)))  # fmt: skip
"""Colours as a screen shows them by how often a pixel is drawn over."""


def heat_of(layers: Array) -> Array:
    """A picture of layers as heat, `(h, w, 3)` as a screen shows it: dark for none, white for twenty and more."""
    count = layers[..., 0] / A_LAYER
    at = [n for n, _ in _HEAT]
    return np.stack([np.interp(count, at, [c[i] for _, c in _HEAT]) for i in range(3)], axis=-1)
