"""Dials in the real window: handing up, several finishes at once, shared dials, tracks and links."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from jade_coat.app.build import shared_panel
from jade_coat.stage import edits
from jade_coat.stage.looks import dial_values
from tests.app.conftest import Hand
from tests.app.wall import WALL, pixel_of, shown


def test_a_changed_dial_is_handed_up_and_all_changes_are_taken_back(hand: Hand) -> None:
    session, sheet = hand.session, hand.window.bench.dials
    session.choose_finish("ash_wall")
    dot = sheet.dots["moss_amount"]
    assert dot.isVisible()
    dot.promoted.emit()
    assert "moss_amount" not in session.project.finish("ash_wall").values
    assert dial_values(session.project, "celadon_wall")["moss_amount"] == pytest.approx(0.45)
    assert dial_values(session.project, "ash_wall")["moss_amount"] == pytest.approx(0.45)
    hand.window.undo()
    assert dial_values(session.project, "celadon_wall")["moss_amount"] == pytest.approx(0.9)
    hand.click(sheet._revert)
    assert session.project.finish("ash_wall").values == {}
    hand.click(sheet._note._open)
    assert "Gate post" in sheet._note.names


def test_finishes_side_by_side_show_what_differs_and_turn_together(hand: Hand) -> None:
    session = hand.session
    table = hand.window.workspaces["Build"].compare_finishes()
    dials = {dial for _, dial in table.fields}
    assert {"glaze_tint", "moss_amount", "moss_seam", "tile_maps"} <= dials
    assert "moss_softness" in dials
    assert {"celadon_wall", "ash_wall", "kiln_mouth"} <= {f for f, _ in table.fields}
    assert "cream_jar" not in {f for f, _ in table.fields}
    for finish in ("celadon_wall", "ash_wall"):
        QTest.mouseClick(table.ticks[finish], Qt.MouseButton.LeftButton, pos=QPoint(8, 8))
    hand.drag(table.fields["ash_wall", "moss_amount"], QPoint(60, 12), QPoint(40, 12))
    values = [dial_values(session.project, f)["moss_amount"] for f in ("celadon_wall", "ash_wall")]
    assert values[0] == values[1] < 0.45
    hand.window.undo()
    assert dial_values(session.project, "celadon_wall")["moss_amount"] == pytest.approx(0.9)
    session.do(edits.expose(material="kiln_wall", path="moss.surface.turn"))
    assert ("celadon_wall", "moss_turn") not in table.fields  # they are all alike in it
    table._all.click()
    assert ("celadon_wall", "moss_turn") in table.fields
    table.close()


def test_shared_dials_move_the_whole_stage_without_compiling_and_play_along_their_tracks(hand: Hand) -> None:
    compiles: list[int] = []
    hand.session.picture.connect(lambda picture, image: compiles.append(picture.compiles))
    session, panel = hand.session, hand.window.bench.shared
    dry = shown(hand)
    panel.play.click()
    hand.until(lambda: session.time > 1.2, 20)
    assert session.playing
    hand.until(lambda: shown(hand).mean() < dry.mean() - 3)  # coarser while it moves, but wet
    assert panel.fields["damp"].value == pytest.approx(session.project.shared_dial("damp").at(session.time), abs=0.2)
    hand.key(hand.window.view, Qt.Key.Key_P)
    assert not session.playing
    held = session.time
    assert held > 1.0
    hand.settle()
    assert session.time == held  # it is held, not put back
    panel.time._put(2.5)
    assert session.time == 2.5
    assert panel.fields["damp"].value == pytest.approx(session.project.shared_dial("damp").at(2.5))
    hand.click(panel.back)
    assert session.time == 0.0
    hand.settle()
    assert np.abs(shown(hand) - dry).mean() < 0.5
    session.do(edits.set_shared(shared="damp", keys=()))
    field = panel.fields["damp"]
    hand.drag(field, QPoint(20, 12), QPoint(95, 12))
    assert session.project.shared_dial("damp").value > 0.3
    hand.settle()
    assert shown(hand).mean() < dry.mean() - 4
    assert len(set(compiles)) == 1
    bar = panel.tracks["season"]
    keys = session.project.shared_dial("season").keys
    QApplication.processEvents()
    hand.drag(bar, bar._place(*keys[1]).toPoint(), bar._place(keys[1][0], 0.9).toPoint())
    assert session.project.shared_dial("season").keys[1][1] == pytest.approx(0.9, abs=0.06)
    QTest.mouseDClick(bar, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, bar._place(11.0, 0.5).toPoint())
    assert len(session.project.shared_dial("season").keys) == len(keys) + 1


def test_what_plays_stands_still_under_a_stroke_and_goes_on_after_it(hand: Hand) -> None:
    session, view = hand.session, hand.window.view
    hand.window.show_workspace("Brush")
    hand.settle()
    session.play(True)
    hand.until(lambda: session.time > 0.1)
    at = pixel_of(hand, WALL)
    QTest.mousePress(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)
    hand.until(lambda: hand.window.bench.brush_tool.painting)
    sent, real = [], session.link.play
    session.link.play = lambda *given: (sent.append(given), real(*given))
    start = session.time
    hand.until(lambda: session.time > start + 0.3)
    assert sent == []
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)
    hand.until(lambda: bool(sent))
    assert sent[0][1] > start + 0.3  # the clock went on meanwhile
    session.play(False)


def test_a_field_follows_a_new_shared_dial_between_two_values(hand: Hand, monkeypatch) -> None:
    session, panel = hand.session, hand.window.bench.coat_panel
    monkeypatch.setattr(shared_panel.QInputDialog, "getText", lambda *_, **__: ("Soot", True))
    hand.window.bench.shared.add()
    assert session.project.shared[-1].name == "Soot"
    session.choose_coat("lime")
    panel.rows.follow(session.material, "lime.amount", "soot", "")
    assert "lime.amount" not in panel.fields
    low = panel.link_fields["lime.amount.low"]
    QApplication.processEvents()
    hand.drag(low, QPoint(110, 12), QPoint(10, 12))
    assert session.project.material("kiln_wall").link_at("lime.amount").low < 0.7
    assert session.project.material("kiln_wall").link_at("lime.amount").high == 1.0
    hand.settle()
    assert session.faults == {}
    less = shown(hand)
    session.do(edits.set_shared(shared="soot", value=1.0))
    hand.settle()
    assert np.abs(shown(hand) - less).mean() > 0.3
    panel.rows.follow(session.material, "lime.amount", "", "")
    assert "lime.amount" in panel.fields
