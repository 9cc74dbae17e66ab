"""Materials: seams, coverage, terms of a mask, and what their programs compute."""

from __future__ import annotations

import ast
from pathlib import Path

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from jade_coat.maps.packing import PackedLookup
from jade_coat.material.compile import compile_material, fixed_fields, folded_fields, live_fields, structure
from jade_coat.material.fields import declared, specs
from jade_coat.material.layers import Layer
from jade_coat.material.material import Coat, Dial, Material, spec_at
from jade_coat.material.placing import MOVE_KINDS
from jade_coat.material.rows import field_values, layout
from jade_coat.material.seam import SEAM_LABELS, Rim, Seam, weight
from jade_coat.material.surface import Detail, NoMaps, Surface, fields_in_use
from jade_coat.material.where import (
    TERM_KINDS,
    CavityTerm,
    DistanceTerm,
    FacingTerm,
    HeightTerm,
    NoiseTerm,
    PaintTerm,
    SlopeTerm,
    WorldHeightTerm,
)
from jade_coat.program import lib, passes
from jade_coat.program.numpy_backend import Environment, evaluate
from jade_coat.program.value import const
from jade_coat.stage import edits
from jade_coat.stage.document import Document
from jade_coat.stage.project import Project
from tests.core.two_coats import BLUE, RED, two_coats, unit


def run(material: Material, **attributes: np.ndarray) -> dict[str, np.ndarray]:
    outputs = compile_material(material, NoMaps(), fixed_fields(field_values(material)))
    count = max((a.shape[1] for a in attributes.values()), default=1)
    given_attributes = {
        "normal": np.tile(np.array([[0], [1], [0]], np.float32), (1, count)),
        "tangent": np.tile(np.array([[1], [0], [0], [1]], np.float32), (1, count)),
        "position": np.zeros((3, count), np.float32), "world_position": np.zeros((3, count), np.float32),
        "color0": np.zeros((4, count), np.float32), "curvature": np.zeros((1, count), np.float32), **attributes,
    }  # fmt: skip
    instance = {"metres0": np.ones((2, 1), np.float32)}
    shared = {"camera_position": np.array([[0.0], [1.0], [5.0]], np.float32)}
    return evaluate(outputs, Environment(attributes=given_attributes, instance=instance, shared=shared))


def seam_weight(kind: str, amount, above: float, below, softness: float, bias: float) -> np.ndarray:
    from jade_coat.program import lib

    amounts = np.atleast_1d(np.asarray(amount, np.float32))[None]
    belows = np.atleast_1d(np.asarray(below, np.float32))[None]
    value = weight(Seam(kind=kind), lib.dial("a"), above, lib.dial("b"), softness, bias)
    found = evaluate({"w": value}, Environment(dials={"a": amounts, "b": belows}))["w"][0]
    return np.broadcast_to(found, (max(amounts.shape[1], belows.shape[1]),))


@pytest.mark.parametrize("kind", SEAM_LABELS)
@settings(max_examples=60, deadline=None)
@given(above=unit, below=unit, softness=st.floats(0.001, 1), bias=st.floats(-1, 1))
@example(above=1.0, below=0.0, softness=0.5777860564020821, bias=0.0)
def test_amount_0_shows_none_and_1_shows_all_for_every_seam(kind, above, below, softness, bias) -> None:
    """A blend weight of 0 shows only the lower material, 1 only the upper (common practice, no source)."""
    none, all_ = seam_weight(kind, [0.0, 1.0], above, below, softness, bias)
    assert none == 0.0
    assert abs(all_ - 1.0) < 1e-6


@pytest.mark.parametrize("kind", SEAM_LABELS)
@settings(max_examples=40, deadline=None)
@given(above=unit, below=unit, softness=st.floats(0.01, 1), bias=st.floats(-1, 1))
def test_more_amount_never_shows_less(kind, above, below, softness, bias) -> None:
    climb = seam_weight(kind, np.linspace(0, 1, 101), above, below, softness, bias)
    assert np.diff(climb).min() >= -1e-6
    assert climb.min() >= 0
    assert climb.max() <= 1 + 1e-6


@settings(max_examples=60, deadline=None)
@given(amount=unit, above=unit, softness=st.floats(0.01, 1), heights=st.lists(unit, min_size=2, max_size=30))
def test_interlock_fills_low_places_first(amount, above, softness, heights) -> None:
    """With height-led blending a loose coat fills the joints before the stones (common practice, no source)."""
    ranked = np.sort(np.array(heights, np.float32))
    weights = seam_weight("interlock", amount, above, ranked, softness, 0.0)
    assert np.diff(weights).max(initial=0) <= 1e-6


