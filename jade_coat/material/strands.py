"""Strands: fibres such as thatch and fur, and the two highlights that run along them."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from typing import Any, ClassVar, Literal

from jade_coat.material.fields import Color, field, option
from jade_coat.material.kind_part import KindPart
from jade_coat.material.surface import MapLookup, Role
from jade_coat.program import VEC2, VEC3, VEC4, Value, combine, const, lib

Root = Literal["top", "bottom", "left", "right"]
ROOT_LABELS: dict[Root, str] = {
    "top": "the top of the UVs", "bottom": "the bottom of the UVs", "left": "the left of the UVs",
    "right": "the right of the UVs",
}  # fmt: skip
Lie = Literal["strands", "x", "y", "z", "map"]
LIE_LABELS: dict[Lie, str] = {
    "strands": "from root to tip", "x": "the prop's x", "y": "the prop's y", "z": "the prop's z",
    "map": "a map",
}  # fmt: skip


DIRECTION, SKIN, CORE, SOFT = "Direction", "First highlight", "Second highlight", "Soft light"
"""The groups that the fields of strands are shown in."""


class Strands(KindPart):
    """Fibres: thatch, bristles, fur. Light is spread along them (Kajiya & Kay 1989), with two shifted highlights.

    The first highlight is that of the fibre's skin, shifted to the root, the second is coloured by the fibre and
    shifted to the tip (Marschner et al. 2003, as Scheuermann 2004 draws them).
    """

    label: ClassVar[str] = "Strands"
    outputs: ClassVar[tuple[tuple[str, int], ...]] = (
        ("strand_way", 3), ("strand_skin", 4), ("strand_core", 4), ("strand_shape", 4),
    )  # fmt: skip
    root_at: Root = option("top", "Root at", "choice", ROOT_LABELS, hint="Where on the UVs strands begin")
    root: Color = field((0.5, 0.5, 0.5), "Root colour", kind="color", hint="Multiplies the coats' colour at the root")
    tip: Color = field((1.0, 1.0, 1.0), "Tip colour", kind="color", hint="Multiplies the coats' colour at the tip")
    bend: float = field(
        1.0, "Root to tip", low=0.1, high=10.0, soft=(0.3, 3.0), logarithmic=True,
        hint="Above 1 the root's colour goes further out",
    )  # fmt: skip
    count: float = field(
        60.0, "Strands across", low=1.0, high=4096.0, soft=(8.0, 400.0), logarithmic=True,
        hint="Across one square of the UVs: each has chances of its own",
    )  # fmt: skip
    mottle: float = field(0.15, "Mottled", hint="How much strands differ in brightness")
    lie: Lie = option("strands", "Lie along", "choice", LIE_LABELS, group=DIRECTION)
    comb: str = option(
        "", "Direction map", "map", {"": "None"}, group=DIRECTION, when=("lie", ("map",)),
        hint="Of free channels: R across and G up, a half is neither",
    )  # fmt: skip
    turn: float = field(
        0.0, "Turned by", kind="angle", low=-2 * math.pi, high=2 * math.pi, soft=(-math.pi, math.pi), group=DIRECTION,
        hint="About the surface's normal; let a recipe lead it to turn by a map",
    )  # fmt: skip
    rise: float = field(0.0, "Standing up", group=DIRECTION, hint="From lying on the surface, 0, to standing on it, 1")
    skin: float = field(0.3, "Strength", group=SKIN, hint="The share of light that the strands' skin mirrors")
    skin_tint: Color = field((1.0, 1.0, 1.0), "Tint", kind="color", group=SKIN)
    skin_width: float = field(
        0.3, "Width", low=0.05, high=1.0, group=SKIN, hint="As a roughness: across the strands, and how sharp"
    )
    skin_shift: float = field(
        -0.1,
        "Shift",
        kind="angle",
        low=-0.8,
        high=0.8,
        soft=(-0.4, 0.4),
        group=SKIN,
        hint="Below 0 it goes to the root",
    )
    stray: float = field(
        0.06, "Stray", kind="angle", low=0.0, high=0.6, soft=(0.0, 0.3), group=SKIN,
        hint="How far each strand shifts both highlights by chance",
    )  # fmt: skip
    core: float = field(0.3, "Strength", group=CORE, hint="The share that comes back coloured from within the strands")
    core_tint: Color = field((1.0, 1.0, 1.0), "Tint", kind="color", group=CORE, hint="Beside the strands' own colour")
    core_width: float = field(0.5, "Width", low=0.05, high=1.0, group=CORE)
    core_shift: float = field(0.15, "Shift", kind="angle", low=-0.8, high=0.8, soft=(-0.4, 0.4), group=CORE)
    wrap: float = field(0.25, "Wrapped round", high=0.75, group=SOFT, hint="How far round soft light reaches")
    through: float = field(
        0.2, "From behind", group=SOFT, hint="The share that shows through towards whoever looks into the light"
    )

    def program(
        self, fields: Any, quantities: Mapping[str, Value], lookup: MapLookup, frame: str = ""
    ) -> dict[str, Value]:
        """The strands' direction, their highlights, and their colour from root to tip."""
        along, across = self._along()
        own = lib.hashed(combine(across * fields.count, const(0.0), const(0.0))).x - 0.5
        shade = lib.lerp(fields.root, fields.tip, lib.power(lib.clamp(along, 1e-4, 1.0), fields.bend))
        color = quantities["base_color"] * shade * (1.0 + own * fields.mottle)
        stray = own * fields.stray
        # More may not come back than arrives, whatever the dials say.
        enough = lib.maximum(fields.skin + fields.core + fields.through, 1.0)
        return {
            "base_color": lib.clamp(color),
            "strand_way": self._way(fields, quantities["normal"], lookup, frame),
            "strand_skin": combine(fields.skin_tint * (fields.skin / enough), _sharpness(fields.skin_width)),
            "strand_core": combine(fields.core_tint * (fields.core / enough), _sharpness(fields.core_width)),
            "strand_shape": combine(
                fields.skin_shift + stray, fields.core_shift + stray, fields.wrap, fields.through / enough
            ),
        }

    def _along(self) -> tuple[Value, Value]:
        """How far from root to tip a point is, and where across the strands; v runs downward in files."""
        uv = lib.attribute("uv0", VEC2)
        ways: dict[str, Callable[[], tuple[Value, Value]]] = {
            "top": lambda: (lib.unary("fract", uv.y), uv.x), "bottom": lambda: (1.0 - lib.unary("fract", uv.y), uv.x),
            "left": lambda: (lib.unary("fract", uv.x), uv.y), "right": lambda: (1.0 - lib.unary("fract", uv.x), uv.y),
        }  # fmt: skip
        return ways[self.root_at]()

    @property
    def map_sets(self) -> tuple[str, ...]:
        """The direction map, where it is read."""
        return (self.comb,) if self.comb and self.lie == "map" else ()

    def _way(self, fields: Any, normal: Value, lookup: MapLookup, frame: str) -> Value:
        """The direction of the strands at a point, root to tip, a unit vector in the world."""
        combed = lookup.read(self.comb, Role.CHANNELS) if self.map_sets else None
        if self.lie in ("strands", "map"):
            surface, tangent = lib.attribute(f"{frame}normal", VEC3), lib.attribute(f"{frame}tangent", VEC4)
            side = lib.normalize(tangent.xyz)
            upward = lib.cross(surface, side) * tangent.w  # where v grows less
            way = {"top": -upward, "bottom": upward, "left": side, "right": -side}[self.root_at]
            if combed is not None:
                read = lib.texture(combed.texture, lib.attribute("uv0", VEC2)) * 2.0 - 1.0
                way = side * read.x + upward * read.y
        else:
            way = lib.attribute(f"own_{self.lie}", VEC3)
        flat = lib.normalize(way - normal * lib.dot(way, normal) + lib.cross(normal, const(1e-4, 2e-4, 3e-4)))
        turned = flat * lib.unary("cos", fields.turn) + lib.cross(normal, flat) * lib.unary("sin", fields.turn)
        return lib.normalize(lib.lerp(turned, normal, fields.rise * 0.999))


def _sharpness(width: Value) -> Value:
    """The exponent of a highlight of this width: that of Blinn and Phong for a roughness (Walter et al. 2007)."""
    alpha = width * width
    return lib.maximum(2.0 / (alpha * alpha) - 2.0, 1.0)
