"""What the renderer keeps on the GPU: meshes, scenes, dial tables and the attachments of a picture."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import moderngl
import numpy as np

from jade_coat.program.numpy_backend import Environment, evaluate
from jade_coat.program.types import Array
from jade_coat.stage.draws import Scene
from jade_coat.view.programs import Compiled

ROWS_A_COLUMN = 4096
FORMATS = ("f1", "f2", "f1", "f2", "f1", "f1", "f1")


@dataclass
class GpuMesh:
    """Vertex streams, triangles, and the metres that a unit of each UV set spans."""

    streams: dict[str, Any]
    indices: Any
    metres: tuple[tuple[float, float], ...]
    bounds: Array


@dataclass(frozen=True)
class OwnPaint:
    """A prop's own vertex paint: the colour sets of each vertex side by side."""

    buffer: Any
    sets: int


@dataclass
class GpuScene:
    """A scene's draws with what they need on the GPU."""

    scene: Scene
    instances: list[Any]
    tables: dict[tuple[object, ...], Any] = field(default_factory=dict)
    shadow: Any = None
    to_shadow: Array | None = None
    shadow_texel: float = 0.0
    serial: int = 0
    """Another for every scene that is set."""


@dataclass
class Buffers:
    """The attachments for one picture size, and the sum of the samples drawn so far."""

    size: tuple[int, int]
    attachments: list[Any]
    depth: Any
    gbuffer: Any
    total: Any
    summing: Any
    picture: Any
    output: Any
    over: Any
    samples: int = 0
    filled: object = None
    """What the attachments hold: the scene, the eye and all else that they follow from."""
    projection: Array = field(default_factory=lambda: np.eye(4))
    """The projection they were drawn by, shifted by the part of a pixel of their sample."""

    def limit(self, box: tuple[int, int, int, int] | None) -> None:
        """Let only a box of pixels (left, bottom, width, height) be composed, or all again."""
        for target in (self.summing, self.output):
            target.scissor = box

    def release(self) -> None:
        """Free everything."""
        for thing in (
            self.gbuffer,
            self.summing,
            self.output,
            self.over,
            *self.attachments,
            self.depth,
            self.total,
            self.picture,
        ):
            thing.release()


def new_buffers(context: Any, width: int, height: int) -> Buffers:
    """The attachments of a picture of this size."""
    size, make = (width, height), context.texture
    attachments = [make(size, 4, dtype=kind) for kind in FORMATS]
    for texture in attachments:
        texture.filter = (moderngl.NEAREST, moderngl.NEAREST)
    depth = context.depth_texture(size)
    depth.compare_func = ""
    depth.filter = (moderngl.NEAREST, moderngl.NEAREST)
    total, picture = make(size, 4, dtype="f4"), make(size, 4)
    return Buffers(
        size, attachments, depth, context.framebuffer(attachments, depth),
        total, context.framebuffer([total]), picture, context.framebuffer([picture]),
        context.framebuffer([picture], depth),
    )  # fmt: skip


def row_table(context: Any, compiled: Compiled, rows: Array) -> Any:
    """A float texture of rows `(n, floats)`, in columns of `ROWS_A_COLUMN`, for one compiled program."""
    full = extended_rows(compiled, rows)
    texels = compiled.glsl.layout.texels
    columns = -(-len(full) // ROWS_A_COLUMN)
    high = min(len(full), ROWS_A_COLUMN)
    grid = np.zeros((high, columns * texels * 4), np.float32)
    for c in range(columns):
        part = full[c * ROWS_A_COLUMN : (c + 1) * ROWS_A_COLUMN]
        grid[: len(part), c * texels * 4 : (c + 1) * texels * 4] = part
    table = context.texture((columns * texels, high), 4, grid.tobytes(), dtype="f4")
    table.filter = (moderngl.NEAREST, moderngl.NEAREST)
    table.extra = compiled
    return table


def extended_rows(compiled: Compiled, rows: Array) -> Array:
    """Rows with the spilled values behind them, worked out by the NumPy back end."""
    glsl = compiled.glsl
    if not glsl.spilled:
        return rows
    full = np.zeros((len(rows), glsl.layout.texels * 4), np.float32)
    full[:, : rows.shape[1]] = rows
    dials = glsl.layout.columns(full)
    for name, values in evaluate(glsl.spilled, Environment(dials=dials)).items():
        texel, at = glsl.layout.places[name]
        full[:, texel * 4 + at : texel * 4 + at + len(values)] = values.T
    return full


def write_row(table: Any, compiled: Compiled, row: int, values: Array) -> None:
    """Replace one row of a table."""
    texels = compiled.glsl.layout.texels
    at = ((row // ROWS_A_COLUMN) * texels, row % ROWS_A_COLUMN, texels, 1)
    table.write(extended_rows(compiled, values[None]).tobytes(), viewport=at)
