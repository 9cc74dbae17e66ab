"""How what is dithered chooses its points: by fine noise, by an ordered grid, or by chances that lie on the surface."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any, ClassVar, Literal

from jade_coat.material.fields import field, option
from jade_coat.material.kind_part import PIXEL_ANGLE, KindPart
from jade_coat.material.shared import CAMERA
from jade_coat.material.surface import MapLookup
from jade_coat.program import FLOAT, VEC3, Value, combine, const, lib

Pattern = Literal["noise", "ordered", "hashed"]
PATTERN_LABELS: dict[Pattern, str] = {
    "noise": "fine noise", "ordered": "an ordered grid", "hashed": "chances on it",
}  # fmt: skip
NUMBERS: dict[Pattern, float] = {"noise": 0.0, "ordered": 1.0, "hashed": 2.0}
"""By what `sample.glsl` knows them."""


class Dither(KindPart):
    """Fine noise is that of the picture's pixels (Jimenez 2014), the grid too (Bayer 1973); hashed chances stay where
    they are on a moving thing (Wyman & McGuire 2017)."""

    label: ClassVar[str] = "Dither"
    outputs: ClassVar[tuple[tuple[str, int], ...]] = (("dither", 2),)
    pattern: Pattern = option("noise", "Points by", "choice", PATTERN_LABELS, hint="What chooses which are there")
    grain: float = field(
        1.0, "Grain", unit="px", low=0.25, high=16.0, soft=(0.5, 4.0), when=("pattern", ("hashed",)),
        hint="How large a chance is in the picture",
    )  # fmt: skip

    def program(
        self, fields: Any, quantities: Mapping[str, Value], lookup: MapLookup, frame: str = ""
    ) -> dict[str, Value]:
        """`dither`: which pattern it is, and for the hashed one the threshold at a point."""
        threshold = self._hashed(fields) if self.pattern == "hashed" else const(0.0)
        return {"dither": combine(const(NUMBERS[self.pattern]), threshold)}

    def _hashed(self, fields: Any) -> Value:
        """Even from 0 to 1, by cells of the mesh's space of two sizes about a pixel (Wyman & McGuire 2017, list 2)."""
        place = lib.attribute("position", VEC3)
        away = lib.length(lib.shared(CAMERA, VEC3) - lib.attribute("world_position", VEC3))
        pixel = lib.maximum(fields.grain * lib.shared(PIXEL_ANGLE, FLOAT) * away, 1e-6)
        level = lib.unary("log", 1.0 / pixel) * (1 / math.log(2.0))
        low = lib.unary("floor", level)
        share = level - low
        coarse, fine = (self._chance(place * lib.unary("exp", (low + step) * math.log(2.0))) for step in (0.0, 1.0))
        x = lib.lerp(coarse, fine, share)
        # Mixed chances gather in the middle: this spreads them evenly again.
        a = lib.maximum(lib.minimum(share, 1.0 - share), 1e-4)
        first, last = x * x / (2.0 * a * (1.0 - a)), 1.0 - (1.0 - x) * (1.0 - x) / (2.0 * a * (1.0 - a))
        spread = lib.select(lib.less(x, a), first, (x - 0.5 * a) / (1.0 - a))
        return lib.clamp(lib.select(lib.less(x, 1.0 - a), spread, last), 1e-6, 1.0)

    @staticmethod
    def _chance(cell: Value) -> Value:
        return lib.hashed(lib.unary("floor", cell)).x
