"""Reads meshes out of GLB and glTF 2.0 files."""

from __future__ import annotations

import base64
import binascii
import struct
import warnings
from pathlib import Path
from typing import Any

import numpy as np
import pygltflib

from jade_coat.mesh.data import FULL, BadMesh, MeshData, Slot, build_mesh
from jade_coat.program.types import Array

_TYPES = {5120: np.int8, 5121: np.uint8, 5122: np.int16, 5123: np.uint16, 5125: np.uint32, 5126: np.float32}
_COUNTS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT4": 16}
_AGAIN = "Export it again from the program it came from."
_UNREAD = ("KHR_draco_mesh_compression", "EXT_meshopt_compression")


def read_gltf(data: bytes, name: str, folder: Path | None = None) -> MeshData:
    """The whole scene of a file as one mesh, a slot per material; node transforms are applied.

    `folder` is where a .glb or .gltf may find its neighbours. Raises BadMesh.
    """
    try:
        return _Reader(data, name, folder).mesh()
    except BadMesh:
        raise
    except (
        KeyError,
        IndexError,
        TypeError,
        ValueError,
        AttributeError,
        struct.error,
        RecursionError,
        OSError,
    ) as error:
        raise BadMesh(f"{name}: the file is damaged ({error}). {_AGAIN}") from None


class _Reader:
    def __init__(self, data: bytes, name: str, folder: Path | None) -> None:
        self.name, self.folder = name, folder
        if data[:4] == b"glTF":
            length = struct.unpack_from("<I", data, 8)[0]
            if length > len(data):
                raise BadMesh(f"{name}: the file ends after {len(data)} of {length} bytes. Copy or {_AGAIN.lower()}")
            self.gltf = pygltflib.GLTF2.load_from_bytes(data)
        else:
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")
                self.gltf = pygltflib.GLTF2.gltf_from_json(data.decode("utf-8"))
        if self.gltf is None:
            raise BadMesh(f"{name}: this is not glTF 2.0. {_AGAIN}")
        unread = [e for e in self.gltf.extensionsRequired or [] if e in _UNREAD]
        if unread:
            raise BadMesh(f"{name}: it is compressed with {unread[0]}, which is not read. Export it uncompressed.")
        self._buffers: dict[int, bytes] = {}

    def mesh(self) -> MeshData:
        parts: list[_Part] = []
        for node, matrix in self._placed():
            for primitive in self.gltf.meshes[node.mesh].primitives:
                if primitive.mode in (None, 4):
                    parts.append(_Part(self, primitive, matrix))
        if not parts:
            raise BadMesh(f"{self.name}: it holds no triangles. {_AGAIN}")
        return _joined(self.name, parts)

    def material_name(self, index: int | None) -> str:
        if index is None:
            return "surface"
        return self.gltf.materials[index].name or f"material {index + 1}"

    def _placed(self) -> list[tuple[Any, Array]]:
        gltf = self.gltf
        if gltf.scenes:
            roots = gltf.scenes[gltf.scene or 0].nodes or []
        else:
            children = {c for n in gltf.nodes for c in n.children or []}
            roots = [i for i in range(len(gltf.nodes)) if i not in children]
        found, stack, visited = [], [(r, np.eye(4)) for r in roots], 0
        while stack:
            index, above = stack.pop()
            visited += 1
            if visited > 10 * len(gltf.nodes) + 100:
                raise BadMesh(f"{self.name}: its nodes go in circles. {_AGAIN}")
            node = gltf.nodes[index]
            matrix = above @ _local(node)
            if node.mesh is not None:
                found.append((node, matrix))
            stack += [(c, matrix) for c in node.children or []]
        return found or [(_bare_node(i), np.eye(4)) for i in range(len(gltf.meshes or []))]

    def accessor(self, index: int) -> Array:
        """An accessor's values `(count, components)`; whole numbers as they are unless normalised."""
        a = self.gltf.accessors[index]
        width, kind = _COUNTS[a.type], np.dtype(_TYPES[a.componentType])
        if a.bufferView is None:
            values = np.zeros((a.count, width), kind)
        else:
            values = self._strided(a.bufferView, a.byteOffset or 0, a.count, width, kind)
        if a.sparse is not None:
            values = values.copy()
            s = a.sparse
            at = self._strided(s.indices.bufferView, s.indices.byteOffset or 0, s.count, 1,
                               np.dtype(_TYPES[s.indices.componentType]))[:, 0]  # fmt: skip
            values[at] = self._strided(s.values.bufferView, s.values.byteOffset or 0, s.count, width, kind)
        if a.normalized and kind != np.float32:
            return np.maximum(values.astype(np.float32) / _top(kind), -1)
        return values

    def _strided(self, view_index: int, offset: int, count: int, width: int, kind: np.dtype[Any]) -> Array:
        view = self.gltf.bufferViews[view_index]
        data = self._buffer(view.buffer)
        start = (view.byteOffset or 0) + offset
        row = width * kind.itemsize
        stride = view.byteStride or row
        if count < 0 or start < 0 or start + (count - 1) * stride + row > len(data):
            raise BadMesh(f"{self.name}: an accessor reaches beyond the end of its buffer. {_AGAIN}")
        raw = np.frombuffer(data, np.uint8)[start:]
        rows = np.lib.stride_tricks.as_strided(raw, (count, row), (stride, 1))
        return np.ascontiguousarray(rows).view(kind)

    def _buffer(self, index: int) -> bytes:
        if index not in self._buffers:
            self._buffers[index] = self._load(self.gltf.buffers[index].uri)
        return self._buffers[index]

    def _load(self, uri: str | None) -> bytes:
        if uri is None:
            blob = self.gltf.binary_blob()
            if blob is None:
                raise BadMesh(f"{self.name}: its binary part is missing. {_AGAIN}")
            return bytes(blob)
        if uri.startswith("data:"):
            try:
                return base64.b64decode(uri.partition(",")[2], validate=True)
            except binascii.Error as error:
                raise BadMesh(f"{self.name}: an embedded buffer is damaged ({error}). {_AGAIN}") from None
        if self.folder is None or Path(uri).is_absolute() or ".." in Path(uri).parts:
            raise BadMesh(f"{self.name}: it refers to {uri!r}, which is not beside it. Export it as one GLB file.")
        path = self.folder / uri.replace("%20", " ")
        if not path.is_file():
            raise BadMesh(f"{self.name}: {path} is missing. Put it back, or export one GLB file.")
        return path.read_bytes()


