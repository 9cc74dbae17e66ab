"""The command line: every job without a window, exit codes, one clear line for errors."""

from __future__ import annotations

import json
import shutil
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest

from jade_coat.cli import main
from jade_coat.files.gltf_writer import mesh_glb
from jade_coat.files.library import Library
from jade_coat.files.project_folder import open_project
from jade_coat.maps.images import read_image
from jade_coat.mesh.makers import Bush
from jade_coat.mesh.subdivide import subdivided
from tests.support import assert_valid_glb


def run(*arguments: object, capsys) -> tuple[int, str, str]:
    code = main([str(a) for a in arguments])
    out = capsys.readouterr()
    return code, out.out, out.err


def test_info_tells_what_is_there(demo_folder: Path, capsys) -> None:
    code, out, _ = run("info", demo_folder, "--json", capsys=capsys)
    found = json.loads(out)
    assert code == 0
    wall = next(m for m in found["materials"] if m["id"] == "kiln_wall")
    assert wall["coats"] == ["Celadon tile", "Lime plaster", "Joint moss"]
    assert wall["fetches"] == 7
    assert wall["live"] == []
    assert wall["props"] == 2
    assert found["problems"] == []
    code, out, _ = run("info", demo_folder, "--scores", capsys=capsys)
    assert "12 dials" in out
    assert "Kiln wall repeats 0.7" in out


def test_bake_export_and_glsl_write_files(demo_folder: Path, tmp_path: Path, capsys) -> None:
    code, out, _ = run(
        "bake", demo_folder, "--finish", "Ash wall", "--size", 32, "--out", tmp_path / "b", capsys=capsys
    )
    assert code == 0
    assert len(out.split()) == 4
    assert read_image(Path(out.split()[0]).read_bytes(), "x").shape == (32, 32, 3)
    code, _, _ = run("export", demo_folder, "--glb", tmp_path / "e.glb", "--size", 32, capsys=capsys)
    assert code == 0
    assert_valid_glb(tmp_path / "e.glb")
    code, out, _ = run("glsl", demo_folder, "--material", "jar_glaze", "--out", tmp_path / "g", capsys=capsys)
    assert code == 0
    assert (tmp_path / "g" / "material.frag").is_file()


@pytest.mark.parametrize(
    "words",
    [
        ["info", "{none}"], ["bake", "{demo}", "--finish", "no such", "--out", "{out}"],
        ["bake", "{demo}", "--finish", "ash_wall", "--prop", "nobody", "--out", "{out}"],
        ["bake", "{demo}", "--finish", "ash_wall", "--size", "7", "--out", "{out}"],
        ["glsl", "{demo}", "--material", "gold", "--out", "{out}"],
        ["shot", "{demo}", "--size", "huge", "--out", "{out}/x.png"],
        ["shot", "{demo}", "--workspace", "Kitchen", "--out", "{out}/x.png"], ["demo", "{full}"],
    ],
)  # fmt: skip
def test_failures_exit_with_1_and_one_line_on_stderr(demo_folder: Path, tmp_path: Path, capsys, words) -> None:
    full = tmp_path / "full"
    full.mkdir()
    (full / "thesis.txt").write_text("not yours to overwrite")
    places = {"none": tmp_path / "none", "demo": demo_folder, "out": tmp_path / "out", "full": full}
    code, out, err = run(*(w.format(**places) for w in words), capsys=capsys)
    assert code == 1
    assert out == ""
    assert err.count("\n") == 1
    assert err.startswith("jade-coat: ")
    assert not (tmp_path / "out").exists()
    assert [p.name for p in full.iterdir()] == ["thesis.txt"]


def test_the_core_works_without_qt(demo_folder: Path, tmp_path: Path) -> None:
    """Import every module outside app/ and bake, with PyQt6 blocked."""
    script = """
import sys
class Block:
    def find_spec(self, name, path=None, target=None):
        if name.split(".")[0] == "PyQt6":
            raise ImportError("PyQt6 is blocked here")
sys.meta_path.insert(0, Block())
import importlib, pkgutil, jade_coat
for module in pkgutil.walk_packages(jade_coat.__path__, "jade_coat."):
    if not module.name.startswith("jade_coat.app"):
        importlib.import_module(module.name)
from jade_coat.cli import main
raise SystemExit(main(sys.argv[1:]))
"""
    words = ["bake", str(demo_folder), "--finish", "cream_jar", "--size", "16", "--out", str(tmp_path)]
    result = subprocess.run([sys.executable, "-c", script, *words], capture_output=True, text=True, check=False)
    assert result.returncode == 0, result.stderr
    assert len(list(tmp_path.glob("*.png"))) == 8


