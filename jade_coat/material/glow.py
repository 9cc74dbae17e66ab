"""Glow: cards of light that are added to what is behind them, with flicker, fades, and shapes of their own."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any, ClassVar, Literal

from jade_coat.material.fields import Color, Vec2, field, option, setting
from jade_coat.material.kind_part import PAINTED_LABELS, KindPart, Painted, painted
from jade_coat.material.placement import gradient_color
from jade_coat.material.shared import SUN_HEIGHT, TIME
from jade_coat.material.surface import MapLookup, Role
from jade_coat.program import FLOAT, VEC2, VEC3, Value, combine, const, lib

Shape = Literal["coats", "sheet", "beacon", "haze"]
SHAPE_LABELS: dict[Shape, str] = {
    "coats": "its coats", "sheet": "a map", "beacon": "core and cross", "haze": "drifting maps",
}  # fmt: skip
Letter = Literal["R", "G", "B", "A"]
LETTERS: dict[Letter, str] = {"R": "R", "G": "G", "B": "B", "A": "A"}
Wave = Literal["calm", "flame", "spark", "drawn"]
WAVE_LABELS: dict[Wave, str] = {"calm": "calm", "flame": "as a flame", "spark": "in sparks", "drawn": "as drawn"}
MAPPED = ("sheet", "haze")
BEACON, HAZE, FLICKER, FADES = "Core and cross", "Drift", "Flicker", "Fades"
"""The groups that its fields are shown in."""
DUSK, DAY = -0.1, 0.35
"""Between these heights of the sun, radians, night turns to day."""


class Glow(KindPart):
    """Light on cards: `colour(v) · tint · boost · flicker · fades`, v by the coats, a map, a drawn shape or two maps.

    The chance of a card (its flicker, whether its haze is mirrored) is read from the second UV set, as card fields
    have it. Common practice, no source.
    """

    label: ClassVar[str] = "Glow"
    outputs: ClassVar[tuple[tuple[str, int], ...]] = (("glow_meets", 2),)
    shape: Shape = option("coats", "Shaped by", "choice", SHAPE_LABELS)
    sheet: str = option("", "Map set", "map", {"": "None"}, when=("shape", MAPPED), hint="One that holds channels")
    channel: Letter = option("R", "Channel", "choice", LETTERS, when=("shape", MAPPED))
    other: Letter = option("G", "And channel", "choice", LETTERS, when=("shape", ("haze",)))
    gradient: tuple[tuple[float, Color], ...] = setting((), "Gradient", "stops")
    tint: Color = field((1.0, 1.0, 1.0), "Tint", kind="color", hint="Multiplies its colour")
    boost: float = field(1.0, "Boost", high=1000.0, soft=(0.0, 8.0), hint="How many times as bright")
    core: float = field(0.25, "Core", low=0.01, high=1.0, group=BEACON, when=("shape", ("beacon",)), hint="Its size")
    cross: float = field(0.5, "Cross", high=4.0, soft=(0.0, 1.0), group=BEACON, when=("shape", ("beacon",)),
                         hint="How bright the cross is beside the core")  # fmt: skip
    cross_size: float = field(0.9, "Cross reaches", low=0.05, high=1.0, group=BEACON, when=("shape", ("beacon",)))
    cross_width: float = field(
        0.03, "Cross width", low=0.002, high=0.5, logarithmic=True, group=BEACON, when=("shape", ("beacon",))
    )
    straight: float = field(
        0.0, "Straight on", group=BEACON, when=("shape", ("beacon",)),
        hint="How much dimmer it is when its card, as it stands at rest, is not looked at straight",
    )  # fmt: skip
    repeats: Vec2 = field(
        (1.0, 1.0), "Repeats", kind="pair", unit="×", low=0.01, high=100.0, soft=(0.25, 8.0), group=HAZE,
        when=("shape", ("haze",)), hint="Of the maps across and along a card",
    )  # fmt: skip
    drift: float = field(
        0.03, "Drift", unit="/s", low=-10.0, high=10.0, soft=(-0.2, 0.2), group=HAZE, when=("shape", ("haze",)),
        hint="How fast the two maps drift apart, cards a second",
    )  # fmt: skip
    rim: float = field(
        0.35, "Faded rim", group=HAZE, when=("shape", ("haze",)), hint="The share of a card that fades out"
    )
    flicker: float = field(0.0, "Flicker", group=FLICKER, hint="How far it dims")
    wave: Wave = option("flame", "Flickers", "choice", WAVE_LABELS, group=FLICKER)
    curve: tuple[Vec2, ...] = option(
        ((0.0, 1.0), (0.5, 0.2), (1.0, 1.0)), "Curve", "curve", group=FLICKER, when=("wave", ("drawn",)),
        hint="The brightness over one round",
    )  # fmt: skip
    rate: float = field(0.7, "Rate", unit="/s", low=0.01, high=30.0, soft=(0.1, 8.0), logarithmic=True, group=FLICKER)
    phase: float = field(1.0, "Apart", group=FLICKER, hint="How far the cards differ in time, in rounds")
    near: Vec2 = field((0.0, 0.0), "Near", kind="range", unit="m", high=1000.0, soft=(0.0, 5.0), group=FADES,
                       hint="Gone at the first distance, whole from the second")  # fmt: skip
    far: Vec2 = field((0.0, 0.0), "Far", kind="range", unit="m", high=100000.0, soft=(0.0, 200.0), group=FADES,
                      hint="Whole up to the first distance, gone from the second; 0 is never")  # fmt: skip
    edge: Painted = option("none", "Edge by", "choice", PAINTED_LABELS, group=FADES,
                           hint="A channel by which it fades, as card fields have in B")  # fmt: skip
    soft: float = field(0.0, "Soft where it meets", unit="m", high=100.0, soft=(0.0, 2.0), group=FADES,
                        hint="Fades within this distance before other things")  # fmt: skip
    by_day: float = field(1.0, "By day", high=4.0, soft=(0.0, 1.0), group=FADES, hint="How bright while the sun is up")
    by_night: float = field(1.0, "By night", high=4.0, soft=(0.0, 1.0), group=FADES)
    mist: float = field(1.0, "Veiled by mist", group=FADES)

    @property
    def map_sets(self) -> tuple[str, ...]:
        """The sheet, where it is read."""
        return (self.sheet,) if self.sheet and self.shape in MAPPED else ()

    @property
    def by_clock(self) -> bool:
        """Whether it changes over time."""
        return self.flicker > 0 or (self.shape == "haze" and self.drift != 0)

    def program(
        self, fields: Any, quantities: Mapping[str, Value], lookup: MapLookup, frame: str = ""
    ) -> dict[str, Value]:
        """Its colour, between the base colour and, beyond 1, the emissive; and how it meets other things and mist."""
        light = self._shaped(fields, quantities, lookup) * fields.tint
        light = light * (fields.boost * self._flickered(fields) * self._faded(fields))
        shown = lib.clamp(light)
        return {
            "base_color": shown, "emissive": lib.maximum(light - shown, 0.0),
            "glow_meets": combine(fields.soft, fields.mist),
        }  # fmt: skip

    def _shaped(self, fields: Any, quantities: Mapping[str, Value], lookup: MapLookup) -> Value:
        """Its colour before all that dims it."""
        if self.shape == "coats":
            color = quantities["base_color"] + quantities["emissive"]
            return gradient_color(self.gradient, lib.luminance(color)) if self.gradient else color
        if self.shape == "sheet":
            value = self._read(lookup, self.channel, lib.attribute("uv0", VEC2))
        elif self.shape == "haze":
            value = self._haze(fields, lookup)
        else:
            value = self._beacon(fields)
        return gradient_color(self.gradient, value) if self.gradient else combine(value, value, value)

    def _read(self, lookup: MapLookup, letter: Letter, at: Value) -> Value:
        found = lookup.read(self.sheet, Role.CHANNELS) if self.sheet else None
        if found is None:
            return const(0.0)
        return lib.make("swizzle", (lib.texture(found.texture, at),), ("RGBA".index(letter),))

    def _haze(self, fields: Any, lookup: MapLookup) -> Value:
        """The product of two maps that drift apart, mirrored by chance, and faded to the rim of the card."""
        own, at = _chance(), lib.attribute("uv0", VEC2)
        across = lib.select(lib.less(own, 0.5), at.x, 1.0 - at.x)
        place = combine(across, at.y) * fields.repeats + combine(own * 3.7, own * 7.3)
        moved = lib.shared(TIME, FLOAT) * fields.drift
        first = self._read(lookup, self.channel, place + combine(moved, moved * 0.31))
        second = self._read(lookup, self.other, place * 0.73 + combine(-moved * 0.83, moved * 0.17) + 0.37)
        inward = lib.minimum(lib.minimum(at.x, 1.0 - at.x), lib.minimum(at.y, 1.0 - at.y)) * 2.0
        return first * second * lib.smoothstep(0.0, lib.maximum(fields.rim, 1e-3), inward)

    def _beacon(self, fields: Any) -> Value:
        """A round core and two crossing streaks, on a card that is the whole UV square."""
        place = lib.attribute("uv0", VEC2) * 2.0 - 1.0
        across, along = lib.unary("abs", place.x), lib.unary("abs", place.y)
        away = lib.length(place)
        core = lib.clamp(1.0 - away / fields.core)
        long = lib.clamp(1.0 - lib.maximum(across, along) / fields.cross_size)
        thin = lib.minimum(across, along) / (fields.cross_width * lib.maximum(long, 1e-3))
        value = core * core + fields.cross * long * long * lib.clamp(1.0 - thin)
        seen = lib.shared("camera_position", VEC3) - lib.attribute("world_position", VEC3)
        facing = lib.unary("abs", lib.dot(lib.normalize(seen), lib.attribute("normal", VEC3)))
        facing = facing * facing
        return value * lib.lerp(1.0, facing * facing, fields.straight) * lib.clamp((1.0 - away) * 8.0)

    def _flickered(self, fields: Any) -> Value:
        """How bright it is now beside its brightest; the same all over a card, so that vertices can say it exactly."""
        t = lib.shared(TIME, FLOAT) * fields.rate + _chance() * fields.phase + lib.instance("seed", FLOAT)

        def sine(rate: float, at: float) -> Value:
            return lib.unary("sin", (t * rate + at) * (2 * math.pi))

        if self.wave == "flame":
            wave = 0.5 + 0.25 * sine(1.0, 0.0) + 0.15 * sine(2.71, 0.2) + 0.1 * sine(6.13, 0.4)
        elif self.wave == "drawn":
            wave = lib.clamp(lib.ramp(lib.unary("fract", t), *zip(*self.curve, strict=True)))
        else:
            wave = 0.5 + 0.5 * sine(1.0, 0.0)
            wave = wave * wave * wave * wave * wave * wave if self.wave == "spark" else wave
        return lib.per_vertex(1.0 - fields.flicker * (1.0 - wave))

    def _faded(self, fields: Any) -> Value:
        """What is left of it by distance, the edge of its field, and the sun's height."""
        away = lib.length(lib.shared("camera_position", VEC3) - lib.attribute("world_position", VEC3))
        near, far = fields.near, fields.far
        left = lib.clamp((away - near.x) / lib.maximum(near.y - near.x, 1e-4))
        gone = lib.clamp((away - far.x) / lib.maximum(far.y - far.x, 1e-4))
        left = left * lib.select(lib.less(far.y, 1e-6), 1.0, 1.0 - gone)
        channel = painted(self.edge)
        if channel is not None:
            left = left * channel
        day = lib.smoothstep(DUSK, DAY, lib.shared(SUN_HEIGHT, FLOAT))
        return left * lib.lerp(fields.by_night, fields.by_day, day)


def _chance() -> Value:
    """A card's random number, 0 to 1."""
    return lib.attribute("uv1", VEC2).x
