"""Depth maps of a scene from many ways of the sky: what a place does not see of it does not light that place.

So a room without a window is dark, and what stands under a roof is darker than what stands before it.
"""

from __future__ import annotations

import moderngl
import numpy as np

from jade_coat.program.types import Array
from jade_coat.view.camera import look_at, orthographic
from jade_coat.view.casting import Caster, depth_map
from jade_coat.view.drawing import Drawer, depth_tested
from jade_coat.view.frame import Frame
from jade_coat.view.gpu_scenes import GpuScene
from jade_coat.view.openness import WAYS, sky_ways

ACROSS = 4
"""Maps beside one another."""
SIDE = 256
"""Texels across one map."""
AT_ONCE = 60_000
"""With so many triangles or fewer the maps are made before the first picture; else when the view stands still."""


class SkyDepthsPass:
    """Draws depth as the sky sees it, from `WAYS` directions side by side."""

    reads = ()
    writes = ("sky",)

    def __init__(self, drawer: Drawer) -> None:
        self._drawer = drawer
        self._caster = Caster(drawer)

    def draw(self, frame: Frame) -> None:
        """Make the maps where they are out of date.

        A view that is being turned or changed waits for none, and none follow what sways or walks before it rests.
        """
        found, sky = frame.scene, frame.scene.sky
        if not frame.is_lit or not found.scene.drawn or found.scene.surroundings.small:
            return
        follows = self._caster.follows(found)
        if sky.is_cast and sky.cast_from == follows and not sky.late:
            return
        still = self._caster.follows(found, live=False)
        moved = sky.is_cast and sky.still_from == still
        if frame.sample == 0 and (moved or self._caster.triangles(found) > AT_ONCE):
            return
        sky.is_cast, sky.late, sky.cast_from, sky.still_from = True, False, follows, still
        sky.made += 1
        frame.begins = True
        self._make(found, frame)

    def _make(self, found: GpuScene, frame: Frame) -> None:
        sky, context = found.sky, self._drawer.context
        low, high = self._caster.bounds(found.scene)
        centre, half = (low + high) / 2, max(float(np.linalg.norm(high - low)) / 2, 0.01)
        matrices = [orthographic(half, half * 2.02) @ look_at(centre + way * half * 1.01, centre) for way in sky_ways()]
        sky.rows, sky.texel = np.concatenate([m[:3] for m in matrices]), 2 * half / SIDE
        if sky.texture is None:
            sky.texture = depth_map(context, (SIDE * ACROSS, SIDE * ACROSS))
            sky.texture.filter = (moderngl.NEAREST, moderngl.NEAREST)  # where it is read is shifted by chance
        target = context.framebuffer([], sky.texture)
        target.use()
        target.clear(depth=1.0)
        depth_tested(context)

        def large(middles: Array, radii: Array) -> Array:
            return np.asarray(radii * 2 > sky.texel)  # what is smaller than a texel shuts nothing out

        parts = [((i % ACROSS) * SIDE, (i // ACROSS) * SIDE, SIDE, SIDE) for i in range(WAYS)]
        views = list(zip(matrices, parts, strict=True))
        self._caster.cast(found, views, target, frame, self._caster.chosen(found, large), 0.75 * sky.texel)
        target.release()
