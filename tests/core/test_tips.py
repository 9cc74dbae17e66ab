"""Tips of the brush, what a stroke that shows nothing is told, and fills by axis and by step."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.ndimage import map_coordinates

from jade_coat.check.unseen_stroke import Laid, why_unseen
from jade_coat.maps.packing import PackedLookup
from jade_coat.material.material import Coat, Material
from jade_coat.material.where import PaintTerm
from jade_coat.mesh import shapes
from jade_coat.mesh.brush import Brush
from jade_coat.mesh.canvas import MapCanvas, VertexCanvas
from jade_coat.mesh.data import FULL
from jade_coat.mesh.filling import filled, step_crossing
from jade_coat.mesh.painting import Paint, PaintMap
from jade_coat.mesh.stroke import Stroke
from jade_coat.mesh.stroke_picture import stroke_picture
from jade_coat.mesh.tip import TIPS, Tip, built_in, tip_of
from jade_coat.stage.paint_rules import PaintRule

UP = np.array([0.0, 1.0, 0.0])
ONE = np.eye(4)


def bare(mesh) -> Paint:
    return Paint.of(np.zeros((mesh.vertex_count, 4), np.uint16))


def painted(mesh, brush: Brush, *places) -> np.ndarray:
    stroke = Stroke(VertexCanvas(mesh, bare(mesh)))
    for place in places:
        stroke.dab(np.array(place), UP, brush)
    return stroke.paint().whole()[:, 0]


@pytest.mark.parametrize("turn", [0.0, 0.7, np.pi / 2])
def test_a_dab_is_the_tips_picture_on_the_surface(turn: float) -> None:
    """Against SciPy's own bilinear look-up of the picture at the places of the vertices."""
    mesh, picture = shapes.plane(2.0, 2.0, 0.02), np.random.default_rng(1).random((24, 24)).astype(np.float32)
    brush = Brush(radius=0.8, strength=1.0, falloff="flat", tip=Tip("noise", picture), tip_turn=turn)
    got = painted(mesh, brush, (0.0, 0.0, 0.0)) / FULL
    x, _, z = mesh.positions.T.astype(np.float64)
    near = np.hypot(x, z) < 0.79
    # From above, across is the cross product of the helper axis x with up: −z; up, in the plane, is −x.
    across, up = -z / 0.8, -x / 0.8
    if np.linalg.norm(np.cross([1, 0, 0], UP) - [0, 0, 1]) < 1e-9:
        across, up = z / 0.8, x / 0.8
    turned_x, turned_y = across * np.cos(turn) + up * np.sin(turn), up * np.cos(turn) - across * np.sin(turn)
    row, column = (1 - turned_y) / 2 * 23, (turned_x + 1) / 2 * 23
    expected = map_coordinates(picture, [row, column], order=1, mode="nearest")
    np.testing.assert_allclose(got[near], expected[near], atol=2e-4)


@settings(max_examples=25, deadline=None)
@given(st.floats(0.05, 1.0), st.floats(0.05, 1.0), st.sampled_from(["paint", "smooth", "smear"]),
       st.sampled_from(["still", "each", "along"]))  # fmt: skip
def test_a_tip_that_lets_all_through_is_no_tip(strength, flow, tool, way) -> None:
    mesh = shapes.plane(2.0, 2.0, 0.1)
    start = Paint.of(np.random.default_rng(2).integers(0, FULL, (mesh.vertex_count, 4)).astype(np.uint16))
    found = []
    for tip in (None, Tip("all", np.ones((4, 4), np.float32))):
        stroke = Stroke(VertexCanvas(mesh, start))
        brush = Brush(0.5, strength, tool=tool, flow=flow, tip=tip, tip_way=way)
        stroke.move(np.zeros(3), UP, brush)
        stroke.move(np.array([0.5, 0.0, 0.1]), UP, brush)
        found.append(stroke.paint().whole().astype(int))
    assert np.abs(found[0] - found[1]).max() <= 1


def test_a_mirrored_tip_is_a_mirror_image_on_vertices_and_on_a_map() -> None:
    mesh = shapes.plane(2.0, 2.0, 0.05)
    brush = Brush(0.4, 1.0, "flat", mirror="x", tip=built_in("Run"), tip_turn=0.6)
    paint = painted(mesh, brush, (0.5, 0.0, 0.1))
    grid = {
        (round(float(x), 4), round(float(z), 4)): int(v) for (x, _, z), v in zip(mesh.positions, paint, strict=True)
    }
    assert max(grid.values()) > 0.5 * FULL
    assert all(abs(v - grid[-x if x else 0.0, z]) <= 1 for (x, z), v in grid.items())
    blank = PaintMap.even(64, 8, 0, repeats=True)
    stroke = Stroke(MapCanvas(mesh, blank))
    stroke.dab(np.array([0.5, 0.0, 0.1]), UP, brush)
    assert blank.with_paint(stroke.paint()).picture()[..., 0].max() > 128


def test_the_mirror_can_be_moved() -> None:
    mesh = shapes.plane(2.0, 2.0, 0.05)
    paint = painted(mesh, Brush(0.1, 1.0, "flat", mirror="x", mirror_shift=0.25), (0.6, 0.0, 0.0))
    hit = mesh.positions[paint > 0]
    assert {round(float(v), 1) for v in (hit[:, 0].min(), hit[:, 0].max())} == {-0.2, 0.7}  # 0.25 − 0.35 − 0.1


