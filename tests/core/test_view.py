"""The renderer: cameras, rows, looks, faults, shadows and samples."""

from __future__ import annotations

import numpy as np
import pytest

from jade_coat.files.assets import Assets
from jade_coat.maps.images import png_bytes
from jade_coat.maps.mapset import MapFile, MapSet
from jade_coat.maps.packing import PackedLookup, pack_set
from jade_coat.material.material import Coat, Material
from jade_coat.material.rows import field_values, layout
from jade_coat.material.surface import NoMaps, Role, Surface
from jade_coat.material.where import PaintTerm
from jade_coat.mesh import shapes
from jade_coat.stage.alone import single
from jade_coat.stage.desk import Camera
from jade_coat.stage.draws import Draw, Scene
from jade_coat.stage.scene import build_scene
from jade_coat.view.camera import eye_of, project, ray
from jade_coat.view.looks import look_index
from tests.support import eye_for, put_mesh, row_patch

WIDTH, HEIGHT = 480, 300


def test_looks_drawn_together_are_those_drawn_alone(renderer, demo) -> None:
    """Programs with other outputs spill other values to the row table; neither may read the other's."""
    renderer.scenes.set("stage", build_scene(demo.project, demo.mesh))
    renderer.set_shared({"own_damp": 0.3, "own_season": 0.6})
    eye = eye_for(demo.camera, 120, 72)
    looks = ("coverage", "where:moss", "term:lime:map", "term:moss:noise", "height:lime", "paint:G")
    together = renderer.picture("stage", eye, 120, 72, looks=looks, stream="together")
    for i, look in enumerate(looks):
        alone = renderer.picture("stage", eye, 120, 72, looks=(look,), stream=f"alone {i}")
        assert np.abs(alone.astype(int) - together[:, i * 120 : (i + 1) * 120]).max() <= 1, look
        assert len(np.unique(alone[..., 0])) > 4, look
    renderer.set_shared({})


def test_rays_and_projection_are_each_others_inverse() -> None:
    eye = eye_for(Camera(yaw=0.7, pitch=0.3, distance=5), 640, 400)
    for x, y in ((0.5, 0.5), (0.1, 0.8), (0.93, 0.22)):
        origin, direction = ray(eye, x, y)
        np.testing.assert_allclose(project(eye, (origin + 3.7 * direction)[None])[0], (x, y), atol=1e-6)


def test_a_thousand_rows_in_one_draw_each_show_their_own_colour(renderer) -> None:
    """More rows than one column of the table holds, drawn as one instanced draw."""
    material = Material(id="rows", name="Rows", coats=(Coat(id="c", name="C", surface=Surface(color=(0.5, 0.4, 0.3))),))
    put_mesh(renderer, "tile", shapes.plane(0.9, 0.9, 0.9))
    renderer.assets.set_material(material, NoMaps())
    count = 5000
    rng = np.random.default_rng(0)
    colors = rng.uniform(0.05, 0.95, (count, 3))
    plan = layout(material)
    rows = np.stack([plan.pack({**field_values(material), "c.surface.color": tuple(c)}) for c in colors])
    matrices = np.tile(np.eye(4, dtype=np.float32), (count, 1, 1))
    matrices[:, 0, 3], matrices[:, 2, 3] = np.arange(count) % 100 - 49.5, np.arange(count) // 100 - 24.5
    indices = np.arange(count, dtype=np.int32)
    draw = Draw("tile", "", 0, 2, "rows", matrices, indices, np.zeros(count, np.float32))
    renderer.scenes.set("rows", Scene((draw,), {"rows": rows}))
    eye = eye_of(np.array([0.0, 100.0, 0.001]), np.zeros(3), 2 * np.arctan(0.25), 2.0)
    picture = renderer.picture("rows", eye, 800, 400, looks=("base_color",))
    centres = project(eye, matrices[:, :3, 3].astype(float))
    from jade_coat.maps.color import to_linear

    at = np.floor(centres * (800, 400)).astype(int)
    shown = to_linear(picture[at[:, 1], at[:, 0], :3] / np.float32(255))
    np.testing.assert_allclose(shown, colors, atol=0.012)
    before = renderer.shop.compiles
    rows[4321] = plan.pack({**field_values(material), "c.surface.color": (1.0, 0.0, 0.0)})
    renderer.patch_scene("rows", row_patch("rows", 4321, rows[4321]))
    again = renderer.picture("rows", eye, 800, 400, looks=("base_color",))
    assert tuple(again[at[4321, 1], at[4321, 0], :3]) == (255, 0, 0)
    assert (again != picture).any(axis=2).sum() < 120
    assert renderer.shop.compiles == before


