"""The sun's depth map of a scene, kept until its shapes or the sun move."""

from __future__ import annotations

from typing import Any

import moderngl
import numpy as np

from jade_coat.program.types import Array
from jade_coat.stage.draws import Draw, Scene
from jade_coat.view.camera import look_at, orthographic
from jade_coat.view.context import HEADER, shader
from jade_coat.view.culling import reach_in
from jade_coat.view.drawing import Drawer, depth_tested
from jade_coat.view.frame import Frame
from jade_coat.view.gpu_scenes import GpuScene
from jade_coat.view.light import Light
from jade_coat.view.vertex import vertex_source

SIDE = 2048


class ShadowPass:
    """Draws depth as the sun sees it."""

    reads = ()
    writes = ("shadow",)

    def __init__(self, drawer: Drawer, light: Light) -> None:
        self._drawer, self._light = drawer, light
        self._program = drawer.context.program(
            vertex_shader=vertex_source(), fragment_shader=HEADER + shader("depth.frag")
        )

    def draw(self, frame: Frame) -> None:
        """Make the map unless the scene has it."""
        found, context = frame.scene, self._drawer.context
        follows = self._follows(found)
        if found.shadow is not None and found.cast_from == follows:
            return
        found.cast_anew()
        found.cast_from = follows
        low, high = self._bounds(found.scene)
        centre, half = (low + high) / 2, max(float(np.linalg.norm(high - low)) / 2, 0.01)
        found.to_shadow = orthographic(half, half * 2.02) @ look_at(centre + self._light.sun * half * 1.01, centre)
        found.shadow_texel = 2 * half / SIDE
        found.shadow = _depth_map(context)
        target = context.framebuffer([], found.shadow)
        target.use()
        target.clear(depth=1.0)
        depth_tested(context)
        for draw, instances in zip(found.scene.draws, found.instances, strict=True):
            self._cast(found, draw, instances, frame)
        target.release()

    def _follows(self, found: GpuScene) -> object:
        """What the map follows from beside shapes and the sun: all that opacity may follow from, where it matters."""
        assets = self._drawer.assets
        if any(self._by_material(d.material) for d in found.scene.drawn):
            return (assets.version, assets.patches, self._drawer.changes)
        return tuple(d.material for d in found.scene.drawn if assets.surface_kind(d.material).casts == "none")

    def _by_material(self, material: str) -> bool:
        """Whether what a material casts follows from more than the mesh: where it is cut, and how it is moved."""
        assets = self._drawer.assets
        return assets.surface_kind(material).casts not in ("whole", "none") or assets.moves(material)

    def _cast(self, found: GpuScene, draw: Draw, instances: Any, frame: Frame) -> None:
        casts, mesh = self._drawer.assets.surface_kind(draw.material).casts, self._drawer.assets.meshes.get(draw.mesh)
        assert found.to_shadow is not None
        if casts == "none" or mesh is None:
            return
        program, compiled = self._program, None
        if self._by_material(draw.material) and draw.count and len(draw.rows):
            compiled = self._drawer.compiled(draw, self._drawer.shop.shadow)
        if compiled is not None:
            program = compiled.program
            self._drawer.bind(compiled, found, draw, mesh, frame.eye.position)
        self._drawer.run(program, draw, instances, found.to_shadow)

    def _bounds(self, scene: Scene) -> tuple[Array, Array]:
        corners = [np.zeros((1, 3))]
        for draw in scene.drawn:
            mesh = self._drawer.assets.meshes.get(draw.mesh)
            if mesh is not None and len(draw.matrices):
                x, y, z = np.meshgrid(*mesh.bounds.T)
                box = np.stack([x.ravel(), y.ravel(), z.ravel(), np.ones(8)])
                found = (draw.matrices @ box)[:, :3].transpose(0, 2, 1).reshape(-1, 3)
                reach = reach_in(scene, self._drawer.assets.material(draw.material))
                corners += [found - reach, found + reach] if reach else [found]
        points = np.concatenate(corners[1:] or corners)
        return points.min(axis=0), points.max(axis=0)


def _depth_map(context: Any) -> Any:
    made = context.depth_texture((SIDE, SIDE))
    made.compare_func = "<="
    made.filter = (moderngl.LINEAR, moderngl.LINEAR)
    made.repeat_x = made.repeat_y = False
    return made
