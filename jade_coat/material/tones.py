"""Two tones: light cut by a threshold, with a drawn edge, gloss, lines and an outline."""

from __future__ import annotations

import itertools
from collections.abc import Mapping
from typing import Any, ClassVar, Literal

from jade_coat.material.fields import Color, Vec2, field, option, setting
from jade_coat.material.kind_part import PAINTED_LABELS, PIXEL_ANGLE, KindPart, Painted, painted
from jade_coat.material.surface import MapLookup, Role
from jade_coat.program import FLOAT, VEC2, VEC3, Value, combine, const, lib

Unit = Literal["metres", "pixels"]
UNIT_LABELS: dict[Unit, str] = {"metres": "the same on the thing", "pixels": "the same in the picture"}
SHADE, INPUTS, GLOSS, OUTLINE = "Shade", "What pushes the shade", "Gloss", "Lines and outline"
RAMPS, AREAS = "Ramps", "Areas"
_OF_AREA: dict[str, Any] = {
    "kind": "pair", "low": 0.0, "high": 4.0, "soft": (0.0, 1.0), "group": AREAS, "when": ("areas", ()),
    "hint": "Strength and size of the gloss there",
}  # fmt: skip
"""The groups that the fields of two tones are shown in."""
LINKS = {
    "base": "Base", "shade": "Shade", "threshold": "Threshold", "push": "Painted push", "bias": "Bias, limit",
    "lines": "Lines", "area": "Area", "gloss": "Gloss", "ramp": "Ramps",
}  # fmt: skip
"""The links of the chain by which a two-tone look comes about, in order (`lights/tones.glsl` counts them from 1)."""


