"""Saving never takes what is not its own: two windows, folders that are gone, other projects, names."""

from __future__ import annotations

import shutil
from pathlib import Path

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QToolButton

from jade_coat.app.dialogs.choose_sides import ChooseSides
from jade_coat.files.project_folder import open_project
from jade_coat.mesh.painting import Paint
from jade_coat.stage import edits
from tests.app.conftest import Hand


def test_two_windows_on_one_project_do_not_save_over_each_other(open_window, demo_copy: Path) -> None:
    first, second = open_window(demo_copy), open_window(demo_copy)
    assert "open elsewhere" in second.window.attention().informativeText()
    second.window.attention().close()
    first.session.do(edits.rename_finish(finish="iron_jar", name="First"))
    assert first.window.save_project()
    second.session.do(edits.rename_finish(finish="ash_wall", name="Second"))
    asked: list[Path] = []
    second.window.ask_others = lambda folder: asked.append(folder) or ""
    assert not second.window.save_project()
    assert asked == [demo_copy]
    assert open_project(demo_copy).project.finish("iron_jar").name == "First"
    second.window.ask_others = lambda folder: "merge"
    assert second.window.save_project()
    merged = open_project(demo_copy).project
    assert (merged.finish("iron_jar").name, merged.finish("ash_wall").name) == ("First", "Second")
    assert second.session.project == merged
    second.window.undo()
    assert second.session.project.finish("iron_jar").name != "First"
    second.window.ask_others = lambda folder: "theirs"
    first.session.do(edits.set_light(strength=1.0))
    first.window.ask_others = lambda folder: "theirs"
    first.window.save_project()
    assert first.session.project == merged


def test_a_save_into_a_folder_that_is_gone_says_what_is_lost(hand: Hand, demo_copy: Path) -> None:
    shutil.rmtree(demo_copy)
    hand.session.do(edits.rename_finish(finish="iron_jar", name="Kept"))
    assert hand.window.save_project()
    told = hand.window.attention().informativeText()
    assert "was gone and has been made anew" in told
    assert "is lost" in told
    hand.window.attention().close()
    assert open_project(demo_copy).project.finish("iron_jar").name == "Kept"


def test_saving_onto_another_project_asks(hand: Hand, demo_copy: Path, tmp_path: Path, monkeypatch) -> None:
    other = tmp_path / "other"
    shutil.copytree(demo_copy, other)
    before = (other / "project.json").read_bytes()
    hand.session.do(edits.rename_finish(finish="iron_jar", name="Mine"))
    monkeypatch.setattr(hand.window, "may_replace", lambda folder: False)
    assert not hand.window._save_to(other)
    assert (other / "project.json").read_bytes() == before
    monkeypatch.setattr(hand.window, "may_replace", lambda folder: True)
    assert hand.window._save_to(other)
    assert open_project(other).project.finish("iron_jar").name == "Mine"


def test_a_projects_name_never_leads_out_of_the_folder_saved_to(hand: Hand, tmp_path: Path) -> None:
    hand.session.document.rename("../../away")
    busy = tmp_path / "deep" / "busy"
    busy.mkdir(parents=True)
    (busy / "notes.txt").write_text("not a project")
    assert hand.window._save_to(busy)
    assert hand.session.folder is not None
    assert hand.session.folder.resolve().parent == busy.resolve()
    assert (hand.session.folder / "project.json").is_file()


def test_what_both_changed_is_asked_before_it_is_saved_and_the_rest_kept_beside(open_window, demo_copy: Path) -> None:
    first, second = open_window(demo_copy), open_window(demo_copy)
    second.window.attention().close()
    first.session.do(edits.set_light(strength=1.0))
    first.session.do(edits.rename_finish(finish="iron_jar", name="First"))
    paint = first.session.project.prop("kiln_wall_prop").paint.whole().copy()
    paint[:50] = 60000
    first.session.do(edits.paint_prop(prop="kiln_wall_prop", paint=Paint.of(paint)))
    assert first.window.save_project()
    second.session.do(edits.set_light(strength=2.0, azimuth=0.25))
    own = second.session.project.prop("kiln_wall_prop").paint.whole().copy()
    own[40:90] = 30000
    second.session.do(edits.paint_prop(prop="kiln_wall_prop", paint=Paint.of(own)))
    second.window.ask_others = lambda folder: "merge"
    before = (demo_copy / "project.json").read_bytes()
    seen: list[ChooseSides] = []

    def answer(by: str) -> None:
        found = second.window.findChildren(ChooseSides)
        (dialog,) = [d for d in found if d.isVisible()]
        seen.append(dialog)
        assert (demo_copy / "project.json").read_bytes() == before
        if by == "reject":
            dialog.reject()
            return
        for button in dialog.findChildren(QToolButton):
            if button.accessibleName().startswith("The light: strength: theirs"):
                QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        QTest.mouseClick(dialog.go, Qt.MouseButton.LeftButton)

    QTimer.singleShot(0, lambda: answer("reject"))
    assert not second.window.save_project()
    assert (demo_copy / "project.json").read_bytes() == before
    assert second.session.project.light.strength == 2.0
    QTimer.singleShot(0, lambda: answer("choose"))
    assert second.window.save_project()
    assert set(seen[1].chosen()) == {"light/strength", "props/kiln_wall_prop/paint"}
    made = open_project(demo_copy).project
    assert made == second.session.project
    assert (made.light.strength, made.light.azimuth, made.finish("iron_jar").name) == (1.0, 0.25, "First")
    whole = made.prop("kiln_wall_prop").paint.whole()
    assert (whole[:40] == 60000).all()
    assert (whole[40:90] == 30000).all()
    told = second.window.attention().informativeText()
    assert "kept in" in told
    second.window.attention().close()
    (theirs, mine) = sorted(
        (demo_copy.parent / f"{demo_copy.name} kept").iterdir(), key=lambda p: p.name.endswith("mine")
    )
    assert open_project(theirs).project.light.strength == 1.0
    assert (open_project(theirs).project.prop("kiln_wall_prop").paint.whole()[:50] == 60000).all()
    assert open_project(mine).project.light.strength == 2.0


def test_a_desk_that_cannot_be_written_says_that_the_project_was_saved(hand: Hand, demo_copy: Path) -> None:
    (demo_copy / "desk.json").unlink(missing_ok=True)
    (demo_copy / "desk.json").mkdir()
    hand.session.do(edits.rename_finish(finish="iron_jar", name="Kept"))
    assert hand.window.save_project()
    assert not hand.session.document.dirty
    assert hand.window.attention().text() == "Saved, but not all of it"
    assert "desk.json" in hand.window.attention().informativeText()
    hand.window.attention().close()
    assert open_project(demo_copy).project.finish("iron_jar").name == "Kept"
