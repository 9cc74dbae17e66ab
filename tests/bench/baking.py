"""How long a bake takes, against bare fetches by OpenCV."""

from __future__ import annotations

import cv2
import numpy as np

from jade_coat.bake.baker import bake_slot, evaluated
from jade_coat.bake.raster import cover
from jade_coat.bake.scene_bake import SceneBaker
from jade_coat.bake.unwrap import bake_mesh
from jade_coat.jobs.job import Job
from tests.bench.common import alternate, entry
from tests.support import Demo


def bench_bake(demo: Demo, side: int = 1024) -> list[dict]:
    prop = demo.project.prop("kiln_wall_prop")
    look = SceneBaker(demo.project, demo.library, side, Job())._look(prop, "surface", "celadon_wall")
    mesh = demo.mesh(prop.mesh)
    made = bake_mesh(mesh)
    colors = prop.paint.whole()

    def bake() -> None:
        bake_slot(mesh, made, made.mesh.slots[0], look, prop.matrix(), colors, side, Job())

    slot_triangles = made.mesh.triangles.astype(np.int64)
    coverage = cover(made.mesh.uvs[0], slot_triangles, side)

    def evaluate_all() -> None:
        evaluated(mesh, made, slot_triangles, coverage, look, prop.matrix(), colors, Job())

    used = list(look.textures.values())
    x, y = np.meshgrid(np.arange(side, dtype=np.float32), np.arange(side, dtype=np.float32))
    grids = [((x * 4.5 / side * t.levels[0].shape[1]) % (t.levels[0].shape[1] - 1),
              (y * 2.0 / side * t.levels[0].shape[0]) % (t.levels[0].shape[0] - 1)) for t in used]  # fmt: skip

    def fetches() -> None:
        for texture, (gx, gy) in zip(used, grids, strict=True):
            cv2.remap(texture.linear(0), gx, gy, cv2.INTER_LINEAR)

    bake_ms, floor_ms, evaluate_ms = alternate(bake, fetches, evaluate_all, rounds=5)
    texels = side * side / 1e6
    return [
        entry("NumPy bake of the demo material", texels / (evaluate_ms / 1000), "Mtexel/s", texels / (floor_ms / 1000),
              4.5, f"every output at every texel of a {side}x{side} map, interpolating the mesh's attributes included; the "
              "look's program is kept from before, as for a second prop that wears it; "
              f"floor: cv2.remap of the same {len(used)} textures; ratio of times", ratio=evaluate_ms / floor_ms),
        entry("whole bake job", texels / (bake_ms / 1000), "Mtexel/s", texels / (floor_ms / 1000), 10.0,
              "with drawing the triangles into the map and filling gutters; same floor", ratio=bake_ms / floor_ms),
    ]  # fmt: skip
