"""In the real window: dials that shape the program, where changes go, and things taken over from another project."""

from __future__ import annotations

import shutil
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QCheckBox, QComboBox

from jade_coat.files.project_folder import open_project, save_project
from jade_coat.material.fields import declared
from jade_coat.material.kinds import KINDS
from jade_coat.material.placing import MOVE_KINDS
from jade_coat.material.recipes import Recipe, RecipeInput, Step
from jade_coat.material.shading import KIND_PARTS
from jade_coat.material.where import TERM_KINDS
from jade_coat.stage import edits
from jade_coat.stage.document import Document
from jade_coat.stage.edits import EDITS
from jade_coat.stage.looks import dial_values, worn
from tests.app.conftest import Hand
from tests.app.wall import shown


def picked(box: QComboBox, key: str) -> None:
    """Choose an entry as a person does, by keys."""
    box.setFocus()
    box.showPopup()
    view = box.view()
    index = box.model().index(box.findData(key), 0)
    view.scrollTo(index)
    QTest.mouseClick(view.viewport(), Qt.MouseButton.LeftButton, pos=view.visualRect(index).center())
    QApplication.processEvents()


def test_a_choice_becomes_a_dial_and_changes_one_finish_alone(hand: Hand) -> None:
    session, bench = hand.session, hand.window.bench
    path = "moss.where.noise.octaves"
    hand.click(bench.coat_panel.dots[path])
    dial = session.project.material("kiln_wall").dial_at(path)
    assert dial is not None
    field = bench.dials.fields[dial.id]
    hand.key(field, Qt.Key.Key_Up)
    assert dial_values(session.project, "celadon_wall")[dial.id] == 4
    before = shown(hand)
    picked(bench.dials.fields["tile_maps"].box, "run_glaze")
    assert session.project.finish("celadon_wall").values["tile_maps"] == "run_glaze"
    assert session.project.material("kiln_wall").coat("tile").surface.map_set == "glazed_tile"
    hand.settle()
    assert (np.abs(shown(hand) - before) > 12).any(axis=2).mean() > 0.2
    assert not session.faults
    hand.click(bench.dials.dots["tile_maps"])
    assert worn(session.project, "celadon_wall").coat("tile").surface.map_set == "glazed_tile"
    hand.window.undo()
    assert worn(session.project, "celadon_wall").coat("tile").surface.map_set == "run_glaze"


def test_a_seam_is_drawn_as_a_curve_dial(hand: Hand) -> None:
    session, bench = hand.session, hand.window.bench
    session.do(edits.expose(material="kiln_wall", path="moss.seam.points"))
    dial = session.project.material("kiln_wall").dial_at("moss.seam.points")
    curve = bench.dials.fields[dial.id].curve
    x, y = 0.35, 0.1
    at = QPoint(round(8 + x * (curve.width() - 16)), round(curve.height() - 8 - y * (curve.height() - 16)))
    hand.drag(curve, at, at + QPoint(0, -20))
    points = session.project.finish("celadon_wall").values[dial.id]
    assert points[1][1] == pytest.approx(0.1 + 20 / (curve.height() - 16), abs=0.05)
    hand.window.undo()
    assert dial.id not in session.project.finish("celadon_wall").values


def test_changes_go_to_the_material_or_to_one_finish(hand: Hand) -> None:
    session, panel = hand.session, hand.window.bench.coat_panel
    assert "12 finishes" in panel.note.sentence
    hand.click(panel.note._open)
    assert "Kiln mouth" in panel.note.names
    picked(panel.target, "finish")
    rim = next(b for b in panel.findChildren(QCheckBox) if "band along" in b.text())
    rim.click()  # no dial can hold that: it is said
    assert session.project.material("kiln_wall").coat("moss").rim.on
    assert "changed for every finish" in hand.window._message.text()
    hand.window.undo()
    field = panel.fields["moss.surface.normal_strength"]
    hand.drag(field, QPoint(60, 12), QPoint(90, 12))
    material = session.project.material("kiln_wall")
    assert material.coat("moss").surface.normal_strength == 1.0
    dial = material.dial_at("moss.surface.normal_strength")
    assert session.project.finish("celadon_wall").values[dial.id] > 1.05
    assert panel.fields["moss.surface.normal_strength"].value == session.project.finish("celadon_wall").values[dial.id]
    hand.window.undo()  # the new dial and its value are one change
    assert session.project.material("kiln_wall").dial_at("moss.surface.normal_strength") is None
    picked(panel.target, "material")
    hand.drag(panel.fields["moss.surface.normal_strength"], QPoint(60, 12), QPoint(90, 12))
    assert session.project.material("kiln_wall").coat("moss").surface.normal_strength > 1.05


