"""Lays decals onto what the G-buffer holds: each in its box, those of a higher order last."""

from __future__ import annotations

from typing import Any

import moderngl
import numpy as np

from jade_coat.material.specials import AS_DECAL
from jade_coat.program.types import Array
from jade_coat.stage.draws import DecalDraw, Draw
from jade_coat.view.attachments import Box
from jade_coat.view.context import HEADER, shader
from jade_coat.view.drawing import Drawer, depth_tested, set_uniform
from jade_coat.view.frame import Frame
from jade_coat.view.gpu_scenes import instance_data
from jade_coat.view.lying import UNDER
from jade_coat.view.vertex import VertexPart, vertex_source

_NOWHERE = np.zeros((1, 4, 4), np.float32)
_CORNERS = np.array([(x, y, z) for x in (-0.5, 0.5) for y in (-0.5, 0.5) for z in (-0.5, 0.5)])
_KEEP = [
    "in vec2 at;", *(f"uniform sampler2D {name};" for name in UNDER),
    *(f"layout(location = {i}) out vec4 kept{i};" for i in range(len(UNDER))),
    "void main() {", *(f"kept{i} = texture({name}, at);" for i, name in enumerate(UNDER)), "}",
]  # fmt: skip


class DecalPass:
    """Draws the decals of a frame. What a decal reads is copied for its part of the picture alone."""

    reads = (*UNDER, "depth")
    writes = UNDER

    def __init__(self, drawer: Drawer) -> None:
        self._drawer = drawer
        context = drawer.context
        self._keep = context.program(
            vertex_shader=HEADER + shader("screen.vert"), fragment_shader="\n".join([HEADER, *_KEEP])
        )
        self._receive = context.program(
            vertex_shader=vertex_source(VertexPart()),
            fragment_shader="\n".join([HEADER, "out float got;", "void main() { got = 1.0; }"]),
        )

    def draw(self, frame: Frame) -> None:
        """Lay all decals."""
        decals = frame.scene.scene.decals
        if not decals:
            return
        buffers, context = frame.buffers, self._drawer.context
        buffers.keep_under(context)
        ordered = sorted(decals.items(), key=lambda item: (item[1].order, item[0]))
        for _, decal in ordered:
            matrix = decal.matrix.astype(np.float64)
            box = frame.pixels_of(_CORNERS @ matrix[:3, :3].T + matrix[:3, 3])
            if box is None:
                continue
            self._copy(frame, box)
            self._lay(frame, decal, box)
        for target in (buffers.keeping, buffers.over_surfaces, buffers.receiving):
            target.scissor = None
        context.disable(moderngl.DEPTH_TEST)
        buffers.gbuffer.use()

    def _copy(self, frame: Frame, box: Box) -> None:
        buffers = frame.buffers
        buffers.keeping.scissor = box
        buffers.keeping.use()
        self._drawer.context.disable(moderngl.DEPTH_TEST)
        for unit, name in enumerate(UNDER):
            buffers.attachments[unit].use(unit)
            set_uniform(self._keep, name, unit)
        self._drawer.run_screen(self._keep)

    def _lay(self, frame: Frame, decal: DecalDraw, box: Box) -> None:
        """Draw one decal, where its material has a program."""
        drawer, buffers = self._drawer, frame.buffers
        as_draw = Draw(
            "", "", 0, 0, decal.material, np.zeros((1, 4, 4), np.float32), np.zeros(1, np.int32), np.zeros(1)
        )
        compiled = drawer.compiled(as_draw, drawer.shop.decal, way=AS_DECAL)
        if compiled is None:
            return
        if decal.only is not None:
            self._mark_receivers(frame, decal.only, box)
        program = compiled.program
        drawer.bind_program(compiled, frame.scene, as_draw, frame.eye.position, frame.sample)
        unit = len(compiled.glsl.samplers) + 1
        textures = {**dict(zip(UNDER, buffers.under[:-1], strict=True)), "depth": buffers.depth,
                    "box_receivers": buffers.under[-1]}  # fmt: skip
        for name, texture in textures.items():
            texture.use(unit)
            set_uniform(program, name, unit)
            unit += 1
        self._place(frame, program, decal)
        buffers.over_surfaces.scissor = box
        buffers.over_surfaces.use()
        drawer.context.disable(moderngl.DEPTH_TEST)
        drawer.run_screen(program)

    @staticmethod
    def _place(frame: Frame, program: Any, decal: DecalDraw) -> None:
        matrix = decal.matrix.astype(np.float64)
        sizes = np.linalg.norm(matrix[:3, :3], axis=0)
        turn = matrix[:3, :3] / np.maximum(sizes, 1e-12)
        width, height = frame.buffers.size
        _write(program, "from_clip", np.linalg.inv(frame.view_projection))
        _write(program, "to_box", np.linalg.inv(matrix))
        _write(program, "box_turn", turn)
        values = {
            "box_size": tuple(sizes), "box_cell": decal.cell, "box_shows": (*decal.angle, decal.fade, 0.0),
            "box_far": decal.far, "box_shares": list(decal.shares), "box_seed": decal.seed, "box_row": decal.row,
            "box_eye": tuple(frame.eye.position), "box_pixel": (1 / width, 1 / height),
            "box_chooses": decal.only is not None,
        }  # fmt: skip
        for name, value in values.items():
            set_uniform(program, name, value)

    def _mark_receivers(self, frame: Frame, only: Array, box: Box) -> None:
        """Mark the pixels where a prop is seen that may receive the decal."""
        drawer, buffers = self._drawer, frame.buffers
        buffers.receiving.scissor = box
        buffers.receiving.use()
        buffers.receiving.clear(0.0)
        depth_tested(drawer.context, "<=")
        for draw in frame.scene.scene.drawn:
            chosen = np.isin(draw.seeds, only)
            if chosen.any() and drawer.assets.meshes.get(draw.mesh) is not None:
                self._mark(frame, draw, chosen)

    def _mark(self, frame: Frame, draw: Draw, chosen: Array) -> None:
        data = instance_data(draw)[chosen]
        instances = self._drawer.context.buffer(data.tobytes())
        self._drawer.run_once(self._receive, draw, instances, frame.view_projection, len(data))
        instances.release()


def _write(program: Any, name: str, matrix: Array) -> None:
    if name in program:
        program[name].write(np.ascontiguousarray(matrix.T, np.float32).tobytes())
