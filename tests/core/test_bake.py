"""Baking and export: against the program itself, the validator, and meshes from elsewhere."""

from __future__ import annotations

import io
import os
import signal
import threading
import time
from pathlib import Path

import cv2
import numpy as np
import pygltflib
import pytest
import trimesh

from jade_coat.bake import baker
from jade_coat.bake.baker import Look, bake_slot
from jade_coat.bake.exporting import bake_to_folder, export_glb
from jade_coat.bake.raster import cover
from jade_coat.bake.scene_bake import SceneBaker
from jade_coat.bake.unwrap import bake_mesh
from jade_coat.files.assets import Assets
from jade_coat.files.glsl_bundle import write_bundle
from jade_coat.files.gltf_reader import read_gltf
from jade_coat.files.library import Library
from jade_coat.files.mesh_files import read_mesh
from jade_coat.jobs.apart import WorkDied, apart
from jade_coat.jobs.job import Cancelled, Job
from jade_coat.looking.attributes import instance_values
from jade_coat.looking.coverage import coverage_shares
from jade_coat.maps.images import png_bytes, read_image
from jade_coat.maps.mapset import MapSet
from jade_coat.material.material import Coat, Finish, Material
from jade_coat.material.rows import field_values
from jade_coat.material.seam import Seam
from jade_coat.material.surface import NoMaps, Surface
from jade_coat.material.where import PaintTerm
from jade_coat.mesh import shapes
from jade_coat.mesh.data import FULL
from jade_coat.program.numpy_backend import Environment, evaluate
from jade_coat.stage.project import Project, Prop
from jade_coat.stage.turns import turn_of
from tests.support import NODE, assert_valid_glb


def plain_look(**surface) -> Look:
    material = Material(id="m", name="M", coats=(Coat(id="c", name="C", surface=Surface(**surface)),))
    return Look(material, field_values(material), NoMaps(), {})


@pytest.mark.parametrize(
    "make", [lambda: shapes.box(1, 1, 1), lambda: shapes.ball(0.5, 32), lambda: shapes.post(0.3, 1, 0.05, 0.05)]
)
def test_unwrapping_gives_uvs_without_overlap_and_keeps_the_shape(make) -> None:
    mesh = make()
    made = bake_mesh(mesh)
    for slot, old in zip(made.mesh.slots, mesh.slots, strict=True):
        run = made.mesh.triangles[slot.start : slot.start + slot.count]
        uv = made.mesh.uvs[0]
        assert uv.min() >= 0
        assert uv.max() <= 1
        coverage = cover(uv, run, 256)
        assert coverage.overlap < 0.006
        assert coverage.filled > 0.3
        assert slot.name == old.name
    np.testing.assert_allclose(made.mesh.positions, mesh.positions[made.source])
    area = [float(trimesh.Trimesh(m.positions, m.triangles, process=False).area) for m in (mesh, made.mesh)]
    assert area[0] == pytest.approx(area[1], rel=1e-5)


def test_rasterised_weights_interpolate_positions() -> None:
    uv = np.array([[0.1, 0.1], [0.9, 0.2], [0.3, 0.95]])
    found = cover(uv, np.array([[0, 1, 2]]), 64)
    rows, columns = np.nonzero(found.triangle >= 0)
    v, w = found.weights[rows, columns].T
    at = uv[0] * (1 - v - w)[:, None] + uv[1] * v[:, None] + uv[2] * w[:, None]
    np.testing.assert_allclose(at * 64, np.stack([columns, rows], axis=1) + 0.5, atol=1e-4)
    expected = abs(np.cross(uv[1] - uv[0], uv[2] - uv[0])) / 2
    assert found.filled == pytest.approx(float(expected), abs=0.01)


def test_overlaps_are_seen() -> None:
    uv = np.array([[0, 0], [1, 0], [0, 1], [0, 0], [1, 0], [0, 1.0]])
    assert cover(uv, np.array([[0, 1, 2], [3, 4, 5]]), 64).overlap > 0.8


