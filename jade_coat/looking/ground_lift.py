"""How far the layers of a ground lift it, for what stands and lies on it."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress

import numpy as np

from jade_coat.files.library import Library
from jade_coat.looking.ground_look import GroundLook
from jade_coat.maps.picture import BadImage
from jade_coat.program.types import Array
from jade_coat.stage.ground_looks import ground_basis, same
from jade_coat.stage.grounds import Ground
from jade_coat.stage.project import Project


class GroundLift:
    """The lift of one ground in one state of a project, metres; worked out only when it is asked for.

    `basis` is what it follows from beside heights and weights; it is told apart by identity.
    """

    def __init__(self, basis: tuple[object, ...], ground: Ground, look: Callable[[], GroundLook | None]) -> None:
        self.basis, self._ground, self._look = basis, ground, look

    def __call__(self, places: Array) -> Array:
        """How far places `(n, 2)`, metres from the ground's corner, are lifted, metres `(n,)`.

        As the ground is drawn near by: from sample to sample of its heights it goes straight.
        """
        look = self._look() if len(places) else None
        if look is None:
            return np.zeros(len(places))
        heights = self._ground.heights
        spacing, (rows, columns) = np.array(heights.spacing), (heights.pages.rows, heights.pages.columns)
        cells = np.clip(places / spacing, 0, (columns - 1, rows - 1))
        low = np.minimum(np.floor(cells).astype(np.int64), (columns - 2, rows - 2))
        corners = low[:, None] + np.array([(0, 0), (1, 0), (0, 1), (1, 1)])
        numbers, back = np.unique(corners[..., 1] * columns + corners[..., 0], return_inverse=True)
        samples = np.stack([numbers % columns, numbers // columns], axis=1) * spacing
        (placed,) = look.on(self._ground).at(samples, ["placed_position"]).values()
        lifts = placed[:, 1] - self._ground.foot - heights.at(samples)
        a, b, c, d = lifts[back.reshape(-1, 4)].T  # the triangles of a cell meet between b and c (`node_mesh`)
        x, z = (cells - low).T
        near, beyond = a + (b - a) * x + (c - a) * z, d + (c - d) * (1 - x) + (b - d) * (1 - z)
        return np.where(x + z <= 1, near, beyond)


class GroundLifts:
    """The lifts of all grounds of projects; what a ground is made of is compiled once, while it stays the same."""

    def __init__(self, library: Library) -> None:
        self._library = library
        self._known: dict[str, tuple[tuple[object, ...], GroundLook | None]] = {}

    def of(self, project: Project, ground: Ground) -> GroundLift | None:
        """The lift of a ground; None where no layer of it lifts it. Nothing is read until it is asked for."""
        if all(layer.lift == 0.0 or layer.way == "absolute" for layer in ground.layers):
            self._known.pop(ground.id, None)
            return None
        layers = frozenset(layer.id for layer in ground.layers)
        basis = (*ground_basis(project, ground, layers), project.map_sets, project.recipes, project.shared)

        def look() -> GroundLook | None:
            known = self._known.get(ground.id)
            if known is None or not same(known[0], basis):
                made = None
                with suppress(BadImage, OSError):  # what cannot be read is said where it is shown
                    made = GroundLook(project, self._library, ground)
                self._known[ground.id] = known = (basis, made)
            return known[1]

        return GroundLift(basis, ground, look)
