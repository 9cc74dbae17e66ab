"""Benchmarks: prints one JSON list, each figure beside a floor measured in the same run."""

from __future__ import annotations

import json
import os
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np

from jade_coat.bake.baker import bake_slot, evaluated
from jade_coat.bake.job import Job
from jade_coat.bake.raster import cover
from jade_coat.bake.scene_bake import SceneBaker
from jade_coat.bake.unwrap import bake_mesh
from jade_coat.demo.terrace import build
from jade_coat.files.library import Library
from jade_coat.files.project_folder import open_project
from jade_coat.maps.packing import PackedLookup
from jade_coat.material.compile import compile_material, live_fields
from jade_coat.material.material import field_values, layout
from jade_coat.mesh import shapes
from jade_coat.mesh.painting import Brush, Stroke, spread
from jade_coat.program.glsl_backend import FetchMode
from jade_coat.program.value import Value, walk
from jade_coat.stage.draws import Draw, Scene
from jade_coat.view.camera import eye_of
from jade_coat.view.client import RenderClient
from jade_coat.view.context import create_context
from jade_coat.view.programs import Targets
from tests.support import Demo, eye_for, load_client, put_mesh, stage_renderer

WIDTH, HEIGHT = 1000, 600
ROUNDS = 7
SURFACE = ("base_color", "normal", "roughness", "metallic", "occlusion", "height", "emissive")


def entry(name: str, value: float, unit: str, floor: float, aim: float, note: str, ratio: float | None = None) -> dict:
    """One figure; the ratio is value to floor unless more is better."""
    found = value / floor if ratio is None else ratio
    return {"name": name, "value": round(value, 3), "unit": unit, "floor": round(floor, 3), "ratio": round(found, 3),
            "aim": aim, "note": note}  # fmt: skip


def alternate(*tasks: Callable[[], object], rounds: int = ROUNDS) -> list[float]:
    """The median milliseconds of each task, all run in turn so that the machine's moods fall on each alike."""
    times: list[list[float]] = [[] for _ in tasks]
    for task in tasks:
        task()
    for _ in range(rounds):
        for i, task in enumerate(tasks):
            start = time.perf_counter()
            task()
            times[i].append((time.perf_counter() - start) * 1000)
    return [statistics.median(t) for t in times]


class WallPass:
    """Fills the G-buffer with the demo's wall alone, by its own program or by one that only fetches."""

    def __init__(self, renderer, demo: Demo) -> None:
        self.renderer, self.demo = renderer, demo
        self.found = renderer._scenes["stage"]
        self.index = next(i for i, d in enumerate(self.found.scene.draws) if d.material == "kiln_wall")
        self.eye = eye_for(demo.project.camera, WIDTH, HEIGHT)
        self.buffers = renderer._sized("bench", WIDTH, HEIGHT)
        renderer.picture("stage", self.eye, WIDTH, HEIGHT, stream="bench")

    def program(self, bare: bool):
        material = self.demo.project.material("kiln_wall")
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
        mesh = renderer._meshes[draw.mesh]
        self.buffers.gbuffer.use()
        self.buffers.gbuffer.clear(0, 0, 0, 0, depth=1.0)
        renderer.context.enable_only(renderer.context.DEPTH_TEST)
        renderer._bind(compiled, self.found, draw, mesh)
        renderer._run(
            compiled.program, mesh, draw, self.found.instances[self.index], self.eye.projection @ self.eye.view
        )
        renderer.context.finish()

    def frame(self, compiled) -> None:
        self.fill(compiled)
        matrix = self.eye.projection @ self.eye.view
        self.renderer._compose_look(self.found, self.buffers, matrix, self.eye, "lit", (), True)
        self.renderer._refined(self.buffers, 0, single=True)


def bench_material(renderer, demo: Demo) -> list[dict]:
    wall = WallPass(renderer, demo)
    own, bare = wall.program(bare=False), wall.program(bare=True)
    material, floor = alternate(lambda: wall.fill(own), lambda: wall.fill(bare))
    frame, frame_floor = alternate(lambda: wall.frame(own), lambda: wall.frame(bare))
    return [
        entry("demo material, material pass", material, "ms", floor, 1.6,
              f"kiln wall, two coats with noise, {WIDTH}x{HEIGHT}; floor: a shader that does only the same 4 fetches"),
        entry("demo material, whole frame", frame, "ms", frame_floor, 1.6, "with lighting, tone map and read-back on both sides"),
    ]  # fmt: skip


