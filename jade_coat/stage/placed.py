"""What stands somewhere on the stage: a position, a turn and a size."""

from __future__ import annotations

from typing import Annotated

import numpy as np
from pydantic import AfterValidator, Field

from jade_coat.program.types import Array
from jade_coat.stage.things import Thing
from jade_coat.stage.turns import STRAIGHT, Turn, turn_rows, unit

Vec3 = tuple[float, float, float]
Length = Annotated[float, Field(gt=0, le=10000)]


class Placed(Thing):
    """A thing that stands somewhere: a position in metres, a turn, and a size along its own axes.

    `turn` is a unit quaternion `(x, y, z, w)`; `size` scales before the turn.
    """

    position: Vec3 = (0.0, 0.0, 0.0)
    turn: Annotated[Turn, AfterValidator(unit)] = STRAIGHT
    size: tuple[Length, Length, Length] = (1.0, 1.0, 1.0)

    def matrix(self) -> Array:
        """The 4×4 matrix from its own space to the world's, float64."""
        x, y, z = self.size
        rows = zip(turn_rows(self.turn), self.position, strict=True)
        return np.array([*((a * x, b * y, c * z, at) for (a, b, c), at in rows), (0.0, 0.0, 0.0, 1.0)])
