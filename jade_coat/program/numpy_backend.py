"""Evaluates programs with NumPy: component-first float32 arrays, scalars and slow values left unspread."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

import numpy as np

from jade_coat.program.ops import OPS
from jade_coat.program.types import Array, Type
from jade_coat.program.value import TextureRef, Value, walk

Outputs = Mapping[str, Value]
Fetch = Callable[[TextureRef, Array], Array]


def _no_textures(reference: TextureRef, uv: Array) -> Array:
    raise KeyError(f"no texture {reference.name!r} was given to evaluate with")


def _no_level(reference: TextureRef, level: int, uv: Array) -> Array:
    raise KeyError(f"no levels of the texture {reference.name!r} were given to evaluate with")


def _no_mean(reference: TextureRef) -> Array:
    raise KeyError(f"no mean of the texture {reference.name!r} was given to evaluate with")


@dataclass(frozen=True)
class Environment:
    """What a program reads from outside: arrays `(k, n)` or `(k, 1)` by name, and a way to read textures.

    `fetch(reference, uv)` takes `(2, n)` and returns `(4, n)`, colour already linear; `mean(reference)` returns
    `(4, 1)`; `fetch_level(reference, level, uv)` reads one level.
    """

    attributes: Mapping[str, Array] = field(default_factory=dict)
    dials: Mapping[str, Array] = field(default_factory=dict)
    shared: Mapping[str, Array] = field(default_factory=dict)
    instance: Mapping[str, Array] = field(default_factory=dict)
    fetch: Fetch = _no_textures
    mean: Callable[[TextureRef], Array] = _no_mean
    fetch_level: Callable[[TextureRef, int, Array], Array] = _no_level


def evaluate(outputs: Outputs, environment: Environment) -> dict[str, Array]:
    """Evaluate every output; each comes back as `(components, n)` or `(components, 1)`.

    Raises KeyError when the environment lacks something the program reads.
    """
    roots = list(outputs.values())
    order = list(walk(roots))
    uses: dict[Value, int] = dict.fromkeys(roots, 1)
    for node in order:
        for argument in node.args:
            uses[argument] = uses.get(argument, 0) + 1
    known: dict[Value, Array] = {}
    with np.errstate(all="ignore"):
        for node in order:
            known[node] = value_of(node, known, environment)
            for argument in node.args:
                uses[argument] -= 1
                if not uses[argument] and argument not in roots:
                    known.pop(argument, None)
    return {name: known[value] for name, value in outputs.items()}


def constant(node: Value) -> Array:
    """The `(components, 1)` value of a node whose arguments are all constants: folding uses the same meaning."""
    arguments = [np.array(a.static, a.type.dtype)[:, None] for a in node.args]
    with np.errstate(all="ignore"):
        return _meaning(node, arguments)


def _meaning(node: Value, arguments: list[Array]) -> Array:
    numpy = OPS[node.op].numpy
    if numpy is None:
        raise TypeError(f"{node.op} reads from the scene and has no NumPy meaning of its own")
    return numpy(node.static, *arguments)


def value_of(node: Value, known: Mapping[Value, Array], environment: Environment) -> Array:
    """One node's value, given those of its arguments; checked to have the node's type."""
    if node.op == "texture":
        assert isinstance(node.static, TextureRef)
        found = environment.fetch(node.static, np.ascontiguousarray(known[node.args[0]]))
    elif node.op == "texture_level":
        texture, level = node.static
        found = environment.fetch_level(texture, level, np.ascontiguousarray(known[node.args[0]]))
    elif node.op == "texture_mean":
        found = environment.mean(node.static)
    elif OPS[node.op].reads_outside:
        found = read_outside(node, environment)
    else:
        found = _meaning(node, [known[a] for a in node.args])
    if found.dtype != node.type.dtype or found.shape[0] != node.type.size:
        raise AssertionError(f"{node!r} gave {found.dtype} {found.shape}, expected {node.type}")
    return found


def read_outside(node: Value, environment: Environment) -> Array:
    """What a dial, shared value, prop value or attribute is. Raises KeyError when it was not given."""
    name, _ = node.static
    table = {
        "dial": environment.dials, "shared": environment.shared,
        "instance": environment.instance, "attribute": environment.attributes,
    }[node.op]  # fmt: skip
    if name not in table:
        raise KeyError(f"the program reads {node.op} {name!r}, which was not given")
    return _shaped(table[name], node.type, name)


def _shaped(array: Array, kind: Type, name: str) -> Array:
    array = np.asarray(array, kind.dtype)
    if array.ndim != 2 or array.shape[0] < kind.size:
        raise ValueError(f"{name!r}: expected {kind.size} rows of values for a {kind.name}, got shape {array.shape}")
    return array[: kind.size]
