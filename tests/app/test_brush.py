"""The brush in the real window: every tool by mouse and pen, the four channels, own paint, finer meshes."""

from __future__ import annotations

import threading

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, QSettings, Qt
from PyQt6.QtTest import QTest

from jade_coat.app.brush import pointing
from jade_coat.app.brush.pen import draw
from jade_coat.mesh.data import FULL
from jade_coat.mesh.painting import Paint
from jade_coat.stage import edits
from tests.app.brush_hand import WALL_PROP, panel_of, texts_of, unfold, values_near
from tests.app.conftest import Hand, move
from tests.app.wall import WALL, paint_a_stroke, pixel_of, shown, wall_paint


def paint_on_trial(hand: Hand) -> np.ndarray:
    """The wall's paint as the view shows it while a fill is not applied yet."""
    return hand.session.shown_project.prop(WALL_PROP).paint.whole()


@pytest.mark.parametrize("tool", ["paint", "smooth", "sharpen", "smear"])
def test_every_tool_changes_its_channel_under_its_way_alone_and_undo_is_exact(hand: Hand, brush, tool) -> None:
    noise = np.random.default_rng(8).integers(10_000, 50_000, wall_paint(hand).shape).astype(np.uint16)
    hand.session.do(edits.paint_prop(prop=WALL_PROP, paint=Paint.of(noise)))
    hand.click(panel_of(hand).tools[tool])
    assert brush.brush.tool == tool
    paint_a_stroke(hand)
    after = wall_paint(hand)
    changed = (after != noise).any(axis=1)
    places = hand.session.link.mesh_data("kiln_wall").positions + np.array([0, 0, -2.4])
    assert changed.sum() > 20
    assert np.linalg.norm(places[changed] - WALL, axis=1).max() < 0.95
    assert (after[:, [0, 2, 3]] == noise[:, [0, 2, 3]]).all()
    under = np.linalg.norm(places - WALL, axis=1) < 0.1
    before, now = noise[under, 1].astype(float), after[under, 1].astype(float)
    if tool == "smooth":
        assert now.std() < 0.7 * before.std()
    elif tool == "sharpen":
        assert now.std() > 1.2 * before.std()
    hand.window.undo()
    assert np.array_equal(wall_paint(hand), noise)
    at = pixel_of(hand, WALL)
    draw(hand.window.view, [(at.x() + 90 * i / 12, at.y() + i, 1.0) for i in range(13)])  # the same with a pen
    by_pen = wall_paint(hand)
    assert (by_pen[:, [0, 2, 3]] == noise[:, [0, 2, 3]]).all()
    both = changed & (by_pen != noise).any(axis=1)
    assert both.sum() > 0.9 * changed.sum()
    assert np.abs(by_pen[both, 1].astype(int) - after[both, 1]).mean() < 0.06 * FULL
    hand.window.undo()
    assert np.array_equal(wall_paint(hand), noise)


def test_a_pen_paints_as_hard_as_it_is_pressed_and_its_size_can_follow_too(hand: Hand, brush) -> None:
    hand.session.do(edits.paint_prop(prop=WALL_PROP, paint=Paint.of(np.zeros_like(wall_paint(hand)))))
    at = pixel_of(hand, WALL)
    seen = []
    for pressure in (0.25, 0.5, 1.0):
        draw(hand.window.view, [(at.x(), at.y(), pressure)])
        seen.append(values_near(hand, WALL, 0.03).max())
        hand.window.undo()
    np.testing.assert_allclose(seen, [0.25, 0.5, 1.0], atol=0.04)
    unfold(hand, "Hand and pen")
    hand.click(panel_of(hand).tick("pressure sets the size"), QPoint(8, 8))
    hand.click(panel_of(hand).tick("pressure sets the strength"), QPoint(8, 8))
    counts = []
    for pressure in (0.3, 1.0):
        draw(hand.window.view, [(at.x(), at.y(), pressure)])
        counts.append((wall_paint(hand)[:, 1] > 0).sum())
        assert values_near(hand, WALL, 0.03).max() > 0.85
        hand.window.undo()
    assert counts[0] < 0.3 * counts[1]


