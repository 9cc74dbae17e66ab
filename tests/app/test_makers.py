"""Bushes are made with live pictures, made anew where they stand, and undone exactly."""

from __future__ import annotations

import math

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QLineEdit

from jade_coat.app.build.kind_panel import KindPanel
from jade_coat.app.build.maker import SIZE
from jade_coat.files.project_folder import open_project
from jade_coat.maps.images import png_bytes
from jade_coat.maps.mapset import MapFile, MapSet
from jade_coat.material.glow import Glow
from jade_coat.material.material import Coat, Material
from jade_coat.material.placing import FaceMove
from jade_coat.material.surface import Role, Surface
from jade_coat.mesh.makers import Bush, CardField
from jade_coat.mesh.painting import Paint
from jade_coat.stage import edits
from jade_coat.view.camera import seen
from tests.app.conftest import Hand
from tests.app.wall import shown


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


@pytest.mark.parametrize("maker", ["new_bush", "new_motes"])
def test_what_is_made_before_it_is_worked_out_goes_in_as_soon_as_it_is_with_the_last_number(hand: Hand, maker) -> None:
    session = hand.session
    start = session.project
    sheet = getattr(hand.window.workspaces["Build"], maker)()
    hand.until(lambda: sheet.ready)
    turn(hand, sheet.rows.fields["seed"], "7")
    assert not sheet.ready
    hand.click(sheet._make)
    assert session.project is start  # nothing was worked out while the window waited
    hand.until(lambda: session.project is not start)
    assert not sheet.isVisible()
    made = session.project.meshes[-1].made if maker == "new_bush" else session.project.map_sets[-1].made
    assert made.seed == 7


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


def test_motes_become_a_map_a_glow_and_a_field_of_cards(hand: Hand) -> None:
    session, build = hand.session, hand.window.workspaces["Build"]
    start = session.project
    motes = build.new_motes()
    hand.until(lambda: motes.ready)
    alone = motes.picture.pixmap().toImage()
    assert "texels a pixel" in motes.told.text()
    assert "16 bits show none" in motes.told.text()
    turn(hand, motes.rows.fields["side"], "128")
    hand.click(motes._ways.buttons()[1])
    hand.until(lambda: motes.ready)
    assert "40 cards light" in motes.told.text()
    assert motes.picture.pixmap().toImage() != alone
    hand.click(motes._make)
    hand.settle()
    made = session.project.map_set("motes")
    assert made.made.side == 128
    assert session.material.kind == "glow"
    assert session.material.glow.sheet == "motes"
    field = build.new_card_field()
    hand.until(lambda: field.ready)
    assert "200 cards, 400 triangles" in field.told.text()
    lit = field.picture.pixmap().toImage()
    hand.click(field.heat)
    hand.until(lambda: field.picture.pixmap().toImage() != lit)
    turn(hand, field.fields["count"], "30")
    picked = field.fields["over"].box
    picked.setCurrentIndex(picked.findData("ring"))
    picked.activated.emit(picked.currentIndex())
    hand.until(lambda: field.ready and "30 cards" in field.told.text())
    at = seen(field.eye(), field.numbers.standing()[1])
    nearest = int(np.argmin(np.hypot(at[:, 0] - 0.5, at[:, 1] - 0.5)))
    spot = QPoint(*(round(float(v) * SIZE.width()) for v in at[nearest, :2]))
    QTest.mouseClick(field.picture, Qt.MouseButton.LeftButton, pos=spot)
    hand.until(lambda: field.ready and "29 cards" in field.told.text())
    for _ in range(2):
        shift = Qt.KeyboardModifier.ShiftModifier
        QTest.mouseClick(field.picture, Qt.MouseButton.LeftButton, shift, QPoint(100, 90))
        hand.until(lambda: field.ready)
    assert "31 cards" in field.told.text()
    picked.setCurrentIndex(picked.findData("curve"))
    picked.activated.emit(picked.currentIndex())
    hand.until(lambda: field.ready)
    top, end = (QPoint(*(round(float(v)) for v in p)) for p in field.on_picture(np.array(field.curve))[[1, 2]])
    hand.drag(field.picture, top, top + QPoint(10, -60))
    hand.until(lambda: field.ready)
    (_, kept, _), moved = CardField().curve, field.numbers.curve[1]
    assert moved[1] > kept[1] + 0.1
    control = Qt.KeyboardModifier.ControlModifier
    QTest.mouseClick(field.picture, Qt.MouseButton.LeftButton, control, (top + end) / 2 + QPoint(0, 20))
    assert len(field.numbers.curve) == 4
    assert field.numbers.curve[1] == moved  # it came between the last two
    hand.until(lambda: field.ready)
    QTest.mouseClick(field.picture, Qt.MouseButton.LeftButton, control,
                     QPoint(*(round(float(v)) for v in field.on_picture(np.array(field.curve))[2])))  # fmt: skip
    assert len(field.numbers.curve) == 3
    field.picture.grab()
    picked = field.fields["over"].box
    picked.setCurrentIndex(picked.findData("ring"))
    picked.activated.emit(picked.currentIndex())
    hand.until(lambda: field.ready)
    hand.click(field._make)
    hand.settle()
    mesh = session.project.mesh(session.prop.mesh)
    assert (mesh.made.kind, mesh.made.over, mesh.made.count) == ("cards", "ring", 30)
    assert len(mesh.made.without) == 1
    assert len(mesh.made.more) == 2
    assert not session.faults
    stock = build.show_stock()
    stock.show_kind("map_sets")
    hand.click(stock.rows["motes"].numbers)
    again = build._motes
    assert again.numbers == made.made
    turn(hand, again.rows.fields["seed"], "9")
    hand.until(lambda: again.ready)
    hand.click(again._make)
    hand.until(lambda: session.project.map_set("motes").made.seed == 9)
    assert session.project.map_set("motes").maps[0].asset != made.maps[0].asset
    stock.close()
    hand.settle()
    for _ in range(3):
        hand.window.undo()
    assert session.project == start


