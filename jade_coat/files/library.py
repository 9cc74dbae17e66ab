"""Loads meshes and textures of a project on demand and keeps them."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from jade_coat.files.assets import Assets
from jade_coat.files.gltf_reader import read_gltf
from jade_coat.files.pack_cache import packed
from jade_coat.formats import named
from jade_coat.maps.images import PICTURES, is_image_name, read_image
from jade_coat.maps.mapset import Guess, MapFile, MapSet, fitted, further_squares, guess, map_files, stem_of
from jade_coat.maps.packing import Texture, role_picture
from jade_coat.maps.picture import BadImage
from jade_coat.material.fields import Color
from jade_coat.material.material import Material
from jade_coat.material.surface import Role
from jade_coat.mesh.data import MeshData
from jade_coat.mesh.makers import Made
from jade_coat.mesh.painting import Paint, shown_paint
from jade_coat.mesh.posed import clip_names
from jade_coat.program.types import Array
from jade_coat.stage.mesh_assets import MeshAsset
from jade_coat.stage.naming import free_id
from jade_coat.stage.project import Project

MAX_FILE = 2**31
OPACITY_SIDE, SMALL_SIDE = 2048, 128
"""The side of opacities that cards are cut by, at the most, and that of maps whose mean is wanted; texels."""


class Library:
    """Meshes by id and textures by map set, read from assets when first asked for. Safe to use from threads."""

    def __init__(self, assets: Assets) -> None:
        self.assets = assets
        self._meshes: dict[str, MeshData] = {}
        self._textures: dict[MapSet, list[Texture]] = {}
        self._opacity: tuple[str, Array] = "", np.zeros((1, 1), np.float32)
        """The one that was read last, and its mark: numbers that are turned ask for it again and again."""
        self._lock = threading.Lock()

    def __getstate__(self) -> dict[str, Assets]:
        """Sent to another process, a library reads its files there again."""
        return {"assets": self.assets}

    def __setstate__(self, state: dict[str, Assets]) -> None:
        self.__init__(state["assets"])  # type: ignore[misc]

    def mesh(self, asset: MeshAsset) -> MeshData:
        """The data of a mesh asset. Raises MissingAsset or BadMesh."""
        with self._lock:
            found = self._meshes.get(asset.asset)
        if found is None:
            found = read_gltf(self.assets.read(asset.asset), asset.name)
            with self._lock:
                found = self._meshes.setdefault(asset.asset, found)
        return found

    def base_colors(self, project: Project, mesh: str, sets: int) -> Paint | None:
        """The colours of a project's mesh as paint over so many colour sets; None where it cannot be read."""
        try:
            return shown_paint(self.mesh_by_id(project, mesh), None, sets)
        except (OSError, ValueError, KeyError):
            return None

    def textures(self, map_set: MapSet) -> list[Texture]:
        """The packed textures of a map set. Raises MissingAsset or BadImage."""
        key = map_set.with_(name="", tile_size=1.0)
        with self._lock:
            found = self._textures.get(key)
        if found is None:
            for entry in map_set.maps:
                self.assets.check(entry.asset)
            found = packed(map_set, self.assets.read)
            for texture in found:
                texture.key  # noqa: B018  (worked out here, where it keeps nobody waiting)
            with self._lock:
                found = self._textures.setdefault(key, found)
        return found

    def forget(self, map_set: MapSet, used: Iterable[str]) -> None:
        """Let go of a map set that was only looked at: its textures, and its files but for those in use."""
        with self._lock:
            self._textures.pop(map_set.with_(name="", tile_size=1.0), None)
        kept = set(used)
        self.assets.forget(m.asset for m in map_set.maps if m.asset not in kept)

    def mesh_bytes(self, asset: MeshAsset) -> bytes | None:
        """The file of a mesh that is still in memory, made again; None for one that was never read."""
        with self._lock:
            found = self._meshes.get(asset.asset)
        return _mesh_glb(found, asset.name) if found is not None else None

    def add_mesh(self, mesh: MeshData, name: str, taken: set[str]) -> MeshAsset:
        """Store a mesh; returns the asset to add to the project."""
        asset = self.assets.put("meshes", "mesh.glb", _mesh_glb(mesh, name))
        with self._lock:
            self._meshes[asset] = mesh
        slots = tuple(s.name for s in mesh.slots)
        return MeshAsset(id=free_id(name, taken), name=name, asset=asset, slots=slots, clips=clip_names(mesh))

    def exchanged(self, asset: MeshAsset, mesh: MeshData, made: Made | None = None, made_of: str = "") -> MeshAsset:
        """Store another mesh under the same id and name; returns the asset to put in the old one's place.

        Its variants and categories stay, those of slots that are gone too: they may return. `made` is what the new one
        is made from, if it is made from numbers, and `made_of` what it was cut by.
        """
        new = self.add_mesh(mesh, asset.name, set())
        clip = asset.clip if asset.clip in new.clips else ""
        kept: MeshAsset = asset.with_(
            asset=new.asset, slots=new.slots, clips=new.clips, clip=clip, made=made, made_of=made_of
        )
        return kept

    def opacity(self, map_set: MapSet) -> Array:
        """The opacity of a map set, `(h, w) float32`, 0 to 1. Raises ValueError, MissingAsset or BadImage."""
        mark = map_set.mark(Role.OPACITY)
        if self._opacity[0] != mark:
            found = self.role(map_set, Role.OPACITY, OPACITY_SIDE)
            if found is None:
                raise ValueError(f"{map_set.name} has no opacity map, by which cards are cut")
            self._opacity = mark, np.ascontiguousarray(found[..., 0])
        return self._opacity[1]

    def role(self, map_set: MapSet, role: Role, side: int) -> Array | None:
        """What a map set says of one role, `(h, w, c) float32` of at most a side; None where it has no such map.

        Raises MissingAsset or BadImage.
        """
        entry = map_set.file(role)
        if entry is None:
            return None
        self.assets.check(entry.asset)
        return role_picture(entry, self.assets.read, side)

    def make(self, project: Project, numbers: Made) -> tuple[MeshData, str]:
        """The mesh of some numbers, and the mark of the source it was cut by.

        Raises KeyError, ValueError, MissingAsset or BadImage.
        """
        if not numbers.source:
            return numbers.mesh(), ""
        map_set = project.map_set(numbers.source)
        return numbers.mesh(self.opacity(map_set)), map_set.mark(Role.OPACITY)

    def mesh_by_id(self, project: Project, mesh_id: str) -> MeshData:
        """The data of a project's mesh by id. Raises KeyError, MissingAsset or BadMesh."""
        return self.mesh(project.mesh(mesh_id))

    def read_map_folder(self, folder: Path, step: Callable[[float, str], None] | None = None) -> MapFolder:
        """Sort the pictures of a folder into map sets by their names; what cannot be used is listed with the reason."""
        found = MapFolder()
        grouped: dict[str, list[MapFile]] = {}
        paths = sorted(p for p in folder.iterdir() if p.is_file() and not p.name.startswith("."))
        squares = further_squares([p.name for p in paths])
        for i, path in enumerate(paths):
            if step is not None:
                step(i / len(paths), f"Reading {path.name}")
            if not is_image_name(path.name):
                found.skipped.append((path.name, f"no {named(PICTURES)}"))
                continue
            if path.name in squares:
                found.skipped.append((path.name, squares[path.name]))
                continue
            try:
                entries = self.read_map(path)
            except (OSError, BadImage) as error:
                found.skipped.append((path.name, str(error)))
                continue
            if not guess(path.name):
                found.left_out += entries
                continue
            group = grouped.setdefault(stem_of(path.name), [])
            taken = {m.role: m.file for m in group}
            for entry in entries:
                if entry.role in taken:
                    found.left_out.append(entry)
                    reason = f"{entry.role.label} of this set comes from {taken[entry.role]}"
                    found.doubled.append((path.name, reason))
                else:
                    group.append(entry)
        found.sets = [g for g in grouped.values() if g]
        return found

    def read_map(self, path: Path) -> list[MapFile]:
        """Store one picture; what its name says of it, or base colour for want of a hint. Raises BadImage, OSError."""
        if path.stat().st_size > MAX_FILE:
            raise BadImage(f"{path.name}: it is larger than 2 GiB. Save a smaller copy.")
        data = path.read_bytes()
        picture = read_image(data, path.name)
        guesses = fitted(path.name, guess(path.name), picture) or [Guess(role=Role.BASE_COLOR)]
        return map_files(path.name, self.assets.put("maps", path.name, data), guesses, str(path))


