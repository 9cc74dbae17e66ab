"""The sun's depth map of a scene, kept until its shapes or the sun move."""

from __future__ import annotations

import numpy as np

from jade_coat.view.camera import look_at, orthographic
from jade_coat.view.casting import Caster, depth_map
from jade_coat.view.drawing import Drawer, depth_tested
from jade_coat.view.frame import Frame
from jade_coat.view.light import Light

SIDE, SIDE_OF_SMALL = 2048, 512
"""Texels across the map; of a scene that only small pictures show."""


class ShadowPass:
    """Draws depth as the sun sees it."""

    reads = ()
    writes = ("shadow",)

    def __init__(self, drawer: Drawer, light: Light) -> None:
        self._drawer, self._light = drawer, light
        self._caster = Caster(drawer)

    def draw(self, frame: Frame) -> None:
        """Make the map unless the scene has it, as fine as its pictures need it."""
        found, context = frame.scene, self._drawer.context
        sun, follows = found.sun, self._caster.follows(found)
        side = SIDE_OF_SMALL if found.scene.surroundings.small else SIDE
        if sun.is_cast and sun.cast_from == follows and sun.side >= side:
            return
        sun.is_cast, sun.cast_from, sun.side = True, follows, max(side, sun.side)
        low, high = self._caster.bounds(found.scene)
        centre, half = (low + high) / 2, max(float(np.linalg.norm(high - low)) / 2, 0.01)
        sun.rows = orthographic(half, half * 2.02) @ look_at(centre + self._light.sun * half * 1.01, centre)
        sun.texel = 2 * half / sun.side
        if sun.texture is not None and sun.texture.size[0] != sun.side:
            sun.texture.release()
            sun.texture = None
        if sun.texture is None:
            sun.texture = depth_map(context, sun.side)
        target = context.framebuffer([], sun.texture)
        target.use()
        target.clear(depth=1.0)
        depth_tested(context)
        self._caster.cast(found, [(sun.rows, (0, 0, sun.side, sun.side))], target, frame)
        target.release()
