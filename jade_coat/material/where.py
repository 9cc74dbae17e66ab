"""Where a coat shows: terms from 0 to 1, each with range, contrast and invert, combined in order."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from jade_coat.material.fields import Frozen, Vec2, Vec3, field, option

Combine = Literal["multiply", "add", "max", "min"]
Channel = Literal["R", "G", "B", "A"]


class Term(Frozen):
    """What every term has."""

    label: ClassVar[str] = ""
    id: str
    combine: Combine = "multiply"
    invert: bool = False
    range: Vec2 = field((0.0, 1.0), "Range", kind="range", hint="What becomes 0 and what becomes 1")
    contrast: float = field(1.0, "Contrast", low=0.0, high=20.0, soft=(0, 4))


class PaintTerm(Term):
    """A painted vertex channel."""

    label: ClassVar[str] = "Paint"
    kind: Literal["paint"] = "paint"
    channel: Channel = option("R", "Painted", "choice", {c: f"Channel {c}" for c in "RGBA"})
    color_set: int = Field(0, ge=0, le=3)


MapReading = Literal[
    "mask",
    "luminance",
    "red",
    "green",
    "blue",
    "height",
    "roughness",
    "occlusion",
    "metallic",
    "opacity",
    "glow",
    "tilt across",
    "tilt up",
]


class MapTerm(Term):
    """A mask, or any channel of a map set."""

    label: ClassVar[str] = "Map"
    kind: Literal["map"] = "map"
    map_set: str = option("", "Map set", "map")
    read: MapReading = "mask"
    uv_set: int = Field(0, ge=0, le=7)
    once: bool = True
    """Laid once over the UV square rather than tiled by metres."""
    tile_size: float = field(
        1.0, "Tile size", unit="m", low=0.001, high=1000.0, soft=(0.05, 8.0), logarithmic=True,
        hint="Metres that one tile of the map spans",
    )  # fmt: skip


NoisePattern = Literal["clouds", "ridges", "cells", "cracks"]
NOISE_LABELS: dict[NoisePattern, str] = {
    "clouds": "soft patches", "ridges": "sharp crests", "cells": "rounded cells", "cracks": "lines between cells",
}  # fmt: skip


class NoiseTerm(Term):
    """Noise in the space of the object or the world."""

    label: ClassVar[str] = "Noise"
    kind: Literal["noise"] = "noise"
    size: float = field(
        0.5,
        "Size",
        unit="m",
        low=0.001,
        high=1000.0,
        soft=(0.02, 8.0),
        logarithmic=True,
        hint="Metres across one patch",
    )
    pattern: NoisePattern = option("clouds", "Pattern", "choice", NOISE_LABELS)
    space: Literal["object", "world"] = "object"
    octaves: int = option(4, "Octaves", "integer", low=1, high=8, hint="Finer and finer noise laid over the first")
    seed: int = option(0, "Seed", "integer", low=0, high=9999, soft=(0, 99), hint="Another number, another pattern")


class SlopeTerm(Term):
    """How far the surface leans from facing up, 0° to 180°."""

    label: ClassVar[str] = "Slope"
    kind: Literal["slope"] = "slope"
    range: Vec2 = field(
        (0.0, 1.5707964),
        "From, to",
        kind="range",
        unit="°",
        low=0.0,
        high=3.1415927,
        hint="0° faces up, 90° is a wall, 180° faces down",
    )


class HeightTerm(Term):
    """Height of the coats below, 0 to 1 of the material's depth."""

    label: ClassVar[str] = "Height below"
    kind: Literal["height"] = "height"


class WorldHeightTerm(Term):
    """Height above the world's ground, in metres."""

    label: ClassVar[str] = "World height"
    kind: Literal["world_height"] = "world_height"
    range: Vec2 = field((0.0, 2.0), "From, to", kind="range", unit="m", low=-1000, high=1000, soft=(0, 5))


class FacingTerm(Term):
    """How far the surface faces the viewer or a direction: 1 head on, 0 from the side."""

    label: ClassVar[str] = "Facing"
    kind: Literal["facing"] = "facing"
    toward: Literal["viewer", "direction"] = "direction"
    azimuth: float = field(
        0.0, "Azimuth", kind="angle", low=-6.2831853, high=6.2831853, soft=(-3.1415927, 3.1415927),
        hint="About the upright axis, from +Z towards +X",
    )  # fmt: skip
    elevation: float = field(0.0, "Elevation", kind="angle", low=-1.5707964, high=1.5707964)


class CavityTerm(Term):
    """Hollows or edges of the mesh, measured at its vertices."""

    label: ClassVar[str] = "Cavity"
    kind: Literal["cavity"] = "cavity"
    side: Literal["hollows", "edges"] = "hollows"
    size: float = field(
        0.05, "Size", unit="m", low=0.0005, high=100.0, soft=(0.005, 1.0), logarithmic=True,
        hint="The radius of bend that counts as 1",
    )  # fmt: skip


class DistanceTerm(Term):
    """Metres from the viewer or from a point of the world."""

    label: ClassVar[str] = "Distance"
    kind: Literal["distance"] = "distance"
    origin: Literal["viewer", "point"] = "viewer"
    point: Vec3 = field((0.0, 0.0, 0.0), "Point", kind="point", unit="m", low=-10000, high=10000, soft=(-5, 5))
    range: Vec2 = field((0.0, 10.0), "From, to", kind="range", unit="m", low=0, high=10000, soft=(0, 40))


class SharedTerm(Term):
    """A shared dial of the project, the same everywhere."""

    label: ClassVar[str] = "Shared dial"
    kind: Literal["shared"] = "shared"
    shared: str = ""
    value: float = 0.0
    """What it is while it follows nothing: the last value of a dial that was removed."""


class RecipeTerm(Term):
    """A recipe: a calculation of the project's own, in steps."""

    label: ClassVar[str] = "Recipe"
    kind: Literal["recipe"] = "recipe"
    recipe: str = ""
    inputs: dict[str, float] = Field(default_factory=dict)


AnyTerm = Annotated[
    PaintTerm
    | MapTerm
    | NoiseTerm
    | SlopeTerm
    | HeightTerm
    | WorldHeightTerm
    | FacingTerm
    | CavityTerm
    | DistanceTerm
    | SharedTerm
    | RecipeTerm,
    Field(discriminator="kind"),
]
TERM_KINDS: dict[str, type[Term]] = {
    "paint": PaintTerm, "map": MapTerm, "noise": NoiseTerm, "slope": SlopeTerm, "height": HeightTerm,
    "world_height": WorldHeightTerm, "facing": FacingTerm, "cavity": CavityTerm, "distance": DistanceTerm,
    "shared": SharedTerm, "recipe": RecipeTerm,
}  # fmt: skip
