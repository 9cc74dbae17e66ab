"""What the render process was given to draw with: meshes, textures, paint and materials, until they are dropped."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from jade_coat.maps.packing import Texture
from jade_coat.material.kinds import KINDS, SurfaceKind, kind_of
from jade_coat.material.material import Material
from jade_coat.material.specials import AS_DECAL
from jade_coat.material.stacking import StackedMaterial
from jade_coat.material.surface import MapLookup
from jade_coat.mesh.attributes import STREAMS
from jade_coat.mesh.motion import Motion
from jade_coat.program.samplers import Kind
from jade_coat.program.types import Array
from jade_coat.program.value import TextureRef
from jade_coat.view.gl_texture import RGBA8, RGBA16, GlCalls, GlTexture
from jade_coat.view.gpu_mesh import GpuMesh
from jade_coat.view.paint_pages import PaintPages
from jade_coat.view.touched import Touched


@dataclass(frozen=True)
class GpuTexture:
    """A texture on the GPU, and its mean texel in linear light."""

    texture: GlTexture
    mean: tuple[float, ...]


@dataclass(frozen=True)
class _Array:
    """An array of textures, and the materials that read it."""

    texture: GlTexture
    users: set[str]


class GpuAssets:
    """Meshes, textures, paint and materials by their keys; what is put under a key replaces what was there."""

    def __init__(self, context: Any) -> None:
        self._context = context
        self.meshes: dict[str, GpuMesh] = {}
        self.textures: dict[str, GpuTexture] = {}
        self.paint = PaintPages(context)
        self.maps: dict[str, Any] = {}
        self.materials: dict[str, tuple[Material, MapLookup]] = {}
        self._named: dict[str, dict[str, str]] = {}
        self._arrays: dict[tuple[str, ...], _Array] = {}
        self._gl = GlCalls(context)
        self.faults: dict[str, str] = {}
        """Why a material cannot be drawn, by its id."""
        self.material_versions: dict[str, int] = {}
        self.touched = Touched()
        """Counts up with every change of a material or its textures, by its id."""
        self.version = 0
        """Counts up with every change that a picture may follow from, but patches of paint."""
        self.patches = 0
        """Counts up with every patch of paint."""
        self.replaced: list[str] = []
        """Keys of meshes whose buffers are others now; whoever kept them takes the list and clears it."""

    def put_mesh(
        self, key: str, streams: Mapping[str, Array], triangles: Array, numbers: Mapping[str, tuple[float, ...]]
    ) -> None:
        """Take a mesh; streams are those of `mesh.attributes.STREAMS`."""
        self.version += 1
        self._forget_mesh(key)
        buffers = {name: self._context.buffer(np.ascontiguousarray(a).tobytes()) for name, a in streams.items()}
        position = streams["position"]
        bounds = np.stack([position.min(axis=0), position.max(axis=0)])
        indices = self._context.buffer(np.ascontiguousarray(triangles, np.uint32).tobytes())
        self.meshes[key] = GpuMesh(buffers, indices, dict(numbers), bounds)

    def _forget_mesh(self, key: str) -> None:
        old = self.meshes.pop(key, None)
        if old is not None:
            self.replaced.append(key)
            old.release()

    def put_motion(self, key: str, motion: Motion) -> None:
        """Take how a mesh moves; nothing happens for one that is not there."""
        mesh = self.meshes.get(key)
        if mesh is not None:
            mesh.motion = motion
            mesh.rest = {n: _read_stream(mesh.streams[n], n) for n in ("position", "normal", "tangent")}

    def pose_mesh(self, key: str, clip: str, time: float) -> bool:
        """Put a mesh where it is at a time of a clip, or back to rest; whether it was there to be moved."""
        mesh = self.meshes.get(key)
        if mesh is None or mesh.motion is None:
            return False
        found = mesh.motion.clip(clip)
        now = tuple(mesh.rest.values())
        if found is not None:
            now = mesh.motion.posed(mesh.rest["normal"], mesh.rest["tangent"], found, time)
        self.version += 1
        for (name, still), values in zip(mesh.rest.items(), now, strict=True):
            if f"rest_{name}" not in mesh.streams:
                mesh.streams[f"rest_{name}"] = self._context.buffer(still.tobytes())
                self.replaced.append(key)
            mesh.streams[name].write(np.ascontiguousarray(values, np.float32).tobytes())
        mesh.has_moved(np.stack([now[0].min(axis=0), now[0].max(axis=0)]))
        return True

    def put_texture(self, key: str, is_color: bool, levels: tuple[Array, ...]) -> None:
        """Take a texture with all its levels; colour is decoded from sRGB by the hardware."""
        self.version += 1
        given = Texture(key, is_color, levels)
        texture = GlTexture(self._gl, given.kind, len(levels))
        texture.write(levels)
        mean = tuple(float(v) for v in given.mean)
        self._forget_texture(key)
        self.textures[key] = GpuTexture(texture, mean)

    def alone(self, texels: Array, layers: int = 0) -> GlTexture:
        """A texture of one level `(h, w, 4) uint8` that is no asset; in an array of so many layers, all alike."""
        made = GlTexture(self._gl, Texture("", False, (texels,)).kind, 1, layers)
        for layer in range(max(layers, 1)):
            made.write([texels], layer)
        return made

    def _forget_texture(self, key: str) -> None:
        old = self.textures.pop(key, None)
        if old is not None:
            old.texture.release()
            for members in [m for m in self._arrays if key in m]:
                self._arrays.pop(members).texture.release()

    def _leave_arrays(self, material: str, kept: Collection[str]) -> None:
        """Free arrays that only this material used, but those of some textures."""
        for members, array in list(self._arrays.items()):
            if not all(key in kept for key in members):
                array.users.discard(material)
                if not array.users:
                    self._arrays.pop(members).texture.release()

    def array(self, material: str, group: Sequence[TextureRef]) -> GlTexture | None:
        """Several textures of one kind that a material reads, as the layers of an array; None where one is missing."""
        found = [self.texture(material, t.name) for t in group]
        there = [t for t in found if t is not None]
        if len(there) < len(found) or any(t.texture.kind != there[0].texture.kind for t in there):
            return None
        members = tuple(self._key(material, t.name) for t in group)
        if members not in self._arrays:
            first = there[0].texture
            made = GlTexture(self._gl, first.kind, min(t.texture.levels for t in there), len(there))
            for layer, one in enumerate(there):
                made.write(one.texture.read()[: made.levels], layer)
            self._arrays[members] = _Array(made, set())
        self._arrays[members].users.add(material)
        return self._arrays[members].texture

    def put_paint(self, prop: str, values: Array) -> None:
        """Take a prop's own paint, `(n, 4 a colour set) uint16`."""
        self.version += 1
        self.paint.put(prop, values)

    def patch_paint(self, prop: str, start: int, values: Array) -> None:
        """Replace a run of a prop's paint; nothing happens for a prop without any."""
        if prop in self.paint:
            self.patches += 1
            self.paint.patch(prop, start, values)

    def put_map(self, prop: str, values: Array) -> None:
        """Take a thing's own map by its key: `(h, w, 4) uint8` or `uint16`, or `(h, w, k) float32`."""
        self.version += 1
        self.touched.note(prop, (0, 0, values.shape[1], values.shape[0]), values.shape[1::-1])
        old, data = self.maps.get(prop), np.ascontiguousarray(values).tobytes()
        if values.dtype == np.float32:
            made = self._context.texture(values.shape[1::-1], values.shape[2], data, dtype="f4")
            made.repeat_x = made.repeat_y = False
        else:
            wide = values.dtype == np.uint16
            made = self._context.texture(
                values.shape[1::-1], 4, data, dtype="nu2" if wide else "f1", internal_format=RGBA16 if wide else RGBA8
            )
        self.maps[prop] = made
        if old is not None:
            old.release()

    def patch_map(self, prop: str, column: int, row: int, values: Array) -> None:
        """Replace texels `(h, w, k)` of a thing's own map; nothing happens for one that is not there."""
        if prop in self.maps:
            self.patches += 1
            self.touched.note(prop, (column, row, values.shape[1], values.shape[0]), self.maps[prop].size)
            height, width = values.shape[:2]
            self.maps[prop].write(np.ascontiguousarray(values).tobytes(), viewport=(column, row, width, height))

    def set_material(self, material: Material, lookup: MapLookup, textures: Mapping[str, str] | None = None) -> None:
        """Take a material; it is compiled when first drawn. `textures` are the keys of its textures (`texture`)."""
        self.name_textures(material.id, textures or {})
        self.materials[material.id] = (material, lookup)

    def name_textures(self, material: str, textures: Mapping[str, str]) -> None:
        """Say under which key each texture lies that a material reads by a name."""
        self.version += 1
        self._named[material] = dict(textures)
        self.material_versions[material] = self.version
        self._forgive(material)
        self._leave_arrays(material, frozenset(textures.values()))

    def _forgive(self, material: str) -> None:
        """Forget the faults of a material: it is another now, or gone."""
        for way in ("", AS_DECAL):
            self.faults.pop(material + way, None)

    def texture(self, material: str, name: str) -> GpuTexture | None:
        """The texture a material reads under a name, by the key it was told, or else by the name itself."""
        return self.textures.get(self._key(material, name))

    def _key(self, material: str, name: str) -> str:
        return self._named.get(material, {}).get(name, name)

    def surface_kind(self, material: str) -> SurfaceKind:
        """The surface kind of a material; opaque for one that is not there."""
        found = self.materials.get(material)
        return kind_of(found[0].kind) if found is not None else KINDS["opaque"]

    def material(self, name: str) -> Material | None:
        """A material by its id, if it is there."""
        found = self.materials.get(name)
        return found[0] if found is not None else None

    def moves(self, material: str) -> bool:
        """Whether a material moves vertices."""
        found = self.material(material)
        return found is not None and (bool(found.moves) or isinstance(found, StackedMaterial))

    def kind(self, material: str, texture: TextureRef) -> Kind | None:
        """What kind of texture a material reads under a name; None while it is not there."""
        found = self.texture(material, texture.name)
        return found.texture.kind if found is not None else None

    def drop(
        self, meshes: Iterable[str] = (), textures: Iterable[str] = (), paint: Iterable[str] = (),
        maps: Iterable[str] = (), materials: Iterable[str] = (),
    ) -> None:  # fmt: skip
        """Let go of what no scene uses any more; a key that is not there is no matter."""
        self.version += 1
        for key in meshes:
            self._forget_mesh(key)
        self.paint.drop(paint)
        for key in textures:
            self._forget_texture(key)
        for prop in maps:
            painted = self.maps.pop(prop, None)
            if painted is not None:
                painted.release()
        for material in materials:
            self.materials.pop(material, None)
            self.material_versions.pop(material, None)
            self._named.pop(material, None)
            self._forgive(material)
            self._leave_arrays(material, frozenset())


def _read_stream(buffer: Any, name: str) -> Array:
    return np.frombuffer(buffer.read(), np.float32).reshape(-1, int(STREAMS[name].format[0])).copy()
