"""What a project refers to stays referred to, whatever lies in the place of its files, and whoever else saves."""

from __future__ import annotations

import json
import os
import shutil
import stat
import threading
import time
from pathlib import Path

import numpy as np
import pytest

from jade_coat.cli import main
from jade_coat.files import open_mark, save_lock
from jade_coat.files.arrays import BadArray, array_bytes, read_array
from jade_coat.files.atomic import WriteFailed, write_atomic
from jade_coat.files.open_mark import OpenMark, lift
from jade_coat.files.paint_files import DAMAGED, YOUNG_SECONDS
from jade_coat.files.processes import Who
from jade_coat.files.project_folder import ChangedOnDisk, open_project, save_project
from jade_coat.files.recovery import NOTE, Recovery
from jade_coat.files.save_lock import SaveBusy, saving
from jade_coat.ground.pages import LostTile
from jade_coat.mesh.painting import Paint, PaintMap
from jade_coat.stage import edits
from jade_coat.stage.document import Document
from tests.support import every_kind_of_project

WALL = "kiln_wall_prop"


@pytest.fixture
def painted(tmp_path: Path) -> Path:
    """A project with paint on vertices, on a map and on a ground, in a folder."""
    project, assets = every_kind_of_project()
    rng = np.random.default_rng(3)
    props = [*project.props]
    paint = Paint.of(rng.integers(0, 65535, (24, 4)).astype(np.uint16))
    own = PaintMap.of_picture(rng.integers(0, 255, (16, 16, 4)).astype(np.uint8), 0)
    ground = project.grounds.first
    heights = ground.heights.with_pages(ground.heights.pages.with_values(0, 0, rng.random((8, 8)).astype(np.float32)))
    project = project.with_things("props", props[0].with_(paint=paint), props[1].with_(paint_map=own))
    project = project.with_things("grounds", ground.with_(heights=heights))
    save_project(project, assets, tmp_path / "p")
    assert open_project(tmp_path / "p").problems == []
    return tmp_path / "p"


DAMAGES = {
    "absent": lambda p: p.unlink(),
    "empty": lambda p: p.write_bytes(b""),
    "cut header": lambda p: p.write_bytes(p.read_bytes()[:20]),
    "cut": lambda p: p.write_bytes(p.read_bytes()[:-7]),
    "huge shape": lambda p: p.write_bytes(
        b"\x93NUMPY\x01\x00\x76\x00{'descr': '<u2', 'fortran_order': False, 'shape': (99999999999999, 4), }".ljust(127) + b"\n"
    ),
    "no sense": lambda p: p.write_bytes(b"\x93NUMPY\x01\x00\x76\x00((((((((".ljust(127) + b"\n"),
    "another kind": lambda p: p.write_bytes(array_bytes(np.zeros((3, 3, 3), np.complex64))),
    "objects": lambda p: p.write_bytes(b"\x93NUMPY\x01\x00\x76\x00{'descr': '|O', 'fortran_order': False, 'shape': (2,), }".ljust(127) + b"\n"),
    "a folder": lambda p: (p.unlink(), p.mkdir()),
    "a pipe": lambda p: (p.unlink(), os.mkfifo(p)),
    "a device": lambda p: (p.unlink(), p.symlink_to("/dev/zero")),
    "a link out": lambda p: (shutil.move(p, p.parents[2] / p.name), p.symlink_to(p.parents[2] / p.name)),
}  # fmt: skip


@pytest.mark.parametrize("damage", DAMAGES)
def test_paint_that_cannot_be_read_is_named_stays_referred_to_and_comes_back(painted: Path, damage: str) -> None:
    whole = open_project(painted).project
    files = {p: p.read_bytes() for p in (painted / "paint").iterdir()}
    before = json.loads((painted / "project.json").read_text())
    for path in files:
        DAMAGES[damage](path)
    opened = open_project(painted)
    assert opened.home is not None
    told = "\n".join(opened.problems)
    assert len(files) > 3
    assert "The paint of" in told
    assert "The painted map of" in told
    assert "Parts of the ground" in told
    document = Document(opened.project)
    document.do(edits.rename_finish(finish="f0", name="Other"))
    save_project(document.project, opened.assets, painted, opened.home)
    after = json.loads((painted / "project.json").read_text())
    assert [f["name"] for f in after["finishes"]].count("Other") == 1
    before["finishes"], after["finishes"] = [], []
    assert after == before
    for path, data in files.items():
        if path.is_symlink() or not path.is_dir():
            path.unlink(missing_ok=True)
        else:
            path.rmdir()
        path.write_bytes(data)
    again = open_project(painted)
    assert again.problems == []
    assert again.project.props == whole.props
    assert again.project.grounds == whole.grounds


