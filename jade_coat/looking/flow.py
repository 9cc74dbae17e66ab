"""The lines along which the strands of a look lie on a prop."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from jade_coat.files.library import Library
from jade_coat.looking.look_at import look_at
from jade_coat.mesh.data import MeshData
from jade_coat.mesh.makers.even import spacing, thinned
from jade_coat.program.types import Array
from jade_coat.stage.project import Project, Prop

WAY = "strand_way"
POINTS, LINES, STEPS = 6000, 320, 7
"""Places at which the direction is asked for, lines that are drawn, and steps of each."""


@dataclass(frozen=True)
class Flow:
    """Lines `(n, k, 3)` in the world from root to tip, metres, and the normals where they begin `(n, 3)`."""

    lines: Array
    normals: Array


NO_FLOW = Flow(np.zeros((0, STEPS + 1, 3)), np.zeros((0, 3)))


def flow_of(project: Project, library: Library, prop: Prop, slot: str, mesh: MeshData) -> Flow:
    """The flow of a prop's slot; none where it wears no strands. Raises NoLook and what reading maps raises.

    Lines begin evenly over the surface, and follow the direction at the nearest of many places.
    """
    from scipy.spatial import cKDTree  # slow to import

    look = look_at(project, library, prop, slot, mesh)
    if WAY not in look.outputs:
        return NO_FLOW
    matrix = prop.matrix()
    world = mesh.positions @ matrix[:3, :3].T + matrix[:3, 3]
    corners = world[look.triangles]
    area = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1) / 2
    rng = np.random.default_rng(0)
    owner = rng.choice(len(area), POINTS, p=area / area.sum())
    weights = rng.random((POINTS, 2))
    weights = np.where(weights.sum(axis=1, keepdims=True) > 1, 1 - weights, weights)
    shares = np.concatenate([1 - weights.sum(axis=1, keepdims=True), weights], axis=1)
    places = np.einsum("nc,nck->nk", shares, corners[owner])
    found = look.at([WAY, "normal"], owner, weights)
    ways, normals = (np.broadcast_to(found[n], (3, POINTS)).T for n in (WAY, "normal"))
    apart = spacing(float(area.sum()), 2, LINES)
    begin = thinned(places, LINES, apart)
    tree, at = cKDTree(places), places[begin]
    lines = [at]
    for _ in range(STEPS):
        at = at + ways[tree.query(at)[1]] * (apart * 2 / STEPS)
        lines.append(at)
    return Flow(np.stack(lines, axis=1), normals[begin])
