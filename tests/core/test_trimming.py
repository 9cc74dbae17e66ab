"""Cards are cut from cells that are found by their opacity, and hold all that shows with few corners."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import ndimage

from jade_coat.mesh.makers import Bush, Card
from jade_coat.mesh.makers.sheets import bent, cut_out
from jade_coat.mesh.makers.trimming import area_of, budgeted, curve_of, found_cells, hull_of, trimmed

WHOLE = (0.0, 0.0, 1.0, 1.0)
CUT = 0.4


def blobs(seed: int, side: int = 64, share: float = 0.1) -> np.ndarray:
    """An opacity with some soft spots somewhere."""
    rng = np.random.default_rng(seed)
    spots = ndimage.gaussian_filter((rng.random((side, side)) < share / 20).astype(np.float64), 1 + 4 * rng.random())
    return (spots / max(spots.max(), 1e-9)).astype(np.float32)


def corners_of_texels(shows: np.ndarray) -> np.ndarray:
    y, x = np.nonzero(shows)
    high, wide = shows.shape
    return np.concatenate([np.stack([(x + i) / wide, (y + j) / high], axis=1) for i in (0, 1) for j in (0, 1)])


@given(st.integers(0, 10_000), st.integers(3, 16), st.floats(0.02, 0.6))
@settings(max_examples=80, deadline=None)
def test_a_trimmed_card_holds_every_texel_that_shows_within_its_cell_and_is_convex(seed, corners, share) -> None:
    opacity = blobs(seed, share=share)
    polygon = trimmed(opacity, WHOLE, CUT, corners)
    if polygon is None:
        assert not (opacity >= CUT).any()
        return
    hull = hull_of(opacity, WHOLE, CUT)
    assert len(polygon) <= corners or len(polygon) == min(budgeted(hull))
    assert polygon.min() >= 0
    assert polygon.max() <= 1
    held = corners_of_texels(opacity >= CUT)
    for a, b in zip(polygon, np.roll(polygon, -1, axis=0), strict=True):
        side = b - a
        away = side[0] * (held[:, 1] - a[1]) - side[1] * (held[:, 0] - a[0])
        assert away.max() <= 1e-9  # clockwise with y downward: the inside lies on the one hand of every side
    assert area_of(hull) - 1e-9 <= area_of(polygon) <= 1 + 1e-9


@given(st.integers(0, 10_000))
@settings(max_examples=40, deadline=None)
def test_more_corners_never_cover_more(seed) -> None:
    curve = curve_of(blobs(seed), WHOLE, CUT)
    areas = [area for _, area in curve]
    assert areas == sorted(areas, reverse=True)


@pytest.mark.parametrize("corners", [3, 4, 6, 8, 12])
def test_a_disc_is_trimmed_nearly_as_tightly_as_any_polygon_can_be(corners) -> None:
    """The smallest polygon of n corners round a circle has the area n·tan(π/n)·r² (Tóth, Lagerungen, 1953)."""
    y, x = (np.mgrid[0:512, 0:512] + 0.5) / 512 - 0.5
    radius = 0.2
    polygon = trimmed((np.hypot(x, y) < radius).astype(np.float32), WHOLE, CUT, corners)
    least = corners * np.tan(np.pi / corners) * radius**2
    assert least < area_of(polygon) < (1.2 if corners == 3 else 1.12) * least


@given(st.integers(0, 10_000), st.integers(1, 5), st.integers(1, 5), st.integers(3, 12))
@settings(max_examples=40, deadline=None)
def test_a_card_that_is_split_to_bend_is_the_same_polygon_without_gaps(seed, across, along, corners) -> None:
    polygon = trimmed(blobs(seed), WHOLE, CUT, corners)
    if polygon is None:
        return
    sheet = cut_out(polygon, WHOLE, across, along)
    triangles = sheet.places[sheet.triangles]
    sides = triangles[:, 1:] - triangles[:, :1]
    areas = (sides[:, 0, 0] * sides[:, 1, 1] - sides[:, 0, 1] * sides[:, 1, 0]) / 2
    assert (areas > -1e-9).all()  # all face the viewer
    assert areas.sum() == pytest.approx(area_of(polygon), abs=1e-6)
    outline = np.linalg.norm(np.roll(polygon, -1, axis=0) - polygon, axis=1).sum()
    edges, counts = np.unique(np.sort(np.concatenate([sheet.triangles[:, [i, (i + 1) % 3]] for i in range(3)]), axis=1),
                              axis=0, return_counts=True)  # fmt: skip
    assert counts.max() <= 2
    rim = np.linalg.norm(np.diff(sheet.places[edges[counts == 1]], axis=1), axis=-1).sum()
    assert rim == pytest.approx(outline, abs=1e-4)  # open edges lie on the outline alone: no T-junctions within


def test_cells_are_found_row_by_row_as_connected_component_analysis_finds_them() -> None:
    """Against scikit-image's regionprops, on an atlas of spots in rows."""
    from skimage.measure import label, regionprops

    atlas = np.zeros((120, 200), np.float32)
    for row in range(2):
        for column in range(3):
            y, x = 10 + row * 60 + 3 * column, 10 + column * 65
            atlas[y : y + 30 + 5 * row, x : x + 40] = 1.0
    atlas[5, 195] = 1.0  # a speck
    found = found_cells(atlas, CUT, 0.02)
    reference = [r for r in regionprops(label(atlas > 0)) if r.area > 5]
    assert len(found) == len(reference) == 6
    assert [round(c[0] * 200 / 65) for c in found] == [0, 1, 2, 0, 1, 2]
    for cell in found:
        inside = [r for r in reference if cell[1] * 120 <= r.bbox[0] and r.bbox[2] <= cell[3] * 120
                  and cell[0] * 200 <= r.bbox[1] and r.bbox[3] <= cell[2] * 200]  # fmt: skip
        assert len(inside) == 1
    joined = np.zeros((64, 64), np.float32)
    joined[20:24, 10:14] = joined[20:24, 16:20] = 1.0  # two pixels apart: one sprig
    assert len(found_cells(joined, CUT, 0.1)) == 1
    assert len(found_cells(joined, CUT, 0.0)) == 2


