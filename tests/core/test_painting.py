"""Painting vertices: places, dabs, strokes, mirrors, and where paint must not go."""

from __future__ import annotations

import numpy as np
import pytest
import trimesh
from hypothesis import given, settings
from hypothesis import strategies as st

from jade_coat.mesh import shapes
from jade_coat.mesh.brush import Brush, falloff
from jade_coat.mesh.building import build_mesh
from jade_coat.mesh.canvas import MapCanvas, VertexCanvas
from jade_coat.mesh.data import FULL, MeshData
from jade_coat.mesh.filling import map_filled
from jade_coat.mesh.painting import TILE, Paint, PaintMap, shown_paint
from jade_coat.mesh.stroke import Stroke
from jade_coat.mesh.subdivide import subdivided
from jade_coat.mesh.surface_index import surface_index
from jade_coat.stage.paint_rules import PaintRule
from tests.core.paint_sheets import UP, folded, noise_paint


def stroke_on(mesh: MeshData, paint: Paint | None = None) -> Stroke:
    return Stroke(VertexCanvas(mesh, paint or shown_paint(mesh, None)))


# The surface index


def test_the_nearest_places_are_those_of_a_reference_library() -> None:
    """Against trimesh's nearest point on each triangle."""
    mesh = shapes.post(0.5, 1.2, 0.08, 0.05)
    points = np.random.default_rng(3).uniform(-1, 1.6, (60, 3))
    near = surface_index(mesh).nearest(points)
    corners = mesh.positions[mesh.triangles].astype(float)
    every = [trimesh.triangles.closest_point(corners, np.repeat([p], len(corners), axis=0)) - p for p in points]
    distance = np.array([np.linalg.norm(e, axis=1).min() for e in every])
    np.testing.assert_allclose(near.distance, distance, atol=1e-6)
    np.testing.assert_allclose(np.linalg.norm(near.values(mesh, mesh.positions) - points, axis=1), distance, atol=1e-5)


@settings(max_examples=30, deadline=None)
@given(st.floats(0.02, 1.5), st.integers(0, 10_000))
def test_a_ball_finds_every_triangle_that_reaches_into_it(radius, seed) -> None:
    mesh = shapes.ball(0.6, 20)
    point = np.random.default_rng(seed).uniform(-0.7, 0.7, 3)
    corners = mesh.positions[mesh.triangles].astype(float)
    away = np.linalg.norm(
        trimesh.triangles.closest_point(corners, np.repeat([point], len(corners), axis=0)) - point, axis=1
    )
    clear = np.abs(away - radius) > 1e-6
    found = np.zeros(len(corners), bool)
    found[surface_index(mesh).in_ball(point, radius)] = True
    assert (found == (away < radius))[clear].all()


# On vertices


def test_a_dab_paints_its_channels_within_its_radius_and_nothing_else() -> None:
    mesh = shapes.plane(4.0, 4.0, 0.05)
    stroke = stroke_on(mesh)
    centre = np.array([0.3, 0.0, -0.2])
    stroke.dab(centre, UP, Brush(radius=0.5, strength=1.0, channels=(1, 3)))
    after = stroke.paint().whole()
    distance = np.linalg.norm(mesh.positions - centre, axis=1)
    assert (after[distance > 0.5] == 0).all()
    assert (after[:, [0, 2]] == 0).all()
    for channel in (1, 3):
        np.testing.assert_allclose(after[:, channel], falloff("smooth", distance / 0.5) * FULL, atol=2)
    some = np.array([0, 4000, mesh.vertex_count - 1])
    assert np.array_equal(stroke.values(some), after[some])
    fresh = stroke.fresh()
    assert fresh
    assert all(np.array_equal(tile, after[i * TILE : (i + 1) * TILE]) for i, tile in fresh.items())
    assert stroke.fresh() == {}


def test_paint_stays_on_its_side_of_a_thin_wall_and_on_its_own_sheet() -> None:
    front = shapes.plane(1.0, 1.0, 0.1)
    back = build_mesh(front.positions - [0, 0.01, 0], front.triangles[:, ::-1], normals=-front.normals, uvs=front.uvs)
    over = front.with_(positions=(front.positions + np.array([0, 0.02, 0])).astype(np.float32))
    mesh = shapes.joined(((front, "Front"), (back, "Back"), (over, "Over")))
    n = front.vertex_count
    start = surface_index(mesh).nearest(np.zeros((1, 3)), UP[None]).triangle
    for surface_only, reached in ((True, False), (False, True)):
        stroke = stroke_on(mesh)
        stroke.dab(np.zeros(3), UP, Brush(radius=0.4, strength=1.0, surface_only=surface_only), int(start[0]))
        after = stroke.paint().whole()[:, 0]
        assert after[:n].max() == FULL
        assert after[n : 2 * n].max() == 0  # faces the other way
        assert bool(after[2 * n :].max() > 0) is reached  # another sheet close above, facing the same way


