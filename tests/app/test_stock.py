"""What the project keeps is renamed, duplicated and removed by hand; props are moved, turned, renamed, doubled."""

from __future__ import annotations

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QInputDialog, QLineEdit
from scipy.spatial.transform import Rotation

from jade_coat.stage import edits
from jade_coat.stage.arranging import place_of
from jade_coat.stage.turns import angles_of
from tests.app.conftest import Hand
from tests.app.wall import pixel_of, shown


def type_name(hand: Hand, line: QLineEdit, name: str) -> None:
    line.setFocus()
    line.selectAll()
    QTest.keyClicks(line, name)
    hand.key(line, Qt.Key.Key_Return)


def test_materials_are_renamed_doubled_and_removed_with_an_heir(hand: Hand) -> None:
    session = hand.session
    hand.window.activateWindow()
    stock = hand.window.workspaces["Build"].show_stock()
    assert "2 props in 12 finishes" in stock.rows["kiln_wall"].used.text()
    type_name(hand, stock.rows["kiln_wall"].name, "Yard wall")
    assert session.project.material("kiln_wall").name == "Yard wall"
    type_name(hand, stock.rows["jar_glaze"].name, "Yard wall")
    assert session.project.material("jar_glaze").name == "Jar glaze"
    assert "another material is called Yard wall" in stock.problem.text()
    assert stock.rows["jar_glaze"].name.text() == "Jar glaze"
    stock.rows["jar_glaze"].depth_field.setFocus()
    hand.key(stock.rows["jar_glaze"].depth_field, Qt.Key.Key_Return)
    QTest.keyClicks(stock.rows["jar_glaze"].depth_field.findChild(QLineEdit), "8 mm")
    hand.key(stock.rows["jar_glaze"].depth_field.findChild(QLineEdit), Qt.Key.Key_Return)
    assert session.project.material("jar_glaze").depth == pytest.approx(0.008)
    hand.click(stock.rows["jar_glaze"].copy)
    assert [m.name for m in session.project.materials][-1] == "Jar glaze 2"
    assert any(f.parent == session.project.materials[-1].id for f in session.project.finishes)
    hand.click(stock.rows["kiln_wall"].remove)
    assert session.project.materials[0].id == "kiln_wall"  # asked first
    row = stock.rows["kiln_wall"]
    row.heirs.setCurrentIndex(row.heirs.findData("cobalt_jar"))
    hand.click(row.go)
    assert "kiln_wall" not in {m.id for m in session.project.materials}
    assert session.project.prop("kiln_wall_prop").finishes == {"surface": "cobalt_jar"}
    hand.settle()
    assert not session.faults
    before = shown(hand)
    while session.document.undo():
        pass
    hand.settle()
    assert np.abs(shown(hand) - before).max() > 60
    assert session.project.material("kiln_wall").name == "Kiln wall"


def test_map_sets_recipes_and_meshes_say_who_uses_them_and_go(hand: Hand) -> None:
    session, project = hand.session, hand.session.project
    stock = hand.window.workspaces["Build"].show_stock()
    hand.click(stock.tabs["map_sets"])
    wanted = next(i for i in stock.rows if project.map_set(i).name == "Cushion moss")
    hand.click(stock.rows[wanted].remove)
    row = stock.rows[wanted]
    assert row.heirs.itemText(0) == "plain values"
    other = next(i for i in stock.rows if i != wanted)
    row.heirs.setCurrentIndex(row.heirs.findData(other))
    hand.click(row.go)
    assert session.project.material("kiln_wall").coat("moss").surface.map_set == other
    hand.click(stock.tabs["recipes"])
    used = next(r.id for r in project.recipes if project.recipe_users(r.id))
    free = [r.id for r in project.recipes if not project.recipe_users(r.id)]
    assert not stock.rows[used].remove.isEnabled()
    assert "Change that first" in stock.rows[used].remove.toolTip()
    hand.click(stock.rows[free[0]].remove)
    assert free[0] not in {r.id for r in session.project.recipes}
    hand.click(stock.tabs["meshes"])
    assert all(not r.remove.isEnabled() for r in stock.rows.values())
    hand.settle()
    assert not session.faults


