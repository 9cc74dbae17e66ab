"""Coats, seams and wheres; dials and finishes."""

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
from jade_coat.material.material import Coat, Dial, Finish, Material, field_values, layout, spec_at
from jade_coat.material.placing import MOVE_KINDS
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
from jade_coat.stage.looks import dial_values, field_row, inherited_values, lineage, reach
from jade_coat.stage.mesh_assets import MeshAsset
from jade_coat.stage.project import Project, Prop
from jade_coat.stage.rows import KeptRows

unit = st.floats(0, 1, width=32)
RED, BLUE = (1.0, 0.0, 0.0), (0.0, 0.0, 1.0)


def two_coats(**top) -> Material:
    return Material(
        id="m", name="M",
        coats=(
            Coat(id="low", name="Low", surface=Surface(color=RED, roughness=0.2, height=0.5)),
            Coat(id="top", name="Top", surface=Surface(color=BLUE, roughness=0.8, height=0.5), **top),
        ),
    )  # fmt: skip


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


# Dials and finishes


def project_with(finishes: int = 3) -> Project:
    material = two_coats().with_(
        dials=(
            Dial(id="tint", path="low.surface.tint", name="Tint"), Dial(id="rough", path="top.surface.roughness", name="Rough"),
            Dial(id="amount", path="top.amount", name="Amount"),
        )
    )  # fmt: skip
    line = [Finish(id=f"f{i}", name=f"F{i}", parent="m" if i == 0 else f"f{i - 1}") for i in range(finishes)]
    mesh = MeshAsset(id="box", name="Box", asset="meshes/none.glb", slots=("surface",))
    props = [Prop(id=f"p{i}", name=f"P{i}", mesh="box", finishes={"surface": f"f{i}"}) for i in range(finishes)]
    return Project(materials=(material,), finishes=tuple(line), meshes=(mesh,), props=tuple(props))


@st.composite
def finish_edits(draw: st.DrawFn) -> list[tuple[str, dict]]:
    steps = []
    for _ in range(draw(st.integers(1, 14))):
        finish = f"f{draw(st.integers(0, 3))}"
        if draw(st.booleans()):
            value = draw(st.floats(0, 1, width=32))
            steps.append(
                ("set_dial", {"finish": finish, "dial": draw(st.sampled_from(["rough", "amount"])), "value": value})
            )
        else:
            kind = draw(st.sampled_from(["reset_dial", "promote_dial", "reset_dials"]))
            dial = {} if kind == "reset_dials" else {"dial": draw(st.sampled_from(["rough", "amount"]))}
            steps.append((kind, {"finish": finish, **dial}))
    return steps


@settings(max_examples=60, deadline=None)
@given(finish_edits())
def test_inheritance_equals_the_flattened_values_and_undo_restores_every_tree(steps) -> None:
    document = Document(project_with(4))
    trees = [document.project]
    flat = [{"rough": None, "amount": None} for _ in range(4)]
    base = {"rough": 0.8, "amount": 1.0}
    kept = KeptRows()
    for name, arguments in steps:
        at = int(arguments["finish"][1])
        level, dial = flat[at], arguments.get("dial")
        if name == "promote_dial" and level[dial] is None:
            with pytest.raises(KeyError, match="does not change"):
                document.do(edits.EDITS[name](**arguments))
            continue
        before = document.project
        document.do(edits.EDITS[name](**arguments))
        if name == "reset_dials":
            level.update(rough=None, amount=None)
        elif name == "promote_dial":
            (flat[at - 1] if at else base)[dial] = level[dial]
            level[dial] = None
        else:
            level[dial] = arguments.get("value")
        if document.project is not before:
            trees.append(document.project)
        material = document.project.materials[0]
        rows = kept.of(document.project, material)  # kept and brought up to date from edit to edit
        for i in range(4):
            expected = layout(material).pack(field_row(document.project, f"f{i}"))
            np.testing.assert_array_equal(rows.row(f"f{i}"), expected)
    for i in range(4):
        for dial in ("rough", "amount"):
            set_here = [flat[j][dial] for j in range(i, -1, -1) if flat[j][dial] is not None]
            assert dial_values(document.project, f"f{i}")[dial] == (set_here[0] if set_here else base[dial])
    done = 0
    while document.undo():
        done += 1
    assert document.project == trees[0]
    for _ in range(done):
        document.redo()
    assert document.project == trees[-1]


