"""What strokes on a large ground cost, and drawing it."""

from __future__ import annotations

from typing import Any

import numpy as np

from jade_coat.check.ground_costs import memory_of
from jade_coat.ground.heights import Heights
from jade_coat.ground.pages import Pages
from jade_coat.ground.scatter import Scatter, cells_over, strewn
from jade_coat.ground.strew_kernels import CHANCES
from jade_coat.ground.stroke import GroundBrush, painted, shaped
from jade_coat.ground.synthesis import Land
from jade_coat.maps.packing import PackedLookup
from jade_coat.material.compile_stacked import HEIGHTS
from jade_coat.material.material import Coat, Finish, Material
from jade_coat.material.paint_source import own_key
from jade_coat.material.stacking import GroundLayer, weights_texture
from jade_coat.material.surface import Surface
from jade_coat.material.where import NoiseTerm
from jade_coat.mesh import shapes
from jade_coat.stage import edits
from jade_coat.stage.document import Document
from jade_coat.stage.draws import Scene
from jade_coat.stage.ground_grids import own_grids, texels
from jade_coat.stage.ground_nodes import NODE_MESH, node_mesh
from jade_coat.stage.grounds import Baking, new_ground
from jade_coat.stage.mesh_assets import MeshAsset
from jade_coat.stage.project import Project
from jade_coat.stage.scene import SceneColumns
from jade_coat.stage.strewing import footing
from jade_coat.view.camera import eye_of
from jade_coat.view.renderer import Renderer
from tests.bench.common import alternate, entry
from tests.support import put_mesh

SIDE, CELLS = 4097, 1025


def land(side: int = SIDE) -> Heights:
    """A large hill."""
    return Land(samples=side, across=1024.0, height=60.0, hill=240.0, seed=2).heights()


def ground_project(heights: Heights, layers: int, there: int | None = None) -> Project:
    """A ground of so many plain layers, all painted in blots; or the first few alone, and the others in a corner."""
    rng = np.random.default_rng(1)
    color = Surface(color=(0.3, 0.2, 0.1), roughness=0.9, height=0.5)
    material = Material(id="m", name="M", coats=(Coat(id="c", name="C", surface=color),))
    names = [f"l{i}" for i in range(layers)]
    ground = new_ground("g", "G", heights, GroundLayer(id="l0", name="l0", finish="f"), CELLS)
    made = tuple(GroundLayer(id=n, name=n, finish="f") for n in names)
    weights = {
        n: ground.weights["l0"] if i == 0 else Pages.of(_blots(rng, there is None or i < there))
        for i, n in enumerate(names)
    }
    return Project(materials=(material,), finishes=(Finish(id="f", name="F", parent="m"),),
                   grounds=(ground.with_(layers=made, weights=weights),))  # fmt: skip


def _blots(rng: np.random.Generator, everywhere: bool) -> np.ndarray:
    values = np.kron(rng.integers(0, 2, (41, 41)) * 90, np.ones((25, 25))).astype(np.uint8)
    if not everywhere:
        values[100:, :], values[:, 100:] = 0, 0
    return values


class _Hand:
    """A stroke by edits, as the window makes it: document, scene and all that is told."""

    def __init__(self, project: Project) -> None:
        self.document, self.columns, self.scene = Document(project), SceneColumns(lambda _p, _m: node_mesh()), Scene()
        self.columns.update(project).apply(self.scene)
        self.at = 0

    def _place(self) -> np.ndarray:
        self.at += 1
        return np.array([300.0 + self.at * 3.0 % 400, 420.0])

    def paint(self) -> None:
        ground = self.document.project.grounds.first
        brush = GroundBrush(radius=12.0, strength=0.5)
        weights = painted(ground.weights, ground.sharing, "l1", ground.heights.size, brush, self._place())
        self.document.do(edits.paint_layers(ground="g", weights=weights), merge="stroke")
        self.columns.update(self.document.project)

    def shape(self) -> None:
        ground = self.document.project.grounds.first
        made = shaped(ground.heights, GroundBrush(deed="raise", radius=12.0), self._place(), 0.0)
        self.document.do(edits.sculpt(ground="g", pages=made.pages), merge="shape")
        self.columns.update(self.document.project)


