"""Crowds, draws of many small triangles: sighted first and worked out by pixels, they look as when drawn one by one."""

from __future__ import annotations

from dataclasses import replace

import moderngl
import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from jade_coat.maps.packing import PackedLookup
from jade_coat.material.kinds import KINDS
from jade_coat.material.material import Coat, Material
from jade_coat.material.placing import HeightMove
from jade_coat.material.rows import field_values, layout
from jade_coat.material.surface import NoMaps, Surface
from jade_coat.material.where import PaintTerm
from jade_coat.mesh import shapes
from jade_coat.mesh.data import MeshData
from jade_coat.stage.desk import Camera
from jade_coat.stage.draws import Draw, DrawPatch, Scene, ScenePatch
from jade_coat.stage.scene import build_scene
from jade_coat.view.crowd_tables import A_ROW, closed, provoked
from jade_coat.view.paint_pages import PaintPages
from jade_coat.view.passes import crowd
from tests.core.test_kinds import CUT_SET, cut_texture
from tests.core.test_kinds import material as opacity_mapped
from tests.support import eye_for, put_mesh, row_patch

WIDTH, HEIGHT = 200, 120


def pictures(renderer, monkeypatch, scene: str, eye, looks: tuple[str, ...]) -> tuple[np.ndarray, np.ndarray]:
    """The looks of a scene drawn as crowds wherever it is possible, and drawn one by one."""
    found = []
    for fewest in (1, 10**9):
        monkeypatch.setattr(crowd, "FEWEST_TRIANGLES", fewest)
        found.append(renderer.picture(scene, eye, WIDTH, HEIGHT, looks).astype(int))
        assert (renderer.crowds.drawn > 0) == (fewest == 1)
    assert not renderer.faults
    return found[0], found[1]


def assert_alike(one: np.ndarray, other: np.ndarray, share: float) -> None:
    """Equal but for a share of the pixels: where edges of two surfaces fall on one place, either may be seen."""
    off = np.abs(one - other).max(axis=2)
    assert (off > 3).mean() <= share, f"{(off > 3).mean():.4f} of the pixels differ, by up to {off.max()}"


def crowd_of(renderer, material: Material, mesh: MeshData, matrices: np.ndarray, values=None, lookup=None) -> None:
    renderer.assets.set_material(material, lookup or NoMaps())
    put_mesh(renderer, "piece", mesh)
    plan = layout(material)
    rows = np.stack([plan.pack({**field_values(material), **v}) for v in values or [{}]])
    count = len(matrices)
    draw = Draw("piece", "", 0, len(mesh.triangles), material.id, matrices.astype(np.float32),
                np.arange(count, dtype=np.int32) % len(rows), np.linspace(0, 1, count, dtype=np.float32))  # fmt: skip
    renderer.scenes.set("crowd", Scene([draw], {material.id: rows}))


def strewn(count: int, spread: float, seed: int = 0) -> np.ndarray:
    """Matrices `(count, 4, 4)` with turns and sizes of their own, within `spread` metres of the middle."""
    rng = np.random.default_rng(seed)
    turns = np.linalg.qr(rng.normal(size=(count, 3, 3)))[0]
    turns *= np.sign(np.linalg.det(turns))[:, None, None]
    made = np.tile(np.eye(4), (count, 1, 1))
    made[:, :3, :3] = turns * rng.uniform(0.5, 1.5, (count, 1, 3))
    made[:, :3, 3] = rng.uniform(-spread, spread, (count, 3))
    return made


def test_every_look_of_the_demo_is_the_same_drawn_as_crowds(renderer, demo, monkeypatch) -> None:
    """Its maps come with levels, so the differences from pixel to pixel are taken the same way too."""
    renderer.scenes.set("stage", build_scene(demo.project, demo.mesh))
    renderer.set_shared({"own_damp": 0.3, "own_season": 0.6})
    eye = eye_for(demo.camera, WIDTH, HEIGHT)
    one, other = pictures(renderer, monkeypatch, "stage", eye, ("lit", "normal", "base_color", "coverage", "paint:R"))
    assert_alike(one, other, 0.004)