def bench_rows(renderer) -> list[dict]:
    """One prop against 1,000 with 1,000 different rows, same triangles and pixels."""
    from jade_coat.material.material import Coat, Material
    from jade_coat.material.surface import NoMaps, Surface

    material = Material(id="rows", name="Rows", coats=(Coat(id="c", name="C", surface=Surface(color=(0.5, 0.4, 0.3))),))
    renderer.set_material(material, NoMaps())
    put_mesh(renderer, "one", shapes.plane(40.0, 25.0, 0.5))  # 1,000 × 8 triangles
    put_mesh(renderer, "small", shapes.plane(1.0, 1.0, 0.5))
    plan, values = layout(material), field_values(material)
    rng = np.random.default_rng(0)
    rows = np.stack([plan.pack({**values, "c.surface.color": tuple(rng.random(3))}) for _ in range(1000)])
    many = np.tile(np.eye(4, dtype=np.float32), (1000, 1, 1))
    many[:, 0, 3], many[:, 2, 3] = np.arange(1000) % 40 - 19.5, np.arange(1000) // 40 - 12.0
    zero = np.zeros(1000, np.int32)
    scenes = {
        "one prop": (
            Draw(
                "one",
                "",
                0,
                8000,
                "rows",
                many[:1] * 0 + np.eye(4, dtype=np.float32),
                zero[:1],
                zero[:1],
                zero[:1].astype(np.float32),
            ),
            rows[:1],
        ),
        "one row": (Draw("small", "", 0, 8, "rows", many, zero, zero, zero.astype(np.float32)), rows[:1]),
        "many rows": (
            Draw("small", "", 0, 8, "rows", many, np.arange(1000, dtype=np.int32), zero, zero.astype(np.float32)),
            rows,
        ),
    }
    for name, (draw, table) in scenes.items():
        renderer.set_scene(name, Scene((draw,), {"rows": table}))
    eye = eye_of(np.array([0.0, 60.0, 0.01]), np.zeros(3), 0.4, WIDTH / HEIGHT)
    one, same, many_rows = alternate(
        *(lambda n=n: renderer.picture(n, eye, WIDTH, HEIGHT, stream="rows") for n in scenes)
    )
    return [
        entry(
            "1,000 props, 1,000 rows, one draw",
            many_rows,
            "ms",
            one,
            1.3,
            "floor: one prop of as many triangles and pixels",
        ),
        entry("1,000 rows instead of one", many_rows, "ms", same, 1.1, "floor: 1,000 props that share one row"),
    ]


def bench_edits(demo: Demo) -> list[dict]:
    """From a dial or a dab to its picture, through the render process, against asking for the same picture again."""
    client = RenderClient()
    pictures = load_client(client, demo)
    eye = eye_for(demo.project.camera, WIDTH // 2, HEIGHT // 2)
    wish = {"scene": "stage", "eye": eye, "width": WIDTH // 2, "height": HEIGHT // 2}

    def redraw() -> None:
        count = len(pictures)
        client.request("main", **wish)
        if not client.wait(lambda: len(pictures) > count):
            raise SystemExit("the render process gave no picture")

    material = demo.project.material("kiln_wall")
    plan, values, step = layout(material), field_values(material), [0]

    def dial() -> None:
        step[0] += 1
        client.set_row("stage", "kiln_wall", 0, plan.pack({**values, "moss.amount": 0.5 + 0.01 * (step[0] % 40)}))
        redraw()

    wall = demo.project.prop("kiln_wall_prop")
    stroke = Stroke(demo.mesh(wall.mesh), wall.paint)
    mesh = demo.mesh(wall.mesh)

    def dab() -> None:
        step[0] += 1
        centre = mesh.positions[(step[0] * 7919) % mesh.vertex_count].astype(float)
        touched = stroke.dab(centre, np.array([0.0, 0.0, 1.0]), Brush(0.15, 0.5, channels=(1,)))
        for start, stop in spread(touched):
            client.patch_paint(wall.id, start, stroke.values(np.arange(start, stop)))
        redraw()

    redraw()
    compiles = pictures[-1].compiles
    dial_ms, dab_ms, floor = alternate(dial, dab, redraw)
    moved = pictures[-1].compiles - compiles
    client.close()
    note = f"{WIDTH // 2}x{HEIGHT // 2}, the size while something moves; floor: the same picture again"
    return [
        entry("dial change to picture", dial_ms, "ms", floor, 1.15, f"{note}; programs compiled meanwhile: {moved}"),
        entry("brush dab to picture", dab_ms, "ms", floor, 1.15, f"{note}; only touched vertices upload"),
    ]


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
              6.0, f"every output at every texel of a {side}x{side} map, interpolating the mesh's attributes included; "
              f"floor: cv2.remap of the same {len(used)} textures; ratio of times", ratio=evaluate_ms / floor_ms),
        entry("whole bake job", texels / (bake_ms / 1000), "Mtexel/s", texels / (floor_ms / 1000), 10.0,
              "with drawing the triangles into the map and filling gutters; same floor", ratio=bake_ms / floor_ms),
    ]  # fmt: skip


