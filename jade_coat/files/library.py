"""Loads meshes and textures of a project on demand and keeps them."""

from __future__ import annotations

import threading
from pathlib import Path

from jade_coat.files.assets import Assets
from jade_coat.files.gltf_reader import read_gltf
from jade_coat.files.gltf_writer import mesh_glb
from jade_coat.files.pack_cache import packed
from jade_coat.maps.images import SUFFIXES, read_image
from jade_coat.maps.mapset import MapFile, MapSet, guess, map_files, stem_of
from jade_coat.maps.packing import Texture
from jade_coat.mesh.data import MeshData
from jade_coat.stage.naming import free_id
from jade_coat.stage.project import MeshAsset, Project


class Library:
    """Meshes by id and textures by map set, read from assets when first asked for. Safe to use from threads."""

    def __init__(self, assets: Assets) -> None:
        self.assets = assets
        self._meshes: dict[str, MeshData] = {}
        self._textures: dict[MapSet, list[Texture]] = {}
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

    def textures(self, map_set: MapSet) -> list[Texture]:
        """The packed textures of a map set. Raises MissingAsset or BadImage."""
        key = map_set.with_(name="", tile_size=1.0)
        with self._lock:
            found = self._textures.get(key)
        if found is None:
            for entry in map_set.maps:
                self.assets.check(entry.asset)
            found = packed(map_set, self.assets.read)
            with self._lock:
                found = self._textures.setdefault(key, found)
        return found

    def add_mesh(self, mesh: MeshData, name: str, taken: set[str]) -> MeshAsset:
        """Store a mesh; returns the asset to add to the project."""
        asset = self.assets.put("meshes", "mesh.glb", mesh_glb(mesh, name))
        with self._lock:
            self._meshes[asset] = mesh
        return MeshAsset(id=free_id(name, taken), name=name, asset=asset, slots=tuple(s.name for s in mesh.slots))

    def exchanged(self, asset: MeshAsset, mesh: MeshData) -> MeshAsset:
        """Store another mesh under the same id and name; returns the asset to put in the old one's place."""
        made: MeshAsset = self.add_mesh(mesh, asset.name, set()).with_(id=asset.id)
        return made

    def mesh_by_id(self, project: Project, mesh_id: str) -> MeshData:
        """The data of a project's mesh by id. Raises KeyError, MissingAsset or BadMesh."""
        return self.mesh(project.mesh(mesh_id))

    def read_map_folder(self, folder: Path) -> tuple[list[list[MapFile]], list[Path]]:
        """Sort the pictures of a folder into map sets by their names.

        Returns the sets, each a list of map entries whose files are stored, and the pictures no role was found for.
        Damaged pictures raise BadImage when decoded here: nothing is stored that cannot be read.
        """
        grouped: dict[str, list[MapFile]] = {}
        unknown = []
        for path in sorted(p for p in folder.iterdir() if p.suffix.lower() in SUFFIXES):
            guesses = guess(path.name)
            if not guesses:
                unknown.append(path)
                continue
            data = path.read_bytes()
            read_image(data, path.name)
            entries = map_files(path.name, self.assets.put("maps", path.name, data), guesses, str(path))
            group = grouped.setdefault(stem_of(path.name), [])
            group += [e for e in entries if e.role not in {m.role for m in group}]
        return list(grouped.values()), unknown
