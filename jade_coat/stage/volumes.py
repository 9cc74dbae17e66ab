"""A tree of boxes that changes with them: what a ray meets, or what lies between planes, is found among thousands.

Boxes that lie together, in the order of a curve through space (Morton 1966), have a box round sixteen of them, sixteen
of those have one, and so on; what a question leaves out above is not looked at below. A box that moves widens or
narrows those round it; once many have moved the tree is made anew (Wald, Boulos & Shirley 2007, Ray Tracing Deformable
Scenes using Dynamic Bounding Volume Hierarchies).
"""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from jade_coat.program.types import Array

FAN = 16
"""So many boxes have one round them."""
LOOSE = 64
"""So many boxes, and an eighth of all, may have come or moved before the tree is made anew."""
NONE = 1e30
"""Half sizes of −`NONE` are those of a box that is not there: it meets nothing and widens nothing."""

Test = Callable[[Array, Array], Array]
"""Which boxes, by middles and half sizes `(n, 3)`, are looked for, `(n,) bool`; those round such a box too."""


class VolumeTree:
    """Axis-aligned boxes by number, from 0."""

    def __init__(self) -> None:
        self._middles = np.zeros((0, 3))
        self._halves = np.full((0, 3), -NONE)
        self._place = np.zeros(0, np.int64)
        """Where each box lies in the order of the tree; −1: nowhere."""
        self._order = np.zeros(0, np.int64)
        self._levels: list[tuple[Array, Array]] = []
        """Middles and half sizes `(m, 3)`, of the boxes in order, of those round sixteen, …; multiples of `FAN`."""
        self._loose: dict[int, None] = {}
        self._moved = 0

    def put(self, numbers: Array, middles: Array, halves: Array) -> None:
        """Boxes `numbers` `(n,)` have these middles and half sizes `(n, 3)` now, whether they were there or not."""
        if not len(numbers):
            return
        self._make_room(int(numbers.max()) + 1)
        self._middles[numbers], self._halves[numbers] = middles, halves
        there = numbers[self._place[numbers] >= 0]
        self._refit(np.unique(self._place[there]))
        self._moved += len(there)
        if len(there) < len(numbers):
            self._loose |= dict.fromkeys(numbers[self._place[numbers] < 0].tolist())

    def drop(self, numbers: Array) -> None:
        """Boxes `(n,)` are not there any more."""
        self.put(numbers, np.zeros((len(numbers), 3)), np.full((len(numbers), 3), -NONE))

    @property
    def numbers(self) -> Array:
        """The numbers of all boxes that are there, rising."""
        return np.flatnonzero(self._halves[:, 0] > -NONE)

    def corners(self, numbers: Array) -> tuple[Array, Array]:
        """The lowest and the highest corners `(n, 3)` of some boxes."""
        return self._middles[numbers] - self._halves[numbers], self._middles[numbers] + self._halves[numbers]

    def along(self, origin: Array, direction: Array) -> tuple[Array, Array]:
        """The numbers of the boxes that a ray meets, and how far away `(n,)` each begins, the nearest first.

        A ray that starts in a box meets it at 0.
        """

        # Along an axis it counts as hardly slanted to it: between two planes for ever, or never.
        inverse = 1.0 / np.where(np.abs(direction) < 1e-30, 1e-30, direction)

        def ends(middles: Array, halves: Array) -> tuple[Array, Array]:
            """Where it comes into boxes and where it leaves them: Kay & Kajiya 1986."""
            middle, reach = (middles - origin) * inverse, halves * np.abs(inverse)
            enter, leave = (middle - reach).T, (middle + reach).T
            return np.maximum(np.maximum(*enter[:2]), enter[2]), np.minimum(np.minimum(*leave[:2]), leave[2])

        def meets(middles: Array, halves: Array) -> Array:
            enter, leave = ends(middles, halves)
            return np.asarray(np.maximum(enter, 0.0) <= leave + 1e-9)

        found = self.where(meets)
        enter, _ = ends(self._middles[found], self._halves[found])
        order = np.argsort(enter, kind="stable")
        return found[order], np.maximum(enter[order], 0.0)

    def within(self, planes: Array, margin: float = 0.0) -> Array:
        """The numbers of the boxes that may reach between planes `(k, 4)`, normals inwards and of length 1, rising.

        Those that are `margin` outside of a plane at the most are among them.
        """
        normals, sides, away = planes[:, :3], np.abs(planes[:, :3]), planes[:, 3:] + margin

        def reaches(middles: Array, halves: Array) -> Array:
            return np.asarray((normals @ middles.T + away + sides @ halves.T >= -1e-6).all(axis=0))

        return np.sort(self.where(reaches))

    def where(self, test: Test) -> Array:
        """The numbers of the boxes that a test looks for."""
        if len(self._loose) + self._moved > LOOSE + len(self._order) // 8:
            self._build()
        loose = np.fromiter(self._loose, np.int64, len(self._loose))
        loose = loose[test(self._middles[loose], self._halves[loose])] if len(loose) else loose
        if not self._levels:
            return loose
        among = np.zeros(1, np.int64)
        for middles, halves in reversed(self._levels):
            among = (among[:, None] * FAN + np.arange(FAN)).ravel()
            among = among[test(middles[among], halves[among])]
        return np.concatenate([self._order[among], loose])

    def _make_room(self, count: int) -> None:
        more = count - len(self._place)
        if more <= 0:
            return
        more = max(more, len(self._place) // 2, LOOSE)
        self._middles = np.concatenate([self._middles, np.zeros((more, 3))])
        self._halves = np.concatenate([self._halves, np.full((more, 3), -NONE)])
        self._place = np.concatenate([self._place, np.full(more, -1)])

    def _build(self) -> None:
        there = self.numbers
        self._order = there[np.argsort(_along_curve(self._middles[there]), kind="stable")]
        self._place[:] = -1
        self._place[self._order] = np.arange(len(self._order))
        self._loose, self._moved, self._levels = {}, 0, []
        middles, halves = self._middles[self._order], self._halves[self._order]
        while len(middles):
            spare = -len(middles) % FAN
            middles = np.concatenate([middles, np.zeros((spare, 3))])
            halves = np.concatenate([halves, np.full((spare, 3), -NONE)])
            self._levels.append((middles, halves))
            if len(middles) == FAN:
                break
            middles, halves = _round(middles.reshape(-1, FAN, 3), halves.reshape(-1, FAN, 3))
        self._order = np.concatenate([self._order, np.zeros(-len(self._order) % FAN, np.int64)])

    def _refit(self, places: Array) -> None:
        """What is round some places `(n,)` of the order holds again what lies there."""
        if not len(places):
            return
        middles, halves = self._levels[0]
        middles[places], halves[places] = self._middles[self._order[places]], self._halves[self._order[places]]
        for (middles, halves), (over_middles, over_halves) in zip(self._levels, self._levels[1:], strict=False):
            places = np.unique(places // FAN)
            among = places[:, None] * FAN + np.arange(FAN)
            over_middles[places], over_halves[places] = _round(middles[among], halves[among])


def _round(middles: Array, halves: Array) -> tuple[Array, Array]:
    """The boxes `(n, 3)` round groups of boxes `(n, k, 3)`."""
    low, high = (middles - halves).min(axis=1), (middles + halves).max(axis=1)
    return (low + high) / 2, (high - low) / 2


def _along_curve(points: Array) -> Array:
    """How far along a curve through space points `(n, 3)` lie: the bits of their places on a grid, riffled."""
    if not len(points):
        return np.zeros(0, np.int64)
    low = points.min(axis=0)
    step = max(float((points.max(axis=0) - low).max()), 1e-12) / 1023.0
    cells = np.clip((points - low) / step, 0, 1023).astype(np.int64)
    for shift, mask in ((16, 0x030000FF), (8, 0x0300F00F), (4, 0x030C30C3), (2, 0x09249249)):
        cells = (cells | cells << shift) & mask
    return np.asarray(cells[:, 0] | cells[:, 1] << 1 | cells[:, 2] << 2)