@pytest.mark.parametrize("kind", list(KINDS))
@pytest.mark.parametrize("moved", [False, True])
def test_a_crowd_of_any_kind_looks_as_it_does_drawn_one_by_one(renderer, monkeypatch, kind: str, moved: bool) -> None:
    made = opacity_mapped(kind).with_(two_sided=True, moves=(HeightMove(id="h", amount=0.5, middle=0.0),) * moved)
    hole = cut_texture(np.hypot(*np.mgrid[-1:1:48j, -1:1:48j]))
    renderer.assets.put_texture(hole.name, False, hole.levels)
    values = [{"c.surface.tint": (i / 8, 0.3, 1 - i / 8)} for i in range(8)]
    crowd_of(renderer, made, shapes.plane(1.0, 1.0, 0.25), strewn(60, 1.5), values, PackedLookup((CUT_SET,)))
    eye = eye_for(Camera(target=(0, 0, 0), distance=5.0, pitch=0.5), WIDTH, HEIGHT)
    looks = ("base_color" if KINDS[kind].blend else "lit", "normal")  # what blends is no crowd in the light
    one, other = pictures(renderer, monkeypatch, "crowd", eye, looks)
    assert np.ptp(other) > 60
    assert_alike(one, other, 0.01)


def test_a_patched_crowd_is_seen_as_it_is_now(renderer, monkeypatch) -> None:
    material = Material(id="p", name="P", coats=(Coat(id="c", name="C", surface=Surface(color=(0.6, 0.5, 0.4))),))
    count = A_ROW + 40  # more than a row of the table holds
    crowd_of(renderer, material, shapes.box(0.4, 0.4, 0.4), strewn(count, 2.0))
    eye = eye_for(Camera(target=(0, 0, 0), distance=7.0), WIDTH, HEIGHT)
    before, _ = pictures(renderer, monkeypatch, "crowd", eye, ("lit",))
    places = np.array([3, A_ROW - 1, A_ROW + 5])
    matrices = strewn(3, 1.0, 9).astype(np.float32)
    patch = DrawPatch(None, count + 2, np.array([*places, count, count + 1]), np.concatenate([matrices, matrices[:2] * 1.1]),
                      np.zeros(5, np.int32), np.zeros(5, np.float32))  # fmt: skip
    renderer.patch_scene("crowd", ScenePatch({0: patch}))
    renderer.patch_scene(
        "crowd",
        row_patch("p", 0, layout(material).pack({**field_values(material), "c.surface.color": (0.1, 0.6, 0.5)})),
    )
    after, direct = pictures(renderer, monkeypatch, "crowd", eye, ("lit",))
    assert_alike(after, direct, 0.004)
    assert (np.abs(after - before).max(axis=2) > 8).mean() > 0.05


def test_from_inside_a_closed_mesh_its_inner_side_is_seen(renderer, monkeypatch) -> None:
    material = Material(id="in", name="In", coats=(Coat(id="c", name="C", surface=Surface(color=(0.6, 0.5, 0.4))),))
    crowd_of(renderer, material, shapes.box(3.0, 3.0, 3.0), strewn(70, 0.2))
    eye = eye_for(Camera(target=(0, 0, 0), distance=0.3), WIDTH, HEIGHT)
    one, other = pictures(renderer, monkeypatch, "crowd", eye, ("normal",))
    assert_alike(one, other, 0.004)


@pytest.mark.parametrize(
    ("mesh", "expected"),
    [(shapes.box(1, 2, 3), True), (shapes.ball(1.0, 24), True), (shapes.plane(1.0, 1.0, 0.5), False)],
)
def test_a_mesh_without_a_border_is_closed(mesh: MeshData, expected: bool) -> None:
    assert closed(mesh.positions, mesh.triangles) == expected
    assert not closed(mesh.positions, mesh.triangles[:, ::-1]), "turned inside out"
    assert not closed(mesh.positions, mesh.triangles[1:])


