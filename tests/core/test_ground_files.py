"""What is handed over of a ground: read again by general libraries, it says what the ground says."""

from __future__ import annotations

import csv
import io
import json
from pathlib import Path

import cv2
import numpy as np
import pygltflib
import pytest
import rasterio

from jade_coat.bake.ground_files import GroundFiles, hand_over
from jade_coat.cli import main
from jade_coat.files.assets import Assets
from jade_coat.files.atomic import WriteFailed
from jade_coat.files.gltf_writer import mesh_glb
from jade_coat.files.library import Library
from jade_coat.files.project_folder import BadProject, open_project, save_project
from jade_coat.ground.heights import Heights
from jade_coat.ground.pages import Pages
from jade_coat.ground.paths import GroundPath
from jade_coat.ground.pieces import Pieces
from jade_coat.ground.scatter import Scatter
from jade_coat.jobs.job import Cancelled, Job
from jade_coat.looking.ground_look import GroundLook
from jade_coat.maps.color import to_srgb
from jade_coat.maps.images import png_bytes
from jade_coat.maps.mapset import MapFile, MapSet
from jade_coat.material.quantity import OUTPUTS
from jade_coat.material.stacking import GroundLayer
from jade_coat.material.surface import Role, Surface
from jade_coat.mesh import shapes
from jade_coat.stage.mesh_assets import MeshAsset
from jade_coat.stage.project import Project, Prop
from jade_coat.stage.scene import SceneColumns
from jade_coat.view.camera import eye_of
from tests.core.test_ground_view import COLORS, drawn, plain, random_weights
from tests.support import every_kind_of_project, gltf_issues


def a_ground(seed: int = 3) -> tuple[Project, Library]:
    """A hollow with three plain layers, damp in its middle, and boxes strewn on one of them."""
    z, x = np.mgrid[0:65, 0:65] / 64 * 8 - 4
    heights = Heights.of((0.12 * (x * x + z * z)).astype(np.float32), (8.0, 8.0))
    assets = Assets()
    box = shapes.box(0.2, 0.3, 0.2)
    mesh = MeshAsset(
        id="box", name="Box", asset=assets.put("meshes", "box.glb", mesh_glb(box, "box")), slots=("surface",)
    )
    project = plain(heights, random_weights(np.random.default_rng(seed)))
    ground = project.grounds.first
    damp = GroundLayer(id="damp", name="Damp", way="absolute", role="damp", stands=0.5)
    painted = np.zeros((33, 33), np.uint8)
    painted[14:19, 14:19] = 200
    made = ground.with_(
        layers=(*ground.layers, damp), weights={**ground.weights, "damp": Pages.of(painted)}, middle=(2.0, -1.0),
        paths=(GroundPath(id="w", name="Way", points=((1.0, 1.0), (7.0, 2.0)), width=0.7), GroundPath(id="n", name="None")),
        scatter=(Scatter(id="s", name="Boxes, small", layer="red", mesh="box", density=4.0, dial="", clear=0.0),),
    )  # fmt: skip
    return project.with_(grounds=(made,), meshes=(mesh,)), Library(assets)


def test_its_numbers_are_those_of_the_picture(renderer) -> None:
    """The NumPy meaning that is baked, against what the renderer draws of the same flat ground from above."""
    rng = np.random.default_rng(8)
    flat = Heights.of(np.zeros((65, 65), np.float32), (8.0, 8.0))
    project = plain(flat, random_weights(rng), blue={"way": "over"})
    drawn(renderer, project)
    side = 120
    eye = eye_of(np.array([0.0, 30.0, 0.001]), np.zeros(3), 0.22, 1.0)
    picture = renderer.picture("ground", eye, side, side, ("base_color",), stream="above")[..., :3] / 255.0
    half = 30.0 * np.tan(0.11)
    at = ((np.arange(side) + 0.5) / side * 2 - 1) * half
    x, z = np.meshgrid(at, at)
    look = GroundLook(project, Library(Assets()), project.grounds.first)
    found = look.at(np.stack([x.ravel() + 4, z.ravel() + 4], axis=1), ["base_color"])["base_color"]
    off = np.abs(to_srgb(found).reshape(side, side, 3) - picture).max(axis=-1)
    assert np.quantile(off, 0.97) < 2.5 / 255
    assert np.median(off) < 1 / 255


