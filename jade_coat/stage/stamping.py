"""Where a stamp comes to lie: turned to the surface's normal, rolled about it, or stretched along a strip."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from jade_coat.program.types import Array
from jade_coat.stage.arranging import unit_vector
from jade_coat.stage.decals import Cell, Decal
from jade_coat.stage.turns import Turn

UP = np.array([0.0, 1.0, 0.0])


@dataclass(frozen=True)
class Chance:
    """How much stamps differ: the roll in radians about the axis, size and atlas cell."""

    roll: float = 0.0
    size: float = 0.0
    cells: bool = False


def upright_turn(normal: Array, roll: float = 0.0) -> Turn:
    """The turn of a box whose y axis points along a normal and whose picture stands upright where it can.

    On a surface that faces up or down the picture's upper edge points towards −z. `roll` turns it about the normal.
    """
    from scipy.spatial.transform import Rotation  # slow to import

    n = unit_vector(normal)
    up = UP - n * float(UP @ n)
    if np.linalg.norm(up) < 1e-4:
        up = np.array([0.0, 0.0, -1.0]) - n * -n[2]
    back = -unit_vector(up)  # the picture's upper edge is towards −z
    across = np.cross(n, back)
    matrix = np.stack([across, n, back], axis=1)
    made = Rotation.from_rotvec(n * roll) * Rotation.from_matrix(matrix)
    x, y, z, w = (float(v) for v in made.as_quat())
    return (x, y, z, w)


def stamped(like: Decal, point: Array, normal: Array, roll: float, chance: Chance, seed: int) -> Decal:
    """A decal like another one, at a point of a surface; what differs by chance follows from the seed."""
    random = np.random.default_rng([seed, 11])
    roll += (random.random() * 2 - 1) * chance.roll
    factor = float(np.exp((random.random() * 2 - 1) * np.log1p(chance.size)))
    cell = like.cell
    if chance.cells and cell.columns * cell.rows > 1:
        cell = Cell(columns=cell.columns, rows=cell.rows, index=int(random.integers(cell.columns * cell.rows)))
    x, y, z = (float(v) for v in point)
    width, depth, height = like.size
    made: Decal = like.with_(
        position=(x, y, z), turn=upright_turn(normal, roll), cell=cell, size=(width * factor, depth, height * factor)
    )
    return made


def strip(like: Decal, start: Array, end: Array, normal: Array) -> Decal:
    """A decal like another one stretched from one point of a surface to another: along its picture's height."""
    from scipy.spatial.transform import Rotation  # slow to import

    way = np.asarray(end, np.float64) - start
    n = unit_vector(normal)
    along = way - n * float(way @ n)
    length = float(np.linalg.norm(along))
    if length < 1e-4:
        return stamped(like, start, normal, 0.0, Chance(), 0)
    back = unit_vector(along)  # it runs from the upper edge of its picture to the lower one
    turn = Rotation.from_matrix(np.stack([np.cross(n, back), n, back], axis=1)).as_quat()
    x, y, z = (float(v) for v in start + along / 2)
    a, b, c, d = (float(v) for v in turn)
    made: Decal = like.with_(position=(x, y, z), turn=(a, b, c, d), size=(like.size[0], like.size[1], length))
    return made