@given(st.lists(st.tuples(*[st.integers(0, 12)] * 3), min_size=1, max_size=40))
def test_each_triangle_has_a_last_vertex_of_its_own(corners) -> None:
    """Triangles are the same, turned at most, and are known by their last vertex, the provoking one of OpenGL."""
    triangles = np.array(corners, np.uint32)
    order, numbered = provoked(triangles)
    assert (numbered[:, 2] == np.arange(len(triangles))).all()
    turns = [np.roll(triangles, k, axis=1) for k in range(3)]
    assert np.any([(order[numbered] == t).all(axis=1) for t in turns], axis=0).all()
    assert len(order) <= len(triangles) + len(np.unique(triangles))


def test_whether_a_draw_is_a_crowd_follows_from_its_triangles_alone(renderer) -> None:
    """Not from the picture's size or the camera: nothing is compiled when something moves."""
    material = Material(id="few", name="Few", coats=(Coat(id="c", name="C", surface=Surface()),))
    mesh = shapes.ball(0.3, 24)
    enough = -(-crowd.FEWEST_TRIANGLES // len(mesh.triangles))
    for count, expected in ((enough - 1, 0), (enough, 1)):
        crowd_of(renderer, material, mesh, strewn(count, 2.0))
        before = None
        for distance, size in ((9.0, (WIDTH, HEIGHT)), (2.0, (WIDTH, HEIGHT)), (9.0, (90, 60))):
            renderer.picture("crowd", eye_for(Camera(target=(0, 0, 0), distance=distance), *size), *size)
            assert renderer.crowds.drawn == expected
            assert before in (None, renderer.shop.compiles)
            before = renderer.shop.compiles


def test_a_few_triangles_of_a_crowds_material_need_no_program_of_their_own(renderer, monkeypatch) -> None:
    material, small = one_colour("shared").with_(two_sided=True), shapes.box(0.5, 0.5, 0.5)
    crowd_of(renderer, material, shapes.ball(0.3, 24), strewn(20, 2.0))
    large = renderer.scenes.get("crowd").scene.draws[0]
    put_mesh(renderer, "beside", small)
    few = replace(large, mesh="beside", count=len(small.triangles), matrices=large.matrices[:3],
                  rows=large.rows[:3], seeds=large.seeds[:3])  # fmt: skip
    renderer.scenes.set("crowd", Scene([few, large], renderer.scenes.get("crowd").scene.rows))
    eye = eye_for(Camera(target=(0, 0, 0), distance=6.0), WIDTH, HEIGHT)
    renderer.compile_ahead(("shared",))
    before = renderer.shop.compiles
    renderer.picture("crowd", eye, WIDTH, HEIGHT)
    assert (renderer.shop.compiles, renderer.crowds.drawn) == (before, 2)
    one, other = pictures(renderer, monkeypatch, "crowd", eye, ("lit", "normal"))
    assert_alike(one, other, 0.004)


@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    st.tuples(*[st.floats(-2, 2)] * 3), st.floats(0.02, 9), st.floats(-3, 3), st.floats(-1.4, 1.4), st.booleans(),
)  # fmt: skip
def test_a_crowd_of_few_is_looked_for_only_where_it_can_be(renderer, target, distance, yaw, pitch, moved) -> None:
    """From afar, beside the picture, within a ball, behind the eye."""
    moves = (HeightMove(id="h", amount=0.3, middle=0.0),) * moved
    crowd_of(renderer, one_colour("few").with_(moves=moves), shapes.ball(0.8, 24), strewn(3, 1.5))
    eye = eye_for(Camera(target=target, distance=distance, yaw=yaw, pitch=pitch), WIDTH, HEIGHT)
    found = []
    for few in (crowd.FEW, 0):
        with pytest.MonkeyPatch.context() as patch:
            patch.setattr(crowd, "FEW", few)
            patch.setattr(crowd, "FEWEST_TRIANGLES", 1)
            found.append(renderer.picture("crowd", eye, WIDTH, HEIGHT, ("normal", "base_color"), sample=0))
    assert np.array_equal(*found)


