"""What lights a stage beside sun and sky, and what veils it."""

from __future__ import annotations

from jade_coat.stage.lamps import Surroundings, lamp_draw, mist_draw
from jade_coat.stage.project import Project


def surroundings(project: Project) -> Surroundings:
    """The lamps and the mist of a project that are to be seen, and how it is exposed."""
    lamps = tuple((m.id, lamp_draw(m)) for m in project.lamps if project.shows(m))
    mists = tuple(mist_draw(m) for m in project.mists if project.shows(m))
    return Surroundings(lamps, mists, project.light.exposure)
