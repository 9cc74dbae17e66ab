"""Turns the attachments into the picture of a look: lit and tone-mapped, or one of its quantities."""

from __future__ import annotations

from typing import Any

import moderngl
import numpy as np

from jade_coat.material.quantity import QUANTITIES
from jade_coat.view.attachments import ATTACHMENTS
from jade_coat.view.context import HEADER, shader
from jade_coat.view.drawing import set_uniform
from jade_coat.view.frame import Frame
from jade_coat.view.light import Light
from jade_coat.view.looks import LOOKS, OTHER_LOOKS, look_index

BACKDROP = (0.43, 0.43, 0.43), (0.24, 0.24, 0.24)
NONE = (-1.0, 0.0, 0.0)


def look_source() -> str:
    """GLSL that reads every quantity back from its attachment, and shows any look but the lit one."""
    lines = ["in vec2 at;", *(f"uniform sampler2D {a.name};" for a in ATTACHMENTS), "uniform sampler2D depth;"]
    lines += ["uniform int look;", "uniform int channel;"]
    cases = []
    for quantity in QUANTITIES.values():
        kind, place = quantity.type.name, quantity.place
        kept = f"{kind} kept = texture({place.attachment}, at).{place.channels};"
        lines.append(f"{kind} read_{quantity.name}() {{ {kept} return {place.read.format('kept')}; }}")
        shown = quantity.shown.format(f"read_{quantity.name}()")
        cases.append(f"if (look == {LOOKS.index(quantity.name)}) return {shown};")
    cases += [
        f"if (look == {LOOKS.index('coverage')}) return texture(coverage, at).rgb;",
        f"if (look == {OTHER_LOOKS['paint']}) return vec3(texture(paint, at)[channel]);",
        "return vec3(texture(wheres, at)[channel]);",
    ]
    return "\n".join([*lines, "vec3 looked_at() {", *cases, "}", ""])


class ComposePass:
    """Lights the surfaces, or shows a quantity; sums up the samples of a picture that stands still."""

    reads = (*(a.name for a in ATTACHMENTS), "depth", "shadow")
    writes = ("total", "picture")

    def __init__(self, context: Any, light: Light) -> None:
        self._context, self._light = context, light
        screen = HEADER + shader("screen.vert")
        self._compose = context.program(
            vertex_shader=screen, fragment_shader=HEADER + shader("light.glsl") + look_source() + shader("compose.frag")
        )
        self._average = context.program(vertex_shader=screen, fragment_shader=HEADER + shader("average.frag"))
        self._compose_array = context.vertex_array(self._compose, [])
        self._average_array = context.vertex_array(self._average, [])

    def draw(self, frame: Frame) -> None:
        """Compose the frame's look."""
        self._bind(frame)
        if frame.alone:
            self._sum_up(frame)
        else:
            self._context.enable_only(moderngl.NOTHING)
            frame.buffers.output.use()
            self._compose_array.render(vertices=3)
        frame.buffers.limit(None)

    def _bind(self, frame: Frame) -> None:
        found, buffers, program = frame.scene, frame.buffers, self._compose
        textures = [*buffers.attachments, buffers.depth, found.shadow]
        for unit, (name, texture) in enumerate(zip(self.reads, textures, strict=True)):
            texture.use(unit)
            set_uniform(program, name, unit)
        self._light.bind(program, len(textures))
        index, channel = look_index(frame.look, frame.probes)
        set_uniform(program, "look", index)
        set_uniform(program, "channel", channel)
        set_uniform(program, "eye", tuple(frame.eye.position))
        set_uniform(program, "shadow_texel", found.shadow_texel)
        set_uniform(program, "backdrop_top", BACKDROP[0] if frame.backdrop else NONE)
        set_uniform(program, "backdrop_bottom", BACKDROP[1])
        program["from_clip"].write(np.linalg.inv(frame.view_projection).T.astype("f4").tobytes())
        assert found.to_shadow is not None
        program["to_shadow"].write(found.to_shadow.T.astype("f4").tobytes())

    def _sum_up(self, frame: Frame) -> None:
        buffers, context = frame.buffers, self._context
        buffers.summing.use()
        if frame.sample == 0:
            context.enable_only(moderngl.NOTHING)
            buffers.samples = 0
        else:
            context.enable_only(moderngl.BLEND)
            context.blend_func = moderngl.ONE, moderngl.ONE
        self._compose_array.render(vertices=3)
        buffers.samples += 1
        context.enable_only(moderngl.NOTHING)
        buffers.output.use()
        buffers.total.use(0)
        set_uniform(self._average, "total", 0)
        set_uniform(self._average, "samples", float(buffers.samples))
        self._average_array.render(vertices=3)
