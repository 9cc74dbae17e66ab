"""Paint maps, and paint carried between meshes, uv sets, vertices and maps."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from jade_coat.mesh import shapes
from jade_coat.mesh.brush import Brush, falloff
from jade_coat.mesh.building import build_mesh
from jade_coat.mesh.canvas import MapCanvas
from jade_coat.mesh.data import FULL
from jade_coat.mesh.painting import Paint, PaintMap, shown_paint
from jade_coat.mesh.stroke import Stroke
from jade_coat.mesh.subdivide import subdivided
from jade_coat.mesh.surface_index import surface_index
from jade_coat.mesh.transfer import map_from_vertices, map_transferred, transferred, vertices_from_map
from tests.core.paint_sheets import UP, folded, laid_once, noise_paint


@pytest.mark.parametrize(("side", "bits"), [(16, 8), (64, 16), (512, 16), (512, 8)])
def test_a_dab_on_a_map_is_the_falloff_of_the_distance_at_each_texel(side, bits) -> None:
    mesh = laid_once(shapes.plane(2.0, 2.0, 1.0))
    canvas = MapCanvas(mesh, PaintMap.even(side, bits, 0))
    stroke = Stroke(canvas)
    centre = np.array([0.2, 0.0, -0.3])
    stroke.dab(centre, UP, Brush(radius=0.6, strength=1.0, channels=(2,)))
    picture = canvas.map.with_paint(stroke.paint()).picture()
    x = (np.arange(side) + 0.5) / side * 2 - 1
    away = np.hypot(x[None, :] - centre[0], x[:, None] - centre[2])
    np.testing.assert_allclose(
        picture[..., 2] / (2**bits - 1), falloff("smooth", away / 0.6), atol=1.6 / 255 if bits == 8 else 2e-4
    )
    assert picture[..., [0, 1, 3]].max() == 0
    assert canvas.paint.tiles[0].max() == 0


@pytest.mark.parametrize("side", [128, 512])
def test_a_stroke_over_a_seam_is_continuous_in_space(side) -> None:
    """Just beside the seam, both charts' filtered reads give what the falloff says there (3-D continuity)."""
    mesh = folded()
    canvas = MapCanvas(mesh, PaintMap.even(side, 16, 0))
    stroke = Stroke(canvas)
    brush = Brush(radius=0.3, strength=1.0, falloff="linear")
    stroke.dab(np.array([0.02, 0, 0.1]), UP, brush)
    made = canvas.map.with_paint(stroke.paint())
    z = np.linspace(-0.3, 0.4, 60)
    values = []
    for side_of in (-1, 1):
        points = np.stack([np.full(60, side_of * 1e-5), 0 * z, z], axis=1)
        near = surface_index(mesh).nearest(points)
        values.append(made.sampled(near.values(mesh, mesh.uvs[0]))[:, 0])
    expected = falloff("linear", np.hypot(0.02, z - 0.1) / 0.3)
    texel = 1.0 / (0.42 * side)  # metres, on the coarser chart
    np.testing.assert_allclose(values[0], values[1], atol=1.5 * texel / 0.3)
    np.testing.assert_allclose(values[0], expected, atol=2.0 * texel / 0.3)


def test_a_map_takes_room_only_where_it_is_painted_and_repeats_beyond_its_square() -> None:
    mesh = laid_once(shapes.plane(2.0, 2.0, 1.0))
    made = PaintMap.even(1024, 16, 0)
    assert len({id(t) for t in made.paint.tiles}) == 1
    stroke = Stroke(MapCanvas(mesh, made))
    stroke.dab(np.array([0.5, 0.0, 0.5]), UP, Brush(radius=0.05, strength=1.0))
    changed = stroke.paint().changed_tiles(made.paint)
    assert 0 < len(changed) <= 9
    tiled = mesh.with_(uvs=(mesh.uvs[0] * np.float32(2),))
    blank = PaintMap.even(64, 16, 0, repeats=True)
    again = Stroke(MapCanvas(tiled, blank))
    again.dab(np.array([-0.5, 0.0, -0.5]), UP, Brush(radius=0.2, strength=1.0))
    painted = blank.with_paint(again.paint())
    uv = np.array([[0.5, 0.5], [1.5, 1.5], [1.0, 1.0]])
    first, second, corner = painted.sampled(uv)[:, 0]
    assert first == second > 0.9
    assert corner == 0


