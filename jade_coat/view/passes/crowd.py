"""Draws crowds, many small triangles: sights at each pixel which is seen, then works out that pixel alone.

Drawn one by one, small triangles cost far more than the pixels they cover, since the hardware works on blocks of
pixels. Burns & Hunt 2013, The Visibility Buffer (JCGT 2/2).
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial
from typing import Any

import moderngl
import numpy as np

from jade_coat.material.compile import fades
from jade_coat.material.kinds import kind_of
from jade_coat.stage.draws import Draw, Scene
from jade_coat.view.attachments import ATTACHMENTS, Box, within
from jade_coat.view.context import HEADER, shader
from jade_coat.view.culling import box_around, reach_in, seen_instances
from jade_coat.view.drawing import Drawer, bind_corners, depth_tested, set_uniform
from jade_coat.view.frame import Frame
from jade_coat.view.gpu_mesh import GpuMesh
from jade_coat.view.gpu_scenes import Seen
from jade_coat.view.programs import Compiled
from jade_coat.view.vertex import LEAVE, SEE, SIGHT, VertexPart, vertex_source

FEWEST_TRIANGLES = 6000
"""A draw of fewer is no crowd. Neither the camera nor the picture's size counts: a draw that was now one and now not
would need its other program compiled when something moves."""
FEWEST_OF_SMALL = 1500
"""The same for scenes that only small pictures show: their triangles are smaller than what the hardware works on."""
MOST = 255
"""How many draws of a picture can be crowds; those beyond are drawn one by one."""
CORNERS = np.array([[i >> k & 1 for k in range(3)] for i in range(8)])
"""Which of two ends along each axis the corners of a box have, `(8, 3)`."""
FEW = 16
"""Of draws of so few instances only the part of the picture is looked through that they can be in."""


def in_crowds(scene: Scene) -> frozenset[str]:
    """The materials of a scene that are drawn in crowds: one of their draws at least has triangles enough.

    The others of such a material are drawn so too: for a few triangles another program would have to be compiled.
    """
    fewest = min(FEWEST_TRIANGLES, FEWEST_OF_SMALL) if scene.surroundings.small else FEWEST_TRIANGLES
    large = (d for d in scene.draws if d.grid is None and (d.strewn or d.count * len(d.rows) >= fewest))
    return frozenset(d.material for d in large)


@dataclass(frozen=True)
class _Crowd:
    """A draw whose pixels are worked out alone; `number` is its own in a picture, from 1."""

    index: int
    draw: Draw
    mesh: GpuMesh
    compiled: Compiled
    seen: Seen
    number: int


class CrowdPass:
    """Fills the G-buffer with the crowds of a frame; `frame.crowds` then tells which draws they were."""

    reads = ()
    writes = (*(a.name for a in ATTACHMENTS), "sighted", "depth", "mask")

    def __init__(self, drawer: Drawer) -> None:
        self._drawer = drawer
        self.drawn = 0
        """How many crowds the last frame had."""
        self._plain, self._leaving = (
            drawer.context.program(
                vertex_shader=vertex_source(VertexPart(), sighted=True),
                fragment_shader="\n".join([HEADER, SIGHT, *head, "void main() {", *first, SEE, "}"]),
            )
            for head, first in (((), ()), ((shader("sample.glsl"),), (LEAVE,)))
        )
        self._mask = drawer.context.program(
            vertex_shader=HEADER + shader("screen.vert"), fragment_shader=HEADER + shader("crowd_mask.frag")
        )

    def draw(self, frame: Frame) -> None:
        """Sight all of them, so that of each pixel only what is seen there is worked out.

        Of a part, what was sighted before still holds: its pixels alone are worked out again.
        """
        buffers, part = frame.buffers, frame.part
        crowds = self._found(frame)
        self.drawn, frame.crowds = len(crowds), tuple(c.index for c in crowds)
        again = [c for c in crowds if part is None or self._drawer.shows(c.draw, part.prop)]
        if not again:
            return
        if part is None:
            buffers.sighting.use()
            buffers.sighting.clear(0, 0, 0, 0, depth=1.0)  # whole numbers, but their 0 is the 0 of floats
            depth_tested(self._drawer.context)
            for crowd in crowds:
                self._sight(frame, crowd)
        box = buffers.box_of(part.box) if part is not None else None
        buffers.masking.scissor = buffers.masked.scissor = box
        self._lay_mask(frame)
        buffers.masked.use()
        depth_tested(self._drawer.context, "==")
        for crowd in again:
            place = self._place(frame, crowd)
            if place is not None:
                buffers.masked.scissor = within(place, box) if box is not None else place
                self._work_out(frame, crowd)
        buffers.masking.scissor = buffers.masked.scissor = None
        self._drawer.context.depth_func = "<"
        buffers.gbuffer.use()

    def _found(self, frame: Frame) -> list[_Crowd]:
        found: list[_Crowd] = []
        materials = in_crowds(frame.scene.scene)
        for index, draw in enumerate(frame.scene.scene.draws):
            if draw.grid is None and draw.material in materials and len(found) < MOST:
                crowd = self._crowd(frame, index, draw, len(found) + 1)
                found += [crowd] if crowd is not None else []
        return found

    def _place(self, frame: Frame, crowd: _Crowd) -> Box | None:
        """The pixels where a crowd may be seen; None where it is not."""
        if len(crowd.draw.rows) > FEW:
            return (0, 0, *frame.buffers.size)
        reach = reach_in(frame.scene.scene, self._drawer.assets.material(crowd.draw.material))
        box = np.stack(box_around(crowd.draw, crowd.mesh.bounds, reach))
        return frame.pixels_of(box[CORNERS, (0, 1, 2)])

    def _crowd(self, frame: Frame, index: int, draw: Draw, number: int) -> _Crowd | None:
        """A draw as a crowd, where it is worth it and can be one."""
        assets = self._drawer.assets
        mesh = assets.meshes.get(draw.mesh)
        if mesh is None or not len(draw.rows) or not draw.count or index in frame.blends:
            return None
        reach = reach_in(frame.scene.scene, assets.material(draw.material))
        seen = seen_instances(self._drawer.context, frame.scene, index, mesh.bounds, frame.eye, reach)
        if not seen.count:
            return None
        compiled = self._drawer.compiled(draw, self._program(frame), in_earnest=False)
        return _Crowd(index, draw, mesh, compiled, seen, number) if compiled is not None else None

    def _program(self, frame: Frame) -> Any:
        return partial(self._drawer.surface_program(frame), crowd=True)

    def _sight(self, frame: Frame, crowd: _Crowd) -> None:
        draw, drawer = crowd.draw, self._drawer
        program = self._leaving if draw.strewn else self._plain
        set_uniform(program, "noise_sample", frame.sample)
        material = drawer.assets.materials[draw.material][0]
        if kind_of(material.kind).cut_as_surface or material.moves or fades(material):
            compiled = drawer.compiled(draw, drawer.shop.sight)
            if compiled is None:
                return
            drawer.bind(compiled, frame.scene, draw, crowd.mesh, frame.eye.position, frame.sample)
            program = compiled.program
        elif crowd.seen.outside and crowd.mesh.is_closed(draw.start, draw.count):
            drawer.context.enable(moderngl.CULL_FACE)  # of what is closed only the outside is seen
        program["crowd_number"].value = crowd.number
        drawer.run(program, draw, crowd.seen.buffer, frame.view_projection, crowd.seen.count)
        drawer.context.disable(moderngl.CULL_FACE)

    def _lay_mask(self, frame: Frame) -> None:
        """Say by depth which crowd is seen where."""
        frame.buffers.masking.use()
        depth_tested(self._drawer.context, "1")
        frame.buffers.sighted.use(0)
        self._mask["sighted"].value = 0
        self._drawer.run_screen(self._mask)

    def _work_out(self, frame: Frame, crowd: _Crowd) -> None:
        """Draw the pixels where this crowd was sighted."""
        draw, drawer, program = crowd.draw, self._drawer, crowd.compiled.program
        drawer.bind(crowd.compiled, frame.scene, draw, crowd.mesh, frame.eye.position, frame.sample)
        members = frame.scene.crowd(drawer.context, crowd.index)
        tables = {"sighted": frame.buffers.sighted, "crowd": members}
        for unit, (name, texture) in enumerate(tables.items(), len(crowd.compiled.glsl.samplers) + 1):
            texture.use(unit)
            set_uniform(program, name, unit)
        width, height = frame.buffers.size
        bind_corners(drawer.context, program, crowd.mesh)
        set_uniform(program, "pixel", (2 / width, 2 / height))
        program["view_projection"].write(frame.view_projection.T.astype("f4").tobytes())
        drawer.run_screen(program, crowd.number / 256)
