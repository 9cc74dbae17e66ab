"""Lights anew what has a light of its own, such as strands, over what all else is lit by."""

from __future__ import annotations

import moderngl
import numpy as np

from jade_coat.view.culling import reach_in, seen_instances
from jade_coat.view.frame import Frame
from jade_coat.view.passes.forward import LitPass
from jade_coat.view.passes.lamps import TOGETHER, seen_lamps

NEARER = (-1.0, -1.0)
"""What depths are shifted by: another program places the very same triangles, and may round them otherwise."""


class OwnLightPass(LitPass):
    """Draws each surface of such a kind once more, where it is the nearest, with its light alone."""

    def draw(self, frame: Frame) -> None:
        """Light them, where the frame has any and is lit."""
        if not frame.own_light or frame.look != "lit":
            return
        context = self._drawer.context
        frame.buffers.over_light.use()
        frame.buffers.over_light.depth_mask = False
        context.enable_only(moderngl.DEPTH_TEST)
        context.depth_func = "<="
        context.polygon_offset = NEARER
        for index in frame.own_light:
            self._draw_one(frame, index)
        context.polygon_offset = (0.0, 0.0)
        frame.buffers.over_light.depth_mask = True
        context.depth_func = "<"
        context.enable_only(moderngl.NOTHING)

    def _draw_one(self, frame: Frame, index: int) -> None:
        draw, scene = frame.scene.scene.draws[index], frame.scene.scene
        mesh = self._drawer.assets.meshes.get(draw.mesh)
        if mesh is None or not draw.count:
            return
        reach = reach_in(scene, self._drawer.assets.material(draw.material))
        seen = seen_instances(self._drawer.context, frame.scene, index, mesh.bounds, frame.eye, reach)
        compiled = self._drawer.compiled(draw, self._drawer.shop.own_light) if seen.count else None
        if compiled is None:
            return
        self._bind(frame, compiled, index, mesh)
        if len(seen_lamps(frame)) <= TOGETHER:
            self._lamps.shine_nearest(compiled.program, frame, self._depths_at(compiled))
            self._drawer.run(compiled.program, draw, seen.buffer, frame.view_projection, seen.count)
            return
        for i, matrix in enumerate(draw.matrices):  # each is lit by the lamps that matter most to it
            middle = np.append(mesh.bounds.mean(axis=0), 1.0) @ matrix.T
            self._lamps.shine_nearest(compiled.program, frame, self._depths_at(compiled), middle[:3])
            self._drawer.run_one(compiled.program, frame, index, i, None)
