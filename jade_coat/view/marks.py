"""Draws marks over a finished picture: a mesh's edges, its vertices, and how finely it can be painted."""

from __future__ import annotations

from typing import Any

import moderngl

from jade_coat.program.types import Array
from jade_coat.view.context import HEADER, shader
from jade_coat.view.gpu import Buffers, GpuMesh
from jade_coat.view.messages import Marks

EDGES = (0.08, 0.09, 0.09, 0.55)
VERTICES = (0.88, 0.54, 0.29, 1.0)
NEARER = 2e-4
"""How much nearer than the surface marks lie, in clip space, so that it does not hide them."""


class MarkPainter:
    """The program for marks, and each marked mesh's vertex array."""

    def __init__(self, context: Any) -> None:
        self._context = context
        self._program: Any = None
        self._arrays: dict[str, Any] = {}

    def forget(self, mesh: str) -> None:
        """Let go of a mesh that is replaced."""
        found = self._arrays.pop(mesh, None)
        if found is not None:
            found.release()

    def draw(self, marks: Marks, mesh: GpuMesh | None, buffers: Buffers, view_projection: Array) -> None:
        """Draw marks over the picture, hidden by what is in front."""
        if mesh is None or "edge" not in mesh.streams:
            return
        if self._program is None:
            self._program = self._context.program(
                vertex_shader=HEADER + shader("marks.vert"), fragment_shader=HEADER + shader("marks.frag")
            )
        program, context = self._program, self._context
        if marks.mesh not in self._arrays:
            streams = mesh.streams
            content = [(streams["position"], "3f4", "in_position"), (streams["edge"], "1f4", "in_edge")]
            self._arrays[marks.mesh] = context.vertex_array(program, content, mesh.indices, skip_errors=True)
        array = self._arrays[marks.mesh]
        program["to_clip"].write((view_projection @ marks.matrix).T.astype("f4").tobytes())
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
            array.render(moderngl.TRIANGLES)
        program["radius"].value = 0.0
        if marks.edges:
            context.wireframe = True
            program["plain"].value = (*EDGES[:3], EDGES[3] * shown)
            program["nearer"].value = NEARER * 2
            array.render(moderngl.TRIANGLES)
            context.wireframe = False
        if marks.vertices:
            program["plain"].value = (*VERTICES[:3], VERTICES[3] * min(shown + 0.15, 1.0))
            program["nearer"].value = NEARER * 3
            array.render(moderngl.POINTS)
        buffers.over.depth_mask = True
        context.depth_func = "<"
        context.enable_only(moderngl.NOTHING)
