"""Draws marks over a finished picture: a mesh's edges, its vertices, and how finely it can be painted."""

from __future__ import annotations

from typing import Any

import moderngl
import numpy as np

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
            to_clip = frame.eye.projection @ frame.eye.view @ frame.marks.matrix
            if frame.part is None:
                self._draw(frame.marks, mesh, frame.buffers, to_clip, self._joined(mesh))
                return
            frame.buffers.over.scissor = frame.buffers.box_of(frame.part.box)
            inside = _seen_in(mesh, to_clip, frame.part.box)
            if len(inside):
                chosen = self._context.buffer(np.ascontiguousarray(inside, np.uint32))
                array = self._array_of(mesh, chosen)
                self._draw(frame.marks, mesh, frame.buffers, to_clip, array)
                array.release()
                chosen.release()
            frame.buffers.over.scissor = None

    def _draw(self, marks: Marks, mesh: GpuMesh, buffers: Buffers, to_clip: Array, array: Any) -> None:
        program, context = self._made(), self._context
        program["to_clip"].write(to_clip.T.astype("f4").tobytes())
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
