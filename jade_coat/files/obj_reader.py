"""Reads Wavefront OBJ meshes: polygons of any shape, a slot per material."""

from __future__ import annotations

from collections.abc import Iterator

import mapbox_earcut
import numpy as np

from jade_coat.mesh.building import build_mesh
from jade_coat.mesh.data import FULL, BadMesh, MeshData, Slot
from jade_coat.program.types import Array

AGAIN = "Export it again from the program it came from."
MAX_CORNERS = 48_000_000
KINDS = ("vertex", "texture coordinate", "normal")


def read_obj(data: bytes, name: str) -> MeshData:
    """The triangles of an OBJ file, polygons cut by ear clipping, a slot per `usemtl`. Raises BadMesh.

    Colours behind positions (`v x y z r g b`) are read as paint. Curves, lines and points are passed over.
    """
    return _Obj(name).read(data)


class _Obj:
    def __init__(self, name: str) -> None:
        self.name = name
        self._positions: list[tuple[float, ...]] = []
        self._uvs: list[tuple[float, float]] = []
        self._normals: list[tuple[float, ...]] = []
        self._corners: dict[tuple[int, int, int], int] = {}
        self._faces: dict[str, list[list[int]]] = {}
        self._slot = "surface"
        self._line = 0

    def bad(self, reason: str) -> BadMesh:
        return BadMesh(f"{self.name}: line {self._line}: {reason}. {AGAIN}")

    def read(self, data: bytes) -> MeshData:
        for number, line in _lines(data):
            self._line = number
            words = line.split()
            if words:
                self._take(words)
        if not self._faces:
            raise BadMesh(f"{self.name}: it holds no triangles. {AGAIN}")
        return self._mesh()

    def _take(self, words: list[str]) -> None:
        kind, rest = words[0], words[1:]
        if kind == "v":
            self._positions.append(self._numbers(rest, 3, 7))
        elif kind == "vt":  # one component is a place along a line
            found = self._numbers(rest, 1, 3)
            self._uvs.append((found[0], found[1] if len(found) > 1 else 0.0))
        elif kind == "vn":
            self._normals.append(self._numbers(rest, 3, 3))
        elif kind == "usemtl":
            self._slot = " ".join(rest)[:120] or "surface"
        elif kind == "f":
            face = [self._corner(w) for w in rest]
            if len(face) < 3:
                raise self.bad("a face of fewer than three corners")
            self._faces.setdefault(self._slot, []).append(face)
            if len(self._corners) > MAX_CORNERS:
                raise BadMesh(f"{self.name}: it is too large to hold. Split it into parts.")

    def _numbers(self, words: list[str], least: int, most: int) -> tuple[float, ...]:
        if len(words) < least:
            raise self.bad(f"expected {least} numbers, got {len(words)}")
        try:
            found = tuple(float(w) for w in words[:most])
        except ValueError:
            raise self.bad(f"{' '.join(words)[:40]!r} are no numbers") from None
        if not all(abs(v) < 1e30 for v in found):  # NaN fails this too
            raise self.bad("a number is not finite")
        return found

    def _corner(self, word: str) -> int:
        """The number of a corner `v`, `v/vt`, `v//vn` or `v/vt/vn`; negative ones count back from the last."""
        parts = word.split("/")
        if len(parts) > 3:
            raise self.bad(f"{word[:40]!r} is no corner of a face")
        counts = (len(self._positions), len(self._uvs), len(self._normals))
        key = [-1, -1, -1]
        for i, part in enumerate(parts):
            if not part and i:
                continue
            try:
                at = int(part[:20])
            except ValueError:
                raise self.bad(f"{word[:40]!r} is no corner of a face") from None
            key[i] = at - 1 if at > 0 else counts[i] + at
            if not at or not 0 <= key[i] < counts[i]:
                raise self.bad(f"a face refers to {KINDS[i]} {at}, but there are {counts[i]} so far")
        found = (key[0], key[1], key[2])
        return self._corners.setdefault(found, len(self._corners))

    def _mesh(self) -> MeshData:
        keys = np.array(list(self._corners), np.int64)
        positions = np.array([p[:3] for p in self._positions], np.float64)[keys[:, 0]]
        runs, slots, at = [], [], 0
        for slot, faces in self._faces.items():
            triangles = _triangulated(positions, faces)
            runs.append(triangles)
            slots.append(Slot(slot, at, len(triangles)))
            at += len(triangles)
        normals = None
        if self._normals and (keys[:, 2] >= 0).all():
            normals = np.array(self._normals, np.float32)[keys[:, 2]]
        uvs: tuple[Array, ...] = ()
        if self._uvs and (keys[:, 1] >= 0).any():
            uv = np.array(self._uvs, np.float32)[np.maximum(keys[:, 1], 0)] * (keys[:, 1:2] >= 0)
            uv[:, 1] = 1 - uv[:, 1]  # the format counts v upward
            uvs = (uv,)
        return build_mesh(positions, np.concatenate(runs), self.name, normals, uvs, self._colors(keys), tuple(slots))

    def _colors(self, keys: Array) -> tuple[Array, ...]:
        if not all(len(p) >= 6 for p in self._positions):
            return ()
        colors = np.array([p[3:6] for p in self._positions], np.float32)[keys[:, 0]]
        rgba = np.concatenate([colors, np.ones((len(colors), 1), np.float32)], axis=1)
        return ((np.clip(rgba, 0, 1) * np.float32(FULL) + np.float32(0.5)).astype(np.uint16),)


