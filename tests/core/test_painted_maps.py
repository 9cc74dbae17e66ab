"""Paint on a map stands in for paint on vertices wherever a look is worked out: view, bake, coverage, section, files."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from jade_coat.bake.scene_bake import SceneBaker
from jade_coat.check.paint_costs import total, ways
from jade_coat.files.project_folder import open_project, save_project
from jade_coat.jobs.job import Job
from jade_coat.looking.coverage import coverage_shares
from jade_coat.looking.section import cut, trace
from jade_coat.mesh.attributes import mesh_numbers, mesh_streams
from jade_coat.mesh.brush import Brush
from jade_coat.mesh.canvas import MapCanvas, VertexCanvas
from jade_coat.mesh.painting import TILE, PaintMap
from jade_coat.mesh.stroke import Stroke
from jade_coat.mesh.transfer import map_from_vertices
from jade_coat.stage.project import Project, Prop
from jade_coat.stage.scene import build_scene
from jade_coat.view.camera import project as project_points
from jade_coat.view.camera import ray
from jade_coat.view.requests import Marks, Part
from tests.support import Demo, eye_for

WALL = "kiln_wall_prop"


@pytest.fixture(scope="module")
def on_map(demo: Demo) -> Project:
    """The demo with the wall's paint laid onto a map."""
    prop = demo.project.prop(WALL)
    made = map_from_vertices(demo.mesh(prop.mesh), prop.paint, 512, 16, 1)
    return with_prop(demo.project, prop.with_(paint_map=made))


def with_prop(project: Project, prop: Prop) -> Project:
    changed: Project = project.with_(props=tuple(prop if p.id == prop.id else p for p in project.props))
    return changed


def test_the_view_draws_a_map_as_it_draws_the_same_paint_on_vertices(renderer, demo: Demo, on_map: Project) -> None:
    eye = eye_for(demo.camera, 320, 200)
    renderer.scenes.set("stage", build_scene(demo.project, demo.mesh))
    before = renderer.picture("stage", eye, 320, 200).astype(int)
    paint = renderer.picture("stage", eye, 320, 200, ("paint:G",)).astype(int)
    renderer.assets.put_map(WALL, on_map.prop(WALL).paint_map.picture())
    renderer.scenes.set("stage", build_scene(on_map, demo.mesh))
    after = renderer.picture("stage", eye, 320, 200).astype(int)
    assert renderer.faults == {}
    assert np.abs(after - before).mean() < 1.0
    assert np.abs(renderer.picture("stage", eye, 320, 200, ("paint:G",)).astype(int) - paint).mean() < 1.5
    renderer.assets.patch_map(WALL, 256, 128, np.full((128, 64, 4), 65535, np.uint16))
    patched = renderer.picture("stage", eye, 320, 200, ("paint:G",)).astype(int)
    assert 50 < (patched[..., 0] > 250).sum() - (paint[..., 0] > 250).sum() < 20_000
    assert renderer.picture("stage", eye, 320, 200, ("channel:1",)).astype(int) == pytest.approx(patched, abs=1)
    renderer.scenes.set("stage", build_scene(demo.project, demo.mesh))


def test_bakes_coverage_and_sections_read_the_map(demo: Demo, on_map: Project) -> None:
    prop, mapped = demo.project.prop(WALL), on_map.prop(WALL)
    both = [SceneBaker(p, demo.library, 128, Job()).maps(p.prop(WALL), "surface") for p in (demo.project, on_map)]
    for name, vertices in both[0].values.items():
        assert np.abs(vertices - both[1].values[name]).mean() < 0.006, name
    bare = with_prop(on_map, mapped.with_(paint_map=PaintMap.even(16, 8, 1)))
    without = SceneBaker(bare, demo.library, 128, Job()).maps(bare.prop(WALL), "surface")
    assert np.abs(without.values["base_color"] - both[0].values["base_color"]).mean() > 0.012
    shares = [coverage_shares(p, demo.library, p.prop(WALL), "surface") for p in (demo.project, on_map, bare)]
    for coat, share in shares[0].items():
        assert shares[1][coat] == pytest.approx(share, abs=0.01)
    assert shares[2]["kiln_wall:moss"] < 0.3 * shares[0]["kiln_wall:moss"]
    eye = eye_for(demo.camera, 320, 200)
    directions = np.stack([ray(eye, x, 0.7)[1] for x in np.linspace(0.2, 0.6, 60)])
    line = trace(demo.mesh(prop.mesh), prop.matrix(), "surface", eye.position, directions)
    assert line is not None
    cuts = [
        cut(p, demo.library, p.prop(WALL), "surface", prop.finishes["surface"], line) for p in (demo.project, on_map)
    ]
    for first, second in zip(cuts[0].coats, cuts[1].coats, strict=True):
        assert np.abs(first.seen - second.seen).mean() < 0.03


def test_a_damaged_map_is_named_the_rest_opens_and_vertices_show_again(
    on_map: Project, demo: Demo, tmp_path: Path
) -> None:
    opened = open_project(demo.folder)
    save_project(on_map, opened.assets, tmp_path)
    again = open_project(tmp_path)
    assert again.problems == []
    assert again.project.prop(WALL).paint_map == on_map.prop(WALL).paint_map
    file = next((tmp_path / "paint").glob("*.png"))
    whole = file.read_bytes()
    for data in (whole[:200], b"no picture", b""):
        file.write_bytes(data)
        broken = open_project(tmp_path)
        assert any("painted map of Kiln wall" in p for p in broken.problems)
        assert not isinstance(broken.project.prop(WALL).paint_map, PaintMap)
        assert broken.project.prop(WALL).paint == on_map.prop(WALL).paint
        save_project(broken.project, broken.assets, tmp_path, broken.home)
        assert file.read_bytes() == data  # what could not be read is not thrown away
        save_project(on_map, opened.assets, tmp_path, open_project(tmp_path).home)
        assert open_project(tmp_path).problems == []  # and what is sound takes its place
    file.unlink()
    assert any("painted map of Kiln wall" in p for p in open_project(tmp_path).problems)


