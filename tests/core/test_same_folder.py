"""Project folders that others write to meanwhile, and what is left in them."""

from __future__ import annotations

import json
import os
import shutil
from pathlib import Path

import numpy as np
import pytest

from jade_coat.files.atomic import clear_partial
from jade_coat.files.open_mark import NAME, OpenMark
from jade_coat.files.project_folder import (
    ChangedOnDisk,
    open_project,
    save_project,
)
from jade_coat.files.recovery import Recovery
from jade_coat.mesh.painting import Paint
from jade_coat.stage import edits
from jade_coat.stage.document import Document
from jade_coat.stage.merging import merged
from tests.core.test_files import edited


def test_a_project_saved_by_somebody_else_meanwhile_is_not_overwritten(demo_copy: Path) -> None:
    document, library, home = edited(demo_copy)
    theirs = open_project(demo_copy)
    other = Document(theirs.project)
    other.do(edits.rename_finish(finish="ash_wall", name="Theirs"))
    other.do(edits.set_light(strength=1.25))
    painted = Paint.of(np.full((document.project.prop("kiln_wall_prop").paint.count, 4), 7, np.uint16))
    other.do(edits.paint_prop(prop="gate_post", paint=painted))
    save_project(other.project, theirs.assets, demo_copy, theirs.home)
    written = {p: p.read_bytes() for p in demo_copy.rglob("*") if p.is_file()}
    with pytest.raises(ChangedOnDisk):
        save_project(document.project, library.assets, demo_copy, home)
    assert {p: p.read_bytes() for p in demo_copy.rglob("*") if p.is_file()} == written
    made = merged(home.base, document.project, open_project(demo_copy).project)
    both = made.project
    assert made.collisions == ()  # of one finish a dial was turned on one side, the name changed on the other
    assert both.finish("ash_wall").name == "Theirs"
    assert both.finish("ash_wall").values["moss_amount"] == 0.123
    assert both.finish("iron_jar").name == "Eisenkrug – groß"
    assert both.light.strength == 1.25
    assert both.prop("gate_post").paint == painted
    save_project(both, library.assets, demo_copy, open_project(demo_copy).home)
    assert open_project(demo_copy).problems == []


def test_a_sweep_removes_only_what_this_project_wrote_and_never_through_a_link(demo_copy: Path, tmp_path: Path) -> None:
    document, library, home = edited(demo_copy)
    foreign = demo_copy / "paint" / f"{'ab' * 12}.npy"
    foreign.write_bytes(b"somebody else's")
    old = {p.name for p in (demo_copy / "paint").iterdir()} - {foreign.name}
    home = save_project(document.project, library.assets, demo_copy, home).home
    assert foreign.is_file()
    assert old - {p.name for p in (demo_copy / "paint").iterdir()}
    kept = tmp_path / "elsewhere"
    shutil.move(demo_copy / "paint", kept)
    (demo_copy / "paint").symlink_to(kept)
    before = {p.name for p in kept.iterdir()}
    document.do(edits.reset_paint(prop="kiln_wall_prop"))
    save_project(document.project, library.assets, demo_copy, home)
    assert {p.name for p in kept.iterdir()} == before


def test_a_save_writes_again_what_is_lost_and_names_what_it_cannot(demo_copy: Path) -> None:
    document, library, home = edited(demo_copy)
    mesh = document.project.mesh("storage_jar")
    library.mesh(mesh)
    shutil.rmtree(demo_copy)
    saved = save_project(document.project, library.assets, demo_copy, home, library.mesh_bytes)
    assert (demo_copy / mesh.asset).is_file()
    lost = {Path(line.partition(" is lost")[0]).name for line in saved.missing}
    assert {Path(m.asset).name for s in document.project.map_sets for m in s.maps} <= lost
    assert Path(mesh.asset).name not in lost
    assert open_project(demo_copy).project.prop("kiln_wall_prop").paint is not None


def test_a_mark_says_who_has_a_project_open_and_a_stale_one_says_nothing(tmp_path: Path) -> None:
    first, second = OpenMark(), OpenMark()
    assert first.take(tmp_path) == ""
    assert first.take(tmp_path) == ""
    assert str(os.getpid()) in second.take(tmp_path)
    second.leave()
    assert (tmp_path / NAME).is_file()
    content = json.loads((tmp_path / NAME).read_text())
    for stale in ({"process": 2**22 + 5}, {"start": "1"}):
        (tmp_path / NAME).write_text(json.dumps({**content, **stale}))
        assert OpenMark().take(tmp_path) == ""
    (tmp_path / NAME).write_text(json.dumps({**content, "host": "kiln-2"}))
    assert "kiln-2" in OpenMark().take(tmp_path)
    (tmp_path / NAME).write_text("[" * 100_000)
    assert OpenMark().take(tmp_path) == ""


def test_a_safety_copy_that_comes_late_does_not_outlive_a_good_save(
    demo_copy: Path, tmp_path: Path, monkeypatch
) -> None:
    from jade_coat.files import recovery

    kept = Recovery(tmp_path / "recovery")
    real = recovery.save_project

    def slow(*arguments, **more):
        done = real(*arguments, **more)
        kept.clear()  # the work was saved well while the copy was being written
        return done

    monkeypatch.setattr(recovery, "save_project", slow)
    opened = open_project(demo_copy)
    kept.store(opened.project, opened.assets, demo_copy)
    assert not kept.folder.exists()
    turn = kept.turn
    kept.clear()
    kept.store(opened.project, opened.assets, demo_copy, turn)
    assert not kept.folder.exists()


def test_half_written_files_of_killed_saves_are_cleared(demo_copy: Path) -> None:
    for place in (demo_copy, demo_copy / "maps", demo_copy / "paint"):
        (place / ".jade-x1y2.part").write_bytes(b"half")
        os.utime(place / ".jade-x1y2.part", (0, 0))
    (demo_copy / ".jade-z.part").write_bytes(b"somebody may still be writing it")
    clear_partial(demo_copy)
    assert [p.name for p in demo_copy.rglob("*.part")] == [".jade-z.part"]