def test_a_stroke_goes_as_far_as_its_strength_and_flow_builds_up_to_it() -> None:
    mesh = shapes.plane(1.0, 1.0, 0.1)
    even = Brush(radius=3.0, strength=0.5, falloff="flat")
    once, often, slow = stroke_on(mesh), stroke_on(mesh), stroke_on(mesh)
    once.dab(np.zeros(3), UP, even)
    for _ in range(30):
        often.dab(np.zeros(3), UP, even)
    assert once.paint() == often.paint()
    assert (once.paint().whole()[:, 0] == round(FULL / 2)).all()
    seen = []
    for _ in range(60):
        slow.dab(np.zeros(3), UP, even.with_(flow=0.1))
        seen.append(int(slow.values(np.array([0]))[0, 0]))
    assert seen == sorted(seen)
    assert seen[0] == pytest.approx(0.05 * FULL, abs=1)
    assert seen[-1] == pytest.approx(0.5 * FULL, rel=0.01)
    back = stroke_on(mesh, once.paint())
    back.dab(np.zeros(3), UP, even.with_(strength=1.0, second=True))
    assert back.paint().whole()[:, 0].max() == 0


def test_only_touched_tiles_are_new_and_what_was_stays_to_the_bit() -> None:
    mesh = shapes.plane(10.0, 10.0, 0.1)
    before = noise_paint(mesh)
    kept = before.whole().copy()
    stroke = stroke_on(mesh, before)
    stroke.dab(mesh.positions[0].astype(float), UP, Brush(radius=0.3))
    after = stroke.paint()
    assert after.changed_tiles(before) == [0]
    assert after.tiles[1] is before.tiles[1]
    assert np.array_equal(before.whole(), kept)
    assert after != before


@settings(max_examples=40, deadline=None)
@given(
    st.sampled_from(["paint", "smooth", "sharpen", "smear"]), st.floats(0.05, 2.0), st.floats(0, 1),
    st.sampled_from(["smooth", "linear", "sharp", "flat", "curve"]), st.integers(0, 3), st.floats(0, 1),
)  # fmt: skip
def test_paint_stays_in_range_and_strength_0_changes_nothing(tool, radius, strength, kind, channel, toward) -> None:
    mesh = shapes.plane(2.0, 2.0, 0.1)
    start = noise_paint(mesh)
    brush = Brush(radius, strength, kind, (channel,), tool, a=toward)
    stroke = stroke_on(mesh, start)
    stroke.move(np.zeros(3), UP, brush)
    stroke.move(np.array([0.7, 0, 0.2]), UP, brush)
    after, old = stroke.paint().whole().astype(int), start.whole().astype(int)
    others = [c for c in range(4) if c != channel]
    assert np.array_equal(after[:, others], old[:, others])
    if strength == 0:
        assert np.array_equal(after, old)
    if tool == "paint":  # between what was there and what is painted toward
        low, high = np.minimum(old, toward * FULL), np.maximum(old, toward * FULL)
        assert (after[:, channel] >= low[:, channel] - 1).all()
        assert (after[:, channel] <= high[:, channel] + 1).all()
    elif tool != "sharpen":
        assert after[:, channel].min() >= old[:, channel].min()
        assert after[:, channel].max() <= old[:, channel].max()


def test_a_fast_stroke_leaves_no_gaps_and_disjoint_dabs_commute() -> None:
    mesh = shapes.plane(4.0, 1.0, 0.05)
    brush = Brush(radius=0.2, strength=1.0, falloff="flat")
    stroke = stroke_on(mesh)
    stroke.move(np.array([-1.5, 0, 0]), UP, brush)
    stroke.move(np.array([1.5, 0, 0]), UP, brush)
    covered = (np.abs(mesh.positions[:, 2]) < 0.05) & (np.abs(mesh.positions[:, 0]) < 1.4)
    assert stroke.paint().whole()[covered, 0].min() == FULL
    results = []
    places = [np.array([-1.0, 0, 0]), np.array([1.0, 0, 0])]
    for order in (places, places[::-1]):
        s = stroke_on(mesh)
        for p in order:
            s.dab(p, UP, Brush(radius=0.3, strength=0.4))
        results.append(s.paint())
    assert results[0] == results[1]


def test_a_stroke_over_a_bend_follows_the_surface() -> None:
    """From one side of a ball to the other: every dab lies on the ball, not on the chord through it."""
    mesh = shapes.ball(0.5, 96)
    stroke = stroke_on(mesh)
    brush = Brush(radius=0.05, strength=1.0, falloff="flat", spacing=0.2)
    for angle in (-1.2, 1.2):
        out = np.array([np.sin(angle), np.cos(angle), 0.0])
        stroke.move(out * 0.5, out, brush)
    ring = (np.abs(mesh.positions[:, 2]) < 0.02) & (mesh.normals[:, 1] > 0.5)
    assert stroke.paint().whole()[ring, 0].min() == FULL


