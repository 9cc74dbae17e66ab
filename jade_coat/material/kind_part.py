"""What a surface kind adds to a material: fields of its own, and what becomes of the quantities by them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar, Literal

from jade_coat.material.fields import Frozen
from jade_coat.material.surface import MapLookup
from jade_coat.program import VEC4, Value, lib

PREFIX = "light:"
"""What the paths of these fields begin with, before the name of the part."""
PIXEL_ANGLE = "pixel_angle"
"""The shared value that says what a pixel spans of a thing a metre away, metres."""
Painted = Literal["none", "R", "G", "B", "A"]
PAINTED_LABELS: dict[Painted, str] = {
    "none": "nothing", "R": "painted channel R", "G": "painted channel G", "B": "painted channel B",
    "A": "painted channel A",
}  # fmt: skip


class KindPart(Frozen):
    """The base of them all: numbers that a light needs beside the quantities, as outputs of the program."""

    label: ClassVar[str] = ""
    outputs: ClassVar[tuple[tuple[str, int], ...]] = ()
    """What `program` gives beside the quantities: names, and how many numbers each has."""

    def program(
        self, fields: Any, quantities: Mapping[str, Value], lookup: MapLookup, frame: str = ""
    ) -> dict[str, Value]:
        """Its outputs, and the quantities that it changes; `fields` gives the part's numbers as values.

        `frame` stands before the names of the normal and the tangent of the surface as it is placed.
        """
        raise NotImplementedError

    @property
    def glsl(self) -> str:
        """GLSL that stands before its light: what is drawn rather than turned, such as ramps."""
        return ""

    @property
    def by_clock(self) -> bool:
        """Whether it changes over time."""
        return False

    @property
    def map_sets(self) -> tuple[str, ...]:
        """The ids of the map sets it reads."""
        return ()


def painted(channel: str) -> Value | None:
    """A painted channel of the first colour set."""
    if channel == "none":
        return None
    value: Value = getattr(lib.attribute("color0", VEC4), "xyzw"["RGBA".index(channel)])
    return value
