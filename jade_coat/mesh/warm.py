"""Gets the loops of the brush ready: compiled on a machine's first run (some seconds), read from a cache later on."""

from __future__ import annotations

import numpy as np

from jade_coat.mesh import shapes
from jade_coat.mesh.brush import Brush
from jade_coat.mesh.canvas import Canvas, MapCanvas, VertexCanvas
from jade_coat.mesh.painting import PaintMap, shown_paint
from jade_coat.mesh.stroke import Stroke

_READY: list[bool] = []


def is_warm() -> bool:
    """Whether the loops have been called once in this process."""
    return bool(_READY)


def warm_up() -> None:
    """Call every loop that a stroke runs once, on a small sheet. Safe to call from a thread, and again."""
    mesh, up = shapes.wall_piece(1.0, 1.0), np.array([0.0, 0.0, 1.0])
    canvases: list[Canvas] = [
        VertexCanvas(mesh, shown_paint(mesh, None)),
        *(MapCanvas(mesh, PaintMap.even(16, bits, 0, repeats=True)) for bits in (8, 16)),
    ]
    for canvas in canvases:
        for brush in (Brush(within="slot"), Brush(surface_only=False, flow=0.5), Brush(tool="smooth")):
            stroke = Stroke(canvas)
            stroke.move(np.zeros(3), up, brush)
            stroke.move(np.array([0.1, 0.0, 0.0]), up, brush)
    _READY.append(True)
