"""Bilinear texture reads for the NumPy back end."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from functools import cache
from typing import TypedDict

import numpy as np

from jade_coat.maps.packing import Texture
from jade_coat.program import TextureRef
from jade_coat.program.machine import BlockCall, Compiled, address, rows, step_function
from jade_coat.program.types import Array

Fetch = Callable[[TextureRef, Array], Array]
_LANES = 4


class Reading(TypedDict):
    """The parts of an Environment that read textures."""

    fetch: Fetch
    mean: Callable[[TextureRef], Array]
    fetch_level: Callable[[TextureRef, int, Array], Array]


def bilinear(wrapped: Array, uv: Array) -> Array:
    """Read texels with one wrapped texel around them, `(h + 2, w + 2, 4) float32`, at `uv` `(2, n)`; `(4, n) float32`.

    Repeats beyond 0–1; v = 0 is the first row. A read at NaN or infinity gives some texel.
    """
    count = uv.shape[1]
    padded = -(-count // _LANES) * _LANES
    at = np.zeros((2, padded), np.float32)
    at[:, :count] = uv
    out = np.empty((4, padded), np.float32)
    read_step((wrapped,), at, (out,)).run(0, count)
    return out[:, :count]


def read_step(wrapped: Sequence[Array], at: Array, out: Sequence[Array]) -> BlockCall:
    """Bilinear reads of pictures of one size as a step of a chain: at the two rows of `at`, into four rows each.

    Rows hold a multiple of four floats, each in one piece.
    """
    height, width = wrapped[0].shape[0] - 2, wrapped[0].shape[1] - 2
    texels = [np.ascontiguousarray(w, np.float32) for w in wrapped]
    arguments = [width, height, *rows(at)]
    for picture, target in zip(texels, out, strict=True):
        arguments += [address(picture), *rows(target)]
    return BlockCall(_reader(len(texels)), arguments, (*texels, at, *out))


def read_steps(pictures: Sequence[tuple[Array, Array]], at: Array) -> list[BlockCall]:
    """Reads of several pictures at the same places, each into its own rows: those of one size in one step."""
    by_size: dict[tuple[int, ...], list[tuple[Array, Array]]] = {}
    for wrapped, out in pictures:
        by_size.setdefault(wrapped.shape, []).append((wrapped, out))
    return [read_step([w for w, _ in group], at, [o for _, o in group]) for group in by_size.values()]


def reading(textures: Mapping[str, Texture], level: Callable[[Texture], int] | None = None) -> Reading:
    """How an Environment reads textures; `level` picks the mip level of each (default: the largest)."""

    def fetch(reference: TextureRef, uv: Array) -> Array:
        texture = textures[reference.name]
        return bilinear(texture.wrapped(level(texture) if level else 0), uv)

    def fetch_level(reference: TextureRef, level: int, uv: Array) -> Array:
        texture = textures[reference.name]
        return bilinear(texture.wrapped(min(level, len(texture.levels) - 1)), uv)

    return {
        "fetch": fetch, "mean": lambda reference: textures[reference.name].mean[:, None], "fetch_level": fetch_level,
    }  # fmt: skip


@cache
def _reader(pictures: int) -> Compiled:
    return step_function(_text(pictures), "read")


# Long: the text of one loop.
def _text(pictures: int) -> str:
    """Four points a step: their texels are read and mixed as vectors of four channels, then turned over."""
    lines: list[str] = []
    floats, wholes = "<4 x float>", "<4 x i32>"

    def put(name: str, text: str) -> None:
        lines.append(f"  %{name} = {text}")

    for axis, size in (("x", "width"), ("y", "height")):
        put(f"{axis}p", f"getelementptr float, ptr %{axis}s, i64 %at")
        put(f"{axis}u", f"load {floats}, ptr %{axis}p, align 4")
        put(f"{axis}d", f"call {floats} @llvm.floor.v4f32({floats} %{axis}u)")
        put(f"{axis}r", f"fsub {floats} %{axis}u, %{axis}d")
        put(f"{axis}m", f"fmul {floats} %{axis}r, %{size}_f")
        put(f"{axis}t", f"fadd {floats} %{axis}m, splat (float 5.0e-1)")
        put(f"{axis}l", f"call {floats} @llvm.floor.v4f32({floats} %{axis}t)")
        put(f"{axis}f", f"fsub {floats} %{axis}t, %{axis}l")
        put(f"{axis}n", f"call {wholes} @llvm.fptosi.sat.v4i32.v4f32({floats} %{axis}l)")
        put(f"{axis}c", f"call {wholes} @llvm.smin.v4i32({wholes} %{axis}n, {wholes} %{size}_v)")
        put(f"{axis}i", f"call {wholes} @llvm.smax.v4i32({wholes} %{axis}c, {wholes} zeroinitializer)")
    for lane in range(_LANES):
        for axis in "xy":
            put(f"{axis}{lane}s", f"extractelement {wholes} %{axis}i, i32 {lane}")
            put(f"{axis}{lane}", f"sext i32 %{axis}{lane}s to i64")
            put(
                f"{axis}f{lane}",
                f"shufflevector {floats} %{axis}f, {floats} poison, {wholes} <{', '.join([f'i32 {lane}'] * 4)}>",
            )
        put(f"row{lane}", f"mul i64 %y{lane}, %stride")
        put(f"index{lane}", f"add i64 %row{lane}, %x{lane}")
        put(f"below{lane}", f"add i64 %index{lane}, %stride")
    for n in range(pictures):
        for lane in range(_LANES):
            for corner, base, step in (("a", "index", 0), ("b", "index", 1), ("c", "below", 0), ("d", "below", 1)):
                put(f"{corner}p{n}_{lane}", f"getelementptr {floats}, ptr %texels{n}, i64 %{base}{lane}")
                put(f"{corner}q{n}_{lane}", f"getelementptr {floats}, ptr %{corner}p{n}_{lane}, i64 {step}")
                put(f"{corner}{n}_{lane}", f"load {floats}, ptr %{corner}q{n}_{lane}, align 4")
            for name, first, second, share in (
                ("top", "a", "b", "xf"),
                ("end", "c", "d", "xf"),
                ("all", "top", "end", "yf"),
            ):
                put(f"{name}d{n}_{lane}", f"fsub {floats} %{second}{n}_{lane}, %{first}{n}_{lane}")
                put(f"{name}m{n}_{lane}", f"fmul {floats} %{name}d{n}_{lane}, %{share}{lane}")
                put(f"{name}{n}_{lane}", f"fadd {floats} %{first}{n}_{lane}, %{name}m{n}_{lane}")
        for pair, (left, right) in enumerate(((0, 1), (2, 3))):
            for half, picks in (("low", (0, 4, 1, 5)), ("high", (2, 6, 3, 7))):
                put(f"{half}{n}_{pair}", _shuffle(f"%all{n}_{left}", f"%all{n}_{right}", picks))
        for channel, (half, picks) in enumerate(
            (("low", (0, 1, 4, 5)), ("low", (2, 3, 6, 7)), ("high", (0, 1, 4, 5)), ("high", (2, 3, 6, 7)))
        ):
            put(f"channel{n}_{channel}", _shuffle(f"%{half}{n}_0", f"%{half}{n}_1", picks))
            put(f"out{n}_{channel}", f"getelementptr float, ptr %row{n}{'abcd'[channel]}, i64 %at")
            lines.append(f"  store {floats} %channel{n}_{channel}, ptr %out{n}_{channel}, align 4")
    body = "\n".join(lines)
    splats = "\n".join(
        f"""  %{size}_w = trunc i64 %{size} to i32
  %{size}_i = insertelement {wholes} poison, i32 %{size}_w, i32 0
  %{size}_v = shufflevector {wholes} %{size}_i, {wholes} poison, {wholes} zeroinitializer
  %{size}_f = sitofp {wholes} %{size}_v to {floats}"""
        for size in ("width", "height")
    )
    names = [("width", "i64"), ("height", "i64"), ("xs", "ptr"), ("ys", "ptr")]
    for n in range(pictures):
        names += [(f"texels{n}", "ptr"), *((f"row{n}{c}", "ptr") for c in "abcd")]
    arguments = "\n".join(
        f"  %{name}_p = getelementptr i64, ptr %arguments, i64 {i}\n  %{name} = load {kind}, ptr %{name}_p"
        for i, (name, kind) in enumerate(names)
    )
    return f"""
define void @read(ptr %arguments, i64 %start, i64 %count) {{
entry:
{arguments}
  %rounded = add i64 %count, {_LANES - 1}
  %steps = udiv i64 %rounded, {_LANES}
  %stride = add i64 %width, 2
{splats}
  %any = icmp ugt i64 %steps, 0
  br i1 %any, label %body, label %done
body:
  %step = phi i64 [ 0, %entry ], [ %next, %body ]
  %at = mul i64 %step, {_LANES}
{body}
  %next = add i64 %step, 1
  %more = icmp ult i64 %next, %steps
  br i1 %more, label %body, label %done
done:
  ret void
}}
declare {floats} @llvm.floor.v4f32({floats})
declare {wholes} @llvm.fptosi.sat.v4i32.v4f32({floats})
declare {wholes} @llvm.smin.v4i32({wholes}, {wholes})
declare {wholes} @llvm.smax.v4i32({wholes}, {wholes})
"""


def _shuffle(first: str, second: str, picks: tuple[int, ...]) -> str:
    mask = ", ".join(f"i32 {p}" for p in picks)
    return f"shufflevector <4 x float> {first}, <4 x float> {second}, <4 x i32> <{mask}>"