def test_interlock_worked_example() -> None:
    """w = clamp((hc − hb + (2A − 1)(1 + d)) / 2d + 1/2) with hc 0.6, hb 0.5, A 0.5, d 0.25 is 0.7."""
    assert seam_weight("interlock", 0.5, 0.6, 0.5, 0.25, 0.0)[0] == pytest.approx(0.7, abs=1e-6)


def test_soft_seam_at_half_is_an_even_mix() -> None:
    found = run(two_coats(amount=0.5, seam=Seam(kind="soft")))
    assert found["base_color"][:, 0] == pytest.approx([0.5, 0.0, 0.5])
    assert found["roughness"][0, 0] == pytest.approx(0.5)


def test_a_seams_curve_must_climb_from_corner_to_corner() -> None:
    for points in (((0.0, 0.0),), ((0.0, 0.1), (1.0, 1.0)), ((0.0, 0.0), (0.5, 0.6), (0.4, 0.7), (1.0, 1.0))):
        with pytest.raises(ValidationError):
            Seam(kind="ramp", points=points)


def test_coverage_adds_up_to_one() -> None:
    material = two_coats(amount=0.3, seam=Seam(kind="soft"))
    third = Coat(id="third", name="Third", amount=0.6, seam=Seam(kind="soft"))
    found = run(material.with_(coats=(*material.coats, third)))
    shares = [float(found[f"coverage:{c}"][0, 0]) for c in ("low", "top", "third")]
    assert shares == pytest.approx([0.7 * 0.4, 0.3 * 0.4, 0.6])


def test_a_hidden_coat_costs_nothing() -> None:
    """Unused slots cost nothing once the program is stripped (common practice, no source)."""
    noisy = two_coats(where=(NoiseTerm(id="n"),))
    hidden = noisy.with_(coats=(noisy.coats[0], noisy.coats[1].with_(shown=False)))
    alone = noisy.with_(coats=noisy.coats[:1])
    costs = [passes.cost({"c": compile_material(m, NoMaps(), folded_fields(m))["base_color"]}) for m in (hidden, alone)]
    assert costs[0] == costs[1]


def where_of(term, **attributes) -> np.ndarray:
    return run(two_coats(where=(term,)), **attributes)["where:top"][0]


def test_paint_is_read_from_its_channel() -> None:
    color = np.array([[0.1], [0.2], [0.3], [0.4]], np.float32)
    for i, channel in enumerate("RGBA"):
        assert where_of(PaintTerm(id="p", channel=channel), color0=color)[0] == pytest.approx(color[i, 0])


def test_slope_runs_from_up_to_sideways() -> None:
    normals = np.array([[0, 1, 0], [0, np.sqrt(0.5), np.sqrt(0.5)], [1, 0, 0], [0, -1, 0]], np.float32).T
    assert where_of(SlopeTerm(id="s"), normal=normals) == pytest.approx([0, 0.5, 1, 1], abs=1e-3)


def test_heights_are_those_of_below_and_of_the_world() -> None:
    assert where_of(HeightTerm(id="h"))[0] == pytest.approx(0.5)
    height = np.array([[0, 0, 0], [-1.0, 0.5, 3.0], [0, 0, 0]], np.float32)
    assert where_of(WorldHeightTerm(id="w", range=(0.0, 2.0)), world_position=height) == pytest.approx([0, 0.25, 1])


def test_range_contrast_and_invert_shape_a_term() -> None:
    color = np.array([[0.0, 0.25, 0.5, 0.75, 1.0]] * 4, np.float32)
    plain = PaintTerm(id="p", range=(0.25, 0.75))
    assert where_of(plain, color0=color) == pytest.approx([0, 0, 0.5, 1, 1])
    assert where_of(plain.with_(invert=True), color0=color) == pytest.approx([1, 1, 0.5, 0, 0])
    assert where_of(PaintTerm(id="p", contrast=2.0), color0=color) == pytest.approx([0, 0, 0.5, 1, 1])


@pytest.mark.parametrize(("combine", "expected"), [("multiply", 0.12), ("add", 0.7), ("max", 0.4), ("min", 0.3)])
def test_terms_combine_as_documented(combine: str, expected: float) -> None:
    terms = (PaintTerm(id="a", channel="R"), PaintTerm(id="b", channel="G", combine=combine))
    color = np.array([[0.3], [0.4], [0], [0]], np.float32)
    assert run(two_coats(where=terms), color0=color)["where:top"][0, 0] == pytest.approx(expected, abs=1e-6)


