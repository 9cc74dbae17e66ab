"""What the render process was given: sent once, counted by the scenes that use it, dropped when none does."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Iterable, Mapping
from typing import TYPE_CHECKING

import numpy as np

from jade_coat.ground.pages import Pages
from jade_coat.material.compile import structure
from jade_coat.material.material import Material
from jade_coat.material.shared import SharedValue
from jade_coat.material.surface import MapLookup
from jade_coat.mesh.painting import Paint, PaintMap
from jade_coat.program.types import Array
from jade_coat.stage.draws import Scene, ScenePatch
from jade_coat.stage.ground_grids import texels
from jade_coat.view import messages as m
from jade_coat.view.environment import Environment
from jade_coat.view.shared import Handle

if TYPE_CHECKING:  # what it is given, which the process can start without
    from jade_coat.maps.packing import Texture
    from jade_coat.mesh.data import MeshData


class Given(ABC):
    """Keeps everything the process was given, so that a new process can be given it again.

    Meshes and textures are sent when a scene or a material first names them. Whatever no scene uses is dropped by
    `sweep`, there and here.
    """

    def __init__(self) -> None:
        self._meshes: dict[str, MeshData] = {}
        self._measured: dict[str, frozenset[str]] = {}
        self._poses: dict[str, tuple[str, float]] = {}
        self._textures: dict[str, Texture] = {}
        self._paint: dict[str, Array] = {}
        self._maps: dict[str, tuple[PaintMap, list[Array]]] = {}
        self._grids: dict[str, tuple[Pages, ...]] = {}
        self._materials: dict[str, tuple[Material, MapLookup, dict[str, str]]] = {}
        self._scenes: dict[str, Scene] = {}
        self._sun: tuple[tuple[float, float, float], float, str | Environment] | None = None
        self._shared_values: Mapping[str, SharedValue] = {}

    @abstractmethod
    def send(self, message: m.Message) -> None:
        """Put a message into the outbox."""

    @abstractmethod
    def send_arrays(self, arrays: dict[str, Array], message: Callable[[dict[str, Handle]], m.Message]) -> None:
        """Send arrays in shared memory, by the message that names where they lie."""

    @abstractmethod
    def forget_stream(self, name: str) -> None:
        """Let go of a stream's pictures."""

    def give_again(self) -> None:
        """Send all of it to a process that has nothing."""
        if self._sun is not None:
            self.send(m.SetLight(*self._sun))
        if self._shared_values:
            self.send(m.SetShared(self._shared_values))
        for key, mesh in self._meshes.items():
            self._send_mesh(key, mesh)
        for texture in self._textures.values():
            self._send_texture(texture)
        for prop, values in self._paint.items():
            self._send_paint(prop, values)
        for prop, (last, tiles) in self._maps.items():
            self._send_map(prop, last.with_paint(Paint(tuple(tiles))))
        for key, grids in self._grids.items():
            self._send_grids(key, grids)
        for material, lookup, named in self._materials.values():
            self.send(m.SetMaterial(material, lookup, named))
        for name, scene in self._scenes.items():
            self.send(m.SetScene(name, scene.copy()))

    # What is let go

    def sweep(self) -> None:
        """Drop what no scene uses."""
        draws = [d for scene in self._scenes.values() for d in scene.drawn]
        decals = [d for scene in self._scenes.values() for d in scene.decals.values()]
        meshes, materials = {d.mesh for d in draws}, {d.material for d in draws} | {d.material for d in decals}
        props = {d.paint for d in draws} | {prop for d in draws for prop in d.paints.values()}
        textures = {key for i in materials if i in self._materials for key in self._materials[i][2].values()}
        gone = m.Drop(
            meshes=_unused(self._meshes, meshes), textures=_unused(self._textures, textures),
            paint=_unused(self._paint, props),
            maps=(*_unused(self._maps, props), *(k for k in self._grids if k.partition("\n")[0] not in props)),
            materials=_unused(self._materials, materials),
        )  # fmt: skip
        if gone == m.Drop():
            return
        for held, keys in (
            (self._meshes, gone.meshes), (self._poses, gone.meshes), (self._measured, gone.meshes),
            (self._textures, gone.textures), (self._paint, gone.paint), (self._maps, gone.maps),
            (self._grids, gone.maps), (self._materials, gone.materials),
        ):  # fmt: skip
            for key in keys:
                held.pop(key, None)
        self.send(gone)

    def drop_scenes(self, names: Iterable[str]) -> None:
        """Let go of scenes that are not shown any more, with the pictures of the streams that are called like them."""
        there = tuple(name for name in names if self._scenes.pop(name, None) is not None)
        if there:
            self.send(m.Drop(scenes=there))
            for name in there:
                self.forget_stream(name)
            self.sweep()

    def drop_all(self) -> None:
        """Let go of everything but the light: another project comes."""
        self.drop_scenes(list(self._scenes))
        self.sweep()

    # Meshes and materials

    def put_mesh(self, key: str, mesh: MeshData, measured: Iterable[str] = ()) -> None:
        """Send a mesh unless it is there already; `measured` names measured streams that are wanted too.

        They take a while to work out, and stay with the mesh once they were wanted.
        """
        same = self._meshes.get(key) is mesh
        wanted = frozenset(measured) | (self._measured.get(key, frozenset()) if same else frozenset())
        if not same or wanted != self._measured.get(key):
            self._meshes[key], self._measured[key] = mesh, wanted
            self._send_mesh(key, mesh)

    def pose_mesh(self, key: str, clip: str, time: float) -> None:
        """Put a mesh that is there where it is at a time of a clip, unless it is there already; to rest without one."""
        mesh, wanted = self._meshes.get(key), (clip, time if clip else 0.0)
        if mesh is not None and mesh.motion is not None and self._poses.get(key, ("", 0.0)) != wanted:
            self._poses[key] = wanted
            self.send(m.PoseMesh(key, *wanted))

    def set_material(self, material: Material, lookup: MapLookup, textures: Mapping[str, Texture]) -> None:
        """Send a material and those of its textures that are not there yet, by the names it reads them under."""
        for texture in textures.values():
            if texture.key not in self._textures:
                self._textures[texture.key] = texture
                self._send_texture(texture)
        named = {name: texture.key for name, texture in textures.items()}
        old = self._materials.get(material.id)
        self._materials[material.id] = (material, lookup, named)
        # Numbers are read from the rows of a scene: a material that differs in them alone need not be sent.
        if old is None or old[1] is not lookup or not _draw_alike(old[0], material):
            self.send(m.SetMaterial(material, lookup, named))
        elif old[2] != named:
            self.send(m.NameTextures(material.id, named))

    def has_material(self, material: str) -> bool:
        """Whether the process has a material under this id."""
        return material in self._materials

    def compile_ahead(self, materials: Iterable[str]) -> None:
        """Have the programs of some materials made ready before a picture asks for them."""
        wanted = tuple(materials)
        if wanted:
            self.send(m.CompileAhead(wanted))

    def _send_mesh(self, key: str, mesh: MeshData) -> None:
        from jade_coat.mesh.attributes import mesh_numbers, mesh_streams

        numbers = mesh_numbers(mesh)
        streams = mesh_streams(mesh, self._measured.get(key, ()))

        def message(handles: dict[str, Handle]) -> m.PutMesh:
            return m.PutMesh(key, {name: handles[name] for name in streams}, handles["triangles"], numbers)

        self.send_arrays({**streams, "triangles": mesh.triangles}, message)
        if mesh.motion is not None:
            data = np.frombuffer(mesh.motion.to_bytes(), np.uint8)
            self.send_arrays({"data": data}, lambda handles: m.PutMotion(key, handles["data"]))
            if key in self._poses:
                self.send(m.PoseMesh(key, *self._poses[key]))

    def _send_texture(self, texture: Texture) -> None:
        levels = {str(i): level for i, level in enumerate(texture.levels)}
        self.send_arrays(levels, lambda handles: m.PutTexture(texture.key, texture.is_color, tuple(handles.values())))

    # Paint

    def put_paint(self, prop: str, values: Array) -> None:
        """Send all of a prop's paint."""
        self._paint[prop] = values.copy()
        self._send_paint(prop, values)

    def patch_paint(self, prop: str, start: int, values: Array) -> None:
        """Send a run of a prop's paint."""
        if prop in self._paint:
            self._paint[prop][start : start + len(values)] = values
            self.send(m.PatchPaint(prop, start, values))

    def put_map(self, prop: str, paint_map: PaintMap) -> None:
        """Bring a prop's painted map up to date: all of it where it is new, else the tiles that differ."""
        known = self._maps.get(prop)
        if known is None or (known[0].side, known[0].bits) != (paint_map.side, paint_map.bits):
            self._maps[prop] = (paint_map, list(paint_map.paint.tiles))
            self._send_map(prop, paint_map)
            return
        tiles = known[1]
        self._maps[prop] = (paint_map, tiles)
        for i, tile in enumerate(paint_map.paint.tiles):
            if tiles[i] is not tile:
                if not np.array_equal(tiles[i], tile):
                    self._send_tile(prop, paint_map, i, tile)
                tiles[i] = tile

    def drop_map(self, prop: str) -> None:
        """Let go of a prop's painted map."""
        if self._maps.pop(prop, None) is not None:
            self.send(m.Drop(maps=(prop,)))

    def patch_map(self, prop: str, tile: int, values: Array) -> None:
        """Send one tile of a prop's painted map."""
        if prop in self._maps:
            paint_map, tiles = self._maps[prop]
            tiles[tile] = values.copy()
            self._send_tile(prop, paint_map, tile, tiles[tile])

    def put_grids(self, key: str, grids: tuple[Pages, ...]) -> None:
        """Bring a map of a ground up to date, by its key: one grid of heights, or up to four of weights.

        All of it is sent where it is new, else the tiles that differ.
        """
        known = self._grids.get(key)
        self._grids[key] = grids
        if known is None or [(g.rows, g.columns) for g in known] != [(g.rows, g.columns) for g in grids]:
            self._send_grids(key, grids)
            return
        changed = {tile for old, new in zip(known, grids, strict=True) if old is not new
                   for tile in new.changed_from(old)}  # fmt: skip
        for tile in sorted(changed):
            top, _, left, _ = grids[0].rect(tile)
            self.send(m.PatchMap(key, left, top, texels([g.tile(tile) for g in grids])))

    def _send_grids(self, key: str, grids: tuple[Pages, ...]) -> None:
        values = texels([g.whole() for g in grids])
        self.send_arrays({"values": values}, lambda handles: m.PutMap(key, handles["values"]))

    def paint_of(self, prop: str) -> Array | None:
        """The paint the process was last given for a prop."""
        return self._paint.get(prop)

    def _send_tile(self, prop: str, paint_map: PaintMap, tile: int, values: Array) -> None:
        column, row = paint_map.corner(tile)
        edge = paint_map.tile_side
        self.send(m.PatchMap(prop, column, row, values.reshape(edge, edge, 4)))

    def _send_map(self, prop: str, paint_map: PaintMap) -> None:
        self.send_arrays({"values": paint_map.picture()}, lambda handles: m.PutMap(prop, handles["values"]))

    def _send_paint(self, prop: str, values: Array) -> None:
        self.send_arrays({"values": values}, lambda handles: m.PutPaint(prop, handles["values"]))

    # Scenes and light

    def set_scene(self, name: str, scene: Scene) -> None:
        """Send a scene."""
        self._scenes[name] = scene.copy()
        self.send(m.SetScene(name, scene))

    def patch_scene(self, name: str, patch: ScenePatch) -> None:
        """Send what becomes of a scene."""
        patch.apply(self._scenes[name])
        self.send(m.PatchScene(name, patch))

    def set_shared(self, values: Mapping[str, SharedValue]) -> None:
        """Send the values of the shared dials, unless they are so already."""
        if values != self._shared_values:
            self._shared_values = dict(values)
            self.send(m.SetShared(self._shared_values))

    def set_light(
        self, direction: tuple[float, float, float], strength: float, sky: str | Environment, quick: bool = False
    ) -> None:
        """Place the sun and the sky, unless they are so already; `quick` moves the sun alone for now."""
        wanted = (direction, strength, sky)
        if quick or self._sun is None or self._sun[:2] != wanted[:2] or self._sun[2] is not sky:
            self._sun = wanted if not quick else None
            self.send(m.SetLight(direction, strength, sky, quick))


def _draw_alike(a: Material, b: Material) -> bool:
    return a is b or (a.cut == b.cut and structure(a) == structure(b))


def _unused(held: Iterable[str], used: set[str]) -> tuple[str, ...]:
    return tuple(key for key in held if key not in used)