def test_a_plain_look_bakes_to_its_own_values_with_flat_normals() -> None:
    mesh = shapes.ball(0.5, 48)
    made = bake_mesh(mesh)
    look = plain_look(color=(0.2, 0.4, 0.6), roughness=0.35, metallic=1.0)
    maps = bake_slot(mesh, made, made.mesh.slots[0], look, np.eye(4), None, 64, Job()).values
    np.testing.assert_allclose(maps["base_color"], np.broadcast_to((0.2, 0.4, 0.6), (64, 64, 3)), atol=1e-6)
    np.testing.assert_allclose(maps["roughness"], 0.35, atol=1e-6)
    np.testing.assert_allclose(maps["normal"], np.broadcast_to((0, 0, 1), (64, 64, 3)), atol=0.03)
    look = plain_look()
    with pytest.raises(ValueError, match="choose 16 to"):
        bake_slot(mesh, made, made.mesh.slots[0], look, np.eye(4), None, 9, Job())


def test_baked_texels_are_what_the_program_says_there(demo) -> None:
    """Texel centres are traced back by hand and evaluated without the baker's rasteriser or chunks."""
    prop = demo.project.prop("kiln_wall_prop")
    baker = SceneBaker(demo.project, demo.library, 128, Job())
    maps = baker.maps(prop, "surface").values
    look = baker._look(prop, "surface", "celadon_wall")
    mesh = demo.mesh(prop.mesh)
    low, high = mesh.uvs[0].min(axis=0), mesh.uvs[0].max(axis=0)
    rng = np.random.default_rng(0)
    rows, columns = rng.integers(4, 124, (2, 60))
    uv = ((np.stack([columns, rows], axis=1) + 0.5) / 128 - 0.004) / 0.992 * (high - low) + low
    count = (np.unique(mesh.uvs[0][:, 0]).size, np.unique(mesh.uvs[0][:, 1]).size)
    width, height = high - low
    s, t = uv[:, 0] / width, uv[:, 1] / height
    angle = (s - 0.5) * width / 4.2
    position = np.stack([4.2 * np.sin(angle), height * (1 - t), 4.2 * (1 - np.cos(angle))])
    grid = prop.paint.whole().reshape(count[1], count[0], 4).astype(np.float32) / FULL
    paint = cv2.remap(grid, (s * (count[0] - 1)).astype(np.float32)[None], (t * (count[1] - 1)).astype(np.float32)[None],
                      cv2.INTER_LINEAR)[0]  # fmt: skip
    from jade_coat.maps.sampling import reading

    attributes = {
        "position": position.astype(np.float32),
        "world_position": (position + np.array(prop.position)[:, None]).astype(np.float32), "uv0": uv.T.astype(np.float32), "color0": paint.T.copy(),
        "uv1": np.stack([s, t]).astype(np.float32),
        "normal": np.stack([-np.sin(angle), 0 * angle, np.cos(angle)]).astype(np.float32),
        "tangent": np.stack([np.cos(angle), 0 * angle, np.sin(angle), 1 + 0 * angle]).astype(np.float32),
    }  # fmt: skip
    program = look.program()
    best = np.full(60, 9.0)
    for level in range(4):  # the baker picks one level per texture
        numbers = evaluate(program, Environment(
            attributes=attributes, instance=instance_values(mesh, prop.seed), **reading(look.textures, lambda _, n=level: n)
        ))  # fmt: skip
        error = np.abs(numbers["base_color"].T - maps["base_color"][rows, columns]).max(axis=1)
        best = np.minimum(best, error)
    assert np.median(best) < 2e-3
    assert np.percentile(best, 90) < 0.05


