"""The line-up, trying things on, dials of many at once, and categories, in the real window."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QEvent, QPointF, Qt
from PyQt6.QtGui import QEnterEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget

from jade_coat.app.stage.finish_picker import FinishPicker
from jade_coat.stage import edits
from jade_coat.stage.looks import finish_on
from tests.app.conftest import Hand
from tests.app.wall import shown

JARS = ("tall_jar", "cream_jar", "small_jar")


@pytest.fixture
def jars(hand: Hand) -> Hand:
    """Stage, with jars that wear what their variant puts on."""
    session = hand.session
    for slot in ("Body", "Neck"):
        session.do(edits.dress(props=JARS, slot=slot, finish=""))
        session.do(edits.set_variant_finish(mesh="storage_jar", variant="default", slot=slot, finish="cream_jar"))
    hand.window.show_workspace("Stage")
    session.choose_things(("cream_jar",))
    hand.settle()
    return hand


def rest_on(hand: Hand, picker: FinishPicker, finish: str) -> None:
    picker.tiles[finish].rested.emit(finish)
    hand.until(lambda: hand.session.shown_project is not hand.session.project)
    hand.settle()


def test_a_variant_is_made_dressed_tried_on_and_worn_by_many(jars: Hand) -> None:
    session, line_up = jars.session, jars.window.bench.room("stage").line_up
    before, project = shown(jars), session.project
    line_up.add()
    (_head,) = [h for h in line_up.heads.values() if h.index == 1]
    assert line_up.cells["variant", "Body"].finish == ""
    jars.click(line_up.cells["variant", "Body"])
    picker = line_up.picker
    assert picker is not None
    session.do(edits.wear_variant(props=JARS, variant="variant"))
    kept = session.project
    rest_on(jars, picker, "cobalt_jar")
    assert np.abs(shown(jars) - before).max() > 30  # seen
    assert session.project is kept  # and not done
    picker.leaveEvent(None)
    jars.settle()
    assert np.abs(shown(jars) - before).mean() < 0.5
    QTest.mouseClick(picker.tiles["cobalt_jar"], Qt.MouseButton.LeftButton)
    jars.settle()
    assert session.project.mesh("storage_jar").variant("variant").finishes == {"Body": "cobalt_jar"}
    for jar in JARS:
        found = session.project.prop(jar)
        assert (finish_on(session.project, found, "Body"), finish_on(session.project, found, "Neck")) == (
            "cobalt_jar", "cream_jar",
        )  # fmt: skip
    assert line_up.model_image("variant") is not None
    line_up.add("variant")
    assert [v.name for v in session.project.mesh("storage_jar").variants] == ["Default", "Variant", "Variant 2"]
    told: list[list[str]] = []
    session.agree = lambda what, lines: told.append(lines) or False
    line_up.shift("variant", 1)
    assert told
    assert session.project.mesh("storage_jar").variants[1].id == "variant"  # three props are called by its index
    session.agree = lambda what, lines: True
    line_up.shift("variant", 1)
    assert session.project.mesh("storage_jar").variants[2].id == "variant"
    line_up.remove("variant")
    assert all(p.variant == "" for p in session.project.props)
    assert project.props.get("cream_jar") is not None


def test_the_dials_of_many_are_turned_at_once_spread_and_kept_as_a_finish(jars: Hand) -> None:
    session, sheet = jars.session, jars.window.bench.room("stage").stage_sheet
    session.choose_things(JARS)
    jars.settle()
    assert len(sheet.alike()) == 3
    dial = next(d for d in sheet.fields if isinstance(sheet.fields[d].value, float))
    before = shown(jars)
    sheet.fields[dial]._put(0.9)
    assert all(session.project.prop(j).values["Body"] == {dial: 0.9} for j in JARS)
    assert sheet.dots[dial].isVisible()
    assert not sheet.mixed[dial].isVisible()
    jars.settle()
    assert np.abs(shown(jars) - before).max() > 3
    assert session.document.undo_title == "Turn a dial of 3 props"
    spread = sheet.spread
    assert spread is not None
    spread._choose(dial)
    spread.ends[0]._put(0.1)
    spread.ends[1]._put(0.8)
    spread.run()
    values = [session.project.prop(j).values["Body"][dial] for j in JARS]
    assert len(set(values)) == 3
    assert all(0.1 <= v <= 0.8 for v in values)
    assert sheet.mixed[dial].isVisible()
    spread.run()
    assert [session.project.prop(j).values["Body"][dial] for j in JARS] == values  # steady for a seed
    count = len(session.project.finishes)
    sheet.lift()
    assert len(session.project.finishes) == count + 1
    made = session.project.finishes[-1]
    assert made.parent == "cream_jar"
    assert made.values == {dial: values[-1 if session.prop_id == JARS[-1] else 0]}
    assert all(finish_on(session.project, session.project.prop(j), "Body") == made.id for j in JARS)
    assert not any(session.project.prop(j).values.get("Body") for j in JARS)
    jars.key(jars.window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    assert len(session.project.finishes) == count
    sheet._drop(dial)
    assert not any(session.project.prop(j).values.get("Body") for j in JARS)


def test_a_category_is_dressed_anew_and_what_relies_on_it_follows(jars: Hand) -> None:
    session, line_up = jars.session, jars.window.bench.room("stage").line_up
    for slot in ("Body", "Neck"):
        session.do(edits.set_variant_finish(mesh="storage_jar", variant="default", slot=slot, finish=""))
    jars.settle()
    line_up._ask_category("storage_jar", "Body")
    menu = line_up.menu
    assert "Clay" in [a.text() for a in menu.actions()]
    menu.make("Clay")
    picker = menu.picker
    assert picker is not None
    picker.keep("iron_jar")
    menu.close()
    jars.settle()
    assert session.project.mesh("storage_jar").categories == {"Body": "clay"}
    assert all(finish_on(session.project, session.project.prop(j), "Body") == "iron_jar" for j in JARS)
    assert all(finish_on(session.project, session.project.prop(j), "Neck") == "" for j in JARS)
    assert session.faults == {}


def enter(hand: Hand, widget: QWidget) -> None:
    at = QPointF(widget.rect().center())
    QApplication.sendEvent(widget, QEnterEvent(at, at, QPointF(widget.mapToGlobal(at))))
    hand.until(lambda: hand.session.shown_project is not hand.session.project)
    hand.settle()


def test_resting_on_a_variant_or_a_finish_shows_it_on_what_is_chosen_and_leaving_takes_it_back(jars: Hand) -> None:
    session, bench = jars.session, jars.window.bench
    bench.room("stage").line_up.add()
    session.do(edits.set_variant_finish(mesh="storage_jar", variant="variant", slot="Body", finish="cobalt_jar"))
    session.do(edits.wear_variant(props=JARS, variant=""))
    for jar in JARS:
        session.do(edits.dress(props=(jar,), slot="Body", finish=""))
    session.choose_things(JARS)
    bench.panes.open("finishes")
    jars.settle()
    before, project = shown(jars), session.project
    for widget in (bench.room("stage").line_up.heads["variant"], bench.rail.tiles["iron_jar"]):
        enter(jars, widget)
        assert np.abs(shown(jars).astype(int) - before).max() > 30
        assert session.project is project
        QApplication.sendEvent(widget, QEvent(QEvent.Type.Leave))
        jars.settle()
        assert session.shown_project is session.project
    jars.click(bench.room("stage").line_up.heads["variant"])
    assert {session.project.prop(j).variant for j in JARS} == {"variant"}