def test_what_each_way_costs_is_counted_on_the_scene(demo: Demo) -> None:
    """Equal props draw together, with paint on their vertices too, until one has a map: counted on a scene of ten."""
    jar = demo.project.prop("cream_jar").with_(paint=None)
    slot = next(iter(jar.finishes))
    many = tuple(jar.with_(id=f"jar{i}", name=f"Jar {i}", position=(float(i), 0, 0)) for i in range(10))
    project = demo.project.with_(props=many)
    found = {w.key: w for w in ways(project, many[3], slot, demo.mesh, side=256, bits=16)}
    n, slots = demo.mesh(jar.mesh).vertex_count, len(demo.mesh(jar.mesh).slots)
    assert (found["vertices"].nbytes, found["vertices"].many_bytes) == (8 * n, 80 * n)
    assert (found["vertices"].draws, found["vertices"].many_draws) == (0, 0)
    # one prop apart is one more draw a slot; when all ten are apart, none is left of the common one
    assert (found["map"].draws, found["map"].many_draws) == (slots, 9 * slots)
    assert (found["map"].nbytes, found["map"].many_bytes) == (256 * 256 * 8, 10 * 256 * 256 * 8)
    assert found["dial"].draws == found["dial"].many_draws == found["finish"].draws == 0
    assert found["dial"].many_bytes > found["finish"].many_bytes >= 0
    assert total(project, demo.mesh).draws == slots


@pytest.mark.parametrize("look", ["lit", "paint:G"])
@pytest.mark.parametrize("marked", [False, True])
@pytest.mark.parametrize("kind", ["vertices", "map"])
def test_a_picture_of_what_changed_alone_is_the_whole_picture(
    renderer, demo: Demo, on_map: Project, kind: str, marked: bool, look: str
) -> None:
    """With edges and colours over it too, and of a channel."""
    project = demo.project if kind == "vertices" else on_map
    prop, mesh = project.prop(WALL), demo.mesh(demo.project.prop(WALL).mesh)
    canvas = VertexCanvas(mesh, prop.paint) if kind == "vertices" else MapCanvas(mesh, prop.paint_map)
    eye = eye_for(demo.camera, 320, 200)
    if kind == "map":
        renderer.assets.put_map(WALL, prop.paint_map.picture())
    renderer.scenes.set("stage", build_scene(project, demo.mesh))
    over = Marks(prop.mesh, prop.matrix(), edges=True, radius=0.2) if marked else None
    if marked:
        streams = mesh_streams(mesh, ("curvature", "edge"))
        renderer.assets.put_mesh(prop.mesh, streams, mesh.triangles, mesh_numbers(mesh))
    wishes = {"looks": (look,), "marks": over}
    before = renderer.picture("stage", eye, 320, 200, **wishes)
    for side in ("left", "right"):
        renderer.picture("stage", eye, 320, 200, **wishes, stream=side)
    stroke = Stroke(canvas)
    middle = mesh.positions[mesh.vertex_count // 2].astype(float)
    stroke.dab(middle, np.array([0.0, 0.0, 1.0]), Brush(0.3, 1.0, "flat", channels=(1,)))
    for tile, values in stroke.fresh().items():
        if isinstance(canvas, MapCanvas):
            column, row = canvas.map.corner(tile)
            renderer.assets.patch_map(WALL, column, row, values.reshape(64, 64, 4))
        else:
            renderer.assets.patch_paint(WALL, tile * TILE, values)
    numbers = stroke.fresh_triangles()
    corners = mesh.triangles[numbers]
    seen = project_points(eye, mesh.positions[corners.ravel()] @ prop.matrix()[:3, :3].T + prop.matrix()[:3, 3])
    box = (*seen.min(axis=0), *seen.max(axis=0))
    part = renderer.picture("stage", eye, 320, 200, **wishes, part=Part(WALL, numbers, corners, box))
    assert (part != before).any()
    change, line = Part(WALL, numbers, corners, box), round((box[0] + box[2]) * 160)
    sides = {"left": change.between(0.0, line / 320), "right": change.between(line / 320, 1.0)}
    left, right = (renderer.picture("stage", eye, 320, 200, **wishes, stream=s, part=p) for s, p in sides.items())
    assert np.array_equal(np.concatenate([left[:, :line], right[:, line:]], axis=1), part)
    assert np.array_equal(left[:, line + 3 :], before[:, line + 3 :])  # and what is not seen cost nothing
    renderer.set_shared({})  # whatever it was drawn from may be another now: the next picture is drawn whole
    assert np.array_equal(
        renderer.picture("stage", eye, 320, 200, **wishes, part=Part(WALL, numbers[:1], corners[:1], box)), part
    )
    for sample in range(1, 4):
        fine = renderer.picture("stage", eye, 320, 200, **wishes, sample=sample)
    again = renderer.picture("stage", eye, 320, 200, **wishes, part=Part(WALL, numbers, corners, box))
    x, y = np.meshgrid(np.arange(320) / 320, np.arange(200) / 200)
    outside = (x < box[0] - 0.02) | (x > box[2] + 0.02) | (y < box[1] - 0.03) | (y > box[3] + 0.03)
    assert np.array_equal(again[outside], fine[outside])  # a fine picture stays so where nothing has changed
    assert np.abs(again.astype(int) - fine).mean() < 2
    renderer.scenes.set("stage", build_scene(demo.project, demo.mesh))
