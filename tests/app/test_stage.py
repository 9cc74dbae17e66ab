"""Stage in the real window: things are chosen, moved by the wheel, copied, grouped, dropped and removed."""

from __future__ import annotations

import math

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QScrollArea
from scipy.spatial.transform import Rotation

from jade_coat.app.controls.basics import Elided
from jade_coat.app.stage.clipboard import paste_things
from jade_coat.stage import edits
from jade_coat.stage.looks import finishes_on
from jade_coat.view.camera import seen
from tests.app.conftest import Hand
from tests.app.wall import shown

JARS = ("tall_jar", "cream_jar", "small_jar")
CTRL, SHIFT, ALT = (
    Qt.KeyboardModifier.ControlModifier,
    Qt.KeyboardModifier.ShiftModifier,
    Qt.KeyboardModifier.AltModifier,
)


@pytest.fixture
def stage(hand: Hand) -> Hand:
    hand.window.show_workspace("Stage")
    hand.window.view.frame(everything=True)
    hand.settle()
    return hand


def on_view(hand: Hand, point: np.ndarray) -> QPoint:
    view = hand.window.view
    x, y, ahead = seen(view.main_eye(), np.asarray(point, np.float64)[None])[0]
    assert ahead > 0
    return QPoint(round(x * view.width()), round(y * view.height()))


def body(hand: Hand, prop: str) -> QPoint:
    """A place of the view where a prop's body is seen."""
    found = hand.session.project.prop(prop)
    low, high = hand.session.link.mesh_data(found.mesh).bounds
    matrix = found.matrix()
    for share in (0.5, 0.7, 0.3, 0.85, 0.15):
        point = low + (high - low) * (0.5, share, 0.9)
        at = on_view(hand, matrix[:3, :3] @ point + matrix[:3, 3])
        hit = hand.window.view.pick(QPointF(at))
        if hit is not None and hit.prop.id == prop:
            return at
    raise AssertionError(f"{prop} is not to be seen")


def pull(hand: Hand, part: str, end: np.ndarray | QPoint, keys=Qt.KeyboardModifier.NoModifier) -> None:
    """Drag a part of the wheel to a place."""
    view, spot = hand.window.view, hand.window.bench.wheel.spot(part)
    assert spot is not None
    to = end if isinstance(end, QPoint) else on_view(hand, end)
    hand.drag(view, spot.toPoint(), to, keys=keys)


def test_things_are_chosen_in_the_view_and_the_list_alike(stage: Hand) -> None:
    session, view, things = stage.session, stage.window.view, stage.window.bench.room("stage").panel.list
    stage.click(view, body(stage, "cream_jar"))
    assert session.chosen == ("cream_jar",)
    assert session.prop_id == "cream_jar"
    QTest.mouseClick(view, Qt.MouseButton.LeftButton, SHIFT, body(stage, "tall_jar"))
    assert session.chosen == ("cream_jar", "tall_jar")
    assert session.prop_id == "tall_jar"
    listed = {things.rows.rows[i.row()].thing.id for i in things.selectionModel().selectedIndexes()}
    assert listed == {"cream_jar", "tall_jar"}
    at = things.visualRect(things.rows.index(things.rows.places["gate_post"])).center()
    QTest.mouseClick(things.viewport(), Qt.MouseButton.LeftButton, CTRL, at)
    assert set(session.chosen) == {"cream_jar", "tall_jar", "gate_post"}
    assert session.prop_id == "gate_post"
    stage.click(view, QPoint(30, 5))  # the sky
    assert session.chosen == ()
    frame = [body(stage, j) for j in JARS]
    start = QPoint(min(p.x() for p in frame) - 40, min(p.y() for p in frame) - 60)
    end = QPoint(max(p.x() for p in frame) + 40, max(p.y() for p in frame) + 40)
    stage.drag(view, start, end, keys=CTRL)
    assert set(JARS) <= set(session.chosen)
    assert "kiln_wall_prop" not in session.chosen
    stage.key(view, Qt.Key.Key_Escape)
    assert session.chosen == ()


