"""Compiles a material to a program: coats from the bottom up, each blended over the last by its weight."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from jade_coat.material import where
from jade_coat.material.around import Around
from jade_coat.material.coverage import coverage_of
from jade_coat.material.fields import Number, remembered, specs
from jade_coat.material.kind_part import PREFIX as LIGHT
from jade_coat.material.kinds import kind_of
from jade_coat.material.layers import Layer, blended, laid_at, surface_layer
from jade_coat.material.material import Coat, Dial, Material, fields_of, parts_of, place_of_part, spec_at
from jade_coat.material.placement import place_of
from jade_coat.material.placing import PREFIX, compile_moves
from jade_coat.material.quantity import OUTPUTS
from jade_coat.material.recipes import recipe_value
from jade_coat.material.seam import rim_band, weight, wobbled
from jade_coat.material.shared import CAMERA, EVERYWHERE, EYE_KNOWN, SharedValue, is_supplied, shared_name
from jade_coat.material.stacking import StackedMaterial
from jade_coat.material.surface import MapLookup
from jade_coat.program import FLOAT, VEC3, VEC4, Value, const, lib, passes
from jade_coat.program.types import FLOAT_BY_SIZE

WOBBLE_OCTAVES = 2
VIEWING_DISTANCE = 3.0
"""Metres that a viewer is away from what is seen from straight ahead."""

FieldReader = Callable[[str, Number], Value]


def folded_fields(material: Material) -> FieldReader:
    """Read exposed fields as dials and everything else as constants: for hand-over and baking."""
    exposed = {d.path for d in material.dials}
    return lambda path, value: _dial(path, value) if path in exposed else _const(value)


def live_fields(material: Material) -> FieldReader:
    """Read exposed and changed fields as dials, the rest as constants: turning a field then never recompiles."""
    live = live_paths(material)
    return lambda path, value: _dial(path, value) if path in live else _const(value)


@remembered
def live_paths(material: Material) -> frozenset[str]:
    """The paths of numeric fields that are exposed or differ from their default."""
    exposed = {d.path for d in material.dials}
    defaults = dict(_defaults(material))
    return frozenset(p for p, _, value in fields_of(material) if p in exposed or value != defaults[p])


@remembered
def structure(material: Material) -> tuple[object, ...]:
    """What decides a live program's text: everything but the numbers that are read from the row."""
    numbers: dict[str, Any] = {"id": True, "name": True, "dials": True, "cut": True}
    bare = material.model_dump(exclude={**numbers, "coats": {"__all__": {"name"}}})
    live = live_paths(material)
    for path in live:
        *owners, name = path.split(".")
        part: Any = bare
        for owner in (*place_of_part(owners[0]), *owners[1:]):
            part = part[owner] if isinstance(part, dict) else next(t for t in part if t["id"] == owner)
        part.pop(name)
    return (repr(bare), live)


def with_live_coat(material: Material, coat: str) -> Material:
    """A material whose program reads every numeric field of one coat (and of its moves and light) from the row.

    While a coat is being worked on, no field that is turned for the first time then changes the program.
    """
    exposed = {d.path for d in material.dials}
    own = kind_of(material.kind).part
    parts = (f"{coat}.", PREFIX, *((f"{LIGHT}{own}.",) if own else ()))  # not `far`: without it a program is quicker
    paths = [p for p, _, _ in fields_of(material) if p.startswith(parts) and p not in exposed]
    return material.with_(dials=(*material.dials, *(Dial(id=f"live {p}", path=p, name=p) for p in paths)))


def _defaults(material: Material) -> Iterator[tuple[str, Number]]:
    for path, part, name in parts_of(material):
        yield path, type(part).model_fields[name].default


def fixed_fields(values: Mapping[str, Number]) -> FieldReader:
    """Read every field as a constant out of `values` by path: for baking one look."""
    return lambda path, value: _const(values.get(path, value))


class _Linked:
    """A reader that lets fields follow the shared dials and recipes they are linked to.

    `around` is what recipes see from the coat that is being compiled.
    """

    def __init__(self, material: Material, reader: FieldReader, lookup: MapLookup) -> None:
        self.around = Around(lookup)
        self._material, self._reader = material, reader
        self._links = {k.path: k for k in material.links}

    def __call__(self, path: str, value: Number) -> Value:
        link = self._links.get(path)
        if link is None:
            return self._reader(path, value)
        if link.shared:
            return lib.lerp(_const(link.low), _const(link.high), lib.shared(shared_name(link.shared)))
        recipe = self.around.lookup.recipe(link.recipe)
        if recipe is None:
            raise ValueError(f"there is no recipe {link.recipe!r}")
        along = recipe_value(recipe, self.around, link.inputs, isinstance(value, tuple) and len(value) == 3)
        if not link.beyond:
            return lib.lerp(_const(link.low), _const(link.high), lib.clamp(along))
        spec = spec_at(self._material, path)
        return lib.clamp(lib.lerp(_const(link.low), _const(link.high), along), spec.low, spec.high)


