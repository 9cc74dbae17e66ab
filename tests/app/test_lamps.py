"""Lamps and mist in the real window: placed, dragged, copied, aimed by a press, turned together, hidden and undone."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from scipy.spatial.transform import Rotation

from jade_coat.app.stage.lamp_sheet import LampSheet
from jade_coat.stage import edits
from jade_coat.stage.lamps import Lamp, Mist
from jade_coat.stage.turns import STRAIGHT
from tests.app.conftest import Hand
from tests.app.test_stage import body, on_view, pull
from tests.app.wall import shown

CTRL = Qt.KeyboardModifier.ControlModifier


@pytest.fixture
def night(hand: Hand) -> Hand:
    hand.window.show_workspace("Stage")
    hand.session.do(edits.set_light(strength=0.0, sky="evening"))
    hand.session.choose_things(())
    hand.settle()
    return hand


def choose_from_menu(night: Hand, text: str) -> None:
    night.window.bench.room("stage").panel.place.click()
    menu = night.window.workspaces["Stage"].menu
    next(a for a in menu.actions() if a.text() == text).trigger()
    menu.close()
    night.window.activateWindow()
    night.window.view.setFocus()
    night.settle()


def sheet(night: Hand) -> LampSheet:
    found = night.window.bench.right.currentWidget()
    assert isinstance(found, LampSheet)
    return found


def test_a_lamp_is_placed_lights_is_moved_and_copied_and_undo_takes_all_back(night: Hand) -> None:
    session = night.session
    dark = shown(night).astype(int)
    choose_from_menu(night, "A lamp")
    (lamp,) = session.project.lamps
    assert session.chosen == (lamp.id,)
    assert [r.note for r in night.window.bench.room("stage").panel.list.rows.rows if r.thing.id == lamp.id] == ["lamp"]
    lit = shown(night).astype(int)
    assert (lit - dark).mean() > 3
    sheet(night).fields["strength"].changed.emit(0.0)
    night.settle()
    assert np.abs(shown(night).astype(int) - dark).mean() < 0.2
    night.key(night.window, Qt.Key.Key_Z, CTRL)
    assert session.project.lamps[lamp.id].strength == lamp.strength
    start = np.array(lamp.position)
    pull(night, "knob", on_view(night, start + (0.0, 0.9, 0.0)))
    moved = session.project.lamps[lamp.id].position
    assert moved[1] > lamp.position[1] + 0.1
    assert moved[0] == pytest.approx(lamp.position[0])
    night.key(night.window, Qt.Key.Key_D, CTRL)
    assert len(session.project.lamps) == 2
    for _ in range(3):
        night.key(night.window, Qt.Key.Key_Z, CTRL)
    assert not len(session.project.lamps)
    night.settle()
    assert np.abs(shown(night).astype(int) - dark).max() <= 1


def test_lamps_are_aimed_by_a_press_on_what_they_should_light(night: Hand) -> None:
    session, view = night.session, night.window.view
    lamps = tuple(Lamp(id=f"l{i}", name=f"L{i}", position=(x, 2.2, 1.0), reach=9.0) for i, x in enumerate((-1.5, 1.5)))
    session.do(edits.add_things(things=lamps))
    session.choose_things(("l0", "l1"))
    night.settle()
    night.click(sheet(night).aim)
    at = body(night, "cream_jar")
    hit = view.pick(at.toPointF())
    assert hit is not None
    night.click(view, at)
    for lamp in session.project.lamps:
        axis = Rotation.from_quat(lamp.turn).apply([0.0, -1.0, 0.0])
        way = hit.hit.point - np.array(lamp.position)
        assert lamp.spot
        assert np.allclose(axis, way / np.linalg.norm(way), atol=1e-6)
    night.key(night.window, Qt.Key.Key_I)  # taken up, and laid aside again
    assert night.window.bench.aim.active
    night.key(night.window, Qt.Key.Key_Escape)
    assert not night.window.bench.aim.active
    assert session.chosen == ("l0", "l1")
    session.do(edits.lock_things(things=("l0",), on=True))
    before = session.project.lamps["l0"]
    night.key(night.window, Qt.Key.Key_I)
    night.click(view, body(night, "small_jar"))
    assert session.project.lamps["l0"] == before
    assert session.project.lamps["l1"].turn != lamp.turn


def test_many_lamps_are_turned_at_once_and_what_differs_is_told(night: Hand) -> None:
    session = night.session
    first = Lamp(id="a", name="A", position=(0, 1, 1), color=(1.0, 0.2, 0.1))
    session.do(edits.add_things(things=(first, first.with_(id="b", name="B", reach=3.0))))
    session.choose_things(("a", "b"))
    night.settle()
    fields = sheet(night).fields
    assert fields["reach"].toolTip().startswith("Not the same")
    assert not fields["strength"].toolTip().startswith("Not the same")
    assert "outer" not in fields
    fields["spot"].click()
    assert [m.spot for m in session.project.lamps] == [True, True]
    assert [m.reach for m in session.project.lamps] == [8.0, 3.0]
    fields = sheet(night).fields
    fields["outer"].changed.emit(0.3)  # narrower than where it is full
    assert [m.outer for m in session.project.lamps] == [0.3, 0.3]
    night.settle()
    assert not session.faults


def test_mist_is_placed_by_the_menu_and_copied_between_projects_with_its_lamp(night: Hand) -> None:
    session = night.session
    choose_from_menu(night, "Mist")
    (mist,) = session.project.mists
    assert isinstance(mist, Mist)
    assert mist.turn == STRAIGHT
    before = shown(night).astype(int)
    sheet(night).fields["density"].changed.emit(2.0)
    night.settle()
    assert np.abs(shown(night).astype(int) - before).mean() > 1
    session.do(edits.add_things(things=(Lamp(id="l", name="L", position=(0, 1, 1)),)))
    session.choose_things((mist.id, "l"))
    night.key(night.window, Qt.Key.Key_C, CTRL)
    night.key(night.window, Qt.Key.Key_V, CTRL)
    assert (len(session.project.lamps), len(session.project.mists)) == (2, 2)
    assert len(session.chosen) == 2
    night.key(night.window, Qt.Key.Key_H)
    assert [m.visible for m in session.project.mists] == [True, False]


def test_a_press_on_a_lamps_mark_chooses_it(night: Hand) -> None:
    session, view = night.session, night.window.view
    session.do(edits.add_things(things=(Lamp(id="a", name="A", position=(0.2, 1.4, 0.4)),)))
    session.choose_things(())
    night.settle()
    at: QPoint = on_view(night, np.array([0.2, 1.4, 0.4]))
    night.click(view, at)
    assert session.chosen == ("a",)
    assert isinstance(night.window.bench.right.currentWidget(), LampSheet)
