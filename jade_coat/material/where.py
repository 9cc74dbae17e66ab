"""Where a coat shows: terms from 0 to 1, each with range, contrast and invert, combined in order."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated, Any, ClassVar, Literal, NamedTuple, get_args

from pydantic import Field

from jade_coat.material.around import Around
from jade_coat.material.fields import Frozen, Vec2, Vec3, field, option, setting
from jade_coat.material.placement import place_of
from jade_coat.material.recipes import recipe_value, step_values
from jade_coat.material.shared import shared_name
from jade_coat.material.surface import SPACE_LABELS, MapLookup, Role
from jade_coat.program import FLOAT, VEC2, VEC3, VEC4, Value, combine, const, lib

Combine = Literal["multiply", "add", "max", "min"]
Channel = Literal["R", "G", "B", "A"]


@dataclass(frozen=True)
class TermInputs:
    """What a term's meaning is worked out from: its numeric fields as values, by name, and what lies around."""

    fields: Any
    around: Around

    @property
    def below(self) -> Value | None:
        """The height of what lies below; None where nothing does."""
        return self.around.height

    @property
    def lookup(self) -> MapLookup:
        """Where maps and recipes are found."""
        return self.around.lookup


class Painted(NamedTuple):
    """A painted channel: the colour set and the letter."""

    color_set: int
    channel: str


class Term(Frozen):
    """What every term has, and says of itself: its meaning, and what it reads."""

    label: ClassVar[str] = ""
    reads_bend: ClassVar[bool] = False
    """Whether it asks how the mesh bends."""
    id: str
    combine: Combine = setting("multiply", "Joins", "choice", {k: k for k in get_args(Combine)}, group="head")
    invert: bool = setting(False, "Invert", "flag", group="head")
    range: Vec2 = field((0.0, 1.0), "Range", kind="range", hint="What becomes 0 and what becomes 1")
    contrast: float = field(1.0, "Contrast", low=0.0, high=20.0, soft=(0, 4))

    def meaning(self, given: TermInputs) -> Value:
        """Its raw value, before range, contrast and invert."""
        raise NotImplementedError(f"no meaning for a where-term of kind {type(self).__name__}")

    def steps(self, around: Around) -> Mapping[str, Value]:
        """The values of its steps by name, to look at; none but for a recipe."""
        return {}

    @property
    def painted(self) -> Painted | None:
        """The painted channel it reads."""
        return None

    @property
    def map_sets(self) -> tuple[str, ...]:
        """The ids of the map sets it reads."""
        return ()

    @property
    def shared_dials(self) -> tuple[str, ...]:
        """The ids of the shared dials it follows."""
        return ()

    @property
    def recipes(self) -> tuple[str, ...]:
        """The ids of the recipes it runs."""
        return ()


class PaintTerm(Term):
    """A painted vertex channel."""

    label: ClassVar[str] = "Paint"
    kind: Literal["paint"] = "paint"
    channel: Channel = option("R", "Painted", "choice", {c: f"Channel {c}" for c in "RGBA"})
    color_set: int = setting(0, "Of", "color_set", limits={"ge": 0, "le": 3})

    def meaning(self, given: TermInputs) -> Value:
        """The channel at the point."""
        return getattr(lib.attribute(f"color{self.color_set}", VEC4), "xyzw"["RGBA".index(self.channel)])

    @property
    def painted(self) -> Painted | None:
        """The painted channel it reads."""
        return Painted(self.color_set, self.channel)


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
    "channel 1",
    "channel 2",
    "channel 3",
    "channel 4",
]


MAP_READS: dict[MapReading, tuple[Role, str]] = {
    "mask": (Role.MASK, "x"), "luminance": (Role.BASE_COLOR, ""), "red": (Role.BASE_COLOR, "x"),
    "green": (Role.BASE_COLOR, "y"), "blue": (Role.BASE_COLOR, "z"), "height": (Role.HEIGHT, "x"),
    "roughness": (Role.ROUGHNESS, "x"), "occlusion": (Role.OCCLUSION, "x"), "metallic": (Role.METALLIC, "x"),
    "opacity": (Role.OPACITY, "x"), "glow": (Role.EMISSIVE, ""), "tilt across": (Role.NORMAL, "x"),
    "tilt up": (Role.NORMAL, "y"), "channel 1": (Role.CHANNELS, "x"), "channel 2": (Role.CHANNELS, "y"),
    "channel 3": (Role.CHANNELS, "z"), "channel 4": (Role.CHANNELS, "w"),
}  # fmt: skip
"""The role that each reading is of, and its part; of none the luminance."""