def test_the_wheel_moves_turns_lifts_and_sizes_with_steps_and_esc_gives_up(stage: Hand) -> None:
    session, view, wheel = stage.session, stage.window.view, stage.window.bench.wheel
    stage.click(view, body(stage, "cream_jar"))
    start = session.project.prop("cream_jar")
    grip = body(stage, "cream_jar")
    stage.drag(view, grip, grip + QPoint(70, 12))
    moved = session.project.prop("cream_jar")
    assert moved.position[1] == start.position[1]
    assert moved.position != start.position
    for i in (0, 2):
        assert moved.position[i] == pytest.approx(round(moved.position[i] / 0.1) * 0.1, abs=1e-9)
    assert session.document.undo_title == "Move"
    stage.key(stage.window, Qt.Key.Key_Z, CTRL)
    assert session.project.prop("cream_jar") == start  # one drag is one step
    shape = wheel.shape()
    angle = math.radians(80)
    a, b = shape.across
    rim = on_view(stage, shape.pivot + shape.radius * (a * math.cos(2.6) + b * math.sin(2.6)))
    to = on_view(stage, shape.pivot + shape.radius * (a * math.cos(2.6 + angle) + b * math.sin(2.6 + angle)))
    stage.drag(view, rim, to)
    turned = session.project.prop("cream_jar")
    by = (Rotation.from_quat(turned.turn) * Rotation.from_quat(start.turn).inv()).as_rotvec(degrees=True)
    assert np.allclose(by, [0, round(by[1] / 15) * 15, 0], atol=1e-6)
    assert abs(by[1] - 80) < 12
    assert turned.position == start.position
    shape = wheel.shape()
    pull(stage, "knob", shape.spots["knob"] + np.array([0, 0.42, 0]))
    assert session.project.prop("cream_jar").position[1] == pytest.approx(start.position[1] + 0.4, abs=0.11)
    shape = wheel.shape()
    pull(stage, "bead", shape.pivot + shape.across[0] * shape.radius * 1.5)
    sizes = np.array(session.project.prop("cream_jar").size) / np.array(start.size)
    assert np.allclose(sizes, sizes[0])
    assert 1.3 < sizes[0] < 1.7
    before = session.project.prop("cream_jar")
    shape = wheel.shape()
    pull(stage, "tip", shape.spots["tip"] + np.array([0, 0.4, 0]))
    stretched = np.array(session.project.prop("cream_jar").size) / np.array(before.size)
    assert stretched[1] > 1.1
    assert np.allclose(stretched[[0, 2]], 1)
    assert wheel.axis == 1
    stage.click(view, wheel.spot("hub").toPoint())
    assert wheel.axis == 2
    kept = session.project
    grip = body(stage, "cream_jar")
    QTest.mousePress(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, grip)
    from tests.app.conftest import move

    for step in (10, 30, 60):
        move(view, QPointF(grip) + QPointF(step, step), Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
    assert session.project is not kept
    stage.key(view, Qt.Key.Key_Escape)
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, grip)
    assert session.project is kept


def test_what_is_locked_stays_and_what_is_laid_stands_on_what_is_there(stage: Hand) -> None:
    session, view = stage.session, stage.window.view
    session.do(edits.set_prop(prop="small_jar", position=(0.2, 1.7, 0.4)))
    session.choose_things(("small_jar",))
    stage.settle()
    stage.key(stage.window, Qt.Key.Key_G)
    dropped = session.project.prop("small_jar")
    assert dropped.position[0] == pytest.approx(0.2)
    floor = session.rays.first(_now(stage), np.array([0.2, 3.0, 0.4]), np.array([0.0, -1, 0]), but={"small_jar"})
    low, _ = session.link.mesh_data(dropped.mesh).bounds
    assert dropped.position[1] + low[1] * dropped.size[1] == pytest.approx(floor.hit.point[1], abs=0.02)
    stage.settle()
    stage.drag(view, body(stage, "small_jar"), body(stage, "cream_jar"), keys=ALT)
    laid = session.project.prop("small_jar")
    onto = session.rays.first(
        _now(stage), np.array(laid.position) + (0, 1e-3, 0), np.array([0.0, -1, 0]), but={"small_jar"}
    )
    assert onto is None or onto.prop.id in ("cream_jar", "floor", "kiln_wall_prop", "tall_jar")
    stage.key(stage.window, Qt.Key.Key_L)
    assert session.project.prop("small_jar").locked
    assert stage.window.bench.wheel.shape() is None
    kept = session.project
    stage.key(stage.window, Qt.Key.Key_Delete)
    assert session.project is kept
    stage.key(stage.window, Qt.Key.Key_L)
    stage.key(stage.window, Qt.Key.Key_Delete)
    assert "small_jar" not in session.project.props
    assert session.chosen == ()
    stage.key(stage.window, Qt.Key.Key_Z, CTRL)
    assert "small_jar" in session.project.props


