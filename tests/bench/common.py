"""What the benchmarks share: entries, fair timing, and a pass that draws one prop of the demo."""

from __future__ import annotations

import gc
import statistics
import time
from collections.abc import Callable

from jade_coat.maps.packing import PackedLookup
from jade_coat.material.compile import compile_material, live_fields
from jade_coat.material.material import Material
from jade_coat.program.glsl_backend import FetchMode
from jade_coat.program.value import Value, walk
from jade_coat.view.frame import Frame
from jade_coat.view.renderer import read_picture
from jade_coat.view.targets import Targets
from tests.support import Demo, eye_for

WIDTH, HEIGHT = 1000, 600
ROUNDS = 7
SURFACE = ("base_color", "normal", "roughness", "metallic", "occlusion", "height", "emissive")


def entry(name: str, value: float, unit: str, floor: float, aim: float, note: str, ratio: float | None = None) -> dict:
    """One figure; the ratio is value to floor unless more is better."""
    found = value / floor if ratio is None else ratio
    return {"name": name, "value": round(value, 3), "unit": unit, "floor": round(floor, 3), "ratio": round(found, 3),
            "aim": aim, "note": note}  # fmt: skip


def alternate(*tasks: Callable[[], object], rounds: int = ROUNDS) -> list[float]:
    """The median milliseconds of each task, all run in turn so that the machine's moods fall on each alike.

    Cycles are collected between the tasks, as the window does it in its pauses: before each, for what comes first after
    that finds nothing in the processor's caches.
    """
    times: list[list[float]] = [[] for _ in tasks]
    for task in tasks:
        task()
    gc.disable()
    for _ in range(rounds):
        for i, task in enumerate(tasks):
            gc.collect()
            start = time.perf_counter()
            task()
            times[i].append((time.perf_counter() - start) * 1000)
    gc.enable()
    return [statistics.median(t) for t in times]


class WallPass:
    """Fills the G-buffer with the demo's wall alone, by its own program or by one that only fetches."""

    def __init__(self, renderer, demo: Demo, material: Material | None = None) -> None:
        self.renderer, self.demo = renderer, demo
        self.material = material or demo.project.material("kiln_wall")
        self.found = renderer.scenes.by_name["stage"]
        self.index = next(i for i, d in enumerate(self.found.scene.draws) if d.material == self.material.id)
        self.eye = eye_for(demo.camera, WIDTH, HEIGHT)
        self.buffers = renderer.buffers("bench", WIDTH, HEIGHT)
        renderer.picture("stage", self.eye, WIDTH, HEIGHT, stream="bench")

    def program(self, bare: bool):
        material = self.material
        lookup = PackedLookup(self.demo.project.map_sets, self.demo.project.recipes)
        if not bare:
            return self.renderer.shop.view(material, lookup)
        outputs = compile_material(material, lookup, live_fields(material))
        reads = [n for n in walk([outputs[s] for s in SURFACE]) if n.op == "texture"]
        total: Value = reads[0]
        for read in reads[1:]:
            total = total + read
        key = next(k for k, v in self.renderer.shop._values.items() if v["base_color"] is outputs["base_color"])
        self.renderer.shop._values[key]["bare"] = total
        return self.renderer.shop.measured(material, lookup, Targets(("out_bare",) * 4, ("bare",)), FetchMode.HARDWARE)

    def fill(self, compiled) -> None:
        renderer = self.renderer
        draw = self.found.scene.draws[self.index]
        mesh = renderer.assets.meshes[draw.mesh]
        self.buffers.gbuffer.use()
        self.buffers.gbuffer.clear(0, 0, 0, 0, depth=1.0)
        renderer.context.enable_only(renderer.context.DEPTH_TEST)
        renderer.drawer.bind(compiled, self.found, draw, mesh, self.eye.position)
        renderer.drawer.run(
            compiled.program, draw, self.found.instances[self.index], self.eye.projection @ self.eye.view
        )
        renderer.context.finish()

    def frame(self, compiled) -> None:
        self.fill(compiled)
        self.renderer.composing[2].draw(Frame(self.found, self.buffers, self.eye, self.eye.projection))
        read_picture(self.buffers)