def test_a_card_stands_on_its_pivot_bends_keeps_its_length_and_gives_way_to_its_tip() -> None:
    opacity = np.zeros((100, 200), np.float32)
    opacity[10:60, 20:40] = 1.0  # tall
    opacity[10:40, 100:180] = 1.0  # wide
    card = Card(atlas="a", at=(0.15, 0.3), gap=0.0, length=0.5, corners=4, bend=0.0, cup=0.0)
    flat = card.mesh(opacity)
    low, high = flat.bounds
    assert len(flat.triangles) == 2
    assert (high - low)[1] == pytest.approx(0.5 * 51 / 52, rel=0.02)
    assert (high - low)[0] == pytest.approx(0.5 * 21 / 52, rel=0.03)  # texels are square
    wide = card.with_(at=(0.7, 0.2)).mesh(opacity)
    assert np.ptp(wide.positions[:, 0]) > 2 * np.ptp(wide.positions[:, 1])
    lifted = card.with_(pivot=(0.5, 0.5)).mesh(opacity)
    assert lifted.bounds[0][1] == pytest.approx(-lifted.bounds[1][1], abs=0.01)
    gives = flat.colors[0][:, 0] / 65535
    assert gives[flat.positions[:, 1].argmax()] > 0.9
    assert gives[flat.positions[:, 1].argmin()] < 0.15
    bowed, normals = bent(cut_out(np.array([[0.0, 1], [1, 1], [1, 0], [0, 0]]), WHOLE, 1, 16), (0.1, 1.0), 2.0, 0.0)
    edge = bowed[np.isclose(bowed[:, 0], bowed[:, 0].min())]
    edge = edge[np.argsort(-edge[:, 2])]
    assert np.linalg.norm(np.diff(edge, axis=0), axis=1).sum() == pytest.approx(1.0, rel=0.01)  # an arc of its length
    assert np.allclose(np.linalg.norm(normals, axis=1), 1)


def test_bushes_of_trimmed_cards_cover_less_with_all_that_shows() -> None:
    opacity = np.zeros((128, 128), np.float32)
    y, x = (np.mgrid[0:128, 0:128] + 0.5) / 64
    opacity[np.hypot(x % 1 - 0.5, (y % 1 - 0.5) * 2) < 0.4] = 1.0
    made = Bush(atlas="a", count=30, bend=0.0, cup=0.0)
    whole, cut = made.mesh(opacity), made.with_(corners=6).mesh(opacity)

    def area(mesh) -> float:
        a, b, c = (mesh.positions[mesh.triangles[:, i]].astype(np.float64) for i in range(3))
        return float(np.linalg.norm(np.cross(b - a, c - a), axis=1).sum() / 2)

    assert area(cut) < 0.62 * area(whole)  # an ellipse of 0.8 by 0.4 in a square: π·0.4·0.2 = 0.25 of it
    assert made.with_(cells_by="found").mesh(opacity).vertex_count == whole.vertex_count
    with pytest.raises(ValueError, match="opaque enough"):
        made.with_(corners=6).mesh(np.zeros((8, 8), np.float32))
