"""What a surface kind and moved vertices cost, each against the same wall without."""

from __future__ import annotations

import numpy as np

from jade_coat.maps.images import png_bytes
from jade_coat.maps.mapset import MapFile
from jade_coat.material.material import Material
from jade_coat.material.placing import HeightMove
from jade_coat.material.surface import Role
from jade_coat.view.context import create_context
from tests.bench.common import HEIGHT, WIDTH, WallPass, alternate, entry
from tests.support import Demo, stage_renderer


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
    plain = _pass(demo, sets, wall)
    masked = _pass(demo, sets, wall.with_(kind="masked"))
    lifted = _pass(demo, sets, wall.with_(moves=(HeightMove(id="lift", amount=0.05),)))
    took = alternate(plain, masked, lifted)
    note = f"the wall at {WIDTH}x{HEIGHT}; floor: opaque and at rest"
    return [
        entry("masked pass", took[1], "ms", took[0], 1.3, note),
        entry("displaced mesh", took[2], "ms", took[0], 1.5, note),
    ]


def _pass(demo: Demo, sets: tuple, material: Material):
    materials = tuple(material if m.id == material.id else m for m in demo.project.materials)
    project = demo.project.with_(map_sets=sets, materials=materials)
    other = Demo(project, demo.library, demo.folder)
    wall = WallPass(stage_renderer(create_context(), other), other, material)
    compiled = wall.program(bare=False)
    return lambda: wall.fill(compiled)
