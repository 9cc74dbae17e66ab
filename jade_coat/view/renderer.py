"""Draws scenes: G-buffer, sun shadow, light, tone map; accumulates samples for a still picture."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

import moderngl
import numpy as np

from jade_coat.maps.packing import Texture
from jade_coat.material.material import Material
from jade_coat.material.paint_source import OWN_MAP
from jade_coat.material.surface import MapLookup
from jade_coat.program.glsl_backend import shared_uniform
from jade_coat.program.types import Array
from jade_coat.stage.draws import Draw, Scene
from jade_coat.view.camera import jittered, look_at, orthographic
from jade_coat.view.context import HEADER, shader
from jade_coat.view.environment import DARK, LEVELS, MAP_SIDE, Environment, split_sum_table, synthesised
from jade_coat.view.gpu import ROWS_A_COLUMN, Buffers, GpuMesh, GpuScene, OwnPaint, new_buffers, row_table, write_row
from jade_coat.view.marks import MarkPainter
from jade_coat.view.messages import Eye, Marks, Part
from jade_coat.view.programs import ATTRIBUTES, MAX_PROBES, Compiled, ProgramFault, ProgramShop

SHADOW_SIDE = 2048
SRGB8_ALPHA8, RGBA16, RGBA8 = 0x8C43, 0x805B, 0x8058
SUN_COLOR = np.array([1.0, 0.93, 0.82])
FORMATS_OF_FRAME = {"position": "3f4", "normal": "3f4", "tangent": "4f4"}
LOOKS = ("lit", "base_color", "roughness", "metallic", "normal", "height", "occlusion", "coverage")
"""Looks that need no name behind them."""
PROBES = ("where", "term", "step", "height", "coverage", "channel")
"""Looks that are outputs of a material: `where:COAT`, `term:COAT:TERM`, `step:COAT:TERM:STEP`, `height:COAT`, …, and
`channel:N` for a painted channel, four to a colour set."""


DEFAULT_LIGHT = ((0.48, 0.62, 0.62), 2.6)
"""Direction and strength of the sun until one is set; an empty stage needs none."""


class Renderer:
    """Holds meshes, textures, materials and scenes, and draws pictures of them."""

    def __init__(self, context: Any) -> None:
        self.context = context
        self.shop = ProgramShop(context)
        self.faults: dict[str, str] = {}
        self._meshes: dict[str, GpuMesh] = {}
        self._textures: dict[str, Any] = {}
        self._means: dict[str, tuple[float, ...]] = {}
        self._eye: Array = np.zeros(3)
        self._shared: dict[str, float] = {}
        self._paint: dict[str, OwnPaint] = {}
        self._maps: dict[str, Any] = {}
        self._materials: dict[str, tuple[Material, MapLookup]] = {}
        self._scenes: dict[str, GpuScene] = {}
        self._vaos: dict[tuple[Any, ...], Any] = {}
        self._buffers: dict[str, Buffers] = {}
        self._grey = context.texture((1, 1), 4, bytes([128, 128, 128, 255]))
        screen = HEADER + shader("screen.vert")
        light = HEADER + shader("light.glsl")
        self._compose = context.program(vertex_shader=screen, fragment_shader=light + shader("compose.frag"))
        self._average = context.program(vertex_shader=screen, fragment_shader=HEADER + shader("average.frag"))
        self._depth = context.program(
            vertex_shader=HEADER + shader("depth.vert"), fragment_shader=HEADER + shader("depth.frag")
        )
        self._fault = context.program(
            vertex_shader=HEADER + shader("fault.vert"), fragment_shader=HEADER + shader("fault.frag")
        )
        self._marks = MarkPainter(context)
        self._compose_vao = context.vertex_array(self._compose, [])
        self._average_vao = context.vertex_array(self._average, [])
        self._split_sum = context.texture((32, 32), 2, split_sum_table().tobytes(), dtype="f4")
        self._split_sum.repeat_x = self._split_sum.repeat_y = False
        self._reflections: Any = None
        self._has_light = False
        self._scene_count = 0
        self._version = 0
        """Counts up with every change that the attachments of a picture follow from, but patches of paint."""

    # What is drawn

    def put_mesh(self, key: str, streams: Mapping[str, Array], triangles: Array, metres: Any) -> None:
        """Take a mesh; streams are `position`, `normal`, `tangent`, `uvN` (float32) and `colorN` (uint16)."""
        self._version += 1
        buffers = {name: self.context.buffer(np.ascontiguousarray(a).tobytes()) for name, a in streams.items()}
        position = streams["position"]
        bounds = np.stack([position.min(axis=0), position.max(axis=0)])
        self._forget_arrays(key)
        self._marks.forget(key)
        self._meshes[key] = GpuMesh(
            buffers, self.context.buffer(np.ascontiguousarray(triangles, np.uint32).tobytes()), tuple(metres), bounds
        )

    def put_texture(self, name: str, is_color: bool, levels: tuple[Array, ...]) -> None:
        """Take a texture with all its levels; colour is decoded from sRGB by the hardware."""
        self._version += 1
        height, width = levels[0].shape[:2]
        wide = levels[0].dtype == np.uint16
        kind = SRGB8_ALPHA8 if is_color else RGBA16 if wide else RGBA8
        texture = self.context.texture(
            (width, height), 4, levels[0].tobytes(), dtype="nu2" if wide else "f1", internal_format=kind
        )
        if len(levels) > 1:
            texture.build_mipmaps(0, len(levels) - 1)
            for i, level in enumerate(levels[1:], 1):
                texture.write(level.tobytes(), level=i)
            texture.filter = (moderngl.LINEAR_MIPMAP_LINEAR, moderngl.LINEAR)
        self._means[name] = tuple(float(v) for v in Texture(name, is_color, levels[-1:]).mean)
        old = self._textures.get(name)
        self._textures[name] = texture
        if old is not None:
            old.release()

    def put_paint(self, prop: str, values: Array) -> None:
        """Take a prop's own paint, `(n, 4 a colour set) uint16`."""
        self._version += 1
        data, sets = np.ascontiguousarray(values, np.uint16).tobytes(), values.shape[1] // 4
        old = self._paint.get(prop)
        if old is not None and old.buffer.size == len(data) and old.sets == sets:
            old.buffer.write(data)
            return
        self._paint[prop] = OwnPaint(self.context.buffer(data, dynamic=True), sets)
        for key in [k for k in self._vaos if prop in k]:
            self._vaos.pop(key).release()

    def patch_paint(self, prop: str, start: int, values: Array) -> None:
        """Replace a run of a prop's paint; nothing happens for a prop without any."""
        if prop in self._paint:
            own = self._paint[prop]
            own.buffer.write(np.ascontiguousarray(values, np.uint16).tobytes(), offset=start * 8 * own.sets)

    def put_map(self, prop: str, values: Array) -> None:
        """Take a prop's painted map, `(side, side, 4) uint8` or `uint16`."""
        self._version += 1
        wide = values.dtype == np.uint16
        old = self._maps.get(prop)
        self._maps[prop] = self.context.texture(
            values.shape[1::-1], 4, np.ascontiguousarray(values).tobytes(), dtype="nu2" if wide else "f1",
            internal_format=RGBA16 if wide else RGBA8,
        )  # fmt: skip
        if old is not None:
            old.release()

    def drop_map(self, prop: str) -> None:
        """Let go of a prop's painted map."""
        found = self._maps.pop(prop, None)
        if found is not None:
            self._version += 1
            found.release()

    def patch_map(self, prop: str, column: int, row: int, values: Array) -> None:
        """Replace texels `(h, w, 4)` of a prop's painted map; nothing happens for a prop without any."""
        if prop in self._maps:
            height, width = values.shape[:2]
            self._maps[prop].write(np.ascontiguousarray(values).tobytes(), viewport=(column, row, width, height))

    def set_material(self, material: Material, lookup: MapLookup) -> None:
        """Take a material; it is compiled when first drawn."""
        self._version += 1
        self._materials[material.id] = (material, lookup)
        self.faults.pop(material.id, None)

    def set_scene(self, name: str, scene: Scene) -> None:
        """Replace a scene."""
        old = self._scenes.get(name)
        instances = []
        for draw in scene.draws:
            data = np.empty(
                len(draw.rows), dtype=[("matrix", np.float32, (4, 4)), ("row", np.int32), ("seed", np.float32)]
            )
            data["matrix"] = draw.matrices.transpose(0, 2, 1)
            data["row"] = draw.rows
            data["seed"] = draw.seeds
            instances.append(self.context.buffer(data.tobytes()))
        self._scene_count += 1
        new = GpuScene(scene, instances, serial=self._scene_count)
        if old is not None:
            if _same_shadow(old.scene, scene):
                new.shadow, new.to_shadow, new.shadow_texel = old.shadow, old.to_shadow, old.shadow_texel
            elif old.shadow is not None:
                old.shadow.release()
            self._drop_vaos(name)
            for buffer in old.instances:
                buffer.release()
            for table in old.tables.values():
                table.release()
        self._scenes[name] = new

    def set_row(self, scene: str, material: str, row: int, values: Array) -> None:
        """Replace one row of a material's table."""
        self._version += 1
        found = self._scenes.get(scene)
        if found is None or material not in found.scene.rows:
            return
        rows = found.scene.rows[material]
        if rows.flags.writeable is False:
            rows = rows.copy()
            found.scene.rows[material] = rows
        rows[row] = values
        for (name, *_), table in found.tables.items():
            if name == material:
                write_row(table, table.extra, row, rows[row])

    def set_shared(self, values: Mapping[str, float]) -> None:
        """Take the values of the shared dials; those not named are 0."""
        self._version += 1
        self._shared = dict(values)

    def set_light(
        self,
        direction: tuple[float, float, float],
        strength: float,
        sky: str | Environment = "morning",
        quick: bool = False,
    ) -> None:
        """Place the sun, and the sky around it; `quick` leaves the sky as it is."""
        d = np.array(direction, float)
        x, y, z = (float(c) for c in d / np.linalg.norm(d))
        if quick:
            self._place_sun(direction, strength)
        else:
            made = sky if isinstance(sky, Environment) else synthesised((x, y, z), sky=sky)
            self.set_environment(made, direction, strength)

    def set_environment(self, environment: Environment, direction: tuple[float, float, float], strength: float) -> None:
        """Light scenes with a given environment and a sun."""
        self._has_light = True
        self._place_environment(environment)
        self._place_sun(direction, strength)

    def _place_environment(self, environment: Environment) -> None:
        self._version += 1
        if self._reflections is None:
            self._reflections = self.context.texture_array((MAP_SIDE, MAP_SIDE, LEVELS), 3, dtype="f2")
            self._reflections.filter = (moderngl.LINEAR, moderngl.LINEAR)
            self._reflections.repeat_x = self._reflections.repeat_y = False
        self._reflections.write(environment.reflections.astype(np.float16).tobytes())
        self._compose["irradiance"].write(environment.irradiance.astype("f4").tobytes())

    def _place_sun(self, direction: tuple[float, float, float], strength: float) -> None:
        self._version += 1
        d = np.array(direction, float)
        self._sun = d / np.linalg.norm(d)
        self._compose["sun_direction"].value = tuple(self._sun)
        self._compose["sun_radiance"].value = tuple(SUN_COLOR * strength)
        for scene in self._scenes.values():
            if scene.shadow is not None:
                scene.shadow.release()
                scene.shadow = None

    # Pictures

    def picture(
        self,
        scene: str,
        eye: Eye,
        width: int,
        height: int,
        looks: tuple[str, ...] = ("lit",),
        sample: int = 0,
        stream: str = "main",
        backdrop: bool = True,
        marks: Marks | None = None,
        part: Part | None = None,
    ) -> Array:
        """Draw a scene: `(height, width × looks, 4) uint8`, top row first; samples after 0 refine the last picture."""
        buffers = self._sized(stream, width, height)
        found = self._scenes.get(scene) or GpuScene(Scene(), [])
        if self._reflections is None:
            self._place_environment(DARK)
            self._place_sun(*DEFAULT_LIGHT)
        if not self._has_light and found.scene.draws:
            self.set_light(*DEFAULT_LIGHT)
        projection = jittered(eye.projection, sample, width, height)
        pictures = []
        for batch in _batches(looks):
            detailed = any(look not in LOOKS[:7] for look in batch)
            probes = tuple(dict.fromkeys(look for look in batch if is_probe(look)))
            key = (found.serial, self._version, eye.projection.tobytes(), eye.view.tobytes(), detailed, probes, looks)
            if part is not None and marks is None and len(looks) == 1 and buffers.filled == key:
                projection = buffers.projection  # what is drawn again must fall on the very same pixels
                self._fill_part(found, buffers, projection @ eye.view, detailed, probes, part)
            else:
                self._fill(found, buffers, projection @ eye.view, detailed, probes, eye.position)
            buffers.filled, buffers.projection = (key if marks is None else None), projection
            for look in batch:
                self._compose_look(found, buffers, projection @ eye.view, eye, look, probes, backdrop)
                self._refine(buffers, sample, single=len(looks) == 1)
                buffers.limit(None)
                if marks is not None:
                    self._marks.draw(marks, self._meshes.get(marks.mesh), buffers, eye.projection @ eye.view)
                pictures.append(self._read(buffers))
        return np.concatenate(pictures, axis=1) if len(pictures) > 1 else pictures[0]

    def _sized(self, stream: str, width: int, height: int) -> Buffers:
        found = self._buffers.get(stream)
        if found is None or found.size != (width, height):
            if found is not None:
                found.release()
            self._buffers[stream] = found = new_buffers(self.context, width, height)
        return found

    def _fill(
        self,
        found: GpuScene,
        buffers: Buffers,
        view_projection: Array,
        detailed: bool,
        probes: tuple[str, ...],
        eye: Array,
    ) -> None:
        if found.shadow is None:
            self._cast(found)
        self._eye = eye
        buffers.gbuffer.use()
        buffers.gbuffer.clear(0, 0, 0, 0, depth=1.0)
        self.context.enable_only(moderngl.DEPTH_TEST)
        order = sorted(range(len(found.scene.draws)), key=lambda i: self._distance(found.scene.draws[i], eye))
        for i in order:
            self._draw(found, i, view_projection, detailed, probes)

    def _fill_part(
        self, found: GpuScene, buffers: Buffers, view_projection: Array, detailed: bool, probes: tuple[str, ...],
        part: Part,
    ) -> None:  # fmt: skip
        """Draw some triangles once more over what is there, and let only the place they are seen at be composed."""
        buffers.gbuffer.use()
        self.context.enable_only(moderngl.DEPTH_TEST)
        self.context.depth_func = "<="
        for i, draw in enumerate(found.scene.draws):
            mesh = self._meshes.get(draw.mesh)
            inside = (part.numbers >= draw.start) & (part.numbers < draw.start + draw.count)
            if draw.paint != part.prop or mesh is None or not inside.any():
                continue
            compiled = self._compiled(draw, detailed, probes)
            if compiled is None:
                continue
            self._bind(compiled, found, draw, mesh)
            compiled.program["view_projection"].write(view_projection.T.astype("f4").tobytes())
            indices = self.context.buffer(np.ascontiguousarray(part.corners[inside], np.uint32).tobytes())
            content = self._content(compiled.program, mesh, draw, found.instances[i])
            array = self.context.vertex_array(compiled.program, content, indices, skip_errors=True)
            array.render(instances=len(draw.rows))
            array.release()
            indices.release()
        self.context.depth_func = "<"
        width, height = buffers.size
        x0, x1 = (min(max(round(x * width) + d, 0), width) for x, d in ((part.box[0], -2), (part.box[2], 2)))
        y0, y1 = (min(max(round((1 - y) * height) + d, 0), height) for y, d in ((part.box[3], -2), (part.box[1], 2)))
        buffers.limit((x0, y0, max(x1 - x0, 1), max(y1 - y0, 1)))

    def _distance(self, draw: Draw, eye: Array) -> float:
        mesh = self._meshes.get(draw.mesh)
        if mesh is None or not len(draw.matrices):
            return 0.0
        centre = np.append(mesh.bounds.mean(axis=0), 1.0)
        return float(np.linalg.norm((draw.matrices @ centre)[:, :3] - eye, axis=1).min())

    def _draw(
        self, found: GpuScene, index: int, view_projection: Array, detailed: bool, probes: tuple[str, ...]
    ) -> None:
        draw = found.scene.draws[index]
        mesh = self._meshes.get(draw.mesh)
        if mesh is None or not draw.count or not len(draw.rows):
            return
        compiled = self._compiled(draw, detailed, probes)
        if compiled is None:
            self._run(self._fault, mesh, draw, found.instances[index], view_projection)
            return
        self._bind(compiled, found, draw, mesh)
        self._run(compiled.program, mesh, draw, found.instances[index], view_projection)

    def _compiled(self, draw: Draw, detailed: bool, probes: tuple[str, ...]) -> Compiled | None:
        name, source = draw.material, draw.on_map
        if name in self.faults:
            return None
        if name not in self._materials:
            self.faults[name] = "the material was never given"
            return None
        material, lookup = self._materials[name]
        try:
            if detailed:
                return self.shop.sheet(material, lookup, probes, source)
            return self.shop.view(material, lookup, source)
        except (ProgramFault, TypeError, ValueError, KeyError) as error:
            self.faults[name] = str(error)
            return None

    def _bind(self, compiled: Compiled, found: GpuScene, draw: Draw, mesh: GpuMesh) -> None:
        program, glsl = compiled.program, compiled.glsl
        self._table(found, draw.material, compiled).use(0)
        _set(program, "row_table", 0)
        _set(program, "row_shape", (glsl.layout.texels, ROWS_A_COLUMN))
        for i, reference in enumerate(glsl.textures):
            own = self._maps.get(draw.paint) if reference == OWN_MAP else None
            (own or self._textures.get(reference.name, self._grey)).use(i + 1)
            _set(program, f"map{i}", i + 1)
            _set(program, f"mean{i}", self._means.get(reference.name, (0.2, 0.2, 0.2, 1.0)))
        _set(program, "shared_camera_position", tuple(self._eye))
        for name in glsl.shared:
            if name in self._shared or name != "camera_position":
                _set(program, shared_uniform(name), self._shared.get(name, 0.0))
        for name in glsl.instance:
            if name == "seed":
                continue
            uv_set = int(name.removeprefix("metres"))
            _set(program, f"instance_{name}", mesh.metres[uv_set] if uv_set < len(mesh.metres) else (1.0, 1.0))

    def _table(self, found: GpuScene, material: str, compiled: Compiled) -> Any:
        # Two programs of one material may spill other values into places of the same names.
        key = (material, compiled.glsl.layout, tuple(compiled.glsl.spilled.values()))
        if key not in found.tables:
            table = row_table(self.context, compiled, found.scene.rows[material])
            found.tables[key] = table
        return found.tables[key]

    def _run(self, program: Any, mesh: GpuMesh, draw: Draw, instances: Any, view_projection: Array) -> None:
        program["view_projection"].write(view_projection.T.astype("f4").tobytes())
        self._vao(program, mesh, draw, instances).render(
            vertices=draw.count * 3, first=draw.start * 3, instances=len(draw.rows)
        )

    def _vao(self, program: Any, mesh: GpuMesh, draw: Draw, instances: Any) -> Any:
        key = (program.glo, draw.mesh, draw.paint, instances.glo)
        if key not in self._vaos:
            content = self._content(program, mesh, draw, instances)
            self._vaos[key] = self.context.vertex_array(program, content, mesh.indices, skip_errors=True)
        return self._vaos[key]

    def _content(self, program: Any, mesh: GpuMesh, draw: Draw, instances: Any) -> list[tuple[Any, ...]]:
        """The vertex streams that a program reads of a draw."""
        content: list[tuple[Any, ...]] = []
        named = [n for n in ("in_matrix", "in_row", "in_seed") if n in program]
        form = f"16f4 {'1i4' if 'in_row' in program else '1x4'} {'1f4' if 'in_seed' in program else '1x4'}/i"
        content.append((instances, form, *named))
        for name, buffer in mesh.streams.items():
            if f"in_{name}" in program:
                form = FORMATS_OF_FRAME.get(name) or ATTRIBUTES[name].format
                content.append((buffer, form, f"in_{name}"))
        return self._with_own_paint(program, content, draw.paint)

    def _drop_vaos(self, scene: str) -> None:
        used = {b.glo for b in self._scenes[scene].instances}
        for key in [k for k in self._vaos if k[3] in used]:
            self._vaos.pop(key).release()

    def _forget_arrays(self, mesh: str) -> None:
        for key in [k for k in self._vaos if k[1] == mesh]:
            self._vaos.pop(key).release()
        old = self._meshes.pop(mesh, None)
        if old is not None:
            for buffer in (*old.streams.values(), old.indices):
                buffer.release()

    def _cast(self, found: GpuScene) -> None:
        """Draw the sun's depth map for a scene; kept until the scene's shapes or the sun move."""
        low, high = self._scene_bounds(found.scene)
        centre, half = (low + high) / 2, max(float(np.linalg.norm(high - low)) / 2, 0.01)
        view = look_at(centre + self._sun * half * 1.01, centre)
        found.to_shadow = orthographic(half, half * 2.02) @ view
        found.shadow_texel = 2 * half / SHADOW_SIDE
        found.shadow = self.context.depth_texture((SHADOW_SIDE, SHADOW_SIDE))
        found.shadow.compare_func = "<="
        found.shadow.filter = (moderngl.LINEAR, moderngl.LINEAR)
        found.shadow.repeat_x = found.shadow.repeat_y = False
        target = self.context.framebuffer([], found.shadow)
        target.use()
        target.clear(depth=1.0)
        self.context.enable_only(moderngl.DEPTH_TEST)
        for draw, instances in zip(found.scene.draws, found.instances, strict=True):
            mesh = self._meshes.get(draw.mesh)
            if mesh is not None and draw.count and len(draw.rows):
                self._run(self._depth, mesh, draw, instances, found.to_shadow)
        target.release()

    def _with_own_paint(self, program: Any, content: list[tuple[Any, ...]], prop: str) -> list[tuple[Any, ...]]:
        """Vertex streams with a prop's own paint in place of the mesh's colour sets that it covers."""
        own = self._paint.get(prop)
        if own is None:
            return content
        covered = [f"in_color{i}" for i in range(own.sets)]
        streams = [c for c in content if c[2] not in covered]
        for i, name in enumerate(covered):
            if name in program:
                gaps = [f"{n}x1" if n else "" for n in (8 * i, 8 * (own.sets - 1 - i))]
                streams.append((own.buffer, f"{gaps[0]} 4u2 {gaps[1]}".strip(), name))
        return streams

    def _scene_bounds(self, scene: Scene) -> tuple[Array, Array]:
        corners = [np.zeros((1, 3))]
        for draw in scene.draws:
            mesh = self._meshes.get(draw.mesh)
            if mesh is not None and len(draw.matrices):
                x, y, z = np.meshgrid(*mesh.bounds.T)
                box = np.stack([x.ravel(), y.ravel(), z.ravel(), np.ones(8)])
                corners.append((draw.matrices @ box)[:, :3].transpose(0, 2, 1).reshape(-1, 3))
        points = np.concatenate(corners[1:] or corners)
        return points.min(axis=0), points.max(axis=0)

    def _compose_look(
        self, found: GpuScene, buffers: Buffers, view_projection: Array, eye: Eye, look: str, probes: tuple[str, ...],
        backdrop: bool,
    ) -> None:  # fmt: skip
        names = ("base", "shape", "finish", "extra", "paint", "wheres", "coverage", "depth")
        for unit, (name, texture) in enumerate(zip(names, [*buffers.attachments, buffers.depth], strict=True)):
            texture.use(unit)
            _set(self._compose, name, unit)
        for unit, (name, texture) in enumerate(
            (("shadow", found.shadow), ("reflections", self._reflections), ("split_sum", self._split_sum)), 8
        ):
            texture.use(unit)
            _set(self._compose, name, unit)
        index, channel = look_index(look, probes)
        _set(self._compose, "look", index)
        _set(self._compose, "channel", channel)
        _set(self._compose, "eye", tuple(eye.position))
        _set(self._compose, "shadow_texel", found.shadow_texel)
        grey = (0.43, 0.43, 0.43), (0.24, 0.24, 0.24)
        _set(self._compose, "backdrop_top", grey[0] if backdrop else (-1.0, 0.0, 0.0))
        _set(self._compose, "backdrop_bottom", grey[1])
        self._compose["from_clip"].write(np.linalg.inv(view_projection).T.astype("f4").tobytes())
        assert found.to_shadow is not None
        self._compose["to_shadow"].write(found.to_shadow.T.astype("f4").tobytes())

    def _refine(self, buffers: Buffers, sample: int, single: bool) -> None:
        if not single:
            self.context.enable_only(moderngl.NOTHING)
            buffers.output.use()
            self._compose_vao.render(vertices=3)
            return
        buffers.summing.use()
        if sample == 0:
            self.context.enable_only(moderngl.NOTHING)
            buffers.samples = 0
        else:
            self.context.enable_only(moderngl.BLEND)
            self.context.blend_func = moderngl.ONE, moderngl.ONE
        self._compose_vao.render(vertices=3)
        buffers.samples += 1
        self.context.enable_only(moderngl.NOTHING)
        buffers.output.use()
        buffers.total.use(0)
        _set(self._average, "total", 0)
        _set(self._average, "samples", float(buffers.samples))
        self._average_vao.render(vertices=3)

    def _read(self, buffers: Buffers) -> Array:
        width, height = buffers.size
        data = np.frombuffer(buffers.output.read(components=4), np.uint8).reshape(height, width, 4)
        return data[::-1]


