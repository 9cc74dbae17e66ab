"""Values that are the same for everything in a picture, by the names that programs use."""

from __future__ import annotations

from collections.abc import Mapping

from jade_coat.material.fields import Vec3

SharedValue = float | Vec3
TIME, WIND_DIRECTION, WIND_STRENGTH = "time", "wind_direction", "wind_strength"
SUN_HEIGHT, SUN_TURN = "sun_height", "sun_turn"
CAMERA, EYE_KNOWN = "camera_position", "eye_known"
"""Where the picture is seen from, and 1 where it is seen at all: what is baked or written turns to no eye."""
LAND_AT, LAND_SIZE = "land_at", "land_size"
"""Where the pictures of the land from above begin (x and z), and how large they are along x and z, metres; the second's
y is 1 where there are any."""
NO_LAND: Mapping[str, Vec3] = {LAND_AT: (0.0, 0.0, 0.0), LAND_SIZE: (1.0, 0.0, 1.0)}
"""What they are where there is no land, or none is known."""
EVERYWHERE: Mapping[str, SharedValue] = {
    TIME: 0.0,
    WIND_DIRECTION: (0.0, 0.0, 1.0),
    WIND_STRENGTH: 0.0,
    SUN_HEIGHT: 0.665,
    SUN_TURN: 0.66,
}
"""What exists in every project, as it is while nobody says otherwise: seconds on the clock, where the wind blows to
(unit vector), how strongly (0 to 1), how high the sun stands, and where, about +y from +z to +x (radians)."""


def shared_name(dial: str) -> str:
    """The name programs use for a shared dial."""
    return f"own_{dial}"


def is_supplied(name: str) -> bool:
    """Whether the project and its clock supply a shared value; where the camera is, the picture does."""
    return name in EVERYWHERE or name.startswith(shared_name(""))
