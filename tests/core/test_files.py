"""Project folders: saving, opening, crashes at the worst moment, full disks, and damage of every kind."""

from __future__ import annotations

import errno
import json
import os
import shutil
import signal
import stat
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from jade_coat.files import atomic
from jade_coat.files.assets import Assets, MissingAsset, asset_name
from jade_coat.files.atomic import WriteFailed, write_atomic
from jade_coat.files.desk_file import write_desk
from jade_coat.files.library import Library
from jade_coat.files.migrations import MIGRATIONS
from jade_coat.files.project_folder import (
    BadProject,
    Home,
    asset_names,
    open_project,
    save_project,
    schema,
)
from jade_coat.files.project_text import project_text
from jade_coat.files.recovery import Recovery, recover
from jade_coat.mesh.painting import Paint
from jade_coat.stage import edits
from jade_coat.stage.desk import Camera, Desk
from jade_coat.stage.document import Document
from jade_coat.stage.project import SCHEMA_VERSION, Project
from jade_coat.view.link import StageLink

ROOT = Path(__file__).parents[2]


def edited(folder: Path) -> tuple[Document, Library, Home]:
    opened = open_project(folder)
    document = Document(opened.project)
    document.do(edits.set_dial(finish="ash_wall", dial="moss_amount", value=0.123))
    document.do(edits.rename_finish(finish="iron_jar", name="Eisenkrug – groß"))
    paint = document.project.prop("kiln_wall_prop").paint.whole().copy()
    paint[:100] = 60000
    document.do(edits.paint_prop(prop="kiln_wall_prop", paint=Paint.of(paint)))
    return document, Library(opened.assets), opened.home


def test_everything_comes_back_after_saving_and_opening(demo_copy: Path, tmp_path: Path) -> None:
    document, library, _ = edited(demo_copy)
    elsewhere = tmp_path / "other" / "place"
    for folder in (demo_copy, elsewhere):
        save_project(document.project, library.assets, folder)
        again = open_project(folder)
        assert again.problems == []
        assert again.project == document.project
        assert (again.project.prop("kiln_wall_prop").paint.whole()[:100] == 60000).all()
    shutil.rmtree(demo_copy)
    fresh = open_project(elsewhere)
    textures = Library(fresh.assets).textures(fresh.project.map_sets[0])
    assert textures[0].levels[0].shape == (256, 256, 4)


def test_a_project_is_written_a_line_a_prop_and_says_what_its_models_say() -> None:
    """Against the standard library's own writing of it."""
    from tests.support import every_kind_of_project

    project, _ = every_kind_of_project()
    text = project_text(project)
    assert json.loads(text) == json.loads(json.dumps(project.model_dump(mode="json")))
    assert list(json.loads(text)) == list(Project.model_fields)
    moved = edits.EDITS["set_prop"].on(project, prop="p2", position=(1.0, 2.0, 1e-7))
    gone = [line for line in text.splitlines() if line not in project_text(moved).splitlines()]
    come = [line for line in project_text(moved).splitlines() if line not in text.splitlines()]
    assert (len(gone), len(come)) == (1, 1)
    assert json.loads(come[0].strip().rstrip(","))["position"] == [1.0, 2.0, 1e-7]


def test_the_desk_is_kept_beside_the_project_and_a_damaged_one_is_named(demo_copy: Path) -> None:
    desk = Desk(camera=Camera(yaw=1.25, distance=7.0), prop="gate_post", slot="Cap")
    project = (demo_copy / "project.json").read_bytes()
    write_desk(demo_copy, desk)
    assert open_project(demo_copy).desk == desk
    for damage in (b"{", b'{"camera": {"distance": -1}}', b"[" * 100000, b"\xff"):
        (demo_copy / "desk.json").write_bytes(damage)
        opened = open_project(demo_copy)
        assert opened.desk == Desk()
        assert "desk.json" in opened.problems[0]
    assert (demo_copy / "project.json").read_bytes() == project