def _bare_node(mesh: int) -> Any:
    return pygltflib.Node(mesh=mesh)


def _local(node: Any) -> Array:
    if node.matrix:
        return np.array(node.matrix, float).reshape(4, 4).T
    matrix = np.eye(4)
    if node.rotation:
        from scipy.spatial.transform import Rotation

        matrix[:3, :3] = Rotation.from_quat(node.rotation).as_matrix()
    if node.scale:
        matrix[:3, :3] = matrix[:3, :3] * np.array(node.scale)
    if node.translation:
        matrix[:3, 3] = node.translation
    return matrix


class _Part:
    """One primitive, placed."""

    def __init__(self, reader: _Reader, primitive: Any, matrix: Array) -> None:
        attributes = {k: v for k, v in primitive.attributes.__dict__.items() if v is not None}
        self.source = (tuple(sorted(attributes.items())), matrix.tobytes())
        self.slot = reader.material_name(primitive.material)
        positions = reader.accessor(attributes["POSITION"]).astype(np.float32)
        with np.errstate(all="ignore"):
            self.positions = (positions @ matrix[:3, :3].T + matrix[:3, 3]).astype(np.float32)
        self.normals = None
        if "NORMAL" in attributes:
            with np.errstate(all="ignore"):
                self.normals = reader.accessor(attributes["NORMAL"]).astype(np.float32) @ np.linalg.pinv(matrix[:3, :3])
        self.tangents = None
        if "TANGENT" in attributes:
            tangents = reader.accessor(attributes["TANGENT"]).astype(np.float32)
            turned = tangents[:, :3] @ matrix[:3, :3].T.astype(np.float32)
            length = np.maximum(np.linalg.norm(turned, axis=1, keepdims=True), 1e-12)
            moved = not np.array_equal(matrix[:3, :3], np.eye(3))
            side = np.sign(np.linalg.det(matrix[:3, :3]))  # a mirrored node turns the bitangents round
            self.tangents = np.concatenate([turned / length, tangents[:, 3:] * side], axis=1) if moved else tangents
        self.uvs = [reader.accessor(attributes[f"TEXCOORD_{i}"]).astype(np.float32)
                    for i in range(8) if f"TEXCOORD_{i}" in attributes]  # fmt: skip
        self.colors = [_color(reader.accessor(attributes[f"COLOR_{i}"]))
                       for i in range(4) if f"COLOR_{i}" in attributes]  # fmt: skip
        count = len(positions)
        if primitive.indices is None:
            indices = np.arange(count // 3 * 3)
        else:
            indices = reader.accessor(primitive.indices)[:, 0].astype(np.int64)
        self.triangles = indices[: len(indices) // 3 * 3].reshape(-1, 3)
        if len(self.triangles) and self.triangles.max() >= count:
            raise BadMesh(
                f"{reader.name}: a triangle refers to vertex {self.triangles.max()}, but there are {count}. {_AGAIN}"
            )
        if np.linalg.det(matrix[:3, :3]) < 0:
            self.triangles = self.triangles[:, ::-1]


def _top(kind: Any) -> float:
    """The largest number of a whole-number type."""
    return float(np.iinfo(kind).max)


def _color(values: Array) -> Array:
    if values.dtype != np.float32:
        values = values.astype(np.float32) / _top(values.dtype)
    if values.shape[1] == 3:
        values = np.concatenate([values, np.ones((len(values), 1), np.float32)], axis=1)
    return (np.clip(np.nan_to_num(values), 0, 1) * FULL + 0.5).astype(np.uint16)


def _joined(name: str, parts: list[_Part]) -> MeshData:
    """One mesh of all parts: those that share vertices keep sharing them, those of one material share a slot."""
    starts: dict[Any, int] = {}
    owners: list[_Part] = []
    total = 0
    for part in parts:
        if part.source not in starts:
            starts[part.source] = total
            owners.append(part)
            total += len(part.positions)
    by_slot: dict[str, list[Array]] = {}
    for part in parts:
        by_slot.setdefault(part.slot, []).append(part.triangles + starts[part.source])
    slots, runs, at = [], [], 0
    for slot, pieces in by_slot.items():
        count = sum(len(p) for p in pieces)
        slots.append(Slot(slot, at, count))
        runs += pieces
        at += count
    positions = np.concatenate([p.positions for p in owners])
    normals = tangents = None
    if all(p.normals is not None for p in owners):
        normals = np.concatenate([p.normals for p in owners])
    if all(p.tangents is not None for p in owners):
        tangents = np.concatenate([p.tangents for p in owners])
    return build_mesh(
        positions, np.concatenate(runs), name, normals,
        _columns([p.uvs for p in owners], owners, 2, np.float32),
        _columns([p.colors for p in owners], owners, 4, np.uint16), tuple(slots), tangents,
    )  # fmt: skip


def _columns(sets: list[list[Array]], owners: list[_Part], width: int, kind: type[np.generic]) -> tuple[Array, ...]:
    count = max(len(s) for s in sets)
    blank = [np.zeros((len(o.positions), width), kind) for o in owners]
    return tuple(
        np.concatenate([s[i] if i < len(s) else b for s, b in zip(sets, blank, strict=True)]) for i in range(count)
    )