def test_what_is_painted_over_a_lost_file_is_saved_and_a_broken_file_is_kept_aside(painted: Path) -> None:
    whole = open_project(painted).project
    tile = whole.grounds.first.heights.pages.key(0)
    for path in (painted / "paint").iterdir():
        if path.stem == tile or any(path.stem in (getattr(p.paint, "key", ""), p.paint_map and p.paint_map.paint.key)
                                    for p in whole.props):  # fmt: skip
            path.write_bytes(b"broken")
    opened = open_project(painted)
    ground = opened.project.grounds.first
    lost = [t for t in ground.heights.pages.tiles if isinstance(t, LostTile)]
    assert len(lost) == 1
    same = whole.grounds.first.heights.pages.tile(0)
    mended = ground.with_(heights=ground.heights.with_pages(ground.heights.pages.with_values(0, 0, same)))
    made = opened.project.with_things("grounds", mended)
    made = made.with_things("props", *(whole.prop(p.id) for p in made.props))
    saved = save_project(made, opened.assets, painted, opened.home)
    assert saved.home.unread <= saved.home.paint
    names = {p.name for p in (painted / "paint").iterdir()}
    assert len([n for n in names if n.endswith(DAMAGED)]) == 3
    again = open_project(painted)
    assert again.problems == []
    assert again.project == made


def test_a_copy_elsewhere_carries_broken_paint_along(painted: Path, tmp_path: Path) -> None:
    path = next(p for p in (painted / "paint").iterdir() if p.suffix == ".png")
    path.write_bytes(b"broken")
    opened = open_project(painted)
    save_project(opened.project, opened.assets, tmp_path / "copy", opened.home)
    assert (tmp_path / "copy" / "paint" / path.name).read_bytes() == b"broken"


def test_pipes_and_devices_in_the_place_of_other_files_never_block(painted: Path) -> None:
    asset = next((painted / "maps").iterdir())
    asset.unlink()
    os.mkfifo(asset)
    (painted / "desk.json").unlink(missing_ok=True)
    os.mkfifo(painted / "desk.json")
    os.mkfifo(painted / open_mark.NAME)
    opened = open_project(painted)
    assert any(asset.name in p for p in opened.problems)
    assert any("desk.json" in p and "pipe" in p for p in opened.problems)
    with pytest.raises(OSError, match="a pipe, not a file"):
        opened.assets.read(f"maps/{asset.name}")
    assert OpenMark().take(painted) == ""
    (painted / "project.json").unlink()
    os.mkfifo(painted / "project.json")
    with pytest.raises(ValueError, match="a pipe"):
        open_project(painted)


def test_nothing_is_written_or_read_through_a_link_out_of_the_project(painted: Path, tmp_path: Path) -> None:
    away = tmp_path / "away"
    shutil.move(painted / "paint", away)
    (painted / "paint").symlink_to(away)
    before = {p: p.read_bytes() for p in away.iterdir()}
    opened = open_project(painted)
    assert sum("leads out of the project" in p for p in opened.problems) == 3
    document = Document(opened.project)
    prop = next(p for p in opened.project.props if not isinstance(p.paint, str))
    document.do(edits.paint_prop(prop=prop.id, paint=Paint.of(np.full((24, 4), 9, np.uint16))))
    with pytest.raises(WriteFailed, match="leads out of the project"):
        save_project(document.project, opened.assets, painted, opened.home)
    assert {p: p.read_bytes() for p in away.iterdir()} == before


def test_files_keep_their_mode_new_ones_follow_the_umask_and_copies_aside_are_private(
    painted: Path, tmp_path: Path
) -> None:
    def mode(path: Path) -> int:
        return stat.S_IMODE(path.stat().st_mode)

    old = os.umask(0o002)
    try:
        for wanted in (0o600, 0o664, 0o640):
            os.chmod(painted / "project.json", wanted)
            opened = open_project(painted)
            save_project(opened.project, opened.assets, painted, opened.home)
            assert mode(painted / "project.json") == wanted
        write_atomic(tmp_path / "new" / "file", b"1")
        assert (mode(tmp_path / "new" / "file"), mode(tmp_path / "new")) == (0o664, 0o775)
        kept = Recovery(tmp_path / "recovery")
        kept.store(opened.project, opened.assets, painted, desk=opened.desk)
    finally:
        os.umask(old)
    found = [kept.folder, *kept.folder.rglob("*")]
    assert {mode(p) for p in found if p.is_dir()} == {0o700}
    assert {mode(p) for p in found if p.is_file()} == {0o600}
    real = tmp_path / "real.json"
    shutil.move(painted / "project.json", real)
    (painted / "project.json").symlink_to(real)
    opened = open_project(painted)
    save_project(opened.project.with_(name="Linked"), opened.assets, painted, opened.home)
    assert (painted / "project.json").is_symlink()
    assert json.loads(real.read_text())["name"] == "Linked"