def test_a_prop_with_paint_of_its_own_shows_it_and_what_is_painted_over_it(renderer, monkeypatch) -> None:
    """Runs that begin and end within the rows of the table, and some that span several."""
    mesh, rng = shapes.ball(1.0, 96), np.random.default_rng(2)
    term = PaintTerm(id="t", channel="R")
    other = Coat(
        id="o",
        name="O",
        surface=Surface(color=(0.1, 0.7, 0.2)),
        where=(term, PaintTerm(id="u", channel="B", color_set=1, combine="max")),
    )
    material = Material(
        id="own", name="Own", coats=(Coat(id="c", name="C", surface=Surface(color=(0.8, 0.2, 0.1))), other)
    )
    crowd_of(renderer, material, mesh, np.eye(4)[None])
    scene = renderer.scenes.get("crowd").scene
    renderer.scenes.set("crowd", Scene([replace(scene.draws[0], paints={0: "prop"})], scene.rows))
    count = mesh.vertex_count
    renderer.assets.put_paint("prop", rng.integers(0, 65536, (count, 8)).astype(np.uint16))
    eye = eye_for(Camera(target=(0, 0, 0), distance=3.0), WIDTH, HEIGHT)
    for start, length in ((0, 0), (10, 500), (700, 1), (512, 2048), (count - 300, 300)):
        if length:
            renderer.assets.patch_paint("prop", start, rng.integers(0, 2, (length, 8)).astype(np.uint16) * 65535)
        one, direct = pictures(renderer, monkeypatch, "crowd", eye, ("lit", "coverage", "paint:R"))
        assert np.ptp(direct) > 100
        assert_alike(one, direct, 0.004)


def test_props_with_paint_of_their_own_share_a_draw_with_those_without(renderer, monkeypatch) -> None:
    """As a crowd and not: each shows its own paint, and what is painted over one alone; the others show the mesh's."""
    mesh, rng = shapes.ball(0.4, 48), np.random.default_rng(3)
    coats = (
        Coat(id="c", name="C", surface=Surface(color=(0.8, 0.2, 0.1))),
        Coat(id="o", name="O", surface=Surface(color=(0.1, 0.7, 0.2)), where=(PaintTerm(id="t", channel="G"),)),
    )
    matrices = np.tile(np.eye(4), (4, 1, 1))
    matrices[:, 0, 3] = (-1.5, -0.5, 0.5, 1.5)
    crowd_of(renderer, Material(id="own", name="Own", coats=coats), mesh, matrices)
    scene = renderer.scenes.get("crowd").scene
    (draw,) = scene.draws
    names = {1: "a", 3: "b"}
    painted = {n: rng.integers(0, 2, (mesh.vertex_count, 4)).astype(np.uint16) * 65535 for n in names.values()}
    together = Scene([replace(draw, paints=names)], scene.rows)
    apart = Scene([
        replace(draw, matrices=draw.matrices[[i]], rows=draw.rows[[i]], seeds=draw.seeds[[i]],
                paints={0: names[i]} if i in names else {}) for i in range(4)
    ], scene.rows)  # fmt: skip
    eye = eye_for(Camera(target=(0, 0, 0), yaw=0.0, pitch=0.2, distance=3.4), WIDTH, HEIGHT)
    seen = []
    for scenes in (together, apart):
        for prop, values in painted.items():
            renderer.assets.put_paint(prop, values)
        renderer.scenes.set("crowd", scenes)
        first, _ = pictures(renderer, monkeypatch, "crowd", eye, ("lit", "coverage", "paint:G"))
        renderer.assets.patch_paint("b", 40, np.zeros((200, 4), np.uint16))
        for found in pictures(renderer, monkeypatch, "crowd", eye, ("lit", "coverage", "paint:G")):
            assert not np.array_equal(found, first)
            seen.append(found)
    for other in seen[1:]:
        assert_alike(other, seen[0], 0.004)
    renderer.assets.drop((), (), ("a",), (), ())
    gone, _ = pictures(renderer, monkeypatch, "crowd", eye, ("lit", "coverage", "paint:G"))
    assert not np.array_equal(gone, seen[0])  # it shows the mesh's again


