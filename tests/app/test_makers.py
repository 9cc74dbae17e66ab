"""Bushes are made with live pictures, made anew where they stand, and undone exactly."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLineEdit

from jade_coat.files.project_folder import open_project
from jade_coat.maps.images import png_bytes
from jade_coat.maps.mapset import MapFile, MapSet
from jade_coat.material.surface import Role
from jade_coat.mesh.makers import Bush
from jade_coat.mesh.painting import Paint
from jade_coat.stage import edits
from tests.app.conftest import Hand


def turn(hand: Hand, field, text: str) -> None:
    field.setFocus()
    hand.key(field, Qt.Key.Key_Return)
    QTest.keyClicks(field.findChild(QLineEdit), text)
    hand.key(field.findChild(QLineEdit), Qt.Key.Key_Return)


def test_a_bush_is_made_looked_at_made_anew_with_its_paint_and_kept_in_the_file(hand: Hand) -> None:
    session, build = hand.session, hand.window.workspaces["Build"]
    start = session.project
    maker = build.new_bush()
    hand.until(lambda: maker.ready)
    first = maker.picture.pixmap().toImage()
    assert "120 cards, 1,440 triangles" in maker.told.text()
    turn(hand, maker.fields["count"], "40")
    assert maker.isVisible()  # Return settles the number and presses no button
    hand.until(lambda: maker.ready)
    assert "40 cards, 480 triangles" in maker.told.text()
    assert maker.picture.pixmap().toImage() != first
    hand.click(maker._make)
    prop = session.prop
    mesh = session.project.mesh(prop.mesh)
    assert mesh.made == Bush(count=40)
    assert len(session.link.mesh_data(mesh.id).triangles) == 480
    assert prop.finishes == {mesh.slots[0]: session.finish_id}
    hand.settle()
    data = session.link.mesh_data(mesh.id)
    values = np.full((data.vertex_count, 4), 65535, np.uint16)
    session.do(edits.paint_prop(prop=prop.id, paint=Paint.of(values)))
    painted = session.project
    maker = build.make_anew()
    assert maker.numbers == Bush(count=40)
    turn(hand, maker.fields["seed"], "7")
    hand.until(lambda: maker.ready)
    hand.click(maker._make)
    hand.until(lambda: session.project.mesh(mesh.id).made == Bush(count=40, seed=7))
    hand.settle()
    assert not session.faults
    assert session.project.mesh(mesh.id).asset != mesh.asset
    assert session.project.prop(prop.id).paint.whole().mean() > 60000  # carried over
    hand.window.save_project(wait=True)
    hand.until(lambda: not session.document.dirty)
    assert open_project(session.folder).project.mesh(mesh.id).made == Bush(count=40, seed=7)
    hand.window.undo()
    assert session.project == painted
    hand.window.undo()
    hand.window.undo()
    assert session.project == start
    session.choose_prop("kiln_wall_prop", "surface")
    assert build.make_anew() is None
    assert "Choose a prop that was made from numbers" in hand.window._message.text()
    assert not any(name.startswith("maker") for name in session.client._streams)


def test_a_card_is_cut_from_a_pressed_cell_and_made_anew_when_its_atlas_changes(hand: Hand) -> None:
    session, build = hand.session, hand.window.workspaces["Build"]
    atlas = np.zeros((128, 128, 1), np.uint8)
    atlas[8:56, 8:40] = 255  # a tall cell, a wide one and a low one
    atlas[20:44, 64:120] = 255
    atlas[80:120, 20:100] = 255
    with_atlas(hand, atlas)
    maker = build.new_card()
    hand.until(lambda: maker.ready and maker.atlas.image is not None)
    assert maker.numbers.atlas == "twigs"
    assert len(maker.atlas.cells) == 3
    QTest.mouseClick(maker.atlas, Qt.MouseButton.LeftButton, pos=QPoint(215, 75))
    hand.until(lambda: maker.ready and maker.atlas.cell is not None and maker.atlas.cell[0] > 0.4)
    low, high = maker.made.bounds
    assert (high - low)[0] > 1.5 * (high - low)[1]
    hand.key(maker.atlas, Qt.Key.Key_Right)
    hand.until(lambda: maker.ready and maker.atlas.cell[1] > 0.5)
    QTest.mouseClick(maker.curve, Qt.MouseButton.LeftButton, pos=QPoint(round(maker.curve._x(4)), 20))
    hand.until(lambda: maker.ready and maker.curve.corners == 4)
    assert "empty" in maker.told.text()
    hand.click(maker._make)
    mesh = session.project.mesh(session.prop.mesh)
    assert mesh.made.corners == 4
    hand.settle()
    before = session.link.mesh_data(mesh.id)
    atlas[70:128, 20:100] = 255  # the same cell, grown
    entry = session.project.map_set("twigs").maps[0]
    grown = session.library.assets.put("maps", "twigs.png", png_bytes(atlas))
    session.do(edits.set_map_set(map_set="twigs", maps=(entry.with_(asset=grown),)))
    hand.until(lambda: session.project.mesh(mesh.id).asset != mesh.asset)
    hand.settle()
    after = session.link.mesh_data(mesh.id)
    assert np.ptp(after.positions[:, 0]) < np.ptp(before.positions[:, 0])  # as long as before, but narrower
    hand.window.undo()  # the new mesh alone; nothing makes it again under the hand
    hand.settle()
    assert session.project.mesh(mesh.id).asset == mesh.asset


def with_atlas(hand: Hand, pixels) -> None:
    """A map set of an opacity alone."""
    asset = hand.session.library.assets.put("maps", "twigs.png", png_bytes(pixels))
    entry = MapFile(role=Role.OPACITY, asset=asset, file="twigs.png", channels="r")
    hand.session.do(edits.add_map_set(map_set=MapSet(id="twigs", name="Twigs", maps=(entry,))))
