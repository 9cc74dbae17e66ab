"""Lays what blends over the light of all else, far to near: blended by opacity, or added."""

from __future__ import annotations

import moderngl
import numpy as np

from jade_coat.program.types import Array
from jade_coat.view.context import HEADER, shader
from jade_coat.view.culling import in_span
from jade_coat.view.drawing import Drawer, set_uniform
from jade_coat.view.frame import Frame
from jade_coat.view.gpu_mesh import GpuMesh
from jade_coat.view.light import Light
from jade_coat.view.passes.lamps import LampPass
from jade_coat.view.passes.mist import place_mists
from jade_coat.view.programs import LIGHT_SAMPLERS, Compiled

SORTED_TRIANGLES = 50_000
"""Meshes with more triangles are not sorted in themselves, only among each other."""


class LitPass:
    """The base of the passes whose programs light what they draw themselves."""

    reads: tuple[str, ...] = ("depth", "shadow")
    writes: tuple[str, ...] = ("radiance",)

    def __init__(self, drawer: Drawer, light: Light, lamps: LampPass) -> None:
        self._drawer, self._light, self._lamps = drawer, light, lamps

    def _bind(self, frame: Frame, compiled: Compiled, index: int, mesh: GpuMesh) -> None:
        draw, program = frame.scene.scene.draws[index], compiled.program
        self._drawer.bind(compiled, frame.scene, draw, mesh, frame.eye.position, frame.sample)
        self._light.bind(program, len(compiled.glsl.samplers) + 1)
        self._lamps.bind_depths(program, frame.scene, self._depths_at(compiled))
        set_uniform(program, "lamp_count", 0)
        place_mists(program, frame)
        assert len(compiled.glsl.samplers) + 1 + LIGHT_SAMPLERS <= 16
        if "shared_eye" in program:
            program["shared_eye"].value = tuple(frame.eye.position)

    @staticmethod
    def _depths_at(compiled: Compiled) -> int:
        """The unit of the lamps' depth maps: the last of the light's."""
        return len(compiled.glsl.samplers) + LIGHT_SAMPLERS


class ForwardPass(LitPass):
    """Draws each instance of what blends by itself, the farthest first; behind nearer surfaces nothing shows."""

    def __init__(self, drawer: Drawer, light: Light, lamps: LampPass) -> None:
        super().__init__(drawer, light, lamps)
        self._leave = drawer.context.program(
            vertex_shader=HEADER + shader("screen.vert"), fragment_shader=HEADER + shader("behind.frag")
        )  # fmt: skip
        self._kept = False
        """Whether the depths of this picture are kept already."""

    def draw(self, frame: Frame) -> None:
        """Lay them over, where the frame has any and is lit."""
        if not frame.blends:
            return
        context = self._drawer.context
        self._kept = False
        frame.buffers.over_light.use()
        frame.buffers.over_light.depth_mask = False
        context.enable_only(moderngl.DEPTH_TEST | moderngl.BLEND)
        context.depth_func = "<="
        for index, instance in self._far_to_near(frame):
            self._draw_one(frame, index, instance)
        frame.buffers.over_light.depth_mask = True
        context.depth_func = "<"
        context.enable_only(moderngl.NOTHING)

    def _far_to_near(self, frame: Frame) -> list[tuple[int, int]]:
        """Draws and their instances by how far the middle of each lies along the view."""
        found: list[tuple[float, int, int]] = []
        for index in frame.blends:
            draw = frame.scene.scene.draws[index]
            mesh = self._drawer.assets.meshes.get(draw.mesh)
            if mesh is not None:
                centres = draw.matrices @ np.append(mesh.bounds.mean(axis=0), 1.0)
                ahead = -(centres @ frame.eye.view.T)[:, 2]
                standing = frame.scene.standing(index, mesh.bounds)
                there = np.flatnonzero(in_span(draw, standing, frame.eye, np.arange(len(draw.rows))))
                found += [(float(ahead[i]), index, int(i)) for i in there]
        return [(index, i) for _, index, i in sorted(found, key=lambda f: -f[0])]

    def _draw_one(self, frame: Frame, index: int, instance: int) -> None:
        draw = frame.scene.scene.draws[index]
        mesh = self._drawer.assets.meshes[draw.mesh]
        compiled = self._drawer.compiled(draw, self._drawer.shop.forward)
        if compiled is None or not draw.count:
            return
        if "depth_behind" in compiled.program and not self._kept:
            self._kept = True
            self._keep_behind(frame)
        self._bind(frame, compiled, index, mesh)
        self._bind_behind(frame, compiled)
        if frame.scene.scene.surroundings.lamps:
            middle = np.append(mesh.bounds.mean(axis=0), 1.0) @ draw.matrices[instance].T
            self._lamps.shine_nearest(compiled.program, frame, self._depths_at(compiled), middle[:3])
        context = self._drawer.context
        added = self._drawer.assets.surface_kind(draw.material).blend == "add"
        context.blend_func = (moderngl.ONE, moderngl.ONE if added else moderngl.ONE_MINUS_SRC_ALPHA)
        corners = None if added else self._sorted(mesh, draw.start, draw.count, draw.matrices[instance], frame)
        self._drawer.run_one(compiled.program, frame, index, instance, corners)

    def _bind_behind(self, frame: Frame, compiled: Compiled) -> None:
        """Give a glow that fades where it meets other things their depths, kept once a picture."""
        if "depth_behind" not in compiled.program:
            return
        unit = self._depths_at(compiled) + 1
        frame.buffers.behind.use(unit)
        set_uniform(compiled.program, "depth_behind", unit)
        if "from_clip_behind" in compiled.program:
            inverse = np.linalg.inv(frame.view_projection)
            compiled.program["from_clip_behind"].write(inverse.T.astype("f4").tobytes())

    def _keep_behind(self, frame: Frame) -> None:
        buffers, context = frame.buffers, self._drawer.context
        buffers.keep_behind(context)
        buffers.leaving.use()
        buffers.depth.use(0)
        set_uniform(self._leave, "depth", 0)
        context.enable_only(moderngl.NOTHING)
        self._drawer.run_screen(self._leave)
        context.enable_only(moderngl.DEPTH_TEST | moderngl.BLEND)
        buffers.over_light.use()

    def _sorted(self, mesh: GpuMesh, start: int, count: int, matrix: Array, frame: Frame) -> Array | None:
        """The corners of a run of triangles `(k, 3)`, far to near; None for a mesh of too many."""
        if count > SORTED_TRIANGLES:
            return None
        corners, middles = mesh.triangle_middles()
        run = slice(start, start + count)
        row = (frame.eye.view @ matrix)[2]
        order = np.argsort(middles[run] @ row[:3], kind="stable")  # the view looks along -z: the lowest is farthest
        return np.asarray(corners[run][order])
