"""Scenes on the GPU: the instances of their draws, and the tables of their dial rows."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace
from typing import Any

import moderngl
import numpy as np

from jade_coat.program.numpy_backend import Environment, evaluate
from jade_coat.program.types import Array
from jade_coat.stage.draws import NO_DRAW, Draw, DrawPatch, Scene, ScenePatch
from jade_coat.stage.lamps import LampDraw
from jade_coat.stage.look_tables import ROWS_A_COLUMN
from jade_coat.view.crowd_tables import member_table, write_members
from jade_coat.view.programs import Compiled
from jade_coat.view.standing import Standing

INSTANCE = [
    ("rows", np.float32, (3, 4)), ("row", np.int32), ("owner", np.int32), ("number", np.int32), ("seed", np.float32),
]  # fmt: skip
ALL = slice(None)


@dataclass
class Seen:
    """The seen instances of a draw in a buffer, and what they follow from.

    `outside` tells that the camera is inside of none of them, and none is turned inside out.
    """

    key: object
    buffer: Any
    count: int
    outside: bool = False


@dataclass
class Depths:
    """Depth maps of a scene, seen from where light comes; they stay until what they follow from is another.

    `rows` `(n, 4)` are those of the matrices into them, `texel` the size of a texel in metres, `side` how many there
    are across one.
    """

    texture: Any = None
    is_cast: bool = False
    cast_from: object = None
    """What they follow from beside shapes, where materials leave points out."""
    still_from: object = None
    """The same without the clock and the wind."""
    made: int = 0
    """Counts up whenever they are drawn."""
    rows: Array = field(default_factory=lambda: np.zeros((0, 4)))
    texel: float = 0.0
    side: int = 0
    late: bool = False
    """Whether the maps are to be drawn anew once the view stands still."""
    far_rows: Array = field(default_factory=lambda: np.eye(4))
    far_texel: float = 0.0
    """The matrix into the second map of the sun beside the first, and the size of its texels; 0 where there is none."""

    def release(self) -> None:
        """Free the texture."""
        if self.texture is not None:
            self.texture.release()


@dataclass
class GpuScene:
    """A scene's draws with what they need on the GPU."""

    scene: Scene
    instances: list[Any]
    tables: dict[tuple[object, ...], Any] = field(default_factory=dict)
    sun: Depths = field(default_factory=Depths)
    sky: Depths = field(default_factory=Depths)
    """From many ways of the sky, to know how much of it a place sees."""
    lamps: Depths = field(default_factory=Depths)
    lamps_cast: dict[str, tuple[object, LampDraw, int]] = field(default_factory=dict)
    """By lamp, what its part of the depth maps follows from."""
    moves: int = 0
    """Counts up with every change of a shape."""
    serial: int = 0
    """Another for every scene that is set."""
    seen: dict[int, Seen] = field(default_factory=dict)
    """What the camera that looked last sees of draws of many instances (`culling`)."""
    crowds: dict[int, Any] = field(default_factory=dict)
    """The instances as pixels read them (`crowd_tables`), of draws that were drawn as crowds."""
    freed: list[int] = field(default_factory=list)
    """Buffers (by OpenGL name) that are gone."""
    stood: object = None
    """What the pieces of scatters follow from that its draws hold (`strewn`)."""
    balls: dict[str, Any] = field(default_factory=dict)
    """Round the cells of scatters."""
    land: Any = None
    """The land from above, for what settles on it (`passes.land`)."""
    pages: dict[str, Any] = field(default_factory=dict)
    """The pages that grounds are drawn from afar by, by ground (`passes.baked`)."""
    casting: dict[int, Draw] = field(default_factory=dict)
    """The draws of pieces that throw shadows, whatever an eye sees."""

    stands: dict[int, Standing] = field(default_factory=dict)
    """Where the instances of draws stand, of those that were asked for."""

    def standing(self, index: int, bounds: Array) -> Standing:
        """Where the instances of a draw of a mesh with `bounds` `(2, 3)` stand."""
        known = self.stands.get(index)
        if known is None or known.bounds is not bounds:
            known = self.stands[index] = Standing(self.scene.draws[index], bounds)
        return known

    def table(self, context: Any, material: str, compiled: Compiled) -> Any:
        """The rows of a material as a texture, for one of its programs."""
        # Two programs of one material may spill other values into places of the same names.
        key = (material, compiled.glsl.layout, tuple(compiled.glsl.spilled.values()))
        if key not in self.tables:
            self.tables[key] = row_table(context, compiled, self.scene.rows[material])
        return self.tables[key]

    def cast_anew(self) -> None:
        """Have all depth maps drawn anew: a shape has moved."""
        self.moves += 1
        self.casting = {}
        self.sun.is_cast = self.sky.is_cast = False

    def let_go(self, index: int) -> None:
        """Free what is kept of who is seen of a draw."""
        gone = self.seen.pop(index, None)
        if gone is not None:
            self.freed.append(gone.buffer.glo)
            gone.buffer.release()

    def release(self) -> None:
        """Free what it holds on the GPU."""
        for depths in (self.sun, self.sky, self.lamps):
            depths.release()
        for kept in (self.land, *self.pages.values()):
            if kept is not None:
                kept.release()
        for index in list(self.seen):
            self.let_go(index)
        for thing in (*self.instances, *self.tables.values(), *self.crowds.values()):
            thing.release()

    def crowd(self, context: Any, index: int) -> Any:
        """The instances of a draw as pixels read them."""
        if index not in self.crowds:
            self.crowds[index] = member_table(context, self.scene.draws[index])
        return self.crowds[index]

    def write_crowd(self, index: int, low: int, high: int) -> None:
        """Instances of a draw, from one number to another, are others now."""
        if index in self.crowds and not write_members(self.crowds[index], self.scene.draws[index], low, high):
            self.crowds.pop(index).release()