# Several at once


def test_of_two_who_save_at_one_moment_one_is_told_and_nothing_is_lost(painted: Path) -> None:
    for turn in range(12):
        sides = [open_project(painted) for _ in range(2)]
        begin, done, refused = threading.Barrier(2), [], []

        def save(number: int, sides=sides, begin=begin, done=done, refused=refused, turn=turn) -> None:
            one = sides[number]
            begin.wait()
            try:
                save_project(one.project.with_(name=f"{turn} {number}"), one.assets, painted, one.home)
                done.append(f"{turn} {number}")
            except ChangedOnDisk:
                refused.append(number)

        threads = [threading.Thread(target=save, args=(n,)) for n in range(2)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        assert (len(done), len(refused)) == (1, 1)
        assert open_project(painted).project.name == done[0]
    assert not (painted / save_lock.NAME).exists()


def test_a_folder_that_is_being_saved_is_told_and_marks_of_the_dead_count_for_nothing(tmp_path: Path) -> None:
    with saving(tmp_path), pytest.raises(SaveBusy, match="being saved by process"), saving(tmp_path, wait=0):
        pass
    me = Who.me()
    for left in ({**me.told(), "process": 2**22 + 5}, {**me.told(), "host": "kiln-2"}, "nonsense"):
        (tmp_path / save_lock.NAME).write_text(json.dumps(left))
        os.utime(tmp_path / save_lock.NAME, (0, 0))
        with saving(tmp_path, wait=0):
            pass
    (tmp_path / save_lock.NAME).write_text(json.dumps({**me.told(), "host": "kiln-2"}))
    with pytest.raises(SaveBusy, match="kiln-2"), saving(tmp_path, wait=0):
        pass


def test_where_locks_do_not_hold_the_mark_does(tmp_path: Path, monkeypatch) -> None:
    def unlockable(*_: object) -> None:
        raise OSError(95, "Operation not supported")

    monkeypatch.setattr(save_lock.fcntl, "flock", unlockable)
    with saving(tmp_path):
        content = json.loads((tmp_path / save_lock.NAME).read_text())
        assert Who.read(content) == Who.me()
        other = {**content, "process": os.getppid(), "start": save_lock.Who(os.getppid(), "", "").start}
        from jade_coat.files.processes import started

        (tmp_path / save_lock.NAME).write_text(json.dumps({**other, "start": started(os.getppid())}))
        with pytest.raises(SaveBusy), saving(tmp_path, wait=0):
            pass


def test_marks_of_other_machines_grow_old_and_can_be_lifted(tmp_path: Path) -> None:
    (tmp_path / open_mark.NAME).write_text(json.dumps({"process": 7, "start": "1", "host": "kiln-2"}))
    assert "kiln-2" in OpenMark().take(tmp_path)
    week = time.time() - open_mark.OLD_SECONDS - 60
    os.utime(tmp_path / open_mark.NAME, (week, week))
    assert OpenMark().take(tmp_path) == ""
    (tmp_path / open_mark.NAME).write_text(json.dumps({"process": 7, "start": "1", "host": "kiln-2"}))
    assert "kiln-2" in lift(tmp_path)
    assert OpenMark().take(tmp_path) == ""


def test_work_is_offered_although_the_number_of_its_process_is_in_use_again(painted: Path, tmp_path: Path) -> None:
    opened = open_project(painted)
    kept = Recovery(tmp_path / "recovery")
    kept.store(opened.project, opened.assets, painted)
    note = kept.folder / NOTE
    content = json.loads(note.read_text())
    assert Recovery(tmp_path / "recovery").leftovers() == []  # its session lives
    note.write_text(json.dumps({**content, "start": "5@before"}))
    assert [x.folder for x in Recovery(tmp_path / "recovery").leftovers()] == [kept.folder]
    for sense in ('{"process": 1e999}', "[" * 5000, '{"process": 5, "home": [1]}', "", "9" * 5000,
                  json.dumps({**content, "process": 10**400}), json.dumps({**content, "process": -1}), '"x"'):  # fmt: skip
        note.write_text(sense)
        assert Recovery(tmp_path / "recovery").leftovers() == []
    note.unlink()
    os.mkfifo(note)
    assert Recovery(tmp_path / "recovery").leftovers() == []


def test_paint_that_killed_saves_left_goes_once_it_is_old_and_only_what_is_ours(painted: Path) -> None:
    place, old = painted / "paint", time.time() - YOUNG_SECONDS - 60
    rng = np.random.default_rng(5)
    left = Paint.of(rng.integers(0, 9, (24, 4)).astype(np.uint16))
    names = {"old": Paint.of(left.whole() + 1), "young": left, "kept": Paint.of(left.whole() + 2)}
    for paint in names.values():
        (place / f"{paint.key}.npy").write_bytes(array_bytes(paint.whole()))
    foreign = place / f"{'ab' * 12}.npy"
    foreign.write_bytes(array_bytes(left.whole()))
    for path in (place / f"{names['old'].key}.npy", place / f"{names['kept'].key}.npy", foreign):
        os.utime(path, (old, old))
    (painted / "project.json.orig").write_text(json.dumps({"paint": names["kept"].key}))
    opened = open_project(painted)
    save_project(opened.project, opened.assets, painted, opened.home)
    there = {p.name for p in place.iterdir()}
    assert f"{names['old'].key}.npy" not in there
    assert {f"{names['young'].key}.npy", f"{names['kept'].key}.npy", foreign.name} <= there
    assert open_project(painted).problems == []


# Meshes and parents that the file does not list; commands


def test_props_of_a_mesh_and_finishes_of_a_parent_that_are_not_listed_stay(painted: Path) -> None:
    whole = open_project(painted).project
    path = painted / "project.json"
    data = json.loads(path.read_text())
    data["meshes"], data["materials"] = [], []
    path.write_text(json.dumps(data))
    opened = open_project(painted)
    assert [p.id for p in opened.project.props] == [p.id for p in whole.props]
    assert opened.project.finishes == whole.finishes
    assert [s.id for g in opened.project.grounds for s in g.scatter] == [s.id for g in whole.grounds for s in g.scatter]
    told = "\n".join(opened.problems)
    assert "The mesh box is not in the file" in told
    assert "The parent of F0" in told
    save_project(opened.project, opened.assets, painted, opened.home)
    again = open_project(painted)
    assert again.project.props == opened.project.props
    assert any("Bring it in again" in p for p in again.problems)


def test_references_that_lead_nowhere_are_named_with_their_remedy(painted: Path) -> None:
    path = painted / "project.json"
    data = json.loads(path.read_text())
    data["groups"], data["recipes"] = [], []
    data["finishes"] = [f for f in data["finishes"] if f["id"] != "f2"]
    path.write_text(json.dumps(data))
    told = "\n".join(open_project(painted).problems)
    for word in (
        "a group that is not there (g)",
        "a recipe that is not there (outer)",
        "a finish that is not there (f2)",
    ):
        assert word in told
    assert "Choose another" in told


def test_commands_that_write_stop_at_what_is_missing_unless_told_otherwise(painted: Path, capsys) -> None:
    lost = next(p for p in (painted / "paint").iterdir() if p.suffix == ".npy")
    data = lost.read_bytes()
    lost.unlink()
    before = (painted / "project.json").read_bytes()
    assert main(["info", str(painted)]) == 3
    words = ["material", str(painted), "--base", "s1", "--name", "New"]
    assert main(words) == 1
    told = capsys.readouterr().err
    assert lost.name in told
    assert "--anyway" in told
    assert (painted / "project.json").read_bytes() == before
    assert main([*words, "--anyway"]) == 0
    lost.write_bytes(data)
    assert open_project(painted).problems == []


@pytest.mark.parametrize("values", [np.arange(12, dtype=">u2").reshape(3, 4), np.zeros((2, 0), np.float32),
                                    np.asfortranarray(np.arange(6.0).reshape(2, 3))])  # fmt: skip
def test_arrays_come_back_as_numpy_writes_them(values) -> None:
    """Against numpy.save."""
    found = read_array(array_bytes(values), lambda kind, shape: True, "")
    assert np.array_equal(found, values)
    with pytest.raises(BadArray, match="expected nothing"):
        read_array(array_bytes(values), lambda kind, shape: False, "nothing")


def test_what_a_take_over_brings_without_what_it_refers_to_is_named(painted: Path, tmp_path: Path, capsys) -> None:
    other = tmp_path / "other"
    shutil.copytree(painted, other)
    data = json.loads((other / "project.json").read_text())
    data["recipes"] = [r for r in data["recipes"] if r["id"] != "inner"]
    (other / "project.json").write_text(json.dumps(data))
    empty = tmp_path / "empty"
    save_project(
        open_project(painted).project.with_(recipes=(), materials=(), finishes=()), open_project(painted).assets, empty
    )
    words = ["take", str(empty), "--source", str(other), "--kind", "recipe", "--name", "outer", "--anyway"]
    capsys.readouterr()
    assert main(words) == 0
    assert "Outer refers to a recipe that is not there (inner). Choose another." in capsys.readouterr().err
