"""Filling paint by rule in the real window: live until applied, one undo step, handles in the view, kept rules."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from jade_coat.files.project_folder import open_project
from jade_coat.mesh.data import FULL
from tests.app.conftest import Hand
from tests.app.wall import shown, wall_paint


@pytest.fixture
def fill(hand: Hand):
    """The fill panel, unfolded, on the kiln wall."""
    hand.window.show_workspace("Brush")
    panel = hand.window.bench.brush_panel.fill
    fold = panel.parent().parent()
    QTest.mouseClick(fold._head, Qt.MouseButton.LeftButton)
    QApplication.processEvents()
    return panel


def settled_paint(hand: Hand) -> np.ndarray:
    hand.settle()
    return wall_paint(hand)


def test_a_gradient_is_seen_at_once_moved_by_its_handles_and_applied_as_one_change(hand: Hand, fill, tmp_path) -> None:
    session, view = hand.session, hand.window.view
    before, picture = wall_paint(hand), shown(hand)
    steps = len(session.document._behind)
    fill._choose("gradient")
    assert (wall_paint(hand) == before).all()  # nothing yet
    hand.click(fill.start_button)
    paint = settled_paint(hand)
    y = session.link.mesh_data("kiln_wall").positions[:, 1]
    expected = (y - y.min()) / np.ptp(y)
    np.testing.assert_allclose(paint[:, 1] / FULL, expected, atol=2e-4)
    assert (paint[:, [0, 2, 3]] == before[:, [0, 2, 3]]).all()
    assert np.abs(shown(hand) - picture).mean() > 1
    handles = next(o for o in view.overlays if type(o).__name__ == "FillHandles")
    low, high = handles._places()
    hand.drag(view, high.toPoint(), ((low + high) / 2).toPoint())
    halved = settled_paint(hand)
    assert halved[:, 1].mean() > paint[:, 1].mean() * 1.25  # B is reached sooner
    fill.keep.setChecked(True)
    hand.click(fill.apply_button)
    assert not fill.live
    assert session.project.prop("kiln_wall_prop").rules[0].ground == "gradient"
    assert len(session.document._behind) == steps + 1
    session.save(tmp_path / "p")
    assert (
        open_project(tmp_path / "p").project.prop("kiln_wall_prop").rules
        == session.project.prop("kiln_wall_prop").rules
    )
    hand.window.undo()
    assert (wall_paint(hand) == before).all()
    assert session.project.prop("kiln_wall_prop").rules == ()


def test_taking_a_fill_back_restores_the_paint_bit_for_bit(hand: Hand, fill) -> None:
    before = wall_paint(hand)
    for ground in ("noise", "angle", "cavity", "part", "height", "channel", "even", "distance"):
        fill._choose(ground)
        assert fill.ground.currentData() == ground
    hand.click(fill.start_button)
    settled_paint(hand)
    fill._choose("even")
    assert (settled_paint(hand)[:, 1] == FULL).all()
    QTest.mouseClick(hand.window.bench.brush_panel.channel_buttons["B"], Qt.MouseButton.LeftButton)
    other = settled_paint(hand)
    assert (other[:, 2] == FULL).all()
    assert (other[:, 1] == before[:, 1]).all()
    hand.click(fill.back_button)
    assert (wall_paint(hand) == before).all()
    assert not fill.live


def test_kept_rules_run_again_over_a_stroke_and_an_undo_ends_a_preview(hand: Hand, fill) -> None:
    session = hand.session
    fill._choose("even")
    fill.set(b=0.5)
    hand.click(fill.start_button)
    hand.settle()
    fill.keep.setChecked(True)
    hand.click(fill.apply_button)
    view = hand.window.view
    hand.drag(view, QPoint(view.width() // 2 - 60, 160), QPoint(view.width() // 2 + 40, 170))
    assert np.ptp(wall_paint(hand)[:, 1]) > 0
    fill.run_again()
    hand.until(lambda: np.ptp(wall_paint(hand)[:, 1].astype(int)) == 0)
    hand.click(fill.start_button)
    fill.set(b=0.1)
    hand.settle()
    assert fill.live
    hand.window.undo()
    assert not fill.live
    session.do("drop_rule", prop="kiln_wall_prop", index=0)
    assert session.project.prop("kiln_wall_prop").rules == ()


def test_the_handles_move_with_the_view_and_hide_in_build(hand: Hand, fill) -> None:
    fill._choose("gradient")
    hand.click(fill.start_button)
    hand.settle()
    handles = next(o for o in hand.window.view.overlays if type(o).__name__ == "FillHandles")
    assert len(handles._places()) == 2
    assert handles.press(QPointF(-50, -50), None) is False
    hand.window.show_workspace("Build")
    assert handles._places() == []