def test_a_dials_limits_are_set_by_hand(hand: Hand) -> None:
    from jade_coat.app.build.dial_limits import DialLimits

    session = hand.session
    material = session.project.material("kiln_wall")
    asked = DialLimits(hand.window, material, next(d for d in material.dials if d.id == "moss_size"))
    asked.start.setText("0")
    hand.click(asked.keep)
    assert "above 0" in asked._warning.text()
    asked.low.setText("much")
    hand.click(asked.keep)
    assert "is no number" in asked._warning.text()
    for editor, text in ((asked.low, "0.1"), (asked.high, "1"), (asked.start, "0.2"), (asked.end, "0.9")):
        editor.setText(text)
    hand.click(asked.keep)
    session.do(edits.set_dial_words(material="kiln_wall", dial="moss_size", **asked.chosen()))
    field = hand.window.bench.dials.fields["moss_size"]
    assert (field.spec.low, field.spec.high, field.spec.span) == (0.1, 1.0, (0.2, 0.9))


def test_a_field_follows_a_recipe_with_its_own_inputs(hand: Hand) -> None:
    session, panel = hand.session, hand.window.bench.coat_panel
    before = shown(hand)
    panel.rows.follow(session.project.material("kiln_wall"), "moss.surface.tint", "", "dust_on_top")
    link = session.project.material("kiln_wall").link_at("moss.surface.tint")
    assert link.recipe == "dust_on_top"
    session.do(
        edits.link_field(material="kiln_wall", path="moss.surface.tint", recipe="dust_on_top", low=(4.0, 0.2, 0.2))
    )
    hand.drag(panel.link_fields["moss.surface.tint.inputs.patch"], QPoint(60, 12), QPoint(80, 12))
    assert session.project.material("kiln_wall").link_at("moss.surface.tint").inputs["patch"] > 0.4
    hand.settle()
    assert not session.faults
    assert (np.abs(shown(hand) - before) > 12).any(axis=2).mean() > 0.01


@pytest.mark.parametrize("owner", ["a where-term", "a move"])
def test_inputs_given_to_a_recipe_are_kept_beside_one_another_and_follow_undo(hand: Hand, owner: str) -> None:
    session, panel = hand.session, hand.window.bench.coat_panel
    two = (RecipeInput(name="much", value=0.5), RecipeInput(name="less", value=0.25))
    steps = (Step(id="sum", kind="add", args=("much", "less")),)
    session.do(edits.add_recipe(recipe=Recipe(id="two", name="Two", inputs=two, steps=steps)))
    session.choose_prop("kiln_wall_prop", "surface")
    session.choose_coat("moss")
    if owner == "a move":
        session.do(edits.add_move(material="kiln_wall", kind="recipe"))
        session.do(edits.set_move(material="kiln_wall", move="recipe", recipe="two"))
        rows, prefix = panel.moves.rows, "moves:recipe"
    else:
        session.do(edits.add_term(material="kiln_wall", coat="moss", kind="recipe"))
        session.do(edits.set_term(material="kiln_wall", coat="moss", term="recipe", recipe="two"))
        rows, prefix = panel.rows, "moss.where.recipe"

    def given() -> dict[str, float]:
        material = session.project.material("kiln_wall")
        parts = material.moves if owner == "a move" else material.coat("moss").where
        return next(p for p in parts if p.id == "recipe").inputs

    for name in ("much", "less"):
        hand.drag(rows.given[f"{prefix}.inputs.{name}"], QPoint(60, 12), QPoint(90, 12))
    assert given()["much"] > 0.5
    assert given()["less"] > 0.25
    session.document.undo()
    assert given().keys() == {"much"}
    assert rows.given[f"{prefix}.inputs.less"].value == 0.25


def test_things_are_taken_over_and_updated_after_showing_what_would_change(hand: Hand, tmp_path: Path) -> None:
    other = tmp_path / "other"
    shutil.copytree(hand.session.folder, other)
    opened = open_project(other)
    there = Document(opened.project)
    there.do(edits.set_field(material="jar_glaze", path="glaze.surface.turn", value=1.0))
    save_project(there.project, opened.assets, other)
    session, count = hand.session, len(hand.session.project.finishes)
    dialog = hand.window.take_from(other)
    entry = next(e for e in dialog.entries() if e.text(0) == "Iron jar")
    entry.setCheckState(0, Qt.CheckState.Checked)
    assert "Jar glaze 2 (material)" in dialog._text.text()
    assert "Run glaze" in dialog._text.text()
    hand.click(dialog._take)
    assert len(session.project.finishes) == count + 2
    taken = next(f for f in session.project.finishes if f.id == "iron_jar_2")
    session.do(edits.put_finish(prop="small_jar", slot="Body", finish=taken.id))
    hand.settle()
    assert not session.faults
    there.do(edits.set_field(material="jar_glaze", path="glaze.surface.turn", value=0.25))
    save_project(there.project, opened.assets, other)
    update = hand.window.update_taken()
    (change,) = update.entries()
    assert [change.child(i).text(0) for i in range(change.childCount())] == ["coats.glaze.surface.turn: 1 → 0.25"]
    update.accept()
    assert session.project.material("jar_glaze_2").coat("glaze").surface.turn == 0.25
    hand.window.undo()
    assert session.project.material("jar_glaze_2").coat("glaze").surface.turn == 1.0
    (tmp_path / "none").mkdir()
    assert hand.window.take_from(tmp_path / "none") is None


