"""What lies ready beside the brush, in the real window: presets, tips, the mirror, filling several props at once."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtWidgets import QApplication, QInputDialog

from jade_coat.app.brush import tips
from jade_coat.app.brush.mirror_line import MirrorLine
from jade_coat.app.brush.presets import kept
from jade_coat.app.dialogs.files import ask_file, last_folder
from jade_coat.app.preferences import BRUSHES, keep
from jade_coat.maps.images import PICTURES
from jade_coat.stage import edits
from tests.app.conftest import Hand
from tests.app.wall import wall_paint


@pytest.fixture
def brush(hand: Hand, tmp_path, monkeypatch):
    """The brush in hand, on the kiln wall, with no tips of one's own."""
    monkeypatch.setattr(tips, "_folder", lambda: tmp_path / "tips")
    hand.window.show_workspace("Brush")
    hand.session.choose_prop("kiln_wall_prop", "surface")
    keep(BRUSHES, [])
    return hand.window.bench.brush


def stroke(hand: Hand) -> None:
    view = hand.window.view
    start = view.rect().center()
    hand.drag(view, start, start + (start - start) + QPointF(70, 8).toPoint())


def test_presets_are_taken_kept_found_again_and_forgotten(hand: Hand, brush, monkeypatch) -> None:
    presets = hand.window.bench.brush_panel.presets
    before = brush.brush
    hand.click(presets.tiles["Sponge"])
    assert brush.brush.tip.name == "Flecks"
    assert (brush.brush.radius, brush.brush.channels) == (before.radius, before.channels)  # the hand's own business
    assert presets.tiles["Sponge"].isChecked()
    brush.set(strength=0.35, falloff="curve", curve=((0.0, 0.0), (0.4, 0.9), (1.0, 1.0)))
    assert not any(tile.isChecked() for tile in presets.tiles.values())
    monkeypatch.setattr(QInputDialog, "getText", staticmethod(lambda *_, **__: ("Wet moss", True)))
    hand.click(presets.keep_button)
    hand.click(presets.keep_button)
    assert [p.name for p in kept()] == ["Wet moss", "Wet moss 2"]
    mine = brush.brush
    hand.click(presets.tiles["Hard edge"])
    assert brush.brush.tip is None
    hand.click(presets.tiles["Wet moss"])
    assert brush.brush.curve == mine.curve
    assert (brush.brush.strength, brush.brush.tip.name) == (0.35, "Flecks")
    presets.forget("Wet moss")
    assert list(presets.tiles)[-1] == "Wet moss 2"
    keep(BRUSHES, [{"name": "Bad", "brush": {"strength": "x", "curve": [[1, 0], [0, 1]]}}, {"brush": 3}])
    presets.rebuild()
    hand.click(presets.tiles["Bad"])  # what is damaged of it is as usual
    assert brush.brush.curve == type(brush.brush)().curve


def test_a_picture_becomes_a_tip_is_kept_and_paints_its_shape(hand: Hand, brush, tmp_path) -> None:
    panel = hand.window.bench.brush_panel
    fields = next(w for w in panel.folds["Tip"]._body.children() if hasattr(w, "take_file"))
    picture = np.zeros((40, 80), np.uint8)
    picture[:, 30:50] = 255
    path = tmp_path / "a bar.png"
    cv2.imwrite(str(path), picture)
    fields.take_file(path)
    assert brush.brush.tip.name == "a bar"
    assert (tmp_path / "tips" / "a bar.png").is_file()
    brush.set(radius=0.3, strength=1.0, falloff="flat", channels=(1,))
    before = wall_paint(hand)
    view = hand.window.view
    hand.click(view, view.rect().center())
    hand.settle()
    changed = wall_paint(hand)[:, 1] != before[:, 1]
    p = hand.session.link.mesh_data("kiln_wall").positions[changed]
    assert np.ptp(p[:, 1]) > 1.5 * np.ptp(p[:, 0])  # a bar that stands upright
    bad = tmp_path / "bad.png"
    bad.write_bytes(b"no picture")
    fields.take_file(bad)
    assert "bad.png" in hand.window._message.text()
    cv2.imwrite(str(bad), np.zeros((8, 8), np.uint8))
    fields.take_file(bad)
    assert "black all over" in hand.window._message.text()
    (tmp_path / "tips" / "a bar.png").unlink()
    fields.take("a bar")
    assert brush.brush.tip is None
    assert "cannot be read any more" in hand.window._message.text()


def test_the_mirror_is_seen_and_dragged_and_strokes_follow_it(hand: Hand, brush) -> None:
    brush.set(mirror="x", radius=0.12, strength=1.0)
    hand.settle()
    view = hand.window.view
    line = next(o for o in view.overlays if isinstance(o, MirrorLine))
    places, hold = line._seen(hand.session.prop)
    at = places[hold].toPoint()
    assert view.rect().contains(at)
    hand.drag(view, at, at + QPointF(60, 0).toPoint())
    shift = brush.brush.mirror_shift
    assert shift > 0.05
    places, hold = line._seen(hand.session.prop)
    assert abs(places[hold].x() - at.x() - 60) < 4
    before = wall_paint(hand)
    hand.click(view, places[hold].toPoint() + QPointF(110, 150).toPoint())
    hand.settle()
    x = hand.session.link.mesh_data("kiln_wall").positions[(wall_paint(hand) != before).any(axis=1), 0]
    assert x.min() < shift < x.max()
    assert abs((x.min() + x.max()) / 2 - shift) < 0.05
    hand.window.bench.brush_panel.mirror.activated.emit(2)
    assert brush.brush.mirror_shift == 0.0


