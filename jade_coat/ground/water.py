"""Where water stands on land: every hollow holds it level, from its lowest place up to where it spills."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from jade_coat.ground.heights import Heights
from jade_coat.ground.pages import Pages
from jade_coat.program.types import Array

MOST_CELLS = 513
"""Cells along an edge on which hollows are looked for, at the most."""
LEAST = 0.02
"""How deep a hollow must be to hold water that is seen from edge to edge, metres."""
SHORE_CELLS = 2
"""So many cells round a hollow are told its level as well: where they are higher the water ends by itself."""


@dataclass(frozen=True)
class Hollows:
    """The hollows of some land on a grid `(rows, columns)` from edge to edge: `number` of each cell's, 0 for none.

    `bottom` and `spill` are metres, by number; those of 0 are of no meaning.
    """

    number: Array
    bottom: Array
    spill: Array
    size: tuple[float, float]


def pool_cells(rows: int, columns: int) -> tuple[int, int]:
    """Rows and columns of the grid on which hollows are looked for, for heights of some."""
    return min(rows, MOST_CELLS), min(columns, MOST_CELLS)


def hollows(heights: Heights) -> Hollows:
    """The hollows of some heights: what lies below the level at which water would run off over the edge of the land.

    By filling pits (Barnes, Lehman & Mulla 2014); each piece of what is filled, corners touching, is a hollow.
    """
    from scipy import ndimage  # slow to import, and only where damp is painted

    from jade_coat.ground.flow import filled
    from jade_coat.ground.kernels import bilinear

    pages = heights.pages
    rows, columns = pool_cells(pages.rows, pages.columns)
    if (rows, columns) == (pages.rows, pages.columns):
        land = heights.whole.astype(np.float64)
    else:
        x, z = np.meshgrid(np.linspace(0, pages.columns - 1, columns), np.linspace(0, pages.rows - 1, rows))
        land = bilinear(heights.whole, np.stack([x.ravel(), z.ravel()], axis=1)).reshape(rows, columns)
    full = filled(land)
    number, count = ndimage.label(full > land + 1e-6, np.ones((3, 3), int))
    bottom, spill = np.zeros(count + 1), np.zeros(count + 1)
    every = np.arange(1, count + 1)
    if count:
        bottom[1:] = ndimage.minimum(land, number, every)
        spill[1:] = ndimage.maximum(full, number, every)
    deep = spill - bottom >= LEAST
    deep[0] = False
    order = np.cumsum(deep) * deep
    return Hollows(order[number].astype(np.int32), np.append(0.0, bottom[deep]), np.append(0.0, spill[deep]),
                   heights.size)  # fmt: skip


@dataclass(frozen=True)
class Pools:
    """How water may stand, cell by cell `(rows, columns) float32` from edge to edge of the land.

    `bottom` is where the lowest place of the nearest hollow is and `rise` how far it can fill, metres; `wet` is the
    dampest that was painted in it, 0–1, and 0 where there is no hollow.
    """

    bottom: Pages
    rise: Pages
    wet: Pages
    size: tuple[float, float]

    @property
    def grids(self) -> tuple[Pages, Pages, Pages]:
        """All three, as the renderer is given them."""
        return self.bottom, self.rise, self.wet

    def level(self, places: Array, stands: float, weather: float = 1.0) -> Array:
        """How high water stands at places `(n, 2)`, metres; minus infinity where there is none.

        `stands` is the damp from which on it does, `weather` what damp is multiplied by.
        """
        step = np.array(self.size) / (self.wet.columns - 1, self.wet.rows - 1)
        bottom, rise, wet = (grid.sampled(places / step) for grid in self.grids)
        full = np.clip((wet * weather - stands) / max(1.0 - stands, 1e-3), 0, 1)
        return np.where(full > 0, bottom + rise * full, -np.inf)


def pools(found: Hollows, damp: Pages) -> Pools:
    """How water may stand in some hollows, by what was painted of damp, `uint8`."""
    from scipy import ndimage

    rows, columns = found.number.shape
    count = len(found.bottom)
    number = found.number
    wet = np.zeros(count)
    if count > 1:
        x, z = np.meshgrid(np.linspace(0, damp.columns - 1, columns), np.linspace(0, damp.rows - 1, rows))
        painted = damp.sampled(np.stack([x.ravel(), z.ravel()], axis=1)).reshape(rows, columns) / 255.0
        wet[1:] = ndimage.maximum(painted, number, np.arange(1, count))
        # Everywhere the level of the nearest hollow is told, so that none is mixed with another where water ends.
        away, (near_row, near_column) = ndimage.distance_transform_edt(number == 0, return_indices=True)
        number = number[near_row, near_column]
    made = [values.astype(np.float32)[number] for values in (found.bottom, found.spill - found.bottom, wet)]
    if count > 1:
        made[2][away > SHORE_CELLS] = 0.0
    bottom, rise, wets = (Pages.of(np.ascontiguousarray(m)) for m in made)
    return Pools(bottom, rise, wets, found.size)
