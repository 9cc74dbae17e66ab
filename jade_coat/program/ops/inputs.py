"""Ops that bring values in: constants, dials, shared values, prop values, mesh attributes and textures."""

from __future__ import annotations

from collections.abc import Hashable

import numpy as np

from jade_coat.program.ops.record import Op, Samples
from jade_coat.program.types import FLOAT_BY_SIZE, VEC2, VEC4, Array, Type
from jade_coat.program.value import TextureRef, TypeMismatch


def _const_rule(types: tuple[Type, ...], static: Hashable) -> Type:
    if types or not isinstance(static, tuple) or len(static) not in FLOAT_BY_SIZE:
        raise TypeMismatch(f"expected one to four numbers, got {static!r}")
    return FLOAT_BY_SIZE[len(static)]


def _named(types: tuple[Type, ...], static: Hashable) -> Type:
    if types or not (isinstance(static, tuple) and len(static) == 2 and isinstance(static[1], Type)):
        raise TypeMismatch(f"expected a (name, type) payload, got {static!r}")
    return static[1]


def _texture_rule(types: tuple[Type, ...], static: Hashable) -> Type:
    if types not in ((VEC2,), (VEC2, VEC2)) or not isinstance(static, TextureRef):
        raise TypeMismatch("expected a UV position, and perhaps the smooth one that it jumps about")
    return VEC4


def _level_rule(types: tuple[Type, ...], static: Hashable) -> Type:
    there = isinstance(static, tuple) and len(static) == 2 and isinstance(static[0], TextureRef)
    if types != (VEC2,) or not there:
        raise TypeMismatch("expected a UV position, and the texture with its level")
    return VEC4


def _mean_rule(types: tuple[Type, ...], static: Hashable) -> Type:
    if types or not isinstance(static, TextureRef):
        raise TypeMismatch("expected a texture")
    return VEC4


def _const_numpy(static: tuple[float, ...]) -> Array:
    return np.array(static, np.float32)[:, None]


def _const_glsl(static: tuple[float, ...]) -> str:
    numbers = [number(v) for v in static]
    return numbers[0] if len(numbers) == 1 else f"vec{len(numbers)}({', '.join(numbers)})"


def number(value: float) -> str:
    """A GLSL literal that reads back as the same 32-bit float."""
    text = f"{float(np.float32(value)):.9g}"
    return text if any(c in text for c in ".e") else text + ".0"


DECLARED = (
    Op(
        "const", _const_rule, "A number or vector known when the program is built.", _const_numpy, _const_glsl,
        cost=0.0, samples=Samples(statics=((0.5,), (1e-7, -3.25), (0.1, 2.0, 3e8), (1.0, 0.0, 4.0, 1 / 3))),
    ),
    Op("dial", _named, "A value exposed from the material, read from the prop's row.", cost=0.5),
    Op("shared", _named, "A value common to the whole picture: time, camera position, a shared dial.", cost=0.0),
    Op("instance", _named, "A value of the prop being drawn, such as the metres one UV unit spans.", cost=0.0),
    Op("attribute", _named, "A mesh attribute, interpolated over the triangle.", cost=0.0),
    Op(
        "given", _named, "A value that whoever runs the program hands in at each pixel: where a decal lies on what.",
        cost=0.0,
    ),
    Op(
        "texture", _texture_rule,
        "Four channels of a texture at a UV position; colour is decoded to linear. A second position, smooth where the"
        " first one jumps, chooses the mip level.",
        cost=12.0, source="GLSL 3.30 specification; IEC 61966-2-1 for colour",
    ),
    Op(
        "texture_level", _level_rule,
        "Four channels of a texture at a UV position, out of one level by its number: what the vertex stage can read.",
        cost=12.0, source="GLSL 3.30 specification: textureLod",
    ),
    Op("texture_mean", _mean_rule, "The mean of a texture's texels, colour in linear light.", cost=0.0),
)  # fmt: skip
