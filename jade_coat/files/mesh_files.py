"""Imports meshes: GLB and glTF by our reader, OBJ and PLY by trimesh."""

from __future__ import annotations

import io
from pathlib import Path
from typing import Any

import numpy as np

from jade_coat.files.gltf_reader import read_gltf
from jade_coat.mesh.data import FULL, BadMesh, MeshData, Slot, build_mesh
from jade_coat.program.types import Array

SUFFIXES = (".glb", ".gltf", ".obj", ".ply")
MAX_BYTES = 2**30
_AGAIN = "Export it again from the program it came from."


def read_mesh(path: Path) -> MeshData:
    """Read a mesh file. Raises BadMesh naming the file and what to do, or OSError."""
    kind = path.suffix.lower()
    if kind not in SUFFIXES:
        raise BadMesh(f"{path.name}: {kind or 'a file without an ending'} is not read. Use GLB, glTF, OBJ or PLY.")
    if path.stat().st_size > MAX_BYTES:
        raise BadMesh(f"{path.name}: it is larger than 1 GiB. Split it into parts.")
    data = path.read_bytes()
    if kind in (".glb", ".gltf"):
        return read_gltf(data, path.name, path.parent)
    return _read_plain(data, kind[1:], path.name)


def _read_plain(data: bytes, kind: str, name: str) -> MeshData:
    settings = {"split_objects": False, "group_material": True, "skip_materials": True} if kind == "obj" else {}
    import trimesh  # takes half a second, which a start without an import need not wait for

    try:
        loaded = trimesh.load(io.BytesIO(data), file_type=kind, process=False, **settings)
        parts = list(loaded.geometry.values()) if isinstance(loaded, trimesh.Scene) else [loaded]
        parts = [p for p in parts if isinstance(p, trimesh.Trimesh) and len(p.faces)]
    except Exception as error:  # the library raises many kinds for damaged text
        raise BadMesh(f"{name}: the file is damaged ({error}). {_AGAIN}") from None
    if not parts:
        raise BadMesh(f"{name}: it holds no triangles. {_AGAIN}")
    starts = np.cumsum([0, *(len(p.vertices) for p in parts)])
    triangles: list[Array] = []
    slots: list[Slot] = []
    at = 0
    for part, start in zip(parts, starts, strict=False):
        triangles.append(np.asarray(part.faces, np.int64) + start)
        slots.append(Slot(_slot_name(part, {s.name for s in slots}), at, len(part.faces)))
        at += len(part.faces)
    return build_mesh(
        np.concatenate([p.vertices for p in parts]), np.concatenate(triangles), name,
        _normals(parts), _uvs(parts), _colors(parts), tuple(slots),
    )  # fmt: skip


def _slot_name(part: Any, taken: set[str]) -> str:
    base = getattr(getattr(part.visual, "material", None), "name", None) or "surface"
    name, n = str(base), 2
    while name in taken:
        name, n = f"{base} {n}", n + 1
    return name


def _normals(parts: list[Any]) -> Array | None:
    if all("vertex_normals" in p._cache.cache for p in parts):
        return np.concatenate([np.asarray(p.vertex_normals, np.float32) for p in parts])
    return None


def _uvs(parts: list[Any]) -> tuple[Array, ...]:
    found = [getattr(p.visual, "uv", None) for p in parts]
    if all(uv is None for uv in found):
        return ()
    whole = [np.zeros((len(p.vertices), 2)) if uv is None else uv for uv, p in zip(found, parts, strict=True)]
    uv = np.concatenate(whole).astype(np.float32)
    uv[:, 1] = 1 - uv[:, 1]  # these formats count v upward
    return (uv,)


def _colors(parts: list[Any]) -> tuple[Array, ...]:
    found = []
    for p in parts:
        colors = p.visual.vertex_colors if p.visual.kind == "vertex" else p.vertex_attributes.get("color")
        if colors is None or len(colors) != len(p.vertices):
            return ()
        rgba = np.asarray(colors)
        values = rgba.astype(np.float32) / 255 if rgba.dtype == np.uint8 else rgba.astype(np.float32)
        if values.shape[1] == 3:
            values = np.concatenate([values, np.ones((len(values), 1), np.float32)], axis=1)
        found.append((np.clip(values.astype(np.float32), 0, 1) * np.float32(FULL) + np.float32(0.5)).astype(np.uint16))
    return (np.concatenate(found),)
