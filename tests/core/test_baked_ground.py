"""Pages of a ground: what is still looks the same from them, what changes stays live, and a dab fills few tiles again."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from jade_coat.ground.heights import Heights
from jade_coat.ground.pages import Pages
from jade_coat.ground.synthesis import Land
from jade_coat.maps.packing import PackedLookup
from jade_coat.material.paged import live_by
from jade_coat.material.paint_source import own_key
from jade_coat.material.stacking import GroundLayer, weights_texture
from jade_coat.stage.draws import Scene
from jade_coat.stage.ground_looks import ground_material
from jade_coat.stage.ground_nodes import NODE_MESH, node_mesh
from jade_coat.stage.grounds import Baking
from jade_coat.stage.project import Project
from jade_coat.stage.scene import SceneColumns
from jade_coat.view.camera import eye_of
from jade_coat.view.passes.baked import BakedPass
from jade_coat.view.requests import Eye
from tests.core.test_ground_view import COLORS, give_own, plain, random_weights
from tests.support import put_mesh

SIDE = 240
EYE = eye_of(np.array([0.0, 14.0, 30.0]), np.array([0.0, 0.0, 0.0]), 0.7, 1.0)


def land(baking: Baking, lift: float = 0.0, foot: float = 0.0, **damp) -> Project:
    """A hill of 32 m with three plain layers, and damp where `damp` says what it is like."""
    project = plain(
        Land(samples=129, across=32.0, height=3.0, seed=4).heights(), random_weights(np.random.default_rng(6))
    )
    ground = project.grounds.first.with_(baking=baking, foot=foot)
    ground = ground.with_layer(ground.layers[0].with_(lift=lift))
    if damp:
        layer = GroundLayer(id="damp", name="Damp", way="absolute", role="damp", **damp)
        painted = np.zeros((33, 33), np.uint8)
        painted[8:20, 8:20] = 160
        ground = ground.with_(layers=(*ground.layers, layer), weights={**ground.weights, "damp": Pages.of(painted)})
    return project.with_(grounds=(ground,))


def given(renderer, project: Project, name: str) -> None:
    columns, scene = SceneColumns(lambda _p, _m: node_mesh()), Scene()
    columns.update(project).apply(scene)
    put_mesh(renderer, NODE_MESH, node_mesh())
    give_own(renderer, project.grounds.first)
    for material in columns.materials.values():
        renderer.assets.set_material(material, PackedLookup(()))
    renderer.scenes.set(name, scene)


def seen(renderer, name: str, look: str, samples: int = 8, eye: Eye = EYE) -> np.ndarray:
    for sample in range(samples):
        picture = renderer.picture(name, eye, SIDE, SIDE, (look,), sample=sample, stream=name, backdrop=False)
    assert not renderer.faults
    return picture.astype(int)


@pytest.mark.parametrize("look", ["base_color", "normal", "roughness", "lit"])
def test_what_is_still_looks_the_same_from_pages(renderer, look: str) -> None:
    """Within 2 of 255, but where less than a pixel is from one layer to the next or from slope to slope: pages are
    filtered there, and live pixels the mean of a few places."""
    given(renderer, land(Baking()), "live")
    given(renderer, land(Baking(beyond=1.0, memory=128.0)), "baked")
    live, baked = seen(renderer, "live", look), seen(renderer, "baked", look)
    pages = renderer.scenes.get("baked").pages["g"]
    assert pages.fresh.all()
    assert not renderer.scenes.get("live").pages
    off = np.abs(live - baked).max(axis=-1)
    steady = live[..., 3] > 250
    for channel in np.moveaxis(live.astype(np.uint8), 2, 0):  # no border near
        box = np.ones((7, 7), np.uint8)
        steady &= cv2.dilate(channel, box).astype(int) - cv2.erode(channel, box) < 14
    assert steady.mean() > 0.1
    assert np.quantile(off[steady], 0.99) <= 2
    assert off[live[..., 3] > 250].mean() < 2.5


def test_from_pages_the_land_lies_as_high_and_is_lifted_as_it_is_live(renderer) -> None:
    """The line of the land against the sky, from low: the same to a pixel, for land that lies anywhere."""
    eye = eye_of(np.array([0.0, 41.5, 40.0]), np.array([0.0, 41.0, 0.0]), 0.7, 1.0)
    skylines = {}
    for name, baking, lift in (("live", Baking(), 6.0), ("baked", Baking(beyond=1.0), 6.0), ("flat", Baking(), 0.0)):
        given(renderer, land(baking, lift=lift, foot=40.0), name)
        there = seen(renderer, name, "base_color", eye=eye)[..., 3] > 127
        skylines[name] = np.where(there.any(axis=0), there.argmax(axis=0), SIDE)
    assert renderer.scenes.get("baked").pages["g"].fresh.all()
    assert np.abs(skylines["live"] - skylines["flat"]).mean() > 4
    assert np.abs(skylines["live"] - skylines["baked"]).max() <= 2
    assert np.abs(skylines["live"] - skylines["baked"]).mean() < 0.3


def test_cliffs_stay_live(renderer, monkeypatch) -> None:
    """Pages hold what is seen from above, where a cliff is hardly more than a line."""
    step = np.where(np.arange(129) < 64, 0.0, 12.0)[:, None] * np.ones((1, 129))
    project = plain(Heights.of(step.astype(np.float32), (32.0, 32.0)), random_weights(np.random.default_rng(6)))
    ground = project.grounds.first.with_(baking=Baking(beyond=1.0))
    given(renderer, project.with_(grounds=(ground,)), "cliff")
    drawn: list[np.ndarray] = []
    run = BakedPass._run

    def seen_run(self, frame, program, draw, data) -> None:
        drawn.append(data["matrix"][:, 1, 1])
        run(self, frame, program, draw, data)

    monkeypatch.setattr(BakedPass, "_run", seen_run)
    seen(renderer, "cliff", "base_color")
    *near, far = drawn  # those from pages come last
    assert far.max() < 1.0
    assert max(n.max() for n in near[-3:]) > 10.0


def test_a_dab_fills_the_tiles_that_it_touched_again_and_the_picture_follows(renderer) -> None:
    project = land(Baking(beyond=1.0, memory=128.0))
    given(renderer, project, "baked")
    before = seen(renderer, "baked", "base_color")
    pages = renderer.scenes.get("baked").pages["g"]
    assert len(pages.fresh) >= 6
    values = np.zeros((6, 6, 4), np.uint8)
    values[..., 2] = 255  # all blue
    renderer.assets.patch_map(own_key("g", weights_texture(0)), 14, 14, values)
    renderer.picture("baked", EYE, SIDE, SIDE, ("base_color",), sample=0, stream="baked", backdrop=False)
    assert 1 <= (~pages.fresh).sum() <= 16 < pages.fresh.size
    after = seen(renderer, "baked", "base_color")
    assert pages.fresh.all()
    changed = np.abs(after - before).max(axis=-1) > 30
    assert 0.001 < changed.mean() < 0.2
    assert after[changed][:, 2].mean() > after[changed][:, 0].mean() + 60


def test_parts_that_change_by_themselves_are_told_of_and_stay_live(renderer) -> None:
    rainy = {"rain": "rings", "stands": 0.2}
    project = land(Baking(beyond=1.0), **rainy)
    ground = project.grounds.first
    every = frozenset(layer.id for layer in ground.layers)
    told = live_by(ground_material(project, ground, every), PackedLookup(()))
    assert told == ("changes with the clock",)
    assert live_by(ground_material(project, ground, frozenset(COLORS)), PackedLookup(())) == ()
    far = ground.with_layer(ground.layers[0].with_(glint=0.5))
    assert live_by(ground_material(project, far, frozenset(COLORS)), PackedLookup(())) == ("follows the eye",)
    given(renderer, project, "rain")
    seen(renderer, "rain", "base_color")
    pages = renderer.scenes.get("rain").pages["g"]
    assert set(pages.live.values()) == {True, False}
    pictures = []
    for moment in (1.0, 1.3):
        renderer.set_shared({"time": moment})
        pictures.append(seen(renderer, "rain", "normal"))
    renderer.set_shared({})
    assert np.abs(pictures[0] - pictures[1]).max() > 8, "rain goes on falling"


def test_pages_keep_to_the_memory_that_they_may_take() -> None:
    for memory in (4.0, 16.0, 64.0, 500.0):
        side = Baking(memory=memory).side
        # Colour, finish: 4 bytes; shape, extra: 8; all levels a third more; depth: 4.
        assert side * side * ((4 + 4 + 8 + 8) * 4 / 3 + 4) <= max(memory * 1e6, 256 * 256 * 36)
