"""Veils what is lit by the mist between it and the eye."""

from __future__ import annotations

from typing import Any

import moderngl
import numpy as np

from jade_coat.view.context import HEADER, light_source, shader
from jade_coat.view.drawing import Drawer, set_uniform
from jade_coat.view.frame import Frame
from jade_coat.view.light import Light
from jade_coat.view.passes.lamps import LampPass

MOST = 8
"""Mists that a picture shows, as `mist.glsl` knows too."""


class MistPass:
    """Lays mist over the whole picture, surfaces and what is behind them."""

    reads = ("depth", "radiance", "shadow", "sky")
    writes = ("radiance",)

    def __init__(self, drawer: Drawer, light: Light, lamps: LampPass) -> None:
        self._drawer, self._light, self._lamps = drawer, light, lamps
        parts = ("lamps.glsl", "mist.glsl", "sample.glsl", "mist.frag")
        self._program = drawer.context.program(
            vertex_shader=HEADER + shader("screen.vert"),
            fragment_shader="\n".join([HEADER, light_source(), *(shader(p) for p in parts)]),
        )

    def draw(self, frame: Frame) -> None:
        """Lay it, where the frame is lit and has any."""
        if frame.look != "lit" or not frame.scene.scene.surroundings.mists:
            return
        context, program = self._drawer.context, self._program
        frame.buffers.depth.use(0)
        set_uniform(program, "depth", 0)
        self._light.fall_on(frame.scene)
        self._light.bind(program, 1)
        self._lamps.shine_nearest(program, frame, 6)
        place_mists(program, frame)
        set_uniform(program, "eye", tuple(frame.eye.position))
        set_uniform(program, "noise_sample", frame.sample)
        program["from_clip"].write(np.linalg.inv(frame.view_projection).T.astype("f4").tobytes())
        frame.buffers.lighting.use()
        context.enable_only(moderngl.BLEND)
        context.blend_func = (moderngl.ONE, moderngl.SRC_ALPHA, moderngl.ZERO, moderngl.ONE)
        self._drawer.run_screen(program)
        context.enable_only(moderngl.NOTHING)


def place_mists(program: Any, frame: Frame) -> None:
    """Give a program that includes `mist.glsl` the mists of a frame's scene."""
    mists = frame.scene.scene.surroundings.mists[:MOST]
    rows = np.zeros((MOST, 12), np.float32)
    numbers = np.zeros((2, MOST, 4), np.float32)
    for i, mist in enumerate(mists):
        rows[i] = mist.to_box or 0.0
        numbers[0, i] = (mist.floor, 1 / mist.thins if mist.thins else 0.0, mist.density, 0.0)
        numbers[1, i, :3] = mist.color
    for name, values in (("mist_rows", rows), ("mist_shape", numbers[0]), ("mist_color", numbers[1])):
        if name in program:
            program[name].write(values.tobytes())
    set_uniform(program, "mist_count", len(mists))