def test_a_prop_is_moved_turned_and_sized_by_numbers(hand: Hand) -> None:
    session, sheet = hand.session, hand.window.bench.dials
    session.choose_prop("tall_jar", "Body")
    hand.click(sheet.place._head)
    hand.settle()
    before = shown(hand)
    for key, axis, text in (("position", 0, "0.2"), ("turn", 1, "90"), ("size", 1, "2")):
        field = sheet.place.fields[key][axis]
        field.setFocus()
        hand.key(field, Qt.Key.Key_Return)
        QTest.keyClicks(field.findChild(QLineEdit), text)
        hand.key(field.findChild(QLineEdit), Qt.Key.Key_Return)
    prop = session.project.prop("tall_jar")
    assert prop.position[0] == pytest.approx(0.2)
    assert angles_of(prop.turn)[1] == pytest.approx(np.pi / 2)
    assert prop.size == (1.25, 2.0, 1.25)
    hand.settle()
    assert np.abs(shown(hand) - before).max() > 60
    for _ in range(3):
        hand.window.undo()
    assert session.project.prop("tall_jar").size == (1.25, 1.25, 1.25)
    assert sheet.place.fields["size"][1].value == pytest.approx(1.25)
    tilted = Rotation.from_euler("xyz", (0.3, 0.5, -0.8))
    session.do(edits.place_things(places={"tall_jar": place_of(prop)._replace(turn=tuple(tilted.as_quat()))}))
    hand.click(sheet.place.own[2])  # a quarter turn about its own z: its x axis comes to where its y axis was
    turned = Rotation.from_quat(session.project.prop("tall_jar").turn)
    assert np.abs(turned.apply([1, 0, 0]) - tilted.apply([0, 1, 0])).max() < 1e-6
    assert np.abs(turned.apply([0, 0, 1]) - tilted.apply([0, 0, 1])).max() < 1e-6


def test_a_right_click_in_brush_chooses_renames_and_doubles_without_painting(hand: Hand, monkeypatch) -> None:
    session, window = hand.session, hand.window
    window.show_workspace("Brush")
    hand.settle()
    start = session.project
    jar = session.project.prop("cream_jar")
    at = pixel_of(hand, np.array(jar.position) + [0, 0.3, 0.1])
    QTest.mouseClick(window.view, Qt.MouseButton.RightButton, Qt.KeyboardModifier.NoModifier, at)
    menu = window.bench.menu
    assert menu.isVisible()
    actions = {a.text(): a for a in menu.actions()}
    actions["Choose Cream jar"].trigger()
    assert session.prop_id == "cream_jar"
    assert session.project is start  # nothing was painted
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: ("Milk jar", True))
    actions["Rename…"].trigger()
    assert session.project.prop("cream_jar").name == "Milk jar"
    actions["Duplicate"].trigger()
    made = session.prop
    assert made.name == "Milk jar 2"  # as it is called now
    assert made.finishes == jar.finishes
    assert made.position[0] > jar.position[0]
    menu.close()
    camera = window.view.camera
    hand.drag(window.view, at, at + QPoint(40, 0), button=Qt.MouseButton.RightButton)
    assert window.view.camera.yaw != camera.yaw  # a drag still turns the view


def test_a_list_of_finishes_shows_its_pictures_once_it_is_opened(hand: Hand) -> None:
    from PyQt6.QtWidgets import QComboBox

    wears = next(b for b in hand.window.bench.dials.findChildren(QComboBox) if b.findData("cobalt_jar") >= 0)
    assert wears.itemIcon(wears.findData("cobalt_jar")).isNull()
    wears.showPopup()
    hand.until(lambda: not wears.itemIcon(wears.findData("cobalt_jar")).isNull())
    tone = wears.itemIcon(wears.findData("cobalt_jar")).pixmap(22, 17).toImage().pixelColor(10, 8)
    assert tone.blue() > tone.red()
    wears.hidePopup()
