"""Lamps and mist: what lights and veils the stage beside its sun and sky."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from pydantic import model_validator

from jade_coat.material.fields import Color, setting
from jade_coat.program.types import Array
from jade_coat.stage.placed import Placed, Vec3

LEAST_REACH = 0.05
RIGHT = math.pi / 2
SUN_COLOR = (1.0, 0.93, 0.82)
"""The colour of the sun's light, linear."""


class Lamp(Placed):
    """A lamp, which shines all round or, as a spot, down its own y axis in a cone. `size` is that of its glow, metres.

    `strength` is its intensity as KHR_lights_punctual means it, in the unit of the sun's strength times a square metre.
    Nothing shines beyond `reach`, metres. A spot is full up to the angle `inner` from its axis and ends at `outer`.
    """

    size: tuple[float, float, float] = (0.1, 0.1, 0.1)
    spot: bool = setting(False, "Spot", "flag", hint="Shines in a cone down its own axis, and not all round")
    color: Color = setting((1.0, 0.72, 0.42), "Colour", "color")
    strength: float = setting(
        4.0, "Strength", "number", high=100000.0, soft=(0.01, 100.0), logarithmic=True,
        hint="What arrives a metre away, in the unit of the sun's strength", limits={"ge": 0, "le": 100000},
    )  # fmt: skip
    reach: float = setting(
        8.0, "Reach", "number", unit="m", low=LEAST_REACH, high=1000.0, soft=(0.2, 50.0), logarithmic=True,
        hint="Beyond this nothing of it arrives; the shorter, the less a picture costs",
        limits={"ge": LEAST_REACH, "le": 1000},
    )  # fmt: skip
    inner: float = setting(
        0.5, "Full up to", "angle", high=RIGHT, hint="The angle from its axis up to which it shines fully",
        when=("spot", (True,)), limits={"ge": 0, "le": RIGHT},
    )  # fmt: skip
    outer: float = setting(
        0.7, "Ends at", "angle", low=0.02, high=RIGHT, hint="The angle from its axis beyond which nothing arrives",
        when=("spot", (True,)), limits={"ge": 0.02, "le": RIGHT},
    )  # fmt: skip
    casts: bool = setting(True, "Shadows", "flag", hint="What stands in its light throws a shadow")

    @model_validator(mode="after")
    def _sound(self) -> Lamp:
        _check_color(self.name, self.color)
        return self

    @property
    def cone(self) -> tuple[float, float]:
        """The angles at which a spot begins to fade and ends, rising."""
        return min(self.inner, self.outer - 0.001), self.outer


class Mist(Placed):
    """Mist that thins with height, in a box or `everywhere`; `size` are the box's full sides, metres.

    `density` is what it takes of the light in a metre at the box's floor, as a rate (1/m); it falls to 1/e with every
    `thins` metres of height in the world, measured from the floor; 0 for evenly thick.
    """

    size: tuple[float, float, float] = (6.0, 2.0, 6.0)
    everywhere: bool = setting(False, "Everywhere", "flag", hint="Not in its box alone; its box's floor still counts")
    color: Color = setting((0.85, 0.88, 0.9), "Colour", "color")
    density: float = setting(
        0.15, "Density", "number", unit="/m", high=100.0, soft=(0.001, 2.0), logarithmic=True,
        hint="How fast it takes what is behind it, at its floor", limits={"ge": 0, "le": 100},
    )  # fmt: skip
    thins: float = setting(
        1.5, "Thins over", "number", unit="m", high=10000.0, soft=(0.0, 10.0),
        hint="The height over which it falls to about a third; 0 for evenly thick", limits={"ge": 0, "le": 10000},
    )  # fmt: skip

    @model_validator(mode="after")
    def _sound(self) -> Mist:
        _check_color(self.name, self.color)
        return self

    @property
    def floor(self) -> float:
        """The height in the world, metres, at which it is as thick as its density."""
        return float(self.position[1] - np.abs(self.matrix()[1, :3]).sum() / 2)


@dataclass(frozen=True)
class LampDraw:
    """A lamp as it is drawn: `shine` is colour times strength, `axis` and `across` unit, `cone` two cosines.

    The cosines are where a spot is full and where it ends; both −2 for one that shines all round. `glow` is the radius.
    """

    position: Vec3
    shine: Vec3
    reach: float
    axis: Vec3
    across: Vec3
    cone: tuple[float, float]
    glow: float
    casts: bool

    @property
    def is_spot(self) -> bool:
        """Whether it shines in a cone."""
        return self.cone[1] > -1


@dataclass(frozen=True)
class MistDraw:
    """Mist as it is drawn: `to_box` are the three rows of the matrix to the unit cube, none where it is everywhere."""

    to_box: tuple[float, ...] | None
    floor: float
    color: Vec3
    density: float
    thins: float


@dataclass(frozen=True)
class Surroundings:
    """What lights and veils a scene beside sun and sky, and `exposure` in stops. Lamps come with their ids.

    `small` is for the little pictures that looks are told apart by: as bright by night as by day, and shadows no finer
    than such a picture shows.
    """

    lamps: tuple[tuple[str, LampDraw], ...] = ()
    mists: tuple[MistDraw, ...] = ()
    exposure: float = 0.0
    small: bool = False


BARE, LITTLE = Surroundings(), Surroundings(small=True)


def lamp_draw(lamp: Lamp) -> LampDraw:
    """A lamp as it is drawn."""
    turn = _unit_columns(lamp.matrix())
    red, green, blue = (c * lamp.strength for c in lamp.color)
    inner, outer = (math.cos(a) for a in lamp.cone)
    return LampDraw(
        lamp.position, (red, green, blue), lamp.reach, _triple(-turn[:, 1]), _triple(turn[:, 0]),
        (inner, outer) if lamp.spot else (-2.0, -2.0), sum(lamp.size) / 6, lamp.casts,
    )  # fmt: skip


def mist_draw(mist: Mist) -> MistDraw:
    """Mist as it is drawn."""
    to_box = None if mist.everywhere else tuple(float(v) for v in np.linalg.inv(mist.matrix())[:3].ravel())
    return MistDraw(to_box, mist.floor, mist.color, mist.density, mist.thins)


def _check_color(name: str, color: Color) -> None:
    if any(not 0 <= c <= 1 for c in color):
        raise ValueError(f"{name}: expected a colour of 0 to 1, got {color}")


def _unit_columns(matrix: Array) -> Array:
    linear = matrix[:3, :3]
    return np.asarray(linear / np.maximum(np.linalg.norm(linear, axis=0), 1e-12))


def _triple(v: Array) -> Vec3:
    return float(v[0]), float(v[1]), float(v[2])