def _lines(data: bytes) -> Iterator[tuple[int, str]]:
    """Numbered lines without comments; those that end in a backslash go on in the next."""
    text = data.removeprefix(b"\xef\xbb\xbf")
    try:
        whole = text.decode("utf-8")
    except UnicodeDecodeError:
        whole = text.decode("latin-1")
    kept = ""
    for number, line in enumerate(whole.split("\n"), 1):
        line = line.rstrip("\r")
        if line.endswith("\\"):
            kept += line[:-1] + " "
            continue
        yield number, (kept + line).partition("#")[0] if not line.startswith("usemtl") else kept + line
        kept = ""
    if kept:
        yield number, kept


def _triangulated(positions: Array, faces: list[list[int]]) -> Array:
    """Triangles `(m, 3)` of faces: those of four corners and more are cut by ear clipping in their own plane."""
    three = np.array([f for f in faces if len(f) == 3], np.int64).reshape(-1, 3)
    if len(three) == len(faces):
        return three
    out: list[Array] = []
    for face in faces:
        out.append(np.array([face], np.int64) if len(face) == 3 else _cut(positions, np.array(face, np.int64)))
    return np.concatenate(out)


def _cut(positions: Array, face: Array) -> Array:
    corners = positions[face]
    following = np.roll(corners, -1, axis=0)
    normal = np.cross(corners - corners[0], following - corners[0]).sum(axis=0)  # its length is twice the area
    size = float(np.linalg.norm(normal))
    fan = np.stack([np.full(len(face) - 2, face[0]), face[1:-1], face[2:]], axis=1)
    if size <= 0:
        return fan
    if len(face) == 4 and _is_convex(corners, normal):
        return fan
    axis = int(np.argmax(np.abs(normal)))
    flat = np.delete(corners, axis, axis=1)
    flat = np.ascontiguousarray(flat if (normal[axis] > 0) == (axis != 1) else flat[:, ::-1])
    found = mapbox_earcut.triangulate_float64(flat, np.array([len(face)], np.uint32)).reshape(-1, 3)
    if not len(found):
        return fan
    a, b, c = (flat[found[:, i]] for i in range(3))
    turns = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    found[turns < 0] = found[turns < 0][:, ::-1]  # all the way round that the face goes
    return face[found.astype(np.int64)]


def _is_convex(corners: Array, normal: Array) -> bool:
    edges = np.roll(corners, -1, axis=0) - corners
    return bool((np.cross(edges, np.roll(edges, -1, axis=0)) @ normal >= 0).all())
