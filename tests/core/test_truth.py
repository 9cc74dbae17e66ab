"""No picture is untrue: skies however they are turned, glow and opacity through every way out, unwrapped surfaces."""

from __future__ import annotations

import io
import json
import struct
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from jade_coat.bake.exporting import bake_to_folder, export_glb
from jade_coat.bake.raster import cover
from jade_coat.bake.tiling import prop_repetition
from jade_coat.bake.unwrap import bake_mesh
from jade_coat.files.assets import Assets
from jade_coat.files.library import Library
from jade_coat.files.mesh_files import read_mesh
from jade_coat.files.migrations import brought_up
from jade_coat.files.project_folder import FILE, save_project
from jade_coat.jobs.apart import apart
from jade_coat.jobs.job import Cancelled, Job
from jade_coat.maps.color import to_linear
from jade_coat.maps.images import png_bytes, read_image
from jade_coat.maps.mapset import MapFile, MapSet
from jade_coat.material.material import Coat, Dial, Finish, Link, Material
from jade_coat.material.surface import Role, Surface
from jade_coat.material.where import PaintTerm
from jade_coat.mesh import shapes
from jade_coat.stage.project import SCHEMA_VERSION, Project, Prop
from jade_coat.view.environment import directions, evaluate_irradiance, from_lat_long, solid_angles
from tests.support import assert_valid_glb

RNG = np.random.default_rng(5)


def small_sun() -> np.ndarray:
    picture = np.full((256, 512, 3), 0.2, np.float32)
    picture[70:73, 300:303] = 4000.0
    return picture


@pytest.mark.parametrize("sky", ["small sun", "noise", "even"])
def test_a_sky_gives_the_same_light_however_it_is_turned(sky: str) -> None:
    """Against the integral over the sphere, each texel with its solid angle (cos θ₀ − cos θ₁)·Δφ, for 24 turns.

    The mean of E/π over all directions is the mean radiance; so is the mean of what mirrors of every roughness show."""
    picture = {"small sun": small_sun(), "noise": RNG.random((64, 128, 3)).astype(np.float32) * 3,
               "even": np.ones((16, 32, 3), np.float32)}[sky]  # fmt: skip
    edges = np.cos(np.linspace(0, np.pi, len(picture) + 1))
    weights = (edges[:-1] - edges[1:])[:, None, None] / (2 * picture.shape[1])
    mean = float((picture * weights).sum(axis=(0, 1)).mean())
    around = directions(64).reshape(-1, 3)
    angle = solid_angles(64).ravel()[:, None] / (4 * np.pi)
    for i in range(24):
        found = from_lat_long(picture, i * 2 * np.pi / 24)
        lit = float((evaluate_irradiance(found.irradiance, around) * angle).sum(axis=0).mean())
        assert lit == pytest.approx(mean, rel=0.01)
        for level, layer in enumerate(found.reflections):
            shown = float((layer.reshape(-1, 3) * angle).sum(axis=0).mean())
            assert shown == pytest.approx(mean, rel=0.06 if level < 2 else 0.03), (i, level)


def test_the_brightest_direction_of_a_sky_turns_with_it() -> None:
    """+y up, the middle column towards +z; a turn about +y takes +z towards +x."""
    picture = np.full((64, 128, 3), 0.1, np.float32)
    picture[31:33, 63:65] = 900
    for turn in np.linspace(0, 5, 7):
        found = from_lat_long(picture, float(turn))
        top = directions(64).reshape(-1, 3)[found.reflections[1].sum(axis=2).argmax()]
        assert top @ [np.sin(turn), 0, np.cos(turn)] > 0.99


def lamp(glow=(1.0, 1.0, 1.0), emissive=(0.0, 0.0, 0.0), cut: bool = True) -> tuple[Project, Library]:
    """A plane whose map glows in one half and is cut out in a quarter."""
    color = np.full((8, 8, 4), 200, np.uint8)
    color[:4, :4, 3] = 0 if cut else 255
    color[..., 3] = np.where(color[..., 3] == 200, 255, color[..., 3])
    light = np.zeros((8, 8, 3), np.uint8)
    light[:, 4:] = (255, 128, 0)
    library = Library(Assets())
    assets = library.assets
    leaf, lit = assets.put("maps", "leaf.png", png_bytes(color)), assets.put("maps", "glow.png", png_bytes(light))
    maps = [MapFile(role=Role.BASE_COLOR, asset=leaf, file="leaf.png", color_space="srgb"),
            MapFile(role=Role.EMISSIVE, asset=lit, file="glow.png", color_space="srgb")]  # fmt: skip
    if cut:
        maps.append(MapFile(role=Role.OPACITY, asset=leaf, file="leaf.png", channels="a"))
    surface = Surface(map_set="s", tile_size=1.0, glow=glow, emissive=emissive)
    mesh = library.add_mesh(shapes.plane(1, 1, 0.25), "Plane", set())
    project = Project(
        name="Lamp", map_sets=(MapSet(id="s", name="S", maps=tuple(maps)),), meshes=(mesh,),
        materials=(Material(id="m", name="Lamp", coats=(Coat(id="c", name="C", surface=surface),)),),
        finishes=(Finish(id="f", name="F", parent="m"),),
        props=(Prop(id="p", name="P", mesh=mesh.id, finishes=dict.fromkeys(mesh.slots, "f")),),
    )  # fmt: skip
    return project, library


