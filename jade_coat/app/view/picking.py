"""Finds what is under the pointer."""

from __future__ import annotations

from collections.abc import Set

from jade_coat.app.session import Session
from jade_coat.looking.stage_rays import PropHit, StageNow
from jade_coat.looking.stage_surface import SurfaceHit, nearest_surface
from jade_coat.view.camera import ray
from jade_coat.view.requests import Eye


def prop_at(session: Session, eye: Eye, x: float, y: float, only: str = "") -> PropHit | None:
    """The prop that is seen at a place of the picture (0–1 from the upper left); `only` looks at one prop alone, even
    where the land hides it."""
    origin, direction = ray(eye, x, y)
    now = stage_now(session)
    if only:
        return session.rays.first(now, origin, direction, only)
    found = nearest_surface(session.rays, now, origin, direction)
    return found.prop if found is not None else None


def surface_at(session: Session, eye: Eye, x: float, y: float, but: Set[str] = frozenset()) -> SurfaceHit | None:
    """What is seen at a place of the picture, a prop or the land; `but` leaves some props out."""
    return nearest_surface(session.rays, stage_now(session), *ray(eye, x, y), but)


def stage_now(session: Session) -> StageNow:
    """The stage at this moment."""
    project = session.project
    complete = not session.link.unsent_sets(project)
    mesh_data, shown = session.link.mesh_data, session.shown_project
    return StageNow(project, session.library, mesh_data, session.time, complete, shown, session.link.lifts.of)
