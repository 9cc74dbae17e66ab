"""Whether a decal touches anything, and why not."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

import numpy as np

from jade_coat.mesh.data import MeshData
from jade_coat.program.types import Array
from jade_coat.stage.decal_draws import receives
from jade_coat.stage.decals import Decal
from jade_coat.stage.project import Project, Prop

Touch = Literal["yes", "outside", "excluded", "turned away"]


def touches(project: Project, decal: Decal, prop: Prop, mesh: MeshData) -> Touch:
    """Whether a decal shows on a prop, as far as whole triangles tell, or why not."""
    to_box = np.linalg.inv(decal.matrix()) @ prop.matrix()
    if not project.shows(prop) or not _boxes_meet(mesh, to_box):
        return "outside"
    corners = mesh.positions[mesh.triangles] @ to_box[:3, :3].T + to_box[:3, 3]
    within = ((corners.min(axis=1) < 0.5) & (corners.max(axis=1) > -0.5)).all(axis=1)
    if not within.any():
        return "outside"
    if not receives(project, prop, decal):
        return "excluded"
    triangles = mesh.positions[mesh.triangles[within]] @ prop.matrix()[:3, :3].T
    normals = np.cross(triangles[:, 1] - triangles[:, 0], triangles[:, 2] - triangles[:, 0])
    lengths = np.maximum(np.linalg.norm(normals, axis=1), 1e-20)
    axis = decal.matrix()[:3, 1] / decal.size[1]
    faces = (normals @ axis / lengths > np.cos(decal.angle[1])).any()
    return "yes" if faces else "turned away"


def why_untouched(project: Project, decal: Decal, mesh_data: Callable[[str], MeshData]) -> str:
    """Why a decal shows nowhere, in words; empty where it does."""
    if not decal.finish:
        return "It shows nothing: choose a finish for it."
    if not project.shows(decal):
        return "It is hidden."
    found: set[Touch] = set()
    for prop in project.props:
        found.add(touches(project, decal, prop, mesh_data(prop.mesh)))
        if "yes" in found:
            return ""
    if "turned away" in found:
        return "It touches nothing: what is in its box faces away from the arrow. Turn it, or widen Facing."
    if "excluded" in found:
        return "It touches nothing: what is in its box is not among those that receive it (On whom)."
    return "It touches nothing: no surface is in its box. Move it, or make the box deeper."


def _boxes_meet(mesh: MeshData, to_box: Array) -> bool:
    low, high = mesh.bounds
    middle = to_box[:3, :3] @ ((low + high) / 2) + to_box[:3, 3]
    half = np.abs(to_box[:3, :3]) @ ((high - low) / 2)
    return bool((np.abs(middle) < half + 0.5).all())
