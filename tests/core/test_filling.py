"""Paint filled by rule: against closed forms on planes, boxes and balls."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError
from scipy.interpolate import PchipInterpolator

from jade_coat.looking.surroundings import surroundings
from jade_coat.maps.images import as_float, read_image
from jade_coat.material.surface import Role
from jade_coat.mesh import shapes
from jade_coat.mesh.data import FULL, MeshData, Slot
from jade_coat.mesh.filling import filled, map_filled, run_rules
from jade_coat.mesh.filling import shares as shares_at
from jade_coat.mesh.measures import OWN, Around, openness
from jade_coat.mesh.painting import Paint, PaintMap
from jade_coat.mesh.places import Places
from jade_coat.stage.paint_rules import MEASURE_LABELS, PaintRule
from jade_coat.stage.turns import turn_matrix, turn_of

ONE = np.eye(4)


def shares(rule: PaintRule, mesh: MeshData, matrix: np.ndarray) -> np.ndarray:
    found = shares_at(rule, Places(mesh, slice(0, mesh.vertex_count)), matrix)
    return np.broadcast_to(found, mesh.vertex_count)


def bare(mesh: MeshData) -> Paint:
    return Paint.of(np.zeros((mesh.vertex_count, 4), np.uint16))


def joined(*meshes: MeshData) -> MeshData:
    """Several meshes as one, for pieces and corners."""
    starts = np.cumsum([0, *(m.vertex_count for m in meshes)])
    triangles = np.concatenate([m.triangles + s for m, s in zip(meshes, starts, strict=False)])
    return MeshData(
        np.concatenate([m.positions for m in meshes]), np.concatenate([m.normals for m in meshes]),
        np.concatenate([m.tangents for m in meshes]), (np.concatenate([m.uvs[0] for m in meshes]),), (),
        triangles.astype(np.uint32), (Slot("all", 0, len(triangles)),),
    )  # fmt: skip


def moved(mesh: MeshData, matrix: np.ndarray) -> MeshData:
    return mesh.with_(
        positions=(mesh.positions @ matrix[:3, :3].T + matrix[:3, 3]).astype(np.float32),
        normals=(mesh.normals @ matrix[:3, :3].T).astype(np.float32),
    )


def test_a_gradient_is_the_place_along_the_line_between_its_points() -> None:
    mesh = shapes.box(2.0, 2.0, 2.0)
    rule = PaintRule(points=((0.0, -1.0, 0.0), (0.0, 1.0, 0.0)), a=0.8, b=0.2)
    low = mesh.positions[:, 1].min()
    expected = 0.2 + 0.6 * np.clip((mesh.positions[:, 1] + 1) / 2, 0, 1)
    got = filled(rule, mesh, ONE, bare(mesh)).whole()[:, 0] / FULL
    np.testing.assert_allclose(got, expected, atol=1 / FULL)
    half = rule.with_(points=((0.0, low, 0.0), (0.0, low + 1.0, 0.0)))  # the end point in the middle: A from there on
    top = mesh.positions[:, 1] >= low + 1.0
    np.testing.assert_allclose(filled(half, mesh, ONE, bare(mesh)).whole()[top, 0] / FULL, 0.8, atol=1 / FULL)


@settings(max_examples=30, deadline=None)
@given(st.floats(-3, 3), st.floats(-3, 3), st.floats(-3, 3))
def test_local_and_world_gradients_differ_by_the_props_turn_alone(x, y, z) -> None:
    mesh = shapes.ball(0.5, 24)
    matrix = np.eye(4)
    matrix[:3, :3] = turn_matrix(turn_of(x, y, z))
    rule = PaintRule(points=((0.0, -0.5, 0.0), (0.0, 0.5, 0.0)), space="world")
    np.testing.assert_allclose(
        shares(rule, mesh, matrix),
        shares(rule.with_(space="object"), moved(mesh, matrix), ONE), atol=2e-6,
    )  # fmt: skip


def test_an_angle_gradient_leaves_all_that_faces_sideways_or_down_the_second_value() -> None:
    """From 0° to 90° about "up" (common practice, no source); on a ball the angle is known in closed form."""
    mesh = shapes.ball(0.5, 64)
    rule = PaintRule(measure="angle", range=(0.0, np.pi / 2))
    got = shares(rule, mesh, ONE)
    expected = np.clip(np.arccos(np.clip(mesh.normals[:, 1], -1, 1)) / (np.pi / 2), 0, 1)
    np.testing.assert_allclose(got, expected, atol=2e-6)
    assert got[mesh.normals[:, 1] <= 1e-7].min() > 1 - 1e-6
    assert got[mesh.normals[:, 1] > 0.99999].max() < 0.01
    box = shapes.box(1.0, 1.0, 1.0)
    faces = shares(rule, box, ONE)
    assert set(faces.tolist()) == {0.0, 1.0}
    assert ((faces == 0) == (box.normals[:, 1] > 0.5)).all()


def test_shelter_in_a_corner_and_on_a_lone_ball() -> None:
    """Two perpendicular planes: far from the ends, a point at distance x from the corner with a wall of height h sees

    (1 + cos φ) / 2 of the cosine-weighted sky, tan φ = h / x (the form factor of an infinite strip; Siegel & Howell,
    Thermal Radiation Heat Transfer, from memory and derived anew: ∫ of cos over the angles that are left, halved).
    """
    floor = shapes.plane(40.0, 1.0, 0.25)
    wall = shapes.plane(40.0, 1.0, 0.25)
    upright = np.eye(4)
    upright[:3, :3] = turn_matrix(turn_of(np.pi / 2, 0.0, 0.0))
    upright[:3, 3] = (0.0, 0.5, -0.5)
    both = joined(floor, moved(wall, upright))
    got = openness(both.positions, both.normals, both, 1000.0, 256)
    inner = np.abs(both.positions[:, 0]) < 1.0
    on_floor = inner & (np.arange(both.vertex_count) < floor.vertex_count) & (both.positions[:, 2] > -0.45)
    x = both.positions[on_floor, 2] + 0.5
    expected = (1 + np.cos(np.arctan2(1.0, x))) / 2
    np.testing.assert_allclose(got[on_floor], expected, atol=0.04)  # 256 rays
    ball = shapes.ball(0.5, 48)
    assert openness(ball.positions, ball.normals, ball, 1000.0, 64).min() > 0.999
    assert (
        openness(both.positions, both.normals, both, 0.05, 64)[on_floor & (both.positions[:, 2] > -0.2)].min() == 1.0
    )  # nothing within reach


def test_pieces_get_a_value_each() -> None:
    ball = shapes.ball(0.3, 12)
    apart = np.eye(4)
    apart[0, 3] = 2.0
    mesh = joined(ball, moved(ball, apart), shapes.box(0.2, 0.2, 0.2))
    pieces = mesh.pieces
    assert len(np.unique(pieces)) == 3
    got = shares(PaintRule(measure="part", seed=3), mesh, ONE)
    assert len(np.unique(got)) == 3
    assert all(np.ptp(got[pieces == p]) == 0 for p in range(3))


@settings(max_examples=40, deadline=None)
@given(st.sampled_from(list(MEASURE_LABELS)), st.sampled_from(["replace", "multiply", "add", "max", "min"]),
       st.floats(0, 1), st.floats(0, 1), st.floats(0, 1), st.booleans())  # fmt: skip
def test_fills_stay_inside_and_strength_0_changes_nothing(measure, mix, a, b, strength, invert) -> None:
    mesh = shapes.ball(0.5, 10)
    rng = np.random.default_rng(5)
    paint = Paint.of(rng.integers(0, FULL + 1, (mesh.vertex_count, 4)).astype(np.uint16))
    rule = PaintRule(
        measure=measure, mix=mix, a=a, b=b, strength=strength, invert=invert, channels=(1, 2), range=(0.0, 1.0)
    )
    other = shapes.ball(0.3, 8)
    around = Around({"other": (other, ONE)}, lambda map_set, read, uv: uv.sum(axis=1))
    rule = rule.with_(other="other", map_set="some")
    if measure not in (*OWN, "channel"):
        t = shares_at(rule, Places(mesh, slice(0, mesh.vertex_count)), ONE, around=around)
        assert t.min() >= 0
        assert t.max() <= 1
    after = filled(rule, mesh, ONE, paint, around).whole()
    assert (after[:, [0, 3]] == paint.whole()[:, [0, 3]]).all()  # other channels stay
    assert filled(rule.with_(strength=0.0), mesh, ONE, paint, around) == paint
    if mix == "max":
        assert (after[:, 1:3] >= paint.whole()[:, 1:3]).all()


def test_a_slot_alone_is_filled_and_untouched_tiles_are_shared() -> None:
    mesh = shapes.post(0.4, 1.0, 0.05, 0.004)
    slot = mesh.slots[0]
    inside = np.unique(mesh.triangles[slot.start : slot.start + slot.count])
    paint = bare(mesh)
    after = filled(PaintRule(measure="even", slot=slot.name), mesh, ONE, paint)
    changed = np.flatnonzero(after.whole()[:, 0] == FULL)
    assert np.array_equal(changed, inside)
    assert filled(PaintRule(measure="even", slot=slot.name), mesh, ONE, after).changed_tiles(after) == []
    with pytest.raises(KeyError, match="no slot 'Lid'"):
        filled(PaintRule(slot="Lid"), mesh, ONE, paint)
    with pytest.raises(ValidationError, match="channels 0 to 15"):
        PaintRule(channels=(16,))


def test_rules_run_in_turn() -> None:
    mesh = shapes.box(1.0, 1.0, 1.0)
    rules = (PaintRule(measure="even", a=0.5), PaintRule(measure="channel", source=0, channels=(2,), invert=True))
    after = run_rules(rules, mesh, ONE, bare(mesh)).whole()
    assert set(after[:, 0].tolist()) == {round(0.5 * FULL)}
    np.testing.assert_allclose(after[:, 2] / FULL, 0.5, atol=2 / FULL)


def test_distance_from_another_mesh_is_measured_to_its_surface_in_the_world() -> None:
    """A ball of radius r, scaled by s and placed at c, is |p − c| − s·r away from a point p outside it."""
    mesh, ball = shapes.plane(2.0, 2.0, 0.1), shapes.ball(0.5, 128)
    here, there = np.eye(4), np.eye(4)
    here[:3, :3] = turn_matrix(turn_of(0.3, 0.2, 0.1))
    there[:3, :3] *= 0.4
    there[:3, 3] = (0.3, 1.2, -0.2)
    rule = PaintRule(measure="mesh", other="ball", range=(0.0, 2.0))
    got = filled(rule, mesh, here, bare(mesh), Around({"ball": (ball, there)})).whole()[:, 0] / FULL
    world = mesh.positions @ here[:3, :3].T
    expected = np.linalg.norm(world - there[:3, 3], axis=1) - 0.2
    np.testing.assert_allclose(got, np.clip(expected / 2, 0, 1), atol=1e-3)  # 128 segments: 0.06 mm inside the ball
    with pytest.raises(KeyError, match="no prop 'jar'"):
        filled(rule.with_(other="jar"), mesh, here, bare(mesh))


def test_what_reworks_a_channel_follows_its_closed_forms() -> None:
    mesh = shapes.plane(2.0, 1.0, 0.02)
    ramp = np.zeros((mesh.vertex_count, 4), np.uint16)
    ramp[:, 0] = np.round((mesh.positions[:, 0] / 2 + 0.5) * FULL)
    ramp[:, 1] = np.where(mesh.positions[:, 0] < 0, FULL, 0)
    paint, old = Paint.of(ramp), ramp[:, 0] / FULL

    def made(**rule) -> np.ndarray:
        return filled(PaintRule(**rule), mesh, ONE, paint).whole()[:, 0] / FULL

    one = 1.5 / FULL
    np.testing.assert_allclose(made(measure="clamp", a=0.7, b=0.2), np.clip(old, 0.2, 0.7), atol=one)
    levels = made(measure="levels", range=(0.25, 0.75), a=0.9, b=0.1)
    np.testing.assert_allclose(levels, 0.1 + 0.8 * np.clip((old - 0.25) * 2, 0, 1), atol=one)
    np.testing.assert_allclose(made(measure="levels", range=(0, 1), invert=True), 1 - old, atol=one)
    points = ((0.0, 0.0), (0.2, 0.5), (0.7, 0.6), (1.0, 1.0))
    curved = made(measure="channel", source=0, ease="curve", curve=points)
    np.testing.assert_allclose(curved, PchipInterpolator(*zip(*points, strict=True))(old), atol=2 * one)  # SciPy's
    np.testing.assert_allclose(made(measure="even", a=1.0, chosen=1), np.where(ramp[:, 1] > 0, 1.0, old), atol=one)


def test_a_blur_keeps_a_slope_softens_a_step_and_stays_on_its_side_of_a_thin_wall() -> None:
    """What is linear in place stays so under any symmetric blur; away from the rim, where there is more on one side."""
    front = shapes.plane(2.0, 2.0, 0.02)
    back = front.with_(
        positions=(front.positions - np.array([0, 0.01, 0], np.float32)), normals=-front.normals,
        triangles=np.ascontiguousarray(front.triangles[:, ::-1]),
    )  # fmt: skip
    mesh, n = shapes.joined(((front, "Front"), (back, "Back"))), front.vertex_count
    values = np.zeros((2 * n, 4), np.uint16)
    values[:n, 0] = np.round((front.positions[:, 0] / 4 + 0.5) * FULL)
    values[:n, 1] = np.where(front.positions[:, 0] < 0, FULL, 0)
    got = filled(PaintRule(measure="blur", size=0.3, channels=(0, 1)), mesh, ONE, Paint.of(values)).whole()
    inner = (np.abs(front.positions[:, [0, 2]]) < 0.6).all(axis=1)
    np.testing.assert_allclose(got[:n, 0][inner] / FULL, values[:n, 0][inner] / FULL, atol=0.004)
    assert got[n:].max() == 0
    step = got[:n, 1] / FULL
    across = front.positions[:, 0]
    assert (np.abs(step - 0.5)[inner & (np.abs(across) < 0.03)] < 0.2).all()
    assert step[inner & (across > 0.35)].max() < 0.01
    assert step[inner & (across < -0.35)].min() > 0.99


def test_one_piece_alone_is_filled_and_a_map_is_filled_as_vertices_are() -> None:
    ball = shapes.ball(0.3, 16)
    apart = np.eye(4)
    apart[0, 3] = 2.0
    mesh = joined(ball, moved(ball, apart))
    after = filled(PaintRule(measure="even", piece=(2.1, 0.2, 0.0)), mesh, ONE, bare(mesh)).whole()[:, 0]
    assert (after == np.where(mesh.positions[:, 0] > 1, FULL, 0)).all()
    sheet = shapes.plane(2.0, 2.0, 0.5)
    laid = sheet.with_(uvs=((sheet.uvs[0] / 2).astype(np.float32),))
    matrix = np.eye(4)
    matrix[:3, :3] = turn_matrix(turn_of(0.4, 0.5, 0.6))
    blank = PaintMap.even(128, 16, 0)
    x = ((np.arange(128) + 0.5) / 128 - 0.5) * 2
    world = np.stack(np.broadcast_arrays(x[None, :], 0.0, x[:, None]), axis=-1) @ matrix[:3, :3].T
    for rule, expected in (
        (PaintRule(points=((0.0, 0.0, -1.0), (0.5, 0.2, 0.8)), space="world"),
         (world - [0.0, 0.0, -1.0]) @ [0.5, 0.2, 1.8] / (0.25 + 0.04 + 3.24)),
        (PaintRule(measure="height", range=(-0.5, 0.5)), world[..., 1] + 0.5),
        (PaintRule(measure="distance", points=((0.2, 0.0, 0.0), (0.0, 0.0, 0.0)), range=(0.0, 1.0)),
         np.hypot(x[None, :] - 0.2, x[:, None])),
    ):  # fmt: skip
        made = map_filled(rule, laid, matrix, blank).picture()[..., 0] / FULL
        np.testing.assert_allclose(made, np.clip(expected, 0, 1), atol=2e-4)
    half = map_filled(PaintRule(measure="even", strength=0.5), laid, matrix, blank)
    assert map_filled(PaintRule(measure="even", strength=0.0), laid, matrix, half).paint is half.paint


def test_a_map_set_is_read_as_its_file_holds_it(demo) -> None:
    """Texel for texel against the picture decoded on its own."""
    prop = demo.project.prop("kiln_wall_prop")
    entry = demo.project.map_set("cushion_moss").file(Role.HEIGHT)
    picture = as_float(read_image(demo.library.assets.read(entry.asset), entry.file))
    channel = picture[..., "rgba".index(entry.channels) if picture.shape[2] > 1 else 0]
    side = len(channel)
    at = np.random.default_rng(2).integers(0, side, (200, 2))
    found = surroundings(demo.project, demo.library, prop).map_value("cushion_moss", "height", (at + 0.5) / side)
    np.testing.assert_allclose(found, channel[at[:, 1], at[:, 0]], atol=1.0 / 255)
    with pytest.raises(KeyError, match="holds no opacity"):
        surroundings(demo.project, demo.library, prop).map_value("cushion_moss", "opacity", np.zeros((1, 2)))
