"""Shared dials: values of the whole project that every material can follow, with a time track each."""

from __future__ import annotations

import math

import numpy as np
from pydantic import Field, field_validator

from jade_coat.material.fields import Frozen, Vec2
from jade_coat.material.shared import TIME, WIND_DIRECTION, WIND_STRENGTH, SharedValue, shared_name
from jade_coat.program.ops.curves import Curve
from jade_coat.program.types import Array


class SharedDial(Frozen):
    """A value of the project, such as season or damp. With keys `(seconds, value)` it moves over time and loops."""

    id: str
    name: str
    value: float = 0.0
    low: float = 0.0
    high: float = 1.0
    unit: str = ""
    keys: tuple[Vec2, ...] = ()
    length: float = Field(8.0, gt=0, le=3600)
    """Seconds after which the track starts again."""

    @field_validator("keys")
    @classmethod
    def _in_order(cls, keys: tuple[Vec2, ...]) -> tuple[Vec2, ...]:
        times = [t for t, _ in keys]
        if times != sorted(set(times)) or any(t < 0 for t in times):
            raise ValueError("a track's keys lie at rising times from 0 on")
        return keys

    def at(self, time: float) -> float:
        """The value at a time in seconds."""
        return float(self.along(np.array([time]))[0])

    def along(self, times: Array) -> Array:
        """The values at times `(n,)` in seconds: along a smooth curve through the keys that closes on itself.

        It never leaves the range of its keys (Fritsch & Carlson 1980), and the end of the loop meets its start.
        """
        keys = [k for k in self.keys if k[0] < self.length]
        if len(keys) < 2:
            found = np.full(len(times), keys[0][1] if keys else self.value)
        else:
            # A whole turn before and after makes the curve and its slope the same at both ends of the loop.
            around = [(t + turn * self.length, v) for turn in (-1, 0, 1) for t, v in keys]
            found = Curve(*zip(*around, strict=True)).along(times % self.length)
        return np.clip(found, self.low, self.high)


class Wind(Frozen):
    """The wind of the stage: the angle it blows to about +y from +z towards +x, radians, and how strongly."""

    azimuth: float = 0.8
    strength: float = Field(0.3, ge=0, le=1)


def shared_values(dials: tuple[SharedDial, ...], wind: Wind, time: float = 0.0) -> dict[str, SharedValue]:
    """All shared values at a time in seconds, by the names that programs use."""
    towards = (math.sin(wind.azimuth), 0.0, math.cos(wind.azimuth))
    own: dict[str, SharedValue] = {shared_name(d.id): d.at(time) for d in dials}
    return {**own, TIME: time, WIND_DIRECTION: towards, WIND_STRENGTH: wind.strength}
