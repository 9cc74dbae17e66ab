"""Ground in the window: land is made and shaped, layers are laid, painted and ruled, and all of it is undone exactly."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from scipy.spatial.transform import Rotation

from jade_coat.app.ground.workspace import Ground
from jade_coat.files.height_files import read_heights
from jade_coat.files.project_folder import open_project
from jade_coat.ground.paths import line_of
from jade_coat.ground.rules import LayerRule
from jade_coat.stage import edits
from jade_coat.stage.decals import Decal
from jade_coat.stage.project import Prop
from jade_coat.stage.strewing import counted as pieces_of
from tests.app.conftest import Hand
from tests.app.test_stage import on_view
from tests.app.wall import shown


def ground_of(hand: Hand) -> Ground:
    hand.window.show_workspace("Ground")
    space = hand.window.workspaces["Ground"]
    assert isinstance(space, Ground)
    return space


def with_land(hand: Hand) -> Ground:
    """A small hill that fills the view, flooded with the chosen finish."""
    space = ground_of(hand)
    session = hand.session
    session.do(edits.remove_things(things=tuple(p.id for p in session.project.props)))
    session.choose_finish(session.project.finishes[0].id)
    sheet = space.new_land()
    for name, value in (("samples", 129), ("across", 16.0), ("height", 2.0), ("hill", 9.0)):
        sheet.turn(name, value)
    hand.until(lambda: sheet.ready)
    hand.click(sheet._make)
    assert len(session.project.grounds) == 1
    session.camera = session.camera.with_(target=(0.0, 1.0, 0.0), yaw=0.4, pitch=0.6, distance=18.0)
    hand.settle()
    assert not session.faults
    return space


def middle(hand: Hand) -> QPoint:
    return QPoint(hand.window.view.width() // 2, hand.window.view.height() // 2)


def test_land_is_made_layers_are_laid_and_painted_the_meter_counts_them_and_undo_is_exact(hand: Hand) -> None:
    space, session, bench = with_land(hand), hand.session, hand.window.bench
    panel, state = bench.room("ground").panel, bench.ground
    ground = session.project.grounds.first
    assert [layer.finish for layer in ground.layers] == [session.project.finishes[0].id]
    bare = shown(hand)
    session.choose_finish(session.project.finishes[-1].id)
    hand.click(panel.add)
    layer = state.layer
    assert layer.finish == session.project.finishes[-1].id
    before = session.project
    hand.click(panel.tools["paint"])
    state.set(radius=2.5, strength=0.8)
    hand.drag(hand.window.view, middle(hand), middle(hand) + QPoint(60, 10))
    painted = session.project.grounds.first
    assert painted.weights[layer.id].whole().max() == 255
    assert painted.by_hand is not None
    total = sum(w.whole().astype(int) for w in painted.weights.values())
    assert np.abs(total - 255).max() <= 3
    hand.settle()
    assert not session.faults
    assert np.abs(shown(hand).astype(int) - bare).max() > 30
    looks = dict(bench.looks.looks())
    assert looks[f"share:{layer.id}"] == layer.name
    bench.looks.stay(f"share:{layer.id}")  # a layer looked at alone: white where it shows, black where not
    hand.settle()
    alone = shown(hand)
    assert not session.faults
    assert alone.max() > 200 > 60 > alone.min()
    bench.looks.stay("lit")
    hand.until(
        lambda: bench.room("ground").meter.costs is not None and len(bench.room("ground").meter.costs.worst.layers) == 2
    )
    costs = bench.room("ground").meter.costs.worst
    assert all(c.reads + c.operations > 0 for c in costs.layers.values())  # every layer adds to the cost
    assert costs.whole.reads == sum(c.reads for c in costs.layers.values())
    hand.window.undo()
    assert session.project == before  # one stroke is one step
    hand.window.redo()
    assert session.project.grounds.first == painted
    hand.click(panel.drop)
    assert "fills in" in panel.asking.itemAt(0).widget().text()
    hand.click(panel.asking.itemAt(1).layout().itemAt(2).widget())
    assert len(session.project.grounds.first.layers) == 1
    hand.window.undo()
    assert session.project.grounds.first == painted
    assert space.page is bench


def test_the_land_is_shaped_where_the_brush_is_and_props_drop_onto_it(hand: Hand) -> None:
    space, session, bench = with_land(hand), hand.session, hand.window.bench
    start = session.project.grounds.first.heights
    hand.click(bench.room("ground").panel.tools["raise"])
    bench.ground.set(radius=2.0, strength=1.0)
    place = bench.ground_tool.place_at(QPointF(middle(hand)))
    QTest.mousePress(hand.window.view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, middle(hand))
    QTest.mouseRelease(hand.window.view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, middle(hand))
    now = session.project.grounds.first
    assert now.heights.at(place[None])[0] > start.at(place[None])[0] + 0.15
    assert now.land is None  # it is no longer what the numbers make
    far = np.array([[0.5, 0.5]])
    assert now.heights.at(far) == start.at(far)
    x, z = place + np.array(now.corner)
    mesh = session.project.meshes[0].id
    session.do(edits.add_prop(prop=Prop(id="stone", name="Stone", mesh=mesh, position=(float(x), 9.0, float(z)))))
    session.choose_prop("stone", session.project.mesh(mesh).slots[0])
    session.choose_things(("stone",), "")
    bench.deeds.drop()
    low = session.rays.bounds  # what is below is the ground: its foot lies on it
    assert low is not None
    foot = session.project.prop("stone").position[1] + hand.session.link.mesh_data(mesh).bounds[0][1]
    assert foot == pytest.approx(float(now.heights.at(place[None])[0]), abs=0.25)
    hand.window.show_workspace("Ground")
    hand.click(bench.room("ground").panel.tools["ramp"])
    hand.drag(hand.window.view, middle(hand) - QPoint(70, 0), middle(hand) + QPoint(70, 0))
    ramped = session.project.grounds.first
    assert ramped.heights is not now.heights
    hand.window.undo()
    assert session.project.grounds.first.heights.pages == now.heights.pages
    hand.window.activateWindow()
    hand.until(hand.window.isActiveWindow, 10)
    hand.key(hand.window, Qt.Key.Key_D)
    assert bench.ground.brush.radius > 2.0
    assert space.name == "Ground"


def test_rules_lay_a_layer_run_again_after_shaping_and_leave_what_hands_painted(hand: Hand) -> None:
    _, session, bench = with_land(hand), hand.session, hand.window.bench
    rules, state = bench.room("ground").panel.rules, bench.ground
    session.choose_finish(session.project.finishes[-1].id)
    hand.click(bench.room("ground").panel.add)
    layer = state.layer.id
    hand.click(rules.add)
    hand.until(lambda: session.project.grounds.first.weights[layer].whole().max() > 0)
    hand.until(lambda: not rules.working)
    assert session.project.grounds.first.rules[0] == LayerRule(layer=layer)
    rules.numbers._turned("measure", "height")
    rules.numbers._turned("soft", 0.01)
    rules.numbers._turned("heights", (1.2, 9.0))
    hand.until(lambda: not rules.working)
    ground = session.project.grounds.first
    high = ground.weights[layer].whole()
    assert 0 < (high == 255).mean() < 0.9
    hand.click(bench.room("ground").panel.tools["lower"])
    state.set(radius=3.0, strength=0.2)
    hand.drag(hand.window.view, middle(hand), middle(hand) + QPoint(30, 0))
    hand.until(lambda: not rules.working and session.project.grounds.first.weights[layer].whole().sum() < high.sum())
    hand.click(rules.ticks[0])
    hand.until(lambda: not rules.working and session.project.grounds.first.weights[layer].whole().max() == 0)
    hand.settle()
    assert not session.faults


def test_a_path_is_laid_by_hand_and_what_goes_by_it_follows(hand: Hand) -> None:
    _, session, bench = with_land(hand), hand.session, hand.window.bench
    panel, state, view = bench.room("ground").panel, bench.ground, hand.window.view
    session.choose_finish(session.project.finishes[-1].id)
    hand.click(panel.add)
    layer = state.layer.id
    hand.click(panel.rules.add)
    panel.rules.numbers._turned("measure", "path")
    hand.until(lambda: not panel.rules.working)
    assert session.project.grounds.first.weights[layer].whole().max() == 0
    hand.click(panel.paths.add)
    assert state.path is not None
    assert not any(tool.isChecked() for tool in panel.tools.values())
    panel.rules._turn(0, "path", state.path.id)
    start = session.project
    for at in (QPoint(-120, 30), QPoint(0, 0), QPoint(120, 40)):
        hand.click(view, middle(hand) + at)
    path = session.project.grounds.first.paths[0]
    assert len(path.points) == 3
    assert bench.ground_tool.place_at(QPointF(middle(hand))) == pytest.approx(path.points[1], abs=0.01)
    hand.until(lambda: not panel.rules.working and session.project.grounds.first.weights[layer].whole().max() == 255)
    laid = session.project.grounds.first.weights[layer].whole().sum()
    # On its line a point comes between, and is dragged off it at once.
    line = bench.path_tool._seen(session.project.grounds.first, line_of(path))
    on_line = QPointF(*line[len(line) // 4, :2]).toPoint()
    hand.drag(view, on_line, on_line + QPoint(0, -60))
    bent = session.project.grounds.first.paths[0]
    assert len(bent.points) == 4
    assert (bent.points[0], *bent.points[2:]) == path.points
    hand.until(lambda: not panel.rules.working)
    assert session.project.grounds.first.weights[layer].whole().sum() > laid
    hand.click(panel.paths.numbers.fields["closed"])
    assert session.project.grounds.first.paths[0].closed
    panel.paths.name.setText("Way up")
    panel.paths.name.editingFinished.emit()
    assert session.project.grounds.first.paths[0].name == "Way up"
    hand.key(view, Qt.Key.Key_Delete)
    assert len(session.project.grounds.first.paths[0].points) == 3
    hand.key(view, Qt.Key.Key_Escape)
    assert state.path is None
    assert panel.tools[state.brush.deed].isChecked()
    weights = session.project.grounds.first.weights[layer]
    hand.drag(view, middle(hand), middle(hand) + QPoint(20, 0))  # the brush is in hand again
    assert session.project.grounds.first.weights[layer] is not weights
    hand.until(lambda: not panel.rules.working)
    while session.project != start:
        assert session.document.undo_title
        hand.window.undo()
    hand.settle()
    assert not session.faults


def test_rules_of_two_grounds_run_each_on_its_own(hand: Hand) -> None:
    _, session, bench = with_land(hand), hand.session, hand.window.bench
    rules, state = bench.room("ground").panel.rules, bench.ground
    hand.click(bench.room("ground").panel.add)
    layer, first = state.layer.id, session.project.grounds.first
    session.do(edits.add_ground(ground=first.with_(id="other", name="Other", middle=(40.0, 0.0))))
    rules.add_rule()
    state.choose_ground("other")
    rules.add_rule()  # while those of the first still run
    hand.until(lambda: not rules.working)
    for ground in session.project.grounds:
        assert ground.rules == (LayerRule(layer=layer),)
        assert ground.weights[layer].whole().max() > 0


def test_heights_come_from_files_and_go_into_them_and_the_ground_is_kept(hand: Hand, tmp_path: Path) -> None:
    space, session = with_land(hand), hand.session
    ground = session.project.grounds.first
    path = tmp_path / "hill.tif"
    space.write_heights(ground, path)
    hand.until(path.exists)
    read = read_heights(path.read_bytes(), path.name)
    assert np.array_equal(read.values, ground.heights.whole)
    space.height_sheet = None
    space.read_heights(path)
    hand.until(lambda: space.height_sheet is not None)
    assert "129 × 129 samples" in space.height_sheet.told.text()
    hand.click(space.height_sheet.make)
    assert len(session.project.grounds) == 2
    (tmp_path / "bad.tif").write_bytes(b"rubbish")
    said = []
    session.said.connect(lambda text, problem: said.append((text, problem)))
    space.read_heights(tmp_path / "bad.tif")
    hand.until(lambda: any("bad.tif" in text for text, _ in said))
    hand.settle()
    session.save(tmp_path / "kept")
    opened = open_project(tmp_path / "kept")
    assert opened.problems == []
    assert opened.project == session.project


def test_what_is_strewn_grows_with_the_stroke_is_taken_out_by_hand_and_becomes_props(hand: Hand) -> None:
    with_land(hand)
    session, bench = hand.session, hand.window.bench
    session.choose_finish(session.project.finishes[-1].id)
    hand.click(bench.room("ground").panel.add)
    sheet = bench.room("ground").layer_sheet
    hand.click(sheet.tabs["Scatter"])
    scatters = sheet.scatter
    hand.click(scatters.add)
    jar = next(m for m in session.project.meshes if m.name == "Storage jar")
    hand.until(lambda: scatters.models[jar.id].image is not None)  # what may be strewn has a picture
    QTest.mouseClick(scatters.models[jar.id], Qt.MouseButton.LeftButton)
    (scatter,) = session.project.grounds.first.scatter
    assert scatter.mesh == jar.id
    count = lambda: pieces_of(session.link.pieces(session.project.grounds.first.id, scatter.id))
    hand.until(lambda: session.link.due is None)
    assert count() == 0, "it grows on a layer that is painted nowhere yet"
    scatters.numbers.fields["density"].changed.emit(9.0)
    scatters.numbers.fields["clear"].changed.emit(0.0)
    bare = shown(hand)
    hand.click(bench.room("ground").panel.tools["paint"])
    bench.ground.set(radius=2.0, strength=1.0)
    before = session.project
    hand.drag(hand.window.view, middle(hand), middle(hand) + QPoint(50, 0))
    grown, painted = count(), session.project
    assert grown > 40
    hand.settle()
    assert not session.faults
    assert np.abs(shown(hand).astype(int) - bare).max() > 30
    assert f"{grown:,} pieces" in scatters.tiles[scatter.id].words
    hand.window.undo()
    assert (session.project, count()) == (before, 0), "one stroke is one step, and what grew goes with it"
    hand.window.redo()
    assert (session.project, count()) == (painted, grown)
    hand.click(scatters.hands["prop"])
    bench.ground.set(radius=1.0)
    hand.click(hand.window.view, middle(hand))
    assert count() == grown - 1
    (made,) = session.project.props
    assert (made.mesh, made.name) == (jar.id, scatter.name)
    hand.click(scatters.hands["out"])
    hand.click(hand.window.view, middle(hand))
    taken = session.project.grounds.first.scatter[0].gone
    assert count() == grown - len(taken) < grown - 1
    hand.key(hand.window, Qt.Key.Key_Escape)
    assert bench.ground.plucking == ""
    hand.settle()
    assert hand.window.save_project(wait=True)
    assert open_project(session.folder).project.grounds.first == session.project.grounds.first
    hand.click(scatters.back)
    assert count() == grown
    hand.click(scatters.shown)
    assert count() == 0
    assert scatters.tiles[scatter.id].words == "hidden"
    hand.window.undo()
    hand.window.undo()
    hand.until(lambda: session.link.due is None)
    assert count() == grown - len(taken)


def test_on_land_stamps_are_laid_props_come_to_stand_and_what_lies_behind_is_not_picked(hand: Hand) -> None:
    with_land(hand)
    session, view, bench = hand.session, hand.window.view, hand.window.bench
    jar = next(m for m in session.project.meshes if m.name == "Storage jar")
    name = session.project.grounds.first.id
    session.do(edits.keep_stamp(decal=Decal(id="stamp", name="Blue", finish="cobalt_jar"), name="Blue"))
    session.do(edits.set_layer(ground=name, layer=session.project.grounds.first.layers[0].id, lift=0.5))
    hand.window.show_workspace("Stage")
    hand.settle()
    ground, lift = session.project.grounds.first, session.link.lifts.of(session.project, session.project.grounds.first)

    def high(x: float, z: float) -> float:
        place = np.array([[x, z]]) - ground.corner
        return float(ground.heights.at(place)[0] + lift(place)[0]) + ground.foot

    deeds = bench.deeds
    deeds.place(jar.id)
    (prop,) = session.project.props
    low = float(session.link.mesh_data(jar.id).bounds[0][1])
    x, y, z = prop.position
    assert high(x, z) > 0.6, "the hill is not where nothing is"
    assert y + low == pytest.approx(high(x, z), abs=0.01)
    session.do(edits.set_prop(prop=prop.id, position=(x, y + 3.0, z)))
    session.choose_things((prop.id,))
    deeds.drop()
    assert session.project.prop(prop.id).position[1] + low == pytest.approx(high(x, z), abs=0.01)
    deep = high(x, z) - 1.6
    session.do(edits.set_prop(prop=prop.id, position=(x, deep, z)))
    assert view.pick(QPointF(on_view(hand, np.array([x, deep + 0.2, z])))) is None, "the hill hides it"
    bench.room("stage").below.show_page(1)
    hand.click(bench.room("stage").stamps.tiles[session.project.stamps[-1].id])
    hand.click(view, middle(hand) + QPoint(30, 20))
    (laid,) = session.project.decals
    x, y, z = laid.position
    assert y == pytest.approx(high(x, z), abs=0.01)
    axis = Rotation.from_quat(laid.turn).apply([0.0, 1.0, 0.0])
    assert axis @ ground.heights.normals(np.array([[x, z]]) - ground.corner)[0] > 0.99


def test_the_ground_is_handed_over_into_a_folder(hand: Hand, tmp_path: Path) -> None:
    space = with_land(hand)
    hand.click(hand.window.bench.room("ground").panel.hand_over)
    sheet = space.files_sheet
    for name, value in (("baked", "512"), ("grid", "65"), ("heights", ".npy")):
        sheet.rows.fields[name].changed.emit(value)
    assert (sheet.wanted.baked, sheet.wanted.grid, sheet.wanted.heights) == ("512", "65", ".npy")
    dialog = space.write_ground(hand.session.project.grounds.first.id, sheet.wanted, tmp_path)
    sheet.reject()
    hand.until(lambda: (tmp_path / "ground.json").exists() and not dialog.isVisible())
    assert {"Land_heights.npy", "Land_base_color.png", "Land_land.glb"} <= {p.name for p in tmp_path.iterdir()}
