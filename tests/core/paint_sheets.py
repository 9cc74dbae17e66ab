"""Sheets and noise to be painted in tests."""

from __future__ import annotations

import numpy as np

from jade_coat.mesh import shapes
from jade_coat.mesh.data import FULL, MeshData
from jade_coat.mesh.painting import Paint

UP = np.array([0.0, 1.0, 0.0])


def noise_paint(mesh: MeshData, seed: int = 1) -> Paint:
    rng = np.random.default_rng(seed)
    return Paint.of(rng.integers(0, FULL + 1, (mesh.vertex_count, 4), dtype=np.uint16))


def laid_once(mesh: MeshData) -> MeshData:
    """The mesh with its first UV set fitted into the unit square."""
    uv = mesh.uvs[0]
    return mesh.with_(uvs=(((uv - uv.min(axis=0)) / np.ptp(uv, axis=0)).astype(np.float32),))


def folded(charts: bool = True) -> MeshData:
    """A sheet of two halves that meet along x = 0, each with a chart of its own, turned a quarter to each other."""
    halves = []
    for side in (0, 1):
        sheet = shapes.plane(1.0, 1.0, 0.05)
        u, v = (sheet.uvs[0]).T
        uv = np.stack([0.04 + 0.44 * u, 0.1 + 0.8 * v], axis=1) if not side else np.stack(
            [0.54 + 0.42 * v, 0.05 + 0.9 * (1 - u)], axis=1
        )  # fmt: skip
        placed = sheet.positions + np.array([side - 0.5, 0, 0], np.float32)
        halves.append(sheet.with_(positions=placed.astype(np.float32), uvs=(uv.astype(np.float32),)))
    return shapes.joined(((halves[0], "Left"), (halves[1], "Right")))
