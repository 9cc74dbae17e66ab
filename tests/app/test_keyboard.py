"""The window without a mouse: Tab's way, choosing, turning the camera, menus, dialogs, the rail's filter."""

from __future__ import annotations

import itertools

import numpy as np
from PyQt6.QtCore import QPoint, Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QComboBox, QDialog, QMenu, QWidget

from jade_coat.app.build.finish_rail import FinishTile
from jade_coat.app.controls.fields import NumberField
from jade_coat.app.dialogs.common import ExportSize
from jade_coat.app.focus_order import LINE
from jade_coat.app.window import Window
from jade_coat.material.kinds import KINDS
from tests.app.conftest import Hand
from tests.app.wall import shown

CTRL, SHIFT, ALT = (
    Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.AltModifier,
)  # fmt: skip


def press(key, keys=Qt.KeyboardModifier.NoModifier) -> None:
    """A key goes to what has the focus, as on a keyboard."""
    shown = next(w for w in QApplication.topLevelWidgets() if isinstance(w, Window) and w.isVisible())
    active = QApplication.activeWindow()
    if active is None or not active.isVisible():  # without a window manager nobody gives it back after a menu
        shown.activateWindow()
        QTest.qWaitForWindowActive(shown, 3000)
    QTest.keyClick(QApplication.focusWidget() or shown, key, keys)
    QApplication.processEvents()


def write(text: str) -> None:
    QTest.keyClicks(QApplication.focusWidget(), text)
    QApplication.processEvents()


def tab_to(hand: Hand, wanted, most: int = 400) -> QWidget:
    """Press Tab until what has the focus fits."""
    for _ in range(most):
        found = QApplication.focusWidget()
        if found is not None and wanted(found):
            return found
        press(Qt.Key.Key_Tab)
    last = QApplication.focusWidget()
    raise AssertionError(f"Tab does not lead there, but to {type(last).__name__}")


def answer_menu(text: str, seen: list[str]) -> None:
    """Choose an entry of the menu that opens next, by keys."""

    def choose() -> None:
        menu = QApplication.activePopupWidget()
        assert isinstance(menu, QMenu)
        seen.extend(a.text() for a in menu.actions())
        for _ in menu.actions():
            if menu.activeAction() is not None and menu.activeAction().text() == text:
                break
            QTest.keyClick(menu, Qt.Key.Key_Down)
        QTest.keyClick(menu, Qt.Key.Key_Return if text in seen else Qt.Key.Key_Escape)

    QTimer.singleShot(0, choose)


def test_tab_goes_through_the_panes_as_people_read_and_comes_back(hand: Hand) -> None:
    bench = hand.window.bench
    panes = {"panel": bench.left, "bar": bench.view_bar, "view": bench.view, "looks": bench.looks, "stack": bench.stack,
             "dials": bench.dials, "shared": bench.shared, "rail": bench.rail}  # fmt: skip

    def pane(widget: QWidget) -> str:
        return next((n for n, p in panes.items() if p is widget or p.isAncestorOf(widget)), "")

    bench.view.setFocus()
    way: list[QWidget] = []
    while not way or QApplication.focusWidget() is not bench.view:
        way.append(QApplication.focusWidget())
        press(Qt.Key.Key_Tab)
        assert len(way) < 600
        now = QApplication.focusWidget()
        if pane(now) == pane(way[-1]) and pane(now):
            before, after = (w.mapTo(hand.window, w.rect().center()) for w in (way[-1], now))
            assert after.y() > before.y() - 2 * LINE  # never up, but within a line
    assert len(set(map(id, way))) == len(way)  # each once
    met = [n for n, _ in itertools.groupby(pane(w) for w in way)]
    at = met.index("view")
    assert [n for n in met[at:] + met[:at] if n] == [
        "view",
        "looks",
        "stack",
        "dials",
        "shared",
        "rail",
        "panel",
        "bar",
    ]
    press(Qt.Key.Key_Backtab, SHIFT)
    assert QApplication.focusWidget() is way[-1]


