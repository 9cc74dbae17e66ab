"""Surfaces: the map set or plain values a coat is made of, and how they are placed."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import Protocol

from pydantic import Field

from jade_coat.material.fields import Color, Frozen, Vec2, field
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


class NoMaps:
    """A lookup without any map."""

    def read(self, map_set: str, role: Role) -> MapRead | None:
        """Nothing is there."""
        return None


class Surface(Frozen):
    """A map set (by id) or plain values, with placement, tint and ranges."""

    map_set: str = ""
    uv_set: int = Field(0, ge=0, le=7)
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
    color: Color = field((0.5, 0.5, 0.5), "Colour", kind="color", hint="Used where there is no colour map")
    tint: Color = field((1.0, 1.0, 1.0), "Tint", kind="color", high=4.0, hint="Multiplies the base colour")
    roughness: float = field(0.5, "Roughness", hint="Used where there is no roughness map")
    roughness_range: Vec2 = field(
        (0.0, 1.0), "Roughness range", kind="range", hint="What 0 and 1 in the roughness map become"
    )
    metallic: float = field(0.0, "Metallic", hint="Used where there is no metallic map")
    normal_strength: float = field(1.0, "Relief", low=0.0, high=4.0, soft=(0, 2), hint="Strength of the normal map")
    occlusion_strength: float = field(1.0, "Occlusion")
    height: float = field(0.5, "Height", hint="Used where there is no height map; 1 is the material's full depth")
    height_range: Vec2 = field((0.0, 1.0), "Height range", kind="range", hint="What 0 and 1 in the height map become")
    emissive: Color = field((0.0, 0.0, 0.0), "Glow", kind="color", high=64.0)


MAP_FIELDS = {
    "roughness_range": Role.ROUGHNESS, "normal_strength": Role.NORMAL, "occlusion_strength": Role.OCCLUSION,
    "height_range": Role.HEIGHT,
}  # fmt: skip
PLAIN_FIELDS = {
    "color": Role.BASE_COLOR, "roughness": Role.ROUGHNESS, "metallic": Role.METALLIC, "height": Role.HEIGHT,
}  # fmt: skip


def fields_in_use(surface: Surface, lookup: MapLookup) -> list[str]:
    """The numeric fields that matter to this surface: a roughness range needs a roughness map, and so on."""

    def has(role: Role) -> bool:
        return bool(surface.map_set) and lookup.read(surface.map_set, role) is not None

    mapped = any(has(role) for role in Role)
    found = ["tile_size", "turn", "offset"] if mapped else []
    for name in ("color", "tint", "roughness", "roughness_range", "metallic", "normal_strength",
                 "occlusion_strength", "height", "height_range", "emissive"):  # fmt: skip
        if name in MAP_FIELDS and not has(MAP_FIELDS[name]):
            continue
        if name in PLAIN_FIELDS and has(PLAIN_FIELDS[name]):
            continue
        found.append(name)
    return found
