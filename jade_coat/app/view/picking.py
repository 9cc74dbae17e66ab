"""Finds the prop under the pointer."""

from __future__ import annotations

from jade_coat.app.session import Session
from jade_coat.looking.stage_rays import PropHit, StageNow
from jade_coat.view.camera import ray
from jade_coat.view.requests import Eye


def prop_at(session: Session, eye: Eye, x: float, y: float, only: str = "") -> PropHit | None:
    """The nearest prop at a place of the picture (0–1 from the upper left); `only` looks at one prop alone."""
    origin, direction = ray(eye, x, y)
    return session.rays.first(stage_now(session), origin, direction, only)


def stage_now(session: Session) -> StageNow:
    """The stage at this moment."""
    project = session.project
    complete = not session.link.unsent_sets(project)
    mesh_data, shown = session.link.mesh_data, session.shown_project
    return StageNow(project, session.library, mesh_data, session.time, complete, shown)