def test_steps_of_a_recipe_are_among_the_looks(hand: Hand) -> None:
    session, strip = hand.session, hand.window.bench.looks
    session.choose_prop("cream_jar", "Body")
    session.choose_coat("dust")
    hand.settle()
    looks = {t.look: t for t in strip.thumbs}
    assert "step:dust:dust:up" in looks
    before = shown(hand)
    hand.click(looks["step:dust:dust:up"])
    hand.settle()
    after = shown(hand)
    assert np.ptp(after[..., 0]) > 100
    assert (np.abs(after - before) > 20).any()


def _parts(material, coat) -> list:
    """Every part of a coat and the moves of its material: the path, the part as it is now, and how it is changed."""
    of = {"material": material.id, "coat": coat.id}
    surface = f"{coat.id}.surface"
    found = [
        (surface, lambda c, m: c.surface, "set_surface", of),
        (f"{surface}.detail", lambda c, m: c.surface.detail, "set_detail", of),
        (f"{coat.id}.seam", lambda c, m: c.seam, "set_seam", of), (f"{coat.id}.rim", lambda c, m: c.rim, "set_rim", of),
    ]  # fmt: skip
    for i, term in enumerate(coat.where):
        found.append((f"{coat.id}.where.{term.id}", lambda c, m, i=i: c.where[i], "set_term", {**of, "term": term.id}))
    for i, move in enumerate(material.moves):
        found.append((f"moves:{move.id}", lambda c, m, i=i: m.moves[i], "set_move",
                      {"material": material.id, "move": move.id}))  # fmt: skip
    for light in KIND_PARTS:
        found.append((f"light:{light}", lambda c, m, n=light: getattr(m, n), "set_shading",
                      {"material": material.id, "light": light}))  # fmt: skip
    return found


def test_every_declared_field_has_a_control_when_it_matters(hand) -> None:
    """On a coat with terms of all kinds, whose conditions are brought about one after the other."""
    session, panel = hand.session, hand.window.bench.coat_panel
    session.choose_prop("kiln_wall_prop", "surface")
    session.choose_coat("moss")
    for kind in TERM_KINDS:
        session.do(edits.add_term(material="kiln_wall", coat="moss", kind=kind))
    for kind in MOVE_KINDS:
        session.do(edits.add_move(material="kiln_wall", kind=kind))
    recipe = next(r.id for r in session.project.recipes if r.inputs)
    session.do(edits.set_move(material="kiln_wall", move="recipe", recipe=recipe))
    term = next(t.id for t in session.material.coat("moss").where if t.kind == "recipe")
    session.do(edits.set_term(material="kiln_wall", coat="moss", term=term, recipe=recipe))
    missing, first = [], session.project.map_sets[0].id
    for prefix, get, edit, arguments in _parts(session.material, session.material.coat("moss")):
        light = prefix.startswith("light:")
        if light:
            of_all = "masked" if arguments["light"] == "fill" else "opaque"  # what lies under cut-outs
            kind = next((k.name for k in KINDS.values() if k.part == arguments["light"]), of_all)
            session.do(edits.set_material(material="kiln_wall", kind=kind))
        for name, spec in declared(type(get(session.material.coat("moss"), session.material))).items():
            part = get(session.material.coat("moss"), session.material)
            if not spec.matters(part):
                other, wanted = spec.when
                stops = ((0.0, (0.0, 0.0, 0.0)), (1.0, (1.0, 1.0, 1.0)))
                some = {"more_sets": (first,), "map_set": first, "areas": first, "ramp": stops, "ramp_b": stops}
                assert session.do(EDITS[edit](**arguments, **{other: wanted[0] if wanted else some[other]}))
            if spec.map and spec.map != "any":
                there = spec.map.lstrip("-") in {m.role.value for m in session.project.map_set(
                    session.material.coat("moss").surface.map_set).maps}  # fmt: skip
                if there == spec.map.startswith("-"):
                    continue
            rows = panel.kind.rows if light else panel.moves.rows if prefix.startswith("moves:") else panel.rows
            path = f"{prefix}.{name}"
            controls = {*rows.fields, *rows.chosen, *(p.rpartition(".")[0] for p in rows.link_fields)}
            alone = name == "combine" and prefix.endswith(session.material.coat("moss").where[0].id)  # joins nothing
            if path not in controls and not alone and not (name == "points" and panel._curve is not None):
                missing.append(path)
    assert missing == []
