"""Compiles a material to a program: coats from the bottom up, each blended over the last by its weight."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any

from jade_coat.material.compile_stacked import compile_stacked
from jade_coat.material.coverage import coverage_of
from jade_coat.material.fields import Number, remembered
from jade_coat.material.kind_part import PREFIX as LIGHT
from jade_coat.material.kinds import kind_of
from jade_coat.material.layers import Layer
from jade_coat.material.laying import FieldReader, Fields, Linked, around_of, const_of, dial_of, laid_on, world_normal
from jade_coat.material.material import Coat, Dial, Material, numbers_of, owner_of, place_of_part
from jade_coat.material.paged import PagedMaterial, compile_paged
from jade_coat.material.placing import PREFIX, compile_moves
from jade_coat.material.quantity import OUTPUTS
from jade_coat.material.shared import CAMERA, EVERYWHERE, EYE_KNOWN, NO_LAND, SharedValue, is_supplied
from jade_coat.material.stacking import StackedMaterial
from jade_coat.material.surface import MapLookup
from jade_coat.program import FLOAT, VEC3, VEC4, Value, const, lib, passes

WAYS_KEPT = 4
"""Texts of a coat that are kept: as it is, and with all of its fields read from the row."""
VIEWING_DISTANCE = 3.0
"""Metres that a viewer is away from what is seen from straight ahead."""


def folded_fields(material: Material) -> FieldReader:
    """Read exposed fields as dials and everything else as constants: for hand-over and baking."""
    exposed = {d.path for d in material.dials}
    return lambda path, value: dial_of(path, value) if path in exposed else const_of(value)


def live_fields(material: Material) -> FieldReader:
    """Read exposed and changed fields as dials, the rest as constants: turning a field then never recompiles."""
    live = live_paths(material)
    return lambda path, value: dial_of(path, value) if path in live else const_of(value)


@remembered
def live_paths(material: Material) -> frozenset[str]:
    """The paths of numeric fields that are exposed or differ from their default."""
    exposed = {d.path for d in material.dials}
    return frozenset(found.path for found in numbers_of(material) if found.changed or found.path in exposed)


@remembered
def structure(material: Material) -> tuple[object, ...]:
    """What decides a live program's text: everything but the numbers that are read from the row."""
    if isinstance(material, PagedMaterial) and material.of is not None:
        return (*structure(material.with_(of=None)), *structure(material.of))
    live = live_paths(material)
    by_owner: dict[str, list[str]] = {}
    for path in sorted(live):
        by_owner.setdefault(owner_of(path), []).append(path)
    coats = tuple(_coat_text(c, tuple(by_owner.pop(c.id, ()))) for c in material.coats)
    rest = material.model_dump(exclude={"id", "name", "dials", "cut", "coats"})
    for owner, paths in by_owner.items():
        _leave_out(rest, place_of_part(owner), paths)
    return (coats, repr(rest), live)


def _coat_text(coat: Coat, live: tuple[str, ...]) -> str:
    """What decides a program's text of a coat, but the fields that are read from the row."""
    known = _coat_texts(coat)
    text = known.get(live)
    if text is None:
        bare = coat.model_dump(exclude={"name"})
        _leave_out(bare, (), live)
        if len(known) >= WAYS_KEPT:
            known.clear()
        text = known[live] = repr(bare)
    return text


@remembered
def _coat_texts(coat: Coat) -> dict[tuple[str, ...], str]:
    return {}


def _leave_out(bare: Any, place: Sequence[str], paths: Iterable[str]) -> None:
    """Take fields out of what was dumped; their owner lies at a place in it."""
    for path in paths:
        *owners, name = path.split(".")[1:]
        part: Any = bare
        for owner in (*place, *owners):
            part = part[owner] if isinstance(part, dict) else next(t for t in part if t["id"] == owner)
        part.pop(name)


def with_live_coat(material: Material, coat: str) -> Material:
    """A material whose program reads every numeric field of one coat (and of its moves and light) from the row.

    While a coat is being worked on, no field that is turned for the first time then changes the program.
    """
    exposed = {d.path for d in material.dials}
    own = kind_of(material.kind).part
    parts = (f"{coat}.", PREFIX, *((f"{LIGHT}{own}.",) if own else ()))  # not `far`: without it a program is quicker
    paths = [n.path for n in numbers_of(material) if n.path.startswith(parts) and n.path not in exposed]
    return material.with_(dials=(*material.dials, *(Dial(id=f"live {p}", path=p, name=p) for p in paths)))


def fixed_fields(values: Mapping[str, Number]) -> FieldReader:
    """Read every field as a constant out of `values` by path: for baking one look."""
    return lambda path, value: const_of(values.get(path, value))


def with_shared(outputs: Mapping[str, Value], values: Mapping[str, SharedValue]) -> dict[str, Value]:
    """A program with its shared dials, the time and the wind fixed; what is not known is as at rest, or 0."""

    def fixed(node: Value) -> Value:
        if node.op == "shared" and is_supplied(node.static[0]):
            return const_of(values.get(node.static[0], EVERYWHERE.get(node.static[0], 0.0)))
        return node

    return passes.folded_as(outputs, fixed)


