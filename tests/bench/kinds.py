"""What a surface kind and moved vertices cost, each against the same wall without."""

from __future__ import annotations

from functools import partial

import numpy as np

from jade_coat.maps.images import png_bytes
from jade_coat.maps.mapset import MapFile
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
    ]
