"""Draws a scene as depth alone, as a light sees it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from functools import partial
from typing import Any

import moderngl
import numpy as np

from jade_coat.material.splitting import LIVE
from jade_coat.mesh.attributes import COLOR_STREAMS
from jade_coat.program.types import Array
from jade_coat.stage.draws import Draw, Scene
from jade_coat.view.camera import planes
from jade_coat.view.context import HEADER, shader
from jade_coat.view.culling import FEWEST, box_around, reach_in
from jade_coat.view.drawing import Drawer
from jade_coat.view.frame import Frame
from jade_coat.view.gpu_scenes import GpuScene, instance_data
from jade_coat.view.standing import Standing, between
from jade_coat.view.strewn import casting
from jade_coat.view.vertex import VertexPart, vertex_source

Chooses = Callable[[Array, Array], Array]
"""Tells of balls, by middles `(n, 3)` and radii `(n,)`, which throw a shadow: `(n,) bool`."""


class Caster:
    """Draws what throws a shadow into the depth map that is in use."""

    def __init__(self, drawer: Drawer) -> None:
        self._drawer = drawer
        self._program = drawer.context.program(
            vertex_shader=vertex_source(VertexPart()), fragment_shader=HEADER + shader("depth.frag")
        )

    def follows(self, found: GpuScene, live: bool = True) -> object:
        """What depth maps follow from beside shapes and lights: all that opacity may follow from, where it matters.

        Without what is `live`, it stays the same while the clock alone runs.
        """
        parts: list[object] = []
        for draw in found.scene.drawn:
            if self._drawer.assets.surface_kind(draw.material).casts == "none":
                parts.append(draw.material)
            elif self._by_material(draw.material):
                parts.append(self._follows(found, draw, live))
        return tuple(parts)

    def _follows(self, found: GpuScene, draw: Draw, live: bool) -> object:
        """What the depth of a draw follows from, where its material cuts or moves it: rows, maps, paint, the clock."""
        drawer, name = self._drawer, draw.material
        compiled = drawer.compiled(draw, drawer.shop.shadow, in_earnest=False)
        if compiled is None:
            return name
        shared = tuple(repr(drawer.shared.get(n)) for n in compiled.glsl.shared if live or n not in LIVE)
        paints = draw.paint or any(s in COLOR_STREAMS for s in compiled.streams)
        painted = (drawer.assets.version, drawer.assets.patches) if paints else 0
        rows = hash(found.scene.rows[name].tobytes())
        return (name, drawer.assets.material_versions.get(name, 0), rows, shared, painted)

    def _by_material(self, material: str) -> bool:
        """Whether what a material casts follows from more than the mesh: where it is cut, and how it is moved."""
        assets = self._drawer.assets
        if assets.moves(material):
            return True
        cut = assets.surface_kind(material).casts not in ("whole", "none")
        return cut and not self._drawer.shop.is_solid(*assets.materials[material])

    def _casting(self, found: GpuScene) -> list[tuple[int, Draw]]:
        assets = self._drawer.assets
        return [
            (i, self._all_of(found, i) if d.strewn else d) for i, d in enumerate(found.scene.draws)
            if d.is_near and d.count and (len(d.rows) or d.strewn) and d.mesh in assets.meshes
            and assets.surface_kind(d.material).casts != "none"
        ]  # fmt: skip

    def _all_of(self, found: GpuScene, index: int) -> Draw:
        """The draw of a scatter with all pieces that throw shadows, not those that an eye sees alone."""
        if index not in found.casting:
            found.casting[index] = casting(found, index, *(self.land(found.scene) or self.bounds(found.scene)))
        return found.casting[index]

    def triangles(self, found: GpuScene) -> int:
        """How many triangles all that throws a shadow has."""
        return sum(d.count * len(d.rows) for _, d in self._casting(found))

    def chosen(self, gpu: GpuScene, chooses: Chooses) -> dict[int, Array]:
        """The numbers of the instances that throw a shadow, by those of their draws; draws without any are left out."""
        found: dict[int, Array] = {}
        scene = gpu.scene
        for index, draw in self._casting(gpu):
            material = self._drawer.assets.material(draw.material)
            bounds = self._drawer.assets.meshes[draw.mesh].bounds
            there = casting_instances(draw)
            numbers = there[chooses(*_standing(gpu, index, draw, bounds).balls(there, reach_in(scene, material)))]
            if len(numbers):
                found[index] = numbers
        return found

    def cast(
        self, found: GpuScene, views: list[tuple[Array, tuple[int, int, int, int]]], target: Any, frame: Frame,
        chosen: dict[int, Array] | None = None, texel: float = 0.0,
    ) -> None:  # fmt: skip
        """Draw depth by some matrices `(4, 4)`, each into a part of a target (left, bottom, width, height).

        `chosen` are the instances by draw, as `chosen` gives them; None for all. What is finer than a `texel`, metres,
        may be left out.
        """
        for index, draw in self._casting(found):
            if texel and (draw.grid is not None or draw.strewn):
                continue  # seen coarsely a ground and its grass would lie over it and shut its own sky out
            numbers = chosen.get(index) if chosen is not None else casting_instances(draw)
            if numbers is not None and len(numbers):
                self._cast_one(found, index, draw, numbers, views, target, frame, texel)
        target.viewport = (0, 0, target.width, target.height)

    def _cast_one(
        self, found: GpuScene, index: int, draw: Draw, numbers: Array,
        views: list[tuple[Array, tuple[int, int, int, int]]], target: Any, frame: Frame, texel: float,
    ) -> None:  # fmt: skip
        mesh, context = self._drawer.assets.meshes[draw.mesh], self._drawer.context
        program, compiled = self._program, None
        standing = _standing(found, index, draw, mesh.bounds)
        if self._by_material(draw.material):
            compiled = self._drawer.compiled(draw, self._drawer.shop.shadow)
        if compiled is not None:
            program = compiled.program
            self._drawer.bind(compiled, found, draw, mesh, frame.eye.position)
        elif (
            not texel and len(draw.rows) >= FEWEST and mesh.is_closed(draw.start, draw.count) and standing.upright.all()
        ):
            context.enable(moderngl.CULL_FACE)  # what is closed throws the shadow of its outside
        programs = [program]
        if self._drawer.has_fill(found.scene, draw):
            inner = self._drawer.compiled(draw, partial(self._drawer.shop.shadow, inner=True))
            if inner is not None:
                self._drawer.bind(inner, found, draw, mesh, frame.eye.position)
                programs.append(inner.program)
        reach = reach_in(found.scene, self._drawer.assets.material(draw.material))
        balls = standing.balls(numbers, reach)
        cell = texel / max(float(standing.sizes.max(initial=0.0)), 1e-9)
        for matrix, part in views:
            target.viewport = part
            with self._seen(found, index, draw, numbers[between(balls, planes(matrix))]) as (instances, count):
                for program in programs if count else ():
                    if texel:
                        self._drawer.run_coarse(program, draw, instances, matrix, count, cell)
                    else:
                        self._drawer.run(program, draw, instances, matrix, count)
        context.disable(moderngl.CULL_FACE)

    @contextmanager
    def _seen(self, found: GpuScene, index: int, draw: Draw, numbers: Array) -> Iterator[tuple[Any, int]]:
        """The buffer of some instances of a draw, and how many they are."""
        if not len(numbers) or (len(numbers) == len(draw.rows) and not draw.strewn):
            yield found.instances[index], len(numbers)
            return
        instances = self._drawer.context.buffer(instance_data(draw, numbers).tobytes())
        yield instances, len(numbers)
        self._drawer.forget(instances)
        instances.release()

    def bounds(self, scene: Scene) -> tuple[Array, Array]:
        """The box `(3,)` to `(3,)` around all that stands there, by the boxes of the meshes; without any, of the land.

        A ground reaches far: shadows would be coarse if all of it were in the box.
        """
        things = [d for d in scene.drawn if not d.strewn]
        return self._box(scene, [d for d in things if d.grid is None] or things)

    def land(self, scene: Scene) -> tuple[Array, Array] | None:
        """The box around the grounds, as far as `LAND` from what stands there; None where there are none."""
        grounds = [d for d in scene.drawn if d.grid is not None]
        if not grounds or len(grounds) == len(scene.drawn):
            return None
        (low, high), (land_low, land_high) = self.bounds(scene), self._box(scene, grounds)
        middle = (low + high) / 2
        reach = np.maximum((high - low) / 2, LAND)
        land_low, land_high = np.maximum(land_low, middle - reach), np.minimum(land_high, middle + reach)
        return np.minimum(land_low, low), np.maximum(land_high, high)

    def _box(self, scene: Scene, draws: list[Draw]) -> tuple[Array, Array]:
        low, high = [], []
        for draw in draws:
            mesh = self._drawer.assets.meshes.get(draw.mesh)
            if mesh is not None:
                reach = reach_in(scene, self._drawer.assets.material(draw.material))
                lowest, highest = box_around(draw, mesh.bounds, reach)
                low.append(lowest)
                high.append(highest)
        return np.min(low or [np.zeros(3)], axis=0), np.max(high or [np.zeros(3)], axis=0)


LAND = 48.0
"""How far from what stands there land is in the sun's second map, metres."""
GROUND_PARTS = 16
"""Into how many parts across a ground falls that throws a shadow, whatever the camera sees of it."""


def casting_instances(draw: Draw) -> Array:
    """The numbers of the instances of a draw that throw shadows: of the parts of a ground those of one size."""
    if draw.grid is None:
        return np.arange(len(draw.rows))
    level = max(draw.grid.levels - GROUND_PARTS.bit_length(), 0)
    return np.flatnonzero(np.rint(np.log2(draw.matrices[:, 0, 0] / draw.grid.leaf[0])) == level)


def depth_map(context: Any, size: tuple[int, int]) -> Any:
    """A depth texture that compares."""
    made = context.depth_texture(size)
    made.compare_func = "<="
    made.filter = (moderngl.LINEAR, moderngl.LINEAR)
    made.repeat_x = made.repeat_y = False
    return made


def _standing(found: GpuScene, index: int, draw: Draw, bounds: Array) -> Standing:
    """Where the instances of a draw stand; of a scatter they are others than those that an eye sees."""
    return Standing(draw, bounds) if draw.strewn else found.standing(index, bounds)