def bench_grounds(renderer: Renderer) -> list[dict[str, Any]]:
    """Dabs by layers, shaping against copying the tiles, and a frame against one flat colour."""
    heights = land()
    few, many, elsewhere = (_Hand(ground_project(heights, n, there)) for n, there in ((2, None), (16, None), (16, 2)))
    tiles = heights.pages.tile(40)

    def copy() -> None:
        for _ in range(4):
            np.array(tiles)

    two, sixteen, two_there, shape, bare = alternate(few.paint, many.paint, elsewhere.paint, few.shape, copy)
    found = [
        entry(
            "dab on a ground of 4096² with 16 layers", two_there, "ms", two, 1.2, "2 of them there, against 2 in all"
        ),
        entry("dab on a ground of 4096², 16 layers there", sixteen, "ms", two, 1.2, "all 16 change, against 2"),
        entry("shaping a ground of 4096²", shape, "ms", bare, 400, "a dab and its scene, against copying its tiles"),
    ]
    project = ground_project(heights, 2)
    columns, scene = SceneColumns(lambda _p, _m: node_mesh()), Scene()
    columns.update(project).apply(scene)
    put_mesh(renderer, NODE_MESH, node_mesh())
    ground = project.grounds.first
    for texture, grids in own_grids(ground).items():
        renderer.assets.put_map(own_key("g", texture), texels([g.whole() for g in grids]))
    for material in columns.materials.values():
        renderer.assets.set_material(material, PackedLookup(()))
    renderer.scenes.set("ground", scene)
    eye = eye_of(np.array([0.0, 90.0, 300.0]), np.array([0.0, 30.0, 0.0]), 0.7, 1000 / 600)

    def frame(look: str) -> None:
        renderer.picture("ground", eye, 1000, 600, (look,), stream=look)

    lit, flat = alternate(lambda: frame("lit"), lambda: frame("base_color"))
    found.append(entry("frame of a ground of 4096²", lit, "ms", flat, 2.0, "lit, against its colour alone"))
    return [*found, *bench_patches(renderer, heights), bench_pages(renderer), *bench_scatter(renderer)]


def bench_patches(renderer: Renderer, heights: Heights) -> list[dict[str, Any]]:
    """Tiles of heights and of weights given to the renderer, against a bare copy of them; memory told against used."""
    key, weights_key = own_key("g", HEIGHTS), own_key("g", weights_texture(0))
    tile = np.array(heights.pages.tile(40))[..., None]
    weights = np.random.default_rng(3).integers(0, 255, (128, 128, 4)).astype(np.uint8)
    assets = renderer.assets

    def give(to: str, values: np.ndarray) -> None:
        for i in range(4):
            assets.patch_map(to, i * 128, 256, values)
        renderer.context.finish()

    def copy(values: np.ndarray) -> None:
        for _ in range(4):
            np.array(values)

    given, given_weights, bare, bare_weights = alternate(
        lambda: give(key, tile), lambda: give(weights_key, weights), lambda: copy(tile), lambda: copy(weights)
    )
    ground = ground_project(heights, 16).grounds.first
    told = sum(memory_of(ground))
    used = 0
    for texture, grids in own_grids(ground).items():
        assets.put_map(own_key("memory", texture), texels([g.whole() for g in grids]))
        made = assets.maps[own_key("memory", texture)]
        used += made.size[0] * made.size[1] * made.components * np.dtype(made.dtype.replace("f1", "u1")).itemsize
    assets.drop((), (), (), tuple(own_key("memory", t) for t in own_grids(ground)), ())
    return [
        entry("four tiles of heights to the renderer", given, "ms", bare, 20, "against copying them"),
        entry("four tiles of weights to the renderer", given_weights, "ms", bare_weights, 20, "against copying them"),
        entry("memory told of a ground of 4096² with 16 layers", told / 1e6, "MB", used / 1e6, 1.1, "against used"),
    ]


