"""How far the layers of a ground lift it, for what stands and lies on it."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from contextlib import suppress

import numpy as np

from jade_coat.files.library import Library
from jade_coat.ground.scatter import Rect
from jade_coat.looking.ground_look import GroundLook
from jade_coat.maps.picture import BadImage
from jade_coat.program.types import Array
from jade_coat.stage.ground_looks import ground_basis, same
from jade_coat.stage.grounds import Ground
from jade_coat.stage.project import Project

MOST_AT_ONCE = 20_000
"""Of a rectangle that holds more samples nothing is worked out beforehand."""


class GroundLift:
    """The lift of one ground in one state of a project, metres; worked out only when it is asked for.

    `basis` is what it follows from beside heights and weights; it is told apart by identity.
    """

    def __init__(self, basis: tuple[object, ...], ground: Ground, look: Callable[[], GroundLook | None]) -> None:
        self.basis, self._ground, self._look = basis, ground, look
        self._known = np.zeros(0, np.int64), np.zeros(0)
        """The samples that were worked out beforehand, by number and in order, and their lifts."""

    def __call__(self, places: Array) -> Array:
        """How far places `(n, 2)`, metres from the ground's corner, are lifted, metres `(n,)`.

        As the ground is drawn near by: from sample to sample of its heights it goes straight.
        """
        pages = self._ground.heights.pages
        cells = np.clip(places / np.array(self._ground.heights.spacing), 0, (pages.columns - 1, pages.rows - 1))
        low = np.minimum(np.floor(cells).astype(np.int64), (pages.columns - 2, pages.rows - 2))
        first = low[:, 1] * pages.columns + low[:, 0]
        numbers, back = np.unique(first[:, None] + (0, 1, pages.columns, pages.columns + 1), return_inverse=True)
        lifts = self._at_samples(numbers)
        a, b, c, d = lifts[back.reshape(-1, 4)].T  # the triangles of a cell meet between b and c (`node_mesh`)
        x, z = (cells - low).T
        near, beyond = a + (b - a) * x + (c - a) * z, d + (c - d) * (1 - x) + (b - d) * (1 - z)
        return np.where(x + z <= 1, near, beyond)

    def prepare(self, rects: Iterable[Rect]) -> None:
        """Work out all samples in some rectangles at once, which costs little more than a few of them; not of many."""
        pages, (dx, dz) = self._ground.heights.pages, self._ground.heights.spacing
        found = []
        for x0, x1, z0, z1 in rects:
            columns = np.arange(max(int(x0 / dx), 0), min(int(np.ceil(x1 / dx)) + 1, pages.columns - 1) + 1)
            rows = np.arange(max(int(z0 / dz), 0), min(int(np.ceil(z1 / dz)) + 1, pages.rows - 1) + 1)
            if len(rows) * len(columns) < MOST_AT_ONCE:
                found.append((rows[:, None] * pages.columns + columns).ravel())
        if found:
            numbers = np.unique(np.concatenate(found))
            self._known = numbers, self._at_samples(numbers)

    def _at_samples(self, numbers: Array) -> Array:
        """The lifts at samples of the heights, by their numbers, row by row, in order."""
        known, lifts = self._known
        at = np.searchsorted(known, numbers)
        there = at < len(known)
        there[there] = known[at[there]] == numbers[there]
        found = np.zeros(len(numbers))
        found[there] = lifts[at[there]]
        if not there.all():
            found[~there] = self._worked_out(numbers[~there])
        return found

    def _worked_out(self, numbers: Array) -> Array:
        look, heights = self._look(), self._ground.heights
        if look is None:
            return np.zeros(len(numbers))
        columns = heights.pages.columns
        samples = np.stack([numbers % columns, numbers // columns], axis=1) * np.array(heights.spacing)
        (placed,) = look.on(self._ground).at(samples, ["placed_position"]).values()
        return np.asarray(placed[:, 1] - self._ground.foot - heights.at(samples))


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
                # What cannot be read, or has no meaning, is said where it is shown: there the land is not lifted.
                with suppress(BadImage, OSError, ValueError, TypeError, KeyError):
                    made = GroundLook(project, self._library, ground)
                self._known[ground.id] = known = (basis, made)
            return known[1]

        return GroundLift(basis, ground, look)
