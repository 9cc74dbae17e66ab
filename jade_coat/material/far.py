"""Fading away afar: from one distance on fewer and fewer points are there, until from another none is."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar

from jade_coat.material.fields import field
from jade_coat.material.kind_part import KindPart
from jade_coat.material.shared import CAMERA
from jade_coat.material.surface import MapLookup
from jade_coat.program import VEC3, Value, lib


class Far(KindPart):
    """By dither, so that nothing need be sorted; what blends gets fainter instead. Every surface kind has it."""

    label: ClassVar[str] = "From afar"
    outputs: ClassVar[tuple[tuple[str, int], ...]] = (("fade", 1),)
    fades: float = field(0.0, "Fades from", unit="m", high=100_000.0, soft=(0.0, 100.0), hint="Whole up to here")
    gone: float = field(
        0.0, "Gone from", unit="m", high=100_000.0, soft=(0.0, 200.0), hint="Nothing is left from here on; 0 is never"
    )

    def program(
        self, fields: Any, quantities: Mapping[str, Value], lookup: MapLookup, frame: str = ""
    ) -> dict[str, Value]:
        """`fade`, 1 where all of it is there; nothing at all where it never fades."""
        if lib.is_const(fields.gone, 0.0):
            return {}
        away = lib.length(lib.shared(CAMERA, VEC3) - lib.attribute("world_position", VEC3))
        left = lib.clamp((fields.gone - away) / lib.maximum(fields.gone - fields.fades, 1e-3))
        return {"fade": lib.select(lib.less(fields.gone, 1e-6), 1.0, left)}