@pytest.mark.parametrize("filled", [1.0, 0.95, 0.6])
def test_a_bake_in_machine_code_equals_numpys(demo, monkeypatch, filled) -> None:
    """The whole chain, from the mesh's triangles to the maps, against evaluating with NumPy; some texels are empty."""
    prop = demo.project.prop("kiln_wall_prop")
    look = SceneBaker(demo.project, demo.library, 64, Job())._look(prop, "surface", "celadon_wall")
    mesh = demo.mesh(prop.mesh)
    made = bake_mesh(mesh)
    run = made.mesh.triangles.astype(np.int64)
    coverage = cover(made.mesh.uvs[0], run, 64)
    coverage.triangle[np.random.default_rng(0).random(coverage.triangle.shape) > filled] = -1
    found = []
    for worth in (0, 1 << 30):
        monkeypatch.setattr(baker, "WORTH_A_PLAN", worth)
        colors = prop.paint.whole()
        found.append(baker.evaluated(mesh, made, run, coverage, look, prop.matrix(), colors, Job()))
    for name, values in found[0].items():
        np.testing.assert_allclose(values, found[1][name], atol=2e-5, err_msg=name)
        everywhere = (values == values[:, :1]).all()  # what is the same everywhere is so where nothing lies, too
        assert everywhere or (values[:, coverage.triangle.ravel() < 0] == 0).all()


def test_gutters_are_filled_from_the_nearest_island() -> None:
    mesh = shapes.box(1, 1, 1)
    made = bake_mesh(mesh)
    maps = bake_slot(
        mesh, made, made.mesh.slots[0], plain_look(color=(0.9, 0.1, 0.1)), np.eye(4), None, 64, Job()
    ).values
    assert maps["base_color"][..., 0].min() == pytest.approx(0.9)


def test_a_cancelled_export_writes_nothing(demo, tmp_path: Path) -> None:
    job = Job()
    steps = []
    job._report = lambda share, what: (steps.append(share), job.cancel() if share > 0.2 else None)
    with pytest.raises(Cancelled):
        export_glb(demo.project, demo.library, tmp_path / "a.glb", 64, job)
    assert list(tmp_path.iterdir()) == []
    assert steps == sorted(steps)


def test_work_in_a_process_of_its_own_reports_returns_and_can_be_stopped(demo, tmp_path: Path) -> None:
    project = demo.project.with_(props=(demo.project.prop("kiln_wall_prop"),))
    steps: list[tuple[float, str]] = []
    job = Job(lambda share, what: steps.append((share, what)))
    written = apart(export_glb, job, project, demo.library, tmp_path / "a.glb", 16)
    assert (tmp_path / "a.glb").stat().st_size == written.nbytes
    assert [s for s, _ in steps] == sorted(s for s, _ in steps)
    assert any("Baking" in what for _, what in steps)
    with pytest.raises(ValueError, match="choose 16 to"):  # its errors come over as they are
        apart(export_glb, Job(), project, demo.library, tmp_path / "b.glb", 9)
    job = Job(lambda share, what: job.cancel() if share > 0.1 else None)
    with pytest.raises(Cancelled):
        apart(export_glb, job, project, demo.library, tmp_path / "c.glb", 2048)
    with pytest.raises(WorkDied, match="SIGKILL"):
        apart(_kill_self, Job())
    assert [p.name for p in tmp_path.iterdir()] == ["a.glb"]


def _kill_self(job: Job) -> None:
    os.kill(os.getpid(), signal.SIGKILL)


