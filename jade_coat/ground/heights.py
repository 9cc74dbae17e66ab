"""The heights of a ground: a grid of metres, and where a ray meets it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from jade_coat.ground.pages import SIDE, Pages
from jade_coat.program.sending import SentBare
from jade_coat.program.types import Array

FEWEST, MOST = 16, 8193
"""Samples along an edge."""


@dataclass(frozen=True)
class Heights(SentBare):
    """Heights in metres over a rectangle of `size` metres (along x and z), whose first sample lies at its corner.

    Rows follow z and columns x. Places are metres from that corner.
    """

    pages: Pages
    size: tuple[float, float]

    @staticmethod
    def of(values: Array, size: tuple[float, float]) -> Heights:
        """Heights `(rows, columns)` in metres. Raises ValueError for a size, or for numbers, that make no ground."""
        if values.ndim != 2 or min(values.shape) < FEWEST or max(values.shape) > MOST:
            raise ValueError(f"a ground has {FEWEST} to {MOST} samples along an edge, not {values.shape}")
        if not np.isfinite(values).all():
            raise ValueError("some of the heights are no numbers")
        if min(size) <= 0:
            raise ValueError(f"a ground cannot be {size[0]} by {size[1]} metres")
        return Heights(Pages.of(np.ascontiguousarray(values, np.float32)), size)

    @property
    def spacing(self) -> tuple[float, float]:
        """Metres from sample to sample along x and z."""
        return self.size[0] / (self.pages.columns - 1), self.size[1] / (self.pages.rows - 1)

    @cached_property
    def whole(self) -> Array:
        """All heights `(rows, columns) float32`."""
        found = self.pages.whole()
        found.flags.writeable = False
        return found

    def with_pages(self, pages: Pages) -> Heights:
        """The same ground with other heights; what was read of it whole follows by the tiles that differ."""
        made = replace(self, pages=pages)
        changed = pages.changed_from(self.pages)
        known = self.__dict__.get("whole")
        if known is not None and len(changed) * SIDE * SIDE * 2 < known.size:
            whole = known.copy()
            for tile in changed:
                top, bottom, left, right = pages.rect(tile)
                whole[top:bottom, left:right] = pages.tile(tile)
            whole.flags.writeable = False
            made.__dict__["whole"] = whole
        spans = self.__dict__.get("spans")
        if spans is not None:
            spans, across = spans.copy(), pages.across
            beside = {i - step for i in changed for step in (0, 1, across, across + 1)}
            for tile in beside & set(range(len(spans))):
                spans[tile] = made._span(tile)
            made.__dict__["spans"] = spans
        return made

    @cached_property
    def spans(self) -> Array:
        """The lowest and the highest height of each tile, `(tiles, 2)`; a sample beyond its edges counts too."""
        found = np.empty((len(self.pages.tiles), 2), np.float32)
        for i in range(len(found)):
            found[i] = self._span(i)
        return found

    def _span(self, tile: int) -> tuple[float, float]:
        top, bottom, left, right = self.pages.rect(tile)
        part = self.pages.values((top, min(bottom + 1, self.pages.rows), left, min(right + 1, self.pages.columns)))
        return float(part.min()), float(part.max())

    @property
    def low(self) -> float:
        """The lowest height, metres."""
        return float(self.spans[:, 0].min())

    @property
    def high(self) -> float:
        """The highest height, metres."""
        return float(self.spans[:, 1].max())

    def at(self, places: Array) -> Array:
        """The heights `(n,)` at places `(n, 2)`, bilinear; beyond the edge that of the edge."""
        from jade_coat.ground.kernels import bilinear  # slow to import

        step = np.array(self.spacing)
        return np.asarray(bilinear(self.whole, np.ascontiguousarray(places / step, np.float64)))

    def normals(self, places: Array) -> Array:
        """Unit normals `(n, 3)` at places `(n, 2)`, by the heights half a sample to each side."""
        sx, sz = self.spacing
        east, south = np.array([sx / 2, 0.0]), np.array([0.0, sz / 2])
        dx = (self.at(places + east) - self.at(places - east)) / sx
        dz = (self.at(places + south) - self.at(places - south)) / sz
        found = np.stack([-dx, np.ones(len(places)), -dz], axis=1)
        return np.asarray(found / np.linalg.norm(found, axis=1, keepdims=True))

    def hit(self, origin: Array, way: Array) -> float | None:
        """How far along a ray from `origin` `(3,)`, a unit `way` `(3,)`, it meets the ground from above; None if never.

        Cells are passed through one by one, and whole tiles by their highest height.
        """
        from jade_coat.ground.kernels import march  # slow to import

        step = np.array([*self.spacing])
        columns = self.pages.across
        away = march(
            self.whole, self.spans[:, 1].reshape(-1, columns), SIDE, step, np.asarray(origin, np.float64),
            np.asarray(way, np.float64),
        )  # fmt: skip
        return float(away) if away >= 0 else None