START = """
import os, sys, time
os.environ["QT_QPA_PLATFORM"] = "offscreen"
from pathlib import Path
def main():
    from PyQt6.QtCore import QTimer
    from jade_coat.view.client import RenderClient
    client = RenderClient()
    from jade_coat.app.main import make_application
    app = make_application()
    from jade_coat.app.session import Session
    from jade_coat.app.window import Window
    session = Session(client)
    window = Window(session)
    window.show()
    window.view.arrived.connect(lambda: first())
    seen = []
    def first():
        if not seen:
            seen.append(1)
            print("picture", time.time(), flush=True)
        if not session.link.unsent_sets(session.project) and len(seen) == 1:
            seen.append(2)
            QTimer.singleShot(0, done)
    def done():
        print("textured", time.time(), flush=True)
        window.close()
        app.quit()
    window.open_folder(Path(sys.argv[1]))
    app.exec()
if __name__ == "__main__":
    main()
"""
START_FLOOR = """
import os
os.environ["QT_QPA_PLATFORM"] = "offscreen"
from PyQt6.QtWidgets import QApplication, QLabel
import numpy, scipy.spatial, cv2, pydantic
from jade_coat.view.context import create_context
app = QApplication([])
label = QLabel("x")
label.show()
app.processEvents()
c = create_context()
f = c.simple_framebuffer((1000, 600))
f.clear(0.1, 0.2, 0.3)
f.read()
"""


def bench_start(folder: Path) -> list[dict]:
    with tempfile.TemporaryDirectory() as home:
        environment = {**os.environ, "XDG_DATA_HOME": home, "XDG_CONFIG_HOME": home, "XDG_CACHE_HOME": home}
        script = Path(home) / "start.py"
        script.write_text(START)
        firsts, fulls, floors = [], [], []
        for _ in range(4):
            start = time.time()
            out = subprocess.run(
                [sys.executable, str(script), str(folder)], env=environment, capture_output=True, text=True, check=True
            )
            marks = dict(line.split() for line in out.stdout.splitlines() if line.startswith(("picture", "textured")))
            firsts.append((float(marks["picture"]) - start) * 1000)
            fulls.append((float(marks["textured"]) - start) * 1000)
            start = time.time()
            subprocess.run([sys.executable, "-c", START_FLOOR], env=environment, check=True)
            floors.append((time.time() - start) * 1000)
    floor = statistics.median(floors[1:])
    note = (
        "floor: a Python that imports Qt, NumPy, SciPy, OpenCV and pydantic, shows a label and clears one OpenGL frame"
    )
    return [
        entry("start to first picture", statistics.median(firsts[1:]), "ms", floor, 2.5, note),
        entry(
            "start to textured picture",
            statistics.median(fulls[1:]),
            "ms",
            floor,
            4.0,
            f"all maps decoded and packed; {note}",
        ),
    ]


def main() -> None:
    with tempfile.TemporaryDirectory(prefix="jade-coat-bench-") as place:
        folder = Path(place) / "terrace"
        build(folder)
        opened = open_project(folder)
        demo = Demo(opened.project, Library(opened.assets), folder)
        renderer = stage_renderer(create_context(), demo)
        results = bench_material(renderer, demo)
        results += bench_rows(renderer)
        results += bench_edits(demo)
        results += bench_bake(demo)
        results += bench_start(folder)
    print(json.dumps(results, indent=1))


if __name__ == "__main__":
    main()