def with_shared(outputs: Mapping[str, Value], values: Mapping[str, SharedValue]) -> dict[str, Value]:
    """A program with its shared dials, the time and the wind fixed; what is not known is as at rest, or 0."""

    def fixed(node: Value) -> Value:
        if node.op == "shared" and is_supplied(node.static[0]):
            return _const(values.get(node.static[0], EVERYWHERE.get(node.static[0], 0.0)))
        return node

    return passes.fold(passes.rebuilt(outputs, fixed))


def seen_from_ahead(outputs: Mapping[str, Value]) -> dict[str, Value]:
    """A program with the viewer straight before every point, where no eye is known that cards could turn to: what is
    baked once cannot know where they stand."""
    ahead = lib.attribute("world_position", VEC3) + lib.normalize(lib.attribute("normal", VEC3)) * VIEWING_DISTANCE
    known = {lib.shared(CAMERA, VEC3): ahead, lib.shared(EYE_KNOWN, FLOAT): const(0.0)}
    return passes.rebuilt(outputs, lambda node: known.get(node, node))


def seen_by(outputs: Mapping[str, Value], eye: tuple[float, float, float]) -> dict[str, Value]:
    """A program as it is for an eye at a place in the world, metres."""
    known = {lib.shared(CAMERA, VEC3): const(*eye), lib.shared(EYE_KNOWN, FLOAT): const(1.0)}
    return passes.rebuilt(outputs, lambda node: known.get(node, node))


def _const(value: Number) -> Value:
    return const(*value) if isinstance(value, tuple) else const(value)


def _dial(path: str, value: Number) -> Value:
    return lib.dial(path, FLOAT_BY_SIZE[len(value) if isinstance(value, tuple) else 1])


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


def linked_fields(material: Material, reader: FieldReader, lookup: MapLookup) -> _Linked:
    """A reader of a material's fields that lets them follow what they are linked to."""
    return _Linked(material, reader, lookup)


def fields_at(part: Any, prefix: str, reader: FieldReader) -> Any:
    """The numeric fields of a part as values, by their names."""
    return _Fields(part, prefix, reader)


def term_value(term: where.Term, fields: Any, around: Around) -> Value:
    """One term, 0 to 1: its raw value taken through range, contrast and invert."""
    raw = term.meaning(where.TermInputs(fields, around))
    limits = fields.range
    t = lib.clamp((raw - limits.x) / (limits.y - limits.x))
    if not lib.is_const(fields.contrast, 1.0):
        t = lib.clamp((t - 0.5) * fields.contrast + 0.5)
    return 1.0 - t if term.invert else t


def _steps_seen(term: where.Term, prefix: str, around: Around) -> dict[str, Value]:
    """The steps of a term's recipe to look at, by `PREFIX:STEP`; of a vector its first part."""
    values = term.steps(around)
    return {f"{prefix}:{name}": v if v.type == FLOAT else v.x for name, v in values.items() if v.type.is_float}


def _joined(total: Value, term: where.Term, value: Value) -> Value:
    if term.combine == "multiply":
        return total * value
    if term.combine == "add":
        return lib.clamp(total + value)
    return lib.maximum(total, value) if term.combine == "max" else lib.minimum(total, value)


