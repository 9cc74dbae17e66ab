"""What a surface kind with a light of its own adds to a material: its fields, and what its light is worked out from."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from functools import cache
from pathlib import Path
from typing import Any, ClassVar, Literal

from jade_coat.material.fields import Color, Frozen, Vec2, field, option
from jade_coat.program import FLOAT, VEC2, VEC3, VEC4, Value, combine, const, lib

PREFIX = "light:"
"""What the paths of these fields begin with, before the name of the part."""

Root = Literal["top", "bottom", "left", "right"]
ROOT_LABELS: dict[Root, str] = {
    "top": "the top of the UVs", "bottom": "the bottom of the UVs", "left": "the left of the UVs",
    "right": "the right of the UVs",
}  # fmt: skip
Lie = Literal["strands", "x", "y", "z"]
LIE_LABELS: dict[Lie, str] = {
    "strands": "from root to tip", "x": "the prop's x", "y": "the prop's y", "z": "the prop's z",
}  # fmt: skip


DIRECTION, SKIN, CORE, SOFT = "Direction", "First highlight", "Second highlight", "Soft light"
"""The groups that the fields of strands are shown in."""


class Shading(Frozen):
    """The base of them all: numbers that a light needs beside the quantities, as outputs of the program."""

    label: ClassVar[str] = ""
    outputs: ClassVar[tuple[tuple[str, int], ...]] = ()
    """What `program` gives beside the quantities: names, and how many numbers each has."""

    def program(self, fields: Any, quantities: Mapping[str, Value], frame: str = "") -> dict[str, Value]:
        """Its outputs, and the quantities that it changes; `fields` gives the part's numbers as values.

        `frame` stands before the names of the normal and the tangent of the surface as it is placed.
        """
        raise NotImplementedError


class Strands(Shading):
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

    def program(self, fields: Any, quantities: Mapping[str, Value], frame: str = "") -> dict[str, Value]:
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
            "strand_way": self._way(fields, quantities["normal"], frame),
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

    def _way(self, fields: Any, normal: Value, frame: str) -> Value:
        """The direction of the strands at a point, root to tip, a unit vector in the world."""
        if self.lie == "strands":
            surface, tangent = lib.attribute(f"{frame}normal", VEC3), lib.attribute(f"{frame}tangent", VEC4)
            side = lib.normalize(tangent.xyz)
            upward = lib.cross(surface, side) * tangent.w  # where v grows less
            way = {"top": -upward, "bottom": upward, "left": side, "right": -side}[self.root_at]
        else:
            way = lib.attribute(f"own_{self.lie}", VEC3)
        flat = lib.normalize(way - normal * lib.dot(way, normal) + lib.cross(normal, const(1e-4, 2e-4, 3e-4)))
        turned = flat * lib.unary("cos", fields.turn) + lib.cross(normal, flat) * lib.unary("sin", fields.turn)
        return lib.normalize(lib.lerp(turned, normal, fields.rise * 0.999))


def _sharpness(width: Value) -> Value:
    """The exponent of a highlight of this width: that of Blinn and Phong for a roughness (Walter et al. 2007)."""
    alpha = width * width
    return lib.maximum(2.0 / (alpha * alpha) - 2.0, 1.0)


Painted = Literal["none", "R", "G", "B", "A"]
PAINTED_LABELS: dict[Painted, str] = {
    "none": "nothing", "R": "painted channel R", "G": "painted channel G", "B": "painted channel B",
    "A": "painted channel A",
}  # fmt: skip
Unit = Literal["metres", "pixels"]
UNIT_LABELS: dict[Unit, str] = {"metres": "the same on the thing", "pixels": "the same in the picture"}
SHADE, INPUTS, GLOSS, OUTLINE = "Shade", "What pushes the shade", "Gloss", "Lines and outline"
"""The groups that the fields of two tones are shown in."""
LINKS = {
    "base": "Base", "shade": "Shade", "threshold": "Threshold", "push": "Painted push", "bias": "Bias, limit",
    "lines": "Lines", "area": "Area", "gloss": "Gloss",
}  # fmt: skip
"""The links of the chain by which a two-tone look comes about, in order (`lights/tones.glsl` counts them from 1)."""


class Tones(Shading):
    """Light cut in two, as drawn figures have it: `mix(base · shade, base, T) · line + gloss · area`, T the threshold.

    Common practice, no source. A painted channel pushes places into the shade; bias, limit, line, gloss and area may
    each follow a recipe, and so any channel of any map.
    """

    label: ClassVar[str] = "Two-tone"
    outputs: ClassVar[tuple[tuple[str, int], ...]] = (
        ("tone_shade", 4), ("tone_deep", 4), ("tone_push", 4), ("tone_gloss", 4), ("tone_line", 4),
        ("tone_ink", 3),
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

    def program(self, fields: Any, quantities: Mapping[str, Value], frame: str = "") -> dict[str, Value]:
        """Both tones, the edge between them and what pushes it, the gloss and the lines."""
        painted = _painted(self.painted)
        pushed = const(0.0) if painted is None else painted * fields.push
        low, high = fields.levels.x, fields.levels.y
        line = lib.clamp((fields.line - low) / lib.maximum(high - low, 1e-4))
        return {
            "tone_shade": combine(fields.shade, fields.product),
            "tone_deep": combine(fields.deep, fields.deep_edge),
            "tone_push": combine(fields.edge - fields.bias, fields.soft, pushed, fields.limit),
            "tone_gloss": combine(fields.gloss_tint * fields.gloss, fields.gloss_size),
            "tone_line": combine(line, fields.area, fields.cast, fields.bias),
            "tone_ink": fields.line_tint,
            "outline_offset": self._offset(fields, frame),
        }

    def _offset(self, fields: Any, frame: str) -> Value:
        """How far and whereto the hull of the outline lies off the surface, a vec3 in metres."""
        world = lib.attribute("world_position", VEC3)
        if self.unit == "pixels":
            away = lib.length(lib.shared("camera_position", VEC3) - world)
            thick = fields.outline * lib.shared(PIXEL_ANGLE, FLOAT) * away
        else:
            thick = fields.outline * 0.001
        painted = _painted(self.thinned)
        return lib.normalize(lib.attribute("normal", VEC3)) * (thick if painted is None else thick * painted)


def _painted(channel: Painted) -> Value | None:
    """A painted channel of the first colour set."""
    if channel == "none":
        return None
    value: Value = getattr(lib.attribute("color0", VEC4), "xyzw"["RGBA".index(channel)])
    return value


PIXEL_ANGLE = "pixel_angle"
"""The shared value that says what a pixel spans of a thing a metre away, metres."""


@cache
def light_of(shading: str) -> str:
    """GLSL of what a kind with a light of its own sends of it: `light_sent` and `sky_sent`, as `light.glsl` asks."""
    return (Path(__file__).parent / "lights" / f"{shading}.glsl").read_text()


SHADINGS: dict[str, type[Shading]] = {"strands": Strands, "tones": Tones}
"""The parts of a material that have a light of their own, by their names in it."""


def shading_path(part: str, name: str) -> str:
    """The path of a field of such a part."""
    return f"{PREFIX}{part}.{name}"