class GpuScenes:
    """All scenes by name."""

    def __init__(self, context: Any, number_of: Callable[[str], int]) -> None:
        """`number_of` gives the number that instances show a prop's own paint by (`paint_pages`)."""
        self._context, self._number_of = context, number_of
        self._count = 0
        self._empty = GpuScene(Scene(), [])
        self.by_name: dict[str, GpuScene] = {}
        self.freed: list[int] = []
        """Instance buffers (by OpenGL name) that are gone, of scenes that are gone too."""

    def get(self, name: str) -> GpuScene:
        """A scene, empty where none was set."""
        return self.by_name.get(name, self._empty)

    def set(self, name: str, scene: Scene) -> None:
        """Replace a scene; the sun's depth map stays where no shape has moved."""
        old = self.by_name.get(name)
        self._count += 1
        scene.draws = [self._owned(draw) for draw in scene.draws]
        new = GpuScene(scene, [self._buffer(d) for d in scene.draws], serial=self._count)
        if old is not None:
            if _same_shadow(old.scene, scene):
                new.sun, new.sky, new.lamps, new.moves = old.sun, old.sky, old.lamps, old.moves
                new.lamps_cast = old.lamps_cast
                old.sun, old.sky, old.lamps = Depths(), Depths(), Depths()
            self._free(old)
        self.by_name[name] = new

    def drop(self, names: Iterable[str]) -> None:
        """Let go of scenes that are not shown any more."""
        for name in names:
            gone = self.by_name.pop(name, None)
            if gone is not None:
                self._free(gone)

    def patch(self, name: str, patch: ScenePatch) -> None:
        """Change what becomes of a scene; nothing happens for one that is not there."""
        found = self.by_name.get(name)
        if found is None:
            return
        if patch.moves(found.scene):
            found.cast_anew()
        elif patch.strewn:
            found.moves, found.casting, found.sun.late = found.moves + 1, {}, True
        patch.apply(found.scene)
        self._count += 1
        found.serial, found.casting = self._count, {}
        for number, part in patch.draws.items():
            self._write_instances(found, number, part)
        for key in [k for k in found.tables if k[0] in patch.tables]:
            found.tables.pop(key).release()
        for key, table in found.tables.items():
            owner = str(key[0])
            for row in patch.rows[owner][0] if owner in patch.rows else ():
                write_row(table, table.extra, int(row), found.scene.rows[owner][row])

    def _owned(self, draw: Draw, patch: DrawPatch | None = None) -> Draw:
        """A draw with the numbers of the props whose paint its instances show; of a patch only those that it tells."""
        if not draw.paints:
            return replace(draw, owners=NO_DRAW.owners) if len(draw.owners) else draw
        owners = np.zeros(len(draw.rows), np.int32)
        told: Iterable[int] = draw.paints
        if patch is not None and patch.made is None:
            kept = min(len(draw.owners), len(owners))
            owners[:kept] = draw.owners[:kept]
            owners[patch.places] = 0
            told = [place for place in patch.places.tolist() if place in draw.paints]
        for place in told:
            owners[place] = self._number_of(draw.paints[place])
        return replace(draw, owners=owners)

    def _write_instances(self, found: GpuScene, number: int, patch: DrawPatch) -> None:
        draw = found.scene.draws[number] = self._owned(found.scene.draws[number], patch)
        found.instances += [None] * (number + 1 - len(found.instances))
        held = found.instances[number]
        size = max(len(draw.rows), 1) * np.dtype(INSTANCE).itemsize
        if patch.made is None and held is not None and held.size == size:
            low, high = (int(patch.places.min()), int(patch.places.max()) + 1) if len(patch.places) else (0, 0)
            data = instance_data(draw, slice(low, high))
            held.write(data.tobytes(), offset=low * data.itemsize)
            found.write_crowd(number, low, high)
            if number in found.stands:
                found.stands[number].moved(draw, patch.places)
            return
        self.put_instances(found, number, draw)

    def put_instances(self, found: GpuScene, number: int, draw: Draw) -> None:
        """Give a draw other instances."""
        found.scene.draws[number] = draw
        found.let_go(number)
        found.stands.pop(number, None)
        held = found.instances[number]
        if held is not None:
            self.freed.append(held.glo)
            held.release()
        found.instances[number] = self._buffer(draw)
        found.write_crowd(number, 0, len(draw.rows))

    def _buffer(self, draw: Draw) -> Any:
        data = instance_data(draw)
        return self._context.buffer(data.tobytes()) if len(data) else self._context.buffer(reserve=data.itemsize)

    def take_freed(self) -> frozenset[int]:
        """The buffers that have gone since this was last asked."""
        gone = frozenset({*self.freed, *(glo for scene in self.by_name.values() for glo in scene.freed)})
        self.freed = []
        for scene in self.by_name.values():
            scene.freed = []
        return gone

    def sun_moved(self) -> None:
        """Forget every depth map of the sun."""
        for scene in (self._empty, *self.by_name.values()):
            scene.sun.is_cast = False

    def cast_anew(self) -> None:
        """Forget every depth map of the sun, and of the sky for when the view stands still: a mesh moves by itself."""
        for scene in self.by_name.values():
            known = scene.sky.is_cast
            scene.cast_anew()
            scene.sky.is_cast, scene.sky.late = known, True

    def _free(self, scene: GpuScene) -> None:
        self.freed += [buffer.glo for buffer in scene.instances]
        scene.release()
        self.freed += scene.freed


