"""Repetition and likeness against published definitions and reference libraries."""

from __future__ import annotations

import colour
import numpy as np
import pytest
from skimage.metrics import structural_similarity

from jade_coat.check.likeness import ciede2000, lab, likeness, ssim
from jade_coat.check.material_costs import PixelCost, material_cost
from jade_coat.check.repetition import overlap_correlation, repetition
from jade_coat.maps.packing import PackedLookup
from jade_coat.material.material import Material

RNG = np.random.default_rng(8)
TILE = RNG.random((40, 56))
EVERYWHERE = np.ones((240, 336), bool)
PERIODS = [(56.0, 0.0), (0.0, 40.0)]


def tiled(share: float = 1.0) -> np.ndarray:
    """A mosaic whose tiling holds `share` of the variance; white noise holds the rest."""
    mosaic, noise = np.tile(TILE, (6, 6)), np.random.default_rng(3).random((240, 336))
    return np.sqrt(share) * (mosaic - 0.5) + np.sqrt(1 - share) * (noise - 0.5) + 0.5


def test_correlation_at_a_shift_is_the_masked_autocorrelation_there() -> None:
    """Against numpy.corrcoef of each overlap, and against the FFT (Wiener–Khinchin; with masks, Padfield 2012)."""
    picture, mask = RNG.random((24, 31)), RNG.random((24, 31)) < 0.8
    values, inside, shape = np.where(mask, picture, 0.0), mask.astype(float), (48, 62)

    def correlated(a: np.ndarray, b: np.ndarray) -> np.ndarray:
        return np.fft.irfft2(np.conj(np.fft.rfft2(a, shape)) * np.fft.rfft2(b, shape), shape)

    count = np.maximum(correlated(inside, inside), 1e-6)
    there, here = correlated(inside, values), correlated(values, inside)
    square = (correlated(values**2, inside) - here**2 / count) * (correlated(inside, values**2) - there**2 / count)
    by_fft = (correlated(values, values) - here * there / count) / np.sqrt(np.maximum(square, 1e-12))
    for dy, dx in ((0, 0), (3, 5), (-4, 7), (6, -2)):
        one = (slice(max(-dy, 0), 24 - max(dy, 0)), slice(max(-dx, 0), 31 - max(dx, 0)))
        other = (slice(max(dy, 0), 24 - max(-dy, 0)), slice(max(dx, 0), 31 - max(-dx, 0)))
        both = mask[one] & mask[other]
        found, overlap = overlap_correlation(picture, mask, dy, dx)
        assert found == pytest.approx(np.corrcoef(picture[one][both], picture[other][both])[0, 1], abs=1e-9)
        assert found == pytest.approx(by_fft[dy, dx], abs=1e-6)
        assert overlap == pytest.approx(both.sum() / mask.sum())


@pytest.mark.parametrize("share", [0.0, 0.25, 0.5, 1.0])
def test_the_score_is_the_share_of_the_picture_that_tiles(share: float) -> None:
    """Known tilings, white noise, and mixes of both."""
    found = repetition(tiled(share), EVERYWHERE, PERIODS)
    assert found.score == pytest.approx(share, abs=0.06)
    if share:
        assert found.shift in ((56.0, 0.0), (0.0, 40.0))


def test_slow_light_and_a_mask_do_not_pass_for_a_repeat() -> None:
    y, x = np.mgrid[0:240, 0:336]
    slope = 0.002 * x + 0.5 * np.sin(y / 120)
    assert repetition(tiled(0.0) + slope, EVERYWHERE, PERIODS).score < 0.15
    round_mask = np.hypot(x - 168, y - 120) < 110
    assert repetition(np.where(round_mask, tiled(1.0), 0.0), round_mask, PERIODS).score > 0.95
    assert repetition(np.where(round_mask, tiled(0.0), 0.0), round_mask, PERIODS).score < 0.15
    assert repetition(np.full((240, 336), 0.5), EVERYWHERE, PERIODS).score == 0.0
    assert repetition(tiled(), np.zeros((240, 336), bool), PERIODS).score == 0.0


def test_ciede2000_agrees_with_colour_science() -> None:
    """Against `colour.difference.delta_E_CIE2000`, and pairs of Sharma, Wu & Dalal 2005, table 1."""
    a = np.stack([RNG.uniform(0, 100, 4000), *RNG.uniform(-100, 100, (2, 4000))], axis=1)
    b = np.stack([RNG.uniform(0, 100, 4000), *RNG.uniform(-100, 100, (2, 4000))], axis=1)
    np.testing.assert_allclose(ciede2000(a, b), colour.difference.delta_E_CIE2000(a, b), atol=1e-6)
    pairs = (
        ((50, 2.6772, -79.7751), (50, 0, -82.7485), 2.0425), ((50, 0, 0), (50, -1, 2), 2.3669),
        ((50, 2.49, -0.001), (50, -2.49, 0.0009), 7.1792), ((2.0776, 0.0795, -1.135), (0.9033, -0.0636, -0.5514), 0.9082),
    )  # fmt: skip
    for first, second, expected in pairs:
        assert ciede2000(np.array(first), np.array(second)) == pytest.approx(expected, abs=1e-4)


def test_lab_agrees_with_colour_science() -> None:
    linear = RNG.random((500, 3))
    white = np.array([0.3127, 0.3290])
    xyz = colour.RGB_to_XYZ(linear, "sRGB", white, apply_cctf_decoding=False)
    np.testing.assert_allclose(lab(linear), colour.XYZ_to_Lab(xyz, white), atol=0.05)


def test_ssim_agrees_with_scikit_image() -> None:
    """Against `skimage.metrics.structural_similarity` with the settings of Wang et al. 2004."""
    a = RNG.random((90, 120))
    for b in (a, np.clip(a + RNG.normal(0, 0.1, a.shape), 0, 1), np.roll(a, 1, 1)):
        expected = structural_similarity(
            a, b, data_range=1.0, gaussian_weights=True, sigma=1.5, use_sample_covariance=False
        )
        assert ssim(a, b) == pytest.approx(expected, abs=1e-4)


def test_a_picture_is_most_like_itself() -> None:
    a = RNG.random((64, 64, 3))
    same, other = likeness(a, a), likeness(a, np.clip(a * 0.8, 0, 1))
    assert same.ssim == pytest.approx(1.0)
    assert same.high_difference == pytest.approx(0.0, abs=1e-6)
    assert other.ssim < 1
    assert 0 < other.mean_difference <= other.high_difference


def test_what_a_coat_costs_is_what_hiding_it_saves(demo) -> None:
    lookup = PackedLookup(demo.project.map_sets, demo.project.recipes)
    wall = demo.project.material("kiln_wall")
    found = material_cost(wall, lookup)
    assert found.whole.reads == 7
    for coat in wall.coats:
        without = wall.with_(coats=tuple(c.with_(shown=c is not coat) for c in wall.coats))
        less = material_cost(without, lookup).whole
        assert found.coats[coat.id] == PixelCost(
            found.whole.reads - less.reads, found.whole.operations - less.operations
        )
        assert coat.id not in material_cost(without, lookup).coats
    lone = Material(id="lone", name="Lone", coats=wall.coats[:1])
    assert material_cost(lone, lookup).coats["tile"] == material_cost(lone, lookup).whole