def test_a_mouse_can_stand_in_for_a_pen(hand: Hand, brush) -> None:
    hand.session.do(edits.paint_prop(prop=WALL_PROP, paint=Paint.of(np.zeros_like(wall_paint(hand)))))
    unfold(hand, "Hand and pen")
    hand.click(panel_of(hand).tick("the mouse stands in for a pen"), QPoint(8, 8))
    assert brush.hand.simulated
    at = pixel_of(hand, WALL)
    hand.drag(hand.window.view, at, at + QPoint(60, 0), steps=4)
    seen = wall_paint(hand)[:, 1]
    assert 0 < seen.max() < FULL  # it begins lightly and follows the hand
    hand.click(panel_of(hand).tick("the mouse stands in for a pen"), QPoint(8, 8))
    paint_a_stroke(hand)
    assert wall_paint(hand)[:, 1].max() > 0.99 * FULL


def test_shift_draws_straight_lines_and_a_trailing_brush_stays_behind(hand: Hand, brush) -> None:
    blank = Paint.of(np.zeros_like(wall_paint(hand)))
    hand.session.do(edits.paint_prop(prop=WALL_PROP, paint=blank))
    brush.set(radius=0.06)
    view, at = hand.window.view, pixel_of(hand, WALL)
    left, shift = Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ShiftModifier
    QTest.mousePress(view, left, shift, at)
    move(view, QPointF(at + QPoint(70, 60)), left, shift)  # a detour, which the line leaves out
    assert wall_paint(hand).max() == 0
    QTest.mouseRelease(view, left, shift, at + QPoint(120, 0))
    line = wall_paint(hand)[:, 1] > 0
    places = hand.session.link.mesh_data("kiln_wall").positions[line]
    assert np.ptp(places[:, 1]) < 0.2
    assert np.ptp(places[:, 0]) > 0.4
    QTest.mousePress(view, left, shift, at + QPoint(120, 70))
    QTest.mouseRelease(view, left, shift, at + QPoint(120, 70))  # from where the last stroke ended
    joined = hand.session.link.mesh_data("kiln_wall").positions[wall_paint(hand)[:, 1] > 0]
    assert np.ptp(joined[:, 1]) > 0.3
    hand.session.do(edits.paint_prop(prop=WALL_PROP, paint=blank))
    brush.set_hand(trail=50.0)
    hand.drag(view, at, at + QPoint(90, 0))
    reach = hand.session.link.mesh_data("kiln_wall").positions[wall_paint(hand)[:, 1] > 0]
    whole = np.ptp(places[:, 0])
    assert np.ptp(reach[:, 0]) < 0.6 * whole


def test_an_airbrush_builds_up_while_it_is_held(hand: Hand, brush) -> None:
    hand.session.do(edits.paint_prop(prop=WALL_PROP, paint=Paint.of(np.zeros_like(wall_paint(hand)))))
    brush.set(flow=0.1)
    view, at = hand.window.view, pixel_of(hand, WALL)
    QTest.mousePress(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)
    stroke = hand.window.bench.brush_tool._painting.stroke
    first = stroke.dabs
    hand.until(lambda: stroke.dabs > first + 8)
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)
    assert 0.4 < values_near(hand, WALL, 0.03).max() <= 1.0


