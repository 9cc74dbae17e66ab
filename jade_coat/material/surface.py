"""Surfaces: the map set or plain values a coat is made of, and how they are placed."""

from __future__ import annotations

import itertools
from dataclasses import dataclass
from enum import StrEnum
from typing import Any, Literal, Protocol

from pydantic import field_validator

from jade_coat.material.fields import Color, Frozen, Vec2, declared, field, option, setting
from jade_coat.program import TextureRef

TAU = 6.283185307179586


class Role(StrEnum):
    """What a map says about a surface."""

    BASE_COLOR = "base_color"
    NORMAL = "normal"
    ROUGHNESS = "roughness"
    METALLIC = "metallic"
    OCCLUSION = "occlusion"
    HEIGHT = "height"
    OPACITY = "opacity"
    EMISSIVE = "emissive"
    MASK = "mask"
    CHANNELS = "channels"

    @property
    def label(self) -> str:
        """The role in words."""
        return self.value.replace("_", " ").replace("color", "colour").capitalize()

    @property
    def is_color(self) -> bool:
        """Whether maps of this role hold colour (sRGB-encoded unless they say otherwise) rather than data."""
        return self in (Role.BASE_COLOR, Role.EMISSIVE)


@dataclass(frozen=True)
class MapRead:
    """Where a role is read from: a texture and its channels, as swizzle letters."""

    texture: TextureRef
    channels: str


class MapLookup(Protocol):
    """Tells which texture and channels hold a role of a map set."""

    def read(self, map_set: str, role: Role) -> MapRead | None:
        """Where the role is read from, or None when the set lacks it."""

    def recipe(self, wanted: str) -> Any:
        """The `material.recipes.Recipe` with this id, or None."""


class NoMaps:
    """A lookup without any map or recipe."""

    def recipe(self, wanted: str) -> None:
        """There is none."""
        return

    def read(self, map_set: str, role: Role) -> MapRead | None:
        """Nothing is there."""
        return None


Placement = Literal["uv", "square", "triplanar", "planar"]
Space = Literal["object", "world"]
SPACE_LABELS: dict[Space, str] = {"object": "the object", "world": "the world"}
TileBreak = Literal["none", "mirror", "offset", "hex"]
PLACEMENT_LABELS: dict[Placement, str] = {
    "uv": "by a UV set", "square": "once over its UV square", "triplanar": "from three sides", "planar": "from above",
}  # fmt: skip
TILE_BREAK_LABELS: dict[TileBreak, str] = {
    "none": "as they are", "mirror": "every other tile mirrored: 1 read",
    "offset": "two shifted pictures, mixed by noise: 2 reads", "hex": "three shifted pictures, by hexagons: 3 reads",
}  # fmt: skip
TILE_BREAK_READS: dict[TileBreak, int] = {"none": 1, "mirror": 1, "offset": 2, "hex": 3}


LAID, COLOR = "Placement", "Colour"
"""The folds that a surface's fields are shown in, beside its own."""


class Detail(Frozen):
    """A second, finer map set laid over a surface's own."""

    map_set: str = setting("", "Map set", "map", {"": "None"}, hint="A finer map set laid over this surface")
    tile_size: float = field(
        0.2, "Detail tile", unit="m", low=0.001, high=1000.0, soft=(0.02, 2.0), logarithmic=True,
        hint="Metres that one tile of the detail spans", when=("map_set", ()),
    )  # fmt: skip
    color_strength: float = field(
        0.5, "Detail colour", hint="How far its colour darkens and lightens the surface", when=("map_set", ())
    )
    relief: float = field(1.0, "Detail relief", low=0.0, high=4.0, soft=(0, 2), when=("map_set", ()))
    roughness_strength: float = field(0.5, "Detail roughness", when=("map_set", ()))


