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
    """Lights the surfaces, or shows a quantity.

    Where something is laid over them afterwards they are left as light in `radiance`; else the pass that gathers the
    picture lets them be composed straight into it.
    """

    reads = (*(a.name for a in ATTACHMENTS), "depth", "shadow")
    writes = ("radiance",)

    def __init__(self, context: Any, light: Light) -> None:
        self._context, self._light = context, light
        self._compose = context.program(
            vertex_shader=HEADER + shader("screen.vert"),
            fragment_shader=HEADER + shader("light.glsl") + look_source() + shader("compose.frag"),
        )
        self._array = context.vertex_array(self._compose, [])

    def draw(self, frame: Frame) -> None:
        """Leave the light for what is laid over it."""
        if frame.blends:
            self._context.enable_only(moderngl.NOTHING)
            frame.buffers.over_light.use()
            self.render(frame, in_light=True)

    def render(self, frame: Frame, in_light: bool = False) -> None:
        """Compose the frame's look into whatever is drawn into."""
        found, buffers, program = frame.scene, frame.buffers, self._compose
        textures = [*buffers.attachments, buffers.depth]
        for unit, (name, texture) in enumerate(zip(self.reads[:-1], textures, strict=True)):
            texture.use(unit)
            set_uniform(program, name, unit)
        self._light.fall_on(found)
        self._light.bind(program, len(textures))
        set_uniform(program, "in_light", in_light)
        index, channel = look_index(frame.look, frame.probes)
        set_uniform(program, "look", index)
        set_uniform(program, "channel", channel)
        set_uniform(program, "eye", tuple(frame.eye.position))
        set_uniform(program, "backdrop_top", BACKDROP[0] if frame.backdrop else NONE)
        set_uniform(program, "backdrop_bottom", BACKDROP[1])
        program["from_clip"].write(np.linalg.inv(frame.view_projection).T.astype("f4").tobytes())
        self._array.render(vertices=3)