def test_a_glow_map_glows_by_itself_and_opacity_is_baked(tmp_path: Path) -> None:
    project, library = lamp()
    paths = {
        p.stem.rpartition("_")[2]: p
        for p in bake_to_folder(project, library, "f", project.props.first, 64, tmp_path, Job())
    }
    glow = read_image(paths["emissive"].read_bytes(), "e").reshape(-1, 3)
    assert {tuple(v) for v in (glow[glow.max(axis=1) > 250] // 16).tolist()} >= {(15, 8, 0)}
    assert (glow.max(axis=1) < 5).mean() > 0.3
    opacity = read_image(paths["opacity"].read_bytes(), "o")
    assert 1 - opacity.mean() / 255 == pytest.approx(0.25, abs=0.02)
    plain, library = lamp(cut=False)
    assert not [
        p
        for p in bake_to_folder(plain, library, "f", plain.props.first, 64, tmp_path / "b", Job())
        if "opacity" in p.name
    ]


def test_glow_and_opacity_are_exported_and_told(tmp_path: Path) -> None:
    """glTF 2.0 alphaMode; KHR_materials_emissive_strength beyond 1."""
    project, library = lamp(glow=(3.0, 3.0, 3.0))
    written = export_glb(project, library, tmp_path / "a.glb", 64, Job())
    assert any("opacity" in line for line in written.told)
    assert written.notes == ()
    assert_valid_glb(tmp_path / "a.glb")
    data = (tmp_path / "a.glb").read_bytes()
    content = json.loads(data[20 : 20 + struct.unpack_from("<I", data, 12)[0]])
    (material,) = content["materials"]
    assert material["alphaMode"] == "MASK"
    strength = material["extensions"]["KHR_materials_emissive_strength"]["emissiveStrength"]
    view = content["bufferViews"][
        content["images"][content["textures"][material["emissiveTexture"]["index"]]["source"]]["bufferView"]
    ]
    blob = data[28 + struct.unpack_from("<I", data, 12)[0] :]
    picture = np.asarray(Image.open(io.BytesIO(blob[view["byteOffset"] : view["byteOffset"] + view["byteLength"]])))
    brightest = to_linear(picture / 255.0).reshape(-1, 3).max(axis=0) * strength
    np.testing.assert_allclose(brightest, [3.0, 3.0 * float(to_linear(np.array(128 / 255))), 0.0], rtol=0.03, atol=0.01)


def test_our_own_export_comes_back_as_it_was(tmp_path: Path) -> None:
    """White COLOR_0 is no paint, the set for baked maps goes, slots keep their names; twice."""
    project, library = lamp()
    paint = RNG.integers(0, 65535, (25, 4)).astype(np.uint16)
    mesh = library.mesh(project.meshes[0])
    assert mesh.vertex_count == 25
    asset = library.add_mesh(mesh.with_(colors=(paint,)), "Plane", set())
    project = project.with_(meshes=(asset,))
    for round_trip in range(2):
        export_glb(project, library, tmp_path / "a.glb", 16, Job())
        back = read_mesh(tmp_path / "a.glb")
        assert [s.name for s in back.slots] == list(asset.slots), round_trip
        assert len(back.uvs) == len(mesh.uvs)
        assert len(back.colors) == 1
        np.testing.assert_allclose(np.unique(back.colors[0], axis=0), np.unique(paint, axis=0), atol=1)
        again = library.add_mesh(back, "Plane", set())
        project = project.with_(meshes=(again.with_(id=asset.id),))


def test_a_first_format_project_with_a_glow_map_glows_as_before() -> None:
    project, _ = lamp(emissive=(0.5, 0.25, 2.0))
    old = project.model_dump(mode="json", exclude={"props", "groups"})
    for coat in old["materials"][0]["coats"]:
        del coat["surface"]["glow"]
    old["materials"][0]["dials"] = [{"id": "d", "name": "D", "path": "c.surface.emissive"}]
    new = Project.model_validate(brought_up({**old, "schema_version": 1}, SCHEMA_VERSION))
    assert new.materials[0].coats[0].surface.glow == (0.5, 0.25, 2.0)
    assert new.materials[0].dials[0].path == "c.surface.glow"


# Unwrapping


def tiny(scale: float):
    mesh = shapes.ball(0.5, 48)
    faces = mesh.triangles.astype(np.int64)
    positions = (mesh.positions * scale).astype(np.float32)
    return mesh.with_(
        positions=positions, uvs=(np.zeros((mesh.vertex_count, 2), np.float32),), triangles=faces.astype(np.uint32)
    )


@pytest.mark.parametrize("scale", [1e-3, 1e-2, 1.0, 1e3])
def test_unwrapping_loses_no_triangle_whatever_the_size(scale: float) -> None:
    made = bake_mesh(tiny(scale))
    assert made.lost == ()
    assert made.losses("Ball") == []
    uv = made.mesh.uvs[0][made.mesh.triangles].astype(float)
    d1, d2 = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
    assert (np.abs(d1[:, 0] * d2[:, 1] - d1[:, 1] * d2[:, 0]) > 1e-12).mean() > 0.999


def test_charts_stay_apart_at_the_smallest_level_that_is_used() -> None:
    """At an eighth of 1024 texels no two charts share a texel: each is drawn apart and their texels counted."""
    made = bake_mesh(tiny(1.0)).mesh
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    t = made.triangles.astype(np.int64)
    edges = np.concatenate([t[:, :2], t[:, 1:], t[:, ::2]])
    count, chart = connected_components(
        coo_matrix((np.ones(len(edges)), edges.T), (made.vertex_count,) * 2), directed=False
    )
    assert count > 3
    covered = np.zeros((128, 128), int)
    for i in range(count):
        drawn = cover(made.uvs[0], made.triangles[chart[made.triangles[:, 0]] == i], 128).triangle >= 0
        covered += drawn
    assert covered.max() == 1


def _deaf(seconds: float, job: Job) -> None:
    import ctypes

    ctypes.PyDLL(None).sleep(int(seconds))  # keeps Python's lock, as unwrapping does


def test_work_that_hears_nothing_is_ended_when_it_is_cancelled() -> None:
    import threading

    job = Job()
    threading.Timer(1.5, job.cancel).start()
    with pytest.raises(Cancelled):
        apart(_deaf, job, 120.0)


# Faulty parts


def cli(*arguments: object) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "jade_coat.cli", *map(str, arguments)],
        capture_output=True,
        text=True,
        timeout=300,
        check=False,
    )


