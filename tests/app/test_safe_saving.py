"""Saving never takes what is not its own: two windows, folders that are gone, other projects, names."""

from __future__ import annotations

import shutil
from pathlib import Path

from jade_coat.files.project_folder import open_project
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