class Surface(Frozen):
    """A map set (by id) or plain values, with placement, tint and ranges.

    `top_set` replaces the maps on what faces up or down (three-sided placement). `more_sets` are picked from at
    random. `gradient` colours the base colour's luminance: stops of position 0–1 and linear colour.
    """

    map_set: str = option("", "Map set", "map", {"": "Plain values"})
    more_sets: tuple[str, ...] = setting((), "or", "sets", when=("map_set", ()))
    pick: Literal["prop", "tile"] = setting(
        "prop", "Picked", "choice", {"prop": "for each prop", "tile": "for each tile"}, hint="At random",
        when=("more_sets", ()),
    )  # fmt: skip
    placement: Placement = option("uv", "Laid", "choice", PLACEMENT_LABELS, group=LAID, map="any")
    uv_set: int = setting(
        0, "UV set", "uv_set", limits={"ge": 0, "le": 7}, group=LAID, map="any", when=("placement", ("uv", "square"))
    )
    space: Space = setting(
        "object", "Fixed to", "choice", SPACE_LABELS, group=LAID, map="any", when=("placement", ("triplanar", "planar"))
    )
    top_set: str = setting(
        "", "On top", "map", {"": "The same"}, hint="Another map set for what faces up or down", group=LAID, map="any",
        when=("placement", ("triplanar",)),
    )  # fmt: skip
    tile_break: TileBreak = option("none", "Tile-break", "choice", TILE_BREAK_LABELS, group=LAID, map="any")
    gradient: tuple[tuple[float, Color], ...] = setting((), "Gradient", "stops", group=COLOR)
    detail: Detail = Detail()
    sharpness: float = field(
        6.0, "Sharpness", low=1.0, high=64.0, logarithmic=True, hint="How narrow the mix between the three sides is",
        group=LAID, map="any", when=("placement", ("triplanar",)),
    )  # fmt: skip
    tile_size: float = field(
        1.0,
        "Tile size",
        unit="m",
        low=0.001,
        high=1000.0,
        soft=(0.05, 8.0),
        logarithmic=True,
        hint="Metres that one tile of the maps spans on the surface",
        group=LAID,
        map="any",
        when=("placement", ("uv", "triplanar", "planar")),
    )
    repeats: Vec2 = field(
        (1.0, 1.0), "Repeats", kind="pair", unit="×", low=0.001, high=1000.0, soft=(0.5, 16.0),
        hint="How often the maps lie across the UV square and down it", group=LAID, map="any",
        when=("placement", ("square",)),
    )  # fmt: skip
    turn: float = field(0.0, "Turn", kind="angle", low=-TAU, high=TAU, soft=(-TAU / 2, TAU / 2), group=LAID, map="any")
    offset: Vec2 = field(
        (0.0, 0.0), "Offset", kind="pair", unit="tiles", low=-100, high=100, soft=(0, 1), group=LAID, map="any"
    )
    flip_across: float = field(
        0.0, "Flip across", kind="toggle", hint="Mirrors the maps left to right", group=LAID, map="any"
    )
    flip_down: float = field(
        0.0, "Flip down", kind="toggle", hint="Mirrors the maps top to bottom", group=LAID, map="any"
    )
    color: Color = field(
        (0.5, 0.5, 0.5),
        "Colour",
        kind="color",
        hint="Used where there is no colour map",
        group=COLOR,
        map="-base_color",
    )
    tint: Color = field((1.0, 1.0, 1.0), "Tint", kind="color", high=4.0, hint="Multiplies the base colour", group=COLOR)
    hue: float = field(
        0.0, "Hue", kind="angle", low=-TAU / 2, high=TAU / 2, hint="Turns the colour about grey", group=COLOR
    )
    saturation: float = field(1.0, "Saturation", low=0.0, high=4.0, soft=(0, 2), group=COLOR)
    value: float = field(
        1.0, "Value", low=0.0, high=4.0, soft=(0, 2), hint="Lightens or darkens the colour", group=COLOR
    )
    roughness: float = field(0.5, "Roughness", hint="Used where there is no roughness map", map="-roughness")
    roughness_range: Vec2 = field(
        (0.0, 1.0), "Roughness range", kind="range", hint="What 0 and 1 in the roughness map become", map="roughness"
    )
    metallic: float = field(0.0, "Metallic", hint="Used where there is no metallic map", map="-metallic")
    metallic_range: Vec2 = field(
        (0.0, 1.0), "Metallic range", kind="range", hint="What 0 and 1 in the metallic map become", map="metallic"
    )
    specular: float = field(
        1.0, "Specular", hint="How much what is no metal mirrors: 1 is 4 % head on, as of most; 0 nothing"
    )
    transmission: float = field(
        0.0, "Lets through", hint="How much of the light on its other side shows through, as of leaves and thin cloth"
    )
    normal_strength: float = field(
        1.0, "Relief", low=0.0, high=4.0, soft=(0, 2), hint="Strength of the normal map", map="normal"
    )
    occlusion_strength: float = field(1.0, "Occlusion", map="occlusion")
    height: float = field(
        0.5, "Height", hint="Used where there is no height map; 1 is the material's full depth", map="-height"
    )
    height_range: Vec2 = field(
        (0.0, 1.0), "Height range", kind="range", hint="What 0 and 1 in the height map become", map="height"
    )
    lift: float = field(0.0, "Lift", low=-1.0, high=1.0, hint="Added to the height; let it follow a recipe to displace")
    emissive: Color = field(
        (0.0, 0.0, 0.0), "Glow", kind="color", high=64.0, hint="Used where there is no glow map", group=COLOR,
        map="-emissive",
    )  # fmt: skip
    glow: Color = field(
        (1.0, 1.0, 1.0), "Glow of the map", kind="color", high=64.0, hint="Multiplies the glow map", group=COLOR,
        map="emissive",
    )  # fmt: skip

    @field_validator("gradient")
    @classmethod
    def _climbing(cls, stops: tuple[tuple[float, Color], ...]) -> tuple[tuple[float, Color], ...]:
        places = [x for x, _ in stops]
        if len(stops) == 1 or len(stops) > 8 or any(b <= a for a, b in itertools.pairwise(places)):
            raise ValueError("a gradient has two to eight stops at rising positions")
        if any(not 0 <= x <= 1 for x in places):
            raise ValueError("a gradient's stops lie between 0 and 1")
        return stops

    @property
    def sets(self) -> tuple[str, ...]:
        """Every map set this surface reads."""
        named = (self.map_set, self.top_set, *self.more_sets, self.detail.map_set)
        return tuple(dict.fromkeys(s for s in named if s))


def fields_in_use(surface: Surface, lookup: MapLookup) -> list[str]:
    """The fields that matter to this surface: a roughness range needs a roughness map, and so on."""
    there = {r.value for r in Role for s in (surface.map_set, surface.top_set) if s and lookup.read(s, r) is not None}

    def mapped(need: str) -> bool:
        if need.startswith("-"):  # another set on top may lack the map
            return need[1:] not in there or bool(surface.top_set)
        return bool(there) if need == "any" else not need or need in there

    return [name for name, spec in declared(Surface).items() if spec.matters(surface) and mapped(spec.map)]
