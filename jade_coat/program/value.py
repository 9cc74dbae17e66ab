"""Values: the frozen, hash-consed nodes of a material program, with Python operators."""

from __future__ import annotations

import math
import threading
import weakref
from collections.abc import Callable, Container, Hashable, Iterator, Sequence
from dataclasses import dataclass
from typing import Any, Union

import numpy as np

from jade_coat.program.types import FLOAT, FLOAT_BY_SIZE, Type

Operand = Union["Value", float, Sequence[float]]


class TypeMismatch(TypeError):
    """An operation was given arguments of types it has no meaning for."""


@dataclass(frozen=True)
class TextureRef:
    """A texture a program reads: its name, and whether its RGB is sRGB-encoded colour."""

    name: str
    is_color: bool = False


class Value:
    """One node: an op, its arguments, a static payload, and the type that follows.

    Two equal nodes are one object, so comparing by identity compares by structure. Build values with operators,
    with the functions in `jade_coat.program.lib`, or with `make`.
    """

    __slots__ = ("__weakref__", "args", "op", "static", "type")

    op: str
    args: tuple[Value, ...]
    static: Any
    type: Type

    def __init__(self) -> None:
        raise TypeError("Values are interned: use make(op, args, static)")

    def __setattr__(self, name: str, value: object) -> None:
        raise AttributeError("Values are frozen")

    def __repr__(self) -> str:
        static = f" {self.static!r}" if self.static is not None else ""
        return f"<{self.type.name} {self.op}{static} of {len(self.args)}>"

    def __add__(self, other: Operand) -> Value:
        return _arith("add", self, other)

    def __radd__(self, other: Operand) -> Value:
        return _arith("add", other, self)

    def __sub__(self, other: Operand) -> Value:
        return _arith("sub", self, other)

    def __rsub__(self, other: Operand) -> Value:
        return _arith("sub", other, self)

    def __mul__(self, other: Operand) -> Value:
        return _arith("mul", self, other)

    def __rmul__(self, other: Operand) -> Value:
        return _arith("mul", other, self)

    def __truediv__(self, other: Operand) -> Value:
        return _arith("div", self, other)

    def __rtruediv__(self, other: Operand) -> Value:
        return _arith("div", other, self)

    def __neg__(self) -> Value:
        return make("neg", (self,))

    def __getattr__(self, name: str) -> Value:
        """`v.x`, `v.zyx`, `v.rgb`: a swizzle."""
        return swizzle(self, name)


_interned: weakref.WeakValueDictionary[tuple[Hashable, ...], Value] = weakref.WeakValueDictionary()
_lock = threading.Lock()


Result = Callable[[tuple[Type, ...], Hashable], Type]
RESULTS: dict[str, Result] = {}
VARYING = frozenset({"attribute", "texture", "texture_level"})
"""Ops that give another value at each point of a mesh."""
"""The type that each op gives for types of arguments and a payload. The ops are declared in terms of this module, and
put themselves in here."""


def make(op: str, args: Sequence[Value] = (), static: Hashable = None) -> Value:
    """Return the one node for this op, these arguments and this payload; TypeMismatch if its types do not fit."""
    arguments = tuple(args)
    key = (op, arguments, static)
    there = _interned.get(key)
    if there is not None:
        return there
    kind = RESULTS[op](tuple(a.type for a in arguments), static)
    with _lock:
        found = _interned.get(key)
        if found is None:
            found = object.__new__(Value)
            for name, content in (("op", op), ("args", arguments), ("static", static), ("type", kind)):
                object.__setattr__(found, name, content)
            _interned[key] = found
    return found


def const(*components: float) -> Value:
    """A float or vector constant. Raises ValueError for NaN and infinity, which GLSL has no literal for."""
    floats = tuple(float(np.float32(c)) + 0.0 for c in components)  # + 0.0: -0 becomes 0
    if not all(math.isfinite(f) for f in floats):
        raise ValueError(f"A constant must be finite, got {components}")
    return make("const", (), floats)


def as_value(operand: Operand) -> Value:
    """Turn a number or a sequence of up to four numbers into a constant; pass values through."""
    if isinstance(operand, Value):
        return operand
    if isinstance(operand, (int, float)):
        return const(operand)
    return const(*operand)


def splat(value: Value, kind: Type) -> Value:
    """Spread a float over all components of `kind`; a value of that type passes through."""
    if value.type is kind or value.type != FLOAT:
        return value
    if value.op == "const":
        return const(*value.static * kind.size)
    return make("splat", (value,), kind.size)


def unify(*operands: Operand) -> tuple[Value, ...]:
    """Turn operands into values and spread scalars to the widest vector among them."""
    values = tuple(as_value(o) for o in operands)
    widest = max((v.type for v in values), key=lambda t: t.size)
    return tuple(splat(v, widest) for v in values) if widest.is_float else values


def _arith(op: str, left: Operand, right: Operand) -> Value:
    return make(op, unify(left, right))


def combine(*parts: Operand) -> Value:
    """Join floats and vectors into one vector of two to four components."""
    return make("combine", tuple(as_value(p) for p in parts))


_LETTERS = {"x": 0, "y": 1, "z": 2, "w": 3, "r": 0, "g": 1, "b": 2, "a": 3}


def swizzle(value: Value, letters: str) -> Value:
    """Pick components by letter, as in GLSL: xyzw or rgba."""
    if not letters or len(letters) > 4 or any(c not in _LETTERS for c in letters):
        raise AttributeError(letters)
    return make("swizzle", (value,), tuple(_LETTERS[c] for c in letters))


def walk(roots: Sequence[Value], without: Container[Value] = ()) -> Iterator[Value]:
    """Every node the roots reach, each once, arguments before their users; not beyond the nodes in `without`."""
    seen: set[Value] = set()
    stack = [r for r in reversed(roots) if r not in without]
    while stack:
        node = stack[-1]
        if node in seen:
            stack.pop()
            continue
        first = [a for a in node.args if a not in seen and a not in without]
        if first:
            stack += first[::-1]
        else:
            stack.pop()
            seen.add(node)
            yield node


__all__ = [
    "FLOAT_BY_SIZE", "Operand", "TextureRef", "TypeMismatch", "Value", "as_value", "combine", "const", "make",
    "splat", "swizzle", "unify", "walk",
]  # fmt: skip
