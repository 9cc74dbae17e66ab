"""Works out at every second pixel how much of the sky its surface sees."""

from __future__ import annotations

import moderngl
import numpy as np

from jade_coat.view.attachments import ATTACHMENTS, Box
from jade_coat.view.context import HEADER, light_source, shader
from jade_coat.view.drawing import Drawer, set_uniform
from jade_coat.view.frame import Frame
from jade_coat.view.light import Light
from jade_coat.view.lying import attachments_read


class OpennessPass:
    """Reads the depth maps of the sky where surfaces are; the light pass reads between what is found."""

    reads = (*(a.name for a in ATTACHMENTS), "depth", "sky")
    writes = ("openness",)

    def __init__(self, drawer: Drawer, light: Light) -> None:
        self._drawer, self._light = drawer, light
        read = ["vec2 at;", attachments_read(tuple(a.name for a in ATTACHMENTS)), "uniform sampler2D depth;"]
        parts = [light_source(), shader("sample.glsl"), *read, shader("open.frag")]
        self._program = drawer.context.program(
            vertex_shader=HEADER + shader("screen.vert").replace("out vec2 at", "vec2 at"),
            fragment_shader="\n".join([HEADER, *parts]),
        )

    def draw(self, frame: Frame) -> None:
        """Work it out, where the frame is lit and the sky's depth maps are there; of a part there alone."""
        buffers, program, sky = frame.buffers, self._program, frame.scene.sky
        if not frame.is_lit or sky.texture is None:
            return
        buffers.keep_openness(self._drawer.context)
        made = (frame.scene.serial, sky.made)
        known, buffers.opened_by = buffers.opened_by == made, made
        buffers.opening.scissor = self._halved(buffers.box_of(frame.part.box)) if frame.part and known else None
        names = [*(a.name for a in ATTACHMENTS), "depth"]
        for unit, (name, texture) in enumerate(zip(names, [*buffers.attachments, buffers.depth], strict=True)):
            texture.use(unit)
            set_uniform(program, name, unit)
        self._light.fall_on(frame.scene)
        self._light.bind(program, len(names))
        set_uniform(program, "eye", tuple(frame.eye.position))
        set_uniform(program, "whole", buffers.size)
        set_uniform(program, "noise_sample", frame.sample)
        program["from_clip"].write(np.linalg.inv(frame.view_projection).T.astype("f4").tobytes())
        buffers.opening.use()
        self._drawer.context.enable_only(moderngl.NOTHING)
        self._drawer.run_screen(program)
        buffers.opening.scissor = None
        buffers.gbuffer.use()

    @staticmethod
    def _halved(box: Box) -> Box:
        """The pixels of half the size that those of a box are mixed from."""
        left, bottom, width, height = box
        x, y = max(left // 2 - 1, 0), max(bottom // 2 - 1, 0)
        return x, y, (left + width) // 2 + 2 - x, (bottom + height) // 2 + 2 - y
