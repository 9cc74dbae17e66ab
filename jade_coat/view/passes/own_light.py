"""Lights anew what has a light of its own, such as strands, over what all else is lit by."""

from __future__ import annotations

import moderngl
import numpy as np

from jade_coat.material.kinds import kind_of
from jade_coat.material.material import Material
from jade_coat.material.shading import shading_path
from jade_coat.stage.draws import Scene
from jade_coat.view.culling import most_of, reach_in, seen_instances, seen_order
from jade_coat.view.drawing import set_uniform
from jade_coat.view.frame import Frame
from jade_coat.view.passes.forward import LitPass
from jade_coat.view.passes.lamps import TOGETHER, seen_lamps
from jade_coat.view.programs import Compiled

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
        if not frame.link:
            self._draw_outlines(frame)
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
        self._bind_openness(frame, compiled)
        set_uniform(compiled.program, "tone_link", frame.link)
        if len(seen_lamps(frame)) <= TOGETHER:
            self._lamps.shine_nearest(compiled.program, frame, self._depths_at(compiled))
            self._drawer.run(compiled.program, draw, seen.buffer, frame.view_projection, seen.count)
            return
        order, _ = seen_order(draw, frame.scene.standing(index, mesh.bounds), frame.eye, reach)
        for i in order.tolist():  # each is lit by the lamps that matter most to it
            middle = np.append(mesh.bounds.mean(axis=0), 1.0) @ draw.matrices[i].T
            self._lamps.shine_nearest(compiled.program, frame, self._depths_at(compiled), middle[:3])
            self._drawer.run_one(compiled.program, frame, index, i, None)

    def _bind_openness(self, frame: Frame, compiled: Compiled) -> None:
        """Let a program read how open the sky is, behind all else that it reads."""
        open_sky = frame.buffers.openness if frame.scene.sky.texture is not None else None
        unit = self._depths_at(compiled) + 1
        assert unit < 16
        (open_sky or frame.buffers.attachments[0]).use(unit)
        set_uniform(compiled.program, "openness", unit)
        set_uniform(compiled.program, "has_openness", open_sky is not None)

    def _draw_outlines(self, frame: Frame) -> None:
        """Draw the backs of the hulls that stand out round what has an outline."""
        context = self._drawer.context
        frame.buffers.over_light.depth_mask = True
        context.enable(moderngl.CULL_FACE)
        context.cull_face, context.depth_func = "front", "<"
        for index in frame.own_light:
            draw, scene = frame.scene.scene.draws[index], frame.scene.scene
            mesh, material = self._drawer.assets.meshes.get(draw.mesh), self._drawer.assets.material(draw.material)
            if mesh is None or material is None or not draw.count or not _is_outlined(scene, material):
                continue
            seen = seen_instances(
                self._drawer.context, frame.scene, index, mesh.bounds, frame.eye, reach_in(scene, material)
            )
            compiled = self._drawer.compiled(draw, self._drawer.shop.hull) if seen.count else None
            if compiled is not None:
                self._bind(frame, compiled, index, mesh)
                self._drawer.run(compiled.program, draw, seen.buffer, frame.view_projection, seen.count)
        context.cull_face = "back"
        context.disable(moderngl.CULL_FACE)


def _is_outlined(scene: Scene, material: Material) -> bool:
    """Whether any look of a scene gives a material an outline."""
    path = shading_path("tones", "outline")
    if kind_of(material.kind).shading != "tones":
        return False
    return most_of(scene, material, path) > 0
