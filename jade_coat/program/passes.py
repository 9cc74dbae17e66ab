"""Passes over programs: folding, rates, what is still and what is live, and cost."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass

from jade_coat.program import numpy_backend
from jade_coat.program.ops import OPS
from jade_coat.program.types import FLOAT, Rate
from jade_coat.program.value import VARYING, TextureRef, Value, const, make, splat, swizzle, walk

LIVE_SHARED = frozenset({"time", "camera_position", "eye_known", "pixel_angle"})
UNIFORM_OPS = frozenset({"shared", "texture_mean"})
"""Ops whose value is at hand in every stage."""
TEXTURE_OPS = frozenset({"texture", "texture_level"})
AFFINE_OPS = frozenset({"add", "sub", "neg", "swizzle", "combine", "splat"})


@dataclass(frozen=True)
class Rule:
    """A rewrite that changes no value: `before -> after` in words, the ops it is for, and the function that does it or
    returns None."""

    text: str
    ops: tuple[str, ...]
    apply: Callable[[Value], Value | None]


def _is(value: Value, number: float) -> bool:
    return value.op == "const" and all(c == number for c in value.static)


def _neutral(node: Value) -> Value | None:
    if node.op in ("add", "mul"):
        neutral = 0.0 if node.op == "add" else 1.0
        a, b = node.args
        return a if _is(b, neutral) else b if _is(a, neutral) else None
    return node.args[0] if _is(node.args[1], 0.0 if node.op == "sub" else 1.0) else None


def _double_neg(node: Value) -> Value | None:
    return node.args[0].args[0] if node.args[0].op == "neg" else None


def _same_bounds(node: Value) -> Value | None:
    return node.args[0] if node.args[0] is node.args[1] else None


def _swizzle_of_parts(node: Value) -> Value | None:
    inner, picks = node.args[0], node.static
    assert isinstance(picks, tuple)
    if picks == tuple(range(inner.type.size)):
        return inner
    if inner.op == "splat":
        return inner.args[0] if len(picks) == 1 else splat(inner.args[0], node.type)
    if inner.op == "swizzle":
        return make("swizzle", inner.args, tuple(inner.static[i] for i in picks))
    if inner.op == "combine" and len(picks) == 1:
        at = picks[0]
        for part in inner.args:
            if at < part.type.size:
                return part if part.type == FLOAT else swizzle(part, "xyzw"[at])
            at -= part.type.size
    return None


def _combine_of_swizzles(node: Value) -> Value | None:
    if any(a.op != "swizzle" for a in node.args):
        return None
    if len({a.args[0] for a in node.args}) != 1:
        return None
    picks = tuple(p for a in node.args for p in a.static)
    return make("swizzle", node.args[0].args, picks)


def _clamped_twice(node: Value) -> Value | None:
    if node.args[0].op != "clamp" or node.args[1:] != node.args[0].args[1:]:
        return None
    low, high = node.args[1:]
    in_order = low.op == high.op == "const" and all(a <= b for a, b in zip(low.static, high.static, strict=True))
    return node.args[0] if in_order else None


def _whole_mix(node: Value) -> Value | None:
    """0 + (1 − 0)·x; what is −0 there is 0 then, which compares equal."""
    return node.args[2] if _is(node.args[0], 0.0) and _is(node.args[1], 1.0) else None


def _known_choice(node: Value) -> Value | None:
    return node.args[1] if node.args[1] is node.args[2] else None


def _decided_choice(node: Value) -> Value | None:
    asked = node.args[0]
    if asked.op != "less" or any(a.op != "const" for a in asked.args):
        return None
    return node.args[1] if numpy_backend.constant(asked).all() else node.args[2]


RULES = (
    Rule("x + 0 -> x;  x * 1 -> x;  x - 0 -> x;  x / 1 -> x", ("add", "mul", "sub", "div"), _neutral),
    Rule("-(-x) -> x", ("neg",), _double_neg),
    Rule("min(x, x) -> x;  max(x, x) -> x", ("min", "max"), _same_bounds),
    Rule(
        "vec(a, b).y -> b;  splat(a).x -> a;  v.xyz.y -> v.y;  v.xyz -> v for a vec3 v", ("swizzle",), _swizzle_of_parts
    ),
    Rule("vec(v.x, v.z) -> v.xz", ("combine",), _combine_of_swizzles),
    Rule("clamp(clamp(x, a, b), a, b) -> clamp(x, a, b)", ("clamp",), _clamped_twice),
    Rule("mix(0, 1, x) -> x", ("mix",), _whole_mix),
    Rule("c ? x : x -> x", ("select",), _known_choice),
    Rule("1 < 2 ? x : y -> x;  2 < 1 ? x : y -> y", ("select",), _decided_choice),
)

_RULES_OF = {op: tuple(r for r in RULES if op in r.ops) for op in {op for r in RULES for op in r.ops}}


def rebuilt(
    outputs: Mapping[str, Value], change: Callable[[Value], Value], done: dict[Value, Value] | None = None
) -> dict[str, Value]:
    """The same program with every node, arguments first, passed through `change`.

    `done` holds what was changed before, so that a program that grows is gone through once.
    """
    new: dict[Value, Value] = {} if done is None else done
    for node in walk(list(outputs.values()), new):
        arguments = tuple(new[a] for a in node.args)
        new[node] = change(node if arguments == node.args else make(node.op, arguments, node.static))
    return {name: new[value] for name, value in outputs.items()}


def simplified(node: Value) -> Value:
    """One node after constant folding and every rule that fits it."""
    foldable = node.args and all(a.op == "const" for a in node.args) and node.type.is_float
    if foldable and not OPS[node.op].reads_outside:
        folded = numpy_backend.constant(node)
        try:
            return const(*folded[:, 0].tolist())
        except ValueError:  # not finite: GLSL has no literal for it, so leave it to be computed
            return node
    for rule in _RULES_OF.get(node.op, ()):
        after = rule.apply(node)
        if after is not None:
            return simplified(after)
    return node


def fold(outputs: Mapping[str, Value], done: dict[Value, Value] | None = None) -> dict[str, Value]:
    """Fold constants and apply the rewrite rules; outputs keep their values exactly. `done` as for `rebuilt`."""
    return rebuilt(outputs, simplified, done)


def folded_as(outputs: Mapping[str, Value], change: Callable[[Value], Value]) -> dict[str, Value]:
    """A folded program with every node passed through `change` and folded again, in one go.

    What `change` puts in place of a node must be folded by itself.
    """
    return rebuilt(outputs, lambda node: simplified(change(node)))


def _affine_degree(node: Value, degree: Mapping[Value, int]) -> int:
    """0 without attributes, 1 when affine in them, 2 when anything else."""
    of = [degree[a] for a in node.args]
    if node.op == "attribute":
        return 1
    if node.op in TEXTURE_OPS or node.op == "given":
        return 2
    if node.op == "per_vertex":
        return min(max(of), 1)
    if not any(of):
        return 0
    if node.op in AFFINE_OPS:
        return max(of)
    if node.op == "mul":
        return min(sum(of), 2)
    if node.op == "div" and of[1] == 0:
        # safe_div by something that does not vary is a multiplication by it
        return of[0]
    return 2


def rates(outputs: Mapping[str, Value]) -> dict[Value, Rate]:
    """The rate of every node: the slowest stage at which it can be worked out exactly."""
    own = {
        "const": Rate.CONSTANT,
        "shared": Rate.SHARED,
        "texture_mean": Rate.SHARED,
        "dial": Rate.ROW,
        "instance": Rate.FLAT,
    }
    found: dict[Value, Rate] = {}
    degree: dict[Value, int] = {}
    for node in walk(list(outputs.values())):
        degree[node] = _affine_degree(node, degree)
        if degree[node] == 1:
            found[node] = Rate.VERTEX
        elif degree[node] == 2:
            found[node] = Rate.PIXEL
        else:
            found[node] = max([own.get(node.op, Rate.CONSTANT), *(found[a] for a in node.args)])
    return found


def live(outputs: Mapping[str, Value]) -> frozenset[str]:
    """The names of outputs that depend on time or camera and so cannot be baked once."""
    moving: set[Value] = set()
    for node in walk(list(outputs.values())):
        reads = node.op == "shared" and node.static[0] in LIVE_SHARED
        if reads or any(a in moving for a in node.args):
            moving.add(node)
    return frozenset(name for name, value in outputs.items() if value in moving)


def reads(outputs: Mapping[str, Value], op: str) -> frozenset[str]:
    """The names of the dials, attributes, … (by op) that the outputs read."""
    return frozenset(n.static[0] for n in walk(list(outputs.values())) if n.op == op)


def varies(value: Value) -> bool:
    """Whether a value may differ from point to point of a mesh."""
    return any(node.op in VARYING for node in walk([value]))


def textures(values: Iterable[Value]) -> list[TextureRef]:
    """The textures that the values read, in a stable order."""
    nodes = list(walk(list(values)))
    found = {n.static for n in nodes if n.op in ("texture", "texture_mean")}
    found |= {n.static[0] for n in nodes if n.op == "texture_level"}
    return sorted((t for t in found if isinstance(t, TextureRef)), key=lambda t: t.name)


def _only_at_vertices(outputs: Mapping[str, Value]) -> set[Value]:
    """The nodes that only what is asked for at the vertices needs: no pixel works them out."""
    at_pixels: set[Value] = set()
    stack = list(outputs.values())
    while stack:
        node = stack.pop()
        if node not in at_pixels:
            at_pixels.add(node)
            stack.extend(() if node.op == "per_vertex" else node.args)
    return set(walk(list(outputs.values()))) - at_pixels


@dataclass(frozen=True)
class Cost:
    """What a program costs a pixel: arithmetic in units of one addition, texture reads, and nodes by rate."""

    arithmetic: float
    fetches: int
    nodes: dict[str, int]


def cost(outputs: Mapping[str, Value]) -> Cost:
    """Add up the pixel-rate work of the outputs; what is shared between them counts once."""
    rate = rates(outputs)
    asked = _only_at_vertices(outputs)
    per_rate = {r.name.lower(): 0 for r in Rate}
    arithmetic, fetches = 0.0, 0
    for node, at in rate.items():
        per_rate[at.name.lower()] += 1
        if node.op in TEXTURE_OPS:
            fetches += node not in asked
        elif at is Rate.PIXEL and node not in asked:
            arithmetic += OPS[node.op].cost * (node.type.size if node.type.size > 1 else 1)
    return Cost(arithmetic, fetches, per_rate)