def test_spilled_rows_draw_the_same_picture(renderer, demo, monkeypatch) -> None:
    from jade_coat.view import programs

    eye = eye_for(demo.camera, 320, 200)
    plain = renderer.picture("stage", eye, 320, 200, looks=("base_color",))
    real = programs.emit
    monkeypatch.setattr(programs, "emit", lambda *a, **k: real(*a, **{**k, "budget": 9}))
    renderer.shop._by_structure.clear()
    renderer.scenes.set("stage", build_scene(demo.project, demo.mesh))
    tight = renderer.picture("stage", eye, 320, 200, looks=("base_color",))
    assert any(c.glsl.spilled for c in renderer.shop._by_structure.values())
    assert np.abs(plain.astype(int) - tight.astype(int)).max() <= 2
    renderer.shop._by_structure.clear()


def test_every_look_shows_what_it_names(renderer, demo) -> None:
    eye = eye_for(demo.camera, 160, 100)
    looks = (
        "lit",
        "base_color",
        "roughness",
        "metallic",
        "normal",
        "height",
        "occlusion",
        "coverage",
        "paint:G",
        "where:moss",
    )
    sheet = renderer.picture("stage", eye, 160, 100, looks=looks)
    pictures = dict(zip(looks, np.split(sheet, len(looks), axis=1), strict=True))
    assert len({p.tobytes() for p in pictures.values()}) == len(looks)
    assert pictures["metallic"][60, 80, :3].tolist() == [0, 0, 0]
    painted = pictures["paint:G"][..., 0].astype(int)
    assert painted.max() > 200
    assert (pictures["where:moss"][..., 0] <= painted + 1).all()  # the wall's where is paint times noise
    with pytest.raises(ValueError, match="no look"):
        look_index("smell", ())


def test_a_program_that_fails_shows_the_fault_finish_and_nothing_else_breaks(renderer, demo, monkeypatch) -> None:
    eye = eye_for(demo.camera, 200, 125)
    good = renderer.picture("stage", eye, 200, 125)
    real = renderer.shop.view

    def broken(material, lookup, **more):
        if material.id == "jar_glaze":
            raise ValueError("division of a vec3 by a uvec3")
        return real(material, lookup, **more)

    monkeypatch.setattr(renderer.shop, "view", broken)
    bad = renderer.picture("stage", eye, 200, 125)
    assert renderer.faults == {"jar_glaze": "division of a vec3 by a uvec3"}
    jars = np.abs(bad.astype(int) - good.astype(int)).max(axis=2) > 24
    assert 0.02 < jars.mean() < 0.35
    renderer.assets.set_material(
        demo.project.material("jar_glaze"), PackedLookup(demo.project.map_sets, demo.project.recipes)
    )
    monkeypatch.undo()
    assert np.abs(renderer.picture("stage", eye, 200, 125).astype(int) - good.astype(int)).max() <= 1
    assert renderer.faults == {}


def test_the_sun_casts_a_shadow(renderer) -> None:
    plane, ball = shapes.plane(6, 6, 0.5), shapes.ball(0.5, 48)
    for key, mesh in (("ground", plane), ("ball", ball)):
        put_mesh(renderer, key, mesh)
    material = Material(id="grey", name="Grey", coats=(Coat(id="c", name="C", surface=Surface(roughness=1.0)),))
    renderer.assets.set_material(material, NoMaps())
    row = layout(material).pack(field_values(material))[None]
    zero, matrix = np.zeros(1, np.int32), np.eye(4, dtype=np.float32)[None].copy()
    above = matrix.copy()
    above[0, :3, 3] = (0.0, 1.5, 0.0)
    draws = tuple(
        Draw(k, "", 0, len(m.triangles), "grey", x, zero, zero.astype(np.float32))
        for k, m, x in (("ground", plane, matrix), ("ball", ball, above))
    )
    renderer.scenes.set("shade", Scene(draws, {"grey": row}))
    eye = eye_of(np.array([0.0, 9.0, 0.01]), np.zeros(3), 0.6, 1.0)
    sun = np.array([0.48, 0.62, 0.62])
    spot = np.array([[0.0, 1.5, 0.0]]) - sun * (1.5 / sun[1])
    picture = renderer.picture("shade", eye, 256, 256)[..., 0].astype(int)
    x, y = (project(eye, spot)[0] * 256).astype(int)
    shaded, lit = picture[y - 2 : y + 3, x - 2 : x + 3].mean(), np.percentile(picture, 60)
    assert shaded < lit * 0.85


