"""Runs a scene's draws: binds a program's tables and textures, and joins a mesh's streams with the instances."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import replace
from functools import partial
from typing import Any

import moderngl
import numpy as np

from jade_coat.material.compile import is_filled
from jade_coat.material.kind_part import PIXEL_ANGLE
from jade_coat.material.paint_source import is_own, own_key
from jade_coat.material.settle import LAND
from jade_coat.material.shading import shading_path
from jade_coat.material.shared import CAMERA, EVERYWHERE, EYE_KNOWN, LAND_AT, LAND_SIZE, NO_LAND, SharedValue
from jade_coat.material.splitting import LIVE
from jade_coat.mesh.attributes import STREAMS, held_stream, mesh_number_type
from jade_coat.program.glsl_backend import shared_uniform
from jade_coat.program.types import Array
from jade_coat.program.value import TextureRef
from jade_coat.stage.draws import Draw, Scene
from jade_coat.view.culling import most_of, reach_in, seen_instances
from jade_coat.view.frame import Frame
from jade_coat.view.gpu_assets import GpuAssets
from jade_coat.view.gpu_mesh import GpuMesh
from jade_coat.view.gpu_scenes import GpuScene, GpuScenes, instance_data
from jade_coat.view.programs import Compiled, ProgramFault, ProgramShop
from jade_coat.view.vertex import attribute_name

Make = Callable[..., Compiled]
"""Gives the program of a material and a lookup, with `on_map` and `kind` as the shop's functions take them."""
FILL_DEPTH = shading_path("fill", "depth")
MEAN_GREY = (0.2, 0.2, 0.2, 1.0)
CORNERS_UNIT = 25
"""The texture unit of the table of a mesh's vertices."""
TOO_LARGE = "it reads more of each vertex than there is room for, and its mesh is too large to be read from a table"
BESIDE_PLACES = tuple(f(name) for name in STREAMS if name != "position" for f in (attribute_name, "at_{}".format))
"""What programs read of vertices beside where they are."""
PAINT_UNIT = 24
"""The texture unit of the paint that props have of their own: behind those of all maps and tables, and not the last of
all, which the OpenGL binding works on textures with."""