def test_size_in_pixels_values_a_and_b_and_picking(hand: Hand, brush) -> None:
    hand.session.do(edits.paint_prop(prop=WALL_PROP, paint=Paint.of(np.zeros_like(wall_paint(hand)))))
    panel, tool, at = panel_of(hand), hand.window.bench.brush_tool, pixel_of(hand, WALL)
    brush.set_hand(measure="screen", pixels=40.0)
    assert panel.pixels.isVisible()
    assert not panel.radius.isVisible()
    hit = hand.window.view.pick(QPointF(at))
    radius = tool.brush_at(hit).radius
    edge = pixel_of(hand, hit.hit.point + hand.window.view.main_eye().view[0, :3] * radius)
    assert abs(edge.x() - at.x()) == pytest.approx(40, abs=2)
    brush.scale(1.5)
    assert brush.hand.pixels == pytest.approx(60)
    brush.set(a=0.4)
    hand.drag(hand.window.view, at, at + QPoint(2, 0), steps=1)
    assert values_near(hand, WALL, 0.03).max() == pytest.approx(0.4, abs=0.01)
    brush.set(a=1.0)
    hand.click(panel.pick)
    hand.click(hand.window.view, at)
    assert brush.brush.a == pytest.approx(0.4, abs=0.01)
    assert not brush.picking
    brush.set(second=True)
    move(hand.window.view, QPointF(at), Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier)
    hand.key(hand.window, Qt.Key.Key_E)
    assert brush.brush.b == pytest.approx(0.4, abs=0.01)


def test_keys_choose_channels_one_or_several_and_all_are_painted_together(hand: Hand, brush) -> None:
    hand.session.do(edits.paint_prop(prop=WALL_PROP, paint=Paint.of(np.zeros_like(wall_paint(hand)))))
    hand.key(hand.window, Qt.Key.Key_1)
    assert brush.brush.channels == (0,)
    hand.key(hand.window, Qt.Key.Key_3, Qt.KeyboardModifier.ControlModifier)
    assert brush.brush.channels == (0, 2)
    assert [b.isChecked() for b in panel_of(hand).channel_buttons.values()] == [True, False, True, False]
    paint_a_stroke(hand)
    painted = wall_paint(hand)
    assert (painted[:, 0] == painted[:, 2]).all()
    assert painted[:, 0].max() > 0.99 * FULL
    assert painted[:, [1, 3]].max() == 0
    hand.key(hand.window, Qt.Key.Key_1, Qt.KeyboardModifier.ControlModifier)
    hand.key(hand.window, Qt.Key.Key_3, Qt.KeyboardModifier.ControlModifier)
    assert brush.brush.channels == (2,)  # one always stays
    panel_of(hand).sets.activated.emit(1)
    assert brush.brush.channels == (6,)
    paint_a_stroke(hand)
    wide = wall_paint(hand)
    assert wide.shape[1] == 8
    assert wide[:, 6].max() > 0.99 * FULL
    assert np.array_equal(wide[:, :4], painted)
    unfold(hand, "Fill by rule")
    fill = panel_of(hand).fill
    fill._choose("even")
    hand.click(fill.start_button)
    panel_of(hand).sets.activated.emit(2)  # on to the third set while it is shown
    hand.until(lambda: (on_trial := paint_on_trial(hand)).shape[1] == 12 and (on_trial[:, 10] == FULL).all())
    fill.keep.setChecked(True)
    hand.click(fill.apply_button)
    assert "B of set 3" in texts_of(fill)
    assert np.array_equal(wall_paint(hand)[:, :8], wide)


def test_the_other_colour_set_is_read_by_the_material_and_seen(hand: Hand, brush) -> None:
    hand.session.do(edits.paint_prop(prop=WALL_PROP, paint=Paint.of(np.zeros_like(wall_paint(hand)))))
    hand.session.do(edits.set_term(material="kiln_wall", coat="moss", term=_paint_term(hand), color_set=1))
    hand.settle()
    bare = shown(hand)
    panel_of(hand).sets.activated.emit(1)
    assert panel_of(hand)._meanings()["G"]
    paint_a_stroke(hand)
    hand.settle()
    at = pixel_of(hand, WALL)
    patch = np.s_[at.y() - 6 : at.y() + 6, at.x() - 4 : at.x() + 40]
    assert np.abs(shown(hand)[patch] - bare[patch]).mean() > 6
    hand.window.undo()
    hand.settle()
    assert np.abs(shown(hand) - bare).max() <= 2


def _paint_term(hand: Hand) -> str:
    coat = hand.session.project.material("kiln_wall").coat("moss")
    return next(t.id for t in coat.where if t.kind == "paint")


