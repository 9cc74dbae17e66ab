"""Functions over values that materials are written with."""

from __future__ import annotations

from jade_coat.program import passes
from jade_coat.program.ops.curves import Curve
from jade_coat.program.ops.noise import Fbm
from jade_coat.program.types import FLOAT, Type
from jade_coat.program.value import Operand, TextureRef, Value, as_value, combine, const, make, unify


def minimum(a: Operand, b: Operand) -> Value:
    """The smaller, component by component."""
    return make("min", unify(a, b))


def maximum(a: Operand, b: Operand) -> Value:
    """The larger, component by component."""
    return make("max", unify(a, b))


def clamp(x: Operand, low: Operand = 0.0, high: Operand = 1.0) -> Value:
    """`x` kept between `low` and `high`."""
    return make("clamp", unify(x, low, high))


def lerp(a: Operand, b: Operand, t: Operand) -> Value:
    """a + (b − a)·t."""
    return make("mix", unify(a, b, t))


def smoothstep(low: Operand, high: Operand, x: Operand) -> Value:
    """A cubic ease from 0 at `low` to 1 at `high`."""
    return make("smoothstep", unify(low, high, x))


def power(x: Operand, exponent: Operand) -> Value:
    """`x` > 0 raised to `exponent`."""
    return make("pow", unify(x, exponent))


def unary(op: str, x: Operand) -> Value:
    """Apply an op of one argument by its name: sqrt, sin, cos, floor, …."""
    return make(op, (as_value(x),))


def dot(a: Operand, b: Operand) -> Value:
    """Scalar product."""
    return make("dot", unify(a, b))


def cross(a: Value, b: Value) -> Value:
    """The vector product of two vec3."""
    return make("cross", (a, b))


def normalize(v: Value) -> Value:
    """`v` at length 1."""
    return make("normalize", (v,))


def length(v: Value) -> Value:
    """Euclidean length."""
    return make("length", (v,))


def select(condition: Value, yes: Operand, no: Operand) -> Value:
    """`yes` where the condition holds, else `no`."""
    return make("select", (condition, *unify(yes, no)))


def less(a: Operand, b: Operand) -> Value:
    """Whether `a` < `b`, for floats."""
    return make("less", (as_value(a), as_value(b)))


def dial(name: str, kind: Type = FLOAT) -> Value:
    """A value read from the prop's row."""
    return make("dial", (), (name, kind))


def shared(name: str, kind: Type = FLOAT) -> Value:
    """A value common to the whole picture."""
    return make("shared", (), (name, kind))


def instance(name: str, kind: Type = FLOAT) -> Value:
    """A value of the prop being drawn."""
    return make("instance", (), (name, kind))


def attribute(name: str, kind: Type) -> Value:
    """An interpolated mesh attribute."""
    return make("attribute", (), (name, kind))


def given(name: str, kind: Type) -> Value:
    """A value handed in at each pixel."""
    return make("given", (), (name, kind))


def texture(reference: TextureRef, uv: Value, smooth: Value | None = None) -> Value:
    """Four channels of a texture; `smooth` is the position that `uv` jumps about, to choose the mip level by."""
    return make("texture", (uv,) if smooth is None or smooth is uv else (uv, smooth), reference)


def texture_level(reference: TextureRef, level: int, uv: Value) -> Value:
    """Four channels of one level of a texture, 0 for the largest; a level it does not have is its smallest."""
    return make("texture_level", (uv,), (reference, level))


def per_vertex(value: Value, level: int = 0) -> Value:
    """A value worked out at the vertices and interpolated; textures are read from a level by its number there."""

    def readable(node: Value) -> Value:
        return texture_level(node.static, level, node.args[0]) if node.op == "texture" else node

    return make("per_vertex", (passes.rebuilt({"v": value}, readable)["v"],))


def texture_mean(reference: TextureRef) -> Value:
    """The mean of a texture's four channels."""
    return make("texture_mean", (), reference)


def fbm(point: Value, octaves: int = 4, seed: int = 0) -> Value:
    """Octaves of gradient noise at a 3-D point, about −1 to 1."""
    return make("fbm", (point,), Fbm(octaves, seed))


def ridges(point: Value, octaves: int = 4, seed: int = 0) -> Value:
    """Octaves of noise folded into crests at a 3-D point, 0 to 1."""
    return make("ridges", (point,), Fbm(octaves, seed))


def cells(point: Value, seed: int = 0) -> Value:
    """Cellular noise at a 3-D point: nearest and second nearest distance, and a random number a cell."""
    return make("cells", (point,), seed)


def hashed(point: Value) -> Value:
    """Three random numbers from 0 to 1 for the whole-number cell of a 3-D point."""
    return make("unit_float", (make("pcg3d", (make("cell", (point,)),)),))


def is_const(value: Value, number: float) -> bool:
    """Whether a value is this number in every component, now and for good."""
    return value.op == "const" and all(c == number for c in value.static)


def ramp(x: Operand, xs: tuple[float, ...], ys: tuple[float, ...]) -> Value:
    """A monotone curve through the points, flat beyond its ends."""
    return make("ramp", (as_value(x),), Curve(tuple(xs), tuple(ys)))


def turn(v: Value, angle: Operand) -> Value:
    """A vec2 turned anticlockwise by an angle in radians; no turn at all costs nothing."""
    if is_const(as_value(angle), 0.0):
        return v
    c, s = unary("cos", angle), unary("sin", angle)
    return combine(v.x * c - v.y * s, v.x * s + v.y * c)


def blend_normals(base: Value, detail: Value) -> Value:
    """Tangent-space `detail` laid onto `base` (Barré-Brisebois & Hill 2012, reoriented normal mapping)."""
    t = combine(base.xy, base.z + 1.0)
    u = combine(-detail.xy, detail.z)
    return normalize(t * (dot(t, u) / t.z) - u)


def luminance(color: Value) -> Value:
    """Relative luminance of linear Rec. 709 colour (IEC 61966-2-1)."""
    return dot(color, const(0.2126, 0.7152, 0.0722))


__all__ = [
    "Operand",
    "as_value",
    "attribute",
    "blend_normals",
    "clamp",
    "combine",
    "const",
    "dial",
    "dot",
    "fbm",
    "instance",
    "lerp",
    "less",
    "luminance",
    "make",
    "maximum",
    "minimum",
    "normalize",
    "per_vertex",
    "power",
    "ramp",
    "select",
    "shared",
    "smoothstep",
    "texture",
    "texture_level",
    "turn",
    "unary",
]  # fmt: skip