@pytest.mark.parametrize("kind", TERM_KINDS)
def test_every_kind_of_term_stays_between_0_and_1(kind: str) -> None:
    rng = np.random.default_rng(2)
    points = rng.normal(size=(3, 500)).astype(np.float32) * 3
    normals = points / np.linalg.norm(points, axis=0)
    found = where_of(TERM_KINDS[kind](id="t"), position=points, world_position=points, normal=normals)
    assert found.min() >= 0
    assert found.max() <= 1
    assert TERM_KINDS[kind].label


def test_facing_is_the_cosine_and_distance_is_in_metres() -> None:
    """The viewer of `run` stands at (0, 1, 5)."""
    points = np.array([[0, 1, 0], [3, 1, 1]], np.float32).T
    normals = np.array([[0, 0, 1], [0, 0, 1]], np.float32).T
    facing = where_of(FacingTerm(id="f", toward="viewer"), world_position=points, normal=normals)
    assert facing == pytest.approx([1.0, 0.8], abs=1e-6)
    east = where_of(FacingTerm(id="f", azimuth=np.pi / 2), normal=np.array([[1, 0, 0], [0, 0, 1]], np.float32).T)
    assert east == pytest.approx([1.0, 0.0], abs=1e-6)
    assert where_of(DistanceTerm(id="d"), world_position=points) == pytest.approx([0.5, 0.5])
    near = DistanceTerm(id="d", origin="point", point=(3.0, 1.0, 1.0), range=(0.0, 10.0))
    assert where_of(near, world_position=points) == pytest.approx([np.sqrt(10) / 10, 0.0])


def test_cavity_tells_hollows_from_edges() -> None:
    bends = np.array([[-40.0, -10.0, 0.0, 10.0, 40.0]], np.float32)
    assert where_of(CavityTerm(id="c", size=0.05), curvature=bends) == pytest.approx([1, 0.5, 0, 0, 0])
    assert where_of(CavityTerm(id="c", size=0.05, side="edges"), curvature=bends) == pytest.approx([0, 0, 0, 0.5, 1])


@settings(max_examples=40, deadline=None)
@given(kind=st.sampled_from(list(SEAM_LABELS)), wobble=unit, lift=st.floats(-1, 1, width=32), height=unit)
def test_a_rim_and_a_wobble_leave_bare_and_full_places_as_they_are(kind, wobble, lift, height) -> None:
    """A blend weight of 0 shows only the lower material, 1 only the upper (common practice, no source)."""
    rim = Rim(on=True, tint=(0.0, 0.0, 0.0), roughness=0.5, lift=lift)
    for amount, color, rough in ((0.0, RED, 0.2), (1.0, BLUE, 0.8)):
        material = two_coats(amount=amount, seam=Seam(kind=kind, wobble=wobble), rim=rim)
        found = run(material, position=np.array([[0.3], [0.1], [height]], np.float32))
        np.testing.assert_allclose(found["base_color"][:, 0], color, atol=1e-5)
        assert found["roughness"][0, 0] == pytest.approx(rough, abs=1e-5)
    between = run(two_coats(amount=0.5, seam=Seam(kind=kind), rim=rim))
    assert between["base_color"][:, 0].max() < 1e-5
    assert between["height"][0, 0] == pytest.approx(np.clip(0.5 + lift, 0, 1), abs=1e-5)


def test_every_field_is_fully_described_and_its_default_lies_within_its_limits() -> None:
    for model in (Coat, Surface, Detail, Seam, Rim, *TERM_KINDS.values()):
        for name, spec in specs(model).items():
            default = model.model_fields[name].default
            assert spec.label
            assert spec.clamped(default) == default, (model.__name__, name)
            assert spec.low <= spec.span[0] < spec.span[1] <= spec.high, (model.__name__, name)


def test_fields_that_do_not_matter_are_not_offered(demo) -> None:
    lookup = PackedLookup(demo.project.map_sets, demo.project.recipes)
    mapped = fields_in_use(Surface(map_set="glazed_tile"), lookup)
    plain = fields_in_use(Surface(), lookup)
    assert "tile_size" in mapped
    assert "roughness_range" in mapped
    assert "roughness" not in mapped
    assert "tile_size" not in plain
    assert "roughness" in plain


def test_turning_a_field_keeps_the_structure_and_changing_its_kind_does_not() -> None:
    material = two_coats(where=(PaintTerm(id="p"),)).with_(dials=(Dial(id="a", path="top.amount", name="A"),))
    turned = Document(Project(materials=(material,)))
    turned.do(edits.set_field(material="m", path="top.amount", value=0.3))
    after = turned.project.material("m")
    assert structure(after) == structure(material)
    assert layout(after) == layout(material)
    turned.do(edits.set_field(material="m", path="top.where.p.range", value=(0.1, 0.7)))
    turned.do(edits.set_field(material="m", path="top.surface.roughness", value=0.31))
    live = turned.project.material("m")
    turned.do(edits.set_field(material="m", path="top.surface.roughness", value=0.32))
    assert structure(turned.project.material("m")) == structure(live)
    turned.do(edits.set_seam(material="m", coat="top", kind="cut"))
    assert structure(turned.project.material("m")) != structure(live)
    assert spec_at(live, "top.amount").label == "Amount"


