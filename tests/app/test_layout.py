"""Panes fold by click and key, each workspace keeps its own arrangement, and the view gets the room."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QEvent, QPoint, QPointF, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QPushButton

from jade_coat.app.controls.basics import Elided, NameButton
from jade_coat.stage import edits
from jade_coat.stage.decals import Decal
from jade_coat.stage.lamps import Lamp
from tests.app.conftest import Hand, move
from tests.app.wall import shown

ALT = Qt.KeyboardModifier.AltModifier


def test_brush_gives_the_view_half_the_window_and_build_stays_as_it_was_left(open_window, demo_copy) -> None:
    hand: Hand = open_window(demo_copy)
    bench, window = hand.window.bench, hand.window
    assert bench.panes.shut == frozenset()
    hand.click(window.tabs["Brush"])
    hand.settle()
    assert bench.panes.shut == {"section", "finishes"}
    view = bench.view
    assert view.width() * view.height() >= 0.47 * window.width() * window.height()
    hand.key(window, Qt.Key.Key_5, ALT)
    assert view.width() * view.height() >= 0.6 * window.width() * window.height()
    hand.click(window.tabs["Build"])
    hand.settle()
    assert bench.panes.shut == frozenset()
    assert bench.stack.isVisible()
    hand.click(bench.panes.buttons["finishes"])
    wide = bench.coat_panel.width() + 40
    bench.across.setSizes([wide, *bench.across.sizes()[1:]])
    hand.click(window.tabs["Brush"])
    assert bench.panes.shut == {"section", "finishes", "dials"}
    window.close()

    again: Hand = open_window(demo_copy)
    assert again.window.bench.panes.shut == {"finishes"}
    assert abs(again.window.bench.coat_panel.width() - wide) <= 12
    again.click(again.window.tabs["Brush"])
    assert again.window.bench.panes.shut == {"section", "finishes", "dials"}


def test_one_key_leaves_the_view_alone_and_brings_all_back(hand: Hand) -> None:
    panes, window = hand.window.bench.panes, hand.window
    hand.click(panes.buttons["looks"])
    hand.window.bench.dials.fields["moss_amount"].setFocus()
    hand.key(window, Qt.Key.Key_V)
    assert panes.shut == set(panes.buttons)
    assert hand.window.bench.view.hasFocus()  # what is hidden does not keep the keyboard
    assert hand.window.bench.view.width() == window.width()
    hand.key(window, Qt.Key.Key_V)
    assert panes.shut == {"looks"}
    hand.click(panes.alone)
    hand.click(panes.buttons["dials"])  # one opened by hand: the others stay folded
    assert panes.shut == set(panes.buttons) - {"dials"}
    assert not panes.alone.isChecked()


def test_what_is_folded_is_neither_drawn_nor_measured_and_catches_up(hand: Hand) -> None:
    bench, asked = hand.window.bench, []
    for key in (Qt.Key.Key_1, Qt.Key.Key_2, Qt.Key.Key_3):
        hand.key(hand.window, key, ALT)
    hand.settle()
    hand.session.picture.connect(lambda picture, image: asked.append(picture.stream))
    before = bench.stack.strip.cut
    row = next(r for r in bench.stack.rows if r.coat.id == "moss")
    hand.session.do(_more_moss())
    hand.settle()
    assert "looks" not in asked
    assert bench.stack.strip.cut is before
    share = row.share
    hand.key(hand.window, Qt.Key.Key_3, ALT)
    hand.until(lambda: bench.stack.strip.cut is not before and row.share != share)
    hand.key(hand.window, Qt.Key.Key_2, ALT)
    hand.until(lambda: "looks" in asked)


def _more_moss():
    return edits.set_field(material="kiln_wall", path="moss.amount", value=0.2)


def test_the_strip_shows_what_fits_and_all_when_asked(hand: Hand) -> None:
    strip = hand.window.bench.looks
    hand.session.choose_coat("moss")
    hand.settle()
    names = {t.look for t in strip.thumbs}
    assert {"where:lime", "where:moss", "weight:lime", "weight:moss", "uv:0", "paint:G"} <= names
    row = [t for t in strip.thumbs if t.isVisible()]
    assert strip.more.more == len(strip.thumbs) - len(row) > 0
    assert strip.more.geometry().right() < strip.width()
    hand.click(strip.more)
    hand.settle()
    assert all(t.isVisible() and t.image is not None and strip.rect().contains(t.geometry()) for t in strip.thumbs)
    checks = next(t for t in strip.thumbs if t.look == "uv:0")
    hand.click(checks)
    hand.settle()
    grey = shown(hand)
    assert np.ptp(grey[..., 0]) > 100
    hand.click(strip.more)  # folded again, the look that is shown stays among those in reach
    assert checks.isVisible()
    assert checks.geometry().right() < strip.width()
    hand.window.resize(1100, 700)
    assert sum(t.isVisible() for t in strip.thumbs) < len(row)
    assert checks.isVisible()


def test_the_cost_of_the_material_and_of_each_coat_follows_its_program(hand: Hand) -> None:
    stack = hand.window.bench.stack
    hand.until(lambda: stack.cost.text().startswith("7 reads"))
    assert "was" not in stack.cost.text()
    lime = next(r for r in stack.rows if r.coat.id == "lime")
    saved = lime.cost.reads
    assert saved > 0
    assert "Without it a pixel takes" in lime.toolTip()
    hand.session.do(edits.set_coat(material="kiln_wall", coat="lime", shown=False))
    hand.until(lambda: stack.cost.text().startswith(f"{7 - saved} reads"))
    assert "was 7 reads" in stack.cost.text()
    before = stack.cost.text()
    hand.session.do(edits.set_dial(finish="celadon_wall", dial="moss_amount", value=0.3))  # a row: the same program
    hand.settle()
    assert stack.cost.text() == before
    hand.session.choose_prop("cream_jar", "Body")
    hand.until(lambda: "was" not in stack.cost.text() and stack.cost.text() != before)


def test_a_press_whose_release_never_came_does_not_keep_the_picture_coarse(hand: Hand) -> None:
    view = hand.window.view
    QTest.mousePress(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, QPoint(40, 90))
    assert view.held
    hand.window.show_workspace("Brush")
    assert not view.held
    hand.window.show_workspace("Build")
    QTest.mousePress(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, QPoint(40, 90))
    at, camera, none = QPointF(90.0, 120.0), view.camera, Qt.MouseButton.NoButton
    view.mouseMoveEvent(
        QMouseEvent(QEvent.Type.MouseMove, at, view.mapToGlobal(at), none, none, Qt.KeyboardModifier.NoModifier)
    )
    assert not view.held
    assert view.camera == camera
    hand.window.show_workspace("Brush")
    hand.settle()
    start, middle = hand.session.project, view.rect().center()
    for way in ("release", "workspace"):
        QTest.mousePress(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, middle)
        for i in range(8):
            move(view, QPointF(middle) + QPointF(6.0 * i, 0), Qt.MouseButton.LeftButton)
        hand.until(lambda: hand.window.bench.brush_tool.painting)
        if way == "release":  # it never came: the next move has no button
            move(view, QPointF(middle), Qt.MouseButton.NoButton)
            assert hand.session.project is not start
            hand.window.undo()
        else:
            hand.window.show_workspace("Stage")
        assert not view.held
        assert not hand.window.bench.brush_tool.painting
        assert hand.session.project == start
    hand.settle()


def test_no_button_and_no_word_of_ours_is_cut_in_a_window_of_1280(hand: Hand) -> None:
    """Names that people give may be; what the product says must fit where it stands."""
    window, cut = hand.window, []
    names = {x.name for kind in ("materials", "finishes", "props", "meshes", "shared", "map_sets", "recipes")
             for x in getattr(hand.session.project, kind)}  # fmt: skip
    names |= {c.name for m in hand.session.project.materials for c in m.coats}
    names |= {d.name for m in hand.session.project.materials for d in m.dials}

    def look(where: str) -> None:
        hand.settle()
        for made in window.findChildren(QPushButton):
            wide = made.fontMetrics().horizontalAdvance(made.text())
            if made.isVisible() and not isinstance(made, NameButton) and made.text() and made.width() < wide:
                cut.append(f"{where}: {made.text()}")
        for made in window.findChildren(Elided):
            if made.isVisible() and made.is_cut and made.text() not in names:
                cut.append(f"{where}: {made.text()}")

    for workspace in ("Build", "Brush", "Stage"):
        window.show_workspace(workspace)
        look(workspace)
    for page in range(3):
        window.bench.room("stage").below.show_page(page)
        look(f"Stage, page {page}")
    hand.session.do(edits.add_things(things=(Decal(id="d", name="D", finish="cobalt_jar"),)))
    hand.session.choose_things(("d",))
    look("decal")
    hand.session.do(edits.add_things(things=(Lamp(id="l", name="L"),)))
    hand.session.choose_things(("l",))
    look("lamp")
    assert not cut, "\n".join(cut)
