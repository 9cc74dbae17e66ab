"""Compiles a material to a program: coats from the bottom up, each blended over the last by its weight."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from jade_coat.material import where
from jade_coat.material.fields import Number, specs
from jade_coat.material.material import Coat, Material, fields_of, parts_of
from jade_coat.material.seam import weight
from jade_coat.material.surface import MapLookup, Role, Surface
from jade_coat.program import VEC2, VEC3, VEC4, Value, const, lib, passes
from jade_coat.program.types import FLOAT_BY_SIZE
from jade_coat.program.value import combine

COAT_COLORS = (
    (0.0, 0.447, 0.698), (0.902, 0.624, 0.0), (0.0, 0.62, 0.451), (0.8, 0.475, 0.655),
    (0.337, 0.706, 0.914), (0.835, 0.369, 0.0), (0.941, 0.894, 0.259), (0.6, 0.6, 0.6),
)  # fmt: skip
"""Colours that stay apart for the colour-blind, sRGB 0–1 (Okabe & Ito 2008, grey instead of black)."""

FieldReader = Callable[[str, Number], Value]


def folded_fields(material: Material) -> FieldReader:
    """Read exposed fields as dials and everything else as constants: for hand-over and baking."""
    exposed = {d.path for d in material.dials}
    return lambda path, value: _dial(path, value) if path in exposed else _const(value)


def live_fields(material: Material) -> FieldReader:
    """Read exposed and changed fields as dials, the rest as constants: turning a field then never recompiles."""
    live = live_paths(material)
    return lambda path, value: _dial(path, value) if path in live else _const(value)


def live_paths(material: Material) -> frozenset[str]:
    """The paths of fields that are exposed or differ from their default."""
    exposed = {d.path for d in material.dials}
    defaults = dict(_defaults(material))
    changed = {path for path, _, value in fields_of(material) if value != defaults[path]}
    return frozenset(exposed | changed)


def structure(material: Material) -> tuple[object, ...]:
    """What decides a live program's text: everything but the numbers that are read from the row."""
    bare = material.model_dump(exclude={"name": True, "dials": True, "coats": {"__all__": {"name"}}})
    live = live_paths(material)
    for path in live:
        *owners, name = path.split(".")
        part: Any = next(c for c in bare["coats"] if c["id"] == owners[0])
        for owner in owners[1:]:
            part = part[owner] if isinstance(part, dict) else next(t for t in part if t["id"] == owner)
        part.pop(name)
    return (repr(bare), live)


def _defaults(material: Material) -> Iterator[tuple[str, Number]]:
    for path, part, name in parts_of(material):
        yield path, type(part).model_fields[name].default


def fixed_fields(values: Mapping[str, Number]) -> FieldReader:
    """Read every field as a constant out of `values` by path: for baking one look."""
    return lambda path, value: _const(values.get(path, value))


def _const(value: Number) -> Value:
    return const(*value) if isinstance(value, tuple) else const(value)


def _dial(path: str, value: Number) -> Value:
    return lib.dial(path, FLOAT_BY_SIZE[len(value) if isinstance(value, tuple) else 1])


@dataclass(frozen=True)
class Layer:
    """What is visible so far: linear colour, tangent-space normal, and values from 0 to 1."""

    base_color: Value
    normal: Value
    roughness: Value
    metallic: Value
    occlusion: Value
    height: Value
    emissive: Value
    opacity: Value


@dataclass(frozen=True)
class _Fields:
    """Reads the numeric fields of one part of a coat, by their path."""

    part: Any
    prefix: str
    reader: FieldReader

    def __getattr__(self, name: str) -> Value:
        if name not in specs(type(self.part)):
            raise AttributeError(name)
        return self.reader(f"{self.prefix}.{name}", getattr(self.part, name))


def surface_layer(surface: Surface, fields: Any, lookup: MapLookup) -> Layer:
    """Read a surface: every role from its map where there is one, from the plain value otherwise."""
    uv = lib.attribute(f"uv{surface.uv_set}", VEC2) * lib.instance(f"metres{surface.uv_set}", VEC2)
    at = lib.turn(uv / fields.tile_size, fields.turn) + fields.offset

    def role(wanted: Role) -> Value | None:
        read = lookup.read(surface.map_set, wanted) if surface.map_set else None
        if read is None:
            return None
        texel = lib.texture(read.texture, at)
        return lib.make("swizzle", (texel,), tuple("rgba".index(c) for c in read.channels))

    def ranged(value: Value, limits: Value) -> Value:
        return lib.lerp(limits.x, limits.y, value)

    color, rough, height = role(Role.BASE_COLOR), role(Role.ROUGHNESS), role(Role.HEIGHT)
    metal, occlusion, opacity = role(Role.METALLIC), role(Role.OCCLUSION), role(Role.OPACITY)
    glow = role(Role.EMISSIVE)
    return Layer(
        base_color=lib.clamp((color or fields.color) * fields.tint),
        normal=_normal(role(Role.NORMAL), fields),
        roughness=lib.clamp(ranged(rough, fields.roughness_range) if rough else fields.roughness),
        metallic=lib.clamp(metal or fields.metallic),
        occlusion=lib.lerp(1.0, occlusion, fields.occlusion_strength) if occlusion else const(1.0),
        height=lib.clamp(ranged(height, fields.height_range) if height else fields.height),
        emissive=fields.emissive * glow if glow else fields.emissive,
        opacity=opacity or const(1.0),
    )


