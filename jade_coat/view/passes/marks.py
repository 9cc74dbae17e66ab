"""Draws marks over a finished picture: a mesh's edges, its vertices, and how finely it can be painted."""

from __future__ import annotations

from typing import Any

import moderngl

from jade_coat.mesh.attributes import STREAMS
from jade_coat.program.types import Array
from jade_coat.view.attachments import Buffers
from jade_coat.view.context import HEADER, shader
from jade_coat.view.frame import Frame
from jade_coat.view.gpu_assets import GpuAssets, GpuMesh
from jade_coat.view.requests import Marks

EDGES = (0.08, 0.09, 0.09, 0.55)
VERTICES = (0.88, 0.54, 0.29, 1.0)
NEARER = 2e-4
"""How much nearer than the surface marks lie, in clip space, so that it does not hide them."""


class MarksPass:
    """The program for marks, and the vertex array of the mesh that was marked last."""

    reads = ("depth",)
    writes = ("picture",)

    def __init__(self, context: Any, assets: GpuAssets) -> None:
        self._context, self._assets = context, assets
        self._program: Any = None
        self._array: tuple[GpuMesh, Any] | None = None

    def draw(self, frame: Frame) -> None:
        """Draw the frame's marks over the picture, hidden by what is in front."""
        mesh = self._assets.meshes.get(frame.marks.mesh) if frame.marks is not None else None
        if frame.marks is not None and mesh is not None and "edge" in mesh.streams:
            self._draw(frame.marks, mesh, frame.buffers, frame.eye.projection @ frame.eye.view)

    def _draw(self, marks: Marks, mesh: GpuMesh, buffers: Buffers, view_projection: Array) -> None:
        if self._program is None:
            self._program = self._context.program(
                vertex_shader=HEADER + shader("marks.vert"), fragment_shader=HEADER + shader("marks.frag")
            )
        program, context = self._program, self._context
        array = self._joined(mesh)
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

    def _joined(self, mesh: GpuMesh) -> Any:
        if self._array is None or self._array[0] is not mesh:
            if self._array is not None:
                self._array[1].release()
            streams = mesh.streams
            content = [(streams[name], STREAMS[name].format, f"in_{name}") for name in ("position", "edge")]
            made = self._context.vertex_array(self._program, content, mesh.indices, skip_errors=True)
            self._array = (mesh, made)
        return self._array[1]
