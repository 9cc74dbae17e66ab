"""Surfaces: the map set or plain values a coat is made of, and how they are placed."""

from __future__ import annotations

import itertools
from dataclasses import dataclass
from enum import StrEnum
from typing import Any, Literal, Protocol

from pydantic import Field, field_validator

from jade_coat.material.fields import Color, Frozen, Vec2, field, option
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


Placement = Literal["uv", "triplanar", "planar"]
Space = Literal["object", "world"]
TileBreak = Literal["none", "mirror", "offset", "hex"]
PLACEMENT_LABELS: dict[Placement, str] = {
    "uv": "by a UV set", "triplanar": "from three sides", "planar": "from above",
}  # fmt: skip
TILE_BREAK_LABELS: dict[TileBreak, str] = {
    "none": "tiles as they are", "mirror": "every other tile mirrored: 1 read",
    "offset": "two shifted pictures, mixed by noise: 2 reads", "hex": "three shifted pictures, by hexagons: 3 reads",
}  # fmt: skip
TILE_BREAK_READS: dict[TileBreak, int] = {"none": 1, "mirror": 1, "offset": 2, "hex": 3}


class Detail(Frozen):
    """A second, finer map set laid over a surface's own."""

    map_set: str = ""
    tile_size: float = field(
        0.2, "Detail tile", unit="m", low=0.001, high=1000.0, soft=(0.02, 2.0), logarithmic=True,
        hint="Metres that one tile of the detail spans",
    )  # fmt: skip
    color_strength: float = field(0.5, "Detail colour", hint="How far its colour darkens and lightens the surface")
    relief: float = field(1.0, "Detail relief", low=0.0, high=4.0, soft=(0, 2))
    roughness_strength: float = field(0.5, "Detail roughness")


class Surface(Frozen):
    """A map set (by id) or plain values, with placement, tint and ranges.

    `top_set` replaces the maps on what faces up or down (three-sided placement). `more_sets` are picked from at
    random. `gradient` colours the base colour's luminance: stops of position 0–1 and linear colour.
    """

    map_set: str = option("", "Map set", "map")
    top_set: str = ""
    more_sets: tuple[str, ...] = ()
    pick: Literal["prop", "tile"] = "prop"
    placement: Placement = option("uv", "Laid", "choice", PLACEMENT_LABELS)
    space: Space = "object"
    uv_set: int = Field(0, ge=0, le=7)
    tile_break: TileBreak = option("none", "Tile-break", "choice", TILE_BREAK_LABELS)
    gradient: tuple[tuple[float, Color], ...] = ()
    detail: Detail = Detail()
    sharpness: float = field(
        6.0, "Sharpness", low=1.0, high=64.0, logarithmic=True, hint="How narrow the mix between the three sides is"
    )
    tile_size: float = field(
        1.0,
        "Tile size",
        unit="m",
        low=0.001,
        high=1000.0,
        soft=(0.05, 8.0),
        logarithmic=True,
        hint="Metres that one tile of the maps spans on the surface",
    )
    turn: float = field(0.0, "Turn", kind="angle", low=-TAU, high=TAU, soft=(-TAU / 2, TAU / 2))
    offset: Vec2 = field((0.0, 0.0), "Offset", kind="pair", unit="tiles", low=-100, high=100, soft=(0, 1))
    flip_across: float = field(0.0, "Flip across", kind="toggle", hint="Mirrors the maps left to right")
    flip_down: float = field(0.0, "Flip down", kind="toggle", hint="Mirrors the maps top to bottom")
    color: Color = field((0.5, 0.5, 0.5), "Colour", kind="color", hint="Used where there is no colour map")
    tint: Color = field((1.0, 1.0, 1.0), "Tint", kind="color", high=4.0, hint="Multiplies the base colour")
    hue: float = field(0.0, "Hue", kind="angle", low=-TAU / 2, high=TAU / 2, hint="Turns the colour about grey")
    saturation: float = field(1.0, "Saturation", low=0.0, high=4.0, soft=(0, 2))
    value: float = field(1.0, "Value", low=0.0, high=4.0, soft=(0, 2), hint="Lightens or darkens the colour")
    roughness: float = field(0.5, "Roughness", hint="Used where there is no roughness map")
    roughness_range: Vec2 = field(
        (0.0, 1.0), "Roughness range", kind="range", hint="What 0 and 1 in the roughness map become"
    )
    metallic: float = field(0.0, "Metallic", hint="Used where there is no metallic map")
    metallic_range: Vec2 = field(
        (0.0, 1.0), "Metallic range", kind="range", hint="What 0 and 1 in the metallic map become"
    )
    normal_strength: float = field(1.0, "Relief", low=0.0, high=4.0, soft=(0, 2), hint="Strength of the normal map")
    occlusion_strength: float = field(1.0, "Occlusion")
    height: float = field(0.5, "Height", hint="Used where there is no height map; 1 is the material's full depth")
    height_range: Vec2 = field((0.0, 1.0), "Height range", kind="range", hint="What 0 and 1 in the height map become")
    lift: float = field(0.0, "Lift", low=-1.0, high=1.0, hint="Added to the height; let it follow a recipe to displace")
    emissive: Color = field((0.0, 0.0, 0.0), "Glow", kind="color", high=64.0, hint="Used where there is no glow map")
    glow: Color = field((1.0, 1.0, 1.0), "Glow of the map", kind="color", high=64.0, hint="Multiplies the glow map")

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


MAP_FIELDS = {
    "roughness_range": Role.ROUGHNESS, "normal_strength": Role.NORMAL, "occlusion_strength": Role.OCCLUSION,
    "height_range": Role.HEIGHT, "metallic_range": Role.METALLIC, "glow": Role.EMISSIVE,
}  # fmt: skip
PLAIN_FIELDS = {
    "color": Role.BASE_COLOR, "roughness": Role.ROUGHNESS, "metallic": Role.METALLIC, "height": Role.HEIGHT,
    "emissive": Role.EMISSIVE,
}  # fmt: skip
PLACING = ("tile_size", "turn", "offset", "flip_across", "flip_down")
LOOKING = (
    "color", "tint", "hue", "saturation", "value", "roughness", "roughness_range", "metallic", "metallic_range",
    "normal_strength", "occlusion_strength", "height", "height_range", "lift", "emissive", "glow",
)  # fmt: skip


def fields_in_use(surface: Surface, lookup: MapLookup) -> list[str]:
    """The numeric fields that matter to this surface: a roughness range needs a roughness map, and so on."""

    def has(role: Role) -> bool:
        return any(lookup.read(s, role) is not None for s in (surface.map_set, surface.top_set) if s)

    mapped = any(has(role) for role in Role)
    found = [*PLACING] if mapped else []
    if mapped and surface.placement == "triplanar":
        found.append("sharpness")
    for name in LOOKING:
        if name in MAP_FIELDS and not has(MAP_FIELDS[name]):
            continue
        if name in PLAIN_FIELDS and has(PLAIN_FIELDS[name]) and not surface.top_set:
            continue
        found.append(name)
    return found