def test_every_file_says_what_the_ground_says(tmp_path: Path) -> None:
    project, library = a_ground()
    ground = project.grounds.first
    wanted = GroundFiles(baked="512", grid="65")
    written = hand_over(project, library, "g", wanted, tmp_path, Job())
    assert {p.name for p in written.paths} == {p.name for p in tmp_path.iterdir()}
    sheet = json.loads((tmp_path / "ground.json").read_text())
    with rasterio.open(tmp_path / sheet["heights"]["file"]) as file:
        assert np.array_equal(file.read(1), ground.heights.whole)
    assert [entry["name"] for entry in sheet["layers"]] == [layer.name for layer in ground.layers]
    for entry, layer in zip(sheet["layers"], ground.layers, strict=True):
        picture = cv2.imread(str(tmp_path / entry["file"]), cv2.IMREAD_UNCHANGED)[..., [2, 1, 0, 3]]
        assert np.array_equal(picture[..., "rgba".index(entry["channel"])], ground.weights[layer.id].whole())
    (path,) = sheet["paths"]
    assert (path["name"], path["width_metres"], path["closed"]) == ("Way", 0.7, False)
    line = np.array(path["line"])
    # The ground lies round (2, -1), 8 m wide, and its bowl is 0.12 r² high: by hand.
    assert np.allclose(line[[0, -1]], [[-1.0, 2.16, -4.0], [5.0, 1.56, -3.0]], atol=0.01)
    assert np.allclose(line[:, 1], 0.12 * ((line[:, 0] - 2) ** 2 + (line[:, 2] + 1) ** 2), atol=0.01)
    color = cv2.imread(str(tmp_path / sheet["baked"]["base_color"]))[..., ::-1] / 255.0
    assert color.shape == (512, 512, 3)
    puddles = cv2.imread(str(tmp_path / sheet["puddles"]["file"]), cv2.IMREAD_UNCHANGED) / 255.0
    at = (np.arange(512) + 0.5) / 512 * 8 - 4
    away = np.hypot(*np.meshgrid(at, at))
    # The hollow spills at 1.92 m in the middle of its edges; 200 of 255 damp above a half fill it to 0.57 of that.
    shore = np.sqrt((200 / 255 - 0.5) / 0.5 * 0.12 * 16 / 0.12)
    assert puddles[away < shore - 0.35].min() > 0.95
    assert puddles[away > shore + 0.35].max() < 0.05
    dry = (away > shore + 0.35) & (np.abs(at)[None] < 3.9) & (np.abs(at)[:, None] < 3.9)
    shown = to_srgb(np.array(list(COLORS.values())))
    assert color[dry].min() >= shown.min() - 0.01
    assert color[dry].max() <= shown.max() + 0.01
    normal = cv2.imread(str(tmp_path / sheet["baked"]["normal"]))[..., ::-1] / 255.0 * 2 - 1
    assert normal[dry][:, 2].min() > 0.98, "what is smooth is as the mesh is"


