"""The colour picker by hand: hues, codes, linear numbers, strength, the surface in the view, recent colours."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QLineEdit, QPushButton

from jade_coat.app.controls.color_picker import ColorPicker
from jade_coat.stage import edits
from jade_coat.stage.looks import dial_values
from tests.app.conftest import Hand
from tests.app.wall import pixel_of


def now_open() -> ColorPicker:
    return next(w for w in QApplication.topLevelWidgets() if isinstance(w, ColorPicker) and w.isVisible())


def test_the_colour_picker_turns_a_tint(hand: Hand) -> None:
    field = hand.window.bench.dials.fields["glaze_tint"]
    hand.click(field)
    picker = now_open()
    hand.drag(picker, QPoint(20, 140), QPoint(20, 20))
    r, g, b = dial_values(hand.session.project, "celadon_wall")["glaze_tint"]
    assert r > g
    assert r > b
    picker.code.setText("#336699")
    picker.code.editingFinished.emit()
    assert dial_values(hand.session.project, "celadon_wall")["glaze_tint"] == pytest.approx(
        (0.0331, 0.1329, 0.3185), abs=1e-3
    )
    picker.close()


def test_a_colour_is_typed_in_linear_numbers_is_never_rounded_and_is_found_again(hand: Hand) -> None:
    field, session = hand.window.bench.dials.fields["glaze_tint"], hand.session
    session.do(edits.set_dial(finish="celadon_wall", dial="glaze_tint", value=(0.0123456, 0.2, 0.3)))
    hand.click(field)
    picker = now_open()
    hand.key(picker.code, Qt.Key.Key_Return)  # the code is shown, not taken
    assert dial_values(session.project, "celadon_wall")["glaze_tint"] == (0.0123456, 0.2, 0.3)
    channel = picker.channels[2]
    channel.setFocus()
    hand.key(channel, Qt.Key.Key_Return)
    QTest.keyClicks(channel.findChild(QLineEdit), "0.0013")
    hand.key(channel.findChild(QLineEdit), Qt.Key.Key_Return)
    found = dial_values(session.project, "celadon_wall")["glaze_tint"]
    assert found == (0.0123456, 0.2, 0.0013)  # the others stay to the last digit
    picker.strength.setFocus()
    hand.key(picker.strength, Qt.Key.Key_Return)
    QTest.keyClicks(picker.strength.findChild(QLineEdit), "3")
    hand.key(picker.strength.findChild(QLineEdit), Qt.Key.Key_Return)
    bright = dial_values(session.project, "celadon_wall")["glaze_tint"]
    assert max(bright) == pytest.approx(3.0)
    assert bright[1] / bright[0] == pytest.approx(0.2 / 0.0123456)
    picker.tones[1].setFocus()
    for key in (Qt.Key.Key_Left,) * 3:  # less saturation: hue and strength stay
        hand.key(picker.tones[1], key)
    assert max(dial_values(session.project, "celadon_wall")["glaze_tint"]) == pytest.approx(3.0)
    last = dial_values(session.project, "celadon_wall")["glaze_tint"]
    picker.show()  # without a screen a popup is hidden as soon as events are taken
    picker.close()
    hand.click(field)
    assert now_open().recent[0]._value == pytest.approx(last)
    now_open().close()


def test_a_colour_is_taken_from_the_surface_in_the_view(hand: Hand) -> None:
    session, view = hand.session, hand.window.view
    jar = session.project.prop("small_jar")
    hand.click(hand.window.bench.dials.fields["glaze_tint"])
    picker = now_open()
    hand.click(next(b for b in picker.findChildren(QPushButton) if b.text() == "From the view"))
    assert hand.window.bench.dropper.armed
    at, chosen = pixel_of(hand, np.array(jar.position) + [0, 0.15, 0.16]), session.prop_id
    hand.click(view, at)
    hand.until(lambda: dial_values(session.project, "celadon_wall")["glaze_tint"] != (1.0, 1.0, 1.0))
    r, _, b = dial_values(session.project, "celadon_wall")["glaze_tint"]
    assert b > 1.5 * r  # cobalt
    assert session.prop_id == chosen  # the press took a colour, it chose nothing
    assert not hand.window.bench.dropper.armed