def test_a_shot_is_the_real_window(demo_folder: Path, tmp_path: Path) -> None:
    out = tmp_path / "build.png"
    words = ["shot", str(demo_folder), "--workspace", "build", "--size", "960x640", "--out", str(out)]
    result = subprocess.run(
        [sys.executable, "-m", "jade_coat.cli", *words], capture_output=True, text=True, check=False
    )
    assert result.returncode == 0, result.stderr
    picture = read_image(out.read_bytes(), "build.png")
    assert picture.shape[:2] == (640, 960)
    view = picture[100:240, 290:480, :3].astype(float)
    assert view.std() > 25  # the scene is there
    assert (view[..., 1] > view[..., 0] + 10).mean() > 0.25  # and mostly celadon


def test_paint_is_filled_by_rule_and_carried_over_to_another_mesh(demo_folder: Path, tmp_path: Path, capsys) -> None:
    folder = tmp_path / "p"
    shutil.copytree(demo_folder, folder)
    rule = '{"measure": "height", "range": [0.0, 2.0], "channels": [2]}'
    assert main(["fill", str(folder), "--prop", "kiln_wall_prop", "--rule", rule]) == 0
    opened = open_project(folder)
    mesh = Library(opened.assets).mesh_by_id(opened.project, "kiln_wall")
    expected = np.clip(mesh.positions[:, 1] / 2, 0, 1)
    np.testing.assert_allclose(opened.project.prop("kiln_wall_prop").paint.whole()[:, 2] / 65535, expected, atol=1e-4)
    (tmp_path / "finer.glb").write_bytes(mesh_glb(subdivided(mesh).mesh, "wall"))
    assert main(["reimport", str(folder), "--mesh", "kiln_wall", "--file", str(tmp_path / "finer.glb")]) == 0
    assert "keep their paint" in capsys.readouterr().out
    again = open_project(folder)
    finer = Library(again.assets).mesh_by_id(again.project, "kiln_wall")
    painted = again.project.prop("kiln_wall_prop").paint.whole()[:, 2] / 65535
    np.testing.assert_allclose(painted, np.clip(finer.positions[:, 1] / 2, 0, 1), atol=0.02)
    assert main(["fill", str(folder), "--prop", "kiln_wall_prop"]) == 1
    assert "keeps no rules" in capsys.readouterr().err


def test_make_places_a_bush_and_makes_it_anew_and_names_what_it_does_not_know(demo_copy, capsys) -> None:
    code, out, _ = run("make", demo_copy, "--name", "Hedge", "--set", "count=30", "radii=1,0.4,0.3",
                       "--finish", "Cream jar", capsys=capsys)  # fmt: skip
    assert code == 0
    assert "hedge (prop): 30 cards, 360 triangles" in out
    project = open_project(demo_copy).project
    assert project.mesh("hedge").made == Bush(count=30, radii=(1.0, 0.4, 0.3))
    assert project.prop("hedge").finishes == {"surface": "cream_jar"}
    code, out, _ = run("make", demo_copy, "Hedge", "--set", "seed=5", capsys=capsys)
    assert code == 0
    made = open_project(demo_copy).project.mesh("hedge")
    assert made.made == Bush(count=30, radii=(1.0, 0.4, 0.3), seed=5)
    assert made.asset != project.mesh("hedge").asset
    for wrong, words in (
        (("Hedge", "--set", "leaves=3"), "there are atlas, cells_by, columns"), (("kiln_wall",), "those that are: hedge"),
        (("Hedge", "--set", "count=many"), "'many' is no number"), (("Hedge", "--set", "count=0"), "count"),
    ):  # fmt: skip
        code, out, error = run("make", demo_copy, *wrong, capsys=capsys)
        assert code != 0
        assert words in error