def bench_pages(renderer: Renderer) -> dict[str, Any]:
    """The same frame of a ground of noisy layers from its pages and live."""
    pattern = NoiseTerm(id="n", pattern="clouds")
    project = ground_project(land(1025), 8)
    base, *_ = project.materials[0].coats
    over = Coat(id="o", name="O", where=(pattern,), surface=Surface(color=(0.1, 0.3, 0.1), height=0.7))
    project = project.with_(materials=(project.materials[0].with_(coats=(base, over)),))
    eye = eye_of(np.array([0.0, 90.0, 300.0]), np.array([0.0, 30.0, 0.0]), 0.7, 1000 / 600)
    put_mesh(renderer, NODE_MESH, node_mesh())
    for name, baking in (("live", Baking()), ("baked", Baking(beyond=5.0, memory=256.0))):
        ground = project.grounds.first.with_(baking=baking)
        columns, scene = SceneColumns(lambda _p, _m: node_mesh()), Scene()
        columns.update(project.with_(grounds=(ground,))).apply(scene)
        for texture, grids in own_grids(ground).items():
            renderer.assets.put_map(own_key("g", texture), texels([g.whole() for g in grids]))
        for material in columns.materials.values():
            renderer.assets.set_material(material, PackedLookup(()))
        renderer.scenes.set(name, scene)

    def frame(name: str, sample: int = 0) -> None:
        renderer.picture(name, eye, 1000, 600, ("base_color",), stream=name, sample=sample)

    for sample in range(8):  # until the pages are filled
        frame("baked", sample)
    assert renderer.scenes.get("baked").pages["g"].fresh.all()
    baked, live = alternate(lambda: frame("baked"), lambda: frame("live"))
    return entry("frame of a ground from its pages", baked, "ms", live, 1.0, "against the same live")


def bench_scatter(renderer: Renderer) -> list[dict[str, Any]]:
    """A million pieces strewn over a ground, against NumPy drawing as many points with their random numbers; a frame of
    them against one of a hundredth, of which as many are near enough to be seen."""
    heights = land(1025)
    ground = ground_project(heights, 2).grounds.first
    scatter = Scatter(id="s", name="S", layer="l0", mesh="m", density=1.0, clear=0.0, follow=0.5)
    cells, on = cells_over(scatter, heights.size), footing(ground)
    count = sum(len(p) for p in strewn(scatter, on, cells).values())
    thick = scatter.with_(density=min(1_000_000 / count, 4.0))

    def strew() -> None:
        strewn(thick, on, cells_over(thick, heights.size))

    def draw() -> None:
        np.random.default_rng(1).random((1_000_000, 2 + CHANCES))

    made, drawn = alternate(strew, draw)
    box = shapes.box(0.2, 0.3, 0.2)
    put_mesh(renderer, "m", box)
    for name, size in (("a million", 1024.0), ("few", 102.4)):
        flat = Heights.of(np.zeros((257, 257), np.float32), (size, size))
        place = ground_project(land(257), 2).grounds.first.with_(heights=flat, scatter=(scatter.with_(far=40.0),))
        project = ground_project(land(257), 2).with_(grounds=(place,), meshes=(MeshAsset(
            id="m", name="M", asset="m", slots=("surface",)),))  # fmt: skip
        columns, scene = SceneColumns(lambda _p, _m: box), Scene()
        columns.update(project).apply(scene)
        scene.draws = [d for d in scene.draws if d.strewn or not len(d.rows)]
        for material in columns.materials.values():
            renderer.assets.set_material(material, PackedLookup(()))
        renderer.scenes.set(name, scene)

    def frame(name: str) -> None:
        turn[0] += 0.01  # another eye each time: which are seen is found anew
        at = eye_of(np.array([turn[0], 12.0, 0.0]), np.array([9.0 + turn[0], 8.0, 9.0]), 0.7, 1000 / 600)
        renderer.picture(name, at, 1000, 600, ("base_color",), stream=name)

    turn = [0.0]
    many, few = alternate(lambda: frame("a million"), lambda: frame("few"))
    return [
        entry(
            "strewing a million pieces", made, "ms", drawn, 3.0, "against NumPy drawing points with six chances each"
        ),
        entry("frame of a million pieces", many, "ms", few, 1.5, "against a hundredth, as many of them near"),
    ]