@st.composite
def material_edits(draw: st.DrawFn) -> list[tuple[str, dict]]:
    """Random edits of a material's every part, some of which cannot be."""
    coat = st.sampled_from(["low", "top", "none"])
    kinds = {
        "set_surface": lambda: {"placement": draw(st.sampled_from(["uv", "triplanar", "planar"])),
                                "tile_break": draw(st.sampled_from(["none", "hex", "offset", "mirror"]))},
        "set_detail": lambda: {"map_set": draw(st.sampled_from(["", "moss"]))},
        "set_rim": lambda: {"on": draw(st.booleans())},
        "set_seam": lambda: {"kind": draw(st.sampled_from(list(SEAM_LABELS)))},
        "add_term": lambda: {"kind": draw(st.sampled_from(list(TERM_KINDS)))},
        "remove_term": lambda: {"term": draw(st.sampled_from(list(TERM_KINDS)))},
        "move_term": lambda: {"term": draw(st.sampled_from(list(TERM_KINDS))), "to": draw(st.integers(-1, 3))},
        "move_coat": lambda: {"to": draw(st.integers(-1, 3))},
        "set_coat": lambda: {"shown": draw(st.booleans())},
        "remove_coat": dict,
    }  # fmt: skip
    steps = []
    for _ in range(draw(st.integers(1, 16))):
        name = draw(st.sampled_from([*kinds, "set_field", "expose", "hide"]))
        if name in kinds:
            steps.append((name, {"material": "m", "coat": draw(coat), **kinds[name]()}))
            continue
        path = draw(
            st.sampled_from(["top.surface.hue", "top.rim.width", "low.surface.detail.relief", "top.seam.wobble"])
        )
        steps.append((name, {"material": "m", "path": path} | ({"value": draw(unit)} if name == "set_field" else {})))
    return steps


@settings(max_examples=120, deadline=None)
@given(material_edits())
def test_random_edits_undone_and_redone_give_equal_documents_that_survive_json(steps) -> None:
    document = Document(project_with(2))
    trees = [document.project]
    for name, arguments in steps:
        before = document.project
        try:
            document.do(edits.EDITS[name](**arguments))
        except (KeyError, ValueError):
            assert document.project is before  # what cannot be leaves all as it was
        if document.project is not trees[-1]:
            trees.append(document.project)
    assert Project.model_validate_json(document.project.model_dump_json()) == document.project
    compile_material(document.project.material("m"), NoMaps(), live_fields(document.project.material("m")))
    for tree in reversed(trees[:-1]):
        document.undo()
        assert document.project == tree
    for tree in trees[1:]:
        document.redo()
        assert document.project == tree


def test_several_finishes_turn_together_parents_change_and_no_circle_can_be_made() -> None:
    document = Document(project_with(4))
    document.do(edits.set_dial_of_many(finishes=("f1", "f3"), dial="rough", value=0.1))
    assert [dial_values(document.project, f"f{i}")["rough"] for i in range(4)] == [0.8, 0.1, 0.1, 0.1]
    document.do(edits.set_parent(finish="f3", parent="f0"))
    assert lineage(document.project, "f3")[1].id == "f0"
    for finish, parent in (("f0", "f2"), ("f1", "f1")):
        with pytest.raises(ValueError, match="own parents"):
            document.do(edits.set_parent(finish=finish, parent=parent))
    document.do(edits.move_dial(material="m", dial="amount", to=0))
    document.do(edits.set_dial_words(material="m", dial="amount", group="Age", hint="How much"))
    first = document.project.material("m").dials[0]
    assert (first.id, first.group, first.hint) == ("amount", "Age", "How much")