def test_the_demos_glb_is_valid_and_reads_back_as_baked(demo, tmp_path: Path) -> None:
    path = tmp_path / "demo.glb"
    export_glb(demo.project, demo.library, path, 64, Job())
    assert_valid_glb(path)
    gltf = pygltflib.GLTF2.load_from_bytes(path.read_bytes())
    blob = gltf.binary_blob()
    stand = [n for n in gltf.nodes if n.mesh is not None]
    assert [n.name for n in stand] == [p.name for p in demo.project.props]
    baker = SceneBaker(demo.project, demo.library, 64, Job())
    for node, prop in zip(stand, demo.project.props, strict=True):
        np.testing.assert_allclose(np.array(node.matrix).reshape(4, 4).T, prop.matrix(), atol=1e-6)
        for primitive, slot in zip(gltf.meshes[node.mesh].primitives, demo.mesh(prop.mesh).slots, strict=True):
            files = baker.maps(prop, slot.name).png_files()
            material = gltf.materials[primitive.material]
            metal = material.pbrMetallicRoughness
            for texture, name in (
                (metal.baseColorTexture, "base_color"), (metal.metallicRoughnessTexture, "packed"),
                (material.occlusionTexture, "packed"), (material.normalTexture, "normal"),
            ):  # fmt: skip
                view = gltf.bufferViews[gltf.images[gltf.textures[texture.index].source].bufferView]
                stored = read_image(blob[view.byteOffset : view.byteOffset + view.byteLength], name)
                np.testing.assert_array_equal(stored, read_image(files[name], name))
    wall = read_gltf(path.read_bytes(), "demo.glb")
    assert len(wall.colors) == 2
    assert (wall.colors[0] == FULL).all()  # white, so that readers tint nothing
    assert wall.colors[1][:, 1].max() > 60000  # the paint


def strange_project(tmp_path: Path) -> tuple[Project, Library]:
    """A mesh and maps the project has never seen: a model from elsewhere and photographs with other namings."""
    models = sorted((NODE / "node_modules/@webxr-input-profiles/assets/dist/profiles").glob("generic-trigger/*.glb"))
    if not models:
        pytest.skip("tests/node/node_modules is missing: run ./run test, which installs it")
    mesh = read_mesh(models[0])
    from skimage import data

    folder = tmp_path / "photos"
    folder.mkdir()
    brick, gravel = data.brick(), data.gravel()
    for name, grey in (("Brick", brick), ("Gravel", gravel)):
        color = np.stack([grey, grey * 0.8, grey * 0.6], axis=2).astype(np.uint8)
        (folder / f"{name}_diffuse.png").write_bytes(png_bytes(color))
        (folder / f"{name}_rough.png").write_bytes(png_bytes(255 - grey))
        (folder / f"{name}_height.png").write_bytes(png_bytes(grey.astype(np.uint16) * 257))
    library = Library(Assets())
    sets = library.read_map_folder(folder).sets
    map_sets = tuple(MapSet(id=f"s{i}", name=f"S{i}", tile_size=0.02, maps=tuple(s)) for i, s in enumerate(sets))
    material = Material(id="m", name="Two coats", coats=(
        Coat(id="low", name="Low", surface=Surface(map_set="s0", tile_size=0.02)),
        Coat(id="top", name="Top", surface=Surface(map_set="s1", tile_size=0.03), where=(PaintTerm(id="p"),), seam=Seam()),
    ))  # fmt: skip
    asset = library.add_mesh(mesh, "Strange", set())
    prop = Prop(
        id="p",
        name="Strange",
        mesh=asset.id,
        finishes=dict.fromkeys(asset.slots, "f"),
        turn=turn_of(0.2, 1.0, 0.1),
        size=(3.0, 3.0, 3.0),
    )
    project = Project(map_sets=map_sets, materials=(material,), finishes=(Finish(id="f", name="F", parent="m"),),
                      meshes=(asset,), props=(prop,))  # fmt: skip
    return project, library


def test_a_mesh_and_maps_never_seen_before_make_a_valid_glb(tmp_path: Path) -> None:
    project, library = strange_project(tmp_path)
    path = tmp_path / "strange.glb"
    export_glb(project, library, path, 128, Job())
    assert_valid_glb(path)
    scene = trimesh.load(io.BytesIO(path.read_bytes()), file_type="glb")
    image = next(iter(scene.geometry.values())).visual.material.baseColorTexture
    pixels = np.asarray(image.convert("RGB")).reshape(-1, 3).astype(float)
    assert pixels.std() > 8  # the photographs, not a plain colour
    assert pixels[:, 0].mean() > pixels[:, 1].mean() > pixels[:, 2].mean()


