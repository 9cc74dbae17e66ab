"""Whether a decal touches anything, and why not."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from jade_coat.mesh.data import MeshData
from jade_coat.program.types import Array
from jade_coat.stage.decal_draws import receives
from jade_coat.stage.decals import Decal
from jade_coat.stage.project import Project

MOST_PROPS = 400
"""Props that are looked into; where more lie in the box something does touch it."""


def why_untouched(project: Project, decal: Decal, mesh_data: Callable[[str], MeshData]) -> str:
    """Why a decal shows nowhere, in words; empty where it does, as far as whole triangles tell."""
    if not decal.finish:
        return "It shows nothing: choose a finish for it."
    if not project.shows(decal):
        return "It is hidden."
    inverse = np.linalg.inv(decal.matrix())
    axis = decal.matrix()[:3, 1] / decal.size[1]
    least = float(np.cos(decal.angle[1]))
    excluded = turned_away = False
    for prop in list(project.props)[:MOST_PROPS]:
        mesh = mesh_data(prop.mesh)
        to_box = inverse @ prop.matrix()
        if not project.shows(prop) or not _boxes_meet(mesh, to_box):
            continue
        corners = mesh.positions[mesh.triangles] @ to_box[:3, :3].T + to_box[:3, 3]
        low, high = corners.min(axis=1), corners.max(axis=1)
        within = ((low < 0.5) & (high > -0.5)).all(axis=1)
        if not within.any():
            continue
        if not receives(project, prop, decal):
            excluded = True
            continue
        triangles = mesh.positions[mesh.triangles[within]] @ prop.matrix()[:3, :3].T
        normals = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])
        lengths = np.maximum(np.linalg.norm(normals, axis=1), 1e-20)
        if (normals @ axis / lengths > least).any():
            return ""
        turned_away = True
    if turned_away:
        return "It touches nothing: what is in its box faces away from the arrow. Turn it, or widen Facing."
    if excluded:
        return "It touches nothing: what is in its box is not among those that receive it (On whom)."
    return "It touches nothing: no surface is in its box. Move it, or make the box deeper."


def _boxes_meet(mesh: MeshData, to_box: Array) -> bool:
    low, high = mesh.bounds
    middle = to_box[:3, :3] @ ((low + high) / 2) + to_box[:3, 3]
    half = np.abs(to_box[:3, :3]) @ ((high - low) / 2)
    return bool((np.abs(middle) < half + 0.5).all())