def test_info_and_export_work_although_one_material_is_faulty(tmp_path: Path) -> None:
    project, library = lamp(cut=False)
    bad = Material(id="bad", name="Broken glaze", coats=(Coat(id="c", name="C"),),
                   links=(Link(path="c.surface.roughness", recipe="gone", low=0.0, high=1.0),))  # fmt: skip
    prop = project.props.first.with_(id="q", name="Q", finishes={"surface": "bad"})
    project = project.with_(materials=(*project.materials, bad), props=(*project.props, prop))
    save_project(project, library.assets, tmp_path / "p")
    assert (tmp_path / "p" / FILE).is_file()
    told = cli("info", tmp_path / "p")
    assert told.returncode == 3
    assert "Lamp: C" in told.stdout
    assert "Broken glaze cannot be compiled" in told.stdout
    done = cli("export", tmp_path / "p", "--glb", tmp_path / "a.glb", "--size", "32")
    assert done.returncode == 3
    assert "Broken glaze" in done.stderr
    assert_valid_glb(tmp_path / "a.glb")


# Repetition


def walled(**surface: object) -> tuple[Project, Library]:
    """A plain wall of four metres in maps of half a metre that do not look like their own mirror image."""
    library = Library(Assets())
    grain = np.random.default_rng(2).integers(0, 255, (64, 64, 3)).astype(np.uint8)
    asset = library.assets.put("maps", "grain.png", png_bytes(grain))
    maps = (MapFile(role=Role.BASE_COLOR, asset=asset, file="grain.png", color_space="srgb"),)
    mesh = library.add_mesh(shapes.plane(4, 4, 0.25), "Wall", set())
    coats = [Coat(id="c", name="C", surface=Surface(**{"map_set": "s", "tile_size": 0.5, **surface}))]
    project = Project(
        map_sets=(MapSet(id="s", name="S", maps=maps),), meshes=(mesh,),
        materials=(Material(id="m", name="M", coats=tuple(coats)),), finishes=(Finish(id="f", name="F", parent="m"),),
        props=(Prop(id="p", name="P", mesh=mesh.id, finishes=dict.fromkeys(mesh.slots, "f")),),
    )  # fmt: skip
    return project, library