def test_a_map_read_between_its_texels_is_what_the_reference_library_reads() -> None:
    """Against OpenCV's bilinear remap, with a repeated border; it rounds places to 1/32 texel."""
    import cv2

    picture = np.random.default_rng(4).integers(0, FULL + 1, (128, 128, 4), dtype=np.uint16)
    made = PaintMap.of_picture(picture, 0, repeats=True)
    assert np.array_equal(made.picture(), picture)
    uv = np.random.default_rng(5).integers(0, 128 * 32, (500, 2)) / (128 * 32)
    at = (uv * 128 - 0.5).astype(np.float32)
    found = cv2.remap(
        picture.astype(np.float32), at[:, :1].copy(), at[:, 1:].copy(), cv2.INTER_LINEAR, borderMode=cv2.BORDER_WRAP
    )
    np.testing.assert_allclose(made.sampled(uv), found[:, 0] / FULL, atol=1e-6)


# To another mesh


@settings(max_examples=10, deadline=None)
@given(st.sampled_from(["ball", "box", "post"]), st.integers(0, 99))
def test_a_transfer_to_the_same_mesh_is_the_identity(kind, seed) -> None:
    mesh = {"ball": shapes.ball(0.4, 16), "box": shapes.box(1, 2, 1), "post": shapes.post(0.4, 1, 0.05, 0.1)}[kind]
    paint = noise_paint(mesh, seed)
    again = build_mesh(mesh.positions.copy(), mesh.triangles.copy(), "again", mesh.normals, mesh.uvs)
    moved, report = transferred(mesh, paint, again)
    assert moved == paint
    assert report.same == report.places
    order = np.random.default_rng(seed).permutation(mesh.vertex_count)
    back = np.argsort(order)
    shuffled = mesh.with_(
        positions=mesh.positions[order], normals=mesh.normals[order], tangents=mesh.tangents[order],
        uvs=(mesh.uvs[0][order],), colors=(mesh.colors[0][order],), triangles=back[mesh.triangles].astype(np.uint32),
    )  # fmt: skip
    moved, report = transferred(mesh, paint, shuffled)
    assert report.same == report.places
    rows = np.concatenate([mesh.positions, mesh.normals, mesh.uvs[0]], axis=1)
    alone = np.unique(rows, axis=0, return_counts=True)[1].max() == 1
    assert not alone or np.array_equal(moved.whole(), paint.whole()[order])


def test_a_finer_mesh_takes_its_paint_from_the_surface_and_from_the_side_it_faces() -> None:
    front = shapes.plane(1.0, 1.0, 0.1)
    back = build_mesh(front.positions - [0, 0.01, 0], front.triangles[:, ::-1], normals=-front.normals, uvs=front.uvs)
    old = shapes.joined(((front, "Front"), (back, "Back")))
    values = np.zeros((old.vertex_count, 4), np.uint16)
    values[: front.vertex_count, 0] = (front.positions[:, 0] + 0.5) * FULL
    values[front.vertex_count :, 1] = FULL
    new = subdivided(old).mesh
    sunk = new.with_(positions=(new.positions + np.array([0, -0.004, 0], np.float32)))
    moved, report = transferred(old, Paint.of(values), sunk)
    up = sunk.normals[:, 1] > 0
    np.testing.assert_allclose(moved.whole()[up, 0], (sunk.positions[up, 0] + 0.5) * FULL, atol=2)
    assert (moved.whole()[~up, 1] == FULL).all()
    assert moved.whole()[up, 1].max() == 0
    assert report.same == 0
    assert report.median == pytest.approx(0.004, abs=1e-5)
    assert "nearest surface" in report.words()


def test_a_map_moves_to_other_uvs_and_paint_goes_between_vertices_and_maps() -> None:
    mesh = laid_once(shapes.plane(1.0, 1.0, 0.02))
    slope = np.zeros((mesh.vertex_count, 4), np.uint16)
    slope[:, 0] = np.clip(mesh.positions[:, 0] + 0.5, 0, 1) * FULL
    made = map_from_vertices(mesh, Paint.of(slope), 256, 16, 0)
    x = (np.arange(256) + 0.5) / 256
    np.testing.assert_allclose(made.picture()[128, :, 0], x * FULL, atol=3)
    assert vertices_from_map(mesh, made, shown_paint(mesh, None)).whole()[:, 0] == pytest.approx(
        slope[:, 0], abs=FULL / 250
    )
    same, report = map_transferred(mesh, made, mesh)
    assert same.paint is made.paint
    assert report.same == report.places
    turned = mesh.with_(uvs=(np.ascontiguousarray(1 - mesh.uvs[0][:, ::-1]),))
    moved, report = map_transferred(mesh, made, turned)
    np.testing.assert_allclose(moved.picture()[:, 128, 0], (1 - x) * FULL, atol=FULL / 120)
    assert report.farthest < 0.01
