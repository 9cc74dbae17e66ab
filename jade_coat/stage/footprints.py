"""Where props stand on a ground: how far each place of it is from the next of them."""

from __future__ import annotations

from collections.abc import Callable

import cv2
import numpy as np

from jade_coat.mesh.data import MeshData, kept_by_mesh
from jade_coat.program.types import Array
from jade_coat.stage.grounds import Ground
from jade_coat.stage.project import Project

FINE, MOST_CELLS = 0.1, 1025
"""Metres from cell to cell, as far as no more of them are needed along an edge."""
LOW = 0.6
"""What lies up to so far above the lowest of a mesh counts as standing, metres; what hangs higher shuts nothing out."""
BELOW, ABOVE = 0.8, 0.6
"""A thing stands on the ground whose lowest point is at the most so far below or above it, metres."""


@kept_by_mesh
def footing_of(mesh: MeshData) -> Array:
    """Points `(n, 2)`, x and z of the mesh's own, that cover what of it stands on the ground, no two in one cell."""
    places = mesh.positions
    low = places[:, 1].min() + LOW
    corners = places[mesh.triangles]
    corners = corners[(corners[:, :, 1].min(axis=1) <= low)]
    if not len(corners):
        return np.zeros((0, 2))
    spans = np.ptp(corners[:, :, [0, 2]], axis=1).max(axis=1)
    # Large triangles are covered by points of their own, so that no gap is left between their corners.
    found = [corners.reshape(-1, 3)[:, [0, 2]]]
    for count in sorted({int(c) for c in np.clip(np.ceil(spans / FINE), 1, 64) if c > 1}):
        some = corners[np.clip(np.ceil(spans / FINE), 1, 64).astype(int) == count][:, :, [0, 2]]
        a, b = np.meshgrid(*(np.arange(count + 1) / count,) * 2)
        inside = a + b <= 1 + 1e-9
        a, b = a[inside][:, None], b[inside][:, None]
        at = some[:, 0, None] * (1 - a - b) + some[:, 1, None] * a + some[:, 2, None] * b
        found.append(at.reshape(-1, 2))
    points = np.concatenate(found)
    _, first = np.unique(np.floor(points / FINE).astype(np.int64), axis=0, return_index=True)
    return np.asarray(points[first], np.float64)


def clear_of_props(project: Project, ground: Ground, mesh_data: Callable[[Project, str], MeshData]) -> Array | None:
    """How far places of a ground are from what stands there, metres, `(rows, columns) float32` from edge to edge.

    None where nothing stands on it.
    """
    size = ground.heights.size
    columns, rows = (min(max(round(s / FINE) + 1, 17), MOST_CELLS) for s in size)
    step = np.array(size) / (columns - 1, rows - 1)
    free = np.ones((rows, columns), np.uint8)
    for prop in project.props:
        if not project.shows(prop):
            continue
        mesh = mesh_data(project, prop.mesh)
        matrix = prop.matrix()
        points = footing_of(mesh)
        low = float(mesh.positions[:, 1].min())
        world = matrix[:3, [0, 2]] @ points.T + (matrix[:3, 1] * low + matrix[:3, 3])[:, None]
        at = world[[0, 2]].T - ground.corner
        there = ((at >= 0) & (at <= size)).all(axis=1)
        if not there.any():
            continue
        above = world[1, there] - ground.foot - ground.heights.at(at[there])
        stands = (above > -BELOW) & (above < ABOVE)
        cells = np.rint(at[there][stands] / step).astype(int)
        free[cells[:, 1], cells[:, 0]] = 0
    if free.all():
        return None
    away = cv2.distanceTransform(free, cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    return np.asarray(away * np.float32(step.min()), np.float32)