def test_a_stroke_that_shows_nothing_says_why_and_is_no_step_to_undo(hand: Hand, brush) -> None:
    brush.set(channels=(1,), a=1.0, strength=1.0, radius=0.4, falloff="flat")
    view, steps = hand.window.view, hand.session.document
    hand.click(view, view.rect().center())
    count = len(steps._behind)
    brush.set(radius=0.05)
    hand.click(view, view.rect().center())
    assert "It is 1 there already" in hand.window._message.text()
    assert len(steps._behind) == count
    hand.session.do(edits.set_coat(material="kiln_wall", coat="moss", shown=False))
    brush.set(a=0.0)
    hand.click(view, view.rect().center())
    assert "is hidden" in hand.window._message.text()
    assert len(steps._behind) == count + 2  # the paint did change


def test_a_and_b_are_the_same_in_brush_and_fill_and_told_by_what_they_do(hand: Hand, brush) -> None:
    panel = hand.window.bench.brush_panel
    fill = panel.fill
    brush.set(channels=(1,), a=0.8, b=0.1)
    assert (fill.rule.a, fill.rule.b) == (0.8, 0.1)
    assert "lays Joint moss to 80%" in panel._meant.text()
    panel.folds["Fill by rule"].unfold()
    QApplication.processEvents()
    fill._put("a", 0.6)
    assert brush.brush.a == 0.6
    fill._choose("clamp")
    fill._put("a", 0.9)
    assert brush.brush.a == 0.6  # the ends of a clamp are its own
    fill._choose("axis")
    assert (fill.rule.a, fill.rule.b) == (0.6, 0.1)


def test_several_props_are_filled_at_once_as_one_step(hand: Hand, brush) -> None:
    session = hand.session
    session.do(edits.add_prop(prop=session.prop.with_(id="twin", name="Twin", position=(0.0, 0.0, -9.0), paint=None)))
    fill = hand.window.bench.brush_panel.fill
    hand.window.bench.brush_panel.folds["Fill by rule"].unfold()
    fill._choose("axis")
    brush.set(channels=(1,), a=1.0, b=0.0)
    hand.click(fill.start_button)
    hand.settle()
    box = fill.also_box
    assert "All with this mesh (1 more)" in [box.itemText(i) for i in range(box.count())]
    box.setCurrentIndex(box.findData("mesh"))
    box.activated.emit(box.currentIndex())
    steps = len(session.document._behind)
    fill.keep.setChecked(True)
    hand.click(fill.apply_button)
    hand.until(lambda: "2 props filled" in hand.window._message.text())
    assert len(session.document._behind) == steps + 1
    walls = [session.project.prop(p) for p in ("kiln_wall_prop", "twin")]
    assert np.array_equal(walls[0].paint.whole()[:, 1], walls[1].paint.whole()[:, 1])
    assert [len(w.rules) for w in walls] == [1, 1]
    hand.window.undo()
    assert session.project.prop("twin").paint is None


def test_a_step_tells_its_width_and_splits_where_it_runs(hand: Hand, brush) -> None:
    fill = hand.window.bench.brush_panel.fill
    hand.window.bench.brush_panel.folds["Fill by rule"].unfold()
    fill._choose("axis")
    fill.set(ease="step")
    hand.until(lambda: "as wide as the triangles it crosses" in fill.step.words.text)
    hand.until(fill.step.button.isVisible)
    before = hand.session.link.mesh_data("kiln_wall")
    count = int(fill.step.button.text().split()[1])
    hand.click(fill.step.button)
    hand.until(lambda: hand.session.link.mesh_data("kiln_wall") is not before)
    after = hand.session.link.mesh_data("kiln_wall")
    assert len(after.triangles) >= len(before.triangles) + 3 * count
    hand.settle()


def test_dialogs_open_where_the_last_one_of_their_kind_was_chosen(hand: Hand, tmp_path, monkeypatch) -> None:
    from PyQt6.QtWidgets import QFileDialog

    seen = []
    path = tmp_path / "deep" / "x.png"
    path.parent.mkdir()

    def chosen(parent, title, start, what):
        seen.append(start)
        return str(path), ""

    monkeypatch.setattr(QFileDialog, "getOpenFileName", chosen)
    assert ask_file(hand.window, "A picture", "Pictures", PICTURES) == path
    ask_file(hand.window, "A picture", "Pictures", PICTURES)
    assert seen[1] == str(path.parent)
    path.parent.rmdir()
    assert last_folder("Pictures") == ""


def test_keys_size_the_brush(hand: Hand, brush) -> None:
    radius = brush.brush.radius
    hand.key(hand.window, Qt.Key.Key_D)
    assert brush.brush.radius > radius
