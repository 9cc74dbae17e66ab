"""Draws marks over a finished picture: a mesh's edges, its vertices, and how finely it can be painted."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

import moderngl
import numpy as np

from jade_coat.mesh.attributes import STREAMS
from jade_coat.program.types import Array
from jade_coat.stage.draws import Draw
from jade_coat.view.attachments import Buffers
from jade_coat.view.context import HEADER, shader
from jade_coat.view.drawing import Drawer
from jade_coat.view.frame import Frame
from jade_coat.view.gpu_mesh import GpuMesh
from jade_coat.view.requests import Marks

EDGES = (0.08, 0.09, 0.09, 0.55)
VERTICES = (0.88, 0.54, 0.29, 1.0)
NEARER = 2e-4
"""How much nearer than the surface marks lie, in clip space, so that it does not hide them."""
SAME = 1e-4
"""Within this the numbers of two matrices are those of one prop."""


class MarksPass:
    """The program for marks, and the vertex array of the mesh that was marked last."""

    reads = ("depth",)
    writes = ("picture",)

    def __init__(self, drawer: Drawer) -> None:
        self._drawer, self._context, self._assets = drawer, drawer.context, drawer.assets
        self._program: Any = None
        self._array: tuple[GpuMesh, Any] | None = None

    def draw(self, frame: Frame) -> None:
        """Draw the frame's marks over the picture, hidden by what is in front."""
        marks, part = frame.marks, frame.part
        mesh = self._assets.meshes.get(marks.mesh) if marks is not None else None
        if marks is None or mesh is None or "edge" not in mesh.streams:
            return
        eye = frame.eye.projection @ frame.eye.view
        frame.buffers.over.scissor = frame.buffers.box_of(part.box) if part is not None else None
        moved = self._moved(frame, marks)
        if moved:
            self._draw_moved(frame, marks, mesh, moved, eye)
        elif part is None:
            self._draw(marks, frame.buffers, self._at(eye @ marks.matrix), self._joined(mesh).render)
        else:
            inside = _seen_in(mesh, eye @ marks.matrix, part.box)
            if len(inside):
                chosen = self._context.buffer(np.ascontiguousarray(inside, np.uint32))
                array = self._array_of(mesh, chosen)
                self._draw(marks, frame.buffers, self._at(eye @ marks.matrix), array.render)
                array.release()
                chosen.release()
        frame.buffers.over.scissor = None

    def _at(self, to_clip: Array) -> Any:
        """The program for a mesh as it is at rest."""
        program = self._made()
        program["to_clip"].write(to_clip.T.astype("f4").tobytes())
        return program

    def _moved(self, frame: Frame, marks: Marks) -> list[tuple[Draw, int]]:
        """The draws of the marked prop and its number in each, where a material moves its vertices."""
        found = []
        for draw in frame.scene.scene.draws:
            if draw.mesh == marks.mesh and draw.is_near and len(draw.rows):
                off = np.abs(draw.matrices - marks.matrix).max(axis=(1, 2))
                if off.min() < SAME:
                    found.append((draw, int(off.argmin())))
        return found if any(self._assets.moves(draw.material) for draw, _ in found) else []

    def _draw_moved(
        self, frame: Frame, marks: Marks, mesh: GpuMesh, parts: list[tuple[Draw, int]], eye: Array
    ) -> None:  # fmt: skip
        for draw, instance in parts:
            compiled = self._drawer.compiled(draw, self._drawer.shop.marks, in_earnest=False)
            if compiled is None:
                continue
            program = compiled.program
            self._drawer.bind(compiled, frame.scene, draw, mesh, frame.eye.position, frame.sample)
            program["view_projection"].write(eye.T.astype("f4").tobytes())
            with self._drawer.alone(program, draw, instance) as array:
                run = {"vertices": draw.count * 3, "first": draw.start * 3, "instances": 1}
                self._draw(marks, frame.buffers, program, partial(array.render, **run))

    def _draw(self, marks: Marks, buffers: Buffers, program: Any, render: Callable[[int], object]) -> None:
        context = self._context
        buffers.over.use()
        context.enable_only(moderngl.DEPTH_TEST | moderngl.BLEND | moderngl.PROGRAM_POINT_SIZE)
        context.blend_func = moderngl.SRC_ALPHA, moderngl.ONE_MINUS_SRC_ALPHA
        context.depth_func = "<="
        buffers.over.depth_mask = False
        pixels = marks.spacing * buffers.size[1]
        program["dot_size"].value = min(max(pixels * 0.26, 1.0), buffers.size[1] / 130)
        shown = min(max(pixels / 14, 0.15), 1.0)  # close together, marks fade so that the picture stays
        program["radius"].value = marks.radius
        program["nearer"].value = NEARER
        if marks.radius > 0:
            render(moderngl.TRIANGLES)
        program["radius"].value = 0.0
        if marks.edges:
            context.wireframe = True
            program["plain"].value = (*EDGES[:3], EDGES[3] * shown)
            program["nearer"].value = NEARER * 2
            render(moderngl.TRIANGLES)
            context.wireframe = False
        if marks.vertices:
            program["plain"].value = (*VERTICES[:3], VERTICES[3] * min(shown + 0.15, 1.0))
            program["nearer"].value = NEARER * 3
            render(moderngl.POINTS)
        buffers.over.depth_mask = True
        context.depth_func = "<"
        context.enable_only(moderngl.NOTHING)

    def _made(self) -> Any:
        if self._program is None:
            self._program = self._context.program(
                vertex_shader=HEADER + shader("marks.vert"), fragment_shader=HEADER + shader("marks.frag")
            )
        return self._program

    def _array_of(self, mesh: GpuMesh, indices: Any) -> Any:
        content = [(mesh.streams[name], STREAMS[name].format, f"in_{name}") for name in ("position", "edge")]
        return self._context.vertex_array(self._made(), content, indices, skip_errors=True)

    def _joined(self, mesh: GpuMesh) -> Any:
        if self._array is None or self._array[0] is not mesh:
            if self._array is not None:
                self._array[1].release()
            self._array = (mesh, self._array_of(mesh, mesh.indices))
        return self._array[1]


def _seen_in(mesh: GpuMesh, to_clip: Array, box: tuple[float, float, float, float]) -> Array:
    """The corners `(k, 3)` of the triangles that may be seen in a box of the picture (0–1 from the upper left)."""
    corners, middles = mesh.triangle_middles()
    reach, matrix = mesh.triangle_reach(), to_clip.astype(np.float32)
    clip = middles @ matrix[[0, 1, 3], :3].T + matrix[[0, 1, 3], 3]
    lengths = np.linalg.norm(matrix[[0, 1, 3], :3], axis=1)
    near = clip[:, 2] - reach * lengths[2] <= 1e-6  # reaches behind the eye: who knows where
    depth = np.where(near, 1.0, clip[:, 2])
    inside = near & (clip[:, 2] + reach * lengths[2] > 0)
    left, top, right, bottom = box
    x, y = 0.5 + 0.5 * clip[:, 0] / depth, 0.5 - 0.5 * clip[:, 1] / depth
    wide = reach * (lengths[0] + lengths[2] * np.abs(clip[:, 0] / depth)) / np.maximum(depth - reach * lengths[2], 1e-6)
    high = reach * (lengths[1] + lengths[2] * np.abs(clip[:, 1] / depth)) / np.maximum(depth - reach * lengths[2], 1e-6)
    seen = (x + wide > left) & (x - wide < right) & (y + high > top) & (y - high < bottom)
    return np.asarray(corners[inside | (~near & seen)])