class Drawer:
    """Draws runs of triangles with a program; keeps the vertex arrays as long as what they join is there."""

    def __init__(self, context: Any, assets: GpuAssets, scenes: GpuScenes, shop: ProgramShop) -> None:
        self.context, self.assets, self.scenes, self.shop = context, assets, scenes, shop
        self.pixel_angle = 0.001
        """What a pixel of the picture spans of a thing a metre away, metres."""
        self.shared: dict[str, SharedValue] = {}
        """The values of the shared dials, by the names programs use."""
        self.pages: dict[str, Any] = {}
        """The pages of the grounds of the scene that is drawn, by ground."""
        self.land: Any = None
        """The land from above of the scene that is drawn, for what settles on it."""
        self.changes = 0
        """Counts up with every change of a shared dial or of a row."""
        self._arrays: dict[tuple[Any, ...], Any] = {}
        grey = np.array([[[128, 128, 128, 255]]], np.uint8)
        self._nothing = context.buffer(bytes(16))
        self._grey, self._grey_array = assets.alone(grey), assets.alone(grey, layers=1)

    def compiled(self, draw: Draw, make: Make, in_earnest: bool = True, way: str = "") -> Compiled | None:
        """The program that `make` gives for a draw's material; None where it has none.

        That is noted as the material's fault if it was meant `in_earnest`, and not only as one of two ways to draw it;
        in a `way` of its own it is a fault of that alone.
        """
        name, source, faults = draw.material, draw.on_map, self.assets.faults
        if name in faults or name + way in faults:
            return None
        if name not in self.assets.materials:
            faults[name] = "the material was never given"
            return None
        material, lookup = self.assets.materials[name]
        mesh = self.assets.meshes.get(draw.mesh)
        try:
            made = make(material, lookup, on_map=source, kind=partial(self.assets.kind, name))
            if "corners" in made.program and mesh is not None and mesh.corner_table(self.context) is None:
                raise ProgramFault(TOO_LARGE)
            return made
        except (ProgramFault, TypeError, ValueError, KeyError) as error:
            if in_earnest:
                faults[name + way] = str(error)
            return None

    def worn(self, scene: Scene, draw: Draw) -> tuple[object, ...]:
        """What a draw's look follows from beside its maps, the eye and the clock, to be compared with what it was."""
        name = draw.material
        shared = tuple(repr(self.shared.get(n)) for n in self._shared_read(draw) if n not in LIVE)
        rows = hash(scene.rows[name].tobytes()) if name in scene.rows else 0
        return name, self.assets.material_versions.get(name, 0), rows, shared

    def _shared_read(self, draw: Draw) -> tuple[str, ...]:
        """The shared values that a draw's look reads; none of what has a fault."""
        if draw.material in self.assets.faults or draw.material not in self.assets.materials:
            return ()
        try:
            return self.shop.shared_read(*self.assets.materials[draw.material], draw.on_map)
        except (TypeError, ValueError, KeyError):
            return ()

    def bind(self, compiled: Compiled, found: GpuScene, draw: Draw, mesh: GpuMesh, eye: Array, sample: int = 0) -> None:
        """Give a program what it reads beside the vertices; `eye` `(3,)` is where the camera stands."""
        self.bind_program(compiled, found, draw, eye, sample)
        for name in compiled.glsl.instance:
            if name == "seed":
                continue
            value = mesh.numbers.get(name, (1.0,) * mesh_number_type(name).size)
            set_uniform(compiled.program, f"instance_{name}", value if len(value) > 1 else value[0])

    def bind_program(self, compiled: Compiled, found: GpuScene, draw: Draw, eye: Array, sample: int = 0) -> None:
        """Give a program what it reads beside the vertices and the numbers of a mesh."""
        program, glsl = compiled.program, compiled.glsl
        if "row_table" in program:
            found.table(self.context, draw.material, compiled).use(0)
            set_uniform(program, "row_table", 0)
        set_uniform(program, "row_texels", glsl.layout.texels)
        self.bind_paint(program)
        for i, group in enumerate(glsl.samplers):
            self._sampled(draw, group).use(i + 1)
            set_uniform(program, f"map{i}", i + 1)
        for i, reference in enumerate(glsl.textures):
            known = self.assets.texture(draw.material, reference.name)
            set_uniform(program, f"mean{i}", known.mean if known is not None else MEAN_GREY)
        set_uniform(program, "cut", self.assets.materials[draw.material][0].cut)
        set_uniform(program, "noise_sample", sample)
        set_uniform(program, shared_uniform(CAMERA), tuple(eye))
        set_uniform(program, shared_uniform(EYE_KNOWN), 1.0)
        set_uniform(program, shared_uniform(PIXEL_ANGLE), self.pixel_angle)
        land = self.land
        if land is not None and LAND_AT in glsl.shared:
            set_uniform(program, shared_uniform(LAND_AT), (land.corner[0], 0.0, land.corner[1]))
            set_uniform(program, shared_uniform(LAND_SIZE), (land.size[0], 1.0, land.size[1]))
        for name in glsl.shared:
            if name in NO_LAND and land is None:
                set_uniform(program, shared_uniform(name), NO_LAND[name])
            elif name not in (CAMERA, EYE_KNOWN, PIXEL_ANGLE, *NO_LAND):
                set_uniform(program, shared_uniform(name), self.shared.get(name, EVERYWHERE.get(name, 0.0)))

    def bind_paint(self, program: Any) -> None:
        """Give a program the paint that props have of their own, where it reads any."""
        if "paint_pages" in program:
            self.assets.paint.texture.use(PAINT_UNIT)
            program["paint_pages"].value = PAINT_UNIT

    def _sampled(self, draw: Draw, group: tuple[TextureRef, ...]) -> Any:
        """The texture behind a sampler of a draw; grey until it is there."""
        if len(group) > 1:
            return self.assets.array(draw.material, group) or self._grey_array
        if group[0] in LAND:
            pictures = (self.land.color, self.land.shape) if self.land is not None else (self._grey, self._grey)
            return pictures[LAND.index(group[0])]
        if is_own(group[0]) and draw.paint in self.pages:
            page = self.pages[draw.paint].textures.get(group[0].name.removeprefix("own page "))
            if page is not None:
                return page
        if is_own(group[0]):
            return self.assets.maps.get(own_key(draw.paint, group[0])) or self._grey
        known = self.assets.texture(draw.material, group[0].name)
        return known.texture if known is not None else self._grey

    def run(self, program: Any, draw: Draw, instances: Any, view_projection: Array, count: int | None = None) -> None:
        """Draw with a program that is bound already; nothing happens for a mesh that is not there.

        `count` is how many of the instances are drawn, if not all.
        """
        mesh = self.assets.meshes.get(draw.mesh)
        count = len(draw.rows) if count is None else count
        if mesh is None or not draw.count or not count:
            return
        program["view_projection"].write(view_projection.T.astype("f4").tobytes())
        # What reads no more of a vertex than where it is works out those at one place once.
        by_place = not any(n in program for n in BESIDE_PLACES)
        vertices = None
        if "in_vertex" in program:
            indices, vertices = mesh.provoked(self.context, by_place)
        else:
            indices = mesh.by_place(self.context) if by_place else mesh.indices
        self._array(program, mesh, draw, instances, indices, vertices).render(
            vertices=draw.count * 3, first=draw.start * 3, instances=count
        )

    def run_coarse(
        self, program: Any, draw: Draw, instances: Any, view_projection: Array, count: int, cell: float
    ) -> None:
        """Draw as `run` does, coarsely: what lies in one cell of a grid over the mesh, metres, is one vertex."""
        mesh = self.assets.meshes[draw.mesh]
        indices = mesh.coarse(self.context, draw.start, draw.count, cell)
        if indices is None:
            return
        program["view_projection"].write(view_projection.T.astype("f4").tobytes())
        self._array(program, mesh, draw, instances, indices).render(instances=count)

    def run_some(
        self, program: Any, draw: Draw, instances: Any, view_projection: Array, corners: Array, count: int
    ) -> None:
        """Draw some triangles alone of `count` instances, by the numbers of their vertices `(k, 3)`."""
        mesh = self.assets.meshes[draw.mesh]
        program["view_projection"].write(view_projection.T.astype("f4").tobytes())
        indices = self.context.buffer(np.ascontiguousarray(corners, np.uint32).tobytes())
        content = self._content(program, mesh, draw, instances)
        array = self.context.vertex_array(program, content, indices, skip_errors=True)
        bind_corners(self.context, program, mesh)
        array.render(instances=count)
        array.release()
        indices.release()

    def run_once(self, program: Any, draw: Draw, instances: Any, view_projection: Array, count: int) -> None:
        """Draw some instances whose buffer goes afterwards."""
        self.run(program, draw, instances, view_projection, count)
        self.forget(instances)

    def forget(self, instances: Any) -> None:
        """Free what joins a buffer of instances with anything: it is about to go."""
        for key in [k for k in self._arrays if k[2] == instances.glo]:
            self._arrays.pop(key).release()

    def run_screen(self, program: Any, depth: float = 0.5) -> None:
        """Run a program that is bound already on every pixel, as something at a depth of 0 to 1."""
        set_uniform(program, "screen_depth", depth)
        key = (program.glo, "", 0, 0)
        if key not in self._arrays:
            self._arrays[key] = self.context.vertex_array(program, [])
        self._arrays[key].render(vertices=3)

    def run_one(self, program: Any, frame: Frame, index: int, instance: int, corners: Array | None) -> None:
        """Draw one instance of a draw; `corners` `(k, 3)` gives its triangles in another order."""
        draw = frame.scene.scene.draws[index]
        alone = self.context.buffer(instance_data(draw)[instance : instance + 1].tobytes())
        one = replace(draw, rows=draw.rows[instance : instance + 1])
        if corners is not None:
            self.run_some(program, one, alone, frame.view_projection, corners, 1)
        else:
            self.run(program, one, alone, frame.view_projection)
            self.forget(alone)
        alone.release()

    @contextmanager
    def alone(self, program: Any, draw: Draw, instance: int) -> Iterator[Any]:
        """The vertices of one instance of a draw, joined for a program that is bound; they go afterwards."""
        data = self.context.buffer(instance_data(draw)[instance : instance + 1].tobytes())
        mesh = self.assets.meshes[draw.mesh]
        content = self._content(program, mesh, draw, data)
        array = self.context.vertex_array(program, content, mesh.indices, skip_errors=True)
        bind_corners(self.context, program, mesh)
        yield array
        array.release()
        data.release()

    def surface(self, frame: Frame, index: int, fallback: Any) -> None:
        """Draw one draw of a frame by its material, or by the fallback program where that has a fault."""
        self._draw_surface(frame, index, self.surface_program(frame), fallback)

    def still(self, frame: Frame, index: int) -> None:
        """Draw what of one draw of a frame pages can hold, where some of it moves."""
        self._draw_surface(frame, index, self.shop.filling, None)

    def fill(self, frame: Frame, index: int) -> None:
        """Draw what lies under one draw of a frame, where its material has a fill."""
        if self.has_fill(frame.scene.scene, frame.scene.scene.draws[index]):
            self._draw_surface(frame, index, partial(self.surface_program(frame), inner=True), None)

    def has_fill(self, scene: Scene, draw: Draw) -> bool:
        """Whether any look of what wears a draw's material has a fill under it."""
        material = self.assets.material(draw.material)
        return material is not None and is_filled(material) and most_of(scene, material, FILL_DEPTH) > 0

    def _draw_surface(self, frame: Frame, index: int, make: Make, fallback: Any) -> None:
        draw = frame.scene.scene.draws[index]
        mesh = self.assets.meshes.get(draw.mesh)
        if mesh is None or not draw.count or not len(draw.rows):
            return
        reach = reach_in(frame.scene.scene, self.assets.material(draw.material))
        seen = seen_instances(self.context, frame.scene, index, mesh.bounds, frame.eye, reach)
        if not seen.count:
            return
        compiled = self.compiled(draw, make)
        if compiled is not None:
            self.bind(compiled, frame.scene, draw, mesh, frame.eye.position, frame.sample)
        program = compiled.program if compiled else fallback
        if program is not None:
            self.run(program, draw, seen.buffer, frame.view_projection, seen.count)

    def surface_program(self, frame: Frame) -> Make:
        """What gives the programs that fill a frame's attachments."""
        return partial(self.shop.sheet, probes=frame.probes) if frame.detailed else self.shop.view

    def shows(self, draw: Draw, prop: str) -> bool:
        """Whether a draw shows a prop that has paint of its own, on its vertices or on a map."""
        return draw.paint == prop or bool(len(self._showing(draw, prop)))

    def _showing(self, draw: Draw, prop: str) -> Array:
        """The instances of a draw that show a prop's own paint on vertices."""
        if not len(draw.owners) or prop not in self.assets.paint:
            return np.zeros(0, np.int64)
        return np.flatnonzero(draw.owners == self.assets.paint.number_of(prop))

    def some_of_surface(self, frame: Frame, index: int, prop: str, corners: Array) -> None:
        """Draw some triangles of a prop, in one draw of a frame, once more, over what is there."""
        draw = frame.scene.scene.draws[index]
        mesh = self.assets.meshes.get(draw.mesh)
        compiled = self.compiled(draw, self.surface_program(frame)) if mesh is not None else None
        if mesh is not None and compiled is not None:
            self.bind(compiled, frame.scene, draw, mesh, frame.eye.position, frame.sample)
            there = self._showing(draw, prop) if draw.paint != prop else np.arange(len(draw.rows))
            data = self.context.buffer(instance_data(draw, there).tobytes())
            self.run_some(compiled.program, draw, data, frame.view_projection, corners, len(there))
            data.release()

    def prune(self) -> None:
        """Let go of vertex arrays whose mesh, instances or program is gone."""
        doomed = self.shop.freed()
        programs = {program.glo for program in doomed}
        keys, buffers = set(self.assets.replaced), self.scenes.take_freed()
        gone = [k for k in self._arrays if k[0] in programs or k[1] in keys or k[2] in buffers]
        for key in gone:
            self._arrays.pop(key).release()
        for program in doomed:
            program.release()
        self.assets.replaced.clear()

    def _array(
        self, program: Any, mesh: GpuMesh, draw: Draw, instances: Any, indices: Any, vertices: Any = None
    ) -> Any:
        """What joins a program that is bound with a draw; `vertices` says which one an index stands for."""
        bind_corners(self.context, program, mesh)
        key = (program.glo, draw.mesh, instances.glo, indices.glo)
        if key not in self._arrays:
            content = self._content(program, mesh, draw, instances)
            if vertices is not None:
                content.append((vertices, "1i4", "in_vertex"))
            self._arrays[key] = self.context.vertex_array(program, content, indices, skip_errors=True)
        return self._arrays[key]

    def _content(self, program: Any, mesh: GpuMesh, draw: Draw, instances: Any) -> list[tuple[Any, ...]]:
        """The vertex streams that a program reads of a draw."""
        entries = {"in_rows": "12f4", "in_entry": "4i4"}
        named = [n for n in entries if n in program]
        form = " ".join(e if n in program else f"{e[:-2]}x4" for n, e in entries.items())
        content: list[tuple[Any, ...]] = [(instances, f"{form}/i", *named)]
        for name in (n for n in STREAMS if attribute_name(n) in program):
            held = held_stream(name, mesh.streams)
            if held is None:  # reads as 0: OpenGL's own default is no whole number for paint
                content.append((self._nothing, f"{STREAMS[name].format}/r", attribute_name(name)))
            else:
                content.append((mesh.streams[held], STREAMS[name].format, attribute_name(name)))
        return content


def bind_corners(context: Any, program: Any, mesh: GpuMesh) -> None:
    """Give a program the table of a mesh's vertices, where it reads that and the mesh can have one."""
    table = mesh.corner_table(context) if "corners" in program else None
    if table is None:
        return
    table.texture.use(CORNERS_UNIT)
    program["corners"].value = CORNERS_UNIT
    set_uniform(program, "corner_shape", (len(table.places), table.triangles, table.nothing))
    for name in STREAMS:
        held = held_stream(name, table.places)
        set_uniform(program, f"at_{name}", -1 if held is None else table.places[held])


def set_uniform(program: Any, name: str, value: Any) -> None:
    """Set a uniform unless the compiler found it unused and dropped it."""
    if name in program:
        program[name].value = value


def depth_tested(context: Any, function: str = "<") -> None:
    """Draw what is nearer (or by another comparison), and nothing blended."""
    context.enable_only(moderngl.DEPTH_TEST)
    context.depth_func = function
