"""Grounds: their heights, what follows from them, and how layers share a place."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from jade_coat.ground.flow import drained, filled, spread
from jade_coat.ground.heights import Heights
from jade_coat.ground.pages import SIDE, Pages
from jade_coat.ground.relief import aspect, curvature, slope
from jade_coat.ground.rules import LayerRule, run
from jade_coat.ground.stroke import SHAPING, GroundBrush, painted, ramped, shaped
from jade_coat.ground.synthesis import Land
from jade_coat.material.stacking import shares_of
from jade_coat.program import lib
from jade_coat.program.numpy_backend import Environment, evaluate


@settings(max_examples=60, deadline=None)
@given(st.integers(0, 2**31))
def test_pages_hold_what_an_array_would_and_an_edit_copies_only_what_it_touches(seed: int) -> None:
    rng = np.random.default_rng(seed)
    shape = tuple(int(n) for n in rng.integers(1, 3 * SIDE, 2))
    kind = ("uint8", "float32")[seed % 2]
    held, plain = Pages.flat(*shape, kind, 3), np.full(shape, 3, kind)
    for _ in range(5):
        top, left = (int(rng.integers(0, n)) for n in shape)
        high, wide = int(rng.integers(1, shape[0] - top + 1)), int(rng.integers(1, shape[1] - left + 1))
        patch = (rng.random((high, wide)) * 9).astype(kind) if rng.random() < 0.7 else np.full((high, wide), 3, kind)
        before = held
        held = held.with_values(top, left, patch)
        plain[top : top + high, left : left + wide] = patch
        touched = set(held.over((top, top + high, left, left + wide)))
        assert all(a is b for i, (a, b) in enumerate(zip(before.tiles, held.tiles, strict=True)) if i not in touched)
        assert set(held.changed_from(before)) <= touched
    assert np.array_equal(held.whole(), plain)
    rect = (-3, shape[0] + 2, -1, shape[1] + 4)
    assert np.array_equal(held.values(rect), np.pad(plain, ((3, 2), (1, 4)), mode="edge"))
    assert held == Pages.of(plain)
    flat = held.with_values(0, 0, np.zeros(shape, kind))
    assert flat.nbytes == 0  # what is all alike takes no room


def hill(n: int, spacing: float) -> np.ndarray:
    z, x = np.mgrid[0:n, 0:n] * spacing
    return 3.0 * np.sin(x / 4.0) + 0.02 * z**2


def test_slope_aspect_and_curvature_are_those_of_an_analytic_hill() -> None:
    """Horn (1981) is exact for a plane, and of third order for a hill; the derivatives are worked out by hand."""
    spacing = 0.05
    heights = hill(200, spacing)
    z, x = np.mgrid[0:200, 0:200] * spacing
    dx, dz = 0.75 * np.cos(x / 4.0), 0.04 * z
    inner = (slice(1, -1), slice(1, -1))
    assert np.abs(slope(heights, (spacing, spacing)) - np.arctan(np.hypot(dx, dz)))[inner].max() < 1e-3
    turned = np.angle(np.exp(1j * (aspect(heights, (spacing, spacing)) - np.arctan2(-dx, -dz))))
    assert np.abs(turned)[inner].max() < 2e-2
    bends = 3.0 / 16.0 * np.sin(x / 4.0) - 0.04
    assert np.abs(curvature(heights, (spacing, spacing)) - bends)[inner].max() < 2e-3
    plane = np.add.outer(0.3 * np.arange(9), 0.4 * np.arange(9)) * 2.0
    assert slope(plane, (2.0, 2.0)) == pytest.approx(np.full((9, 9), np.arctan(0.5)))


def test_water_gathers_as_worked_examples_have_it() -> None:
    """A plane drains straight down; a cone evenly by angle, which D-infinity keeps and D8 does not (Tarboton 1997)."""
    plane = np.repeat(np.arange(20.0)[::-1][:, None], 12, axis=1)
    for law in (drained, spread):
        assert law(plane, 1.0)[:, 5].tolist() == list(range(1, 21))
    valley = np.abs(np.arange(21) - 10.0)[None, :] + np.linspace(5, 0, 30)[:, None]
    assert drained(valley, 1.0)[-1].argmax() == 10
    assert drained(valley, 1.0)[-1, 10] > 21 * 30 * 0.6
    z, x = np.mgrid[-40:41, -40:41].astype(float)
    away = np.hypot(x, z)
    ring = (away > 20) & (away < 35)
    wanted = np.maximum(away, 1) / 2  # the area of a wedge over its width
    errors = [np.abs(law(60 - away, 1.0)[ring] / wanted[ring] - 1).mean() for law in (drained, spread)]
    assert errors[1] < 0.2
    assert errors[1] < 0.5 * errors[0]


def test_pits_are_filled_to_where_they_spill() -> None:
    """Against greyscale reconstruction by erosion of scikit-image."""
    from skimage.morphology import reconstruction

    rng = np.random.default_rng(4)
    land = rng.random((60, 70)).cumsum(axis=0) + rng.random((60, 70)) * 3
    seed = np.full_like(land, land.max())
    seed[0], seed[-1], seed[:, 0], seed[:, -1] = land[0], land[-1], land[:, 0], land[:, -1]
    assert np.allclose(filled(land), reconstruction(seed, land, method="erosion"))


@settings(max_examples=80, deadline=None)
@given(st.integers(0, 2**31))
@example(3834)  # grazes a crest before it comes down
@example(994)  # comes down on the border of two cells
def test_a_ray_meets_the_ground_where_it_first_comes_down_on_it(seed: int) -> None:
    """Against walking along the ray in small steps over the same bilinear surface."""
    rng = np.random.default_rng(seed)
    n = int(rng.integers(20, 300))
    smooth = np.asarray(Land(samples=max(n, 33), across=20.0, height=4.0, hill=6.0, seed=seed % 50).heights().whole)
    ground = Heights.of(smooth, (20.0, 20.0))
    origin = np.array([rng.uniform(-5, 25), rng.uniform(4.5, 12), rng.uniform(-5, 25)])
    towards = np.array([rng.uniform(0, 20), rng.uniform(-1, 4), rng.uniform(0, 20)])
    way = (towards - origin) / np.linalg.norm(towards - origin)
    found = ground.hit(origin, way)
    t = np.arange(0, 60, 0.002)
    places = origin + way * t[:, None]
    inside = ((places[:, [0, 2]] >= 0) & (places[:, [0, 2]] <= 20)).all(axis=1)
    over = places[:, 1] - ground.at(places[:, [0, 2]])
    crossed = np.flatnonzero(inside[1:] & inside[:-1] & (over[1:] <= 0) & (over[:-1] > 0))
    if not len(crossed):
        assert found is None or not inside.any() or abs(over[inside]).min() < 0.02
        return
    assert found is not None
    assert found < t[crossed[0]] + 0.01
    if found < t[crossed[0]] - 0.01:  # what steps passed over: a crest the ray cuts through in less than one of them
        close = origin + way * np.linspace(found - 1e-4, found + 2e-3, 4201)[:, None]
        above = close[:, 1] - ground.at(close[:, [0, 2]])
        assert above[0] > 0
        assert above.min() < 0
    at = origin + way * found
    assert at[1] == pytest.approx(float(ground.at(at[None, [0, 2]])[0]), abs=1e-4)


def shares(weights: np.ndarray, heights: np.ndarray, leads: np.ndarray) -> np.ndarray:
    """The shares `(layers, n)` by the NumPy meaning of the program."""
    count = len(weights)
    named = {f"{k}{i}": v[i][None].astype(np.float32) for k, v in
             (("w", weights), ("h", heights), ("l", leads)) for i in range(count)}  # fmt: skip
    made = shares_of(*([lib.dial(f"{k}{i}") for i in range(count)] for k in "whl"))
    found = evaluate({str(i): value for i, value in enumerate(made)}, Environment(dials=named))
    return np.stack([np.broadcast_to(found[str(i)][0], weights.shape[1]) for i in range(count)])


@settings(max_examples=100, deadline=None)
@given(st.integers(0, 2**31), st.integers(2, 24))
def test_layers_share_a_place_out_wholly_in_any_order_and_continuously(seed: int, count: int) -> None:
    rng = np.random.default_rng(seed)
    weights = rng.random((count, 400)) * (rng.random((count, 400)) < 0.6)
    heights, leads = rng.random((count, 400)), np.repeat(rng.random((count, 1)) * (rng.random() < 0.8), 400, axis=1)
    found = shares(weights, heights, leads)
    assert found.sum(axis=0) == pytest.approx(np.ones(400), abs=1e-5)
    assert (found >= 0).all()
    assert (found[1:][weights[1:] == 0] == 0).all()  # painted 0: no share
    order = np.concatenate([[0], 1 + rng.permutation(count - 1)])  # the first fills in, and stays
    assert np.abs(shares(weights[order], heights[order], leads[order]) - found[order]).max() < 1e-5
    alone = np.zeros_like(weights)
    alone[int(rng.integers(count))] = rng.uniform(0.05, 1, 400)
    assert np.abs(shares(alone, heights, leads).max(axis=0) - 1).max() < 1e-6
    moved = int(rng.integers(count))
    steps = weights[:, :1].repeat(400, axis=1)
    steps[moved] = np.linspace(0, 1, 400)
    path = shares(steps, heights[:, :1].repeat(400, axis=1), leads[:, :1].repeat(400, axis=1))
    most = np.delete(steps, moved, axis=0).max()
    slope_limit = 2.5 * 1.15 / 0.15 / max(most, 8 / 255)  # of the tops over what is soft; a jump would be steeper
    assert np.abs(np.diff(path)).max() < slope_limit / 399 + 1e-4


def test_an_even_mix_of_two_is_even_and_heights_fill_the_low_first() -> None:
    """Common practice, no source: 0.5 mixes evenly; led by heights, what is higher shows at equal weights."""
    half, heights = np.full((2, 3), 0.5), np.array([[0.5, 0.2, 0.8], [0.5, 0.5, 0.5]])
    even = shares(half, heights, np.zeros((2, 3)))
    assert even == pytest.approx(np.full((2, 3), 0.5), abs=1e-6)
    led = shares(half, heights, np.ones((2, 3)))
    assert led[0, 0] == pytest.approx(0.5)
    assert led[0, 1] < 0.01
    assert led[0, 2] > 0.99


def test_land_is_made_of_numbers_and_terraces_are_level() -> None:
    made = Land(samples=129, steps=6, flat=0.8, seed=3)
    land = made.heights()
    assert np.array_equal(land.whole, made.heights().whole)
    assert not np.array_equal(land.whole, made.with_(seed=4).heights().whole)
    assert land.low >= 0.0
    assert land.high <= made.height
    level = slope(land.whole, land.spacing) < np.radians(2)
    assert level.mean() > 0.5
    assert len(np.unique(np.round(land.whole[level], 3))) < 0.05 * level.sum()
    bare, cut = (made.with_(steps=0, streams=s).heights().whole for s in (0.0, 0.8))
    streams = drained(filled(cut, 1e-6), 1.0) > 200  # where much water runs, the land was cut in
    assert (bare - cut)[streams].mean() > 3 * (bare - cut)[~streams].mean() > 0


def dabs(
    weights: dict[str, Pages], sharing: list[str], layer: str, brush: GroundBrush, count: int = 60
) -> dict[str, Pages]:
    for _ in range(count):
        weights = {**weights, **painted(weights, sharing, layer, (10.0, 10.0), brush, np.array([5.0, 5.0]))}
    return weights


def test_three_sharing_layers_painted_in_turn_leave_the_last_on_top_and_taken_away_the_first_fills_in() -> None:
    """Common practice, no source; layers as painted would be an even mix."""
    names = ["base", "a", "b", "c"]
    weights = {n: Pages.flat(65, 65, "uint8", 255 if n == "base" else 0) for n in names}
    brush = GroundBrush(radius=3.0, strength=0.5, hard=0.5)
    for name in names[1:]:
        weights = dabs(weights, names, name, brush)
        middle = {n: int(weights[n].whole()[32, 32]) for n in names}
        assert middle == {n: 255 if n == name else 0 for n in names}
    total = sum(weights[n].whole().astype(int) for n in names)
    assert np.abs(total - 255).max() <= 3  # what is shared comes to all of it, but for the steps of 8 bits
    away = dabs(weights, names, "c", brush.with_(deed="erase"))
    assert away["base"].whole()[32, 32] == 255
    assert away["c"].whole()[32, 32] == 0
    over = dabs({**weights, "d": Pages.flat(65, 65, "uint8", 0)}, names, "d", brush)
    assert over["d"].whole()[32, 32] == 255
    assert all(over[n] is weights[n] for n in names)  # what lies over takes no room from others
    far = weights["base"].whole()[:4]
    assert (far == 255).all()


@pytest.mark.parametrize("deed", SHAPING[:-1])
def test_a_dab_shapes_what_it_reaches_and_nothing_beyond(deed: str) -> None:
    start = Land(samples=257, across=30.0, height=5.0, seed=2).heights()
    place, brush = np.array([14.0, 11.0]), GroundBrush(deed=deed, radius=3.0, strength=0.8, step=1.0)
    level = float(start.at(place[None])[0]) + 0.5
    made = shaped(start, brush, place, level)
    z, x = np.mgrid[0:257, 0:257] * 30.0 / 256
    inside = np.hypot(x - place[0], z - place[1]) <= 3.0
    moved = made.whole.astype(float) - start.whole
    assert (moved[~inside] == 0).all()
    core = np.hypot(x - place[0], z - place[1]) < 0.85
    if deed in ("raise", "lower"):
        assert moved[core] == pytest.approx(
            np.full(core.sum(), 0.8 * 0.12 * 3.0 * (1 if deed == "raise" else -1)), rel=1e-3
        )
    if deed == "flatten":
        for _ in range(12):
            made = shaped(made, brush, place, level)
        assert made.whole[core] == pytest.approx(level, abs=0.01)
    if deed == "smooth":
        assert (
            np.abs(curvature(made.whole, made.spacing))[core].mean()
            < np.abs(curvature(start.whole, start.spacing))[core].mean()
        )
    if deed == "terrace":
        for _ in range(12):
            made = shaped(made, brush, place, level)
        assert np.abs(made.whole[core] - np.round(made.whole[core])).max() < 0.01
    fresh = Heights(made.pages, made.size)  # what is kept along the way is what would be worked out anew
    assert np.array_equal(made.whole, fresh.whole)
    assert np.array_equal(made.spans, fresh.spans)


def test_a_ramp_runs_straight_between_the_heights_of_its_ends() -> None:
    start = Land(samples=257, across=30.0, height=5.0, seed=2).heights()
    a, b = np.array([6.0, 8.0]), np.array([22.0, 19.0])
    made = ramped(start, GroundBrush(deed="ramp", radius=2.0, hard=0.6), a, b)
    t = np.linspace(0.05, 0.95, 40)[:, None]
    along = made.at(a + (b - a) * t)
    first, last = start.at(np.stack([a, b]))
    assert np.abs(along - (first + (last - first) * t[:, 0])).max() < 0.02


def test_rules_lay_layers_in_order_the_same_each_time_and_leave_what_hands_painted() -> None:
    land = Land(samples=129, across=40.0, height=8.0, hill=20.0, seed=6).heights()
    names = ["base", "rock", "moss"]
    weights = {n: Pages.flat(129, 129, "uint8", 255 if n == "base" else 0) for n in names}
    steep = LayerRule(layer="rock", measure="slope", steep_from=np.radians(25), steep_to=np.radians(90), soft=0.05)
    low = LayerRule(layer="moss", measure="height", heights=(-1.0, 3.0), soft=0.02)
    laid = run([steep, low], land, weights, names, None)
    angle = np.degrees(slope(land.whole, land.spacing))
    rock, moss = (laid[n].whole() for n in ("rock", "moss"))
    assert (moss[land.whole < 2.9] == 255).all()  # the later rule lies over what came before
    assert (rock[(angle > 27) & (land.whole > 3.3)] == 255).all()
    assert (rock[(angle < 18)] == 0).all()
    total = sum(laid[n].whole().astype(int) for n in names)
    assert np.abs(total - 255).max() <= 2
    again = run([steep, low], land, {**weights, **laid}, names, None)
    assert all(again[n] == laid[n] for n in names)  # run again nothing changes
    other = run([low, steep], land, weights, names, None)
    assert other["rock"] != laid["rock"]
    hand = np.zeros((129, 129), np.uint8)
    hand[20:60, 30:90] = 255
    mine = {n: w.with_values(20, 30, np.full((40, 60), 255 if n == "moss" else 0, np.uint8)) for n, w in laid.items()}
    kept = run([steep], land, mine, names, Pages.of(hand))
    assert (kept["moss"].whole()[20:60, 30:90] == 255).all() if "moss" in kept else True
    assert (kept["rock"].whole()[20:60, 30:90] == 0).all()
    none = run([steep.with_(on=False)], land, laid, names, None)
    assert none["rock"].nbytes == 0


@pytest.mark.parametrize("measure", ["hollow", "crest", "facing", "flow", "noise"])
def test_each_measure_finds_what_it_is_named_for(measure: str) -> None:
    z, x = np.mgrid[0:129, 0:129] / 128 * 40.0
    valley = Heights.of((np.abs(x - 20) * 0.3 + (40 - z) * 0.1).astype(np.float32), (40.0, 40.0))
    weights = {"base": Pages.flat(129, 129, "uint8", 255), "a": Pages.flat(129, 129, "uint8", 0)}
    least = 0.8 if measure == "flow" else 0.3
    rule = LayerRule(layer="a", measure=measure, least=least, scale=4.0, towards=np.pi / 2)
    made = run([rule], valley, weights, ["base", "a"], None)["a"].whole().astype(float)
    middle, sides = made[20:-10, 62:67].mean(), made[20:-10, 20:40].mean()
    if measure in ("hollow", "flow"):
        assert middle > 5 * max(sides, 1)
    if measure == "crest":
        assert middle == 0
    if measure == "facing":  # what rises towards -x faces +x
        assert made[20:-10, 10:50].mean() > 150
        assert made[20:-10, 80:120].mean() == 0
    if measure == "noise":
        assert 0.1 < (made > 127).mean() < 0.9


def test_rules_go_by_other_layers_and_by_props_and_see_what_rules_before_them_laid() -> None:
    """A band of known width along a straight path, by hand; its inverse; what a rule before has laid; a ring round a
    prop."""
    flat = Heights.of(np.zeros((129, 129), np.float32), (40.0, 40.0))
    path = np.zeros((129, 129), np.uint8)
    path[60:69] = 255  # from 18.75 m to 21.25 m
    weights = {
        "base": Pages.flat(129, 129, "uint8", 255), "a": Pages.flat(129, 129, "uint8", 0), "path": Pages.of(path),
        "b": Pages.flat(129, 129, "uint8", 0),
    }  # fmt: skip
    near = LayerRule(layer="a", measure="near", other="path", reach=3.0, soft=0.01)
    away = np.abs(np.arange(129) / 128 * 40 - 20) - 1.25
    made = run([near], flat, weights, ["base", "a", "b"], None)["a"].whole()
    assert (made[away < 2.7] == 255).all()
    assert (made[away > 3.4] == 0).all()
    out = run([near.with_(side="out")], flat, weights, ["base", "a", "b"], None)["a"].whole()
    assert np.array_equal(out, 255 - made)
    there = LayerRule(layer="b", measure="layer", other="a")
    both = run([near, there], flat, weights, ["base", "a", "b"], None)
    assert np.array_equal(both["b"].whole(), made), "it sees what the rule before it laid"
    assert both["a"].whole().max() == 0, "and takes its place"
    assert run([there, near], flat, weights, ["base", "a", "b"], None)["b"].whole().max() == 0
    z, x = np.mgrid[0:101, 0:101] / 100 * 40
    clear = np.maximum(np.hypot(x - 20, z - 20) - 1.0, 0).astype(np.float32)
    ring = run([LayerRule(layer="a", measure="props", reach=2.0, soft=0.01)], flat, weights, ["base", "a"], None, clear)
    far = np.hypot(*(np.mgrid[0:129, 0:129] / 128 * 40 - 20))
    assert (ring["a"].whole()[far < 2.6] == 255).all()
    assert (ring["a"].whole()[far > 3.4] == 0).all()
    assert run([LayerRule(layer="a", measure="props")], flat, weights, ["base", "a"], None)["a"].whole().max() == 0


def test_rules_go_by_a_map_that_lies_once_or_tile_by_tile() -> None:
    """By hand: halves and stripes fall where metres say, its other side is what is left, and what is finer than cells
    counts by its mean."""
    flat = Heights.of(np.zeros((129, 129), np.float32), (40.0, 40.0))
    weights = {"base": Pages.flat(129, 129, "uint8", 255), "a": Pages.flat(129, 129, "uint8", 0)}
    halves = np.zeros((64, 64), np.float32)
    halves[:, 32:] = 1.0
    rule = LayerRule(layer="a", measure="map", map_set="m", read="height", least=0.4, soft=0.2)

    def laid(rule: LayerRule, picture: np.ndarray, tile: float = 0.0) -> np.ndarray:
        return run([rule], flat, weights, ["base", "a"], None, pictures=lambda _: (picture, tile))["a"].whole()

    once = laid(rule, halves)
    assert (once[:, :63] == 0).all()
    assert (once[:, 66:] == 255).all()
    assert np.array_equal(laid(rule.with_(side="out"), halves), 255 - once)
    tiled = laid(rule, halves, 10.0)
    metres = np.arange(129) / 128 * 40
    inside = np.abs(metres % 5.0 - 2.5) < 2.0  # away from the edges of stripes
    assert np.array_equal(tiled[7, inside] == 255, (metres % 10.0 > 5.0)[inside])
    assert np.array_equal(tiled, np.repeat(tiled[:1], 129, axis=0))
    fine = (np.random.default_rng(3).random((512, 512)) < 0.5).astype(np.float32)
    assert 0.4 < laid(rule, fine, 2.0).mean() / 255 < 0.6
    assert laid(rule.with_(least=0.8), fine, 2.0).mean() < 8
    assert run([rule], flat, weights, ["base", "a"], None)["a"].whole().max() == 0, "without a map it lays nothing"