def compile_material(
    material: Material, lookup: MapLookup, reader: FieldReader, below: Layer | None = None
) -> dict[str, Value]:
    """The folded program of a material; over `below` where that is given, as a decal lies on what is there.

    Then every coat is laid by where it shows and by its opacity, the lowest too, and the opacity stays that of `below`,
    whose normal must be in the same tangent space.

    Outputs: base_color (linear vec3), normal (world, unit vec3), roughness, metallic, occlusion, height, opacity
    (floats, 0–1), emissive (linear vec3), coverage (vec3, coats by colour), and per coat `where:ID`, `coverage:ID`,
    `height:ID` (the coat's own), `color:ID` (its own), `at:ID` (where its maps are read, a vec2), `weight:ID`,
    `level:ID` (the height once it lies on top), and `term:ID:TERM` for each where-term, and
    `step:ID:TERM:STEP` for each step of a term that is a recipe. Where the material moves vertices, also
    `placed_position`, `placed_normal` and `placed_tangent` (`material.placing`); the normal is then in the frame of
    the attributes `shading_normal` and `shading_tangent` (see `placed`). Where its kind has a light of its own, also
    the outputs of that (`material.shading`).
    """
    if isinstance(material, StackedMaterial):
        from jade_coat.material.compile_stacked import compile_stacked  # which lays coats by what is here

        return compile_stacked(material, lookup, reader)
    linked, extra = _Linked(material, reader, lookup), dict[str, Value]()
    shown = [c for c in material.coats if c.shown] or [material.coats[0]]
    layer, weights, so_far = laid_on(material.coats, shown, linked, lookup, below, extra)
    extra |= coverage_of(material, weights)
    frame = "shading_" if material.moves else ""
    outputs = {name: getattr(layer, name) for name in OUTPUTS} | {"normal": world_normal(layer.normal, frame), **extra}
    if material.moves:
        outputs |= compile_moves(
            material.moves, _around(lookup, layer, so_far), lambda m: _Fields(m, f"{PREFIX}{m.id}", linked),
            material.vertex_level,
        )  # fmt: skip
    outputs |= _own_part(material, linked, outputs, frame)
    return passes.fold({**outputs, **_faded(material, linked, outputs), **_filled(material, linked, outputs)})


def laid_on(
    coats: tuple[Coat, ...], shown: Sequence[Coat], reader: _Linked, lookup: MapLookup, below: Layer | None,
    extra: dict[str, Value],
) -> tuple[Layer, list[tuple[Coat, Value]], dict[str, Value]]:  # fmt: skip
    """What some coats of a stack come to; the weight of each, and by name how much of each is seen in the end.

    What can be looked at of them is added to `extra`.
    """
    layer = below
    weights: list[tuple[Coat, Value]] = []
    so_far: dict[str, Value] = {}
    for coat in shown:
        beneath = coats[: coats.index(coat)]
        reader.around = _around(lookup, layer, {c.name: const(0.0) for c in beneath} | so_far)
        above = surface_layer(
            coat.surface, _Fields(coat.surface, f"{coat.id}.surface", reader),
            _Fields(coat.surface.detail, f"{coat.id}.surface.detail", reader), lookup,
        )  # fmt: skip
        extra |= _own(coat, above, reader, lookup)
        if layer is None:
            layer, w = above, const(1.0)
        else:
            edge = _edge(coat, above, layer, reader, extra)
            if below is not None:
                edge = replace(edge, weight=edge.weight * above.opacity)
                above = replace(above, opacity=below.opacity)
            w = edge.weight
            layer = _rimmed(blended(layer, above, w), coat, edge, reader)
        extra[f"weight:{coat.id}"], extra[f"level:{coat.id}"] = w, layer.height
        weights.append((coat, w))
        so_far = {name: seen * (1.0 - w) for name, seen in so_far.items()} | {coat.name: w}
    assert layer is not None
    return layer, weights, so_far


def _faded(material: Material, reader: _Linked, outputs: Mapping[str, Value]) -> dict[str, Value]:
    """How much of a material is there from afar, where it fades; what blends is that much fainter."""
    fields = _Fields(material.far, f"{LIGHT}far", reader)
    found = material.far.program(fields, outputs, reader.around.lookup)
    if found and kind_of(material.kind).blend:
        return {"opacity": outputs["opacity"] * found["fade"]}
    return found


def _filled(material: Material, reader: _Linked, outputs: Mapping[str, Value]) -> dict[str, Value]:
    """What lies under a material that is cut, where it has a fill."""
    if not kind_of(material.kind).cut:
        return {}
    return material.fill.program(_Fields(material.fill, f"{LIGHT}fill", reader), outputs, reader.around.lookup)


def is_filled(material: Material) -> bool:
    """Whether a live program of a material that is cut has a fill."""
    return f"{LIGHT}fill.depth" in live_paths(material) and bool(kind_of(material.kind).cut)


def dithers(material: Material) -> bool:
    """Whether a material is dithered by another pattern than the fine noise that all know."""
    return kind_of(material.kind).part == "dither" and material.dither.pattern != "noise"


def fades(material: Material) -> bool:
    """Whether a live program leaves points out by distance."""
    return f"{LIGHT}far.gone" in live_paths(material) and not kind_of(material.kind).blend