def test_a_stroke_before_the_brush_is_ready_is_kept_and_laid_as_soon_as_it_is(hand: Hand, brush, monkeypatch) -> None:
    ready = threading.Event()  # however slow the stroke is, the brush is got ready after it
    monkeypatch.setattr(pointing, "is_warm", lambda: False)
    monkeypatch.setattr(pointing, "warm_up", lambda: ready.wait(60))
    before = wall_paint(hand)
    paint_a_stroke(hand)
    assert "Getting the brush ready" in hand.window._message.text()
    assert np.array_equal(wall_paint(hand), before)
    monkeypatch.undo()
    ready.set()
    hand.until(lambda: not np.array_equal(wall_paint(hand), before))
    hand.until(lambda: not hand.window.bench.brush_tool.painting)
    laid = wall_paint(hand)
    hand.window.undo()
    assert np.array_equal(wall_paint(hand), before)
    paint_a_stroke(hand)
    assert np.array_equal(wall_paint(hand), laid)  # as if nobody had had to wait
    hand.window.undo()
    ready.clear()
    monkeypatch.setattr(pointing, "is_warm", lambda: False)
    monkeypatch.setattr(pointing, "warm_up", lambda: ready.wait(60))
    paint_a_stroke(hand)
    hand.key(hand.window, Qt.Key.Key_Escape)
    monkeypatch.undo()
    ready.set()
    hand.settle()
    assert np.array_equal(wall_paint(hand), before)


def test_one_press_fills_clears_and_inverts_what_undo_then_names(brush, hand: Hand) -> None:
    panel, session = panel_of(hand), hand.session
    start = wall_paint(hand)
    for name, expected in (("Fill", lambda old: 0 * old + FULL), ("Invert", lambda old: FULL - old),
                           ("Fill", lambda old: 0 * old + FULL), ("Clear", lambda old: 0 * old)):  # fmt: skip
        before = wall_paint(hand)
        hand.click(panel.quick[name])
        hand.until(lambda b=before: not np.array_equal(wall_paint(hand), b))
        now = wall_paint(hand)
        np.testing.assert_array_equal(now[:, 1], expected(before[:, 1].astype(int)))
        np.testing.assert_array_equal(np.delete(now, 1, axis=1), np.delete(before, 1, axis=1))
        assert session.document.undo_title == f"{name} joint moss"
    for _ in range(4):
        hand.window.undo()
    np.testing.assert_array_equal(wall_paint(hand), start)
    paint_a_stroke(hand)
    assert session.document.undo_title == "Paint joint moss"
    assert hand.window._undo.toolTip() == "Undo paint joint moss (Ctrl+Z)"


def test_the_brush_is_found_again_as_it_was_left(open_window, demo_copy) -> None:
    first: Hand = open_window(demo_copy)
    state = first.window.bench.brush
    first.window.show_workspace("Brush")
    state.set(radius=0.37, strength=0.25, falloff="sharp", tool="smooth", mirror="x", a=0.8)
    state.set_hand(measure="screen", pixels=77.0, simulated=True)
    first.window.close()
    QSettings().sync()
    second: Hand = open_window(demo_copy)
    assert second.window.bench.brush.brush == state.brush
    assert second.window.bench.brush.hand == state.hand
    second.window.close()
    QSettings().setValue(
        "brush/settings", '{"brush": {"radius": "wide", "tool": "hammer", "strength": 0.4}, "set": 99}'
    )
    third: Hand = open_window(demo_copy)
    brush = third.window.bench.brush.brush
    assert (brush.radius, brush.tool, brush.strength) == (0.14, "paint", 0.4)  # what is no setting is let be


def test_a_rule_without_an_edge_forgets_the_width_of_its_step(hand: Hand, brush) -> None:
    fill = hand.window.bench.brush_panel.fill
    fill.set(ease="step")
    hand.settle()
    assert fill.step.button is not None
    fill.set(measure="blur")  # its panel has no step, and is built anew
    hand.settle()
    brush.choose_channel(2)
    hand.settle()
    assert fill.rule.channels == brush.brush.channels