def test_props_that_look_the_same_share_their_bake(demo) -> None:
    floor, jar = demo.project.prop("floor"), demo.project.prop("cream_jar")
    props = [floor, floor.with_(id="twin", position=(5.0, 0.0, 0.0)), floor.with_(id="tilted", turn=turn_of(0.3, 0.0, 0.0)),
             jar, jar.with_(id="other_jar")]  # fmt: skip
    project = demo.project.with_(props=tuple(props))
    first, twin, tilted, body, other = SceneBaker(project, demo.library, 32, Job()).props(project.props)
    assert first.materials["surface"] is twin.materials["surface"]
    assert first.materials["surface"] is not tilted.materials["surface"]  # dust lies where the world's up is
    assert body.materials["Body"] is not body.materials["Neck"]
    assert body.materials["Body"] is not other.materials["Body"]  # some of the jars have another glaze, by luck


def test_baking_to_a_folder_writes_named_pngs(demo, tmp_path: Path) -> None:
    paths = bake_to_folder(demo.project, demo.library, "iron_jar", demo.project.prop("tall_jar"), 32, tmp_path, Job())
    assert len(paths) == 8
    assert {p.name for p in paths} == {p.name for p in tmp_path.iterdir()}
    assert "iron_jar_tall_jar_body_base_color.png" in {p.name for p in paths}
    for path in paths:
        assert read_image(path.read_bytes(), path.name).shape[:2] == (32, 32)


def test_shares_of_coats_add_up_and_follow_the_paint(demo) -> None:
    wall = demo.project.prop("kiln_wall_prop")
    shares = coverage_shares(demo.project, demo.library, wall, "surface")
    assert sum(shares.values()) == pytest.approx(1.0, abs=1e-3)
    bare = wall.with_(paint=None)
    assert coverage_shares(demo.project, demo.library, bare, "surface")["kiln_wall:moss"] < 1e-6
    assert 0.03 < shares["kiln_wall:moss"] < 0.6


def test_the_glsl_bundle_compiles_as_it_stands_and_lists_every_dial(gl, demo, tmp_path: Path) -> None:
    import json

    reed = demo.project.material("kiln_wall").with_(id="reed", kind="strands")
    for material in (*demo.project.materials, reed):
        folder = tmp_path / material.id
        write_bundle(demo.project, demo.library, material, folder)
        program = gl.program(
            vertex_shader=(folder / "material.vert").read_text(), fragment_shader=(folder / "material.frag").read_text()
        )
        sheet = json.loads((folder / "parameters.json").read_text())
        assert [d["id"] for d in sheet["dials"]] == [d.id for d in material.dials]
        turned = [d for d in sheet["dials"] if "compiled_in" not in d]
        assert all(d["uniform"] in program for d in turned)
        shaping = {d["id"]: d["compiled_in"] for d in sheet["dials"] if "compiled_in" in d}
        assert shaping == ({"tile_maps": "glazed_tile", "moss_seam": material.coat("moss").seam.kind}
                           if "Kiln" in material.name else {})  # fmt: skip
        for entry in sheet["textures"]:
            assert (folder / entry["file"]).is_file()
            assert entry["uniform"] in program
        assert (folder / "strands.glsl").is_file() == (material is reed)
        assert ("strands.glsl" in (folder / "README.txt").read_text()) == (material is reed)


def test_jobs_report_within_their_part_and_estimate() -> None:
    seen = []
    job = Job(lambda share, what: seen.append((share, what)))
    job.part(0.5, 0.75)
    job.step(0.5, "half")
    assert seen == [(0.625, "half")]
    assert job.seconds_left(0.0) is None
    threading.Timer(0.01, job.cancel).start()
    time.sleep(0.05)
    with pytest.raises(Cancelled):
        job.step(0.6, "more")
