"""Edits of materials and finishes: inheritance, undo, names, limits, what is dropped."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from jade_coat.material.compile import compile_material, live_fields
from jade_coat.material.material import Dial, Finish
from jade_coat.material.rows import layout
from jade_coat.material.seam import SEAM_LABELS
from jade_coat.material.surface import NoMaps
from jade_coat.material.where import (
    TERM_KINDS,
)
from jade_coat.stage import edits
from jade_coat.stage.document import Document
from jade_coat.stage.looks import dial_values, field_row, inherited_values, lineage, reach
from jade_coat.stage.mesh_assets import MeshAsset
from jade_coat.stage.project import Project, Prop
from jade_coat.stage.rows import KeptRows
from tests.core.two_coats import two_coats, unit


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