def test_the_glb_holds_the_land_and_every_piece_where_it_stands(tmp_path: Path) -> None:
    project, library = a_ground()
    ground = project.grounds.first
    hand_over(project, library, "g", GroundFiles(baked="", grid="65"), tmp_path, Job())
    sheet = json.loads((tmp_path / "ground.json").read_text())
    issues = gltf_issues(tmp_path / sheet["glb"])
    assert issues["numErrors"] == 0, issues
    file = pygltflib.GLTF2().load(str(tmp_path / sheet["glb"]))

    def array(accessor: int) -> np.ndarray:
        told = file.accessors[accessor]
        view = file.bufferViews[told.bufferView]
        width = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4}[told.type]
        start = (view.byteOffset or 0) + (told.byteOffset or 0)
        return np.frombuffer(file.binary_blob(), np.float32, told.count * width, start).reshape(-1, width)

    land, strewn = file.nodes
    places = array(file.meshes[land.mesh].primitives[0].attributes.POSITION)
    corner = np.array(ground.corner)
    assert np.allclose(places[:, 1], ground.heights.at(places[:, [0, 2]] - corner), atol=2e-3)
    assert np.allclose(places.min(axis=0)[[0, 2]], corner, atol=1e-4)
    assert "EXT_mesh_gpu_instancing" in file.extensionsRequired
    told = strewn.extensions["EXT_mesh_gpu_instancing"]["attributes"]
    columns = SceneColumns(lambda p, m: library.mesh_by_id(p, m))
    columns.update(project)
    pieces = Pieces.joined(columns.strewing.pieces("g", "s").values())
    assert len(pieces) > 30
    assert np.allclose(array(told["TRANSLATION"]), pieces.matrices[:, :, 3], atol=1e-5)
    x, y, z, w = array(told["ROTATION"]).astype(np.float64).T
    up = np.stack([2 * (x * y - z * w), 1 - 2 * (x * x + z * z), 2 * (y * z + x * w)], axis=1)
    size = array(told["SCALE"])[:, :1]
    assert np.allclose(up * size, pieces.matrices[:, :, 1], atol=1e-4)
    rows = list(csv.DictReader(io.StringIO((tmp_path / sheet["strewn"]["csv"]).read_text())))
    assert len(rows) == sheet["strewn"]["pieces"] == len(pieces)
    assert np.allclose([[float(r[c]) for c in "xyz"] for r in rows], pieces.matrices[:, :, 3], atol=1e-4)
    assert {r["scatter"] for r in rows} == {"Boxes, small"}
    (listed,) = json.loads((tmp_path / sheet["strewn"]["json"]).read_text())
    assert len(listed["pieces"]) == len(pieces)
    assert len(listed["pieces"][0]) == len(listed["columns"])


def test_nothing_is_written_where_it_is_stopped_or_cannot_be_and_the_command_line_does_the_same(
    tmp_path: Path, capsys
) -> None:
    project, library = a_ground()
    job = Job()
    job.cancel()
    with pytest.raises(Cancelled):
        hand_over(project, library, "g", GroundFiles(), tmp_path / "stopped", job)
    (tmp_path / "file").write_text("in the way")
    with pytest.raises(WriteFailed):
        hand_over(project, library, "g", GroundFiles(baked="", grid="", strewn=""), tmp_path / "file", Job())
    assert sorted(p.name for p in tmp_path.iterdir()) == ["file"]
    save_project(project, library.assets, tmp_path / "project")
    few = ["--heights", ".npy", "--baked", "no", "--grid", "no", "--strewn", "tables", "--puddles", "no"]
    assert main(["ground", str(tmp_path / "project"), "--out", str(tmp_path / "out"), *few]) == 0
    assert len(capsys.readouterr().out.splitlines()) == len(list((tmp_path / "out").iterdir())) == 5
    assert np.array_equal(np.load(tmp_path / "out" / "G_heights.npy"), project.grounds.first.heights.whole)
    assert main(["ground", str(tmp_path / "project"), "--out", str(tmp_path / "out"), "--ground", "other"]) == 1


def test_whatever_a_material_reads_of_a_mesh_it_is_given_something_for_on_a_ground() -> None:
    """Every finish of a project of every kind, as a layer: what its program still reads is a place alone."""
    project, assets = every_kind_of_project()
    ground = project.grounds.first
    library = Library(assets)
    for finish in (*project.finishes, *project.materials):
        layers = (ground.layers[0].with_(finish=finish.id), *ground.layers[1:])
        dressed = project.with_(grounds=project.grounds.with_(ground.with_(layers=layers)))
        look = GroundLook(dressed, library, dressed.grounds.first)
        found = look.at(np.array([[3.0, 4.0], [7.5, 2.0]]), OUTPUTS)
        assert all(np.isfinite(v).all() for v in found.values()), finish.name


