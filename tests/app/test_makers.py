"""Bushes are made with live pictures, made anew where they stand, and undone exactly."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLineEdit

from jade_coat.files.project_folder import open_project
from jade_coat.mesh.cards import Bush
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
    assert mesh.bush == Bush(count=40)
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
    hand.until(lambda: session.project.mesh(mesh.id).bush == Bush(count=40, seed=7))
    hand.settle()
    assert not session.faults
    assert session.project.mesh(mesh.id).asset != mesh.asset
    assert session.project.prop(prop.id).paint.whole().mean() > 60000  # carried over
    hand.window.save_project(wait=True)
    hand.until(lambda: not session.document.dirty)
    assert open_project(session.folder).project.mesh(mesh.id).bush == Bush(count=40, seed=7)
    hand.window.undo()
    assert session.project == painted
    hand.window.undo()
    hand.window.undo()
    assert session.project == start
    session.choose_prop("kiln_wall_prop", "surface")
    assert build.make_anew() is None
    assert "Choose a prop that was made as a bush" in hand.window._message.text()
    assert not any(name.startswith("maker") for name in session.client._streams)
