"""Value types, and the rates at which a value can change."""

from __future__ import annotations

from dataclasses import dataclass
from enum import IntEnum
from typing import Any

import numpy as np
from numpy.typing import NDArray

Array = NDArray[Any]


@dataclass(frozen=True)
class Type:
    """A value's type: its GLSL name, how many components it has, and the NumPy scalar that holds one."""

    name: str
    size: int
    dtype: type[np.generic]

    def __repr__(self) -> str:
        return self.name

    @property
    def is_float(self) -> bool:
        """Whether the components are 32-bit floats."""
        return self.dtype is np.float32


FLOAT = Type("float", 1, np.float32)
VEC2 = Type("vec2", 2, np.float32)
VEC3 = Type("vec3", 3, np.float32)
VEC4 = Type("vec4", 4, np.float32)
INT = Type("int", 1, np.int32)
UINT = Type("uint", 1, np.uint32)
UVEC3 = Type("uvec3", 3, np.uint32)
BOOL = Type("bool", 1, np.bool_)

FLOAT_BY_SIZE = {1: FLOAT, 2: VEC2, 3: VEC3, 4: VEC4}


class Rate(IntEnum):
    """How often a value has to be worked out, slowest first."""

    CONSTANT = 0
    """Known when the program is built."""
    SHARED = 1
    """The same for everything in a picture: time, camera, project-wide dials."""
    ROW = 2
    """Read from one row of the dial table: the same for all props that use a look."""
    FLAT = 3
    """The same over one prop, face or card."""
    VERTEX = 4
    """Exact when worked out at the vertices and interpolated: affine in the attributes."""
    PIXEL = 5
    """Everything else."""
