"""How things are turned: unit quaternions inside, angles where people read and type them."""

from __future__ import annotations

import math

import numpy as np

from jade_coat.program.types import Array

Turn = tuple[float, float, float, float]
Angles = tuple[float, float, float]
Row = tuple[float, float, float]
STRAIGHT: Turn = (0.0, 0.0, 0.0, 1.0)


def unit(turn: Turn) -> Turn:
    """A quaternion `(x, y, z, w)` at length 1, as glTF stores turns. Raises ValueError for one without a length."""
    length = math.hypot(*turn)
    if length < 1e-6:
        raise ValueError("a turn needs a length: expected a quaternion (x, y, z, w)")
    if abs(length - 1) < 1e-12:
        return turn
    x, y, z, w = (v / length for v in turn)
    return (x, y, z, w)


def turn_of(x: float, y: float, z: float) -> Turn:
    """The turn about the fixed x axis, then y, then z, by angles in radians."""
    (sx, cx), (sy, cy), (sz, cz) = ((math.sin(a / 2), math.cos(a / 2)) for a in (x, y, z))
    return unit((
        sx * cy * cz - cx * sy * sz, cx * sy * cz + sx * cy * sz, cx * cy * sz - sx * sy * cz,
        cx * cy * cz + sx * sy * sz,
    ))  # fmt: skip


def angles_of(turn: Turn) -> Angles:
    """The angles about fixed x, then y, then z that make a turn, radians: of the two ways that of the smaller x and z.

    So what is turned about y alone says so, however far. Where y is a quarter turn, x and z turn about one axis: z is 0
    then.
    """
    (m00, m01, _), (m10, m11, _), (m20, m21, m22) = turn_rows(turn)
    flat = math.hypot(m00, m10)
    y = math.atan2(-m20, flat)
    if flat < 1e-6:
        return (math.atan2(m01 if m20 < 0 else -m01, m11), y, 0.0)
    x, z = math.atan2(m21, m22), math.atan2(m10, m00)
    if abs(x) + abs(z) <= math.pi:
        return (x, y, z)
    x, y, z = (a - math.copysign(math.pi, a) for a in (x, -y, z))
    return (x, y, z)


def turn_rows(turn: Turn) -> tuple[Row, Row, Row]:
    """The rows of the 3×3 matrix of a turn, as plain numbers: thousands of things are placed by them."""
    x, y, z, w = turn
    xx, yy, zz, xy, xz, yz, wx, wy, wz = x * x, y * y, z * z, x * y, x * z, y * z, w * x, w * y, w * z
    return (
        (1 - 2 * (yy + zz), 2 * (xy - wz), 2 * (xz + wy)),
        (2 * (xy + wz), 1 - 2 * (xx + zz), 2 * (yz - wx)),
        (2 * (xz - wy), 2 * (yz + wx), 1 - 2 * (xx + yy)),
    )


def turn_matrix(turn: Turn) -> Array:
    """The 3×3 matrix of a turn, float64."""
    return np.array(turn_rows(turn))
