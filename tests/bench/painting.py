"""What painting costs: a dab on a million vertices and on a large map, a long stroke, a fill."""

from __future__ import annotations

import statistics
import time
import tracemalloc

import numpy as np

from jade_coat.mesh import shapes
from jade_coat.mesh.brush import Brush
from jade_coat.mesh.canvas import MapCanvas, VertexCanvas
from jade_coat.mesh.data import FULL, MeshData
from jade_coat.mesh.filling import filled
from jade_coat.mesh.painting import PaintMap, shown_paint
from jade_coat.mesh.stroke import Stroke
from jade_coat.stage.paint_rules import PaintRule
from tests.bench.common import alternate, entry

UP = np.array([0.0, 1.0, 0.0])
DABS = 2000


def bench_painting() -> list[dict]:
    mesh = shapes.plane(10.0, 10.0, 0.01)
    return [*_dab_on_vertices(mesh), *_dab_on_a_map(mesh), *_long_stroke(mesh), *_fill(mesh)]


def _place(step: int) -> np.ndarray:
    return np.array([0.003 * (step % 900) - 1.3, 0.0, 0.5])


def _dab_on_vertices(mesh: MeshData) -> list[dict]:
    canvas = VertexCanvas(mesh, shown_paint(mesh, None))
    stroke, step, brush = Stroke(canvas), [0], Brush(0.15, 0.5)
    raw = canvas.paint.whole()
    touched = np.flatnonzero(np.linalg.norm(mesh.positions[:, [0, 2]], axis=1) < brush.radius)
    weight = np.linspace(0, 1, len(touched), dtype=np.float32)

    def dab() -> None:
        step[0] += 1
        stroke.dab(_place(step[0]), UP, brush)

    def bare() -> None:
        old = raw[touched, 0].astype(np.float32)
        raw[touched, 0] = np.round(old + (FULL - old) * weight * 0.5).astype(np.uint16)

    value, floor = alternate(dab, bare, rounds=100)
    note = f"{mesh.vertex_count:,} vertices, {len(touched):,} under the brush; floor: a NumPy update of as many"
    return [entry("dab on a million vertices", value, "ms", floor, 20.0, note)]


def _dab_on_a_map(mesh: MeshData) -> list[dict]:
    laid = mesh.with_(uvs=((mesh.uvs[0] / 10).astype(np.float32),))
    canvas = MapCanvas(laid, PaintMap.even(4096, 16, 0))
    stroke, step, brush = Stroke(canvas), [0], Brush(0.15, 0.5)

    def dab() -> None:
        step[0] += 1
        stroke.dab(_place(step[0]), UP, brush)

    dab()
    tiles = list(stroke.fresh().values())
    room = [t.copy() for t in tiles]

    def bare() -> None:
        for tile, to in zip(tiles, room, strict=True):
            np.copyto(to, tile)

    value, floor = alternate(dab, bare, rounds=100)
    note = f"4096 squared, 16 bits, {len(tiles)} tiles under the brush; floor: a copy of those tiles"
    return [entry("dab on a large map", value, "ms", floor, 60.0, note)]


def _long_stroke(mesh: MeshData) -> list[dict]:
    """The last two hundred dabs of a long stroke against the first, and the memory it takes beyond its tiles."""
    stroke, brush = Stroke(VertexCanvas(mesh, shown_paint(mesh, None))), Brush(0.15, 0.5)
    stroke.dab(UP * 0, UP, brush)
    tracemalloc.start()
    times = []
    for i in range(DABS):
        start = time.perf_counter()
        stroke.dab(np.array([4.0 * np.cos(i * 0.02), 0.0, 4.0 * np.sin(i * 0.0137)]), UP, brush)
        stroke.fresh()
        times.append((time.perf_counter() - start) * 1000)
    peak = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    first, last = statistics.median(times[:200]), statistics.median(times[-200:])
    whole = stroke.paint().nbytes
    note = f"{DABS} dabs; floor: its first 200; at most {peak / 1e6:.0f} MB beside {whole / 1e6:.0f} MB of paint"
    return [entry("long stroke's last dabs", last, "ms", first, 1.3, note)]


def _fill(mesh: MeshData) -> list[dict]:
    paint = shown_paint(mesh, None)
    rule = PaintRule(points=((-5.0, 0.0, 0.0), (5.0, 0.0, 0.0)))
    out = paint.whole()

    def one_pass() -> None:
        out[:, 0] = np.round(np.clip(mesh.positions[:, 0] * 0.1 + 0.5, 0, 1) * FULL).astype(np.uint16)

    value, floor = alternate(lambda: filled(rule, mesh, np.eye(4), paint), one_pass)
    return [entry("gradient over a million vertices", value, "ms", floor, 8.0, "floor: one NumPy pass over the data")]
