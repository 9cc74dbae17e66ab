"""How long pictures take: the material pass, many rows, and changes on their way to the screen."""

from __future__ import annotations

import numpy as np

from jade_coat.material.material import Coat, Material
from jade_coat.material.rows import field_values, layout
from jade_coat.material.surface import NoMaps, Surface
from jade_coat.mesh import shapes
from jade_coat.mesh.brush import Brush
from jade_coat.mesh.canvas import VertexCanvas
from jade_coat.mesh.painting import TILE
from jade_coat.mesh.stroke import Stroke
from jade_coat.stage.draws import Draw, Scene
from jade_coat.view.camera import eye_of
from jade_coat.view.client import RenderClient
from tests.bench.common import HEIGHT, WIDTH, WallPass, alternate, entry
from tests.support import Demo, eye_for, load_client, put_mesh, row_patch


def bench_material(renderer, demo: Demo) -> list[dict]:
    wall = WallPass(renderer, demo)
    own, bare = wall.program(bare=False), wall.program(bare=True)
    material, floor = alternate(lambda: wall.fill(own), lambda: wall.fill(bare))
    frame, frame_floor = alternate(lambda: wall.frame(own), lambda: wall.frame(bare))
    return [
        entry("demo material, material pass", material, "ms", floor, 1.4,
              f"kiln wall, three coats with noise, a rim and links, {WIDTH}x{HEIGHT}; floor: a shader that does only its fetches"),
        entry("demo material, whole frame", frame, "ms", frame_floor, 1.6, "with lighting, tone map and read-back on both sides"),
    ]  # fmt: skip


def bench_rows(renderer) -> list[dict]:
    """One prop against 1,000 with 1,000 different rows, same triangles and pixels."""
    material = Material(id="rows", name="Rows", coats=(Coat(id="c", name="C", surface=Surface(color=(0.5, 0.4, 0.3))),))
    renderer.assets.set_material(material, NoMaps())
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
                zero[:1].astype(np.float32),
            ),
            rows[:1],
        ),
        "one row": (Draw("small", "", 0, 8, "rows", many, zero, zero.astype(np.float32)), rows[:1]),
        "many rows": (
            Draw("small", "", 0, 8, "rows", many, np.arange(1000, dtype=np.int32), zero.astype(np.float32)),
            rows,
        ),
    }
    for name, (draw, table) in scenes.items():
        renderer.scenes.set(name, Scene((draw,), {"rows": table}))
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
    eye = eye_for(demo.camera, WIDTH // 2, HEIGHT // 2)
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
        row = plan.pack({**values, "moss.amount": 0.5 + 0.01 * (step[0] % 40)})
        client.patch_scene("stage", row_patch("kiln_wall", 0, row))
        redraw()

    wall = demo.project.prop("kiln_wall_prop")
    mesh = demo.mesh(wall.mesh)
    stroke = Stroke(VertexCanvas(mesh, wall.paint))

    def dab() -> None:
        step[0] += 1
        centre = mesh.positions[(step[0] * 7919) % mesh.vertex_count].astype(float)
        stroke.dab(centre, np.array([0.0, 0.0, 1.0]), Brush(0.15, 0.5, channels=(1,)))
        for tile, values in stroke.fresh().items():
            client.patch_paint(wall.id, tile * TILE, values.copy())
        redraw()

    redraw()
    compiles = pictures[-1].compiles
    dial_ms, dab_ms, floor = alternate(dial, dab, redraw)
    moved = pictures[-1].compiles - compiles
    client.close()
    note = f"{WIDTH // 2}x{HEIGHT // 2}, the size while something moves; floor: the same picture again"
    return [
        entry("dial change to picture", dial_ms, "ms", floor, 1.15, f"{note}; programs compiled meanwhile: {moved}"),
        entry("brush dab to picture", dab_ms, "ms", floor, 1.15, f"{note}; only touched tiles upload"),
    ]
