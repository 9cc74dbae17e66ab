"""What painting costs on a mesh of a million vertices."""

from __future__ import annotations

import numpy as np

from jade_coat.mesh import shapes
from jade_coat.mesh.data import FULL
from jade_coat.mesh.filling import PaintRule, filled
from jade_coat.mesh.painting import Brush, Paint, Stroke, vertex_index
from tests.bench.common import alternate, entry


def bench_painting() -> list[dict]:
    mesh = shapes.plane(10.0, 10.0, 0.01)
    paint = Paint.of(np.zeros((mesh.vertex_count, 4), np.uint16))
    vertex_index(mesh)
    stroke, step = Stroke(mesh, paint), [0]
    brush = Brush(0.15, 0.5, channels=(0,))
    up = np.array([0.0, 1.0, 0.0])
    raw = paint.whole()
    touched = np.flatnonzero(np.linalg.norm(mesh.positions[:, [0, 2]], axis=1) < brush.radius)
    weight = np.linspace(0, 1, len(touched), dtype=np.float32)

    def dab() -> None:
        step[0] += 1
        stroke.dab(np.array([0.003 * (step[0] % 900) - 1.3, 0.0, 0.5]), up, brush)

    def bare() -> None:
        old = raw[touched, 0].astype(np.float32)
        raw[touched, 0] = np.round(old + (FULL - old) * weight * 0.5).astype(np.uint16)

    rule = PaintRule(points=((-5.0, 0.0, 0.0), (5.0, 0.0, 0.0)))
    out = paint.whole()

    def one_pass() -> None:
        out[:, 0] = np.round(np.clip(mesh.positions[:, 0] * 0.1 + 0.5, 0, 1) * FULL).astype(np.uint16)

    dab_ms, dab_floor = alternate(dab, bare, rounds=60)
    fill_ms, fill_floor = alternate(lambda: filled(rule, mesh, np.eye(4), paint), one_pass)
    note = f"{mesh.vertex_count:,} vertices, {len(touched):,} under the brush"
    return [
        entry("dab on a million vertices", dab_ms, "ms", dab_floor, 8.0, f"{note}; floor: a NumPy update of as many"),
        entry(
            "gradient over a million vertices", fill_ms, "ms", fill_floor, 8.0, "floor: one NumPy pass over the data"
        ),
    ]