def mean_color(library: Library, project: Project, material: Material) -> Color:
    """The mean of what the lowest coat of a material shows, linear. Raises MissingAsset or BadImage."""
    surface = material.coats[0].surface
    found = next((s for s in project.map_sets if s.id == surface.map_set), None)
    color = library.role(found, Role.BASE_COLOR, SMALL_SIDE) if found is not None else None
    if found is None or color is None:
        return surface.color
    seen = library.role(found, Role.OPACITY, SMALL_SIDE)
    weights = seen[..., 0] if seen is not None and seen.shape[:2] == color.shape[:2] else np.ones(color.shape[:2])
    r, g, b = (float((color[..., i] * weights).sum() / max(weights.sum(), 1e-6)) for i in range(3))
    return (r, g, b)


def _mesh_glb(mesh: MeshData, name: str) -> bytes:
    from jade_coat.files.gltf_writer import mesh_glb  # its library takes a while, which a start need not wait for

    return mesh_glb(mesh, name)


@dataclass
class MapFolder:
    """What a folder of pictures holds: the sets; what has no role, or one that is taken; what is not used and why."""

    sets: list[list[MapFile]] = field(default_factory=list)
    left_out: list[MapFile] = field(default_factory=list)
    doubled: list[tuple[str, str]] = field(default_factory=list)
    skipped: list[tuple[str, str]] = field(default_factory=list)

    @property
    def notes(self) -> list[str]:
        """What was left out or skipped, a line each."""
        every = (*self.doubled, *self.skipped)
        return [reason if reason.startswith(name) else f"{name}: {reason}" for name, reason in every]
