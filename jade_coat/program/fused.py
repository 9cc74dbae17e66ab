"""Runs the NumPy meaning of many ops as one compiled loop.

Each op's NumPy function is called once on stand-ins for arrays, which write down what it does to one row of values;
what all of them did becomes one loop of machine code over sixteen points at a time. Finite results equal those of
`numpy_backend.evaluate` bit for bit: the same operations run in the same order and precision. Ops that do more than
arithmetic (a texture read, a power) stay NumPy calls between the loops.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np

from jade_coat.program.machine import PITCH, BlockCall, rows, step_function
from jade_coat.program.numpy_backend import Environment, Outputs, read_outside, value_of
from jade_coat.program.ops import OPS
from jade_coat.program.tracing import _LLVM, _SCALAR, WIDTH, _Code, _input, _Rows, _rows_of, _traced, traceable
from jade_coat.program.types import Array
from jade_coat.program.value import VARYING, TextureRef, Value, walk


class _Loop:
    """One compiled loop: the nodes it reads, those it writes, and how many rows each has."""

    def __init__(self, nodes: Sequence[Value], wide: Sequence[Value], slow: Sequence[Value],
                 written: Sequence[Value]) -> None:  # fmt: skip
        self.wide, self.slow, self.written = wide, slow, written
        code = _Code()
        known: dict[Value, _Rows] = {}
        for position, node in enumerate(wide):
            known[node] = _input(code, node, position, "in")
        for position, node in enumerate(slow):
            known[node] = (
                _rows_of(code, OPS["const"].numpy(node.static))  # type: ignore[misc]
                if node.op == "const" else _input(code, node, position, "slow")
            )  # fmt: skip
        for node in nodes:
            known[node] = _traced(node, [known[a] for a in node.args])
        self._function = step_function(_text(code, wide, slow, [(n, known[n]) for n in written]), "loop")

    def step(self, values: Mapping[Value, Array], outputs: Sequence[Array]) -> BlockCall:
        """The loop as a step on arrays that are there: rows of a multiple of `WIDTH` elements, each in one piece."""
        inputs = [values[n] for n in self.wide]
        slow = [np.ascontiguousarray(_stored(values[n])) for n in self.slow if n.op != "const"]
        arguments = [row for array in (*inputs, *slow, *outputs) for row in rows(array)]
        return BlockCall(self._function, arguments, (*inputs, *slow, *outputs))

    def run(self, values: dict[Value, Array], count: int) -> None:
        """Work out the written nodes for `count` points and put them among the values."""
        padded = -(-count // WIDTH) * WIDTH
        outputs = [np.empty((n.type.size, padded), _stored_dtype(n)) for n in self.written]
        inputs = {n: _padded(_stored(values[n]), padded) for n in self.wide}
        self.step({**values, **inputs}, outputs).run(0, count)
        for node, array in zip(self.written, outputs, strict=True):
            values[node] = array[:, :count].astype(node.type.dtype, copy=False)


def _stored_dtype(node: Value) -> Any:
    return np.uint32 if node.type.dtype is np.bool_ else node.type.dtype


def _stored(array: Array) -> Array:
    return array.astype(np.uint32) if array.dtype == np.bool_ else array


def _padded(array: Array, count: int) -> Array:
    """An array of `count` points, its rows each in one piece; the array itself where it is so already."""
    if array.shape[1] == count and array.strides[1] == array.itemsize:
        return array
    longer = np.zeros((array.shape[0], count), array.dtype)
    longer[:, : array.shape[1]] = array
    return longer


# Long: the text of one loop.
def _text(code: _Code, wide: Sequence[Value], slow: Sequence[Value], written: Sequence[tuple[Value, _Rows]]) -> str:
    before, loads, stores = [], [], []
    at = 0

    def base() -> str:
        """The next address among the arguments."""
        before.extend([f"  %p{at} = getelementptr ptr, ptr %arguments, i64 {at}", f"  %b{at} = load ptr, ptr %p{at}"])
        return f"%b{at}"

    for p, node in enumerate(wide):
        scalar = _SCALAR["f" if node.type.is_float else "u"]
        for i in range(node.type.size):
            loads += [
                f"  %ia{at} = getelementptr {scalar}, ptr {base()}, i64 %at",
                f"  %in_{p}_{i} = load <{WIDTH} x {scalar}>, ptr %ia{at}, align 4",
            ]
            at += 1
    for p, node in enumerate(slow):
        if node.op == "const":
            continue
        scalar = _SCALAR["f" if node.type.is_float else "u"]
        vector = f"<{WIDTH} x {scalar}>"
        for i in range(node.type.size):
            source = base()
            before += [
                f"  %sv{at} = load {scalar}, ptr {source}",
                f"  %si{at} = insertelement {vector} poison, {scalar} %sv{at}, i32 0",
                f"  %slow_{p}_{i} = shufflevector {vector} %si{at}, {vector} poison, <{WIDTH} x i32> zeroinitializer",
            ]  # fmt: skip
            at += 1
    for _, found in written:
        scalar = _SCALAR["f" if found.kind == "f" else "u"]
        for row in found.rows:
            value = row if found.kind != "b" else code.put(f"zext {_LLVM['b']} {row} to {_LLVM['u']}")
            stores += [
                f"  %oa{at} = getelementptr {scalar}, ptr {base()}, i64 %at",
                f"  store <{WIDTH} x {scalar}> {value}, ptr %oa{at}, align 4",
            ]
            at += 1
    declared = [f"declare {_LLVM['f']} @llvm.{n}.v{WIDTH}f32({_LLVM['f']})" for n in sorted(code.intrinsics)]
    return "\n".join([
        "define void @loop(ptr %arguments, i64 %start, i64 %count) {", "entry:", *before,
        f"  %rounded = add i64 %count, {WIDTH - 1}", f"  %steps = udiv i64 %rounded, {WIDTH}", "  br label %body",
        "body:", "  %step = phi i64 [ 0, %entry ], [ %next, %body ]",
        f"  %at = mul i64 %step, {WIDTH}", *loads, *code.lines, *stores, "  %next = add i64 %step, 1",
        "  %more = icmp ult i64 %next, %steps", "  br i1 %more, label %body, label %done", "done:", "  ret void", "}",
        *declared,
    ])  # fmt: skip


TextureSteps = Callable[[Sequence[tuple[TextureRef, Array]], Array], Sequence[BlockCall]]
"""Makes the steps that read textures, each into four rows of its own, at two rows of texture coordinates."""


class Plan:
    """A program made ready to run over many points: loops, and the NumPy calls between them."""

    def __init__(self, outputs: Outputs) -> None:
        self.outputs = dict(outputs)
        order = list(walk(list(outputs.values())))
        spread: dict[Value, bool] = {}
        stage: dict[Value, int] = {}
        in_loop: dict[Value, bool] = {}
        for node in order:
            spread[node] = node.op in VARYING or any(spread[a] for a in node.args)
            in_loop[node] = spread[node] and traceable(node)
            # a NumPy call's results are read by the loop after it
            stage[node] = max((stage[a] + (spread[a] and not in_loop[a]) for a in node.args), default=0)
        self._slow = [n for n in order if not spread[n]]
        used_by: dict[Value, list[Value]] = {}
        for node in order:
            for argument in node.args:
                used_by.setdefault(argument, []).append(node)
        roots = set(outputs.values())
        self._steps: list[tuple[_Loop | None, list[Value]]] = []
        for level in range(max(stage.values(), default=0) + 1):
            inside = [n for n in order if in_loop[n] and stage[n] == level]
            members = set(inside)
            if inside:
                needed = dict.fromkeys(a for n in inside for a in n.args if a not in members)
                written = [n for n in inside if n in roots or any(u not in members for u in used_by.get(n, ()))]
                self._steps.append(
                    (_Loop(inside, [n for n in needed if spread[n]], [n for n in needed if not spread[n]], written), [])
                )
            calls = [n for n in order if spread[n] and not in_loop[n] and stage[n] == level]
            self._steps.append((None, calls))

    def run(self, environment: Environment) -> dict[str, Array]:
        """As `numpy_backend.evaluate`, for the program this was made from."""
        values: dict[Value, Array] = {}
        with np.errstate(all="ignore"):
            for node in self._slow:
                values[node] = value_of(node, values, environment)
            count = _points(self._steps, environment)
            for loop, calls in self._steps:
                for node in calls:
                    found = value_of(node, values, environment)
                    values[node] = np.broadcast_to(found, (found.shape[0], count))
                if loop is not None:
                    loop.run(values, count)
        return {name: values[node] for name, node in self.outputs.items()}

    def chain(self, environment: Environment, attributes: Mapping[str, Array], read: TextureSteps) -> Chain | None:
        """The program as steps that work on blocks of points, fed by `attributes` `(k, PITCH)`; None if it cannot be.

        It cannot where an op between the loops is a NumPy call. Slow values are worked out now.
        """
        values: dict[Value, Array] = {}
        steps: list[BlockCall] = []
        with np.errstate(all="ignore"):
            for node in self._slow:
                values[node] = value_of(node, values, environment)
        for loop, calls in self._steps:
            at_one_place: dict[Value, list[tuple[TextureRef, Array]]] = {}
            for node in calls:
                if node.op == "attribute":
                    values[node] = attributes[node.static[0]]
                elif node.op == "texture" and values[node.args[0]].shape[1] == PITCH:
                    values[node] = np.empty((4, PITCH), np.float32)
                    at_one_place.setdefault(node.args[0], []).append((node.static, values[node]))
                else:
                    return None
            for place, wanted in at_one_place.items():
                steps += read(wanted, values[place])
            if loop is not None:
                written = [np.empty((n.type.size, PITCH), _stored_dtype(n)) for n in loop.written]
                steps.append(loop.step(values, written))
                values.update(zip(loop.written, written, strict=True))
        found = {name: values[node] for name, node in self.outputs.items()}
        return Chain(steps, {n: np.repeat(a, PITCH, axis=1) if a.shape[1] == 1 else a for n, a in found.items()})


@dataclass(frozen=True)
class Chain:
    """A program as steps on blocks, and the rows `(k, PITCH)` that hold its outputs after each block."""

    steps: Sequence[BlockCall]
    outputs: Mapping[str, Array]


def _points(steps: Sequence[tuple[_Loop | None, list[Value]]], environment: Environment) -> int:
    read = [read_outside(n, environment).shape[1] for _, calls in steps for n in calls if n.op == "attribute"]
    return max(read, default=1)


@lru_cache(maxsize=64)
def _plan(items: tuple[tuple[str, Value], ...]) -> Plan:
    return Plan(dict(items))


def plan(outputs: Mapping[str, Value]) -> Plan:
    """The plan of a program, made once for the few dozen used last."""
    return _plan(tuple(outputs.items()))
