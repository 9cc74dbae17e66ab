"""Fields of cards lie evenly and know what they are; motes keep to their regions; bands are found."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import cKDTree
from scipy.stats import kstest

from jade_coat.check.banding import bands
from jade_coat.maps.motes import MARGIN, Motes
from jade_coat.mesh.makers import CardField
from jade_coat.mesh.makers.card_field import drawn
from jade_coat.mesh.makers.even import spacing, thinned


def test_points_lie_evenly_as_blue_noise_does() -> None:
    """Yuksel 2015: elimination keeps more than 0.75 of the largest distance; low frequencies are missing (Ulichney 1988)."""
    rng = np.random.default_rng(3)
    count = 600
    radius = spacing(1.0, 2, count)
    found = []
    for seed in range(4):
        rng = np.random.default_rng(seed)
        flat = np.concatenate([rng.random((count * 5, 2)), np.zeros((count * 5, 1))], axis=1)
        points = flat[thinned(flat, count, radius)]
        assert len(points) == count
        assert cKDTree(points).query(points, k=2)[0][:, 1].min() > 0.7 * 2 * radius
        k = np.stack(np.meshgrid(np.arange(-24, 25), np.arange(-24, 25)), axis=-1).reshape(-1, 2)
        power = np.abs(np.exp(-2j * np.pi * (points[:, :2] @ k.T)).sum(axis=0)) ** 2 / count
        far = np.hypot(*k.T)
        found.append((power[(far > 3) & (far < 10)].mean(), power[(far > 22) & (far < 24)].mean()))
    low, near_peak = np.mean(found, axis=0)
    assert low < 0.25  # of white noise it is 1
    assert near_peak > 3 * low


@pytest.mark.parametrize("over", ["sphere", "dome", "ring", "box", "line", "curve"])
@pytest.mark.parametrize("filled", [0.0, 1.0])
def test_cards_of_every_field_lie_within_it_farther_apart_than_by_chance(over: str, filled: float) -> None:
    made = CardField(over=over, filled=filled, radii=(1.0, 0.6, 0.8), count=150, fill=0.0)
    places, _ = made.places()
    assert len(places) == 150
    limit = (1.0 + 0.8, 1.4, 0.8 + 1e-6) if over in ("line", "curve") else (1.0, 0.6, 0.8)
    assert (np.abs(places) <= np.array(limit) + 1e-6).all()
    if over == "dome":
        assert places[:, 1].min() >= -1e-9
    rng = np.random.default_rng(0)
    chance = made.with_(seed=9).places()[0][rng.permutation(150)[:75]]  # thinned by chance: uneven
    nearest = [np.percentile(cKDTree(p).query(p, k=2)[0][:, 1], 5) * len(p) ** (1 / 3) for p in (places, chance)]
    assert nearest[0] > nearest[1] or over in ("line", "curve")


def test_a_drawn_curve_goes_through_its_points_and_cards_lie_along_it_evenly_by_length() -> None:
    """Of a half circle by many points: its length, and the share of cards in each sixth of it."""
    turn = np.linspace(0, np.pi, 24)
    points = tuple((float(np.cos(t)), float(np.sin(t)), 0.0) for t in turn)
    through, length = drawn(points, np.linspace(0, 1, 4001))
    assert length == pytest.approx(np.pi, rel=2e-3)
    assert cKDTree(through).query(np.array(points))[0].max() < 1e-3
    field = CardField(over="curve", curve=points, radii=(1.0, 1.0, 0.0), count=300, fill=0.0)
    places = field.places()[0]
    assert np.abs(np.hypot(places[:, 0], places[:, 1]) - 1).max() < 5e-3
    shares, _ = np.histogram(np.arctan2(places[:, 1], places[:, 0]), 6, (0, np.pi))
    assert (np.abs(shares - 50) <= 6).all()
    edge = field.mesh().colors[0].reshape(-1, 4, 4)[:, 0, 2] / 65535  # falls to 0 at both ends
    ends = np.minimum(np.arctan2(places[:, 1], places[:, 0]), np.pi - np.arctan2(places[:, 1], places[:, 0]))
    assert edge[ends > np.pi / 4].min() > 0.95
    assert edge[ends < 0.05].max() < 0.3


def test_the_skin_of_an_ellipsoid_is_covered_evenly() -> None:
    """The share above a height is that of its area: of a sphere it is linear in the height (Archimedes)."""
    heights = CardField(over="sphere", filled=0.0, radii=(1, 1, 1), count=800, fill=0.0).places()[0][:, 1]
    assert kstest(heights, "uniform", args=(-1, 2)).pvalue > 0.01


@given(st.floats(0.0, 0.9), st.integers(0, 200), st.floats(0.0, 0.8))
@settings(max_examples=30, deadline=None)
def test_no_two_cards_overlap_by_more_than_they_may_but_small_ones(overlap: float, seed: int, small: float) -> None:
    made = CardField(count=60, size=(0.5, 0.5), overlap=overlap, seed=seed, small=small, facing="ahead", roll=0.0)
    mesh = made.mesh()
    cards = mesh.positions.reshape(-1, 4, 3)
    middles, radius = cards.mean(axis=1), np.ptp(cards[..., 0], axis=1) / 2
    apart = np.linalg.norm(middles[:, None] - middles[None], axis=-1) + 9 * np.eye(len(cards))
    covered = 1 - apart / (radius[:, None] + radius[None])
    large = radius >= small * radius.max()
    assert covered[np.ix_(large, large)].max(initial=0.0) <= overlap + 1e-3
    assert len(cards) <= 60
    assert f"{len(cards)} " in made.words(mesh)


def test_a_card_knows_its_chance_its_region_and_how_far_its_corners_lie() -> None:
    made = CardField(count=400, columns=2, rows=2, last=4, lean=0.8, facing="out", filled=0.0)
    mesh = made.mesh()
    cards = [u.reshape(-1, 4, 2) for u in mesh.uvs]
    assert np.ptp(cards[1], axis=1).max() == 0
    assert len(np.unique(cards[1][:, 0, 0])) == 400
    places = mesh.positions.reshape(-1, 4, 3)
    bitangent = np.cross(mesh.normals, mesh.tangents[:, :3]) * mesh.tangents[:, 3:]
    middle = mesh.positions - mesh.tangents[:, :3] * mesh.uvs[2][:, :1] - bitangent * mesh.uvs[2][:, 1:]
    np.testing.assert_allclose(middle.reshape(-1, 4, 3), np.repeat(places.mean(axis=1)[:, None], 4, axis=1), atol=1e-5)
    region = (cards[0].min(axis=1) * 2).round() @ [1, 2]
    shares = np.bincount(region.astype(int), minlength=4)
    assert (np.diff(shares) > 0).all()  # leaning to the last ones
    assert shares.min() > 0
    inward = mesh.colors[0][:, 2] / 65535
    assert inward.max() < 0.01  # all lie on the edge of a skin


def test_motes_grow_fewer_from_region_to_region_and_stay_within_it() -> None:
    made = Motes(side=512, columns=2, rows=2, most=20, least=1)
    assert [made.count_in(i) for i in range(4)] == [20, 7, 3, 1]
    channels = made.channels()
    assert channels.min() >= 0
    assert channels.max() <= 1
    rim = int(MARGIN * 256) - 1
    for region in range(4):
        row, column = divmod(region, 2)
        part = channels[row * 256 : row * 256 + 256, column * 256 : column * 256 + 256]
        for channel in (0, 3):
            inside = part[rim:-rim, rim:-rim, channel]
            assert part[..., channel].sum() == pytest.approx(inside.sum(), rel=1e-6)
            assert inside.max() > 0.3
    for channel in (1, 2):  # the noises tile: across the edge they change no more than within
        values = channels[..., channel]
        assert np.abs(values[:, 0] - values[:, -1]).mean() < 2 * np.abs(np.diff(values, axis=1)).mean()
    assert np.array_equal(channels, made.channels())
    assert made.file() != made.with_(seed=2).file()


def test_bands_are_found_where_a_screen_shows_steps_and_not_where_it_shows_none() -> None:
    """A slow ramp of a twentieth over 512 pixels, eight times as bright: 8 bits have 13 steps there, each of many codes."""
    slow = np.tile(np.linspace(0.02, 0.07, 512), (8, 1))
    eight, sixteen = bands(slow, 8, 8.0), bands(slow, 16, 8.0)
    assert not eight.enough
    assert eight.step > 4
    assert eight.share > 0.8
    assert sixteen.enough
    assert bands(np.tile(np.linspace(0.0, 1.0, 64), (8, 1)), 8, 1.0).enough  # fast: no step spans pixels
    assert bands(np.zeros((8, 8)), 8, 8.0).enough


def test_cards_are_taken_out_and_placed_by_hand_and_the_rest_stays() -> None:
    made = CardField(count=30, overlap=0.6, size=(0.4, 0.4), facing="ahead")
    mesh = made.mesh()
    which, middles = made.standing()
    cards = mesh.positions.reshape(-1, 4, 3)
    np.testing.assert_allclose(cards.mean(axis=1), middles, atol=1e-5)
    gone = int(which[3])
    fewer = made.with_(without=(gone,)).mesh()
    kept = np.delete(cards, 3, axis=0)
    np.testing.assert_array_equal(fewer.positions.reshape(-1, 4, 3), kept)
    more = made.with_(more=((0.0, 0.5, 0.0), (0.0, 0.5, 0.01))).mesh()  # by hand even two over one another
    np.testing.assert_allclose(more.positions.reshape(-1, 4, 3)[-2:].mean(axis=1)[:, 1], 0.5, atol=1e-5)
    assert len(more.triangles) == len(mesh.triangles) + 4
