"""The sun's depth maps of a scene, kept until its shapes or the sun move: round what stands there, and of the land.

Where there is land, a second map beside the first takes in what is farther away, the more coarsely.
"""

from __future__ import annotations

import numpy as np

from jade_coat.program.types import Array
from jade_coat.view.camera import look_at, orthographic
from jade_coat.view.casting import Caster, depth_map
from jade_coat.view.drawing import Drawer, depth_tested
from jade_coat.view.frame import Frame
from jade_coat.view.light import Light

SIDE, SIDE_OF_SMALL = 2048, 512
"""Texels across a map; of a scene that only small pictures show."""


class ShadowPass:
    """Draws depth as the sun sees it."""

    reads = ()
    writes = ("shadow",)

    def __init__(self, drawer: Drawer, light: Light) -> None:
        self._drawer, self._light = drawer, light
        self._caster = Caster(drawer)

    def draw(self, frame: Frame) -> None:
        """Make the maps unless the scene has them, as fine as its pictures need them.

        What grows under a stroke throws its shadow once the view stands still.
        """
        found = frame.scene
        sun, follows = found.sun, self._caster.follows(found)
        side = SIDE_OF_SMALL if found.scene.surroundings.small else SIDE
        late = sun.late and frame.sample > 0
        if sun.is_cast and sun.cast_from == follows and sun.side >= side and not late:
            return
        frame.begins = frame.begins or late
        sun.is_cast, sun.late, sun.cast_from, sun.side = True, False, follows, max(side, sun.side)
        sun.rows, sun.texel = self._seen_by_sun(*self._caster.bounds(found.scene), sun.side)
        views = [(sun.rows, (0, 0, sun.side, sun.side))]
        land = self._caster.land(found.scene) if not found.scene.surroundings.small else None
        sun.far_texel = 0.0
        if land is not None:
            sun.far_rows, sun.far_texel = self._seen_by_sun(*land, sun.side)
            views.append((sun.far_rows, (sun.side, 0, sun.side, sun.side)))
        size = (sun.side * len(views), sun.side)
        if sun.texture is not None and sun.texture.size != size:
            sun.texture.release()
            sun.texture = None
        if sun.texture is None:
            sun.texture = depth_map(self._drawer.context, size)
        target = self._drawer.context.framebuffer([], sun.texture)
        target.use()
        target.clear(depth=1.0)
        depth_tested(self._drawer.context)
        self._caster.cast(found, views, target, frame)
        target.release()

    def _seen_by_sun(self, low: Array, high: Array, side: int) -> tuple[Array, float]:
        """The matrix `(4, 4)` into a map of a box, and the size of a texel, metres."""
        centre, half = (low + high) / 2, max(float(np.linalg.norm(high - low)) / 2, 0.01)
        rows = orthographic(half, half * 2.02) @ look_at(centre + self._light.sun * half * 1.01, centre)
        return rows, 2 * half / side
