"""Pieces of a scatter as a hand takes them: those near a place, and one as a prop of the project."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from jade_coat.ground.pieces import Cell, Pieces
from jade_coat.ground.scatter import Scatter, side_of, values_of
from jade_coat.program.types import Array
from jade_coat.stage.looks import dress_of
from jade_coat.stage.project import Project, Prop


def near(pieces: Mapping[Cell, Pieces], scatter: Scatter, place: Array, radius: float) -> Pieces:
    """The pieces that stand within some metres of a place `(2,)` of the ground, the nearest first."""
    side, low, high = side_of(scatter), place - radius, place + radius
    first, last = np.floor(low / side).astype(int), np.floor(high / side).astype(int)
    cells = [(x, z) for x in range(first[0], last[0] + 1) for z in range(first[1], last[1] + 1)]
    found = Pieces.joined(pieces[c] for c in cells if c in pieces)
    away = np.hypot(*(found.places.astype(np.float64) - place).T)
    order = np.argsort(away, kind="stable")
    return found.some(order[away[order] <= radius])


def as_prop(project: Project, scatter: Scatter, piece: Pieces, prop_id: str, name: str) -> Prop:
    """One piece as a prop of the project, that stands and looks as it does."""
    from scipy.spatial.transform import Rotation  # slow to import, and only where a hand asks for it

    matrix = piece.matrices[0].astype(np.float64)
    size = float(np.linalg.norm(matrix[:, 0]))
    x, y, z, w = Rotation.from_matrix(matrix[:, :3] / size).as_quat()
    dress = dress_of(project, scatter.mesh, scatter.variant)
    value = values_of(scatter)[int(piece.steps[0])] if scatter.dial else None
    values = {slot: {scatter.dial: value} for slot in dress} if value is not None else {}
    return Prop(
        id=prop_id, name=name, mesh=scatter.mesh, variant=scatter.variant, turn=(x, y, z, w), size=(size,) * 3,
        position=(float(matrix[0, 3]), float(matrix[1, 3]), float(matrix[2, 3])), values=values,
    )  # fmt: skip
