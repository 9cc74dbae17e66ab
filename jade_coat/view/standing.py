"""Where the instances of a draw stand: a ball round each, kept from picture to picture, and found by a tree."""

from __future__ import annotations

import numpy as np

from jade_coat.program.types import Array
from jade_coat.stage.draws import Draw
from jade_coat.stage.volumes import VolumeTree

TREE_FROM = 2048
"""Of fewer instances all balls are looked at."""
NEAR = 1.001
"""Balls count as this much larger: their places are single floats."""


def stretches(matrices: Array) -> Array:
    """How much longer some matrices `(n, 4, 4)` make what lies along an axis, at the most, `(n,)`."""
    return np.asarray(np.sqrt((matrices[:, :3, :3].astype(np.float64) ** 2).sum(axis=1).max(axis=1)))


def upright(matrices: Array) -> Array:
    """Which of some instances `(n, 4, 4)` are not turned inside out, `(n,) bool`."""
    x, y, z = np.moveaxis(matrices[:, :3, :3], 2, 0)
    return np.asarray((x * np.cross(y, z)).sum(axis=1) > 0)


class Standing:
    """The balls round the instances of a draw, how large the instances are, and which are not turned inside out."""

    def __init__(self, draw: Draw, bounds: Array) -> None:
        """`bounds` `(2, 3)` are those of the mesh."""
        self.bounds = bounds
        self._columns = _columns(draw.matrices, bounds)
        self._tree = VolumeTree() if len(draw.rows) >= TREE_FROM and not draw.strewn else None
        self._plant(np.arange(len(draw.rows)))

    def moved(self, draw: Draw, places: Array) -> None:
        """Some instances `(k,)` of the draw stand elsewhere now."""
        for column, values in zip(self._columns, _columns(draw.matrices[places], self.bounds), strict=True):
            column[places] = values
        self._plant(places)

    def _plant(self, places: Array) -> None:
        if self._tree is not None:
            middles, radii = self.balls(places)
            self._tree.put(places, middles, np.repeat(radii[:, None] * NEAR, 3, axis=1))

    def balls(self, numbers: Array, margin: float = 0.0) -> tuple[Array, Array]:
        """Middles `(n, 3)` and radii `(n,)` of some balls; `margin` is how far vertices may be moved, metres."""
        middles, radii = self._columns[:2]
        return middles[numbers], radii[numbers] + margin

    @property
    def sizes(self) -> Array:
        """How much longer each instance is than the mesh along an axis, at the most, `(n,)`."""
        return self._columns[2]

    @property
    def upright(self) -> Array:
        """Which instances are not turned inside out, `(n,) bool`."""
        return self._columns[3]

    def within(self, planes: Array, margin: float = 0.0) -> Array:
        """The numbers of the balls that may reach between planes `(k, 4)`, rising."""
        numbers = np.arange(len(self.sizes)) if self._tree is None else self._tree.within(planes, margin)
        return np.asarray(numbers[between(self.balls(numbers, margin), planes)])


def between(balls: tuple[Array, Array], planes: Array) -> Array:
    """Which balls, by middles `(n, 3)` and radii `(n,)`, may reach between planes `(k, 4)`, `(n,) bool`."""
    middles, radii = balls
    return np.asarray((planes[:, :3] @ middles.T + planes[:, 3:] > -radii * NEAR - 1e-6).all(axis=0))


def _columns(matrices: Array, bounds: Array) -> tuple[Array, ...]:
    """Middles and radii of balls around instances of a mesh with `bounds` `(2, 3)`, their sizes, which are upright."""
    middle, half = bounds.mean(axis=0), float(np.linalg.norm(bounds[1] - bounds[0])) / 2
    sizes = stretches(matrices)
    middles = matrices[:, :3, :3].astype(np.float64) @ middle + matrices[:, :3, 3]
    return middles, half * sizes, sizes, upright(matrices)