def seen_from_ahead(outputs: Mapping[str, Value]) -> dict[str, Value]:
    """A program with the viewer straight before every point, where no eye is known that cards could turn to: what is
    baked once cannot know where they stand."""
    ahead = lib.attribute("world_position", VEC3) + lib.normalize(lib.attribute("normal", VEC3)) * VIEWING_DISTANCE
    known = {lib.shared(CAMERA, VEC3): ahead, lib.shared(EYE_KNOWN, FLOAT): const(0.0), **_no_land()}
    return passes.folded_as(outputs, lambda node: known.get(node, node))


def seen_by(outputs: Mapping[str, Value], eye: tuple[float, float, float]) -> dict[str, Value]:
    """A program as it is for an eye at a place in the world, metres."""
    known = {lib.shared(CAMERA, VEC3): const(*eye), lib.shared(EYE_KNOWN, FLOAT): const(1.0), **_no_land()}
    return passes.folded_as(outputs, lambda node: known.get(node, node))


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
    if isinstance(material, PagedMaterial):
        return compile_paged(material, lookup, live_fields(material.of) if material.of is not None else reader)
    if isinstance(material, StackedMaterial):
        return compile_stacked(material, lookup, reader)
    linked, extra = Linked(material, reader, lookup), dict[str, Value]()
    shown = [c for c in material.coats if c.shown] or [material.coats[0]]
    layer, weights, so_far = laid_on(material.coats, shown, linked, lookup, below, extra)
    extra |= coverage_of(material, weights)
    frame = "shading_" if material.moves else ""
    outputs = {name: getattr(layer, name) for name in OUTPUTS} | {"normal": world_normal(layer.normal, frame), **extra}
    if material.moves:
        outputs |= compile_moves(
            material.moves, around_of(lookup, layer, so_far), lambda m: Fields(m, f"{PREFIX}{m.id}", linked),
            material.vertex_level,
        )  # fmt: skip
    outputs |= _own_part(material, linked, outputs, frame)
    outputs |= _settled(material, linked, outputs)
    return passes.fold({**outputs, **_faded(material, linked, outputs), **_filled(material, linked, outputs)})


def _faded(material: Material, reader: Linked, outputs: Mapping[str, Value]) -> dict[str, Value]:
    """How much of a material is there from afar, where it fades; what blends is that much fainter."""
    fields = Fields(material.far, f"{LIGHT}far", reader)
    found = material.far.program(fields, outputs, reader.around.lookup)
    if found and kind_of(material.kind).blend:
        return {"opacity": outputs["opacity"] * found["fade"]}
    return found


def _filled(material: Material, reader: Linked, outputs: Mapping[str, Value]) -> dict[str, Value]:
    """What lies under a material that is cut, where it has a fill."""
    if not kind_of(material.kind).cut:
        return {}
    return material.fill.program(Fields(material.fill, f"{LIGHT}fill", reader), outputs, reader.around.lookup)


def _settled(material: Material, reader: Linked, outputs: Mapping[str, Value]) -> dict[str, Value]:
    """What a material becomes near the land, where it settles on it."""
    fields = Fields(material.settle, f"{LIGHT}settle", reader)
    return material.settle.program(fields, outputs, reader.around.lookup)


def settles(material: Material) -> bool:
    """Whether a live program of a material takes on the look of the land."""
    return not isinstance(material, StackedMaterial) and f"{LIGHT}settle.reach" in live_paths(material)


def off_land(outputs: Mapping[str, Value]) -> dict[str, Value]:
    """A program where no land is known: what is baked, written or worked out by NumPy stands on none."""
    known = _no_land()
    return passes.folded_as(outputs, lambda node: known.get(node, node))


def _no_land() -> dict[Value, Value]:
    return {lib.shared(name, VEC3): const(*value) for name, value in NO_LAND.items()}


def is_filled(material: Material) -> bool:
    """Whether a live program of a material that is cut has a fill."""
    return f"{LIGHT}fill.depth" in live_paths(material) and bool(kind_of(material.kind).cut)


def dithers(material: Material) -> bool:
    """Whether a material is dithered by another pattern than the fine noise that all know."""
    return kind_of(material.kind).part == "dither" and material.dither.pattern != "noise"


def fades(material: Material) -> bool:
    """Whether a live program leaves points out by distance."""
    return f"{LIGHT}far.gone" in live_paths(material) and not kind_of(material.kind).blend


def _own_part(material: Material, reader: Linked, outputs: Mapping[str, Value], frame: str) -> dict[str, Value]:
    """What a kind adds of its own, such as what its light is worked out from, and the quantities that it changes."""
    part = material.kind_part
    if part is None:
        return {}
    prefix = f"{LIGHT}{kind_of(material.kind).part}"
    return part.program(Fields(part, prefix, reader), outputs, reader.around.lookup, frame)


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
