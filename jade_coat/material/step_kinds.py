"""What steps of recipes can do: one record a kind."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from jade_coat.material.around import Around
from jade_coat.material.shared import TIME, WIND_STRENGTH, shared_name
from jade_coat.material.surface import Role
from jade_coat.program import FLOAT, VEC2, VEC3, VEC4, Value, const, lib
from jade_coat.program.value import TypeMismatch, combine


@dataclass(frozen=True)
class StepKind:
    """What a step can do: its words, its arguments with what they are at first, what it picks from, and its meaning."""

    label: str
    hint: str
    arguments: tuple[tuple[str, str], ...]
    build: Callable[[list[Value], str], Value] | None
    pick: str = ""
    ask: Callable[[list[Value], str, Around], Value] | None = None
    """Its meaning in place of `build`, where it depends on what lies around."""


def _binary(make: Callable[[Value, Value], Value]) -> Callable[[list[Value], str], Value]:
    return lambda a, _: make(a[0], a[1])


def _unary(op: str) -> Callable[[list[Value], str], Value]:
    return lambda a, _: lib.unary(op, a[0])


def _divided(a: list[Value], _: str) -> Value:
    if a[1].op == "const" and any(c == 0.0 for c in a[1].static):
        raise TypeMismatch("division by zero")
    return a[0] / a[1]


def _steps_between(a: list[Value], _: str) -> Value:
    return lib.clamp((a[0] - a[1]) / (a[2] - a[1]))


def _map_read(a: list[Value], pick: str, around: Around) -> Value:
    """What a map holds; 0 stands in for one that is not there, as it does for a where-term, and a level normal."""
    map_set, _, name = pick.partition("/")
    role = Role(name) if name in list(Role) else Role.HEIGHT
    found = around.lookup.read(map_set, role) if map_set else None
    if a[0].type != VEC2:
        raise TypeMismatch(f"a map is read at a place on it, a vec2 such as that of UVs, not at a {a[0].type.name}")
    if found is None:
        return const(0.5, 0.5) if role is Role.NORMAL else const(*[0.0] * (3 if role.is_color else 1))
    return lib.make("swizzle", (lib.texture(found.texture, a[0]),), tuple("rgba".index(c) for c in found.channels))


def _uvs(pick: str) -> Value:
    return lib.attribute(f"uv{int(pick or '0')}", VEC2)


def _below(value: Value | None) -> Value:
    if value is None:
        raise KeyError("nothing lies below here")
    return value


def _hue_color(a: list[Value], _: str) -> Value:
    """Hue, strength and brightness, 0 to 1, as linear light (Smith 1978, the hexcone)."""
    hue, strength, brightness = a
    parts = [
        lib.clamp(lib.unary("abs", lib.unary("fract", hue + shift) * 6.0 - 3.0) - 1.0) for shift in (0.0, 2 / 3, 1 / 3)
    ]
    return lib.lerp(1.0, combine(*parts), strength) * brightness


_AB = (("a", "0"), ("b", "1"))


_X = (("x", "0"),)


STEP_KINDS: dict[str, StepKind] = {
    "position": StepKind(
        "Position", "the point in the object's space, metres", (), lambda a, _: lib.attribute("position", VEC3)
    ),
    "world": StepKind(
        "World position", "the point in the world, metres", (), lambda a, _: lib.attribute("world_position", VEC3)
    ),
    "normal": StepKind(
        "Facing", "the surface's direction in the world", (), lambda a, _: lib.normalize(lib.attribute("normal", VEC3))
    ),
    "paint": StepKind(
        "Paint",
        "a painted channel",
        (),
        lambda a, pick: getattr(lib.attribute("color0", VEC4), "xyzw"["RGBA".index(pick or "R")]),
        "channel",
    ),
    "uv": StepKind(
        "UVs", "the place on the mesh's maps, 1 across its square", (), lambda a, pick: _uvs(pick), "uv set"
    ),
    "metres": StepKind(
        "UVs in metres",
        "the place on the mesh's maps, in metres of its surface",
        (),
        lambda a, pick: _uvs(pick) * lib.instance(f"metres{int(pick or '0')}", VEC2),
        "uv set",
    ),
    "map": StepKind(
        "Map", "what a map holds at a place on it, 1 across a tile", (("at", "uv"),), None, "map", _map_read
    ),
    "height below": StepKind(
        "Height below",
        "the height of what lies below the coat, 0 to 1",
        (),
        None,
        ask=lambda a, pick, around: _below(around.height),
    ),
    "colour below": StepKind(
        "Colour below",
        "the colour of what lies below the coat",
        (),
        None,
        ask=lambda a, pick, around: _below(around.color),
    ),
    "coat": StepKind(
        "Coat below",
        "how much of a coat below shows, 0 to 1",
        (),
        None,
        "coat",
        lambda a, pick, around: around.coat(pick),
    ),
    "away": StepKind(
        "Distance",
        "metres from the viewer",
        (),
        lambda a, _: lib.length(lib.shared("camera_position", VEC3) - lib.attribute("world_position", VEC3)),
    ),
    "bend": StepKind(
        "Bend",
        "above 0 on edges, below 0 in hollows, at a size in metres",
        (("size", "0.05"),),
        lambda a, _: lib.clamp(lib.attribute("curvature", FLOAT) * a[0], -1.0, 1.0),
    ),
    "luck": StepKind("Luck of the prop", "a random number for each prop", (), lambda a, _: lib.instance("seed", FLOAT)),
    "shared": StepKind(
        "Shared dial", "a shared dial of the project", (), lambda a, pick: lib.shared(shared_name(pick)), "shared"
    ),
    "time": StepKind("Time", "seconds on the clock", (), lambda a, _: lib.shared(TIME)),
    "wind": StepKind("Wind", "how strongly it blows, 0 to 1", (), lambda a, _: lib.shared(WIND_STRENGTH)),
    "at vertices": StepKind(
        "At the vertices",
        "x, worked out at the mesh's vertices only: cheaper, and not exact for what bends between them",
        _X,
        lambda a, _: lib.per_vertex(a[0], 2),
    ),
    "add": StepKind("Add", "a + b", _AB, _binary(lambda a, b: a + b)),
    "subtract": StepKind("Subtract", "a − b", _AB, _binary(lambda a, b: a - b)),
    "multiply": StepKind("Multiply", "a · b", _AB, _binary(lambda a, b: a * b)),
    "divide": StepKind("Divide", "a / b", _AB, _divided),
    "mix": StepKind(
        "Mix", "from a to b by t", (("a", "0"), ("b", "1"), ("t", "0.5")), lambda a, _: lib.lerp(a[0], a[1], a[2])
    ),
    "least": StepKind("The smaller", "of a and b", _AB, _binary(lib.minimum)),
    "most": StepKind("The larger", "of a and b", _AB, _binary(lib.maximum)),
    "keep": StepKind(
        "Keep within",
        "x no lower than low and no higher than high",
        (("x", "0"), ("low", "0"), ("high", "1")),
        lambda a, _: lib.clamp(a[0], a[1], a[2]),
    ),
    "between": StepKind(
        "Straight between", "0 at from, 1 at to", (("x", "0"), ("from", "0"), ("to", "1")), _steps_between
    ),
    "ease": StepKind(
        "Ease between",
        "0 at from, 1 at to, softly",
        (("x", "0"), ("from", "0"), ("to", "1")),
        lambda a, _: lib.smoothstep(a[1], a[2], a[0]),
    ),
    "invert": StepKind("Invert", "1 − x", _X, lambda a, _: 1.0 - a[0]),
    "size": StepKind("Without sign", "x, never below 0", _X, _unary("abs")),
    "power": StepKind(
        "Power",
        "x to the power of n",
        (("x", "0.5"), ("n", "2")),
        lambda a, _: lib.power(lib.maximum(a[0], 1e-6), a[1]),
    ),
    "wave": StepKind(
        "Wave", "a sine of x, once a unit, 0 to 1", _X, lambda a, _: lib.unary("sin", a[0] * 6.2831853) * 0.5 + 0.5
    ),
    "whole": StepKind("Whole part", "the next whole number down", _X, _unary("floor")),
    "rest": StepKind("Rest", "what is left after the whole part", _X, _unary("fract")),
    "clouds": StepKind(
        "Clouds",
        "soft noise at a point, 0 to 1",
        (("point", "position"), ("metres", "0.5")),
        lambda a, _: lib.fbm(a[0] / a[1], 4, 1) * 0.5 + 0.5,
    ),
    "ridges": StepKind(
        "Ridges",
        "sharp noise at a point, 0 to 1",
        (("point", "position"), ("metres", "0.5")),
        lambda a, _: lib.ridges(a[0] / a[1], 4, 1),
    ),
    "cells": StepKind(
        "Cells",
        "rounded cells at a point",
        (("point", "position"), ("metres", "0.5")),
        lambda a, _: lib.cells(a[0] / a[1], 1).x,
    ),
    "cracks": StepKind(
        "Cracks",
        "lines between cells at a point",
        (("point", "position"), ("metres", "0.5")),
        lambda a, _: lib.clamp(lib.cells(a[0] / a[1], 1).y - lib.cells(a[0] / a[1], 1).x),
    ),
    "join": StepKind(
        "Join", "three numbers to a point", (("x", "0"), ("y", "0"), ("z", "0")), lambda a, _: combine(a[0], a[1], a[2])
    ),
    "colour": StepKind(
        "Colour",
        "a colour of a hue, a strength and a brightness, each 0 to 1",
        (("hue", "0.1"), ("strength", "0.5"), ("bright", "0.5")),
        _hue_color,
    ),
    "grey": StepKind(
        "Brightness of",
        "how bright a colour is, as people see it",
        (("colour", "position"),),
        lambda a, _: lib.luminance(a[0]),
    ),
    "length": StepKind("Length", "how long a point's way is", (("point", "position"),), lambda a, _: lib.length(a[0])),
    "recipe": StepKind("Recipe", "another recipe with its own inputs", (), lambda a, _: a[0], "recipe"),
}