def test_a_renamed_dial_loses_no_value() -> None:
    document = Document(project_with())
    document.do(edits.set_dial(finish="f1", dial="rough", value=0.25))
    document.do(edits.rename_dial(material="m", dial="rough", name="Polish"))
    assert dial_values(document.project, "f2")["rough"] == 0.25
    assert field_row(document.project, "f2")["top.surface.roughness"] == 0.25
    assert inherited_values(document.project, "f1")["rough"] == 0.8


def test_exposing_a_field_makes_a_unique_name_and_hiding_keeps_the_value() -> None:
    document = Document(project_with())
    material = document.project.material("m")
    document.do(edits.set_coat(material="m", coat="top", name="Low"))
    for path in ("low.surface.roughness", "top.surface.turn", "top.seam.softness"):
        document.do(edits.expose(material="m", path=path))
    names = [d.name for d in document.project.material("m").dials]
    assert len(set(names)) == len(names)
    assert "Low roughness" in names
    document.do(edits.hide(material="m", path="top.amount"))
    assert field_row(document.project, "f0")["top.amount"] == material.coat("top").amount


def test_values_are_kept_within_hard_limits() -> None:
    document = Document(project_with())
    document.do(edits.set_dial(finish="f0", dial="rough", value=7.0))
    assert dial_values(document.project, "f0")["rough"] == 1.0
    with pytest.raises(ValueError, match="expected 3"):
        document.do(edits.set_dial(finish="f0", dial="tint", value=0.5))
    with pytest.raises(KeyError, match="no dial 'nothing'"):
        document.do(edits.set_dial(finish="f0", dial="nothing", value=0.5))


def test_no_cycle_of_finishes_can_be_made() -> None:
    project = project_with()
    with pytest.raises(ValueError, match="among its own parents"):
        project.with_(finishes=(project.finishes[0].with_(parent="f2"), *project.finishes[1:]))
    with pytest.raises(ValueError, match="no material"):
        project.with_(finishes=(Finish(id="x", name="X", parent="gone"),))


def test_reach_counts_finishes_and_props() -> None:
    project = project_with(3)
    assert reach(project, "m").sentence == "3 props in 3 finishes"
    assert reach(project, "f1").props == ("p1", "p2")
    assert [f.id for f in lineage(project, "f2")] == ["f2", "f1", "f0"]


def test_removing_a_finish_leaves_its_children_as_they_looked() -> None:
    document = Document(project_with())
    document.do(edits.set_dial(finish="f1", dial="rough", value=0.1))
    before = dial_values(document.project, "f2")
    document.do(edits.remove_finish(finish="f1"))
    assert dial_values(document.project, "f2") == before
    assert document.project.prop("p1").finishes["surface"] == "f0"


def test_removing_or_moving_a_coat_drops_only_the_dials_that_pointed_at_it() -> None:
    document = Document(project_with())
    document.do(edits.move_coat(material="m", coat="top", to=0))
    assert [c.id for c in document.project.material("m").coats] == ["top", "low"]
    document.undo()
    document.do(edits.remove_coat(material="m", coat="top"))
    assert [d.id for d in document.project.material("m").dials] == ["tint"]
    with pytest.raises(ValueError, match="at least one coat"):
        document.do(edits.remove_coat(material="m", coat="low"))


def test_a_drag_is_one_step_and_a_failed_edit_changes_nothing() -> None:
    document = Document(project_with())
    start = document.project
    for i in range(10):
        document.do(edits.set_dial(finish="f0", dial="rough", value=i / 10), merge="drag")
    document.settle()
    document.do(edits.set_dial(finish="f0", dial="rough", value=0.95), merge="drag")
    assert document.undo() == "Turn a dial of a finish"
    assert dial_values(document.project, "f0")["rough"] == 0.9
    document.undo()
    assert document.project is start
    with pytest.raises(KeyError):
        document.do_all("both", [edits.rename_finish(finish="f0", name="x"), edits.rename_finish(finish="?", name="y")])
    assert document.project is start
    assert not document.dirty


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
        opacity=lib.const(there),
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