class MapTerm(Term):
    """A mask, or any channel of a map set."""

    label: ClassVar[str] = "Map"
    kind: Literal["map"] = "map"
    map_set: str = option("", "Map set", "map", {"": "None yet"})
    read: MapReading = setting("mask", "Read", "reading")
    uv_set: int = setting(0, "By", "uv_set", limits={"ge": 0, "le": 7})
    once: bool = setting(
        True, "Laid", "flag", {True: "Once", False: "Tiled"}, hint="Once over the whole UV square, or tiled by metres"
    )
    tile_size: float = field(
        1.0, "Tile size", unit="m", low=0.001, high=1000.0, soft=(0.05, 8.0), logarithmic=True,
        hint="Metres that one tile of the map spans", when=("once", (False,)),
    )  # fmt: skip

    def meaning(self, given: TermInputs) -> Value:
        """What the map holds there; 0 where it has no such channel."""
        role, letter = MAP_READS[self.read]
        read = given.lookup.read(self.map_set, role) if self.map_set else None
        if read is None:
            return const(0.0)
        at = lib.attribute(f"uv{self.uv_set}", VEC2)
        if not self.once:
            at = at * lib.instance(f"metres{self.uv_set}", VEC2) / given.fields.tile_size
        value = lib.make("swizzle", (lib.texture(read.texture, at),), tuple("rgba".index(c) for c in read.channels))
        if value.type.size == 1:
            return value
        return getattr(value, letter) if letter else lib.luminance(value)

    @property
    def map_sets(self) -> tuple[str, ...]:
        """The ids of the map sets it reads."""
        return (self.map_set,) if self.map_set else ()


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
    space: Literal["object", "world"] = setting("object", "Fixed to", "choice", SPACE_LABELS)
    octaves: int = option(
        4, "Octaves", "integer", low=1, high=8, hint="Finer and finer noise laid over the first",
        when=("pattern", ("clouds", "ridges")),
    )  # fmt: skip
    seed: int = option(0, "Seed", "integer", low=0, high=9999, soft=(0, 99), hint="Another number, another pattern")

    def meaning(self, given: TermInputs) -> Value:
        """The pattern at the point."""
        p = place_of(self.space) / given.fields.size
        if self.pattern == "clouds":
            return lib.fbm(p, self.octaves, self.seed) * 0.5 + 0.5
        if self.pattern == "ridges":
            return lib.ridges(p, self.octaves, self.seed)
        cells = lib.cells(p, self.seed)
        return cells.x if self.pattern == "cells" else cells.y - cells.x


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

    def meaning(self, given: TermInputs) -> Value:
        """The angle to the upright, in radians."""
        return lib.unary("acos", lib.normalize(lib.attribute("normal", VEC3)).y)


class HeightTerm(Term):
    """Height of the coats below, 0 to 1 of the material's depth."""

    label: ClassVar[str] = "Height below"
    kind: Literal["height"] = "height"

    def meaning(self, given: TermInputs) -> Value:
        """The height of what lies below."""
        return given.below if given.below is not None else const(0.0)


class WorldHeightTerm(Term):
    """Height above the world's ground, in metres."""

    label: ClassVar[str] = "World height"
    kind: Literal["world_height"] = "world_height"
    range: Vec2 = field((0.0, 2.0), "From, to", kind="range", unit="m", low=-1000, high=1000, soft=(0, 5))

    def meaning(self, given: TermInputs) -> Value:
        """The height in metres."""
        return lib.attribute("world_position", VEC3).y


class FacingTerm(Term):
    """How far the surface faces the viewer or a direction: 1 head on, 0 from the side."""

    label: ClassVar[str] = "Facing"
    kind: Literal["facing"] = "facing"
    toward: Literal["viewer", "direction"] = setting(
        "direction", "Toward", "choice", {"direction": "a direction", "viewer": "the viewer"}
    )
    azimuth: float = field(
        0.0, "Azimuth", kind="angle", low=-6.2831853, high=6.2831853, soft=(-3.1415927, 3.1415927),
        hint="About the upright axis, from +Z towards +X", when=("toward", ("direction",)),
    )  # fmt: skip
    elevation: float = field(
        0.0, "Elevation", kind="angle", low=-1.5707964, high=1.5707964, when=("toward", ("direction",))
    )

    def meaning(self, given: TermInputs) -> Value:
        """The cosine of the angle between the surface's normal and the direction."""
        return lib.clamp(lib.dot(lib.normalize(lib.attribute("normal", VEC3)), self._toward(given.fields)))

    def _toward(self, fields: Any) -> Value:
        if self.toward == "viewer":
            return lib.normalize(lib.shared("camera_position", VEC3) - lib.attribute("world_position", VEC3))
        flat = lib.unary("cos", fields.elevation)
        return combine(
            lib.unary("sin", fields.azimuth) * flat,
            lib.unary("sin", fields.elevation),
            lib.unary("cos", fields.azimuth) * flat,
        )