@pytest.mark.parametrize(("within", "reaches"), [("mesh", True), ("slot", False)])
def test_a_stroke_can_stay_on_the_slot_it_began_on(within, reaches) -> None:
    mesh = folded()
    stroke = stroke_on(mesh)
    stroke.dab(np.array([-0.1, 0, 0]), UP, Brush(radius=0.3, strength=1.0, within=within))
    right = mesh.positions[:, 0] > 0.05
    assert bool(stroke.paint().whole()[right, 0].max() > 0) is reaches


def test_a_stroke_can_stay_on_its_part_its_facing_and_within_an_angle() -> None:
    box = shapes.box(1.0, 1.0, 1.0)
    fine = subdivided(subdivided(subdivided(box).mesh).mesh).mesh
    two = shapes.joined(
        ((fine, "Box"), (fine.with_(positions=(fine.positions + np.array([0, 1.01, 0], np.float32))), "Top"))
    )
    corner, n = np.array([0.0, 1.0, 0.5]), fine.vertex_count
    for brush, side, upper in (
        (Brush(radius=0.4, strength=1.0, surface_only=False), True, True),
        (Brush(radius=0.4, strength=1.0, surface_only=False, within="part"), True, False),
        (Brush(radius=0.4, strength=1.0, surface_only=False, within="facing", angle=0.5), False, False),
        (Brush(radius=0.4, strength=1.0, angle=0.5), False, False),
    ):  # fmt: skip
        stroke = stroke_on(two)
        start = surface_index(two).nearest(np.array([[0.0, 1.0, 0.4]]), np.array([UP])).triangle[0]
        stroke.dab(corner, UP, brush, int(start))
        after = stroke.paint().whole()[:, 0]
        assert after[:n][fine.normals[:, 1] > 0.9].max() > 0
        assert bool(after[:n][fine.normals[:, 2] > 0.9].max() > 0) is side
        assert bool(after[n:].max() > 0) is upper


def test_a_mirrored_stroke_is_its_own_mirror_image() -> None:
    mesh = shapes.ball(0.5, 64)
    stroke = stroke_on(mesh)
    brush = Brush(radius=0.15, strength=0.8, mirror="x")
    for angle in (0.3, 0.9):
        out = np.array([np.sin(angle), 0.2, np.cos(angle)])
        out /= np.linalg.norm(out)
        stroke.move(out * 0.5, out, brush)
    values = stroke.paint().whole()[:, 0]
    near = surface_index(mesh).nearest(mesh.positions * np.array([-1, 1, 1]))
    np.testing.assert_allclose(near.values(mesh, values[:, None])[:, 0], values, atol=FULL * 0.02)
    assert values[mesh.positions[:, 0] < -0.1].max() > 0.5 * FULL


def test_smoothing_evens_out_sharpening_does_the_opposite_and_smearing_drags_along() -> None:
    mesh = shapes.plane(2.0, 2.0, 0.02)
    edge = np.zeros((mesh.vertex_count, 4), np.uint16)
    edge[mesh.positions[:, 0] < 0] = FULL
    brush = Brush(radius=0.4, strength=1.0, falloff="flat")

    def after(tool: str, *way: float) -> np.ndarray:
        stroke = stroke_on(mesh, Paint.of(edge))
        for x in way:
            stroke.move(np.array([x, 0, 0]), UP, brush.with_(tool=tool))
        return stroke.paint().whole()[:, 0] / FULL

    inner = (np.linalg.norm(mesh.positions, axis=1) < 0.35) & (np.abs(mesh.positions[:, 0]) < 0.1)
    soft = after("smooth", 0.0)
    assert 0.1 < soft[inner].std() < 0.45  # a soft slope instead of a step, whose deviation is one half
    order = np.argsort(mesh.positions[inner, 0], kind="stable")
    assert np.corrcoef(soft[inner][order], -mesh.positions[inner, 0][order])[0, 1] > 0.9
    ramp = edge.copy()
    ramp[:, 0] = (np.clip(0.5 - mesh.positions[:, 0] * 2, 0, 1) * FULL).astype(np.uint16)
    stroke = stroke_on(mesh, Paint.of(ramp))
    for _ in range(6):
        stroke.dab(np.array([-0.25, 0, 0]), UP, brush.with_(tool="sharpen"))
    assert stroke.paint().whole()[inner, 0].std() > ramp[inner, 0].std()
    dragged = after("smear", -0.1, 0.3)
    right = (mesh.positions[:, 0] > 0.05) & (mesh.positions[:, 0] < 0.2) & (np.abs(mesh.positions[:, 2]) < 0.2)
    assert dragged[right].mean() > 0.5
    assert edge[right, 0].max() == 0