def score_of(project: Project, library: Library) -> float:
    return prop_repetition(project, library, project.props.first)


@pytest.mark.parametrize("placement", ["uv", "triplanar", "planar"])
def test_a_plain_wall_does_not_repeat_an_unbroken_one_does_and_each_break_breaks_it(placement: str) -> None:
    """Common practice, no source, for the limits; the measure is an autocorrelation (numpy.fft)."""
    assert score_of(*walled(map_set="")) <= 0.05
    unbroken = score_of(*walled(placement=placement))
    assert unbroken >= 0.8
    for turn in (0.3, 1.1, 2.5):
        assert score_of(*walled(placement=placement, turn=turn)) == pytest.approx(unbroken, abs=0.05)
    for way in ("mirror", "offset", "hex"):
        assert score_of(*walled(placement=placement, tile_break=way)) < 0.3, way


def test_the_score_takes_the_finishs_tile_size_and_leaves_out_what_is_not_seen() -> None:
    project, library = walled(tile_size=3.9)
    (material,) = project.materials
    dial = Dial(id="size", path="c.surface.tile_size", name="Size")
    turned = project.with_(
        materials=(material.with_(dials=(dial,)),), finishes=(project.finishes[0].with_(values={"size": 0.5}),)
    )
    assert score_of(project, library) < 0.2  # hardly more than one tile
    assert score_of(turned, library) >= 0.8
    unseen = Coat(id="top", name="Top", surface=Surface(map_set="s", tile_size=0.5), where=(PaintTerm(id="p"),))
    plain = Coat(id="c", name="C", surface=Surface())
    hidden = project.with_(materials=(material.with_(coats=(plain, unseen)),))
    assert score_of(hidden, library) <= 0.05


def test_the_command_line_says_the_score_in_one_line(tmp_path: Path) -> None:
    project, library = walled()
    save_project(project, library.assets, tmp_path / "p")
    told = cli("repetition", tmp_path / "p", "--prop", "P")
    assert told.returncode == 0, told.stderr
    word, number = told.stdout.split()
    assert word == "repetition"
    assert 0.8 <= float(number) <= 1
    as_json = json.loads(cli("repetition", tmp_path / "p", "--prop", "p", "--json").stdout)
    assert as_json["prop"] == "p"
    assert as_json["repetition"] == pytest.approx(float(number), abs=0.006)


@pytest.mark.parametrize(
    ("kind", "alpha", "told"),
    [("opaque", "MASK", "opaque"), ("masked", "MASK", ""), ("dithered", "BLEND", "no dither"), ("blended", "BLEND", ""),
     ("additive", "BLEND", "cannot add light")],
)  # fmt: skip
def test_a_surface_kind_is_exported_as_gltf_can_say_it_and_the_rest_is_told(
    tmp_path: Path, kind: str, alpha: str, told: str
) -> None:
    """glTF 2.0 alphaMode, alphaCutoff and doubleSided; KHR_materials_unlit."""
    project, library = lamp()
    made = tuple(m.with_(kind=kind, cut=0.3, two_sided=True) for m in project.materials)
    written = export_glb(project.with_(materials=made), library, tmp_path / "a.glb", 64, Job())
    assert_valid_glb(tmp_path / "a.glb")
    data = (tmp_path / "a.glb").read_bytes()
    (material,) = json.loads(data[20 : 20 + struct.unpack_from("<I", data, 12)[0]])["materials"]
    assert material["alphaMode"] == alpha
    assert material["doubleSided"] is True
    assert material.get("alphaCutoff") == (0.3 if kind == "masked" else 0.5 if alpha == "MASK" else None)
    assert ("KHR_materials_unlit" in material.get("extensions", {})) == (kind == "additive")
    inexact = [line for line in written.told if "KHR_texture_transform" not in line]
    assert any(told in line for line in inexact) if told else not inexact


def test_an_error_is_told_in_words(tmp_path) -> None:
    from jade_coat.jobs.words import told

    for do in (
        lambda: (tmp_path / "gone.png").read_bytes(),
        lambda: tmp_path.read_bytes(),
        lambda: {}["x"],
        lambda: 1 / 0,
    ):
        try:
            do()
        except Exception as error:
            assert told(error)
            assert not any(w in told(error) for w in ("[Errno", "Error", "'"))
    try:
        (tmp_path / "gone.png").read_bytes()
    except OSError as error:
        assert told(error) == "gone.png: No such file or directory"
