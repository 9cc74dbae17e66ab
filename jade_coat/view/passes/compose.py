"""Turns the attachments into the picture of a look: lit and tone-mapped, or one of its quantities."""

from __future__ import annotations

from typing import Any

import moderngl
import numpy as np

from jade_coat.material.quantity import QUANTITIES
from jade_coat.view.attachments import ATTACHMENTS
from jade_coat.view.context import HEADER, light_source, shader
from jade_coat.view.drawing import Drawer, depth_tested, set_uniform
from jade_coat.view.frame import Frame
from jade_coat.view.light import Light
from jade_coat.view.looks import LOOKS, OTHER_LOOKS, look_index
from jade_coat.view.lying import attachments_read

BACKDROP = (0.43, 0.43, 0.43), (0.24, 0.24, 0.24)
NONE = (-1.0, 0.0, 0.0)


def attachments_source() -> str:
    """GLSL that reads every quantity back from its attachment."""
    lines = ["in vec2 at;", attachments_read(tuple(a.name for a in ATTACHMENTS)), "uniform sampler2D depth;"]
    lines.append("uniform bool in_light;  // leave it as light, for what is laid over")
    return "\n".join([*lines, ""])


def looks_source() -> str:
    """GLSL that shows any look but the lit one."""
    cases = []
    for quantity in QUANTITIES.values():
        shown = quantity.shown.format(f"read_{quantity.name}()")
        cases.append(f"if (look == {LOOKS.index(quantity.name)}) return {shown};")
    cases += [
        f"if (look == {LOOKS.index('coverage')}) return texture(coverage, at).rgb;",
        f"if (look == {OTHER_LOOKS['paint']}) return vec3(texture(paint, at)[channel]);",
        "return vec3(texture(wheres, at)[channel]);",
    ]
    return "\n".join(["uniform int look;", "uniform int channel;", "vec3 shown() {", *cases, "}", ""])


class ComposePass:
    """Lights the surfaces, or shows a quantity.

    Where something is laid over them afterwards they are left as light in `radiance`; else the pass that gathers the
    picture lets them be composed straight into it.
    """

    reads = (*(a.name for a in ATTACHMENTS), "depth", "shadow")
    writes = ("mask", "radiance")

    def __init__(self, drawer: Drawer, light: Light) -> None:
        self._drawer, self._context, self._light = drawer, drawer.context, light
        # A program for all looks would work out the light for each of them: both ways of a choice are run.
        self._lit = self._program(shader("opened.glsl") + shader("lit.glsl"))
        self._looks = self._program(looks_source())
        self._backdrop = self._on_screen(light_source() + shader("backdrop.frag"))
        self._covered = self._on_screen(shader("covered.frag"))

    def _on_screen(self, source: str) -> Any:
        return self._context.program(vertex_shader=HEADER + shader("screen.vert"), fragment_shader=HEADER + source)

    def _program(self, shown: str) -> Any:
        return self._on_screen(light_source() + attachments_source() + shown + shader("compose.frag"))

    def exposure(self, frame: Frame) -> float:
        """What light is multiplied by before it is shown."""
        around = frame.scene.scene.surroundings
        return float(2.0**around.exposure * (self._light.evening if around.small else 1.0))

    def draw(self, frame: Frame) -> None:
        """Find what is covered, and leave the light for what is laid over it."""
        self._find_covered(frame)
        self._context.enable_only(moderngl.NOTHING)
        if frame.in_light:
            frame.buffers.lighting.use()
            self.render(frame, in_light=True)

    def render(self, frame: Frame, in_light: bool = False) -> None:
        """Compose the frame's look into whatever is drawn into, whose depths say what is covered."""
        self._context.enable(moderngl.DEPTH_TEST)
        for program, where in ((self._backdrop, "<="), (self._lit if frame.look == "lit" else self._looks, ">")):
            if program is not self._backdrop:
                self._bind(frame, program)
            set_uniform(program, "in_light", in_light)
            set_uniform(program, "exposure", self.exposure(frame))
            set_uniform(program, "backdrop_top", BACKDROP[0] if frame.backdrop else NONE)
            set_uniform(program, "backdrop_bottom", BACKDROP[1])
            self._context.depth_func = where
            self._drawer.run_screen(program, 1.0)
        self._context.depth_func = "<"
        self._context.disable(moderngl.DEPTH_TEST)

    def _find_covered(self, frame: Frame) -> None:
        frame.buffers.masking.use()
        depth_tested(self._context, "1")
        frame.buffers.depth.use(0)
        self._covered["depth"].value = 0
        self._drawer.run_screen(self._covered)
        self._context.depth_func = "<"

    def _bind(self, frame: Frame, program: Any) -> None:
        found, buffers = frame.scene, frame.buffers
        textures = [*buffers.attachments, buffers.depth]
        for unit, (name, texture) in enumerate(zip(self.reads[:-1], textures, strict=True)):
            texture.use(unit)
            set_uniform(program, name, unit)
        self._light.fall_on(found)
        self._light.bind(program, len(textures))
        if "openness" in program:
            open_sky = buffers.openness if found.sky.texture is not None else None
            (open_sky or buffers.depth).use(15)
            program["openness"].value = 15
            set_uniform(program, "has_openness", open_sky is not None)
        index, channel = look_index(frame.look, frame.probes)
        set_uniform(program, "look", index)
        set_uniform(program, "channel", channel)
        set_uniform(program, "eye", tuple(frame.eye.position))
        if "from_clip" in program:
            program["from_clip"].write(np.linalg.inv(frame.view_projection).T.astype("f4").tobytes())