def test_colour_sets_beyond_the_first_are_painted_on_their_own() -> None:
    mesh = shapes.plane(1.0, 1.0, 0.1)
    own = np.full((mesh.vertex_count, 4), 7, np.uint16)
    paint = shown_paint(mesh.with_(colors=(*mesh.colors, own)), None, sets=3)
    assert paint.channels == 12
    stroke = stroke_on(mesh, paint)
    stroke.dab(np.zeros(3), UP, Brush(radius=0.3, strength=1.0, channels=(9,)))
    third = stroke.paint().color_set(2)
    assert third is not None
    assert third[:, 1].max() == FULL
    assert third[:, [0, 2, 3]].max() == 0
    second = stroke.paint().color_set(1)
    assert second is not None
    assert (second == 7).all()
    assert stroke.paint().color_set(3) is None


# More vertices


@settings(max_examples=20, deadline=None)
@given(st.sampled_from(["ball", "box", "post"]), st.integers(0, 1000), st.floats(0.0, 1.0))
def test_splitting_triangles_keeps_the_surface_the_seams_and_the_slots(kind, seed, share) -> None:
    mesh = {"ball": shapes.ball(0.4, 12), "box": shapes.box(1, 2, 1), "post": shapes.post(0.4, 1, 0.05, 0.2)}[kind]
    rng = np.random.default_rng(seed)
    chosen = np.flatnonzero(rng.random(len(mesh.triangles)) < share)
    finer = subdivided(mesh, chosen)
    new = finer.mesh

    def solid(m: MeshData) -> trimesh.Trimesh:
        return trimesh.Trimesh(
            m.positions.astype(float), m.triangles.astype(np.int64), process=True, merge_norm=True, merge_tex=True
        )

    before, after = solid(mesh), solid(new)
    assert after.area == pytest.approx(before.area, rel=1e-5)
    assert after.is_watertight == before.is_watertight  # no gap opened at a neighbour or across a seam
    assert [s.name for s in new.slots] == [s.name for s in mesh.slots]
    assert sum(s.count for s in new.slots) == len(new.triangles)
    areas = [[solid_part(m, s) for s in m.slots] for m in (mesh, new)]
    np.testing.assert_allclose(areas[0], areas[1], rtol=1e-4)
    assert np.allclose(np.linalg.norm(new.normals, axis=1), 1, atol=1e-4)
    paint = noise_paint(mesh, seed)
    assert np.array_equal(finer.paint(paint).whole()[: mesh.vertex_count], paint.whole())


def solid_part(mesh: MeshData, slot) -> float:
    c = mesh.positions[mesh.triangles[slot.start : slot.start + slot.count]].astype(float)
    return float(np.linalg.norm(np.cross(c[:, 1] - c[:, 0], c[:, 2] - c[:, 0]), axis=1).sum() / 2)


def test_a_box_face_holds_a_stroke_once_it_is_split() -> None:
    """A plain box face cannot hold a stroke (common practice, no source)."""
    box = shapes.box(1.0, 1.0, 1.0)
    brush = Brush(radius=0.2, strength=1.0)
    bare = stroke_on(box)
    bare.dab(np.array([0.0, 1.0, 0.0]), UP, brush)
    assert bare.paint().whole().max() == 0
    fine = box
    for _ in range(4):
        fine = subdivided(fine).mesh
    split = stroke_on(fine)
    split.dab(np.array([0.0, 1.0, 0.0]), UP, brush)
    assert split.paint().whole()[:, 0].max() == FULL
    assert fine.edge_length.max() < 0.12


def test_a_map_over_uvs_that_repeat_a_thousand_times_is_painted_and_filled_at_once() -> None:
    """Metres as UVs on a large ground: what is laid shows in every repeat, and nothing takes a time that grows with
    how often it repeats."""
    ground = shapes.plane(2.0, 2.0, 1.0)
    far = ground.with_(uvs=((ground.uvs[0] * np.float32(1000)),))
    blank = PaintMap.even(256, 8, 0, repeats=True)
    stroke = Stroke(MapCanvas(far, blank))
    stroke.dab(np.array([0.1, 0.0, 0.1]), UP, Brush(radius=0.0004, strength=1.0, falloff="flat"))
    painted = blank.with_paint(stroke.paint()).picture()[..., 0]
    assert 0 < (painted == 255).sum() < 0.6 * painted.size
    whole = map_filled(PaintRule(measure="even"), far, np.eye(4), blank)
    assert (whole.picture()[..., 0] == 255).all()
