"""Makes the picture of a look of what was composed: tone-mapped where it is light still, and averaged over samples."""

from __future__ import annotations

from typing import Any

import moderngl

from jade_coat.view.context import HEADER, light_source, shader
from jade_coat.view.drawing import set_uniform
from jade_coat.view.frame import Frame
from jade_coat.view.passes.compose import ComposePass


class GatherPass:
    """Sums up the samples of a picture that stands still."""

    reads = ("radiance",)
    writes = ("total", "picture")

    def __init__(self, context: Any, compose: ComposePass) -> None:
        self._context, self._compose = context, compose
        screen = HEADER + shader("screen.vert")
        self._average = context.program(vertex_shader=screen, fragment_shader=HEADER + shader("average.frag"))
        self._tone = context.program(
            vertex_shader=screen, fragment_shader=HEADER + light_source() + shader("tone.frag")
        )
        self._average_array = context.vertex_array(self._average, [])
        self._tone_array = context.vertex_array(self._tone, [])

    def draw(self, frame: Frame) -> None:
        """Write the picture, or add it to the samples before and write their mean."""
        if frame.alone:
            self._sum_up(frame)
        else:
            self._context.enable_only(moderngl.NOTHING)
            frame.buffers.output.use()
            self._one(frame)
        frame.buffers.limit(None)

    def _one(self, frame: Frame) -> None:
        """This sample alone: what nothing was laid over is composed on the way."""
        if not frame.in_light:
            self._compose.render(frame)
            return
        frame.buffers.radiance.use(0)
        set_uniform(self._tone, "radiance", 0)
        set_uniform(self._tone, "exposure", self._compose.exposure(frame))
        self._tone_array.render(vertices=3)

    def _sum_up(self, frame: Frame) -> None:
        buffers, context = frame.buffers, self._context
        first = frame.sample == 0 or frame.begins
        if first and frame.marks is None:
            # Most pictures get no second sample: the first is its own sum until there is one.
            context.enable_only(moderngl.NOTHING)
            buffers.output.use()
            self._one(frame)
            buffers.samples, buffers.is_sum = 1, True
            return
        if not first and buffers.is_sum:
            self._average_into(buffers.summing, buffers.picture, 1)
        buffers.is_sum = False
        buffers.summing.use()
        if first:
            context.enable_only(moderngl.NOTHING)
            buffers.samples = 0
        else:
            context.enable_only(moderngl.BLEND)
            context.blend_func = moderngl.ONE, moderngl.ONE
        self._one(frame)
        buffers.samples += 1
        self._average_into(buffers.output, buffers.total, buffers.samples)

    def _average_into(self, target: Any, total: Any, samples: int) -> None:
        self._context.enable_only(moderngl.NOTHING)
        target.use()
        total.use(0)
        set_uniform(self._average, "total", 0)
        set_uniform(self._average, "samples", float(samples))
        self._average_array.render(vertices=3)
