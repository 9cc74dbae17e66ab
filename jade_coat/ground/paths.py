"""Paths: curves on land that rules and scatters go by; how they run, and how far places are from their edge."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Annotated

import numpy as np
from pydantic import Field

from jade_coat.material.fields import Bounded, field, option
from jade_coat.program.types import Array

MOST_POINTS = 512
FINE = 0.1
"""Metres from corner to corner of the line that stands for a curve, or so."""
MOST_PARTS = 64
"""Straight parts between two points of a path, at the most."""
RUN = 8
"""So many parts of a line are told as one rectangle."""
Coordinate = Annotated[float, Field(ge=-1e6, le=1e6)]
Point = tuple[Coordinate, Coordinate]
Rect = tuple[float, float, float, float]


class GroundPath(Bounded):
    """A path over a ground: a curve through points, metres along x and z from the ground's corner."""

    id: str
    name: str
    points: tuple[Point, ...] = Field(default=(), max_length=MOST_POINTS)
    width: float = field(1.2, "Width", unit="m", high=1000.0, soft=(0.2, 8.0), hint="From edge to edge")
    closed: bool = option(False, "Closed", "toggle", hint="It ends where it begins")

    @property
    def lies(self) -> bool:
        """Whether it is anywhere yet: a single point is not."""
        return len(self.points) > 1


def line_of(path: GroundPath) -> Array:
    """The corners `(n, 2)` of the line that a path runs along, metres from the ground's corner.

    A Catmull–Rom curve of centripetal parameters, which makes no loops and no kinks between points (Yuksel, Schaefer &
    Keyser 2011, DOI 10.1016/j.cad.2010.08.008), by Barry & Goldman's pyramid of 1988.
    """
    points = _apart(path)
    if len(points) < 2:
        return points
    if path.closed and len(points) > 2:
        round_it = np.concatenate([points[-1:], points, points[:2]])
    else:  # beyond its ends it goes on as it came
        round_it = np.concatenate([[2 * points[0] - points[1]], points, [2 * points[-1] - points[-2]]])
    found = [_between(round_it[i : i + 4]) for i in range(len(round_it) - 3)]
    return np.concatenate([*found, round_it[-2][None]])


def _apart(path: GroundPath) -> Array:
    """Its points, those that lie on the one before them left out."""
    points = np.array(path.points, np.float64).reshape(-1, 2)
    if len(points) < 2:
        return points
    moved = np.concatenate([[True], np.hypot(*np.diff(points, axis=0).T) > 1e-6])
    if path.closed and len(points) > 2 and np.hypot(*(points[-1] - points[0])) <= 1e-6:
        moved[-1] = False
    return points[moved]


def _between(four: Array) -> Array:
    """The curve from the second to the third of four points, without its end."""
    knots = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(four, axis=0).T) ** 0.5)])
    parts = int(np.clip(np.ceil(np.hypot(*(four[2] - four[1])) / FINE), 4, MOST_PARTS))
    at = np.linspace(knots[1], knots[2], parts, endpoint=False)[:, None]

    def mixed(a: Array, b: Array, low: float, high: float) -> Array:
        return np.asarray((a * (high - at) + b * (at - low)) / (high - low))

    first = [mixed(four[i], four[i + 1], knots[i], knots[i + 1]) for i in range(3)]
    second = [mixed(first[i], first[i + 1], knots[i], knots[i + 2]) for i in range(2)]
    return mixed(second[0], second[1], knots[1], knots[2])


def parts_of(paths: Iterable[GroundPath]) -> Array:
    """The straight parts of all paths `(n, 5)`: from x and z, to x and z, and half the width, metres."""
    found = [np.zeros((0, 5))]
    for path in paths:
        if path.lies:
            line = line_of(path)
            found.append(np.column_stack([line[:-1], line[1:], np.full(len(line) - 1, path.width / 2)]))
    return np.concatenate(found)


def off_paths(parts: Array, at: Array, reach: float) -> Array:
    """How far places `(n, 2)` are from the nearest edge of paths, metres; 0 on them, and at the most `reach`."""
    from jade_coat.ground.path_kernels import to_places  # slow to import

    if not len(at):
        return np.zeros(0)
    low, high = at.min(axis=0) - reach, at.max(axis=0) + reach
    wide = parts[:, 4]
    near = np.ones(len(parts), bool)
    for axis in (0, 1):
        ends = parts[:, [axis, axis + 2]]
        near &= (ends.max(axis=1) + wide >= low[axis]) & (ends.min(axis=1) - wide <= high[axis])
    return np.asarray(to_places(np.ascontiguousarray(parts[near]), np.ascontiguousarray(at, np.float64), reach))


def off_paths_on(parts: Array, shape: tuple[int, int], step: tuple[float, float], reach: float) -> Array:
    """How far the cells of a grid `(rows, columns)` are from the nearest edge of paths, as `off_paths` tells it.

    `step` is from cell to cell along x and z, metres; the first cell lies at the corner.
    """
    from jade_coat.ground.path_kernels import to_grid  # slow to import

    return np.asarray(to_grid(np.ascontiguousarray(parts), shape[0], shape[1], step[0], step[1], reach))


def rects_of(then: Sequence[GroundPath], now: Sequence[GroundPath], reach: float) -> list[Rect]:
    """Where the distance to paths may be another after a change, up to some distance: rectangles, metres."""
    old, new = ({p.tobytes(): p for p in parts_of(paths)} for paths in (then, now))
    found = []
    for mine, other in ((old, new), (new, old)):
        changed = np.array([p for key, p in mine.items() if key not in other]).reshape(-1, 5)
        for i in range(0, len(changed), RUN):
            some = changed[i : i + RUN]
            ends, by = some[:, :4].reshape(-1, 2), reach + float(some[:, 4].max())
            (x0, z0), (x1, z1) = ends.min(axis=0) - by, ends.max(axis=0) + by
            found.append((float(x0), float(x1), float(z0), float(z1)))
    return found