def test_saving_twice_writes_the_same_text_and_old_paint_goes(demo_copy: Path) -> None:
    document, library, home = edited(demo_copy)
    home = save_project(document.project, library.assets, demo_copy, home).home
    first = (demo_copy / "project.json").read_bytes()
    save_project(document.project, library.assets, demo_copy, home)
    assert (demo_copy / "project.json").read_bytes() == first
    named = {p.paint.key for p in document.project.props if p.paint is not None}
    assert {p.stem for p in (demo_copy / "paint").iterdir()} == named


def test_the_published_schema_describes_what_is_saved(demo_folder: Path) -> None:
    published = json.loads((ROOT / "docs" / "project.schema.json").read_text())
    assert published == schema(), (
        "docs/project.schema.json is out of date: run ./run cli schema > docs/project.schema.json"
    )
    saved = json.loads((demo_folder / "project.json").read_text())
    assert set(saved) == set(published["properties"])


@pytest.mark.parametrize(
    ("change", "says"),
    [
        (lambda t: t[: len(t) // 2], "line .*column"), (lambda t: "", "line 1"), (lambda t: "[1, 2]", "no project"),
        (lambda t: t.replace(f'"schema_version": {SCHEMA_VERSION}', '"schema_version": 99'), "newer Jade Coat"),
        (lambda t: t.replace('"iron_jar"', '"celadon_wall"', 1), "celadon_wall|unique|parents"),
        (lambda t: t.replace('"tile_size": 1.2', '"tile_size": -4', 1), "greater than"),
        (lambda t: t.replace('"name": "Kiln wall"', '"nome": "Kiln wall"', 1), "nome|Field required"),
        (lambda t: "[" * 100000, "nested|line"), (lambda t: t.replace("moss.amount", "moss.amoint", 1), "amoint"),
    ],
)  # fmt: skip
def test_damaged_projects_are_refused_with_file_and_remedy(demo_copy: Path, change, says: str) -> None:
    path = demo_copy / "project.json"
    path.write_text(change(path.read_text()))
    damaged = path.read_bytes()
    with pytest.raises(BadProject, match=says) as caught:
        open_project(demo_copy)
    assert "project.json" in str(caught.value)
    assert path.read_bytes() == damaged


def test_a_folder_without_a_project_is_named(tmp_path: Path) -> None:
    with pytest.raises(BadProject, match="is not there"):
        open_project(tmp_path)


def test_missing_maps_meshes_and_paint_are_named_and_the_rest_opens(demo_copy: Path, demo) -> None:
    lost_map = next((demo_copy / "maps").glob("*glazed_tile_height*"))
    lost_map.unlink()
    for path in (demo_copy / "paint").iterdir():
        path.write_bytes(path.read_bytes()[:50])
    jar = open_project(demo_copy).project.mesh("storage_jar").asset
    (demo_copy / jar).write_bytes(b"glTF is this not")
    opened = open_project(demo_copy)
    text = "\n".join(opened.problems)
    assert lost_map.name in text
    assert "paint of Kiln wall is lost" in text
    library = Library(opened.assets)
    with pytest.raises(MissingAsset, match="Put the file back"):
        library.textures(opened.project.map_set("glazed_tile"))
    assert library.textures(opened.project.map_set("cushion_moss"))

    class Silent:
        def __getattr__(self, name):
            return lambda *a, **k: None

    link = StageLink(Silent(), library)
    assert link.sync(opened.project)
    assert "storage_jar" in link.problems
    assert link.mesh_data("kiln_wall").vertex_count > 3000
    assert link.mesh_data("storage_jar").vertex_count == 24


def test_names_that_lead_out_of_the_project_are_not_followed(demo_copy: Path) -> None:
    path = demo_copy / "project.json"
    text = path.read_text()
    asset = json.loads(text)["map_sets"][0]["maps"][0]["asset"]
    path.write_text(text.replace(asset, "../../../etc/passwd"))
    opened = open_project(demo_copy)
    assert any("etc/passwd" in p for p in opened.problems)
    with pytest.raises(MissingAsset, match="no name of a file inside a project"):
        opened.assets.read("../../../etc/passwd")


@pytest.mark.parametrize("allowed", [0, 1])
def test_a_full_disk_leaves_the_old_project_whole(demo_copy: Path, monkeypatch, allowed: int) -> None:
    """Simulated: syncing a file fails for want of space, at the paint or at project.json."""
    document, library, _ = edited(demo_copy)
    before = {p: p.read_bytes() for p in demo_copy.rglob("*") if p.is_file()}
    real, left = os.fsync, [allowed]

    def fsync(handle: int) -> None:
        if stat.S_ISREG(os.fstat(handle).st_mode):
            if left[0] == 0:
                raise OSError(errno.ENOSPC, "No space left on device")
            left[0] -= 1
        real(handle)

    monkeypatch.setattr(atomic.os, "fsync", fsync)
    with pytest.raises(WriteFailed, match="disk is full"):
        save_project(document.project, library.assets, demo_copy)
    monkeypatch.setattr(atomic.os, "fsync", real)
    assert not list(demo_copy.rglob("*.part"))
    for path, data in before.items():
        assert path.read_bytes() == data
    save_project(document.project, library.assets, demo_copy)
    assert open_project(demo_copy).project == document.project


def test_writing_where_it_is_not_allowed_names_the_place(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("a file where a folder should be")
    with pytest.raises(WriteFailed, match="Choose another folder|choose another folder"):
        write_atomic(tmp_path / "file" / "project.json", b"{}")


KILLED = """
import os, sys, threading, time
from pathlib import Path
from jade_coat.files.project_folder import open_project, save_project
from jade_coat.mesh.painting import TILE, Paint, PaintMap
from jade_coat.stage.document import Document
from jade_coat.stage.merging import merged
from jade_coat.stage.packed_tree import TilePacker
from jade_coat.stage import edits
from jade_coat.stage.desk import Camera, Desk
from jade_coat.stage.project import SCHEMA_VERSION, Project
folder = Path(sys.argv[1])
opened = open_project(folder)
document = Document(opened.project)
print("ready", flush=True)
n = 0
while True:
    n += 1
    paint = document.project.prop("kiln_wall_prop").paint.whole().copy()
    paint[: n % 5000] = n % 65536
    document.do(edits.paint_prop(prop="kiln_wall_prop", paint=Paint.of(paint)))
    document.do(edits.rename_finish(finish="ash_wall", name=f"name {n}"))
    save_project(document.project, opened.assets, folder)
"""


@pytest.mark.parametrize("delay", [0.05, 0.11, 0.23, 0.31])
def test_sigkill_during_save_leaves_a_whole_project(demo_copy: Path, delay: float) -> None:
    process = subprocess.Popen([sys.executable, "-c", KILLED, str(demo_copy)], stdout=subprocess.PIPE, text=True)
    assert process.stdout is not None
    assert process.stdout.readline().strip() == "ready"
    time.sleep(delay)
    process.send_signal(signal.SIGKILL)
    assert process.wait() == -signal.SIGKILL
    process.stdout.close()
    opened = open_project(demo_copy)
    assert opened.problems == []
    assert opened.project.prop("kiln_wall_prop").paint is not None


def test_unsaved_work_of_a_killed_session_is_found_and_taken_over(demo_copy: Path, tmp_path: Path) -> None:
    script = KILLED.split('print("ready"')[0] + (
        'document.do(edits.rename_finish(finish="ash_wall", name="unsaved name"))\n'
        "from jade_coat.files.recovery import Recovery\n"
        "Recovery(Path(sys.argv[2])).store(document.project, opened.assets, folder)\n"
        "os.kill(os.getpid(), 9)\n"
    )
    base = tmp_path / "recovery"
    subprocess.run([sys.executable, "-c", script, str(demo_copy), str(base)], check=False, timeout=60)
    mine = Recovery(base)
    mine.store(open_project(demo_copy).project, Assets(demo_copy), demo_copy)  # a living session's is not offered
    found = mine.leftovers()
    assert [(f.name, f.home) for f in found] == [("Saltglaze Terrace", demo_copy)]
    assert recover(found[0]).project.finish("ash_wall").name == "unsaved name"
    assert open_project(demo_copy).project.finish("ash_wall").name == "Ash wall"
    mine.clear()
    assert not mine.folder.exists()
    (found[0].folder / "project.json").write_text("{")
    with pytest.raises(BadProject, match="The copy is kept in"):
        recover(found[0])


def test_equal_files_are_one_asset_whatever_their_name_holds() -> None:
    assets = Assets()
    a = assets.put("maps", "C:\\textures\\wall ünï.png", b"same")
    assert a == assets.put("maps", "C:\\textures\\wall ünï.png", b"same")
    assert asset_name("maps", "../../evil.png", b"x").startswith("maps/")
    assert assets.read(a) == b"same"
    with pytest.raises(MissingAsset, match="Import it again"):
        assets.read("maps/0000-none.png")


def test_asset_names_cover_maps_and_meshes(demo) -> None:
    names = asset_names(demo.project)
    assert sum(n.startswith("maps/") for n in names) == 26
    assert sum(n.startswith("meshes/") for n in names) == 4
    assert np.all([demo.library.assets.has(n) for n in names])


def test_packed_maps_are_kept_between_sessions_and_damaged_ones_made_again(
    demo_copy: Path, tmp_path: Path, monkeypatch
) -> None:
    from jade_coat.files import pack_cache

    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    opened = open_project(demo_copy)
    tile = opened.project.map_set("glazed_tile")
    made = Library(opened.assets).textures(tile)
    files = list(pack_cache.cache_folder().glob("*.npz"))
    assert len(files) == 1
    monkeypatch.setattr(pack_cache, "pack_set", lambda *_: pytest.fail("packed again"))
    kept = Library(opened.assets).textures(tile)
    assert [t.key for t in kept] == [t.key for t in made]
    assert [len(t.levels) for t in kept] == [len(t.levels) for t in made]
    monkeypatch.undo()
    monkeypatch.setenv("XDG_CACHE_HOME", str(tmp_path / "cache"))
    files[0].write_bytes(files[0].read_bytes()[:1000])
    assert [t.key for t in Library(opened.assets).textures(tile)] == [t.key for t in made]
    other = tile.with_(maps=tuple(m.with_(invert=m.role.value == "height") for m in tile.maps))
    assert Library(opened.assets).textures(other)[1].key != made[1].key


@pytest.mark.parametrize("version", sorted(MIGRATIONS))
def test_projects_of_every_older_format_open(version: int, tmp_path: Path) -> None:
    """A stored project of each format, as the program of its time wrote it."""
    stored = ROOT / "tests" / "data" / f"project_{version}.json"
    (tmp_path / "project.json").write_bytes(stored.read_bytes())
    opened = open_project(tmp_path)
    assert opened.project.schema_version == SCHEMA_VERSION
    old = json.loads(stored.read_text())
    assert {m.id for m in opened.project.materials} == {m["id"] for m in old["materials"]}
    if "camera" in old:
        assert opened.desk.camera.model_dump(mode="json") == old["camera"]
    for prop, was in zip(opened.project.props, old["props"], strict=True):
        angles = len(was["turn"]) == 3
        turned = Rotation.from_euler("xyz", was["turn"]) if angles else Rotation.from_quat(was["turn"])
        turn = turned.as_matrix() * was["size"]
        assert np.allclose(prop.matrix()[:3, :3], turn, atol=1e-9)
        assert np.allclose(prop.matrix()[:3, 3], was["position"])
        for rule, held in zip(prop.rules, was.get("rules", ()), strict=True):  # A was what B is, until format 4
            was_turned = (held.get("b", 1.0), held.get("a", 0.0))
            assert (rule.a, rule.b) == (was_turned if version < 4 else (held["a"], held["b"]))
    again = tmp_path / "again"
    save_project(opened.project, opened.assets, again)
    assert open_project(again).project == opened.project
