"""Decals: boxes that lay a finish onto whatever surfaces are inside them, along their own y axis."""

from __future__ import annotations

import hashlib
import math

from pydantic import Field, model_validator

from jade_coat.material.fields import Frozen
from jade_coat.stage.placed import Placed

Share = float


class Shares(Frozen):
    """How much of each part of a decal's look reaches the surface: 0 leaves what is there, 1 takes the decal's."""

    color: float = Field(1.0, ge=0, le=1)
    normal: float = Field(1.0, ge=0, le=1)
    surface: float = Field(1.0, ge=0, le=1)
    """Roughness, metallic and occlusion."""
    height: float = Field(1.0, ge=0, le=1)
    glow: float = Field(1.0, ge=0, le=1)


class Cell(Frozen):
    """One cell of an atlas of `columns` by `rows`, counted from the upper left, a row at a time."""

    columns: int = Field(1, ge=1, le=64)
    rows: int = Field(1, ge=1, le=64)
    index: int = Field(0, ge=0)

    @model_validator(mode="after")
    def _inside(self) -> Cell:
        if self.index >= self.columns * self.rows:
            raise ValueError(f"cell {self.index} is not among {self.columns} × {self.rows}")
        return self

    def corner(self) -> tuple[float, float, float, float]:
        """Where it begins in the square of the atlas and how large it is: u, v, width, height."""
        row, column = divmod(self.index, self.columns)
        return column / self.columns, row / self.rows, 1 / self.columns, 1 / self.rows


class Decal(Placed):
    """A box whose look lies on what is in it, seen along its own y axis from above; `size` are its full sides, metres.

    Its picture's upper edge is towards −z. `angle` are the angles in radians between a surface's normal and the box's
    axis up to which it shows fully, and from which it does not show. `fade` is the share of the box's depth, at both
    ends, over which it fades. `far` are the distances in metres from which it fades and is gone; 0 for never. Those of
    a higher `order` lie on top. `only` are ids of props or categories that alone receive it, where any are named.
    """

    finish: str = ""
    opacity: float = Field(1.0, ge=0, le=1)
    shares: Shares = Shares()
    angle: tuple[float, float] = (1.05, 1.4)
    fade: float = Field(0.15, ge=0, le=0.5)
    far: tuple[float, float] = (0.0, 0.0)
    order: int = Field(0, ge=-1000, le=1000)
    cell: Cell = Cell()
    only: tuple[str, ...] = ()

    @model_validator(mode="after")
    def _rising(self) -> Decal:
        low, high = self.angle
        if not 0 <= low <= high <= math.pi:
            raise ValueError(f"{self.name}: expected two rising angles from 0 to π, got {self.angle}")
        if not 0 <= self.far[0] <= self.far[1]:
            raise ValueError(f"{self.name}: expected two rising distances, got {self.far}")
        return self

    @property
    def seed(self) -> float:
        """Its random number, 0 to 1, from its id."""
        return int.from_bytes(hashlib.sha256(self.id.encode()).digest()[:3], "big") / 2.0**24


class Stamp(Frozen):
    """A decal's look and size kept under a name, to be laid many times."""

    id: str
    name: str
    decal: Decal
