"""Where a ray meets the grounds of a project."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from jade_coat.program.types import Array
from jade_coat.stage.grounds import Ground
from jade_coat.stage.project import Project
from jade_coat.stage.strewing import Lift, Lifts, no_lift

LIFTINGS = 3
"""So often a place is looked for again, until it lies as high as it is lifted."""


@dataclass(frozen=True)
class GroundHit:
    """The ground that is met, how far along the ray, where in the world, and the ground's normal there."""

    ground: Ground
    distance: float
    point: Array
    normal: Array

    @property
    def place(self) -> Array:
        """Where it is, metres from the ground's corner, `(2,)`."""
        return np.array([self.point[0] - self.ground.corner[0], self.point[2] - self.ground.corner[1]])


def on_ground(ground: Ground, origin: Array, way: Array) -> GroundHit | None:
    """Where a ray, of a unit `way`, comes down on a ground."""
    x, z = ground.corner
    away = ground.heights.hit(origin - np.array([x, ground.foot, z]), way)
    if away is None:
        return None
    point = origin + way * away
    normal = ground.heights.normals(np.array([[point[0] - x, point[2] - z]]))[0]
    return GroundHit(ground, away, point, normal)


def _lifted(hit: GroundHit, lift: Lift, origin: Array, way: Array) -> GroundHit:
    """The same where the layers lift the ground: it is met anew as much higher as it is lifted there.

    The place that is found lies on the ground, and as near the ray as so many steps bring it.
    """
    found = hit
    for _ in range(LIFTINGS):
        again = on_ground(hit.ground, origin - _up_by(lift, found), way)
        if again is None:
            break
        found = again
    height = float(found.ground.heights.at(found.place[None])[0])
    return replace(
        found, point=np.array([found.point[0], found.ground.foot + height, found.point[2]]) + _up_by(lift, found)
    )


def _up_by(lift: Lift, hit: GroundHit) -> Array:
    """How far the ground is lifted at a place of it, `(3,)`."""
    return np.array([0.0, float(lift(hit.place[None])[0]), 0.0])


def first_ground(project: Project, origin: Array, way: Array, lifts: Lifts = no_lift) -> GroundHit | None:
    """The nearest ground that is shown on a ray, as its layers lift it."""
    found = [
        _lifted(hit, lift, origin, way) if (lift := lifts(project, g)) is not None else hit
        for g in project.grounds if project.shows(g) and (hit := on_ground(g, origin, way)) is not None
    ]  # fmt: skip
    return min(found, key=lambda hit: hit.distance, default=None)
