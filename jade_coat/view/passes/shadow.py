"""The sun's depth map of a scene, kept until its shapes or the sun move."""

from __future__ import annotations

from typing import Any

import moderngl
import numpy as np

from jade_coat.program.types import Array
from jade_coat.stage.draws import Draw, Scene
from jade_coat.view.camera import look_at, orthographic
from jade_coat.view.context import HEADER, shader
from jade_coat.view.culling import FEWEST, reach_in, upright
from jade_coat.view.drawing import Drawer, depth_tested
from jade_coat.view.frame import Frame
from jade_coat.view.gpu_scenes import GpuScene
from jade_coat.view.light import Light
from jade_coat.view.vertex import VertexPart, vertex_source

SIDE = 2048


class ShadowPass:
    """Draws depth as the sun sees it."""

    reads = ()
    writes = ("shadow",)

    def __init__(self, drawer: Drawer, light: Light) -> None:
        self._drawer, self._light = drawer, light
        self._program = drawer.context.program(
            vertex_shader=vertex_source(VertexPart()), fragment_shader=HEADER + shader("depth.frag")
        )

    def draw(self, frame: Frame) -> None:
        """Make the map unless the scene has it."""
        found, context = frame.scene, self._drawer.context
        follows = self._follows(found)
        if found.is_cast and found.cast_from == follows:
            return
        found.is_cast, found.cast_from = True, follows
        low, high = self._bounds(found.scene)
        centre, half = (low + high) / 2, max(float(np.linalg.norm(high - low)) / 2, 0.01)
        found.to_shadow = orthographic(half, half * 2.02) @ look_at(centre + self._light.sun * half * 1.01, centre)
        found.shadow_texel = 2 * half / SIDE
        if found.shadow is None:
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
        elif len(draw.rows) >= FEWEST and mesh.is_closed(draw.start, draw.count) and upright(draw.matrices):
            self._drawer.context.enable(moderngl.CULL_FACE)  # what is closed throws the shadow of its outside
        self._drawer.run(program, draw, instances, found.to_shadow)
        self._drawer.context.disable(moderngl.CULL_FACE)

    def _bounds(self, scene: Scene) -> tuple[Array, Array]:
        """The box `(3,)` to `(3,)` around all that is drawn, by the boxes of the meshes."""
        low, high = [], []
        for draw in scene.drawn:
            mesh = self._drawer.assets.meshes.get(draw.mesh)
            if mesh is not None:
                linear, reach = draw.matrices[:, :3, :3], reach_in(scene, self._drawer.assets.material(draw.material))
                middles = linear @ mesh.bounds.mean(axis=0) + draw.matrices[:, :3, 3]
                halves = np.abs(linear) @ ((mesh.bounds[1] - mesh.bounds[0]) / 2) + reach
                low.append((middles - halves).min(axis=0))
                high.append((middles + halves).max(axis=0))
        return np.min(low or [np.zeros(3)], axis=0), np.max(high or [np.zeros(3)], axis=0)


def _depth_map(context: Any) -> Any:
    made = context.depth_texture((SIDE, SIDE))
    made.compare_func = "<="
    made.filter = (moderngl.LINEAR, moderngl.LINEAR)
    made.repeat_x = made.repeat_y = False
    return made
