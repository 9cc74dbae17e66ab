"""Stamps and decals in the real window: made of pictures, laid on planes and curves, stretched, moved, kept."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from scipy.spatial.transform import Rotation

from jade_coat.app.view.pictures import Split
from jade_coat.maps.images import png_bytes
from jade_coat.material.material import Coat, Material
from jade_coat.material.surface import Surface
from jade_coat.stage import edits
from jade_coat.stage.decals import Decal
from tests.app.conftest import Hand
from tests.app.test_stage import body, on_view
from tests.app.wall import shown


@pytest.fixture
def stage(hand: Hand) -> Hand:
    decal = Decal(id="stamp", name="Blue", finish="cobalt_jar", size=(0.4, 0.4, 0.3))
    hand.session.do(edits.keep_stamp(decal=decal, name="Blue patch"))
    hand.window.show_workspace("Stage")
    hand.window.bench.room("stage").below.show_page(1)
    hand.session.choose_things(())
    hand.settle()
    return hand


def take(stage: Hand) -> None:
    stage.click(stage.window.bench.room("stage").stamps.tiles["blue_patch"])
    assert stage.window.bench.stamp_tool.active


def test_a_stamp_is_laid_by_a_press_turned_to_what_it_lies_on_and_seen(stage: Hand) -> None:
    session, view = stage.session, stage.window.view
    take(stage)
    before = shown(stage)
    wall = on_view(stage, np.array([-0.4, 1.0, -2.35]))
    stage.click(view, wall)
    stage.settle()
    (first,) = session.project.decals
    assert session.chosen == (first.id,)
    assert np.abs(shown(stage) - before).max() > 30
    for prop in ("tall_jar", "floor"):
        at = body(stage, prop) if prop != "floor" else on_view(stage, np.array([-0.3, 0.0, 0.3]))
        hit = view.pick(QPointF(at))
        assert hit is not None
        assert hit.prop.id == prop
        stage.click(view, at)
        laid = list(session.project.decals)[-1]
        axis = Rotation.from_quat(laid.turn).apply([0.0, 1.0, 0.0])
        assert np.allclose(axis, hit.hit.normal, atol=1e-5)
        assert np.allclose(laid.position, hit.hit.point, atol=1e-6)
    assert len(session.project.decals) == 3
    assert [d.name for d in session.project.decals] == ["Blue patch", "Blue patch 2", "Blue patch 3"]
    stage.key(stage.window, Qt.Key.Key_Escape)
    assert not stage.window.bench.stamp_tool.active
    stage.key(stage.window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert len(session.project.decals) == 2


def test_a_drag_stretches_a_strip_and_chance_is_kept_within_its_bounds(stage: Hand) -> None:
    session, view, bench = stage.session, stage.window.view, stage.window.bench
    take(stage)
    start, end = np.array([-0.6, 1.3, -2.3]), np.array([-0.4, 0.6, -2.3])
    stage.drag(view, on_view(stage, start), on_view(stage, end))
    (strip,) = session.project.decals
    assert strip.size[0] == pytest.approx(0.4)
    assert strip.size[2] == pytest.approx(np.linalg.norm(end - start), abs=0.08)
    down = Rotation.from_quat(strip.turn).apply([0.0, 0.0, 1.0])
    assert down @ ((end - start) / np.linalg.norm(end - start)) > 0.98  # the picture's foot is where the hand let go
    bench.room("stage").stamps._roll._put(0.5)
    bench.room("stage").stamps._spread._put(0.3)
    at = on_view(stage, np.array([0.2, 1.0, -2.4]))
    for _ in range(5):
        stage.click(view, at)
    made = list(session.project.decals)[1:]
    sizes = np.array([d.size[0] / 0.4 for d in made])
    assert len(set(sizes.round(5))) == 5
    assert ((sizes >= 1 / 1.3 - 1e-6) & (sizes <= 1.3 + 1e-6)).all()
    straight = Rotation.from_quat(made[0].turn)
    rolls = [(Rotation.from_quat(d.turn) * straight.inv()).magnitude() for d in made[1:]]
    assert all(r <= 1.0 + 1e-6 for r in rolls)


def test_a_dropped_picture_becomes_finish_and_box_at_once_its_proportions_kept(stage: Hand, tmp_path: Path) -> None:
    session, bench = stage.session, stage.window.bench
    picture = np.zeros((30, 60, 4), np.uint8)
    picture[..., 0] = 220
    picture[:, :30, 3] = 255
    path = tmp_path / "old_poster.png"
    path.write_bytes(png_bytes(picture))
    stage.window.bring(path)
    stage.settle()
    stamp = session.project.stamps[-1]
    assert (stamp.name, bench.stamp_tool.decal) == ("Old poster", stamp.decal)
    assert stamp.decal.size[0] == pytest.approx(2 * stamp.decal.size[2])
    assert bench.room("stage").stamps.tiles[stamp.id].image is not None
    before = shown(stage)
    at = on_view(stage, np.array([0.3, 1.2, -2.4]))
    stage.click(stage.window.view, at)
    stage.settle()
    stage.key(stage.window, Qt.Key.Key_Escape)
    session.choose_things(())
    stage.settle()
    changed = np.abs(shown(stage).astype(int) - before).max(axis=2) > 25
    half = stamp.decal.size[0] / 4
    left = on_view(stage, np.array([0.3 - half, 1.2, -2.4]))
    right = on_view(stage, np.array([0.3 + half, 1.2, -2.4]))
    assert changed[left.y() - 4 : left.y() + 4, left.x() - 4 : left.x() + 4].mean() > 0.8
    assert changed[right.y() - 4 : right.y() + 4, right.x() - 4 : right.x() + 4].mean() < 0.1  # see-through stays so
    assert session.faults == {}


def test_a_decal_is_turned_by_its_sheet_moved_by_the_wheel_and_says_why_it_touches_nothing(stage: Hand) -> None:
    session, view, bench = stage.session, stage.window.view, stage.window.bench
    take(stage)
    stage.click(view, on_view(stage, np.array([0.2, 1.1, -2.4])))
    stage.key(stage.window, Qt.Key.Key_Escape)
    stage.settle()
    (decal,) = session.project.decals
    sheet = bench.room("stage").decal_sheet
    assert bench.right.currentWidget() is sheet
    full = shown(stage)
    sheet.fields["opacity"]._put(0.2)
    stage.settle()
    assert session.project.decals[decal.id].opacity == 0.2
    assert np.abs(shown(stage) - full).max() > 15
    sheet.fields["shares.color"]._put(0.0)
    assert session.project.decals[decal.id].shares.color == 0.0
    sheet.fields["gone"]._put(0.3)
    assert session.project.decals[decal.id].angle == (0.3, 0.3)
    spot = bench.wheel.spot("knob")
    assert spot is not None
    stage.drag(view, spot.toPoint(), spot.toPoint() - QPoint(0, 60))
    assert session.project.decals[decal.id].position[1] > decal.position[1] + 0.05
    assert sheet._why.text() == ""
    session.do(edits.set_decals(decals=(decal.id,), only=("gate_post",)))
    assert "not among those" in sheet._why.text()
    session.do(edits.set_decals(decals=(decal.id,), only=()))
    session.do(edits.place_things(places={decal.id: _place(session.project.decals[decal.id], (0.0, 8.0, 0.0))}))
    assert "no surface is in its box" in sheet._why.text()
    session.do(edits.place_things(places={decal.id: _place(decal, decal.position, turned=True)}))
    assert "faces away" in sheet._why.text()
    before = len(session.project.stamps)
    bench.room("stage").stamps.keep()
    assert len(session.project.stamps) == before + 1


def _place(decal: Decal, position: tuple[float, float, float], turned: bool = False):
    from jade_coat.stage.arranging import Place

    turn = Rotation.from_quat(decal.turn) * Rotation.from_rotvec([math.pi if turned else 0.0, 0.0, 0.0])
    x, y, z, w = (float(v) for v in turn.as_quat())
    return Place(position, (x, y, z, w), decal.size)


def test_a_material_that_decals_alone_wear_is_there_beside_a_split_and_after_it(stage: Hand) -> None:
    session, view = stage.session, stage.window.view
    mark = Material(id="mark", name="Mark", coats=(Coat(id="c", name="C", surface=Surface(color=(0.9, 0.1, 0.8))),))
    at = np.array([-0.4, 1.0, -2.35])
    decal = Decal(id="lone", name="Lone", finish="mark", position=tuple(at), size=(0.5, 0.4, 0.5),
                  turn=tuple(Rotation.from_euler("x", np.pi / 2).as_quat()))  # fmt: skip
    session.do(edits.add_material(material=mark))
    session.do(edits.add_things(things=(decal,)))
    session.choose_prop("kiln_wall_prop", "surface")
    stage.settle()
    before = shown(stage).astype(int)
    pink = (before[..., 0] - before[..., 1] > 60) & (before[..., 2] - before[..., 1] > 60)
    assert pink.sum() > 30
    view.show_split(Split(finish="cobalt_wall", name="Cobalt"))
    stage.settle()
    assert not session.faults
    view.show_split(None)
    stage.settle()
    session.choose_prop("cream_jar", "Body")
    session.do(edits.set_light(strength=2.0))
    stage.settle()
    assert not session.faults
    after = shown(stage).astype(int)
    assert ((after[..., 0] - after[..., 1] > 40) & (after[..., 2] - after[..., 1] > 40)).sum() > 0.5 * pink.sum()