def _own_part(material: Material, reader: _Linked, outputs: Mapping[str, Value], frame: str) -> dict[str, Value]:
    """What a kind adds of its own, such as what its light is worked out from, and the quantities that it changes."""
    part = material.kind_part
    if part is None:
        return {}
    prefix = f"{LIGHT}{kind_of(material.kind).part}"
    return part.program(_Fields(part, prefix, reader), outputs, reader.around.lookup, frame)


def _own(coat: Coat, above: Layer, reader: _Linked, lookup: MapLookup) -> dict[str, Value]:
    """What can be looked at of a coat alone."""
    at = laid_at(coat.surface, _Fields(coat.surface, f"{coat.id}.surface", reader), lookup)
    placed_at = {f"at:{coat.id}": at} if at is not None else {}
    return {f"height:{coat.id}": above.height, f"color:{coat.id}": above.base_color, **placed_at}


def _around(lookup: MapLookup, layer: Layer | None, shown: Mapping[str, Value]) -> Around:
    """What a recipe sees that is asked for above a layer; where all coats below are hidden, depth and darkness."""
    if layer is None:
        hidden = bool(shown)
        return Around(lookup, const(0.0) if hidden else None, const(0.0, 0.0, 0.0) if hidden else None, shown)
    return Around(lookup, layer.height, layer.base_color, shown)


def moved_vertices(outputs: Mapping[str, Value]) -> dict[str, Value]:
    """What a program's vertex stage has to work out: where a vertex is placed, if the material moves it."""
    return {name: outputs[name] for name in ("placed_position",) if name in outputs}


def placed(outputs: Mapping[str, Value]) -> dict[str, Value]:
    """A program whose normals from maps are laid into the frame of the moved surface, not of the mesh at rest."""
    if "placed_normal" not in outputs:
        return dict(outputs)
    frame = {
        lib.attribute("shading_normal", VEC3): outputs["placed_normal"],
        lib.attribute("shading_tangent", VEC4): outputs["placed_tangent"],
    }
    return passes.rebuilt(outputs, lambda node: frame.get(node, node))


@dataclass(frozen=True)
class _Edge:
    """How a coat meets what is below: its weight, and what the rim is worked out from."""

    weight: Value
    amount: Value
    above: Value
    below: Value
    fields: Any


def _edge(coat: Coat, above: Layer, below: Layer, reader: _Linked, extra: dict[str, Value]) -> _Edge:
    fields = _Fields(coat, coat.id, reader)
    total: Value | None = None
    for term in coat.where:
        value = term_value(term, _Fields(term, f"{coat.id}.where.{term.id}", reader), reader.around)
        extra[f"term:{coat.id}:{term.id}"] = value
        extra |= _steps_seen(term, f"step:{coat.id}:{term.id}", reader.around)
        total = value if total is None else _joined(total, term, value)
    amount = lib.clamp(total * fields.amount) if total is not None else fields.amount
    extra[f"where:{coat.id}"] = amount
    seam = _Fields(coat.seam, f"{coat.id}.seam", reader)
    if not lib.is_const(seam.wobble, 0.0):
        amount = wobbled(amount, lib.fbm(place_of("object") / seam.wobble_size, WOBBLE_OCTAVES, 17), seam.wobble)
    w = weight(coat.seam, amount, above.height, below.height, seam.softness, seam.bias)
    return _Edge(w, amount, above.height, below.height, seam)


def _rimmed(layer: Layer, coat: Coat, edge: _Edge, reader: FieldReader) -> Layer:
    """A layer with the coat's rim laid along the seam."""
    if not coat.rim.on:
        return layer
    rim = _Fields(coat.rim, f"{coat.id}.rim", reader)
    seam = edge.fields
    band = rim_band(coat.seam, rim.width, edge.amount, edge.above, edge.below, seam.softness, seam.bias) * rim.strength

    def raised(value: Value, by: Value) -> Value:
        return value if lib.is_const(by, 0.0) else lib.clamp(value + by * band)

    return replace(
        layer,
        base_color=lib.clamp(layer.base_color * lib.lerp(1.0, rim.tint, band)),
        roughness=raised(layer.roughness, rim.roughness),
        height=raised(layer.height, rim.lift),
    )


def world_normal(normal: Value, frame: str = "") -> Value:
    """A tangent-space normal in world space; the bitangent follows glTF: cross(N, T) times the tangent's w."""
    n = lib.attribute(f"{frame}normal", VEC3)
    t = lib.attribute(f"{frame}tangent", VEC4)
    b = lib.make("cross", (n, t.xyz)) * t.w
    return lib.normalize(t.xyz * normal.x + b * normal.y + n * normal.z)