class Tones(KindPart):
    """Light cut in two, as drawn figures have it: `mix(base · shade, base, T) · line + gloss · area`, T the threshold.

    Common practice, no source. A painted channel pushes places into the shade; bias, limit, line, gloss and area may
    each follow a recipe, and so any channel of any map.
    """

    label: ClassVar[str] = "Two-tone"
    outputs: ClassVar[tuple[tuple[str, int], ...]] = (
        ("tone_shade", 4), ("tone_deep", 4), ("tone_push", 4), ("tone_gloss", 4), ("tone_line", 4),
        ("tone_ink", 4),
    )  # fmt: skip
    shade: Color = field((0.42, 0.38, 0.52), "Shade", kind="color", group=SHADE, hint="The colour where light ends")
    product: float = field(
        1.0, "Of the colour", group=SHADE, hint="1 multiplies the surface's own, 0 stands for itself"
    )
    edge: float = field(0.0, "Ends at", low=-1.0, high=1.0, group=SHADE, hint="Above 0 less is lit")
    soft: float = field(0.03, "Softness", low=0.001, high=1.0, logarithmic=True, group=SHADE)
    deep: Color = field(
        (0.7, 0.66, 0.75), "Deeper shade", kind="color", group=SHADE, hint="Multiplies the shade once more"
    )
    deep_edge: float = field(-0.55, "Deeper from", low=-1.0, high=1.0, group=SHADE)
    cast: float = field(1.0, "Cast shadows", group=SHADE, hint="How much of a shadow that falls on it counts")
    ramp: tuple[tuple[float, Color], ...] = setting(
        (), "Ramp", "stops", group=RAMPS, hint="From deep shade to full light; it stands in for the shades above"
    )
    ramp_b: tuple[tuple[float, Color], ...] = setting((), "Second ramp", "stops", group=RAMPS, when=("ramp", ()))
    second: float = field(
        0.0, "Of the second", group=RAMPS, when=("ramp_b", ()), hint="Where it is used; let a recipe lead it by a map"
    )
    bias: float = field(0.0, "Bias", low=-1.0, high=1.0, group=INPUTS, hint="Above 0 more is lit; let a recipe lead it")
    limit: float = field(1.0, "Limit", group=INPUTS, hint="The most shade there is: 0 is never shaded")
    painted: Painted = option("none", "Painted push", "choice", PAINTED_LABELS, group=INPUTS)
    push: float = field(
        1.0, "Push", low=-2.0, high=2.0, group=INPUTS, when=("painted", ("R", "G", "B", "A")),
        hint="How far the painted channel pushes into the shade",
    )  # fmt: skip
    gloss: float = field(0.0, "Strength", high=4.0, soft=(0.0, 1.0), group=GLOSS)
    area: float = field(1.0, "Area", group=GLOSS, hint="Where there is gloss; let a recipe lead it")
    gloss_size: float = field(0.1, "Size", low=0.001, high=1.0, logarithmic=True, group=GLOSS)
    gloss_tint: Color = field((1.0, 1.0, 1.0), "Tint", kind="color", group=GLOSS)
    areas: str = option(
        "", "Areas", "map", {"": "None"}, group=AREAS,
        hint="Free channels that say where cloth (R), skin (G) and metal (B) are: each has a gloss of its own",
    )  # fmt: skip
    cloth: Vec2 = field((0.0, 0.5), "Cloth", **_OF_AREA)
    skin: Vec2 = field((0.15, 0.35), "Skin", **_OF_AREA)
    metal: Vec2 = field((0.9, 0.08), "Metal", **_OF_AREA)
    line: float = field(1.0, "Lines", group=OUTLINE, hint="1 is no line; let a recipe lead it by a map of lines")
    levels: Vec2 = field((0.0, 1.0), "Levels", kind="range", group=OUTLINE, hint="Of the lines: from black to white")
    line_tint: Color = field(
        (0.08, 0.06, 0.08), "Line colour", kind="color", group=OUTLINE, hint="Of lines and outline"
    )
    outline: float = field(
        0.0, "Outline", high=1000.0, soft=(0.0, 6.0), group=OUTLINE, hint="How thick: millimetres, or pixels; 0 is none"
    )
    unit: Unit = option("pixels", "Thickness", "choice", UNIT_LABELS, group=OUTLINE)
    thinned: Painted = option("none", "Outline by", "choice", PAINTED_LABELS, group=OUTLINE, hint="Thins it where dark")

    def program(
        self, fields: Any, quantities: Mapping[str, Value], lookup: MapLookup, frame: str = ""
    ) -> dict[str, Value]:
        """Both tones, the edge between them and what pushes it, the gloss and the lines."""
        channel = painted(self.painted)
        pushed = const(0.0) if channel is None else channel * fields.push
        low, high = fields.levels.x, fields.levels.y
        line = lib.clamp((fields.line - low) / lib.maximum(high - low, 1e-4))
        gloss = self._gloss(fields, lookup)
        return {
            "tone_shade": combine(fields.shade, fields.product),
            "tone_deep": combine(fields.deep, fields.deep_edge),
            "tone_push": combine(fields.edge - fields.bias, fields.soft, pushed, fields.limit),
            "tone_gloss": combine(fields.gloss_tint * gloss.x, gloss.y),
            "tone_line": combine(line, fields.area, fields.cast, fields.bias),
            "tone_ink": combine(fields.line_tint, fields.second),
            "outline_offset": self._offset(fields, frame),
        }

    def _gloss(self, fields: Any, lookup: MapLookup) -> Value:
        """Strength and size of the gloss: what no area covers has the plain one."""
        plain = combine(fields.gloss, fields.gloss_size)
        read = lookup.read(self.areas, Role.CHANNELS) if self.areas else None
        if read is None:
            return plain
        there = lib.texture(read.texture, lib.attribute("uv0", VEC2))
        left = lib.clamp(1.0 - (there.x + there.y + there.z))
        mixed = plain * left + fields.cloth * there.x + fields.skin * there.y + fields.metal * there.z
        whole = left + there.x + there.y + there.z
        size = lib.clamp(mixed.y / whole, 0.001, 1.0)
        return combine(mixed.x / whole, size)

    @property
    def map_sets(self) -> tuple[str, ...]:
        """The areas' map set."""
        return (self.areas,) if self.areas else ()

    @property
    def glsl(self) -> str:
        """Its ramps, as functions of how much light there is, 0 to 1."""
        if not self.ramp:
            return ""
        both = (("a", self.ramp), ("b", self.ramp_b or self.ramp))
        return "#define RAMPS\n" + "\n".join(_ramp(letter, stops) for letter, stops in both)

    def _offset(self, fields: Any, frame: str) -> Value:
        """How far and whereto the hull of the outline lies off the surface, a vec3 in metres."""
        world = lib.attribute("world_position", VEC3)
        if self.unit == "pixels":
            away = lib.length(lib.shared("camera_position", VEC3) - world)
            thick = fields.outline * lib.shared(PIXEL_ANGLE, FLOAT) * away
        else:
            thick = fields.outline * 0.001
        channel = painted(self.thinned)
        return lib.attribute("outward", VEC3) * (thick if channel is None else thick * channel)


def _ramp(letter: str, stops: tuple[tuple[float, Color], ...]) -> str:
    """GLSL of straight pieces between stops, flat beyond the ends, as `placement.gradient_color` means them."""
    text = [f"vec3 tone_ramp_{letter}(float x) {{", f"    vec3 color = {_color(stops[0][1])};"]
    for (x0, _), (x1, color) in itertools.pairwise(stops):
        text.append(f"    color = mix(color, {_color(color)}, clamp((x - {x0:.6f}) / {x1 - x0:.6f}, 0.0, 1.0));")
    return "\n".join([*text, "    return color;", "}"])


def _color(color: Color) -> str:
    return f"vec3({', '.join(f'{c:.6f}' for c in color)})"
