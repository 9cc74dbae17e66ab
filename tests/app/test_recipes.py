"""The steps sheet in the real window: rows, pictures, faults, and the fault finish on the props."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PyQt6.QtCore import QMimeData, QPointF, Qt, QUrl
from PyQt6.QtGui import QDropEvent
from PyQt6.QtTest import QTest

from jade_coat.material.recipes import LIBRARY, Recipe, Step
from jade_coat.stage import edits
from tests.app.conftest import Hand
from tests.app.wall import shown


def test_a_recipe_is_made_edited_in_rows_and_used_by_a_coat(hand: Hand) -> None:
    session, sheet = hand.session, hand.window.workspaces["Build"].show_recipes()
    assert "Jar glaze" in sheet._used.text()
    streaks = next(r for r in LIBRARY if r.id == "streaks")
    sheet.add(streaks)
    assert sheet.recipe.name == "Streaks"
    assert all(not line.picture.pixmap().isNull() for line in sheet.rows.values())  # nothing without a picture
    assert all(int(line.cost.text()) >= 0 for line in sheet.rows.values())
    row = sheet.rows["runs"]
    row.args[1].setFocus()
    row.args[1].selectAll()
    QTest.keyClicks(row.args[1], "0.3")
    row.args[1].editingFinished.emit()
    assert session.project.recipe("streaks").steps[3].args == ("thin", "0.3")
    sheet.add_step()
    assert session.project.recipe("streaks").steps[-1].kind == "keep"
    sheet.rows["thin"].name.setText("drawn out")
    sheet.rows["thin"].name.editingFinished.emit()
    assert session.project.recipe("streaks").steps[3].args[0] == "drawn_out"
    before = shown(hand)
    session.do(edits.add_term(material="kiln_wall", coat="lime", kind="recipe"))
    session.do(edits.set_term(material="kiln_wall", coat="lime", term="recipe", recipe="streaks", invert=True))
    hand.settle()
    assert session.faults == {}
    assert np.abs(shown(hand) - before).mean() > 0.3
    assert "Kiln wall" in sheet._used.text()
    compiled = session.project.material("kiln_wall").coat("lime").where[-1]
    assert compiled.recipe == "streaks"
    sheet.close()


def test_a_faulty_step_shows_on_its_row_and_on_the_props_that_use_it_and_one_undo_mends_it(hand: Hand) -> None:
    session, sheet = hand.session, hand.window.workspaces["Build"].show_recipes()
    sheet.chosen = "dust_on_top"
    sheet.refresh()
    well = shown(hand)
    row = sheet.rows["dust"]
    row._set_kind("divide")
    hand.settle()
    assert session.faults == {}  # a division by something that is not 0 everywhere has a meaning
    row = sheet.rows["dust"]
    row.args[1].setText("0")
    row.args[1].editingFinished.emit()
    hand.settle()
    assert "division by zero" in sheet.rows["dust"].fault.text()
    assert sheet.rows["dust"].fault.isVisible()
    assert not sheet.rows["up"].fault.isVisible()
    assert set(session.faults) == {"jar_glaze", "terrace_floor"}
    faulty = shown(hand)
    height, width = faulty.shape[:2]
    assert (
        np.abs(faulty[: height // 3, width // 3 : width // 2] - well[: height // 3, width // 3 : width // 2]).mean() < 1
    )
    assert np.abs(faulty - well).mean() > 2  # jars and floor are striped; the wall goes on as it was
    hand.window.undo()
    hand.window.undo()
    hand.settle()
    assert session.faults == {}
    assert np.abs(shown(hand) - well).mean() < 0.5
    assert not any(line.fault.isVisible() for line in sheet.rows.values())
    sheet.close()


def test_a_step_at_the_vertices_says_how_far_it_is_off_on_the_chosen_prop(hand) -> None:
    session = hand.session
    session.choose_prop("floor", "surface")
    session.do(edits.add_recipe(recipe=Recipe(id="rough", name="Rough", steps=(
        Step(id="noise", kind="clouds", args=("position", "0.1")), Step(id="cheap", kind="at vertices", args=("noise",)),
    ))))  # fmt: skip
    sheet = hand.window.workspaces["Build"].show_recipes()
    sheet.chosen = "rough"
    sheet.refresh()
    note = sheet.rows["cheap"].note
    hand.until(lambda: "off between the vertices" in note.text())
    assert "Terrace floor" in note.text()
    assert note.isVisible()
    assert not sheet.rows["noise"].note.isVisible()
    sheet.close()


def test_a_recipe_reads_maps_and_what_lies_below_and_dresses_the_stage_by_it(hand: Hand) -> None:
    session, sheet = hand.session, hand.window.workspaces["Build"].show_recipes()
    sheet.add(None)
    sheet.add_step()
    recipe = sheet.recipe
    worn, out = (s.id for s in recipe.steps)
    sheet.rows[worn]._set_kind("map")
    pick = sheet.rows[worn]._pick()
    pick.activated.emit(pick.findData("terrace_clay/height"))
    hand.until(lambda: not sheet.rows[worn].picture.pixmap().isNull())
    assert "1 map read" in sheet.rows[worn].cost.toolTip()
    sheet.rows[out]._set_kind("most")
    sheet.add_step()
    under = sheet.recipe.steps[-1].id
    sheet.rows[under]._set_kind("height below")
    assert "nothing" in sheet.rows[under].cost.toolTip()  # what lies below is there anyway
    before = shown(hand)
    panel, material = hand.window.bench.coat_panel, session.project.material("kiln_wall")
    session.choose_prop("kiln_wall_prop", "surface")
    session.choose_coat("lime")
    panel.rows.follow(material, "lime.surface.turn", "", recipe.id)  # how its maps lie follows what lies below
    session.do(edits.link_field(material="kiln_wall", path="lime.surface.turn", recipe=recipe.id, low=0.0, high=3.0))
    hand.settle()
    assert session.faults == {}
    assert np.abs(shown(hand) - before).mean() > 0.2
    tick = panel.rows.link_ticks["lime.surface.turn"]
    tick.click()
    assert session.project.material("kiln_wall").link_at("lime.surface.turn").beyond
    session.do(edits.set_recipe(recipe=recipe.id, output=worn))
    hand.settle()
    assert session.faults == {}
    given = [named for i, (_, _, named) in session.client._materials.items() if i.startswith("kiln_wall")]
    assert len(given) > 1
    assert all(any(name.startswith("terrace_clay/") for name in named) for named in given)
    sheet.close()


def test_both_of_two_faults_are_told_by_name(hand: Hand, tmp_path: Path, monkeypatch) -> None:
    """Common practice, no source: a message that hides the second fault sends people round twice."""
    session, said = hand.session, []
    first, second = session.project.materials[:2]
    session.faults = {first.id: "line 3: no such word\nmore", second.id: "line 9: too many"}
    line = session.faults_told
    assert all(word in line for word in (first.name, second.name, "line 3", "line 9"))
    assert "more" not in line
    session.faults = {first.id: "line 3"}
    assert session.faults_told == f"{first.name} does not compile: line 3"
    session.faults = {}
    monkeypatch.setattr(hand.window, "say", lambda text, problem=False: said.append(text))
    mime = QMimeData()
    mime.setUrls([QUrl.fromLocalFile(str(tmp_path / name)) for name in ("notes.doc", "sketch.xyz")])
    where, left, none = QPointF(5, 5), Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    hand.window.dropEvent(QDropEvent(where, Qt.DropAction.CopyAction, mime, left, none))
    assert len(said) == 1
    assert "notes.doc, sketch.xyz" in said[0]