PAGES = st.lists(
    st.one_of(
        st.tuples(st.just("put"), st.integers(0, 5), st.integers(1, 90_000), st.integers(1, 3)),
        st.tuples(st.just("patch"), st.integers(0, 5), st.integers(0, 5000), st.integers(1, 3000)),
        st.tuples(st.just("drop"), st.integers(0, 5), st.just(0), st.just(0)),
    ),
    max_size=12,
)


@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(steps=PAGES, seed=st.integers(0, 99))
def test_pages_of_paint_hold_what_was_put_and_painted_whatever_came_and_went(gl, steps, seed: int) -> None:
    """Read as `paint.glsl` does: the head by the prop's number, then a texel a colour set of each vertex."""
    pages, rng, held = PaintPages(gl), np.random.default_rng(seed), {}
    for what, prop, size, more in steps:
        name = f"p{prop}"
        if what == "put":
            held[name] = rng.integers(0, 65536, (size, 4 * more)).astype(np.uint16)
            pages.put(name, held[name])
        elif what == "patch" and name in held:
            values = rng.integers(0, 65536, (more, held[name].shape[1])).astype(np.uint16)
            part = held[name][size : size + more]
            part[:] = values[: len(part)]
            pages.patch(name, size, values)
        elif what == "drop":
            held.pop(name, None)
            pages.drop([name])
    texels = np.frombuffer(pages.texture.read(), np.uint16).reshape(-1, 4)
    assert len({pages.number_of(name) for name in held}) == len(held)
    for name, values in held.items():
        low, high, sets, _ = (int(v) for v in texels[pages.number_of(name)])
        assert sets == values.shape[1] // 4
        start = low | high << 16
        assert np.array_equal(texels[start : start + values.size // 4], values.reshape(-1, 4))
    pages.drop(list(held))
    assert pages.nbytes == 0


def one_colour(name: str) -> Material:
    return Material(id=name, name=name, coats=(Coat(id="c", name="C", surface=Surface(color=(0.6, 0.5, 0.4))),))


def test_the_programs_made_ahead_are_those_that_a_picture_asks_for(renderer) -> None:
    mesh = shapes.ball(0.3, 24)
    for count in (1, -(-crowd.FEWEST_TRIANGLES // len(mesh.triangles))):
        crowd_of(renderer, one_colour(f"ahead{count}").with_(two_sided=True), mesh, strewn(count, 2.0))
        renderer.compile_ahead((f"ahead{count}",))
        before = renderer.shop.compiles
        renderer.picture("crowd", eye_for(Camera(target=(0, 0, 0), distance=9.0), WIDTH, HEIGHT), WIDTH, HEIGHT)
        assert renderer.shop.compiles == before
        assert (renderer.crowds.drawn > 0) == (count > 1)


def test_a_crowd_whose_program_fails_is_drawn_one_by_one_and_not_tried_again(renderer, monkeypatch) -> None:
    class Refusing:
        """A driver that takes no program of a crowd."""

        def program(self, vertex_shader: str, fragment_shader: str):
            if "usampler2D sighted" in fragment_shader:
                raise moderngl.Error("no such thing here")
            return renderer.context.program(vertex_shader=vertex_shader, fragment_shader=fragment_shader)

    monkeypatch.setattr(renderer.shop, "_context", Refusing())
    mesh = shapes.ball(0.35, 24)
    crowd_of(renderer, one_colour("refused").with_(kind="dithered"), mesh, strewn(60, 2.0))
    eye = eye_for(Camera(target=(0, 0, 0), distance=9.0), WIDTH, HEIGHT)
    first = renderer.picture("crowd", eye, WIDTH, HEIGHT)
    compiles = renderer.shop.compiles
    assert not renderer.faults
    assert np.ptp(first[..., :3].astype(int)) > 40
    assert np.array_equal(renderer.picture("crowd", eye, WIDTH, HEIGHT), first)
    assert renderer.shop.compiles == compiles
