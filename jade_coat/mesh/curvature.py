"""How a mesh bends at its vertices: hollows and edges."""

from __future__ import annotations

import numpy as np

from jade_coat.mesh.data import MeshData
from jade_coat.program.types import Array


def curvature(mesh: MeshData) -> Array:
    """What `mean_curvature` gives; the mesh keeps it, and a part of the mesh its part."""
    if "curvature" not in mesh.__dict__:
        mesh.__dict__["curvature"] = mean_curvature(mesh)
    found: Array = mesh.__dict__["curvature"]
    return found


def mean_curvature(mesh: MeshData) -> Array:
    """Signed mean curvature at each vertex, `(n, 1) float32` in 1/metre: above 0 on edges, below 0 in hollows.

    The cotangent formula over a third of the triangles around a vertex (after Meyer, Desbrun, Schröder & Barr,
    Discrete Differential-Geometry Operators, 2003). Vertices at one place count as one; borders give 0.
    """
    place = mesh.places
    _, first = np.unique(place, return_index=True)
    points = mesh.positions[first].astype(np.float64)
    triangles = place[mesh.triangles.astype(np.int64)]
    count = len(points)
    total, area = np.zeros((count, 3)), np.zeros(count)
    edges: list[Array] = []
    for i in range(3):
        a, b, c = triangles[:, i], triangles[:, (i + 1) % 3], triangles[:, (i + 2) % 3]
        # the angle at a weighs the edge from b to c
        u, v = points[b] - points[a], points[c] - points[a]
        cross = np.linalg.norm(np.cross(u, v), axis=1)
        cotangent = np.clip((u * v).sum(axis=1) / np.maximum(cross, 1e-20), -1e4, 1e4)
        way = (points[c] - points[b]) * cotangent[:, None]
        for k in range(3):
            total[:, k] += np.bincount(b, way[:, k], count) - np.bincount(c, way[:, k], count)
        area += np.bincount(a, cross / 6, count)
        edges.append(np.sort(np.stack([b, c], axis=1), axis=1))
    normals = np.zeros((count, 3))
    np.add.at(normals, place, mesh.normals.astype(np.float64))
    normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-20)
    bend = -(total * normals).sum(axis=1) / np.maximum(4 * area, 1e-20)
    pairs, uses = np.unique(np.concatenate(edges), axis=0, return_counts=True)
    bend[pairs[uses == 1].ravel()] = 0.0
    return np.asarray(np.clip(bend, -1e4, 1e4)[place][:, None], np.float32)
