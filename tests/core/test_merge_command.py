"""Merging from the command line: whole folders, and as git's merge driver."""

from __future__ import annotations

import json
import shutil
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

from jade_coat.cli import main
from jade_coat.files.project_folder import open_project, save_project
from jade_coat.stage import edits
from jade_coat.stage.document import Document
from tests.core.test_merging import GROUND, laid, land
from tests.support import every_kind_of_project


@pytest.fixture
def base(tmp_path: Path) -> Path:
    project, assets = every_kind_of_project()
    save_project(project, assets, tmp_path / "base")
    return tmp_path / "base"


def change(folder: Path, *steps) -> None:
    opened = open_project(folder)
    document = Document(opened.project)
    for step in steps:
        document.put("", step(document.project)) if callable(step) else document.do(step)
    save_project(document.project, opened.assets, folder, opened.home)


LAYER = GROUND.layers[1].id


def test_three_folders_are_merged_into_ours(base: Path, tmp_path: Path, capsys) -> None:
    ours, theirs = tmp_path / "ours", tmp_path / "theirs"
    for folder in (ours, theirs):
        shutil.copytree(base, folder)
    change(ours, edits.set_wind(strength=0.9), lambda p: land(p, slice(0, 4), 7.5))
    change(theirs, edits.rename_finish(finish="g0", name="Theirs"), lambda p: laid(p, slice(8, 12), LAYER, 200))
    assert main(["merge", str(base), str(ours), str(theirs)]) == 0
    opened = open_project(ours)
    assert opened.problems == []
    ground = opened.project.grounds.first
    assert (opened.project.wind.strength, opened.project.finish("g0").name) == (0.9, "Theirs")
    assert (ground.heights.pages.whole()[:4, :6] == 7.5).all()
    assert (ground.weights[LAYER].whole()[8:12] == 200).all()
    change(theirs, edits.set_wind(strength=0.2))
    change(ours, edits.set_wind(strength=0.4))
    capsys.readouterr()
    assert main(["merge", str(base), str(ours), str(theirs), "--json"]) == 3
    assert json.loads(capsys.readouterr().out)["collisions"] == [
        {"where": "The wind: strength", "ours": "0.4", "theirs": "0.2"}
    ]
    assert open_project(ours).project.wind.strength == 0.4
    assert main(["merge", str(base), str(ours), str(theirs), "--prefer", "theirs"]) == 3
    assert open_project(ours).project.wind.strength == 0.2
    before = (ours / "project.json").read_bytes()
    (theirs / "project.json").write_text("{")
    assert main(["merge", str(base), str(ours), str(theirs)]) == 1
    assert (ours / "project.json").read_bytes() == before


def test_git_merges_two_branches_that_paint_one_ground(base: Path, tmp_path: Path) -> None:
    """With a real git: project.json by our driver, paint that lies on neither side's disk read from the versions."""

    def git(*words: str, code: int | None = 0) -> str:
        done = subprocess.run(["git", "-c", "user.name=A", "-c", "user.email=a@example.org", *words], cwd=base,
                              capture_output=True, text=True, timeout=300, check=False)  # fmt: skip
        assert code is None or done.returncode == code, done.stderr + done.stdout
        return done.stderr + done.stdout

    git("init", "-q", "-b", "main")
    git("config", "merge.jade-coat.driver", f"'{sys.executable}' -m jade_coat.cli merge %O %A %B --path %P")
    git("config", "merge.renames", "false")  # a tile that changes is another file, and no renamed one
    (base / ".gitattributes").write_text("project.json merge=jade-coat\n*.npy -merge\n")
    (base / ".gitignore").write_text(".jade-*\n")
    git("add", "-A")
    git("commit", "-qm", "base")
    git("checkout", "-qb", "other")
    change(base, lambda p: laid(p, slice(8, 12), LAYER, 200))
    git("add", "-A")
    git("commit", "-qm", "theirs")
    git("checkout", "-q", "main")
    change(base, lambda p: laid(p, slice(20, 24), LAYER, 100), edits.set_wind(strength=0.9))
    git("add", "-A")
    git("commit", "-qm", "ours")
    git("merge", "-s", "recursive", "other", "-m", "both")
    opened = open_project(base)
    assert opened.problems == []
    whole = opened.project.grounds.first.weights[LAYER].whole()
    assert (whole[8:12] == 200).all()
    assert (whole[20:24] == 100).all()
    assert opened.project.wind.strength == 0.9
    assert np.array_equal(whole[:8], every_kind_of_project()[0].grounds.first.weights[LAYER].whole()[:8])


def test_a_mark_of_another_machine_is_lifted(base: Path, capsys) -> None:
    (base / ".jade-open").write_text(json.dumps({"process": 7, "start": "1", "host": "kiln-2"}))
    assert main(["lift", str(base)]) == 0
    assert "kiln-2" in capsys.readouterr().out
    assert main(["lift", str(base)]) == 0
    assert "Nobody" in capsys.readouterr().out