def is_probe(look: str) -> bool:
    """Whether a look is an output of the material, by its name."""
    return ":" in look and look.partition(":")[0] in PROBES


def _batches(looks: tuple[str, ...]) -> Iterator[tuple[str, ...]]:
    """The looks in order, in runs of no more probes than a program gives at once."""
    batch: list[str] = []
    for look in looks:
        if is_probe(look) and len({p for p in batch if is_probe(p)} | {look}) > MAX_PROBES:
            yield tuple(batch)
            batch = []
        batch.append(look)
    yield tuple(batch)


def look_index(look: str, probes: tuple[str, ...]) -> tuple[int, int]:
    """The compose shader's numbers for a look. Raises ValueError for a name it does not know."""
    name, _, detail = look.partition(":")
    if look in LOOKS:
        return LOOKS.index(look), 0
    if name == "paint" and detail in ("R", "G", "B", "A"):
        return 8, "RGBA".index(detail)
    if is_probe(look):
        return 9, probes.index(look) if look in probes else 0
    raise ValueError(f"there is no look {look!r}")


def _same_shadow(a: Scene, b: Scene) -> bool:
    if len(a.draws) != len(b.draws):
        return False
    return all(
        (x.mesh, x.start, x.count) == (y.mesh, y.start, y.count) and np.array_equal(x.matrices, y.matrices)
        for x, y in zip(a.draws, b.draws, strict=True)
    )


def _set(program: Any, name: str, value: Any) -> None:
    """Set a uniform unless the compiler found it unused and dropped it."""
    if name in program:
        program[name].value = value
