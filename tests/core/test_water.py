"""Damp and water on a ground: what is wet darkens, hollows fill level up to where they spill, and rain draws rings."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest

from jade_coat.ground.heights import Heights
from jade_coat.ground.pages import Pages
from jade_coat.ground.water import hollows, pools
from jade_coat.material.damp import flooded, soaked, standing
from jade_coat.material.layers import Layer
from jade_coat.material.rain import rings
from jade_coat.program import VEC3, combine, const, lib
from jade_coat.program.numpy_backend import Environment, evaluate


def wet(damp: float, height: float, stands: float = 0.6) -> dict[str, float]:
    """What becomes of a rough brown surface."""
    dry = Layer(
        base_color=const(0.4, 0.25, 0.15), normal=const(0.0, 0.0, 1.0), roughness=const(0.9), metallic=const(0.0),
        occlusion=const(1.0), height=lib.dial("h"), emissive=const(0.0, 0.0, 0.0), opacity=const(1.0),
        specular=const(1.0), transmission=const(0.0),
    )  # fmt: skip
    d = lib.dial("d")
    made, puddle = flooded(soaked(dry, d), standing(d, const(stands), dry.height), const(0.02, 0.02, 0.01), const(0.4))
    found = evaluate(
        {"color": made.base_color, "rough": made.roughness, "puddle": puddle, "height": made.height},
        Environment(dials={"d": np.array([[damp]], np.float32), "h": np.array([[height]], np.float32)}),
    )
    red, green, blue = (float(np.ravel(c)[0]) for c in found["color"])
    return {"light": red + green + blue, "chroma": max(red, green, blue) / max(min(red, green, blue), 1e-6),
            **{n: float(np.ravel(found[n])[0]) for n in ("rough", "puddle", "height")}}  # fmt: skip


def test_damp_darkens_dulls_and_smooths_and_water_fills_low_places_first_to_a_level() -> None:
    """Common practice, no source: wet ground is darker, less saturated, smoother; water fills the low first."""
    dry, damp = wet(0.0, 0.5), wet(0.5, 0.5)
    assert damp["light"] < 0.75 * dry["light"]
    assert damp["chroma"] < dry["chroma"]
    assert damp["rough"] < dry["rough"] - 0.1
    assert dry["puddle"] == damp["puddle"] == 0
    filled_low = [wet(d, 0.1)["puddle"] for d in (0.55, 0.7, 0.85, 1.0)]
    filled_high = [wet(d, 0.9)["puddle"] for d in (0.55, 0.7, 0.85, 1.0)]
    assert filled_low[0] == 0
    assert all(a <= b for a, b in pairwise(filled_low))
    assert filled_low[1] > 0.9 > 0.1 > filled_high[1]
    assert filled_high[-1] > 0.99
    levels = [wet(0.85, h)["height"] for h in (0.1, 0.3, 0.5)]
    assert levels == pytest.approx([levels[0]] * 3, abs=1e-5)  # the water is level
    assert wet(0.85, 0.1)["rough"] < 0.06
    assert wet(0.85, 0.1)["light"] < wet(0.85, 0.55)["light"]  # cloudier where it is deeper


def bowl_land() -> Heights:
    """Flat land at 2 m with a round bowl 1 m deep, whose rim is cut down to 1.6 m towards an outlet that falls on."""
    z, x = np.mgrid[0:129, 0:129] / 128 * 16 - 8
    away = np.hypot(x, z)
    land = np.where(away < 4, 2 - (1 - (away / 4) ** 2), 2.0)
    gully = (np.abs(z) < 0.4) & (x > 2)
    land = np.where(gully, np.minimum(land, 1.6 - 0.3 * np.maximum(x - 4, 0)), land)
    return Heights.of(land.astype(np.float32), (16.0, 16.0))


def test_hollows_are_what_a_reconstruction_finds_and_fill_level_up_to_where_they_spill() -> None:
    """Spill level and extent against greyscale reconstruction by erosion of scikit-image."""
    from skimage.morphology import reconstruction

    land = bowl_land()
    found = hollows(land)
    seed = np.full_like(land.whole, land.whole.max())
    seed[[0, -1], :], seed[:, [0, -1]] = land.whole[[0, -1], :], land.whole[:, [0, -1]]
    full = reconstruction(seed.astype(np.float64), land.whole.astype(np.float64), method="erosion")
    assert len(found.bottom) == 2
    assert found.spill[1] == pytest.approx(1.6, abs=1e-5)
    assert found.bottom[1] == pytest.approx(1.0, abs=1e-5)
    assert np.array_equal(found.number > 0, full > land.whole + 1e-6)
    for share, level in ((0.5, -np.inf), (0.8, 1.3), (1.0, 1.6)):
        damp = np.zeros((65, 65), np.uint8)
        damp[30:35, 30:35] = round(share * 255)  # in the middle alone: it fills all of the bowl
        told = pools(found, Pages.of(damp))
        inside = np.array([[8.0, 8.0], [6.5, 8.0], [8.0, 10.0]])
        assert told.level(inside, 0.6) == pytest.approx(np.full(3, level), abs=0.01)
    places = np.stack(np.meshgrid(np.linspace(0.3, 15.7, 90), np.linspace(0.3, 15.7, 90)), axis=-1).reshape(-1, 2)
    deep = told.level(places, 0.6) - land.at(places)
    below = (np.hypot(*(places - 8.0).T) < 4.3) & (land.at(places) < 1.6)
    assert (deep[below & (places[:, 0] < 11.8)] > -0.02).all(), "water stands on all that lies lower"
    assert (deep[~below] < 0.03).all(), "and nowhere else: not over the rim, and not down the gully"
    assert told.level(inside, 0.6, weather=0.5) == pytest.approx(np.full(3, -np.inf)), "a dry season empties it"


def test_rings_of_rain_move_leave_most_of_the_water_calm_and_are_none_without_strength() -> None:
    at = lib.attribute("world_position", VEC3)
    program = {"normal": rings(combine(at.x, at.z), const(1.0))}
    side = 0.6 / 200
    z, x = np.mgrid[0:200, 0:200] * side
    places = np.stack([x.ravel(), 0 * x.ravel(), z.ravel()]).astype(np.float32)

    def slopes(time: float) -> np.ndarray:
        shared = {"time": np.array([[time]], np.float32)}
        found = evaluate(program, Environment(attributes={"world_position": places}, shared=shared))["normal"]
        assert np.allclose((found**2).sum(axis=0), 1, atol=1e-4)
        return np.hypot(found[0], found[1]).reshape(200, 200)

    moments = [slopes(t) for t in np.linspace(0.0, 2.4, 25)]
    assert 0.01 < np.mean(moments) < 0.15, "most of the water is calm at any moment"
    assert np.max(moments) > 0.25
    assert np.abs(moments[0] - moments[1]).max() > 0.05, "it moves"
    still = {"normal": rings(combine(at.x, at.z), const(0.0))}
    calm = evaluate(
        still, Environment(attributes={"world_position": places}, shared={"time": np.zeros((1, 1), np.float32)})
    )
    assert np.allclose(calm["normal"][:, 0], [0, 0, 1], atol=1e-6)
