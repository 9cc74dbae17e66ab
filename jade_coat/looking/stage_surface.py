"""What a ray meets first on the stage, a prop or the land."""

from __future__ import annotations

from collections.abc import Set
from dataclasses import dataclass

import numpy as np

from jade_coat.looking.ground_rays import first_ground
from jade_coat.looking.stage_rays import PropHit, StageNow, StageRays
from jade_coat.program.types import Array


@dataclass(frozen=True)
class SurfaceHit:
    """A place on what is to be seen: how far along the ray, where, its normal towards the eye, and whose it is."""

    distance: float
    point: Array
    normal: Array
    name: str
    prop: PropHit | None = None
    """The prop, where it is one's."""


def nearest_surface(
    rays: StageRays, now: StageNow, origin: Array, way: Array, but: Set[str] = frozenset()
) -> SurfaceHit | None:
    """The nearest surface on a ray of a unit `way`; `but` leaves some props out. The land is met from above only."""
    hit, land = rays.first(now, origin, way, but=but), first_ground(now.shown or now.project, origin, way, now.lifts)
    if land is not None and (hit is None or land.distance < hit.hit.distance):
        return SurfaceHit(land.distance, land.point, land.normal, land.ground.name)
    if hit is None:
        return None
    return SurfaceHit(hit.hit.distance, hit.hit.point, np.asarray(hit.hit.normal), hit.prop.name, hit)
