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
from jade_coat.material.quantity import QUANTITIES
from jade_coat.material.shared import TIME
from jade_coat.material.splitting import split, why_live
from jade_coat.material.stacking import GroundLayer, weights_texture
from jade_coat.program import VEC2, VEC4, TextureRef, const, lib, passes
from jade_coat.program.numpy_backend import Environment, evaluate
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
        drawn.append(data["rows"][:, 1, 1])
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


def test_what_moves_is_told_of_only_where_pages_cannot_hold_what_it_is_made_of() -> None:
    project = land(Baking(beyond=1.0), rain="rings", stands=0.2)
    ground, lookup = project.grounds.first, PackedLookup(())
    every = frozenset(layer.id for layer in ground.layers)
    assert live_by(ground_material(project, ground, every), lookup) == ()
    assert live_by(ground_material(project, ground, frozenset(COLORS)), lookup) == ()
    dull = ground.with_layer(ground.layers[0].with_(glint=0.5))
    assert live_by(ground_material(project, dull, every), lookup) == ()


def test_what_moves_is_made_of_what_pages_hold_and_goes_on_moving(renderer) -> None:
    """Rings of rain and what mirrors less from afar: live and from pages alike, at two moments and from two places."""
    for name, baking in (("live", Baking()), ("baked", Baking(beyond=1.0, memory=128.0))):
        project = land(baking, rain="rings", stands=0.2)
        ground = project.grounds.first
        given(renderer, project.with_(grounds=(ground.with_layer(ground.layers[1].with_(glint=0.3)),)), name)
    seen(renderer, "baked", "normal")
    pages = renderer.scenes.get("baked").pages["g"]
    assert all(worn is not None and worn.of is not None for worn in pages.worn.values())
    near = eye_of(np.array([-2.0, 5.0, 5.0]), np.array([-2.0, 1.5, -2.0]), 0.7, 1.0)
    pictures: dict[str, list[np.ndarray]] = {"live": [], "baked": []}
    for moment, eye in ((1.0, EYE), (1.0, near), (1.25, near)):
        renderer.set_shared({"time": moment})
        for name, found in pictures.items():
            found += [seen(renderer, name, look, eye=eye) for look in ("normal", "lit")]
        assert pages.fresh.all(), "what is still is not drawn again as time goes on"
    renderer.set_shared({})
    for live, baked in zip(pictures["live"], pictures["baked"], strict=True):
        assert np.abs(live - baked).max(axis=-1)[live[..., 3] > 250].mean() < 3
    moved = [found[4].astype(float) - found[2] for found in pictures.values()]
    there = np.abs(moved[0]).max(axis=-1) > 6
    assert there.mean() > 0.004, "rain goes on falling"
    assert np.corrcoef(moved[0][there].ravel(), moved[1][there].ravel())[0, 1] > 0.9


def test_a_program_splits_where_what_moves_reads_no_more_than_pages_have_room_for() -> None:
    """Evaluated in two steps it gives what it gives whole, whatever is read, at any time."""
    at, time = lib.attribute("uv0", VEC2), lib.shared(TIME)
    maps = [lib.texture(TextureRef(f"m{i}"), at) for i in range(3)]
    plain = {n: const(*q.default) if q.size > 1 else const(q.default[0]) for n, q in QUANTITIES.items()}
    sway = lib.unary("sin", time * 3.0 + maps[0].x)
    moving = {**plain, "roughness": lib.clamp(maps[1].x * sway), "emissive": maps[2].xyz * maps[0].w}
    parts = split({**moving, "specular": lib.clamp(maps[1].y + sway * maps[2].w)})
    assert parts is not None
    assert parts.live == ("roughness", "specular")
    assert parts.still["emissive"] is moving["emissive"]
    held = {value: (lib.attribute("kept", VEC4), place) for value, place in parts.reads.items()}
    known = {v: getattr(kept, "xyzw"[place[0]]) for v, (kept, place) in held.items()}
    later = passes.rebuilt({n: parts.outputs[n] for n in parts.live}, lambda node: node, known)
    assert passes.textures(later.values()) == []
    rng = np.random.default_rng(5)
    fetched = {f"m{i}": rng.random((4, 200)).astype(np.float32) for i in range(3)}
    for moment in (0.0, 0.4, 7.7):
        shared = {"time": np.full((1, 1), moment, np.float32)}
        once = Environment({"uv0": np.zeros((2, 200), np.float32)}, shared=shared, fetch=lambda t, _: fetched[t.name])
        whole = evaluate({n: parts.outputs[n] for n in parts.live} | {"kept": parts.kept}, once)
        again = evaluate(later, Environment({"kept": whole["kept"]}, shared=shared))
        for name in parts.live:
            assert np.allclose(again[name], whole[name], atol=1e-6)
    too_much = {**moving, "base_color": maps[0].xyz * sway}
    assert split(too_much) is None
    assert why_live(too_much) == ("changes with the clock",)
    assert split(plain).live == ()


def test_pages_keep_to_the_memory_that_they_may_take() -> None:
    for memory in (4.0, 16.0, 64.0, 500.0):
        side = Baking(memory=memory).side
        # Colour, finish: 4 bytes; shape, extra and what moves: 8; all levels a third more; depth: 4.
        assert side * side * ((4 + 4 + 8 + 8 + 8) * 4 / 3 + 4) <= max(memory * 1e6, 256 * 256 * 47)
