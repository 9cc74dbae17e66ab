"""What a surface kind and moved vertices cost, each against the same wall without."""

from __future__ import annotations

from functools import partial

import numpy as np

from jade_coat.maps.images import png_bytes
from jade_coat.maps.mapset import MapFile
from jade_coat.maps.packing import PackedLookup
from jade_coat.material.material import Coat, Material
from jade_coat.material.placing import HeightMove
from jade_coat.material.rows import field_values
from jade_coat.material.surface import Role, Surface
from jade_coat.material.tones import Tones
from jade_coat.mesh import shapes
from jade_coat.mesh.data import MeshData
from jade_coat.mesh.makers import Bush
from jade_coat.stage.alone import single
from jade_coat.view.camera import eye_of
from jade_coat.view.context import create_context
from jade_coat.view.renderer import Renderer
from tests.bench.common import HEIGHT, WIDTH, WallPass, alternate, entry
from tests.core.test_kinds import CUT_SET, cut_texture
from tests.support import Demo, put_mesh, stage_renderer


def bench_kinds(demo: Demo) -> list[dict]:
    """The demo's wall: opaque, cut out by a grille of holes, and lifted by its own height."""
    library, project = demo.library, demo.project
    holes = np.full((256, 256, 1), 255, np.uint8)
    holes[::4] = 0
    asset = library.assets.put("maps", "holes.png", png_bytes(holes))
    tile = project.map_set("glazed_tile")
    holed = tile.with_(maps=(*tile.maps, MapFile(role=Role.OPACITY, asset=asset, file="holes.png", channels="r")))
    sets = tuple(holed if s.id == tile.id else s for s in project.map_sets)
    wall = project.material("kiln_wall")
    kinds = {
        "plain": wall, "masked": wall.with_(id="masked", kind="masked"),
        "lifted": wall.with_(id="lifted", moves=(HeightMove(id="lift", amount=0.05),)),
    }  # fmt: skip
    prop = project.prop("kiln_wall_prop")
    props = [prop.with_(id=m.id, finishes={"surface": m.id}) for m in kinds.values()]
    materials = (*(m for m in project.materials if m.id != wall.id), *kinds.values())
    other = Demo(project.with_(map_sets=sets, materials=materials, props=props), library, demo.folder)
    renderer = stage_renderer(create_context(), other)
    passes = [WallPass(renderer, other, m) for m in kinds.values()]
    programs = [p.program(bare=False) for p in passes]
    took = alternate(*(partial(p.fill, c) for p, c in zip(passes, programs, strict=True)))
    note = f"the wall at {WIDTH}x{HEIGHT}; floor: opaque and at rest"
    return [
        entry("masked pass", took[1], "ms", took[0], 1.3, note),
        entry("displaced mesh", took[2], "ms", took[0], 1.5, note),
        *_lights(),
        *_cards(),
    ]


BALL_EYE = eye_of(np.array([0.0, 0.0, 2.6]), np.zeros(3), 0.6, WIDTH / HEIGHT)


def _shown(looks: dict[str, tuple[Material, MeshData]]) -> list[float]:
    """The median milliseconds of a whole picture of each look, of one thing that fills it."""
    renderer = Renderer(create_context())
    for name, (material, mesh) in looks.items():
        put_mesh(renderer, name, mesh)
        renderer.assets.set_material(material, PackedLookup((CUT_SET,)))
        renderer.scenes.set(name, single(name, mesh, material, field_values(material)))
    renderer.assets.put_texture("cut/c", False, cut_texture(leaf_opacity()).levels)
    return alternate(*(
        partial(renderer.picture, name, BALL_EYE, WIDTH, HEIGHT, stream=name) for name in looks
    ))  # fmt: skip


def leaf_opacity() -> np.ndarray:
    """A disc in each cell: about half of a card is there."""
    y, x = np.mgrid[0:256, 0:256] / 256 - 0.5
    return (np.hypot(x, y) < 0.4).astype(float)


def _lights() -> list[dict]:
    """A ball lit along strands, and in two tones with an outline, against a plain one."""
    mesh, surface = shapes.ball(1.0, 128), Surface(color=(0.4, 0.3, 0.2))
    plain = Material(id="plain", name="P", coats=(Coat(id="c", name="C", surface=surface),))
    took = _shown({
        "plain": (plain, mesh), "strands": (plain.with_(id="strands", kind="strands"), mesh),
        "toned": (plain.with_(id="toned", kind="toned", tones=Tones(outline=2.0)), mesh),
    })  # fmt: skip
    note = f"a picture of a ball at {WIDTH}x{HEIGHT}; floor: the same, plain"
    return [entry("strands", took[1], "ms", took[0], 2.5, note), entry("two tones", took[2], "ms", took[0], 2.5, note)]


def _cards() -> list[dict]:
    """A bush of 2,000 cards, cut out, against the same triangles opaque."""
    mesh = Bush(columns=1, rows=1, first=1, last=1, count=2000, radii=(0.9, 0.9, 0.9), foot=0.0).mesh()
    surface = Surface(map_set="cut", placement="square", roughness=0.8)
    leaf = Material(
        id="leaf", name="L", kind="masked", two_sided=True, coats=(Coat(id="c", name="C", surface=surface),)
    )
    took = _shown({"whole": (leaf.with_(id="whole", kind="opaque"), mesh), "leaf": (leaf, mesh)})
    note = f"2,000 cards at {WIDTH}x{HEIGHT}; floor: the same triangles opaque"
    return [entry("bush of 2,000 cards", took[1], "ms", took[0], 1.5, note)]