def _now(stage: Hand):
    from jade_coat.app.view.picking import stage_now

    return stage_now(stage.session)


def test_copies_are_seen_before_they_are_placed_and_groups_hold_things(stage: Hand) -> None:
    session, _view, panel = stage.session, stage.window.view, stage.window.bench.room("stage").panel
    session.choose_things(("cream_jar", "small_jar"))
    before, count = shown(stage), len(session.project.props)
    panel.array.unfold()
    panel.array.number._put(3)
    panel.array.fields["x"]._put(0.5)
    stage.settle()
    assert len(session.project.props) == count  # not placed yet
    assert np.abs(shown(stage) - before).max() > 20  # but seen
    stage.click(panel.array.apply)
    stage.settle()
    assert len(session.project.props) == count + 6
    first = session.project.prop("cream_jar")
    made = [p for p in session.project.props if p.mesh == first.mesh and p.id not in JARS]
    xs = sorted(p.position[0] - first.position[0] for p in made if p.finishes == first.finishes)
    assert xs == pytest.approx([0.5, 1.0, 1.5])
    assert len({p.name for p in session.project.props}) == count + 6
    stage.key(stage.window, Qt.Key.Key_Z, CTRL)
    assert len(session.project.props) == count
    session.choose_things(JARS)
    stage.key(stage.window, Qt.Key.Key_G, CTRL)
    (group,) = session.project.groups
    assert session.chosen == (group.id,)
    assert {p.id for p in session.chosen_props} == set(JARS)
    rows = panel.list.rows
    row = rows.rows[rows.places["cream_jar"]]
    assert (row.depth, rows.rows[rows.places[group.id]].holds) == (1, 3)
    data = rows.mimeData([rows.index(rows.places["gate_post"])])
    rows.dropMimeData(data, Qt.DropAction.MoveAction, -1, 0, rows.index(rows.places[group.id]))
    assert session.project.prop("gate_post").parent == group.id
    stage.key(stage.window, Qt.Key.Key_H)
    stage.settle()
    assert not any(session.project.shows(session.project.prop(j)) for j in JARS)
    stage.key(stage.window, Qt.Key.Key_H, SHIFT)
    stage.key(stage.window, Qt.Key.Key_D, CTRL)
    assert len(session.project.props) == count + 4
    panel.filter.setText("iron")
    assert {r.thing.id for r in rows.rows} >= {"tall_jar"}
    worn = [(r.thing.name, [*finishes_on(session.project, r.thing).values()]) for r in rows.rows]
    assert all(any("iron" in f for f in fs) or "iron" in name.lower() for name, fs in worn), worn
    panel.filter.setText("")
    panel._set_only("cream_jar")
    assert {r.thing.name for r in rows.rows} == {"Cream jar", "Cream jar 2"}


def test_steps_by_keys_move_and_turn_what_is_chosen(stage: Hand) -> None:
    session, view = stage.session, stage.window.view
    session.choose_things(("tall_jar", "cream_jar"))
    start = {i: session.project.prop(i) for i in session.chosen}
    for key, by in ((Qt.Key.Key_Right, (0.1, 0, 0)), (Qt.Key.Key_Down, (0, 0, 0.1)), (Qt.Key.Key_PageUp, (0, 0.1, 0))):
        stage.key(view, key, ALT)
        for i, was in start.items():
            assert np.allclose(np.array(session.project.prop(i).position) - was.position, by)
        stage.key(stage.window, Qt.Key.Key_Z, CTRL)
    stage.key(view, Qt.Key.Key_Comma)
    for i, was in start.items():
        assert session.project.prop(i).position == pytest.approx(was.position)
        by = Rotation.from_quat(session.project.prop(i).turn) * Rotation.from_quat(was.turn).inv()
        assert by.as_rotvec(degrees=True) == pytest.approx([0, 15, 0], abs=1e-6)