def test_live_and_fixed_programs_give_the_same_values() -> None:
    material = two_coats(amount=0.4, seam=Seam(kind="cut", softness=0.5))
    fixed = compile_material(material, NoMaps(), fixed_fields(field_values(material)))
    live = compile_material(material, NoMaps(), live_fields(material))
    dials = {k: np.atleast_2d(np.array(v, np.float32)).T for k, v in field_values(material).items()}
    flat = {"normal": np.array([[0], [1], [0]], np.float32), "tangent": np.array([[1], [0], [0], [1]], np.float32)}
    for name in ("base_color", "roughness", "height"):
        a = evaluate({name: fixed[name]}, Environment(attributes=flat))[name]
        b = evaluate({name: live[name]}, Environment(attributes=flat, dials=dials))[name]
        np.testing.assert_allclose(a, b, atol=1e-6)
    assert fixed["opacity"] is const(1.0)


def test_every_edit_has_a_title() -> None:
    for name, made in edits.EDITS.items():
        assert made.title
        assert getattr(edits, name) is made


def test_the_product_calls_edits_as_functions_that_the_type_checker_sees() -> None:
    """Not by their names: a name that is mistyped, or an argument of the wrong kind, must not wait for a user."""
    package = Path(edits.__file__).parents[2]
    for path in package.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.Constant) and node.value in edits.EDITS:
                assert path.parent == Path(edits.__file__).parent or node.value in WORDS, (
                    path,
                    node.lineno,
                    node.value,
                )


WORDS = {"paint_map", "expose"}
"""Names of edits that are those of fields or of looks too."""


STRUCTURE = {"id", "name", "shown", "where", "surface", "detail", "seam", "rim"}
"""What makes parts of parts, and is set by other means than a control for it."""


@pytest.mark.parametrize(
    "model", [Coat, Surface, Detail, Seam, Rim, *TERM_KINDS.values(), *MOVE_KINDS.values()], ids=lambda m: m.__name__
)
def test_every_field_of_every_part_says_what_it_is(model) -> None:
    """A field without a declaration has no control; `kind` tells kinds of terms and moves apart."""
    told = declared(model)
    kinds = {"kind"} if model in {*TERM_KINDS.values(), *MOVE_KINDS.values()} else set()
    kept = {"value"} if model is TERM_KINDS["shared"] else set()  # what a removed dial was last
    assert set(model.model_fields) - STRUCTURE - kinds - kept == set(told)
    for name, spec in told.items():
        assert spec.label, name
        if spec.when is not None:
            assert spec.when[0] in told


@given(st.floats(0, 1), st.floats(0, 1))
def test_a_material_over_a_layer_from_outside_is_mixed_by_where_it_shows_and_its_opacity(
    amount: float, there: float
) -> None:
    """A decal (common practice, no source): 0 leaves what lies below, 1 hides it, between is an even mix."""
    ground = Layer(
        base_color=lib.const(0.1, 0.2, 0.3), normal=lib.const(0.0, 0.0, 1.0), roughness=lib.const(0.9),
        metallic=lib.const(0.0), occlusion=lib.const(0.7), height=lib.const(0.25), emissive=lib.const(0.0, 0.0, 0.0),
        opacity=lib.const(there), specular=lib.const(1.0), transmission=lib.const(0.0),
    )  # fmt: skip
    coat = Coat(
        id="c", name="C", amount=amount, seam=Seam(kind="soft"), surface=Surface(color=(0.9, 0.5, 0.1), roughness=0.3)
    )
    material = Material(id="m", name="M", coats=(coat,))
    found = compile_material(material, NoMaps(), lambda _, v: lib.const(*(v if isinstance(v, tuple) else (v,))), ground)
    values = evaluate({n: found[n] for n in ("base_color", "roughness", "opacity", "height")}, Environment())
    mixed = np.array([0.1, 0.2, 0.3]) * (1 - amount) + np.array([0.9, 0.5, 0.1]) * amount
    np.testing.assert_allclose(values["base_color"][:, 0], mixed, atol=1e-6)
    assert values["roughness"][0, 0] == pytest.approx(0.9 * (1 - amount) + 0.3 * amount, abs=1e-6)
    assert values["opacity"][0, 0] == pytest.approx(there, abs=1e-7)
    assert values["height"][0, 0] == pytest.approx(0.25 * (1 - amount) + 0.5 * amount, abs=1e-6)
