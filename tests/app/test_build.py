"""Build in the real window: the section, the coat list, comparing, preview shapes, light, and the coat editor's parts."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QCheckBox, QComboBox

from jade_coat.app.build import coat_stack
from jade_coat.app.view import pictures
from jade_coat.app.view.pictures import Split
from jade_coat.app.view.view_bar import take_sky
from jade_coat.files.project_folder import open_project
from jade_coat.stage import edits
from jade_coat.stage.looks import material_of
from jade_coat.view.messages import FrameRequest, PatchScene, SetScene
from tests.app.conftest import Hand, move
from tests.app.wall import WALL, pixel_of, shown, wall_paint


def whole(hand: Hand) -> np.ndarray:
    """The view as painted, overlays included."""
    image = hand.window.view.grab().toImage().convertToFormat(hand.window.view.grab().toImage().Format.Format_RGBA8888)
    data = image.constBits().asstring(image.sizeInBytes())
    return np.frombuffer(data, np.uint8).reshape(image.height(), image.width(), 4)[..., :3].astype(int)


def seen(hand: Hand, coat: str) -> np.ndarray:
    found = hand.window.bench.stack.strip.cut
    assert found is not None
    return next(c.seen for c in found.coats if c.coat == coat)


def test_the_section_follows_a_new_line_a_dial_and_a_stroke_and_picks_coats(hand: Hand) -> None:
    stack, view, session = hand.window.bench.stack, hand.window.view, hand.session
    assert stack.strip.cut is not None
    first = stack.strip.cut.metres[-1]
    hand.click(stack._draw)
    start = pixel_of(hand, WALL)
    hand.drag(view, start, start + QPoint(60, 8))
    hand.settle()
    assert not stack._draw.isChecked()
    assert 0.05 < stack.strip.cut.metres[-1] < first
    assert session.camera == hand.window.view.camera  # the drag drew, it did not turn the view
    grip = hand.window.bench.section._on_view()
    hand.drag(view, grip.at(grip.count() - 1).toPoint(), start + QPoint(120, 8))
    hand.settle()
    longer = stack.strip.cut.metres[-1]
    assert longer > 0.1
    session.do(edits.set_dial(finish="celadon_wall", dial="repairs", value=0.0))
    session.do(edits.set_dial(finish="celadon_wall", dial="moss_amount", value=0.0))
    hand.settle()
    assert seen(hand, "moss").max() == 0.0
    assert seen(hand, "lime").max() == 0.0
    box = stack.strip._box()
    hand.click(stack.strip, QPoint(round(box.center().x()), round(box.bottom()) - 4))
    assert session.coat_id == "tile"  # the lowest stratum
    QTest.mouseMove(stack.strip, QPoint(round(box.left()) + 40, round(box.center().y())))
    hand.until(lambda: hand.window.bench.section.marked is not None)
    # The brush paints along the line: the section shows it before the stroke is over.
    session.do(edits.set_dial(finish="celadon_wall", dial="moss_amount", value=1.0))
    session.do(edits.remove_term(material="kiln_wall", coat="moss", term="noise"))
    hand.settle()
    before = seen(hand, "moss").mean()
    paint = wall_paint(hand)
    hand.window.show_workspace("Brush")
    hand.window.bench.panes.open("section")
    hand.settle()
    start = pixel_of(hand, WALL)
    hand.window.bench.brush.set(radius=0.25, strength=1.0)
    QTest.mousePress(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, start)
    for i in range(12):
        move(view, QPointF(start) + QPointF(9 * i, 0), Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
        QApplication.processEvents()
    hand.until(lambda: seen(hand, "moss").mean() > before + 0.1)
    assert np.array_equal(wall_paint(hand), paint)  # not in the document yet
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, start)
    hand.settle()
    assert seen(hand, "moss").mean() > before + 0.1


def test_the_coat_list_reorders_renames_copies_and_shows_one_alone(hand: Hand, monkeypatch) -> None:
    stack, session = hand.window.bench.stack, hand.session
    before = session.project
    order = [c.id for c in before.material("kiln_wall").coats]
    top = stack.rows[0]
    hand.drag(top, QPoint(100, 20), QPoint(100, 20 + 44))
    assert [c.id for c in session.project.material("kiln_wall").coats] == [order[0], order[2], order[1]]
    hand.window.undo()
    assert session.project == before
    stack.rows[0].setFocus()
    hand.key(stack.rows[0], Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier)
    assert [c.id for c in session.project.material("kiln_wall").coats] == [order[0], order[2], order[1]]
    hand.window.undo()
    monkeypatch.setattr(coat_stack.QInputDialog, "getText", lambda *_, **__: ("Old plaster", True))
    QTest.mouseDClick(stack.rows[1], Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, QPoint(100, 20))
    assert session.project.material("kiln_wall").coat("lime").name == "Old plaster"
    hand.settle()
    kept, picture = session.project, shown(hand)
    hand.click(stack.rows[1], stack.rows[1]._only().center().toPoint())
    hand.settle()
    assert session.solo == ("kiln_wall", "lime")
    assert session.project is kept  # looking at one coat alone is no edit
    assert np.abs(shown(hand) - picture).mean() > 3
    hand.click(stack.rows[1], stack.rows[1]._only().center().toPoint())
    hand.settle()
    assert np.abs(shown(hand) - picture).mean() < 0.5
    coat = session.project.material("kiln_wall").coat("moss")
    session.do(edits.add_coat(material="terrace_floor", coat=coat))
    assert session.project.material("terrace_floor").coats[-1].name == "Joint moss"


def test_a_split_compares_two_finishes_and_its_divider_is_dragged(hand: Hand, monkeypatch) -> None:
    monkeypatch.setattr(pictures, "FINENESS", 0.5)  # two halves are compared texel by texel
    view, bar = hand.window.view, hand.window.bench.view_bar
    view.refresh()
    hand.settle()
    plain = shown(hand)
    bar.show_split(Split(finish="plain_wall", name="Plain mix wall"))
    hand.settle()
    both = whole(hand)
    middle = view.width() // 2
    assert np.abs(both[120:300, 10 : middle - 60] - plain[120:300, 10 : middle - 60]).mean() < 6
    right = np.abs(both[60:200, middle + 40 :] - plain[60:200, middle + 40 :]).mean()
    assert right > 1.0
    hand.drag(view, QPoint(middle, 60), QPoint(middle // 2, 60))
    assert view.split_at == pytest.approx(0.25, abs=0.02)
    assert hand.session.camera.yaw == pytest.approx(0.12)  # the view did not turn
    bar.show_split(Split(look="roughness", name="Rough"))
    hand.settle()
    grey = whole(hand)[150:300, middle : middle + 100]
    assert np.median(np.ptp(grey, axis=2)) < 5
    bar.show_split(None)
    hand.settle()
    assert np.abs(shown(hand) - plain).mean() < 0.5


def test_holding_w_shows_the_state_before_the_last_change(hand: Hand) -> None:
    view, before = hand.window.view, shown(hand)
    hand.session.do(edits.set_dial(finish="celadon_wall", dial="glaze_tint", value=(1.6, 0.4, 0.4)))
    hand.settle()
    after, project = shown(hand), hand.session.project
    assert np.abs(after - before).mean() > 3
    QTest.keyPress(view, Qt.Key.Key_W)
    hand.settle()
    assert np.abs(shown(hand) - before).mean() < 0.5
    QTest.keyRelease(view, Qt.Key.Key_W)
    hand.settle()
    assert np.abs(shown(hand) - after).mean() < 0.5
    assert hand.session.project is project


def test_preview_shapes_show_the_chosen_finish_and_leave_the_stage_alone(hand: Hand) -> None:
    view, bar, session = hand.window.view, hand.window.bench.view_bar, hand.session
    stage, project = shown(hand), session.project
    pictures = {}
    for shape in ("tile", "plane", "ball", "rod", "cloth"):
        bar.show_shape(shape)
        hand.settle()
        pictures[shape] = shown(hand)
    assert all(np.abs(a - b).mean() > 2 for i, a in enumerate(pictures.values()) for b in list(pictures.values())[:i])
    session.choose_finish("cobalt_jar")
    hand.settle()
    assert np.abs(shown(hand) - pictures["cloth"]).mean() > 3
    hand.click(view)
    assert session.finish_id == "cobalt_jar"  # there is no prop to be chosen here
    bar.show_shape("")
    session.choose_finish("celadon_wall")
    hand.settle()
    assert np.abs(shown(hand) - stage).mean() < 0.5
    assert session.project == project


def test_the_sun_is_dragged_on_its_dome_and_skies_can_be_changed(hand: Hand, tmp_path: Path) -> None:
    view, session, dome = hand.window.view, hand.session, hand.window.bench.dome
    lit, light = shown(hand), session.project.light
    spot = dome.spot().toPoint()
    hand.drag(view, spot, dome.middle().toPoint() + QPoint(-18, -8))
    hand.settle()
    moved = session.project.light
    assert moved.azimuth != light.azimuth
    assert np.abs(shown(hand) - lit).mean() > 3
    assert (dome.spot() - (dome.middle() + QPointF(-18, -8))).manhattanLength() < 3
    hand.window.undo()
    assert session.project.light == light
    panel = hand.window.bench.view_bar.open_light()
    panel.sky.setCurrentIndex(2)
    panel.sky.activated.emit(2)
    panel.close()
    hand.settle()
    assert session.project.light.sky == "evening"
    assert shown(hand).mean() < lit.mean() - 10
    picture = np.zeros((32, 64, 3), np.float32)
    picture[:16] = (4.0, 0.2, 0.2)  # OpenCV's order: a blue upper half
    ok, data = cv2.imencode(".hdr", picture)
    assert ok
    (tmp_path / "blue.hdr").write_bytes(data.tobytes())
    (tmp_path / "not.exr").write_bytes(b"no picture at all")
    assert take_sky(session, tmp_path / "blue.hdr")
    hand.settle()
    hand.until(lambda: len(session.link.skies) == 1)
    hand.settle()
    red, _, blue = shown(hand).mean(axis=(0, 1))
    assert blue > red
    told: list[str] = []
    session.said.connect(lambda text, _: told.append(text))
    kept = session.project
    assert not take_sky(session, tmp_path / "not.exr")
    assert "not.exr" in told[-1]
    assert session.project is kept
    session.save(tmp_path / "saved")
    again = open_project(tmp_path / "saved")
    assert not again.problems
    assert again.project.light == session.project.light
    assert again.assets.has(session.project.light.sky)


def test_the_far_picture_carries_its_repetition_score(hand: Hand) -> None:
    repeat, session = hand.window.bench.repeat, hand.session
    assert repeat.found is not None
    assert 0 <= repeat.found.score <= 1
    for coat in ("lime", "moss"):
        session.do(edits.set_coat(material="kiln_wall", coat=coat, shown=False))
    hand.settle()
    tiled = repeat.found.score
    session.do(edits.set_surface(material="kiln_wall", coat="tile", tile_break="hex"))
    hand.settle()
    assert repeat.found.score < tiled
    assert repeat.text() == f"repeat {repeat.found.score:.2f}"


def combo(panel, text: str) -> QComboBox:
    return next(c for c in panel.findChildren(QComboBox) if c.findText(text) >= 0)


def pick(box: QComboBox, text: str) -> None:
    index = box.findText(text)
    box.setCurrentIndex(index)
    box.activated.emit(index)


def test_every_part_of_the_coat_editor_edits_the_document_and_is_undone(hand: Hand, tmp_path: Path) -> None:
    panel, session = hand.window.bench.coat_panel, hand.session
    start = session.project

    def coat():
        return session.project.material("kiln_wall").coat("moss")

    toggle = panel.fields["moss.surface.flip_across"]
    hand.click(toggle)
    assert coat().surface.flip_across == 1.0
    QApplication.processEvents()
    hand.click(next(c for c in panel.findChildren(QCheckBox) if c.text() == "gradient"), QPoint(8, 10))
    assert len(coat().surface.gradient) == 2
    QApplication.processEvents()
    bar = panel.gradient
    hand.drag(bar, QPoint(round(bar._x(1.0)), 32), QPoint(round(bar._x(0.5)), 32))
    assert coat().surface.gradient[1][0] == pytest.approx(0.5, abs=0.03)
    QTest.mouseDClick(bar, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, QPoint(round(bar._x(0.25)), 10))
    assert len(coat().surface.gradient) == 3
    QApplication.processEvents()
    hand.click(next(c for c in panel.findChildren(QCheckBox) if c.text() == "a band along the seam"), QPoint(8, 10))
    assert coat().rim.on
    hand.drag(panel.fields["moss.rim.width"], QPoint(60, 12), QPoint(90, 12))
    assert coat().rim.width > 0.3
    session.do(edits.set_detail(material="kiln_wall", coat="moss", map_set="lime_plaster"))
    assert "moss.surface.detail.relief" in panel.fields
    session.do(edits.add_term(material="kiln_wall", coat="moss", kind="cavity"))
    hand.settle()
    assert session.faults == {}
    assert [t.id for t in coat().where] == ["paint", "noise", "cavity"]
    assert all(head.has_picture for head in panel.heads.values())  # nothing without a picture
    last, first = panel.heads["cavity"], panel.heads["paint"]
    last.moved.emit(-1)
    assert [t.id for t in coat().where] == ["paint", "cavity", "noise"]
    first = panel.heads["paint"]
    panel.heads["noise"].dropped.emit(float(first.mapToGlobal(first.rect().topLeft()).y()) - 5)
    assert [t.id for t in coat().where] == ["noise", "paint", "cavity"]
    pick(combo(panel, "From three sides"), "From three sides")
    assert coat().surface.placement == "triplanar"
    assert "moss.surface.sharpness" in panel.fields
    pick(combo(panel, "Mirror"), "Mirror")
    assert coat().surface.tile_break == "mirror"
    changed = session.project
    session.save(tmp_path / "saved")
    assert open_project(tmp_path / "saved").project.materials == changed.materials
    while session.document.undo():
        pass
    assert session.project == start
    while session.document.redo():
        pass
    assert session.project == changed


def test_the_first_turn_of_a_field_compiles_nothing_and_sends_a_row_alone(hand) -> None:
    session = hand.session
    session.choose_prop("kiln_wall_prop", "surface")
    session.choose_coat("lime")
    hand.settle()
    pictures, sent = [], []
    session.picture.connect(lambda picture, image: pictures.append(picture))
    real = session.client.send
    session.client.send = lambda message: (sent.append(message), real(message))
    hand.window.bench.view.refresh()
    hand.settle()
    before = pictures[-1]
    for step in range(1, 5):
        session.do(edits.set_field(material="kiln_wall", path="lime.surface.saturation", value=1.0 + step / 10))
    hand.settle()
    del session.client.send
    assert pictures[-1].compiles == before.compiles
    kinds = {type(m).__name__ for m in sent if not isinstance(m, FrameRequest)}
    assert kinds <= {"PatchScene", "SetScene", "Drop"}
    patches = [m.patch for m in sent if isinstance(m, PatchScene)]
    assert len(patches) == 4
    assert all(p.rows and not p.draws and not p.tables for p in patches)
    assert not any(isinstance(m, SetScene) and m.name == "stage" for m in sent)


def test_pictures_of_finishes_are_drawn_where_they_are_looked_at(hand: Hand, monkeypatch) -> None:
    session, rail, asked = hand.session, hand.window.bench.rail, set()
    swatches, bar, ask = hand.window.bench.swatches, rail.horizontalScrollBar(), session.client.request

    def request(stream: str, tag, **wishes) -> None:
        asked.add(stream)
        ask(stream, tag, **wishes)

    def drawn_after(do) -> set[str]:
        asked.clear()
        do()
        hand.settle()
        return {name.removeprefix("finish:") for name in asked if name.startswith("finish:")}

    def in_sight() -> set[str]:
        return {finish for finish, tile in rail.tiles.items() if not tile.visibleRegion().isEmpty()}

    monkeypatch.setattr(session.client, "request", request)
    walls = {f.id for f in session.project.finishes if material_of(session.project, f.id).id == "kiln_wall"}
    first = in_sight()
    later = set(rail.tiles) - first
    assert len(first) > 3 < len(later)
    assert drawn_after(lambda: bar.setValue(bar.maximum())) == in_sight() - first
    behind = walls - in_sight()
    assert len(behind) > 2
    thinner = edits.set_material(material="kiln_wall", depth=0.03)
    assert drawn_after(lambda: session.do(thinner)) == walls & in_sight()
    assert drawn_after(lambda: bar.setValue(0)) == behind
    assert all(swatches.image(f"finish:{finish}") is not None for finish in rail.tiles)
    assert drawn_after(lambda: None) == set()