def test_things_are_copied_and_pasted_by_keys_into_this_project_and_another(stage: Hand, open_window) -> None:
    session = stage.session
    session.choose_things(("cream_jar", "gate_post"))
    stage.key(stage.window, Qt.Key.Key_C, CTRL)
    count = len(session.project.props)
    stage.key(stage.window, Qt.Key.Key_V, CTRL)
    assert len(session.project.props) == count + 2
    made = [session.project.prop(i) for i in session.chosen]
    assert [p.name for p in made] == ["Cream jar 2", "Gate post 2"]
    old = session.project.prop("gate_post")
    assert made[1].position == pytest.approx(np.add(old.position, (0.25, 0, 0.25)))
    assert made[1].paint is old.paint
    assert made[1].mesh == old.mesh
    other = open_window(None)
    other.window.show_workspace("Stage")
    paste_things(other.session)
    other.settle()
    there = other.session.project
    assert [p.name for p in there.props] == ["Cream jar", "Gate post"]
    assert {m.id for m in there.materials} == {"kiln_wall", "jar_glaze"}
    assert there.props["gate_post"].position == old.position
    assert all(other.session.library.assets.has(m.asset) for m in there.meshes)
    assert other.session.faults == {}


def test_the_keys_of_stage_do_nothing_elsewhere(stage: Hand) -> None:
    """Delete in Brush must not remove the prop that is being painted."""
    session, window = stage.session, stage.window
    keys = (Qt.Key.Key_Delete, Qt.Key.Key_H, Qt.Key.Key_L, Qt.Key.Key_G, Qt.Key.Key_U)
    for workspace in ("Build", "Brush"):
        window.show_workspace(workspace)
        session.choose_prop("cream_jar", "Body")
        kept = session.project
        for key in keys:
            stage.key(window, key)
        assert session.project is kept
    window.show_workspace("Stage")
    stage.key(window, Qt.Key.Key_Delete)
    assert "cream_jar" not in session.project.props


def test_long_names_are_cut_and_never_push_a_panel_wider_than_it_is(stage: Hand) -> None:
    session, window = stage.session, stage.window
    long = "Weathered mossy clay bricks of the western rim, tile size"
    material = session.project.material("kiln_wall")
    session.do(edits.rename_kept(kind="materials", id="kiln_wall", name=long))
    session.do(edits.rename_finish(finish="celadon_wall", name=f"{long} 2"))
    session.do(edits.set_coat(material="kiln_wall", coat="moss", name=long))
    for dial in material.dials:
        session.do(edits.rename_dial(material="kiln_wall", dial=dial.id, name=f"{dial.name}: {long}"))
    session.do(edits.rename_thing(thing="kiln_wall_prop", name=f"{long} 3"))
    width = window.minimumSizeHint().width()
    window._project_button.setText(long * 3)
    assert window.minimumSizeHint().width() == width
    for place in ("Stage", "Build", "Brush"):
        window.show_workspace(place)
        session.choose_prop("kiln_wall_prop", "surface")
        session.choose_coat("moss")
        stage.settle()
        areas = [a for a in window.findChildren(QScrollArea) if a.isVisible() and a.widget() is not None]
        fixed = [a for a in areas if a.horizontalScrollBarPolicy() == Qt.ScrollBarPolicy.ScrollBarAlwaysOff]
        assert fixed
        for area in fixed:
            assert area.widget().width() <= area.viewport().width(), (place, area.parent())
    cut = [m for m in window.findChildren(Elided) if m.isVisible() and long in m.text() and m.is_cut]
    assert cut


def test_a_panel_is_built_without_windows_of_its_own(stage: Hand, qtlog) -> None:
    """A widget shown before it lies in its panel is a window for a moment: it flashes, and costs; Qt warns of it."""
    session, window = stage.session, stage.window
    for place in ("Stage", "Build", "Brush"):
        window.show_workspace(place)
        for prop, slot in (("tall_jar", "Body"), ("kiln_wall_prop", "surface")):
            session.choose_prop(prop, slot)
            stage.settle()
    assert [r.message for r in qtlog.records if "propagateSizeHints" in r.message] == []