def instance_data(draw: Draw, chosen: slice | Array = ALL) -> Array:
    """What the vertex stage reads of the instances of a draw, or of some of them: `(n,)` of `INSTANCE`."""
    rows = draw.rows[chosen]
    data = np.empty(len(rows), dtype=INSTANCE)
    data["rows"] = draw.matrices[chosen, :3]
    data["row"] = rows
    data["seed"] = draw.seeds[chosen]
    data["number"] = np.arange(len(draw.rows))[chosen]
    data["owner"] = draw.owners[chosen] if len(draw.owners) else 0
    return data


def row_table(context: Any, compiled: Compiled, rows: Array) -> Any:
    """A float texture of rows `(n, floats)`, in columns of `ROWS_A_COLUMN`, for one compiled program."""
    full = extended_rows(compiled, rows)
    texels = compiled.glsl.layout.texels
    columns = -(-len(full) // ROWS_A_COLUMN)
    high = min(len(full), ROWS_A_COLUMN)
    grid = np.zeros((high, columns * texels * 4), np.float32)
    for c in range(columns):
        part = full[c * ROWS_A_COLUMN : (c + 1) * ROWS_A_COLUMN]
        grid[: len(part), c * texels * 4 : (c + 1) * texels * 4] = part
    table = context.texture((columns * texels, high), 4, grid.tobytes(), dtype="f4")
    table.filter = (moderngl.NEAREST, moderngl.NEAREST)
    table.extra = compiled
    return table


def extended_rows(compiled: Compiled, rows: Array) -> Array:
    """Rows with the spilled values behind them, worked out by the NumPy back end."""
    glsl = compiled.glsl
    if not glsl.spilled:
        return rows
    full = np.zeros((len(rows), glsl.layout.texels * 4), np.float32)
    full[:, : rows.shape[1]] = rows
    dials = glsl.layout.columns(full)
    for name, values in evaluate(glsl.spilled, Environment(dials=dials)).items():
        texel, at = glsl.layout.places[name]
        full[:, texel * 4 + at : texel * 4 + at + len(values)] = values.T
    return full


def write_row(table: Any, compiled: Compiled, row: int, values: Array) -> None:
    """Replace one row of a table."""
    texels = compiled.glsl.layout.texels
    at = ((row // ROWS_A_COLUMN) * texels, row % ROWS_A_COLUMN, texels, 1)
    table.write(extended_rows(compiled, values[None]).tobytes(), viewport=at)


def _same_shadow(a: Scene, b: Scene) -> bool:
    if len(a.draws) != len(b.draws):
        return False
    if a.strewn or b.strewn:
        return False
    return all(
        (x.mesh, x.start, x.count) == (y.mesh, y.start, y.count) and np.array_equal(x.matrices, y.matrices)
        for x, y in zip(a.draws, b.draws, strict=True)
    )
