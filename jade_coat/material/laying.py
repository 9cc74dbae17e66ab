"""Lays coats over one another: what each gives at a point, where it shows, and how its edge meets what is below."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from jade_coat.material import where
from jade_coat.material.around import Around
from jade_coat.material.fields import Number, specs
from jade_coat.material.layers import Layer, blended, laid_at, surface_layer
from jade_coat.material.material import Coat, Material, spec_at
from jade_coat.material.placement import place_of
from jade_coat.material.recipes import recipe_value
from jade_coat.material.seam import rim_band, weight, wobbled
from jade_coat.material.shared import shared_name
from jade_coat.material.surface import MapLookup
from jade_coat.program import FLOAT, VEC3, VEC4, Value, const, lib
from jade_coat.program.types import FLOAT_BY_SIZE

WOBBLE_OCTAVES = 2
FieldReader = Callable[[str, Number], Value]


class Linked:
    """A reader that lets fields follow the shared dials and recipes they are linked to.

    `around` is what recipes see from the coat that is being compiled.
    """

    def __init__(self, material: Material, reader: FieldReader, lookup: MapLookup) -> None:
        self.around = Around(lookup)
        self._material, self._reader = material, reader
        self._links = {k.path: k for k in material.links}

    def __call__(self, path: str, value: Number) -> Value:
        """The field at a path."""
        link = self._links.get(path)
        if link is None:
            return self._reader(path, value)
        if link.shared:
            return lib.lerp(const_of(link.low), const_of(link.high), lib.shared(shared_name(link.shared)))
        recipe = self.around.lookup.recipe(link.recipe)
        if recipe is None:
            raise ValueError(f"there is no recipe {link.recipe!r}")
        along = recipe_value(recipe, self.around, link.inputs, isinstance(value, tuple) and len(value) == 3)
        if not link.beyond:
            return lib.lerp(const_of(link.low), const_of(link.high), lib.clamp(along))
        spec = spec_at(self._material, path)
        return lib.clamp(lib.lerp(const_of(link.low), const_of(link.high), along), spec.low, spec.high)


def const_of(value: Number) -> Value:
    """A number, or several, as a constant."""
    return const(*value) if isinstance(value, tuple) else const(value)


def dial_of(path: str, value: Number) -> Value:
    """What is read from the row for the field at a path; `value` says how many numbers it has."""
    return lib.dial(path, FLOAT_BY_SIZE[len(value) if isinstance(value, tuple) else 1])


@dataclass(frozen=True)
class Fields:
    """Reads the numeric fields of one part of a coat, by their path."""

    part: Any
    prefix: str
    reader: FieldReader

    def __getattr__(self, name: str) -> Value:
        if name not in specs(type(self.part)):
            raise AttributeError(name)
        return self.reader(f"{self.prefix}.{name}", getattr(self.part, name))


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


def laid_on(
    coats: tuple[Coat, ...], shown: Sequence[Coat], reader: Linked, lookup: MapLookup, below: Layer | None,
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
        reader.around = around_of(lookup, layer, {c.name: const(0.0) for c in beneath} | so_far)
        above = surface_layer(
            coat.surface, Fields(coat.surface, f"{coat.id}.surface", reader),
            Fields(coat.surface.detail, f"{coat.id}.surface.detail", reader), lookup,
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


def _own(coat: Coat, above: Layer, reader: Linked, lookup: MapLookup) -> dict[str, Value]:
    """What can be looked at of a coat alone."""
    at = laid_at(coat.surface, Fields(coat.surface, f"{coat.id}.surface", reader), lookup)
    placed_at = {f"at:{coat.id}": at} if at is not None else {}
    return {f"height:{coat.id}": above.height, f"color:{coat.id}": above.base_color, **placed_at}


def around_of(lookup: MapLookup, layer: Layer | None, shown: Mapping[str, Value]) -> Around:
    """What a recipe sees that is asked for above a layer; where all coats below are hidden, depth and darkness."""
    if layer is None:
        hidden = bool(shown)
        return Around(lookup, const(0.0) if hidden else None, const(0.0, 0.0, 0.0) if hidden else None, shown)
    return Around(lookup, layer.height, layer.base_color, shown)


@dataclass(frozen=True)
class _Edge:
    """How a coat meets what is below: its weight, and what the rim is worked out from."""

    weight: Value
    amount: Value
    above: Value
    below: Value
    fields: Any


def _edge(coat: Coat, above: Layer, below: Layer, reader: Linked, extra: dict[str, Value]) -> _Edge:
    fields = Fields(coat, coat.id, reader)
    total: Value | None = None
    for term in coat.where:
        value = term_value(term, Fields(term, f"{coat.id}.where.{term.id}", reader), reader.around)
        extra[f"term:{coat.id}:{term.id}"] = value
        extra |= _steps_seen(term, f"step:{coat.id}:{term.id}", reader.around)
        total = value if total is None else _joined(total, term, value)
    amount = lib.clamp(total * fields.amount) if total is not None else fields.amount
    extra[f"where:{coat.id}"] = amount
    seam = Fields(coat.seam, f"{coat.id}.seam", reader)
    if not lib.is_const(seam.wobble, 0.0):
        amount = wobbled(amount, lib.fbm(place_of("object") / seam.wobble_size, WOBBLE_OCTAVES, 17), seam.wobble)
    w = weight(coat.seam, amount, above.height, below.height, seam.softness, seam.bias)
    return _Edge(w, amount, above.height, below.height, seam)


def _rimmed(layer: Layer, coat: Coat, edge: _Edge, reader: FieldReader) -> Layer:
    """A layer with the coat's rim laid along the seam."""
    if not coat.rim.on:
        return layer
    rim = Fields(coat.rim, f"{coat.id}.rim", reader)
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