def test_a_picture_becomes_a_tip_whatever_its_shape_and_a_black_one_is_refused() -> None:
    wide = np.zeros((10, 40, 4), np.float32)
    wide[2:8, 5:35, :3], wide[:, :20, 3] = 0.5, 1.0
    made = tip_of("wide", wide)
    assert made.values.shape == (128, 128)
    assert made.values.max() == 1.0  # stretched to full
    assert not made.values[:40].any()  # fitted in, not pulled
    assert not made.values[:, 70:].any()  # alpha cuts
    with pytest.raises(ValueError, match="black all over"):
        tip_of("none", np.zeros((4, 4, 3), np.float32))
    for name in TIPS:
        found = built_in(name)
        assert found is not None
        assert 0 <= found.values.min() < found.values.max() <= 1


@settings(max_examples=30, deadline=None)
@given(st.sampled_from(["paint", "smooth", "sharpen", "smear"]), st.floats(0, 1), st.floats(0.02, 1), st.floats(0.02, 4),
       st.sampled_from([None, *TIPS]))  # fmt: skip
def test_the_picture_of_a_brush_stays_in_range_and_shows_nothing_at_strength_0(
    tool, strength, flow, spacing, tip
) -> None:
    brush = Brush(tool=tool, strength=strength, flow=flow, spacing=spacing, tip=built_in(tip) if tip else None)
    picture = stroke_picture(brush, 44, 28)
    assert picture.shape == (28, 44)
    assert picture.min() >= -1e-9
    assert picture.max() <= 1 + 1e-9
    if tool == "paint":
        assert picture.max() <= strength + 1e-9


@pytest.mark.parametrize("axis", ["x", "y", "z"])
def test_a_fill_by_axis_runs_from_one_end_of_the_bounds_to_the_other(axis: str) -> None:
    mesh, k = shapes.ball(0.5, 24), "xyz".index(axis)
    got = filled(PaintRule(measure="axis", axis=axis), mesh, ONE, bare(mesh)).whole()[:, 0] / FULL
    p = mesh.positions[:, k]
    np.testing.assert_allclose(got, (p - p.min()) / np.ptp(p), atol=2 / FULL)
    matrix = np.diag([1.0, 2.0, 0.5, 1.0])
    matrix[:3, :3] = matrix[:3, :3] @ np.array([[0.0, -1, 0], [1, 0, 0], [0, 0, 1]])
    world = mesh.positions @ matrix[:3, :3].T
    rule = PaintRule(measure="axis", axis=axis, space="world", range=(0.25, 0.5))
    share = (world[:, k] - world[:, k].min()) / np.ptp(world[:, k])
    expected = np.clip((share - 0.25) / 0.25, 0, 1)
    np.testing.assert_allclose(filled(rule, mesh, matrix, bare(mesh)).whole()[:, 0] / FULL, expected, atol=1e-4)


def test_a_step_tells_how_wide_its_edge_is_and_which_triangles_it_crosses() -> None:
    mesh = shapes.plane(2.0, 2.0, 0.1)
    rule = PaintRule(measure="axis", axis="x", ease="step", range=(0.0, 1.0))
    found = step_crossing(rule.with_(range=(0.01, 1.01)), mesh, ONE)
    assert found is not None
    assert 0.095 < found.usual < 0.15  # a grid of 10 cm: as many straight edges as diagonals
    assert found.widest == pytest.approx(0.1 * np.sqrt(2), abs=0.005)
    corners = mesh.positions[mesh.triangles[found.triangles], 0]
    assert np.ptp(corners, axis=1).min() > 0.09
    assert len(found.triangles) == 40  # one column of twenty squares
    assert step_crossing(rule.with_(measure="even"), mesh, ONE) is None


MOSSY = Material(id="m", name="Wall", coats=(
    Coat(id="c0", name="Tile"), Coat(id="c1", name="Moss", where=(PaintTerm(id="t", channel="G"),)),
))  # fmt: skip
SEEN = Laid(True, True)


def coats(*, over: tuple[Coat, ...] = (), **changes) -> Material:
    return MOSSY.with_(coats=(MOSSY.coats[0], MOSSY.coats[1].with_(**changes), *over))


@pytest.mark.parametrize(
    ("laid", "brush", "worn", "words"),
    [
        (SEEN, Brush(channels=(1,)), MOSSY, ""),
        (SEEN, Brush(channels=(0,)), MOSSY, "R is not read by Wall"),
        (SEEN, Brush(channels=(0, 1)), MOSSY, ""),
        (SEEN, Brush(channels=(0, 2)), MOSSY, "R and B are not read by Wall"),
        (SEEN, Brush(channels=(5,)), MOSSY, "G is not read"),  # the second colour set
        (SEEN, Brush(channels=(1,)), coats(shown=False), "Moss is hidden"),
        (SEEN, Brush(channels=(1,)), coats(amount=0.0), "amount of Moss is 0"),
        (SEEN, Brush(channels=(1,)), coats(over=(Coat(id="c2", name="Soot"),)), "Soot covers Moss everywhere"),
        (SEEN, Brush(channels=(1,)), coats(over=(Coat(id="c2", name="Soot", amount=0.5),)), ""),
        (Laid(False, True), Brush(channels=(1,), a=0.5), MOSSY, "It is 0.5 there already"),
        (Laid(False, True), Brush(channels=(1,), strength=0.0), MOSSY, "Strength is 0"),
        (Laid(False, True), Brush(channels=(1,), flow=0.0), MOSSY, "Flow is 0"),
        (Laid(False, False), Brush(channels=(1,)), MOSSY, "No vertex lay under"),
    ],
)
def test_a_stroke_that_shows_nothing_says_why(laid, brush, worn, words) -> None:
    told = why_unseen(laid, brush, worn, PackedLookup(()))
    assert words in told
    assert bool(words) == bool(told)