def test_samples_refine_towards_a_smooth_edge(renderer, demo) -> None:
    eye = eye_for(demo.camera, 120, 80)
    first = renderer.picture("stage", eye, 120, 80, sample=0).astype(int)
    for sample in range(1, 8):
        refined = renderer.picture("stage", eye, 120, 80, sample=sample).astype(int)
    steps = [np.abs(np.diff(p[..., 1], axis=1)).mean() for p in (first, refined)]
    assert steps[1] < steps[0] * 0.98
    assert np.abs(refined.mean() - first.mean()) < 3


@pytest.mark.parametrize("channel", "RGBA")
def test_a_colour_set_that_a_mesh_does_not_have_counts_as_unpainted(gl, channel: str) -> None:
    """OpenGL's default for a missing vertex input is (0, 0, 0, 1) in floats: as paint, its alpha was full."""
    from jade_coat.view.renderer import Renderer

    top = Coat(id="top", name="Top", surface=Surface(color=(1.0, 0.0, 0.0)),
               where=(PaintTerm(id="p", channel=channel, color_set=1),))  # fmt: skip
    material = Material(id="m", name="M", coats=(Coat(id="c", name="C", surface=Surface(color=(0, 0, 1.0))), top))
    renderer, plane = Renderer(gl), shapes.plane(2.0, 2.0, 0.5)
    renderer.assets.set_material(material, PackedLookup(()))
    put_mesh(renderer, "plane", plane)
    renderer.scenes.set("s", single("plane", plane, material, field_values(material)))
    eye = eye_of(np.array([0.0, 2.0, 0.5]), np.zeros(3), 0.6, 1.0)
    picture = renderer.picture("s", eye, 40, 40, looks=("base_color",))
    assert tuple(picture[20, 20, :3]) == (0, 0, 255)


def test_texels_are_counted_in_squares_that_follow_tile_and_texture(renderer) -> None:
    """A sheet a metre wide seen straight on: of 64 texels over half a metre, squares of 32 are a quarter wide."""
    mesh = shapes.wall_piece(1.0, 1.0)
    put_mesh(renderer, "sheet", mesh)
    rng = np.random.default_rng(1)

    def squares(side: int, tile: float) -> float:
        """How many squares lie along a metre."""
        assets = Assets()
        picture = assets.put("maps", "a.png", png_bytes(rng.integers(0, 256, (side, side, 3)).astype(np.uint8)))
        found = MapSet(id="s", name="S", maps=(MapFile(role=Role.BASE_COLOR, asset=picture, file="a.png"),))
        surface = Surface(map_set="s", tile_size=tile)
        material = Material(id=f"m{side}", name="M", coats=(Coat(id="c", name="C", surface=surface),))
        named = {}
        for texture in pack_set(found, assets.read):
            renderer.assets.put_texture(texture.key, texture.is_color, texture.levels)
            named[texture.name] = texture.key
        renderer.assets.set_material(material, PackedLookup([found]), named)
        renderer.scenes.set("sheet", single("sheet", mesh, material, field_values(material)))
        middle = mesh.bounds[0] + (mesh.bounds[1] - mesh.bounds[0]) / 2
        eye = eye_of(middle + np.array([0.0, 0.0, 2.0]), middle, 2 * np.arctan(0.25), 1.0)  # a metre fills the picture
        line = renderer.picture("sheet", eye, 256, 256, ("texels:c",), stream="texels")[37, :, 0].astype(int)
        return float((np.abs(np.diff(line)) > 20).sum())

    assert squares(64, 0.5) == pytest.approx(4, abs=1)
    assert squares(256, 0.5) == pytest.approx(16, abs=1)
    assert squares(256, 0.25) == pytest.approx(32, abs=1)


def test_ways_are_those_of_rays() -> None:
    from jade_coat.view.camera import ray, ways

    eye = eye_of(np.array([1.0, 2.0, 5.0]), np.array([0.2, 0.4, -1.0]), 0.7, 1.5)
    x, y = np.random.default_rng(2).random((2, 20))
    assert np.allclose(ways(eye, x, y), [ray(eye, a, b)[1] for a, b in zip(x, y, strict=True)], atol=1e-12)