def _normal(encoded: Value | None, fields: Any) -> Value:
    """Decode a two-channel normal, turned with its tile: image x is right, y up, whatever the tile's turn."""
    if encoded is None:
        return const(0.0, 0.0, 1.0)
    xy = (encoded * 2.0 - 1.0) * fields.normal_strength
    xy = lib.turn(xy, fields.turn)
    z = lib.unary("sqrt", lib.maximum(1.0 - lib.dot(xy, xy), 1e-4))
    return lib.normalize(combine(xy, z))


def term_value(term: where.Term, fields: Any, below: Layer | None) -> Value:
    """One term, 0 to 1: its raw value taken through range, contrast and invert."""
    raw = _raw(term, fields, below)
    limits = fields.range
    t = lib.clamp((raw - limits.x) / (limits.y - limits.x))
    t = lib.clamp((t - 0.5) * fields.contrast + 0.5)
    return 1.0 - t if term.invert else t


def _raw(term: where.Term, fields: Any, below: Layer | None) -> Value:
    if isinstance(term, where.PaintTerm):
        return getattr(lib.attribute(f"color{term.color_set}", VEC4), "xyzw"["RGBA".index(term.channel)])
    if isinstance(term, where.NoiseTerm):
        return lib.fbm(lib.attribute("position", VEC3) / fields.size, term.octaves, term.seed) * 0.5 + 0.5
    if isinstance(term, where.SlopeTerm):
        return lib.unary("acos", lib.normalize(lib.attribute("normal", VEC3)).y)
    if isinstance(term, where.HeightTerm):
        return below.height if below else const(0.0)
    if isinstance(term, where.WorldHeightTerm):
        return lib.attribute("world_position", VEC3).y
    raise TypeError(f"no meaning for a where-term of kind {type(term).__name__}")


def _joined(total: Value, term: where.Term, value: Value) -> Value:
    if term.combine == "multiply":
        return total * value
    if term.combine == "add":
        return lib.clamp(total + value)
    return lib.maximum(total, value) if term.combine == "max" else lib.minimum(total, value)


def blended(below: Layer, above: Layer, w: Value) -> Layer:
    """`above` laid over `below`: 0 shows only the lower, 1 only the upper, 0.5 an even mix."""

    def mixed(name: str) -> Value:
        return lib.lerp(getattr(below, name), getattr(above, name), w)

    names = ("base_color", "roughness", "metallic", "occlusion", "height", "emissive", "opacity")
    return Layer(normal=lib.normalize(mixed("normal")), **{name: mixed(name) for name in names})


def compile_material(material: Material, lookup: MapLookup, reader: FieldReader) -> dict[str, Value]:
    """The folded program of a material.

    Outputs: base_color (linear vec3), normal (world, unit vec3), roughness, metallic, occlusion, height, opacity
    (floats, 0–1), emissive (linear vec3), coverage (vec3, coats by colour), and per coat `where:ID`, `coverage:ID`,
    `height:ID`, and `term:ID:TERM` for each where-term.
    """
    shown = [c for c in material.coats if c.shown] or [material.coats[0]]
    extra: dict[str, Value] = {}
    layer: Layer | None = None
    weights: list[tuple[Coat, Value]] = []
    for coat in shown:
        above = surface_layer(coat.surface, _Fields(coat.surface, f"{coat.id}.surface", reader), lookup)
        extra[f"height:{coat.id}"] = above.height
        if layer is None:
            layer, w = above, const(1.0)
        else:
            w = _coat_weight(coat, above, layer, reader, extra)
            layer = blended(layer, above, w)
        weights.append((coat, w))
    assert layer is not None
    extra |= _coverage(material, weights)
    outputs = {
        "base_color": layer.base_color, "normal": _world(layer.normal), "roughness": layer.roughness,
        "metallic": layer.metallic, "occlusion": layer.occlusion, "height": layer.height,
        "emissive": layer.emissive, "opacity": layer.opacity, **extra,
    }  # fmt: skip
    return passes.fold(outputs)


def _coat_weight(coat: Coat, above: Layer, below: Layer, reader: FieldReader, extra: dict[str, Value]) -> Value:
    fields = _Fields(coat, coat.id, reader)
    total: Value | None = None
    for term in coat.where:
        value = term_value(term, _Fields(term, f"{coat.id}.where.{term.id}", reader), below)
        extra[f"term:{coat.id}:{term.id}"] = value
        total = value if total is None else _joined(total, term, value)
    amount = lib.clamp(total * fields.amount) if total is not None else fields.amount
    extra[f"where:{coat.id}"] = amount
    seam = _Fields(coat.seam, f"{coat.id}.seam", reader)
    return weight(coat.seam, amount, above.height, below.height, seam.softness, seam.bias)


def _coverage(material: Material, weights: list[tuple[Coat, Value]]) -> dict[str, Value]:
    """How much of each coat is seen in the end, and all of them as one colour."""
    found: dict[str, Value] = {}
    left: Value = const(1.0)
    color: Value = const(0.0, 0.0, 0.0)
    for coat, w in reversed(weights):
        seen = left * w
        left = left * (1.0 - w)
        found[f"coverage:{coat.id}"] = seen
        shade = COAT_COLORS[material.coats.index(coat) % len(COAT_COLORS)]
        color = color + seen * const(*shade)
    return {"coverage": color, **found}


def _world(normal: Value) -> Value:
    """A tangent-space normal in world space; the bitangent follows glTF: cross(N, T) times the tangent's w."""
    n = lib.attribute("normal", VEC3)
    t = lib.attribute("tangent", VEC4)
    b = lib.make("cross", (n, t.xyz)) * t.w
    return lib.normalize(t.xyz * normal.x + b * normal.y + n * normal.z)
