"""What an op is: one record with its type rule, its two meanings, its cost and where it comes from."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from jade_coat.program.types import FLOAT, Array, Type
from jade_coat.program.value import TypeMismatch

TypeRule = Callable[[tuple[Type, ...], Hashable], Type]
SHADERS = Path(__file__).parent


@dataclass(frozen=True)
class Samples:
    """How to draw random arguments for the parity test: a range an argument, payloads to try, types of arguments."""

    ranges: tuple[tuple[float, float], ...] = ((-4.0, 4.0),)
    statics: tuple[Hashable, ...] = (None,)
    types: tuple[tuple[Type, ...], ...] = ()
    tolerance: float = 1e-5


@dataclass(frozen=True)
class Op:
    """One operation.

    `numpy(static, *args)` takes component-first arrays `(k, n)` or `(k, 1)`; `glsl` is a template with {0}, {1}, …
    for the arguments and {type} for the result's type, or a function of the payload giving one. An op that reads
    from outside (a dial, an attribute, a texture) has neither: the back ends supply its value.
    """

    name: str
    rule: TypeRule
    doc: str
    numpy: Callable[..., Array] | None = None
    glsl: str | Callable[[Any], str] | None = None
    cost: float = 1.0
    source: str = "GLSL 3.30 specification"
    helpers: tuple[str, ...] = ()
    samples: Samples = field(default_factory=Samples)

    @property
    def reads_outside(self) -> bool:
        """Whether the value comes from the scene rather than from the arguments."""
        return self.numpy is None

    def result(self, types: tuple[Type, ...], static: Hashable) -> Type:
        """The type this op gives for these argument types; TypeMismatch names the op and the types."""
        try:
            return self.rule(types, static)
        except TypeMismatch as error:
            got = ", ".join(t.name for t in types)
            raise TypeMismatch(f"{self.name}({got}): {error}") from None

    def template(self, static: Hashable) -> str:
        """The GLSL template for this payload."""
        if self.glsl is None:
            raise TypeMismatch(f"{self.name} has no GLSL expression of its own")
        return self.glsl if isinstance(self.glsl, str) else self.glsl(static)


def fixed(*arguments: Type, to: Type) -> TypeRule:
    """A rule with one set of argument types."""

    def rule(types: tuple[Type, ...], static: Hashable) -> Type:
        if types != arguments:
            raise TypeMismatch(f"expected ({', '.join(a.name for a in arguments)})")
        return to

    return rule


def same_floats(count: int, to: Type | None = None) -> TypeRule:
    """A rule for `count` arguments of one float type; the result has it too, unless `to` says otherwise."""

    def rule(types: tuple[Type, ...], static: Hashable) -> Type:
        if len(types) != count or len(set(types)) != 1 or not types[0].is_float:
            raise TypeMismatch(f"expected {count} arguments of one float type")
        return to or types[0]

    return rule


def float_types(types: Sequence[Type]) -> bool:
    """Whether all of these are floats or vectors of floats."""
    return all(t.is_float for t in types)


__all__ = ["FLOAT", "Op", "Samples", "TypeRule", "fixed", "float_types", "same_floats"]
