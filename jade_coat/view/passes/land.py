"""Draws the land from above, for what settles on it: its colour, and its normal, roughness and height.

It is kept until the grounds are others. What stands on it takes it on once the view stands still.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import moderngl
import numpy as np

from jade_coat.material.compile import settles
from jade_coat.program.types import Array
from jade_coat.view.attachments import ATTACHMENTS, Buffers, new_buffers
from jade_coat.view.context import HEADER, shader
from jade_coat.view.drawing import Drawer, depth_tested
from jade_coat.view.frame import Frame
from jade_coat.view.lying import UNDER, attachments_read
from jade_coat.view.requests import Eye

SIDE = 512
"""Texels along an edge of the pictures."""
WINDOW, STEP = 64.0, 16.0
"""How much of the land is in them at the most, metres, and in which steps they follow the eye."""
AT_ONCE = 64
"""Of so many instances or fewer the first picture waits for the land."""
_PACK = """
uniform sampler2D depth;
uniform vec2 land_heights;  // the highest, and how far down it goes
layout(location = 0) out vec4 color;
layout(location = 1) out vec4 form;
void main() {
    float away = texture(depth, at).r;
    vec3 n = read_normal();
    color = vec4(sqrt(read_base_color()), away < 1.0 ? 1.0 : 0.0);
    form = vec4(n.xz, read_roughness(), land_heights.x - away * land_heights.y);
}
"""


@dataclass(frozen=True)
class Land:
    """The land from above: the two pictures, where they begin along x and z, and how large they are, metres."""

    color: Any
    shape: Any
    corner: tuple[float, float]
    size: tuple[float, float]
    follows: object

    def release(self) -> None:
        """Free the pictures."""
        self.color.release()
        self.shape.release()


class LandPass:
    """Makes the pictures where something settles, and lets the drawer know of them."""

    reads = ()
    writes = ("land",)

    def __init__(self, drawer: Drawer) -> None:
        self._drawer = drawer
        source = "\n".join([HEADER, "in vec2 at;", attachments_read(UNDER), _PACK])
        self._pack = drawer.context.program(vertex_shader=HEADER + shader("screen.vert"), fragment_shader=source)

    def draw(self, frame: Frame) -> None:
        """Make them where there are none yet, or others once the view stands still."""
        found, drawer = frame.scene, self._drawer
        drawer.land = found.land
        first = frame.sample == 0  # of a picture, which must not wait; of a small one all is worth waiting for
        if first and (found.land is not None or (not found.scene.surroundings.small and self._many(frame))):
            return
        if frame.part is not None or not self._wanted(frame):
            return
        grids = [i for i, d in enumerate(found.scene.draws) if d.grid is not None]
        if not grids:
            self._drop(frame)
            return
        low, high = self._window(frame, grids)
        follows = (low.tobytes(), high.tobytes(), self._follows(frame, grids))
        if found.land is not None and found.land.follows == follows:
            return
        self._drop(frame)
        found.land = drawer.land = self._made(frame, grids, low, high, follows)
        frame.begins = frame.begins or frame.sample > 0

    def _many(self, frame: Frame) -> bool:
        """Whether the picture is one that should not wait: of much."""
        return sum(len(d.rows) for d in frame.scene.scene.drawn) > AT_ONCE

    def _drop(self, frame: Frame) -> None:
        if frame.scene.land is not None:
            frame.scene.land.release()
        frame.scene.land = self._drawer.land = None

    def _wanted(self, frame: Frame) -> bool:
        materials = (self._drawer.assets.material(d.material) for d in frame.scene.scene.drawn if d.grid is None)
        return any(m is not None and settles(m) for m in materials)

    def _window(self, frame: Frame, grids: list[int]) -> tuple[Array, Array]:
        """The lowest and the highest corner `(3,)` of the land that is pictured."""
        low, high = np.full(3, np.inf), np.full(3, -np.inf)
        for i in grids:
            matrices = frame.scene.scene.draws[i].matrices.astype(np.float64)
            corner = matrices[:, :3, 3]
            low = np.minimum(low, corner.min(axis=0))
            high = np.maximum(high, (corner + matrices[:, [0, 1, 2], [0, 1, 2]]).max(axis=0))
        for axis in (0, 2):
            if high[axis] - low[axis] > WINDOW:
                middle = np.clip(frame.eye.position[axis], low[axis] + WINDOW / 2, high[axis] - WINDOW / 2)
                middle = np.rint(middle / STEP) * STEP
                low[axis], high[axis] = middle - WINDOW / 2, middle + WINDOW / 2
        return low, high

    def _follows(self, frame: Frame, grids: list[int]) -> object:
        """What the pictures follow from beside the window."""
        scene = frame.scene.scene
        draws = [scene.draws[i] for i in grids]
        worn = [(*self._drawer.worn(scene, draw), hash(draw.matrices.tobytes())) for draw in draws]
        return self._drawer.assets.touched.version, *worn

    def _made(self, frame: Frame, grids: list[int], low: Array, high: Array, follows: object) -> Land:
        drawer, context = self._drawer, self._drawer.context
        room = np.array([0.0, 5.0, 0.0])
        low, high = low - room, high + room
        top, deep = float(high[1]), float(high[1] - low[1])
        buffers = new_buffers(context, SIDE, SIDE)
        eye = above(low, high)
        from_above = Frame(frame.scene, buffers, eye, eye.projection, sample=0)
        buffers.gbuffer.use()
        buffers.gbuffer.clear(0, 0, 0, 0, depth=1.0)
        depth_tested(context)
        angle, drawer.pixel_angle = drawer.pixel_angle, float((high[0] - low[0]) / SIDE)
        for i in grids:
            drawer.surface(from_above, i, None)
        drawer.pixel_angle = angle
        color, shape = context.texture((SIDE, SIDE), 4), context.texture((SIDE, SIDE), 4, dtype="f4")
        for texture in (color, shape):
            texture.filter = (moderngl.LINEAR, moderngl.LINEAR)
            texture.repeat_x = texture.repeat_y = False
        self._packed(buffers, context.framebuffer([color, shape]), top, deep)
        buffers.release()
        return Land(color, shape, (float(low[0]), float(low[2])), (float(high[0] - low[0]), float(high[2] - low[2])),
                    follows)  # fmt: skip

    def _packed(self, buffers: Buffers, target: Any, top: float, deep: float) -> None:
        target.use()
        self._drawer.context.enable_only(moderngl.NOTHING)
        held = dict(zip([a.name for a in ATTACHMENTS], buffers.attachments, strict=True))
        for unit, (name, texture) in enumerate({**{n: held[n] for n in UNDER}, "depth": buffers.depth}.items()):
            texture.use(unit)
            if name in self._pack:
                self._pack[name].value = unit
        self._pack["land_heights"].value = (top, deep)
        self._drawer.run_screen(self._pack)
        target.release()


def above(low: Array, high: Array) -> Eye:
    """An eye that looks straight down at a box: x to the right of the picture, z up, so that both begin at 0."""
    (x0, y0, z0), (x1, y1, z1) = low, high
    top, deep = y1, y1 - y0
    projection = np.array([
        [2 / (x1 - x0), 0.0, 0.0, -(x0 + x1) / (x1 - x0)], [0.0, 0.0, 2 / (z1 - z0), -(z0 + z1) / (z1 - z0)],
        [0.0, -2 / deep, 0.0, 2 * top / deep - 1], [0.0, 0.0, 0.0, 1.0],
    ])  # fmt: skip
    position = np.array([(x0 + x1) / 2, y1, (z0 + z1) / 2])
    return Eye(np.eye(4), projection, position)
