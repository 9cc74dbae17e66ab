"""The way out of a mesh at each vertex: the same for all at one place, so that what moves along it stays shut."""

from __future__ import annotations

import numpy as np

from jade_coat.mesh.data import MeshData
from jade_coat.program.types import Array

LEAST = 0.2
"""A mean of normals that is shorter leads nowhere: front and back of a sheet lie at one place and go their own ways."""


def outward(mesh: MeshData) -> Array | None:
    """Unit ways `(n, 3) float32`; None where all of them are the normals. The mesh keeps it, and a part its part.

    At an edge with two normals it is their mean, each by the angle that its corners take up there (Thürmer & Wüthrich
    1998, Computing Vertex Normals from Polygonal Facets). A mesh that moves by itself keeps to its normals.
    """
    if mesh.motion is not None or mesh.at_rest is not None:
        return None
    if "outward" not in mesh.__dict__:
        mesh.__dict__["outward"] = _outward(mesh)
    found: Array | None = mesh.__dict__["outward"]
    return found


def _outward(mesh: MeshData) -> Array | None:
    place, normals = mesh.places, mesh.normals.astype(np.float64)
    _, first = np.unique(place, return_index=True)
    split = np.zeros(len(first), bool)
    np.logical_or.at(split, place, np.abs(normals - normals[first][place]).max(axis=1) > 1e-4)
    if not split.any():
        return None
    touched = split[place[mesh.triangles.astype(np.int64)]].any(axis=1)
    corners = mesh.triangles[touched].astype(np.int64)
    at = mesh.positions.astype(np.float64)[corners]
    total, angles = np.zeros((len(first), 3)), np.zeros(len(first))
    for i in range(3):
        u, v = at[:, (i + 1) % 3] - at[:, i], at[:, (i + 2) % 3] - at[:, i]
        angle = np.arctan2(np.linalg.norm(np.cross(u, v), axis=1), (u * v).sum(axis=1))
        np.add.at(total, place[corners[:, i]], normals[corners[:, i]] * angle[:, None])
        np.add.at(angles, place[corners[:, i]], angle)
    long = np.linalg.norm(total, axis=1)
    leads = split & (long > LEAST * np.maximum(angles, 1e-12))
    made = normals.copy()
    own = leads[place]
    made[own] = (total / np.maximum(long, 1e-12)[:, None])[place[own]]
    return made.astype(np.float32)