def test_a_material_is_worked_on_by_keys_alone(hand: Hand) -> None:
    session, window = hand.session, hand.window
    window.view.setFocus()
    first = (session.prop_id, session.slot)
    press(Qt.Key.Key_J)
    assert (session.prop_id, session.slot) != first
    press(Qt.Key.Key_J, SHIFT)
    assert (session.prop_id, session.slot) == first
    while session.prop_id != "kiln_wall_prop":
        press(Qt.Key.Key_J)
    camera = window.view.camera
    press(Qt.Key.Key_Left)
    press(Qt.Key.Key_Plus)
    press(Qt.Key.Key_Up, SHIFT)
    now = window.view.camera
    assert now.yaw != camera.yaw
    assert now.distance < camera.distance
    assert now.target != camera.target
    press(Qt.Key.Key_K, CTRL)  # the finder, to a dial
    finder = window._finder
    write("moss amount")
    QTest.keyClick(QApplication.focusWidget(), Qt.Key.Key_Return)
    hand.until(lambda: not finder.isVisible())
    before = shown(hand)
    window.view.setFocus()
    amount = tab_to(hand, lambda w: w is window.bench.dials._fields[_dial(session, "Moss amount")])
    assert isinstance(amount, NumberField)
    press(Qt.Key.Key_Return)
    write("0.1")
    press(Qt.Key.Key_Return)
    finish = session.project.finish(session.finish_id)
    assert finish.values[_dial(session, "Moss amount")] == 0.1
    hand.settle()
    assert np.abs(shown(hand) - before).mean() > 0.1
    seen: list[str] = []
    amount.setFocus()
    answer_menu("Move down", seen)
    press(Qt.Key.Key_F10, SHIFT)
    assert {"Rename…", "Limits…", "No dial any more"} <= set(seen)
    tile = tab_to(hand, lambda w: isinstance(w, FinishTile))
    press(Qt.Key.Key_Space)
    assert session.finish_id == tile.finish
    press(Qt.Key.Key_Z, CTRL)
    row = tab_to(hand, lambda w: type(w).__name__ == "CoatRow")
    count = len(session.material.coats)
    seen.clear()
    answer_menu("Duplicate", seen)
    press(Qt.Key.Key_F10, SHIFT)
    assert len(session.material.coats) == count + 1
    assert row.coat.name


def test_the_brush_is_taken_and_a_channel_cleared_by_keys(hand: Hand) -> None:
    session, window = hand.session, hand.window
    session.choose_prop("kiln_wall_prop", "surface")
    window.view.setFocus()
    press(Qt.Key.Key_B)
    assert window.workspace == "Brush"
    window.view.setFocus()
    press(Qt.Key.Key_2)
    fill = tab_to(hand, lambda w: w is window.bench.brush_panel.quick["Clear"])
    paint = session.prop.paint
    press(Qt.Key.Key_Space)
    hand.until(lambda: session.prop.paint is not paint)
    assert not session.prop.paint.whole()[:, 1].any()
    assert fill.isVisible()


def _dial(session, name: str) -> str:
    return next(d.id for d in session.material.dials if d.name == name)


def test_enter_confirms_dialogs_and_escape_leaves_them(hand: Hand) -> None:
    for key, result in ((Qt.Key.Key_Return, True), (Qt.Key.Key_Escape, False)):
        ask = ExportSize(hand.window, 3, "Kiln wall alone")
        ask.show()
        QApplication.processEvents()
        QTest.keyClick(ask, key)
        assert (ask.result() == QDialog.DialogCode.Accepted.value) == result
    box = next(w for w in ask.findChildren(QComboBox) if w is ask.which)
    assert [box.itemText(i) for i in range(box.count())] == ["All 3 props", "Kiln wall alone"]


def test_the_rail_is_sifted_by_words_of_finishes_and_materials(hand: Hand) -> None:
    rail = hand.window.bench.rail
    rail.filter.setFocus()
    write("wall sooted")
    assert [t.isVisible() for t in rail.tiles.values()].count(True) == 1
    assert "1 of 17" in rail._sifted.text()
    rail.filter.clear()
    QApplication.processEvents()
    assert all(t.isVisible() for t in rail.tiles.values())
    write("jar")
    assert 0 < [t.isVisible() for t in rail.tiles.values()].count(True) < 17
    middle = rail.filter.mapTo(rail, QPoint(0, 0))
    assert middle.x() < 20  # it stays where it is while the tiles scroll


def test_the_keyboard_stays_where_it_was_when_an_edit_builds_its_panel_anew(hand: Hand) -> None:
    session, panel = hand.session, hand.window.bench.coat_panel
    session.choose_prop("kiln_wall_prop", "surface")
    session.choose_coat("moss")
    kind = panel.kind.kind
    panel.kind.parentWidget().parentWidget().unfold()
    kind.setFocus()
    for _ in range(3):  # each choice builds the panel anew; the next key goes on from there
        before = session.material.kind
        hand.key(QApplication.focusWidget(), Qt.Key.Key_Down)
        assert session.material.kind != before
        assert QApplication.focusWidget() is panel.kind.kind
    assert session.material.kind == list(KINDS)[3]
    seam = next(w for path, w in panel.rows.chosen.items() if path.endswith("where.noise.combine"))
    seam.setFocus()
    hand.key(QApplication.focusWidget(), Qt.Key.Key_Down)
    now = next(w for path, w in panel.rows.chosen.items() if path.endswith("where.noise.combine"))
    assert QApplication.focusWidget() is now or now.isAncestorOf(QApplication.focusWidget())