def test_a_beacon_shines_the_same_from_three_cameras_and_can_be_chosen_from_each(hand: Hand) -> None:
    """A card seen from its edge would be a line; turned to the eye it is as large from everywhere."""
    session, build = hand.session, hand.window.workspaces["Build"]
    field = build.new_card_field()
    for name, value in (("over", "box"), ("radii", (0.0, 0.0, 0.0)), ("count", 1), ("size", (0.5, 0.5)),
                        ("facing", "ahead"), ("roll", 0.0), ("spread", 0.0), ("foot", 2.4)):  # fmt: skip
        field.turn(name, value)
    hand.until(lambda: field.ready)
    hand.click(field._make)
    prop = session.prop
    light = Glow(shape="beacon", boost=6.0, by_day=1.0)
    dark = Coat(id="c", name="C", surface=Surface(color=(0.0, 0.0, 0.0)))
    beacon = Material(id="beacon", name="Beacon", kind="glow", two_sided=True, coats=(dark,), glow=light,
                      moves=(FaceMove(id="face"),))  # fmt: skip
    session.do_all("Dress", [
        edits.add_material(material=beacon), edits.put_finish(prop=prop.id, slot=prop_slot(hand), finish="beacon")
    ])  # fmt: skip
    x, _, z = prop.position
    sizes = []
    for yaw in (0.0, math.pi / 2, 2.4):
        session.camera = session.camera.with_(target=(x, 2.4, z), yaw=yaw, pitch=0.3, distance=4.0)
        session.scene_changed.emit()
        hand.settle()
        picture = shown(hand)
        high, wide = picture.shape[:2]
        middle = picture[high // 2 - 12 : high // 2 + 12, wide // 2 - 12 : wide // 2 + 12]
        sizes.append(int((middle.min(axis=2) > 235).sum()))
        session.choose_prop("kiln_wall_prop", "surface")
        hand.click(hand.window.view, QPoint(hand.window.view.width() // 2, hand.window.view.height() // 2))
        assert session.prop_id == prop.id
    assert min(sizes) > 20
    assert max(sizes) < 1.5 * min(sizes)


def prop_slot(hand: Hand) -> str:
    return hand.session.project.mesh(hand.session.prop.mesh).slots[0]


def test_a_bush_with_levels_and_a_body_inside_keeps_its_cover_from_afar(hand: Hand) -> None:
    session, build = hand.session, hand.window.workspaces["Build"]
    y, x = (np.mgrid[0:128, 0:128] + 0.5) / 64
    leaf = np.where(np.hypot(x % 1 - 0.5, (y % 1 - 0.5) * 1.6) < 0.42, 255, 0).astype(np.uint8)
    with_atlas(hand, leaf[..., None])
    coat = Coat(id="leaf", name="Leaf", surface=Surface(map_set="twigs", placement="square", color=(0.1, 0.3, 0.05)))
    leaves = Material(id="leaves", name="Leaves", kind="masked", cut=0.7, two_sided=True, coats=(coat,))
    session.do(edits.add_material(material=leaves))
    session.choose_finish("leaves")
    hand.settle()
    maker = build.new_bush()
    hand.until(lambda: maker.ready)
    for name, value in (("atlas", "twigs"), ("corners", 6), ("fill", 0.4)):
        maker.turn(name, value)
    hand.until(lambda: maker.ready)
    maker.with_levels.setChecked(True)
    hand.click(maker._make)
    hand.until(lambda: sum(m.made is not None for m in session.project.meshes) == 3)
    hand.settle()
    prop = session.prop
    assert prop.finishes == {"surface": "leaves", "fill": "leaves_fill"}
    inside = session.project.material("leaves_fill_material").coats[0].surface.color
    assert inside == pytest.approx((0.03, 0.09, 0.015), rel=1e-3)  # darker than what grows over it
    bush, *coarser = [m for m in session.project.meshes if m.made is not None]
    assert [m.made.level for m in (bush, *coarser)] == [0, 1, 2]
    assert [level.mesh for level in bush.levels] == [m.id for m in coarser]
    row = hand.window.findChild(KindPanel).look_from_afar()
    hand.until(lambda: row.ready and len(row.covers) == 6)
    near = row.covers["own0"]
    for key, share in row.covers.items():
        assert share == pytest.approx(near, rel=0.3), key
    assert "40 m" in row.words["own2"].text()
    turn(hand, row.levels.fields[1], "30")
    assert session.project.mesh(bush.id).levels[1].away == 30.0
    turn(hand, row.levels.fields[0], "50")  # never past the one beside it
    assert session.project.mesh(bush.id).levels[0].away == pytest.approx(30.0, rel=0.01)
    hand.until(lambda: row.ready and len(row.covers) == 6)
    row.close()
    hand.window.undo()
    hand.window.undo()
    again = build.make_anew()
    again.turn("count", 60)
    hand.until(lambda: again.ready)
    hand.click(again._make)
    hand.until(lambda: session.project.mesh(bush.id).made.count == 60)
    assert [session.project.mesh(m.id).made for m in coarser] == [m.made.with_(count=60) for m in coarser]
    hand.settle()
    assert not any(name.startswith("afar") for name in session.client._streams)
