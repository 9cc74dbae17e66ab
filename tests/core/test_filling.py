"""Paint filled by rule: against closed forms on planes, boxes and balls."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from jade_coat.mesh import shapes
from jade_coat.mesh.data import FULL, MeshData, Slot
from jade_coat.mesh.filling import GROUND_LABELS, OWN, PaintRule, filled, run_rules
from jade_coat.mesh.filling import shares as shares_at
from jade_coat.mesh.grounds import Around, openness
from jade_coat.mesh.painting import Paint
from jade_coat.mesh.places import Places
from jade_coat.stage.project import turn_matrix

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
    rule = PaintRule(points=((0.0, -1.0, 0.0), (0.0, 1.0, 0.0)), a=0.2, b=0.8)
    low = mesh.positions[:, 1].min()
    expected = 0.2 + 0.6 * np.clip((mesh.positions[:, 1] + 1) / 2, 0, 1)
    got = filled(rule, mesh, ONE, bare(mesh)).whole()[:, 0] / FULL
    np.testing.assert_allclose(got, expected, atol=1 / FULL)
    half = rule.with_(points=((0.0, low, 0.0), (0.0, low + 1.0, 0.0)))  # the end point in the middle: B from there on
    top = mesh.positions[:, 1] >= low + 1.0
    np.testing.assert_allclose(filled(half, mesh, ONE, bare(mesh)).whole()[top, 0] / FULL, 0.8, atol=1 / FULL)


@settings(max_examples=30, deadline=None)
@given(st.floats(-3, 3), st.floats(-3, 3), st.floats(-3, 3))
def test_local_and_world_gradients_differ_by_the_props_turn_alone(x, y, z) -> None:
    mesh = shapes.ball(0.5, 24)
    matrix = np.eye(4)
    matrix[:3, :3] = turn_matrix(x, y, z)
    rule = PaintRule(points=((0.0, -0.5, 0.0), (0.0, 0.5, 0.0)), space="world")
    np.testing.assert_allclose(
        shares(rule, mesh, matrix),
        shares(rule.with_(space="object"), moved(mesh, matrix), ONE), atol=2e-6,
    )  # fmt: skip


def test_an_angle_gradient_leaves_all_that_faces_sideways_or_down_the_second_value() -> None:
    """From 0° to 90° about "up" (common practice, no source); on a ball the angle is known in closed form."""
    mesh = shapes.ball(0.5, 64)
    rule = PaintRule(ground="angle", range=(0.0, np.pi / 2))
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
    upright[:3, :3] = turn_matrix(np.pi / 2, 0.0, 0.0)
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
    got = shares(PaintRule(ground="part", seed=3), mesh, ONE)
    assert len(np.unique(got)) == 3
    assert all(np.ptp(got[pieces == p]) == 0 for p in range(3))


@settings(max_examples=40, deadline=None)
@given(st.sampled_from(list(GROUND_LABELS)), st.sampled_from(["replace", "multiply", "add", "max", "min"]),
       st.floats(0, 1), st.floats(0, 1), st.floats(0, 1), st.booleans())  # fmt: skip
def test_fills_stay_inside_and_strength_0_changes_nothing(ground, mix, a, b, strength, invert) -> None:
    mesh = shapes.ball(0.5, 10)
    rng = np.random.default_rng(5)
    paint = Paint.of(rng.integers(0, FULL + 1, (mesh.vertex_count, 4)).astype(np.uint16))
    rule = PaintRule(
        ground=ground, mix=mix, a=a, b=b, strength=strength, invert=invert, channels=(1, 2), range=(0.0, 1.0)
    )
    other = shapes.ball(0.3, 8)
    around = Around({"other": (other, ONE)}, lambda map_set, read, uv: uv.sum(axis=1))
    rule = rule.with_(other="other", map_set="some")
    if ground not in (*OWN, "channel"):
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
    after = filled(PaintRule(ground="even", slot=slot.name), mesh, ONE, paint)
    changed = np.flatnonzero(after.whole()[:, 0] == FULL)
    assert np.array_equal(changed, inside)
    assert filled(PaintRule(ground="even", slot=slot.name), mesh, ONE, after).changed_tiles(after) == []
    with pytest.raises(KeyError, match="no slot 'Lid'"):
        filled(PaintRule(slot="Lid"), mesh, ONE, paint)
    with pytest.raises(ValidationError, match="channels 0 to 15"):
        PaintRule(channels=(16,))


def test_rules_run_in_turn() -> None:
    mesh = shapes.box(1.0, 1.0, 1.0)
    rules = (PaintRule(ground="even", b=0.5), PaintRule(ground="channel", source=0, channels=(2,), invert=True))
    after = run_rules(rules, mesh, ONE, bare(mesh)).whole()
    assert set(after[:, 0].tolist()) == {round(0.5 * FULL)}
    np.testing.assert_allclose(after[:, 2] / FULL, 0.5, atol=2 / FULL)
