"""Counts how often each pixel is drawn over: every triangle adds one, whatever is before it."""

from __future__ import annotations

import moderngl

from jade_coat.view.culling import reach_in, seen_instances
from jade_coat.view.drawing import Drawer
from jade_coat.view.frame import Frame


class LayersPass:
    """Draws the count of a scene's layers into the picture, 8 of 255 a layer."""

    reads = ()
    writes = ("picture",)

    def __init__(self, drawer: Drawer) -> None:
        self._drawer = drawer

    def draw(self, frame: Frame) -> None:
        """Count them all."""
        context, scene = self._drawer.context, frame.scene.scene
        frame.buffers.output.use()
        frame.buffers.output.clear(0.0, 0.0, 0.0, 0.0)
        context.enable_only(moderngl.BLEND)
        context.blend_func = moderngl.ONE, moderngl.ONE
        for index, draw in enumerate(scene.draws):
            mesh = self._drawer.assets.meshes.get(draw.mesh)
            if mesh is None or not draw.count:
                continue
            reach = reach_in(scene, self._drawer.assets.material(draw.material))
            seen = seen_instances(context, frame.scene, index, mesh.bounds, frame.eye, reach)
            compiled = self._drawer.compiled(draw, self._drawer.shop.layers) if seen.count else None
            if compiled is not None:
                self._drawer.bind(compiled, frame.scene, draw, mesh, frame.eye.position)
                self._drawer.run(compiled.program, draw, seen.buffer, frame.view_projection, seen.count)
        context.enable_only(moderngl.NOTHING)
