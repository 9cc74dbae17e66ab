"""The first and the last step of a chain over a map's texels: interpolate the mesh there, put the results away."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import cache

import numpy as np

from jade_coat.program.machine import BlockCall, Compiled, address, rows, step_function
from jade_coat.program.types import Array

_LANES = 8
_FLOATS = f"<{_LANES} x float>"


def interpolation_step(
    values: Array, triangles: Array, owner: Array, weights: Array, out: Array, signs: Sequence[int]
) -> BlockCall:
    """Interpolate `values` over the triangles `(m, 3)` that `owner` `(n,)` picks, into the rows of `out` `(k, …)`.

    `values` lie in what `room_for` gives; `weights` `(n, 2)` belong to a triangle's second and third corner; columns in
    `signs` become −1, 0 or 1. A row of `out` holds a multiple of eight floats in one piece.
    """
    arrays = (values, np.ascontiguousarray(triangles, np.int64), np.ascontiguousarray(owner, np.int32),
              np.ascontiguousarray(weights, np.float32))  # fmt: skip
    return BlockCall(
        _interpolation(len(out), tuple(signs)), [*(address(a) for a in arrays), *rows(out)], (*arrays, out)
    )


def room_for(count: int, width: int) -> Array:
    """Zeros for as many rows of `width` values, `(count, k) float32`: `k` is the next multiple of eight."""
    return np.zeros((count, -(-width // _LANES) * _LANES), np.float32)


def scatter_step(places: Array, values: Array, out: Array) -> BlockCall:
    """Write rows `(k, …)` of a block into the columns `places` `(n,)`, rising, of `out` `(k, m)`."""
    arrays = (np.ascontiguousarray(places, np.int64), values, out)
    assert len(values) == len(out)
    return BlockCall(_scatter(), [address(arrays[0]), len(out), *rows(values), *rows(out)], arrays)


@cache
def _scatter() -> Compiled:
    return step_function(_SCATTER, "scatter")


_SCATTER = """
define void @scatter(ptr %arguments, i64 %start, i64 %count) {
entry:
  %places = load ptr, ptr %arguments
  %kp = getelementptr i64, ptr %arguments, i64 1
  %k = load i64, ptr %kp
  %sources = getelementptr i64, ptr %arguments, i64 2
  %targets = getelementptr i64, ptr %sources, i64 %k
  %mine = getelementptr i64, ptr %places, i64 %start
  %first = load i64, ptr %mine
  %last_i = sub i64 %count, 1
  %last_p = getelementptr i64, ptr %mine, i64 %last_i
  %last = load i64, ptr %last_p
  %span = sub i64 %last, %first
  %whole = icmp eq i64 %span, %last_i
  %bytes = mul i64 %count, 4
  br label %row
row:
  %r = phi i64 [ 0, %entry ], [ %r1, %row_end ]
  %more = icmp slt i64 %r, %k
  br i1 %more, label %inside, label %done
inside:
  %sp = getelementptr ptr, ptr %sources, i64 %r
  %source = load ptr, ptr %sp
  %tp = getelementptr ptr, ptr %targets, i64 %r
  %target = load ptr, ptr %tp
  br i1 %whole, label %copy, label %each
copy:
  %to = getelementptr float, ptr %target, i64 %first
  call void @llvm.memcpy.p0.p0.i64(ptr %to, ptr %source, i64 %bytes, i1 false)
  br label %row_end
each:
  %i = phi i64 [ 0, %inside ], [ %i1, %each ]
  %vp = getelementptr float, ptr %source, i64 %i
  %v = load float, ptr %vp
  %pp = getelementptr i64, ptr %mine, i64 %i
  %p = load i64, ptr %pp
  %op = getelementptr float, ptr %target, i64 %p
  store float %v, ptr %op
  %i1 = add i64 %i, 1
  %again = icmp slt i64 %i1, %count
  br i1 %again, label %each, label %row_end
row_end:
  %r1 = add i64 %r, 1
  br label %row
done:
  ret void
}
declare void @llvm.memcpy.p0.p0.i64(ptr, ptr, i64, i1)
"""


@cache
def _interpolation(width: int, signs: tuple[int, ...]) -> Compiled:
    return step_function(_interpolation_text(width, signs), "interpolate")


# Long: the text of one loop.
def _interpolation_text(width: int, signs: tuple[int, ...]) -> str:
    """Eight points a step: each point's values are mixed side by side, then rows and columns are turned over."""
    groups = -(-width // _LANES)
    lines: list[str] = []

    def put(name: str, text: str) -> str:
        lines.append(f"  %{name} = {text}")
        return f"%{name}"

    for j in range(_LANES):
        put(f"n{j}", f"add i64 %at, {j}")
        put(f"m{j}", f"call i64 @llvm.smin.i64(i64 %n{j}, i64 %final)")  # the last points once more, not beyond them
        put(f"i{j}", f"add i64 %m{j}, %start")
        put(f"op{j}", f"getelementptr i32, ptr %owner, i64 %i{j}")
        put(f"o{j}", f"load i32, ptr %op{j}")
        put(f"t{j}", f"sext i32 %o{j} to i64")
        put(f"tp{j}", f"getelementptr [3 x i64], ptr %triangles, i64 %t{j}")
        put(f"share{j}", f"getelementptr [2 x float], ptr %weights, i64 %i{j}")
        for c, name in enumerate("abc"):
            put(f"{name}p{j}", f"getelementptr i64, ptr %tp{j}, i64 {c}")
            put(f"{name}{j}", f"load i64, ptr %{name}p{j}")
            put(f"{name}v{j}", f"getelementptr [{groups * _LANES} x float], ptr %values, i64 %{name}{j}")
        for c, name in enumerate("vw"):
            put(f"{name}p{j}", f"getelementptr float, ptr %share{j}, i64 {c}")
            put(f"{name}s{j}", f"load float, ptr %{name}p{j}")
        put(f"us0{j}", f"fsub float 1.0, %vs{j}")
        put(f"us{j}", f"fsub float %us0{j}, %ws{j}")
        for name in "uvw":
            put(f"{name}i{j}", f"insertelement {_FLOATS} poison, float %{name}s{j}, i32 0")
            spread = f"shufflevector {_FLOATS} %{name}i{j}, {_FLOATS} poison, <{_LANES} x i32> zeroinitializer"
            put(f"{name}{j}x", spread)
    for g in range(groups):
        current = []
        for j in range(_LANES):
            parts = []
            for name, share in zip("abc", "uvw", strict=True):
                put(f"g{g}{name}p{j}", f"getelementptr {_FLOATS}, ptr %{name}v{j}, i64 {g}")
                put(f"g{g}{name}{j}", f"load {_FLOATS}, ptr %g{g}{name}p{j}, align 4")
                parts.append(put(f"g{g}{name}m{j}", f"fmul {_FLOATS} %g{g}{name}{j}, %{share}{j}x"))
            put(f"g{g}s{j}", f"fadd {_FLOATS} {parts[0]}, {parts[1]}")
            current.append(put(f"g{g}r{j}", f"fadd {_FLOATS} %g{g}s{j}, {parts[2]}"))
        current = _turned_over(put, current, f"g{g}")
        for lane, row in enumerate(current):
            column = g * _LANES + lane
            if column >= width:
                break
            value = _sign(put, row, f"k{column}") if column in signs else row
            put(f"out{column}", f"getelementptr float, ptr %row{column}, i64 %at")
            lines.append(f"  store {_FLOATS} {value}, ptr %out{column}, align 4")
    names = ["values", "triangles", "owner", "weights", *(f"row{k}" for k in range(width))]
    arguments = "\n".join(
        f"  %{n}_p = getelementptr ptr, ptr %arguments, i64 {i}\n  %{n} = load ptr, ptr %{n}_p"
        for i, n in enumerate(names)
    )
    body = "\n".join(lines)
    return f"""
define void @interpolate(ptr %arguments, i64 %start, i64 %count) {{
entry:
{arguments}
  %final = sub i64 %count, 1
  br label %body
body:
  %at = phi i64 [ 0, %entry ], [ %next, %body ]
{body}
  %next = add i64 %at, {_LANES}
  %more = icmp slt i64 %next, %count
  br i1 %more, label %body, label %done
done:
  ret void
}}
declare i64 @llvm.smin.i64(i64, i64)
"""


def _turned_over(put: Callable[[str, str], str], current: list[str], name: str) -> list[str]:
    """Eight vectors as a square with rows and columns exchanged: three rounds of riffling the halves."""
    low = ", ".join(f"i32 {i // 2 + (i % 2) * _LANES}" for i in range(_LANES))
    high = ", ".join(f"i32 {i // 2 + _LANES // 2 + (i % 2) * _LANES}" for i in range(_LANES))
    for turn in range(3):
        after: list[str] = []
        for i in range(_LANES // 2):
            a, b = current[i], current[i + _LANES // 2]
            for half, mask in (("l", low), ("h", high)):
                text = f"shufflevector {_FLOATS} {a}, {_FLOATS} {b}, <{_LANES} x i32> <{mask}>"
                after.append(put(f"{name}x{turn}{half}{i}", text))
        current = after
    return current


def _sign(put: Callable[[str, str], str], row: str, name: str) -> str:
    put(f"{name}u", f"fcmp ogt {_FLOATS} {row}, zeroinitializer")
    put(f"{name}d", f"fcmp olt {_FLOATS} {row}, zeroinitializer")
    truth = f"<{_LANES} x i1>"
    put(f"{name}l", f"select {truth} %{name}d, {_FLOATS} splat (float -1.0), {_FLOATS} zeroinitializer")
    return put(f"{name}s", f"select {truth} %{name}u, {_FLOATS} splat (float 1.0), {_FLOATS} %{name}l")
