"""What cards cost: glowing ones, trimmed ones, and bushes of them in the wind, each against its floor."""

from __future__ import annotations

from functools import partial

import numpy as np

from jade_coat.maps.mapset import MapSet
from jade_coat.maps.motes import Motes
from jade_coat.maps.packing import PackedLookup, Texture
from jade_coat.material.glow import Glow
from jade_coat.material.material import Coat, Material
from jade_coat.material.placing import SwayMove
from jade_coat.material.rows import field_values, layout
from jade_coat.material.surface import Surface
from jade_coat.mesh.makers import Bush, CardField
from jade_coat.stage.alone import single
from jade_coat.stage.draws import Draw, Scene
from jade_coat.stage.making import mote_map
from jade_coat.view.camera import eye_of
from jade_coat.view.context import create_context
from jade_coat.view.looks import A_LAYER, LAYERS
from jade_coat.view.renderer import Renderer
from tests.bench.common import HEIGHT, WIDTH, alternate, entry
from tests.bench.kinds import BALL_EYE, leaf_opacity
from tests.core.test_kinds import CUT_SET, cut_texture
from tests.support import put_mesh

FIELD_EYE = eye_of(np.array([0.0, 0.5, 5.0]), np.zeros(3), 0.7, WIDTH / HEIGHT)
BUSHES = 500


def bench_cards() -> list[dict]:
    """Glow cards, trimmed cards, and bushes in the wind."""
    return [*_glow(), *_trimmed(), *_wind()]


def _plain(name: str, **more) -> Material:
    return Material(id=name, name=name, two_sided=True, coats=(Coat(id="c", name="C", surface=Surface(**more)),))


def _glow() -> list[dict]:
    """10,000 glow cards that read a map and flicker, against the same cards added in one flat colour."""
    mesh = CardField(count=10_000, size=(0.06, 0.06), radii=(1.6, 1.2, 1.6), columns=2, rows=2, last=4, fill=0.0).mesh()
    channels = (Motes(side=512).channels() * 65535).astype(np.uint16)
    renderer = Renderer(create_context())
    sheet = MapSet(id="motes", name="M", maps=mote_map("maps/m.png", "m.png"))
    dark = _plain("glow", color=(0.0, 0.0, 0.0))
    glow = dark.with_(kind="glow", glow=Glow(shape="sheet", sheet="motes", flicker=0.5, near=(0.1, 0.4), boost=0.5))
    flat = _plain("flat", color=(0.01, 0.01, 0.01)).with_(kind="additive")
    put_mesh(renderer, "field", mesh)
    renderer.assets.put_texture("motes/e", False, Texture("motes/e", False, (channels,)).levels)
    for material in (flat, glow):
        renderer.assets.set_material(material, PackedLookup((sheet,)))
        renderer.scenes.set(material.id, single("field", mesh, material, field_values(material)))
    took = alternate(*(
        partial(renderer.picture, name, FIELD_EYE, WIDTH, HEIGHT, stream=name) for name in ("flat", "glow")
    ))  # fmt: skip
    note = f"10,000 cards at {WIDTH}x{HEIGHT}; floor: the same cards in one flat colour"
    return [entry("10,000 glow cards", took[1], "ms", took[0], 2.0, note)]


def _trimmed() -> list[dict]:
    """Bushes of trimmed cards against whole cells: pixels that are worked out, and time."""
    opacity = leaf_opacity().astype(np.float32)
    made = Bush(columns=1, rows=1, last=1, count=2000, radii=(0.9, 0.9, 0.9), foot=0.0, atlas="cut")
    leaf = _plain("leaf", map_set="cut", placement="square", roughness=0.8).with_(kind="masked")
    renderer = Renderer(create_context())
    renderer.assets.put_texture("cut/c", False, cut_texture(leaf_opacity()).levels)
    renderer.assets.set_material(leaf, PackedLookup((CUT_SET,)))
    drawn, names = [], ("whole", "trimmed")
    for name, corners in zip(names, (0, 6), strict=True):
        mesh = made.with_(corners=corners).mesh(opacity)
        put_mesh(renderer, name, mesh)
        renderer.scenes.set(name, single(name, mesh, leaf, field_values(leaf)))
        layers = renderer.picture(name, BALL_EYE, WIDTH, HEIGHT, (LAYERS,), stream=name)
        drawn.append(float((layers[..., 0] / A_LAYER).sum()) / 1000)
    took = alternate(*(partial(renderer.picture, n, BALL_EYE, WIDTH, HEIGHT, stream=n) for n in names))
    note = f"2,000 cards of 6 corners at {WIDTH}x{HEIGHT}; floor: whole cells"
    return [
        entry("pixels of trimmed cards", drawn[1], "thousand", drawn[0], 0.8, note),
        entry("picture of trimmed cards", took[1], "ms", took[0], 1.1, note),
    ]


def _wind() -> list[dict]:
    """500 bushes that sway, a moment later with every picture, against the same at rest."""
    mesh = Bush(columns=1, rows=1, last=1, count=60).mesh()
    rng = np.random.default_rng(4)
    matrices = np.tile(np.eye(4, dtype=np.float32), (BUSHES, 1, 1))
    matrices[:, 0, 3], matrices[:, 2, 3] = rng.uniform(-12, 12, BUSHES), rng.uniform(-24, 0, BUSHES)
    still = _plain("still", color=(0.1, 0.3, 0.05))
    sway = still.with_(id="sway", moves=(SwayMove(id="s", weight="R", phase="G", amount=0.2),))
    renderer = Renderer(create_context())
    put_mesh(renderer, "bush", mesh)
    zero, seeds = np.zeros(BUSHES, np.int32), rng.random(BUSHES).astype(np.float32)
    for material in (still, sway):
        renderer.assets.set_material(material, PackedLookup(()))
        rows = {material.id: layout(material).pack(field_values(material))[None]}
        draw = Draw("bush", "", 0, len(mesh.triangles), material.id, matrices, zero, seeds)
        renderer.scenes.set(material.id, Scene((draw,), rows))
    eye = eye_of(np.array([0.0, 3.0, 6.0]), np.array([0.0, 0.5, -6.0]), 0.8, WIDTH / HEIGHT)
    clock = [0.0]

    def picture(name: str) -> None:
        clock[0] += 0.1
        renderer.set_shared({"time": clock[0], "wind_strength": 0.6, "wind_direction": (0.6, 0.0, 0.8)})
        renderer.picture(name, eye, WIDTH, HEIGHT, stream=name)

    took = alternate(*(partial(picture, name) for name in ("still", "sway")))
    note = f"500 bushes of 60 cards at {WIDTH}x{HEIGHT}; floor: the same without a move, the clock running too"
    return [entry("500 bushes in the wind", took[1], "ms", took[0], 1.75, note)]
