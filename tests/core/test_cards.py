"""Bushes of cards: even, bent, lit as one body, with what the wind and the shelter need in their channels."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from jade_coat.mesh.data import FULL
from jade_coat.mesh.makers import Bush
from jade_coat.mesh.makers.bush import ACROSS, ALONG, covered

CELLS = Bush(first=2, last=3).cells()
EACH = (ACROSS + 1) * (ALONG + 1)


def test_the_same_numbers_give_the_same_bush_and_another_seed_another() -> None:
    made = Bush(first=2, last=3, count=20)
    one, two, other = made.mesh(), made.mesh(), made.with_(seed=2).mesh()
    assert np.array_equal(one.positions, two.positions)
    assert not np.array_equal(one.positions, other.positions)
    assert len(one.triangles) == 20 * ACROSS * ALONG * 2


def test_cards_are_strewn_more_evenly_than_by_chance() -> None:
    """Mitchell 1991: best-candidate samples keep a distance that chance does not."""

    def nearest(mesh) -> float:
        roots = mesh.positions.reshape(-1, EACH, 3)[:, : ACROSS + 1].mean(axis=1)
        away = np.linalg.norm(roots[:, None] - roots[None], axis=-1)
        np.fill_diagonal(away, 9)
        return float(np.percentile(away.min(axis=1), 10))

    made = Bush(first=2, last=3, count=120, radii=(0.5, 0.5, 0.5))
    even = np.mean([nearest(made.with_(seed=s).mesh()) for s in range(4)])
    rng = np.random.default_rng(0)
    ways = rng.normal(size=(4, 120, 3))
    ways[..., 1] = np.abs(ways[..., 1])
    points = ways / np.linalg.norm(ways, axis=-1, keepdims=True) * (0.5 * (0.5 + 0.5 * rng.random((4, 120, 1)) ** 0.6))
    away = np.linalg.norm(points[:, :, None] - points[:, None], axis=-1) + 9 * np.eye(120)
    assert even > 1.5 * np.percentile(away.min(axis=2), 10)


@given(st.floats(0.0, 1.0), st.floats(0.0, 2.0), st.integers(0, 50))
@settings(max_examples=25, deadline=None)
def test_normals_turn_to_the_domes_and_cards_stay_as_long_as_they_are(dome: float, bend: float, seed: int) -> None:
    made = Bush(first=2, last=3, count=12, dome=dome, bend=bend, seed=seed, spread=0.0, cup=0.0)
    mesh = made.mesh()
    assert np.allclose(np.linalg.norm(mesh.normals, axis=1), 1, atol=1e-4)
    out = (mesh.positions - [0, made.foot, 0]) / np.array(made.radii) ** 2
    out /= np.linalg.norm(out, axis=1, keepdims=True)
    facing = (mesh.normals * out).sum(axis=1).mean()
    assert facing > bush_facing(made.with_(dome=0.0)) - 1e-6
    if dome == 1.0:
        assert facing == pytest.approx(1, abs=1e-4)
    cards = mesh.positions.reshape(-1, ALONG + 1, ACROSS + 1, 3)
    along = np.linalg.norm(np.diff(cards, axis=1), axis=-1).sum(axis=1)
    assert np.allclose(along, made.size[1], rtol=0.03)  # chords of an arc of that length


def bush_facing(made: Bush) -> float:
    mesh = made.mesh()
    out = (mesh.positions - [0, made.foot, 0]) / np.array(made.radii) ** 2
    return float((mesh.normals * out / np.linalg.norm(out, axis=1, keepdims=True)).sum(axis=1).mean())


def test_channels_say_what_gives_way_and_what_is_sheltered_and_cards_have_their_cells() -> None:
    mesh = Bush(first=2, last=3, count=80).mesh()
    red, green, blue, alpha = (mesh.colors[0] / FULL).T
    cards = green.reshape(-1, EACH)
    assert (np.ptp(cards, axis=1) == 0).all()  # one number a card
    assert len(np.unique(cards[:, 0])) > 60
    high, low = mesh.positions[:, 1] > 0.5, mesh.positions[:, 1] < 0.25
    assert red[high].mean() > 3 * red[low].mean()
    away = np.linalg.norm((mesh.positions - [0, 0.12, 0]) / (0.5, 0.55, 0.5), axis=1)
    assert np.corrcoef(away, blue)[0, 1] < -0.9
    assert set(np.round(alpha.reshape(-1, EACH)[0], 3)) == {0.0, 0.333, 0.667, 1.0}
    uv = mesh.uvs[0].reshape(-1, EACH, 2)
    for low_uv, high_uv in zip(uv.min(axis=1), uv.max(axis=1), strict=True):
        assert any(np.allclose([*low_uv, *high_uv], cell, atol=1e-6) for cell in CELLS)


@pytest.mark.parametrize("trims", [0, 6])
def test_levels_for_afar_have_half_the_cards_and_cover_as_much(trims: int) -> None:
    """Against the silhouette that a rasteriser of its own counts (scikit-image's polygon)."""
    from skimage.draw import polygon

    y, x = (np.mgrid[0:128, 0:128] + 0.5) / 64
    leaf = (np.hypot(x % 1 - 0.5, (y % 1 - 0.5) * 1.6) < 0.42).astype(np.float32)
    made = Bush(atlas="a", corners=trims, count=120, seed=5)

    def silhouette(mesh) -> float:
        picture = np.zeros((256, 256), bool)
        at = (mesh.positions[:, :2] * [1, -1] + [0.9, 1.2]) / 1.8 * 256
        for corners in mesh.triangles:
            picture[polygon(at[corners, 1], at[corners, 0], picture.shape)] = True
        return float(picture.mean())

    near = made.mesh(leaf)
    for level in (1, 2):
        afar = made.with_(level=level).mesh(leaf)
        assert len(afar.triangles) == pytest.approx(len(near.triangles) / 2**level, rel=0.2)
        assert covered(afar, leaf, 0.4) == pytest.approx(covered(near, leaf, 0.4), rel=0.04)
        if trims:  # a whole cell is empty in its corners, which a silhouette does not know
            assert silhouette(afar) == pytest.approx(silhouette(near), rel=0.12)


def test_what_is_inside_a_bush_is_a_slot_of_its_own_within_it() -> None:
    mesh = Bush(count=40, fill=0.6, radii=(0.5, 0.4, 0.3), foot=0.2).mesh()
    assert [s.name for s in mesh.slots] == ["surface", "fill"]
    run = mesh.slots[1]
    inside = mesh.positions[np.unique(mesh.triangles[run.start : run.start + run.count])]
    far = np.linalg.norm((inside - [0, 0.2, 0]) / (0.5, 0.4, 0.3), axis=1)
    np.testing.assert_allclose(far, 0.6, rtol=1e-4)
    bare = Bush(count=40, radii=(0.5, 0.4, 0.3), foot=0.2).mesh()
    assert np.array_equal(mesh.positions[: bare.vertex_count], bare.positions)


def test_cards_grow_along_stems_and_no_two_lie_over_each_other_by_more_than_they_may() -> None:
    made = Bush(count=96, stems=8, radii=(0.5, 0.5, 0.5), foot=0.0, core=0.2, cup=0.0)
    mesh = made.mesh()
    roots = mesh.positions.reshape(-1, EACH, 3)[:, : ACROSS + 1].mean(axis=1)
    flat = np.arctan2(roots[:, 0], roots[:, 2]) % (2 * np.pi)
    strewn = Bush(count=96, radii=(0.5, 0.5, 0.5), foot=0.0, core=0.2, cup=0.0).mesh()
    others = strewn.positions.reshape(-1, EACH, 3)[:, : ACROSS + 1].mean(axis=1)
    around = np.arctan2(others[:, 0], others[:, 2]) % (2 * np.pi)
    assert len(np.unique(np.round(flat, 2))) < 0.25 * len(np.unique(np.round(around, 2)))  # eight ways, not ninety-six
    for overlap in (0.3, 0.7):
        fewer = made.with_(overlap=overlap).mesh()
        there = fewer.positions.reshape(-1, EACH, 3)[:, : ACROSS + 1].mean(axis=1)
        apart = np.linalg.norm(there[:, None] - there[None], axis=-1) + 9 * np.eye(len(there))
        assert apart.min() >= (1 - overlap) * max(made.size) - 1e-3
        assert 4 < len(there) < 96
        assert f"{len(there)} cards" in made.with_(overlap=overlap).words(fewer)
