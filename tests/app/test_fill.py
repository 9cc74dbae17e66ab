"""Filling paint by rule in the real window: live until applied, one undo step, handles in the view, kept rules."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from jade_coat.files.project_folder import open_project
from jade_coat.mesh.data import FULL
from jade_coat.mesh.painting import Paint
from jade_coat.stage import edits
from tests.app.conftest import Hand
from tests.app.wall import shown, wall_paint


@pytest.fixture
def fill(hand: Hand):
    """The fill panel, unfolded, on the kiln wall."""
    hand.window.show_workspace("Brush")
    hand.window.bench.panes.open("section")
    hand.window.bench.panes.open("finishes")
    panel = hand.window.bench.brush_panel.fill
    fold = panel.parent().parent()
    QTest.mouseClick(fold._head, Qt.MouseButton.LeftButton)
    QApplication.processEvents()
    return panel


def settled_paint(hand: Hand) -> np.ndarray:
    """What the view shows of the wall's paint; the document has nothing of it yet."""
    before = wall_paint(hand)
    hand.settle()
    assert (wall_paint(hand) == before).all()
    return hand.session.shown_project.prop("kiln_wall_prop").paint.whole()


def test_a_gradient_is_seen_at_once_moved_by_its_handles_and_applied_as_one_change(hand: Hand, fill, tmp_path) -> None:
    session, view = hand.session, hand.window.view
    before, picture = wall_paint(hand), shown(hand)
    covered = next(r for r in hand.window.bench.stack.rows if r.coat.id == "moss").share
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
    moss = next(r for r in hand.window.bench.stack.rows if r.coat.id == "moss")
    assert moss.share > covered + 0.02  # what is shown is what is measured
    handles = next(o for o in view.overlays if type(o).__name__ == "FillHandles")
    low, high = handles._places()
    hand.drag(view, high.toPoint(), ((low + high) / 2).toPoint())
    halved = settled_paint(hand)
    assert halved[:, 1].mean() > paint[:, 1].mean() * 1.25  # B is reached sooner
    fill.keep.setChecked(True)
    hand.click(fill.apply_button)
    assert not fill.live
    assert session.project.prop("kiln_wall_prop").rules[0].measure == "gradient"
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
    for measure in ("noise", "angle", "cavity", "part", "height", "channel", "even", "distance"):
        fill._choose(measure)
        assert fill.measure.currentData() == measure
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
    fill._put("a", 0.5)
    hand.click(fill.start_button)
    hand.settle()
    fill.keep.setChecked(True)
    hand.click(fill.apply_button)
    hand.window.bench.brush.set(a=1.0)
    view = hand.window.view
    hand.drag(view, QPoint(view.width() // 2 - 60, 160), QPoint(view.width() // 2 + 40, 170))
    assert np.ptp(wall_paint(hand)[:, 1]) > 0
    fill.run_again()
    hand.until(lambda: np.ptp(wall_paint(hand)[:, 1].astype(int)) == 0)
    hand.click(fill.start_button)
    fill._put("a", 0.1)
    hand.settle()
    assert fill.live
    hand.window.undo()
    assert not fill.live
    session.do(edits.drop_rule(prop="kiln_wall_prop", index=0))
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


def test_nothing_of_a_fill_is_kept_until_it_is_applied(hand: Hand, fill, tmp_path) -> None:
    """Neither when it is saved, nor when another prop is chosen, nor when the prop is painted meanwhile."""
    session, before = hand.session, wall_paint(hand)
    fill._choose("even")
    hand.click(fill.start_button)
    assert (settled_paint(hand)[:, 1] == FULL).all()
    assert not session.document.dirty
    session.save(tmp_path / "p")
    assert (open_project(tmp_path / "p").project.prop("kiln_wall_prop").paint.whole() == before).all()
    assert fill.live
    session.choose_prop("gate_post", "")
    assert not fill.live
    hand.settle()
    assert (session.client.paint_of("kiln_wall_prop") == before).all()
    session.choose_prop("kiln_wall_prop", "")
    hand.click(fill.start_button)
    hand.settle()
    view = hand.window.view
    hand.drag(view, QPoint(view.width() // 2 - 60, 160), QPoint(view.width() // 2 + 40, 170))
    assert not fill.live
    changed = (wall_paint(hand) != before).any(axis=1)
    assert 0 < changed.mean() < 0.5
    assert not session.document.undo_title.startswith("Fill")


def test_points_start_at_the_prop_stay_put_in_another_space_and_move_along_their_line(hand: Hand, fill) -> None:
    session, view = hand.session, hand.window.view
    low, high = session.link.mesh_data("kiln_wall").bounds
    assert [p[1] for p in fill.rule.points] == pytest.approx([low[1], high[1]], abs=1e-5)
    session.choose_prop("tall_jar", "")
    jar = session.project.prop("tall_jar")
    low, high = session.link.mesh_data(jar.mesh).bounds
    assert [p[1] for p in fill.rule.points] == pytest.approx([low[1], high[1]], abs=1e-5)
    session.choose_prop("kiln_wall_prop", "")
    hand.click(fill.start_button)
    hand.settle()
    handles = next(o for o in view.overlays if type(o).__name__ == "FillHandles")
    seen = handles._places()
    fill._set_space("world")
    assert all((a - b).manhattanLength() < 0.5 for a, b in zip(seen, handles._places(), strict=True))
    axis = np.diff(np.array(fill.rule.points), axis=0)[0]
    hand.drag(view, seen[1].toPoint(), seen[1].toPoint() + QPoint(60, 40))
    moved = np.diff(np.array(fill.rule.points), axis=0)[0]
    assert np.linalg.norm(np.cross(axis, moved)) < 1e-6 * np.linalg.norm(axis) * np.linalg.norm(moved)
    assert np.linalg.norm(moved) != pytest.approx(np.linalg.norm(axis), rel=1e-3)
    hand.drag(
        view,
        handles._places()[1].toPoint(),
        handles._places()[1].toPoint() + QPoint(60, 0),
        keys=Qt.KeyboardModifier.ShiftModifier,
    )
    free = np.diff(np.array(fill.rule.points), axis=0)[0]
    assert np.linalg.norm(np.cross(axis, free)) > 0.05 * np.linalg.norm(axis) * np.linalg.norm(free)


def test_paint_worked_out_of_an_earlier_state_is_never_put_over_a_later_one(hand: Hand, fill) -> None:
    """Splitting ends a fill that was worked out for the mesh before; paint laid meanwhile ends a split."""
    session, vertices = hand.session, hand.window.bench.brush_panel.vertices
    session.do(edits.paint_prop(prop="kiln_wall_prop", paint=None))  # so that only the mesh tells the states apart
    asset = session.project.mesh("kiln_wall").asset
    fill._choose("even")
    hand.click(fill.start_button)
    hand.settle()
    assert fill.live
    vertices.split_everywhere()
    hand.until(lambda: session.project.mesh("kiln_wall").asset != asset)
    assert not fill.live
    mesh = session.link.mesh_data("kiln_wall")
    told = []
    session.said.connect(lambda text, problem: told.append(text))
    vertices.split_everywhere()
    painted = Paint.of(np.full((mesh.vertex_count, 4), FULL, np.uint16))
    session.do(edits.paint_prop(prop="kiln_wall_prop", paint=painted))
    hand.until(lambda: any("meanwhile" in text for text in told))
    assert session.project.prop("kiln_wall_prop").paint is painted
    assert session.link.mesh_data("kiln_wall") is mesh
