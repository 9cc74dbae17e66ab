"""Imports meshes: GLB, glTF and OBJ by our readers, PLY by trimesh."""

from __future__ import annotations

import io
import re
from pathlib import Path
from typing import Any

import numpy as np

from jade_coat.files.gltf_reader import read_gltf
from jade_coat.files.obj_reader import read_obj
from jade_coat.formats import Format, by_suffix, named
from jade_coat.mesh.building import build_mesh
from jade_coat.mesh.data import FULL, BadMesh, MeshData
from jade_coat.program.types import Array

MAX_BYTES = 2**30
_AGAIN = "Export it again from the program it came from."

CREASE = 30.0
"""Degrees from which on an edge of a heap of triangles is sharp."""


def read_mesh(path: Path) -> MeshData:
    """Read a mesh file. Raises BadMesh naming the file and what to do, or OSError."""
    found = by_suffix(MESHES, path)
    if found is None:
        ending = path.suffix.lower() or "a file without an ending"
        raise BadMesh(f"{path.name}: {ending} is not read. Use {named(MESHES)}.")
    if path.stat().st_size > MAX_BYTES:
        raise BadMesh(f"{path.name}: it is larger than 1 GiB. Split it into parts.")
    made: MeshData = found.read(path.read_bytes(), path.name, path.parent)
    return made


def _check_counts(data: bytes, name: str) -> None:
    """Raise BadMesh when a PLY header promises more than the file can hold: a byte an element at the least."""
    for count in re.findall(rb"element\s+\S+\s+(\S+)", data[:65536].partition(b"end_header")[0]):
        if not count.isdigit() or len(count) > 12 or int(count) > len(data):
            raise BadMesh(f"{name}: its header promises {count[:20].decode('latin-1')} elements, which are not there. "
                          f"{_AGAIN}")  # fmt: skip


def _read_ply(data: bytes, name: str) -> MeshData:
    import trimesh  # takes half a second, which a start without an import need not wait for

    _check_counts(data, name)
    try:
        loaded = trimesh.load(io.BytesIO(data), file_type="ply", process=False)
    except Exception as error:  # the library raises many kinds for damaged text
        raise BadMesh(f"{name}: the file is damaged ({error}). {_AGAIN}") from None
    if not isinstance(loaded, trimesh.Trimesh) or not len(loaded.faces):
        raise BadMesh(f"{name}: it holds no triangles. {_AGAIN}")
    normals = None
    if "vertex_normals" in loaded._cache.cache:  # the file's own; the library would work out others
        normals = np.asarray(loaded.vertex_normals, np.float32)
    uvs: tuple[Array, ...] = ()
    if getattr(loaded.visual, "uv", None) is not None:
        uv = np.array(loaded.visual.uv, np.float32)
        uv[:, 1] = 1 - uv[:, 1]  # the format counts v upward
        uvs = (uv,)
    return build_mesh(loaded.vertices, loaded.faces, name, normals, uvs, _colors(loaded))


def _read_stl(data: bytes, name: str) -> MeshData:
    """A heap of triangles, joined where they meet and smooth but for edges of more than 30 degrees."""
    import trimesh

    if data[:5] != b"solid" and (len(data) < 84 or 84 + 50 * int.from_bytes(data[80:84], "little") > len(data)):
        raise BadMesh(f"{name}: its header promises triangles that are not there. {_AGAIN}")
    try:
        loaded = trimesh.load(io.BytesIO(data), file_type="stl", process=False)
        if not isinstance(loaded, trimesh.Trimesh) or not len(loaded.faces) or not np.isfinite(loaded.vertices).all():
            raise ValueError("no triangles")
        loaded.merge_vertices()
        smooth = trimesh.graph.smooth_shade(loaded, angle=np.radians(CREASE))
    except Exception as error:  # the library raises many kinds for damaged text
        raise BadMesh(f"{name}: the file is damaged ({error}). {_AGAIN}") from None
    return build_mesh(smooth.vertices, smooth.faces, name, np.array(smooth.vertex_normals, np.float32))


def _colors(mesh: Any) -> tuple[Array, ...]:
    colors = mesh.visual.vertex_colors if mesh.visual.kind == "vertex" else mesh.vertex_attributes.get("color")
    if colors is None or len(colors) != len(mesh.vertices):
        return ()
    rgba = np.asarray(colors)
    values: Array = rgba.astype(np.float32) / 255 if rgba.dtype == np.uint8 else rgba.astype(np.float32)
    if values.shape[1] == 3:
        values = np.concatenate([values, np.ones((len(values), 1), np.float32)], axis=1)
    return ((np.clip(values, 0, 1) * np.float32(FULL) + np.float32(0.5)).astype(np.uint16),)


_SCENE = "triangles, UV sets, colour sets, normals, tangents, slots by material, animations"
MESHES = (
    Format("GLB", (".glb",), _SCENE, lambda data, name, folder: read_gltf(data, name, folder, kept=False)),
    Format("glTF", (".gltf",), _SCENE, lambda data, name, folder: read_gltf(data, name, folder, kept=False)),
    Format(
        "OBJ", (".obj",), "faces, one UV set, normals, slots by material", lambda data, name, _: read_obj(data, name)
    ),
    Format(
        "PLY", (".ply",), "triangles, one UV set, one colour set, normals", lambda data, name, _: _read_ply(data, name)
    ),
    Format("STL", (".stl",), "triangles", lambda data, name, _: _read_stl(data, name)),
)  # fmt: skip
"""The formats that meshes are read from."""
