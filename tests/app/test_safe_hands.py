"""Nothing ends the process: errors nobody caught, panels rebuilt between two words, settings, a view that gives up."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, QSettings, Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from jade_coat.app import preferences
from jade_coat.app.build.map_review import MapReview
from jade_coat.app.build.texture_size import TextureSize
from jade_coat.app.controls.numbers import NotANumber, read_numbers
from jade_coat.app.mishaps import Mishaps
from jade_coat.jobs.job import Cancelled, Job
from jade_coat.maps.images import png_bytes
from jade_coat.maps.mapset import MapFile, MapSet
from jade_coat.material.fields import Spec
from jade_coat.material.surface import Role
from jade_coat.mesh import shapes
from jade_coat.mesh.brush import Brush
from jade_coat.mesh.canvas import VertexCanvas
from jade_coat.mesh.painting import shown_paint
from jade_coat.mesh.stroke import Stroke, mirror_plane
from jade_coat.stage import edits
from jade_coat.view.client import MAX_DEATHS
from jade_coat.view.link import STAGE
from tests.app.conftest import Hand, move, run_deletes
from tests.app.wall import WALL, pixel_of, wall_paint


@pytest.mark.qt_no_exception_capture
def test_an_error_nobody_caught_leaves_the_window_and_a_safety_copy(hand: Hand) -> None:
    mishaps = Mishaps()
    mishaps.watch()
    mishaps.told.connect(hand.window.tell_mishap)
    try:
        hand.session.do(edits.rename_finish(finish="iron_jar", name="Not saved yet"))
        for _ in range(2):
            QTimer.singleShot(0, lambda: {}["no such key"])
            hand.until(lambda: bool(mishaps.reports))
        hand.session.work(lambda: 1, lambda _: [][3], lambda error: None)
        hand.until(lambda: len(mishaps.reports) >= 3)
    finally:
        mishaps.rest()
    box = hand.window.mishap
    assert hand.window.isVisible()
    assert box.isVisible()
    assert "KeyError" in box.text()
    hand.click(box.copy)
    assert box.isVisible()
    copied = QApplication.clipboard().text()
    assert copied.count("Traceback") == 3
    assert "IndexError" in copied
    hand.until(lambda: (hand.session.recovery.folder / "project.json").is_file())
    assert "Not saved yet" in (hand.session.recovery.folder / "project.json").read_text()
    box.close()


def test_a_second_fill_and_other_rebuilt_panels_do_not_touch_what_is_gone(hand: Hand) -> None:
    hand.window.show_workspace("Brush")
    panel = hand.window.bench.brush_panel
    for _ in range(2):
        panel.fill.start()
        run_deletes()
        hand.settle()
        panel.fill.take_back()
        run_deletes()
    hand.session.choose_prop("post_prop" if any(p.id == "post_prop" for p in hand.session.project.props)
                             else hand.session.project.props.first.id, "")  # fmt: skip
    panel.folds["Too few vertices?"].unfold()
    hand.settle()
    panel.own.side = 64
    panel.own.make_map()
    run_deletes()
    hand.until(lambda: hand.session.prop.paint_map is not None)
    hand.drag(hand.window.view, hand.window.view.rect().center(), hand.window.view.rect().center() + QPoint(30, 0))
    run_deletes()
    hand.settle()


def test_what_paint_or_dial_counts_in_the_background_never_changes_what_is_shown(hand: Hand) -> None:
    """Its trial finishes once went into the rows that the window reads."""
    hand.window.show_workspace("Brush")
    panel = hand.window.bench.brush_panel
    panel.folds["Paint or dial?"].unfold()
    finish = hand.session.prop.finishes[hand.session.slot]
    dial = hand.session.material.dials[0]
    rows = {name: table.copy() for name, table in hand.session.client._scenes[STAGE].rows.items()}
    for i in range(12):
        assert hand.session.do(edits.rename_finish(finish=finish, name=f"Turn {i}"))
        QApplication.processEvents()
    hand.settle()
    now = hand.session.client._scenes[STAGE].rows
    assert now.keys() == rows.keys()
    assert all((now[name] == table).all() for name, table in rows.items())
    assert dial.id
    assert {w.key for w in panel.worth.ways} == {"dial", "vertices", "map", "finish"}


def test_another_role_is_taken_from_the_same_file_even_when_no_name_gave_a_hint(qapp, hand: Hand) -> None:
    assets = hand.session.library.assets
    data = png_bytes(np.zeros((4, 4, 3), np.uint8))
    files = [
        MapFile(role=Role.BASE_COLOR, asset=assets.put("maps", f"{n}.png", data + n.encode()), file=f"{n}.png")
        for n in ("one", "two")
    ]
    review = MapReview(hand.window, MapSet(id="s", name="S"), files, hand.session.library)
    review._double(review.cards[1])
    assert [c.file_entry.file for c in review.cards] == ["one.png", "two.png", "two.png"]
    named = MapReview(hand.window, MapSet(id="s", name="S", maps=(files[0],)), files[1:], hand.session.library)
    named._double(named.cards[1])
    assert [c.file_entry.file for c in named.cards] == ["one.png", "two.png", "two.png"]
    review.deleteLater()
    named.deleteLater()


def test_bad_settings_are_reset_and_told(qapp) -> None:
    QSettings().setValue("theme", "Cheese")
    QSettings().setValue("layout/workspaces", "nonsense")
    QSettings().setValue("undo/megabytes", "-3")
    assert preferences.recall(preferences.THEME) == "Inkstone"
    told = preferences.mend()
    assert len(told) == 3
    assert "Cheese" in told[0]
    assert preferences.mend() == []


def start(environment: dict[str, str], *arguments: str) -> subprocess.Popen[str]:
    return subprocess.Popen(
        [sys.executable, "-m", "jade_coat.cli", "app", *arguments], text=True,
        stdout=subprocess.PIPE, stderr=subprocess.PIPE, env={**os.environ, **environment},
    )  # fmt: skip


def test_without_a_display_one_line_says_what_to_do() -> None:
    process = start({"QT_QPA_PLATFORM": "xcb", "DISPLAY": ":987", "WAYLAND_DISPLAY": ""})
    _, told = process.communicate(timeout=120)
    assert process.returncode == 1
    lines = [line for line in told.splitlines() if line.strip()]
    assert len(lines) == 1, told
    assert "No window can be opened here" in lines[0]
    assert "apt-get install" in lines[0]


class TestStopped:
    @pytest.fixture
    def kept_client(self) -> None:
        """These windows start a render process of their own: it is killed."""
        return

    def test_a_view_that_dies_too_often_says_so_and_starts_again_when_asked(self, hand: Hand) -> None:
        client, view = hand.session.client, hand.window.view
        for _ in range(MAX_DEATHS + 1):
            process = client.process_id
            os.kill(process, signal.SIGKILL)
            hand.until(lambda p=process: bool(client.stopped) or client.process_id != p)
            hand.until(lambda: bool(client.stopped) or client.ready)
        assert client.stopped
        assert view._stopped.isVisible()
        assert hand.session.do(edits.rename_finish(finish="iron_jar", name="Edited while stopped"))
        assert hand.window.isVisible()
        hand.click(view._stopped.again)
        assert not client.stopped
        hand.settle(120)
        assert not view._stopped.isVisible()

    def test_a_machine_without_opengl_is_told_the_remedy_at_once(self, open_window, monkeypatch) -> None:
        monkeypatch.setenv("MESA_GL_VERSION_OVERRIDE", "2.1")
        monkeypatch.setenv("MESA_GLSL_VERSION_OVERRIDE", "120")
        hand = open_window(None)
        hand.until(lambda: bool(hand.session.client.stopped), 120)
        hand.window.say("something later")
        assert "OpenGL 3.3" in hand.window.view._stopped._reason.text()
        assert "apt-get install" in hand.window.view._stopped._reason.text()


def test_closing_does_not_wait_for_running_work(hand: Hand) -> None:
    jobs = [Job(), Job()]
    seen: list[str] = []

    def polite() -> None:
        try:
            for _ in range(6000):
                jobs[0].step(0.1, "working")
                time.sleep(0.01)
        except Cancelled:
            seen.append("stopped")
            raise

    hand.session.work(polite, lambda _: None, lambda error: None, jobs[0])
    hand.session.work(lambda: time.sleep(20), lambda _: None, lambda error: None, jobs[1])
    time.sleep(0.1)
    hand.session.document.mark_saved()
    start = time.monotonic()
    hand.window.close()
    assert time.monotonic() - start < 8  # 20 s of sleep are not waited for
    assert not hand.window.isVisible()
    assert hand.session.unfinished
    assert jobs[1].cancelled
    assert seen == ["stopped"]


class TestNumberFields:
    METRES, ANGLE, PLAIN = Spec("Size", unit="m"), Spec("Turn", "angle"), Spec("Amount")
    RANGE = Spec("From, to", "range", unit="m")

    @pytest.mark.parametrize(("spec", "typed", "means"), [
        (METRES, ".5", 0.5), (METRES, "5 mm", 0.005), (METRES, "1/8", 0.125), (METRES, "2 * 30cm", 0.6),
        (METRES, "1 ft", 0.3048), (ANGLE, "180", 3.141592653589793), (ANGLE, "1 rad", 1.0), (PLAIN, "50 %", 0.5),
        (PLAIN, "0,5", 0.5), (PLAIN, "−1e-3", -0.001), (RANGE, "0.2 – 0.8 m", (0.2, 0.8)), (RANGE, "20 cm 1", (0.2, 1.0)),
    ])  # fmt: skip
    def test_units_and_arithmetic_are_read(self, spec: Spec, typed: str, means: object) -> None:
        """Units by the International System of Units; foot by the agreement of 1959."""
        assert read_numbers(spec, typed) == pytest.approx(means)

    @pytest.mark.parametrize("typed", ["", "abc", "9**9**9**9", "1e999", "5 kg", "().__class__", "1 2", "x" * 9999])
    def test_what_is_no_number_is_refused(self, typed: str) -> None:
        with pytest.raises(NotANumber):
            read_numbers(self.METRES, typed)

    def test_a_field_keeps_its_exact_value_and_gives_the_keyboard_back(self, hand: Hand) -> None:
        material = hand.session.material
        path = f"{hand.session.coat_id}.surface.tile_size"
        hand.session.do(edits.set_field(material=material.id, path=path, value=1.256))
        field = hand.window.bench.coat_panel.fields[path]
        before = hand.session.project
        hand.click(field)
        editor = field._editor
        assert "1.256" in editor.text()
        QTest.keyClick(editor, Qt.Key.Key_Return)
        QApplication.processEvents()
        assert hand.session.project is before
        assert field._editor is None
        assert not field.hasFocus()
        hand.click(field)
        QTest.keyClicks(field._editor, "5 mm")
        QTest.keyClick(field._editor, Qt.Key.Key_Escape)
        assert hand.session.project is before
        hand.click(field)
        QTest.keyClicks(field._editor, "50 cm")
        QTest.keyClick(field._editor, Qt.Key.Key_Return)
        assert field.value == pytest.approx(0.5)
        hand.window.undo()
        assert hand.session.project is before
        assert field.value == 1.256

    def test_keys_of_the_workspace_reach_it_past_a_field_that_was_used(self, hand: Hand) -> None:
        hand.window.show_workspace("Brush")
        brush = hand.window.bench.brush
        field = hand.window.bench.brush_panel.radius
        radius = brush.brush.radius
        field.setFocus()
        QTest.keyClick(field, Qt.Key.Key_2)
        assert brush.brush.channels == (1,)
        assert brush.brush.radius == radius


def test_the_program_ends_although_work_is_left(tmp_path: Path) -> None:
    script = tmp_path / "close.py"
    script.write_text(
        "import time\n"
        "from PyQt6.QtCore import QTimer\n"
        "from jade_coat.app import window\n"
        "made = window.Window.__init__\n"
        "def init(self, session):\n"
        "    made(self, session)\n"
        "    session.work(lambda: time.sleep(300), print, print)\n"
        "    QTimer.singleShot(300, self.close)\n"
        "window.Window.__init__ = init\n"
        "from jade_coat.app.main import start\n"
        "if __name__ == '__main__':\n"
        "    raise SystemExit(start(None))\n"
    )
    done = subprocess.run([sys.executable, str(script)], timeout=120, check=False)
    assert done.returncode == 0


# Strokes under way


def press(hand: Hand, at: QPoint, keys=Qt.KeyboardModifier.NoModifier) -> None:
    QTest.mousePress(hand.window.view, Qt.MouseButton.LeftButton, keys, at)


def test_escape_and_undo_take_a_stroke_under_way_back_as_if_it_had_never_begun(hand: Hand) -> None:
    hand.window.show_workspace("Brush")
    hand.window.bench.brush.set(radius=0.2, strength=1.0)
    view, session = hand.window.view, hand.session
    for prop in ("kiln_wall_prop", "floor"):
        session.choose_prop(prop, "")
        before, steps = session.project, len(session.document._behind)
        start = pixel_of(hand, WALL) if prop == "kiln_wall_prop" else QPoint(view.width() // 2, view.height() - 12)
        for end in ("escape", "undo"):
            press(hand, start)
            move(view, QPointF(start) + QPointF(40, 0), Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
            QApplication.processEvents()
            assert hand.window.bench.brush_tool.painting
            if end == "escape":
                QTest.keyClick(view, Qt.Key.Key_Escape)
            else:
                hand.window.undo()
            QTest.mouseRelease(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, start)
            assert session.project is before
            assert len(session.document._behind) == steps
            assert session.document.redo_title is None
            hand.settle()
            kept = session.project.prop(session.prop_id).paint
            if kept is not None:
                assert np.array_equal(session.client.paint_of(session.prop_id), kept.whole())


def test_an_airbrush_held_still_uses_what_its_dabs_use(hand: Hand) -> None:
    """Pixels as its size, the other value with Ctrl: as a dab does."""
    hand.window.show_workspace("Brush")
    brush, tool, view = hand.window.bench.brush, hand.window.bench.brush_tool, hand.window.view
    brush.set(flow=0.2, strength=1.0, radius=3.0, a=0.0, b=1.0, second=False)
    brush.set_hand(measure="screen", pixels=12)
    start, before = pixel_of(hand, WALL), wall_paint(hand)
    press(hand, start, Qt.KeyboardModifier.ControlModifier)
    for _ in range(8):
        tool._hold()
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier, start)
    changed = (wall_paint(hand) != before).any(axis=1)
    mesh = hand.session.link.mesh_data("kiln_wall")
    assert changed.any()
    assert np.ptp(mesh.positions[changed], axis=0).max() < 0.5  # twelve pixels, not three metres
    channel = brush.brush.channels[0]
    wanted = brush.brush.with_(second=True).toward
    led = np.abs(wall_paint(hand)[changed, channel] / 65535.0 - wanted) < np.abs(
        before[changed, channel] / 65535.0 - wanted
    )
    assert led.all()


def test_a_mirror_takes_the_middle_of_a_mesh_that_lies_off_centre() -> None:
    box = shapes.ball(0.5, 32)
    away = box.with_(positions=(box.positions + np.array([4, 0, 0], np.float32)))
    for mesh, plane in ((box, 0.0), (away, 4.0)):
        assert mirror_plane(mesh, "x") == pytest.approx(plane, abs=1e-5)
        stroke = Stroke(VertexCanvas(mesh, shown_paint(mesh, None)))
        at = np.array([plane + 0.48, 0.1, 0.0])
        stroke.dab(at, np.array([1.0, 0, 0]), Brush(radius=0.15, mirror="x", channels=(0,)))
        painted = mesh.positions[stroke.paint().whole()[:, 0] > 0][:, 0] - plane
        assert painted.min() < -0.4
        assert painted.max() > 0.4


# Saving


def test_what_a_click_on_a_filled_ring_would_drop_is_asked_first(hand: Hand) -> None:
    session, panel = hand.session, hand.window.bench.coat_panel
    used = {d for f in session.project.finishes for d in f.values}
    dial = next(d for d in session.project.material("kiln_wall").dials if d.id in used)
    session.choose_finish("kiln_wall")
    session.choose_coat(dial.path.split(".")[0])
    asked: list[list[str]] = []
    session.agree = lambda what, lines: asked.append(lines) or False
    before = session.project
    hand.click(panel.dots[dial.path])
    assert session.project is before
    assert dial.name in asked[0][0]
    assert panel.dots[dial.path].isChecked()
    session.agree = lambda what, lines: True
    hand.click(panel.dots[dial.path])
    assert session.project.material("kiln_wall").dial_at(dial.path) is None
    assert not any(dial.id in f.values for f in session.project.finishes)


# Section, sizes, slots


def test_the_section_is_drawn_anew_for_another_size_and_another_theme(hand: Hand) -> None:
    strip = hand.window.bench.stack.strip
    hand.settle()
    strip.repaint()
    first = strip._picture
    strip.resize(strip.width() - 60, strip.height())
    strip.repaint()
    assert strip._picture.width() == first.width() - 60
    before = strip._picture.pixelColor(2, 1)
    hand.window.swap_theme()
    try:
        strip.repaint()
        assert strip._picture.pixelColor(2, 1) != before
    finally:
        hand.window.swap_theme()


def test_a_line_is_found_although_the_prop_is_out_of_sight_and_lies_in_the_middle_of_a_plane(hand: Hand) -> None:
    session, line, view = hand.session, hand.window.bench.section, hand.window.view
    camera = session.camera
    view.set_camera(camera.with_(target=(0.0, 400.0, 0.0)))
    session.choose_prop("floor", "")
    hand.settle()
    assert line.line is not None
    low, high = session.link.mesh_data(
        "floor" if any(m.id == "floor" for m in session.project.meshes) else session.prop.mesh
    ).bounds
    points = (line.line.points - session.prop.position) / session.prop.size
    middle, size = (low + high) / 2, np.linalg.norm(high - low)
    assert np.linalg.norm(points.mean(axis=0) - middle) < 0.15 * size
    session.choose_prop("kiln_wall_prop", "")
    view.set_camera(camera)
    session.choose_prop("floor", "")
    hand.settle()
    seen = line._on_view()
    xs = [seen.at(i).x() for i in range(seen.count())]
    assert 0.25 * view.width() < np.mean(xs) < 0.75 * view.width()


def test_a_texture_is_judged_at_the_tile_size_of_the_coat_that_wears_it(hand: Hand) -> None:
    session = hand.session
    material = session.material
    coat = next(c for c in material.coats if c.surface.map_set)
    session.choose_coat(coat.id)
    chosen = session.project.map_set(coat.surface.map_set)
    session.do(edits.set_field(material=material.id, path=f"{coat.id}.surface.tile_size", value=0.5))
    session.choose_finish(material.id)
    ask = TextureSize(hand.window, session, hand.window.view, chosen)
    small = ask._pixels_a_tile()
    session.do(edits.set_field(material=material.id, path=f"{coat.id}.surface.tile_size", value=1.0))
    assert ask._pixels_a_tile() == pytest.approx(2 * small)
    ask.deleteLater()
