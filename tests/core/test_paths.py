"""Paths over land: how they run, how far places are from them, and what rules and scatters make of that."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from jade_coat.ground.heights import Heights
from jade_coat.ground.pages import Pages
from jade_coat.ground.paths import GroundPath, line_of, off_paths, off_paths_on, parts_of
from jade_coat.ground.rules import LayerRule, run
from jade_coat.ground.scatter import Footing
from tests.core.test_scatter import LAYERS, all_of, scattered

POINTS = st.lists(st.tuples(st.floats(0, 40), st.floats(0, 40)), min_size=2, max_size=12)


def path_of(points, **numbers) -> GroundPath:
    return GroundPath(id="p", name="P", points=tuple((float(x), float(z)) for x, z in points), **numbers)


def test_a_path_runs_through_its_points_and_straight_between_two() -> None:
    points = [(1.0, 2.0), (6.0, 3.0), (7.0, 9.0), (2.0, 8.0)]
    line = line_of(path_of(points))
    assert np.allclose([np.abs(line - p).sum(axis=1).min() for p in points], 0, atol=1e-9)
    assert np.allclose(line[[0, -1]], [points[0], points[-1]])
    two = line_of(path_of(points[:2]))
    assert np.allclose(np.diff(two, axis=0), np.diff(two, axis=0)[0], atol=1e-9)
    closed = line_of(path_of(points, closed=True))
    assert np.allclose(closed[0], closed[-1])
    assert len(closed) > len(line)


def test_between_points_at_equal_distances_it_is_the_curve_of_the_textbook() -> None:
    """Where points lie equally far apart all parametrisations are one, and the middle of a span is that of the uniform
    Catmull-Rom curve: (-p0 + 9 p1 + 9 p2 - p3) / 16 (its basis matrix at t = 1/2)."""
    turn = np.linspace(0, 2 * np.pi, 9)[:-1]
    ring = np.stack([np.cos(turn), np.sin(turn)], axis=1) * 5 + 10
    line = line_of(path_of(ring, closed=True))
    for i in range(8):
        p0, p1, p2, p3 = (ring[(i + k) % 8] for k in range(-1, 3))
        middle = (-p0 + 9 * p1 + 9 * p2 - p3) / 16
        assert shapely.LineString(line).distance(shapely.Point(middle)) < 5e-4  # the line has corners each 10 cm


@pytest.mark.parametrize("sharp", [False, True])
def test_it_makes_no_loop_and_no_kink_between_points(sharp: bool) -> None:
    """What centripetal parameters are for: close points beside far ones (Yuksel, Schaefer & Keyser 2011, figure 1)."""
    points = [(0.0, 0.0), (10.0, 0.0), (10.2, 0.3 if sharp else 2.0), (10.0, 0.6 if sharp else 4.0), (0.0, 1.0)]
    for a, b in zip(range(4), range(1, 5), strict=True):
        line = line_of(path_of(points))
        ends = [int(np.abs(line - points[i]).sum(axis=1).argmin()) for i in (a, b)]
        assert shapely.LineString(line[ends[0] : ends[1] + 1]).is_simple


@settings(max_examples=60, deadline=None)
@given(POINTS, st.floats(0, 3), st.booleans(), st.floats(0.2, 30), st.integers(0, 1000))
def test_distances_are_those_of_a_geometry_library(points, width: float, closed: bool, reach: float, seed) -> None:
    path = path_of(points, width=width, closed=closed)
    at = np.random.default_rng(seed).uniform(-5, 45, (200, 2))
    line = line_of(path)
    if len(line) < 2:
        return
    away = shapely.distance(shapely.LineString(line), shapely.points(at)) - width / 2
    assert np.allclose(off_paths(parts_of([path]), at, reach), np.clip(away, 0, reach), atol=1e-9)
    grid = off_paths_on(parts_of([path]), (33, 41), (1.0, 1.25), reach)
    z, x = np.mgrid[0:33, 0:41]
    cells = shapely.points(np.stack([x * 1.0, z * 1.25], axis=-1).reshape(-1, 2))
    away = shapely.distance(shapely.LineString(line), cells) - width / 2
    assert np.allclose(grid.ravel(), np.clip(away, 0, reach), atol=1e-9)


@pytest.mark.parametrize("side", ["in", "out"])
def test_a_rule_lays_its_layer_along_a_path(side: str) -> None:
    heights = Heights.of(np.zeros((65, 65), np.float32), (40.0, 40.0))
    bare = {"clay": Pages.flat(129, 129, "uint8", 255), "turf": Pages.flat(129, 129, "uint8", 0)}
    path = path_of([(2, 5), (20, 12), (30, 35)], width=2.0)
    rule = LayerRule(layer="turf", measure="path", path="p", reach=1.5, soft=0.5, side=side)
    laid = run([rule], heights, bare, ("clay", "turf"), None, paths=[path])["turf"].whole() / 255.0
    x, z = np.meshgrid(np.linspace(0, 40, 129), np.linspace(0, 40, 129))
    away = shapely.distance(shapely.LineString(line_of(path)), shapely.points(np.stack([x, z], axis=-1))) - 1.0
    share = np.clip((1.5 - np.maximum(away, 0)) / 0.75, 0, 1)
    assert np.abs(laid - (share if side == "in" else 1 - share)).max() < 0.004
    none = run([rule.with_(side="in")], heights, bare, ("clay", "turf"), None, paths=[path.with_(points=((1.0, 1.0),))])
    assert none["turf"].whole().max() == 0


def test_pieces_keep_off_paths_or_lie_along_them() -> None:
    path = path_of([(0, 10), (15, 14), (25, 30), (40, 32)], width=1.6)
    land = Footing(**{**vars(bare_land()), "paths": (path,)})
    edge = shapely.LineString(line_of(path))
    every = all_of(scattered(density=6.0), land).places
    away = shapely.distance(edge, shapely.points(every)) - 0.8
    off = all_of(scattered(density=6.0, off_paths=0.7), land).places
    assert sorted(map(tuple, off)) == sorted(map(tuple, every[away >= 0.7]))
    along = all_of(scattered(density=6.0, off_paths=0.1, by_paths=1.0), land).places
    assert sorted(map(tuple, along)) == sorted(map(tuple, every[(away >= 0.1) & (away <= 1.0)]))
    assert len(along) > 50
    assert len(all_of(scattered(by_paths=1.0), bare_land()).places) == 0


def bare_land() -> Footing:
    heights = Heights.of(np.zeros((65, 65), np.float32), (40.0, 40.0))
    return Footing(heights, LAYERS, {s.id: Pages.flat(65, 65, "uint8", 255 * (s.id == "turf")) for s in LAYERS})
