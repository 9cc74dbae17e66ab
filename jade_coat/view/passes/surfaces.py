"""Fills the G-buffer with what the materials of opaque surfaces give, nearest first."""

from __future__ import annotations

import numpy as np

from jade_coat.stage.draws import Draw
from jade_coat.view.attachments import ATTACHMENTS
from jade_coat.view.context import HEADER, shader
from jade_coat.view.drawing import Drawer, depth_tested
from jade_coat.view.frame import Frame
from jade_coat.view.passes.baked import BakedPass
from jade_coat.view.requests import Part
from jade_coat.view.vertex import VertexPart, vertex_source


class SurfacePass:
    """Draws all surfaces, or once more over what is there the triangles of the frame's part alone."""

    reads = ()
    writes = (*(a.name for a in ATTACHMENTS), "depth")

    def __init__(self, drawer: Drawer, baked: BakedPass) -> None:
        self._drawer, self._baked = drawer, baked
        self._fault = drawer.context.program(
            vertex_shader=vertex_source(
                VertexPart(("normal",)), "out vec3 world_normal;", "world_normal = attribute_normal;"
            ),
            fragment_shader=HEADER + _attachments_written() + shader("fault.frag"),
        )

    def draw(self, frame: Frame) -> None:
        """Fill the attachments."""
        frame.buffers.gbuffer.use()
        if frame.part is not None:
            self._draw_part(frame, frame.part)
            return
        depth_tested(self._drawer.context)
        draws = frame.scene.scene.draws
        own = [i for i in range(len(draws)) if i not in frame.blends and i not in frame.crowds]
        for i in sorted(own, key=lambda i: self._distance(draws[i], frame)):
            self._baked.surface(frame, i, self._fault)
        self._baked.far(frame)
        for i in range(len(draws)):
            self._drawer.fill(frame, i)

    def _draw_part(self, frame: Frame, part: Part) -> None:
        depth_tested(self._drawer.context, "<=")
        buffers, box = frame.buffers, frame.buffers.box_of(part.box)
        buffers.gbuffer.scissor = box
        for i, draw in enumerate(frame.scene.scene.draws):
            inside = (part.numbers >= draw.start) & (part.numbers < draw.start + draw.count)
            if inside.any() and i not in frame.crowds and self._drawer.shows(draw, part.prop):
                self._drawer.some_of_surface(frame, i, part.prop, part.corners[inside])
        buffers.gbuffer.scissor = None
        self._drawer.context.depth_func = "<"
        buffers.limit(box)

    def _distance(self, draw: Draw, frame: Frame) -> float:
        mesh = self._drawer.assets.meshes.get(draw.mesh)
        if mesh is None or not len(draw.matrices):
            return 0.0
        centre = np.append(mesh.bounds.mean(axis=0), 1.0)
        return float(np.linalg.norm((draw.matrices @ centre)[:, :3] - frame.eye.position, axis=1).min())


def _attachments_written() -> str:
    """GLSL that declares every attachment as an output by its name, and `nothing()`, which empties them."""
    outs = [f"layout(location = {i}) out vec4 {a.name};" for i, a in enumerate(ATTACHMENTS)]
    empty = " ".join(f"{a.name} = vec4(0.0);" for a in ATTACHMENTS)
    return "\n".join([*outs, f"void nothing() {{ {empty} }}", ""])
