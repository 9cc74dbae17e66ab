"""Where a ray meets the grounds of a project."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from jade_coat.program.types import Array
from jade_coat.stage.grounds import Ground
from jade_coat.stage.project import Project


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


def first_ground(project: Project, origin: Array, way: Array) -> GroundHit | None:
    """The nearest ground that is shown on a ray."""
    found = [hit for g in project.grounds if project.shows(g) and (hit := on_ground(g, origin, way)) is not None]
    return min(found, key=lambda hit: hit.distance, default=None)
