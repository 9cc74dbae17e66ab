"""How a project is looked at: the camera, and what is chosen. It is kept beside the project, and is no part of it."""

from __future__ import annotations

import numpy as np
from pydantic import Field

from jade_coat.material.fields import Frozen
from jade_coat.program.types import Array

Vec3 = tuple[float, float, float]


class Camera(Frozen):
    """An orbiting camera: the point it looks at, angles in radians, distance in metres, vertical field of view."""

    target: Vec3 = (0.0, 1.0, 0.0)
    yaw: float = 0.0
    pitch: float = Field(0.12, ge=-1.55, le=1.55)
    distance: float = Field(4.0, gt=0.001, le=100000)
    field_of_view: float = Field(0.7, gt=0.05, lt=2.5)

    def position(self) -> Array:
        """Where the eye is, `(3,)`."""
        away = np.array(
            [np.sin(self.yaw) * np.cos(self.pitch), np.sin(self.pitch), np.cos(self.yaw) * np.cos(self.pitch)]
        )
        return np.array(self.target) + self.distance * away


class Desk(Frozen):
    """What is to be found again when a project is opened, by ids that may be gone by then."""

    camera: Camera = Camera()
    prop: str = ""
    slot: str = ""
    finish: str = ""
    coat: str = ""
