"""What goes wrong around the window: long work, a dying renderer, damaged files, full disks, crashes."""

from __future__ import annotations

import os
import signal
import threading
import time
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QWidget

from jade_coat.app.background import Background
from jade_coat.files.project_folder import open_project, save_project
from jade_coat.stage import edits
from jade_coat.stage.shared_dials import SharedDial
from tests.app.conftest import Hand, move
from tests.app.wall import WALL, pixel_of, shown, wall_paint


@pytest.fixture
def kept_client() -> None:
    """These windows start a render process of their own: it is killed, or measured from the start."""
    return


@pytest.fixture
def turns():
    """How often a timer of 10 ms has fired: the window's loop goes on as long as this grows."""
    counted = [0]
    timer = QTimer()

    def count() -> None:
        counted[0] += 1

    timer.timeout.connect(count)
    timer.start(10)
    yield counted
    timer.stop()


def test_the_window_goes_on_while_the_renderer_is_busy(hand: Hand, turns: list[int]) -> None:
    """The renderer is stopped from outside, as if a compile took for ever: hands work on, and nothing waits for it."""
    window, view, session = hand.window, hand.window.view, hand.session
    old, renderer = shown(hand), session.client.process_id
    os.kill(renderer, signal.SIGSTOP)
    try:
        window.workspaces["Build"].add_coat()
        session.do(edits.set_term(material="kiln_wall", coat=session.coat_id, term="paint", channel="G"))
        centre = view.rect().center()
        hand.drag(view, centre, centre + QPoint(60, 10), button=Qt.MouseButton.MiddleButton)
        hand.click(view, pixel_of(hand, WALL))
        window.show_workspace("Brush")
        hand.drag(view, centre, centre + QPoint(40, 0))
        for name in window.workspaces:
            window.show_workspace(name)
        window.show_workspace("Build")
        done = session.project
        hand.key(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
        assert session.project is not done
        hand.key(window, Qt.Key.Key_Y, Qt.KeyboardModifier.ControlModifier)
        assert session.project is done
        seen = turns[0]
        hand.until(lambda: turns[0] > seen + 30)
        assert np.array_equal(shown(hand), old)  # the old picture stays until there is another
        assert not session.client.idle  # it was still stopped
    finally:
        os.kill(renderer, signal.SIGCONT)
    hand.settle()
    assert session.client.process_id == renderer
    assert not np.array_equal(shown(hand), old)


def test_the_window_goes_on_while_a_file_is_baked(hand: Hand, tmp_path: Path, turns: list[int]) -> None:
    dialog = hand.window.export_to(tmp_path / "a.glb", 2048)
    seen = turns[0]
    hand.until(lambda: turns[0] > seen + 30)
    assert dialog.isVisible()  # it was still at work
    dialog.job.cancel()
    hand.until(lambda: not dialog.isVisible())
    assert not (tmp_path / "a.glb").exists()


def test_killing_the_renderer_while_painting_loses_nothing(hand: Hand) -> None:
    said: list[str] = []
    hand.session.view_state.connect(said.append)
    hand.window.show_workspace("Brush")
    hand.window.bench.brush.set(radius=0.2, strength=1.0)
    view, start = hand.window.view, pixel_of(hand, WALL)
    before = wall_paint(hand)
    QTest.mousePress(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, start)
    for i in range(20):
        if i == 8:
            os.kill(hand.session.client.process_id, signal.SIGKILL)
        move(view, QPointF(start) + QPointF(5 * i, 0), Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
        QApplication.processEvents()
        time.sleep(0.01)
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, start + QPoint(95, 0))
    hand.settle()
    assert any("started again" in s for s in said)
    assert said[-1] == ""
    changed = (wall_paint(hand) != before).any(axis=1)
    mesh = hand.session.link.mesh_data("kiln_wall")
    reach = np.ptp(mesh.positions[changed][:, 0])
    assert reach > 0.45  # the stroke before and after the kill
    assert np.array_equal(hand.session.client.paint_of("kiln_wall_prop"), wall_paint(hand))
    assert shown(hand).std() > 20


def test_a_project_that_cannot_be_opened_is_told_and_the_present_one_stays(hand: Hand, tmp_path: Path) -> None:
    bad = tmp_path / "bad"
    bad.mkdir()
    (bad / "project.json").write_text('{"schema_version": 1, "name": ')
    present = hand.session.project
    hand.window.bring(bad)
    box = hand.window.attention()
    assert "line 1" in box.informativeText()
    assert hand.session.project is present
    box.close()
    (tmp_path / "broken.glb").write_bytes(b"glTF\x02\0\0\0\xff\xff\0\0")
    hand.window.bring(tmp_path / "broken.glb")
    hand.until(lambda: hand.window.attention() is not box)
    assert "broken.glb" in hand.window.attention().informativeText()
    assert hand.session.project is present
    hand.window.attention().close()


def test_a_missing_map_is_told_and_the_rest_is_drawn(open_window, demo_copy: Path) -> None:
    lost = next((demo_copy / "maps").glob("*glazed_tile_base_color*"))
    lost.unlink()
    hand = open_window(demo_copy)
    box = hand.window.attention()
    assert lost.name in box.informativeText()
    box.close()
    assert shown(hand).std() > 15


def test_saving_to_a_full_disk_keeps_the_work(hand: Hand, monkeypatch) -> None:
    from jade_coat.files import atomic

    hand.session.do(edits.rename_finish(finish="iron_jar", name="Rust"))

    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(atomic.os, "fsync", full)
    assert not hand.window.save_project()
    assert "disk is full" in hand.window.attention().informativeText()
    hand.window.attention().close()
    monkeypatch.undo()
    assert hand.session.document.dirty
    assert hand.window.save_project()
    assert not hand.session.document.dirty
    assert hand.window._saved.text() == "saved"


def test_autosaved_work_is_taken_over_and_saved_home(open_window, demo_copy: Path) -> None:
    first = open_window(demo_copy)
    first.session.do(edits.rename_finish(finish="iron_jar", name="Only in the copy"))
    first.session.autosave()
    first.until(lambda: (first.session.recovery.folder / "session.json").is_file())
    second = open_window(None)
    note = first.session.recovery.folder / "session.json"
    note.write_text(note.read_text().replace(str(os.getpid()), "999999999"))
    leftover = next(x for x in second.session.recovery.leftovers() if x.folder == first.session.recovery.folder)
    digest = leftover.digest
    assert digest
    assert second.window.take_over(leftover)
    assert second.session.document.dirty
    assert second.session.project.finish("iron_jar").name == "Only in the copy"
    second.settle()
    theirs = open_project(demo_copy)  # somebody else saves meanwhile
    more = theirs.project.with_(shared=(*theirs.project.shared, SharedDial(id="new", name="New")))
    save_project(more, theirs.assets, demo_copy, theirs.home)
    second.window.ask_others = lambda folder: "merge"
    assert second.window.save_project()
    assert second.window.attention() is None  # what it began from is known: nothing collides
    assert "Merged" in second.window._message.text()
    assert open_project(demo_copy).project.finish("iron_jar").name == "Only in the copy"
    assert open_project(demo_copy).project.shared_dial("new").name == "New"
    assert not leftover.folder.exists()


def test_a_damaged_mesh_is_told_and_a_box_stands_in(open_window, demo_copy: Path) -> None:
    jar = open_project(demo_copy).project.mesh("storage_jar").asset
    (demo_copy / jar).write_bytes(b"glTF this is not")
    hand = open_window(demo_copy)
    assert "plain box stands in" in hand.window._message.text()
    assert hand.session.link.mesh_data("storage_jar").vertex_count == 24
    assert shown(hand).std() > 15


def test_widgets_are_freed_in_the_thread_that_made_them(qapp) -> None:
    """Qt's documentation, "Threads and QObjects": an object is used and deleted in its own thread alone.

    A dialog in a cycle of references is left to Python's collector while a background thread makes a lot of objects.
    """
    freed_in: list[int] = []

    class Panel(QWidget):
        def __init__(self) -> None:
            super().__init__()
            self.itself = self

        def __del__(self) -> None:
            freed_in.append(threading.get_ident())

    made: list[object] = []
    worker = threading.Thread(target=lambda: made.extend([[]] for _ in range(300_000)))
    for _ in range(20):
        Panel()
    worker.start()
    end = time.monotonic() + 5
    while worker.is_alive() or (not freed_in and time.monotonic() < end):
        QApplication.processEvents()
        time.sleep(0.005)
    assert set(freed_in) == {threading.get_ident()}


def test_what_background_work_holds_is_freed_in_the_windows_thread_even_after_closing(qapp) -> None:
    """Of 200 widgets that tasks and callbacks hold last, none goes in the pool; nothing is kept for ever either."""
    freed_in: list[int] = []

    class Held(QWidget):
        def __del__(self) -> None:
            freed_in.append(threading.get_ident())

    def begin(background: Background) -> None:
        held = Held()
        background.work(lambda: time.sleep(0.002) or held.x(), lambda _: held.y(), lambda _: held.y())

    for closed in (False, True):
        background = Background()
        for _ in range(100):
            begin(background)
        if closed:
            time.sleep(0.01)
            background.stop_work()
        del background
        wanted = 100 * (1 + closed)
        end = time.monotonic() + 60
        while len(freed_in) < wanted and time.monotonic() < end:
            QApplication.processEvents()
            time.sleep(0.005)
        assert len(freed_in) == wanted
    assert set(freed_in) == {threading.get_ident()}