def test_from_afar_a_layer_is_laid_larger_and_mirrors_less_at_a_slant_and_near_it_is_as_it_was() -> None:
    rng = np.random.default_rng(2)
    assets = Assets()
    picture = assets.put("maps", "c.png", png_bytes(rng.integers(0, 255, (64, 64, 3)).astype(np.uint8)))
    maps = MapSet(id="c", name="C", maps=(MapFile(role=Role.BASE_COLOR, asset=picture, file="c.png"),))
    flat = Heights.of(np.zeros((65, 65), np.float32), (8.0, 8.0))
    project = plain(flat, {n: np.full((33, 33), 255 if n == "red" else 0, np.uint8) for n in COLORS})
    red = project.materials[0]
    laid = Surface(map_set="c", tile_size=1.0, placement="planar", space="world")
    project = project.with_(
        map_sets=(maps,), materials=(red.with_(coats=(red.coats[0].with_(surface=laid),)), *project.materials[1:])
    )
    library, places = Library(assets), rng.uniform(3, 5, (300, 2))

    def seen(eye: tuple[float, float, float], **changes) -> dict[str, np.ndarray]:
        ground = project.grounds.first
        base = ground.layers[0].with_(**{k: v for k, v in changes.items() if k != "tile"})
        dressed = project
        if "tile" in changes:
            surface = laid.with_(tile_size=changes["tile"])
            first = project.materials[0]
            dressed = project.with_(
                materials=(first.with_(coats=(first.coats[0].with_(surface=surface),)), *project.materials[1:])
            )
        dressed = dressed.with_(grounds=(ground.with_(layers=(base, *ground.layers[1:])),))
        return GroundLook(dressed, library, dressed.grounds.first, eye).at(places, ["base_color", "specular"])

    larger = {"far": "larger", "far_size": 4.0, "far_from": (10.0, 30.0)}
    near, far = (0.0, 4.0, 0.0), (0.0, 90.0, 0.0)
    assert np.allclose(seen(near, **larger)["base_color"], seen(near)["base_color"], atol=1e-5)
    assert np.allclose(seen(far, **larger)["base_color"], seen(far, tile=4.0)["base_color"], atol=1e-5)
    assert np.abs(seen(far, **larger)["base_color"] - seen(far)["base_color"]).mean() > 0.05
    level = (120.0, 1.0, 0.0)
    assert seen(level, glint=0.0)["specular"].max() < 0.2 < seen(level)["specular"].min()
    assert np.allclose(seen(far, glint=0.0)["specular"], seen(far)["specular"], atol=0.01), "not from straight above"
    assert np.allclose(seen((3.0, 1.0, 0.0), glint=0.0)["specular"], seen(near)["specular"], atol=0.05), "nor near"
    bare, dull = seen(near), seen(near, dull=0.5)
    # Luminance by Rec. 709; a grey card gives back 0.18 of the light (common practice, no source).
    bright = np.clip(bare["base_color"] @ [0.2126, 0.7152, 0.0722] / 0.18, 0, 1)
    assert bright.min() < 0.7
    assert np.allclose(dull["specular"][:, 0], bare["specular"][:, 0] * (0.5 + 0.5 * bright), atol=1e-4)


def test_what_is_of_a_mesh_that_a_file_does_not_list_stays_and_is_named(tmp_path: Path) -> None:
    project, library = a_ground()
    project = project.with_(props=(Prop(id="p", name="A post", mesh="box"), Prop(id="q", name="Lost", mesh="box")))
    save_project(project, library.assets, tmp_path)
    data = json.loads((tmp_path / "project.json").read_text())
    data["props"][1]["mesh"] = "nowhere"
    data["grounds"][0]["scatter"].append(
        {**data["grounds"][0]["scatter"][0], "id": "t", "name": "Ghosts", "mesh": "gone"}
    )
    (tmp_path / "project.json").write_text(json.dumps(data))
    opened = open_project(tmp_path)
    assert [p.name for p in opened.project.props] == ["A post", "Lost"]
    assert [s.name for s in opened.project.grounds.first.scatter] == ["Boxes, small", "Ghosts"]
    assert any("Lost" in line for line in opened.problems)
    assert any("Ghosts on G" in line for line in opened.problems)
    SceneColumns(lambda p, m: library.mesh_by_id(p, "box")).update(opened.project)  # as a box stands in


@pytest.mark.parametrize(
    ("part", "name", "value", "said"),
    [("scatter", "density", 0.0, "Density must lie between"), ("scatter", "size", [0.0, 2.0], "Size must lie between"),
     ("layers", "soft", 99.0, "Edge must lie between"), ("scatter", "layer", "none", "on a layer that is not there")],
)  # fmt: skip
def test_numbers_out_of_their_limits_in_a_file_are_refused_by_name(
    tmp_path: Path, part: str, name: str, value: object, said: str
) -> None:
    project, library = a_ground()
    save_project(project, library.assets, tmp_path)
    data = json.loads((tmp_path / "project.json").read_text())
    data["grounds"][0][part][0][name] = value
    (tmp_path / "project.json").write_text(json.dumps(data))
    with pytest.raises(BadProject, match=said):
        open_project(tmp_path)