class CavityTerm(Term):
    """Hollows or edges of the mesh, measured at its vertices."""

    label: ClassVar[str] = "Cavity"
    reads_bend: ClassVar[bool] = True
    kind: Literal["cavity"] = "cavity"
    side: Literal["hollows", "edges"] = setting("hollows", "Shows", "choice", {"hollows": "Hollows", "edges": "Edges"})
    size: float = field(
        0.05, "Size", unit="m", low=0.0005, high=100.0, soft=(0.005, 1.0), logarithmic=True,
        hint="The radius of bend that counts as 1",
    )  # fmt: skip

    def meaning(self, given: TermInputs) -> Value:
        """The bend in radii of its size: 1 where the mesh bends as tightly as that."""
        bend = lib.attribute("curvature", FLOAT) * given.fields.size
        return lib.clamp(bend if self.side == "edges" else -bend)


class DistanceTerm(Term):
    """Metres from the viewer or from a point of the world."""

    label: ClassVar[str] = "Distance"
    kind: Literal["distance"] = "distance"
    origin: Literal["viewer", "point"] = setting(
        "viewer", "From", "choice", {"viewer": "the viewer", "point": "a point"}
    )
    point: Vec3 = field(
        (0.0, 0.0, 0.0),
        "Point",
        kind="point",
        unit="m",
        low=-10000,
        high=10000,
        soft=(-5, 5),
        when=("origin", ("point",)),
    )
    range: Vec2 = field((0.0, 10.0), "From, to", kind="range", unit="m", low=0, high=10000, soft=(0, 40))

    def meaning(self, given: TermInputs) -> Value:
        """The distance in metres."""
        origin = given.fields.point if self.origin == "point" else lib.shared("camera_position", VEC3)
        return lib.length(lib.attribute("world_position", VEC3) - origin)


class SharedTerm(Term):
    """A shared dial of the project, the same everywhere."""

    label: ClassVar[str] = "Shared dial"
    kind: Literal["shared"] = "shared"
    shared: str = setting("", "Follows", "shared")
    value: float = 0.0
    """What it is while it follows nothing: the last value of a dial that was removed."""

    def meaning(self, given: TermInputs) -> Value:
        """The dial, or what it last was."""
        return lib.shared(shared_name(self.shared)) if self.shared else const(self.value)

    @property
    def shared_dials(self) -> tuple[str, ...]:
        """The ids of the shared dials it follows."""
        return (self.shared,) if self.shared else ()


class RecipeTerm(Term):
    """A recipe: a calculation of the project's own, in steps."""

    label: ClassVar[str] = "Recipe"
    kind: Literal["recipe"] = "recipe"
    recipe: str = setting("", "Recipe", "recipe", hint="Ctrl+R makes and edits recipes")
    inputs: dict[str, float] = setting(dict, "Inputs", "inputs")

    def meaning(self, given: TermInputs) -> Value:
        """What the recipe comes to; 0 while none is chosen. Raises ValueError for one that is not there."""
        found = given.lookup.recipe(self.recipe) if self.recipe else None
        if self.recipe and found is None:
            raise ValueError(f"there is no recipe {self.recipe!r}")
        return recipe_value(found, given.around, self.inputs) if found is not None else const(0.0)

    def steps(self, around: Around) -> Mapping[str, Value]:
        """The values of its steps by name, to look at."""
        found = around.lookup.recipe(self.recipe) if self.recipe else None
        return step_values(found, around, self.inputs) if found is not None else {}

    @property
    def recipes(self) -> tuple[str, ...]:
        """The ids of the recipes it runs."""
        return (self.recipe,) if self.recipe else ()


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
TERM_KINDS: dict[str, type[Term]] = {kind.model_fields["kind"].default: kind for kind in get_args(get_args(AnyTerm)[0])}
"""All kinds by the name that files use."""
