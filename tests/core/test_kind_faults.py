"""Layers are counted, and what is off or shimmers is found where it is."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from jade_coat.check.kind_faults import faults_of, grid_of, light_of, right_of
from jade_coat.maps.color import to_srgb, tone_mapped, tone_unmapped
from jade_coat.view.camera import eye_of
from jade_coat.view.looks import A_LAYER
from tests.core.test_kinds import ABOVE, SIDE, at, material, placed
from tests.core.test_light import neutral


@pytest.mark.parametrize("count", [1, 3, 7])
@pytest.mark.parametrize("kind", ["opaque", "masked", "blended"])
def test_every_triangle_is_a_layer_whatever_its_kind_and_whatever_is_before_it(renderer, kind, count) -> None:
    placed(renderer, [(material(kind, f"m{i}"), at(0.1 * i)) for i in range(count)], np.zeros((4, 4)))
    above = eye_of(np.array([0.0, 6.0, 0.001]), np.zeros(3), 0.45, 1.0)
    found = renderer.picture("kinds", above, SIDE, SIDE, ("layers",), stream="layers")
    assert found[SIDE // 2, SIDE // 2, 0] == A_LAYER * count
    assert found[0, 0, 0] == 0
    assert not renderer.faults


def shown(light: np.ndarray) -> np.ndarray:
    grey = np.round(to_srgb(light) * 255).astype(np.uint8)
    return np.repeat(grey[..., None], 4, axis=2)


def rgb(light: np.ndarray) -> np.ndarray:
    return np.repeat(light[..., None], 3, axis=2)


def test_what_is_right_has_no_faults_and_what_is_off_is_found_in_place() -> None:
    """Off by 0.1 in linear light on a quarter of what is covered, and shimmering on another quarter."""
    right = np.full((40, 40), 0.3, np.float32)
    layers = np.zeros((40, 40, 4), np.uint8)
    layers[:20] = A_LAYER * 2
    layers[0, 0] = A_LAYER * 5
    none = faults_of((shown(right), shown(right)), (rgb(right), rgb(right)), layers)
    assert (none.wrong, none.shimmers, none.most_layers) == (0.0, 0.0, 5)
    assert none.layers == pytest.approx(2 + 3 / 800)
    first, second = right.copy(), right.copy()
    first[:20, :10] += 0.1
    second[:20, :10] += 0.1  # off, but steadily
    second[:20, 30:] -= 0.1
    first[20:] += 0.5  # beside the thing nothing counts
    found = faults_of((shown(first), shown(second)), (rgb(right), rgb(right)), layers)
    assert found.wrong == 0.25
    assert found.shimmers == 0.25
    assert found.where[:20, :10].all()
    assert found.where.sum() == 200


@pytest.mark.parametrize("share", [0.2, 0.5, 0.77])
def test_the_ordered_grid_is_found_as_one_and_chances_and_smooth_errors_are_not(share: float) -> None:
    """Bayer's matrix (1973) by its recursion, against independent chances of the same mean."""
    bayer = np.zeros((1, 1))
    for _ in range(3):
        bayer = np.block([[4 * bayer, 4 * bayer + 2], [4 * bayer + 3, 4 * bayer + 1]])
    covered = np.zeros((96, 96), bool)
    covered[8:80, 16:88] = True
    grid = (np.tile((bayer + 0.5) / 64, (12, 12)) < share) - share
    chances = (np.random.default_rng(1).random((96, 96)) < share) - share
    assert grid_of(grid, covered) > 0.6
    assert grid_of(chances, covered) < 0.2
    smooth = np.add.outer(np.linspace(0, 0.5, 96), np.linspace(0, 0.5, 96))
    assert grid_of(smooth, covered) < 0.2


def test_light_that_is_lost_is_told_as_a_share_of_what_should_be() -> None:
    layers = np.full((8, 8, 4), A_LAYER, np.uint8)
    right, less = np.full((8, 8), 0.4), np.full((8, 8), 0.3)
    assert faults_of((shown(less), shown(less)), (rgb(right), rgb(right)), layers).light == pytest.approx(
        -0.25, abs=0.01
    )


def test_what_the_right_pictures_do_too_is_no_shimmer() -> None:
    rng = np.random.default_rng(0)
    a, b = rng.random((2, 30, 30)).astype(np.float32)
    layers = np.full((30, 30, 4), A_LAYER, np.uint8)
    found = faults_of((shown(a), shown(b)), (rgb(a), rgb(b)), layers)
    assert (found.wrong, found.shimmers) == (0.0, 0.0)


def test_blending_by_the_middles_of_triangles_is_off_where_surfaces_pass_through_each_other(renderer) -> None:
    """Dithered by many samples crossing cards are right from every side; blended they are as right only side by side."""

    def tilted(by: float, up: float = 0.0) -> np.ndarray:
        matrix = np.eye(4)
        matrix[:2, :2] = [[np.cos(by), -np.sin(by)], [np.sin(by), np.cos(by)]]
        matrix[1, 3] = up
        return matrix

    def wrong(first: np.ndarray, second: np.ndarray) -> float:
        def picture(kind: str, samples: int, look: str = "lit") -> list[np.ndarray]:
            colors = (("red", (0.9, 0.05, 0.05)), ("blue", (0.05, 0.05, 0.9)))
            parts = [(material(kind, name, color=color), where)
                     for (name, color), where in zip(colors, (first, second), strict=True)]  # fmt: skip
            placed(renderer, parts, np.full((4, 4), 0.5))
            return [
                renderer.picture("kinds", ABOVE, SIDE, SIDE, (look,), sample=i, stream="cross", single=True).copy()
                for i in range(samples)
            ]

        right = right_of(np.mean([light_of(p) for p in picture("dithered", 65)[1:]], axis=0))
        (blended,), (layers,) = picture("blended", 1), picture("blended", 1, "layers")
        return faults_of((blended, blended), (right, right), layers).wrong

    apart, crossing = wrong(tilted(0.0), tilted(0.0, 0.3)), wrong(tilted(0.5), tilted(-0.5))
    assert apart < 0.3  # chance, and the shadow of one on the other
    assert crossing > apart + 0.25, (apart, crossing)


@given(st.lists(st.floats(0.0, 6.0), min_size=3, max_size=3))
def test_the_tone_map_is_undone_exactly_below_what_is_nearly_white(light: list[float]) -> None:
    """Khronos PBR Neutral, as tests/core/test_light.py writes it from its specification."""
    given_light = np.array(light)
    mapped = tone_mapped(given_light)
    np.testing.assert_allclose(mapped, neutral(given_light), atol=1e-6)
    if mapped.max() < 0.98:
        np.testing.assert_allclose(tone_unmapped(mapped), given_light, rtol=2e-3, atol=2e-4)
