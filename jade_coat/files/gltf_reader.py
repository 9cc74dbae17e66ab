"""Reads meshes out of GLB and glTF 2.0 files: every placed primitive, posed as the file poses it."""

from __future__ import annotations

import struct
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from jade_coat.files.gltf_data import AGAIN, GltfData
from jade_coat.files.gltf_writer import BAKED, OURS
from jade_coat.mesh.building import build_mesh
from jade_coat.mesh.data import FULL, BadMesh, MeshData, Slot
from jade_coat.program.types import Array
from jade_coat.stage.naming import free_name

MAX_PLACED = 50_000
MAX_VERTICES = 16_000_000
TRIANGLES, STRIP, FAN = 4, 5, 6


def read_gltf(data: bytes, name: str, folder: Path | None = None, kept: bool = True) -> MeshData:
    """The whole scene of a file as one mesh, a slot per material; transforms, skins, morphs and instances are applied.

    `folder` is where a .glb or .gltf may find its neighbours. A mesh that a project has `kept` is read as it is; of
    others, a first colour set that is white everywhere is no paint and is left out. Raises BadMesh.
    """
    try:
        return _Reader(GltfData(data, name, folder), kept).mesh()
    except BadMesh:
        raise
    except (LookupError, TypeError, ValueError, AttributeError, ArithmeticError, struct.error, RecursionError,
            MemoryError, OSError) as error:  # fmt: skip
        raise BadMesh(f"{name}: the file is damaged ({error}). {AGAIN}") from None


@dataclass
class _Placed:
    """A mesh of the file and where it stands: a matrix a placement, or the skin that poses it."""

    mesh: int
    matrices: list[Array] = field(default_factory=list)
    skin: int | None = None
    weights: Any = None


class _Reader:
    def __init__(self, data: GltfData, kept: bool) -> None:
        self.data, self.kept = data, kept
        self._world: dict[int, Array] = {}
        self._total = 0

    def mesh(self) -> MeshData:
        slots = self._slot_names()
        parts: list[_Part] = []
        first_colors, baked_uvs = [], []
        for placed in self._placed():
            mesh = self.data.item("meshes", placed.mesh)
            ours = mesh.get("extras", {}).get(OURS) if isinstance(mesh.get("extras"), dict) else None
            for primitive in self.data.list("primitives", mesh):
                if primitive.get("mode", TRIANGLES) in (TRIANGLES, STRIP, FAN):
                    part = self._part(mesh, primitive, placed, slots)
                    parts.append(part)
                    first_colors.append(part.colors[0] if part.colors else None)
                    baked_uvs.append(ours == BAKED)
        if not parts:
            raise self.data.bad("it holds no triangles")
        if not self.kept:
            _drop_what_is_no_paint(parts, first_colors, baked_uvs)
        return _joined(self.data.name, parts)

    def _count(self, more: int) -> None:
        self._total += more
        if self._total > MAX_VERTICES:
            raise self.data.bad(f"it places more than {MAX_VERTICES:,} vertices and triangles", "Split it into parts.")

    def _slot_names(self) -> dict[int | None, str]:
        """A slot's name by its material's number; two materials of one name stay two."""
        names: dict[int | None, str] = {None: "surface"}
        taken: set[str] = set()
        for i, material in enumerate(self.data.list("materials", self.data.json)):
            extras = material.get("extras") if isinstance(material, dict) else None
            name = (
                str(material.get("name") or f"material {i + 1}") if isinstance(material, dict) else f"material {i + 1}"
            )
            if not self.kept and isinstance(extras, dict) and isinstance(extras.get(OURS), str):
                name = extras[OURS]  # the slot that we wrote it for
            names[i] = free_name(name[:120], taken)
            taken.add(names[i])
        return names

    # Where things stand

    def _placed(self) -> list[_Placed]:
        data = self.data
        nodes = data.list("nodes", data.json)
        self._refuse_many(sum(isinstance(n, dict) and n.get("mesh") is not None for n in nodes))
        found: dict[tuple[Any, ...], _Placed] = {}
        self._find_world(nodes)
        count = 0
        for index, matrix in self._world.items():
            node = nodes[index]
            if node.get("mesh") is None:
                continue
            skin = node.get("skin")
            key = (node["mesh"], skin, index if skin is not None or node.get("weights") else None)
            placed = found.setdefault(key, _Placed(node["mesh"], [], skin, node.get("weights")))
            instances = _extension(node, "EXT_mesh_gpu_instancing")
            placed.matrices += [matrix] if instances is None else list(matrix @ self._instances(instances))
            count += len(placed.matrices) if instances is not None else 1
            self._refuse_many(count)
        if found:
            return list(found.values())
        return [_Placed(i, [np.eye(4)]) for i in range(len(data.list("meshes", data.json)))]

    def _refuse_many(self, count: int) -> None:
        if count > MAX_PLACED:
            raise self.data.bad(f"it places more than {MAX_PLACED:,} meshes", "Export fewer, or each mesh by itself.")

    def _find_world(self, nodes: list[Any]) -> None:
        """The world matrix of every node of the scene; a node has one parent (glTF 2.0, 3.5.2)."""
        data = self.data
        scenes = data.list("scenes", data.json)
        if scenes:
            roots = data.list("nodes", data.item("scenes", data.json.get("scene", 0)))
        else:
            children = {c for n in nodes for c in data.list("children", n)}
            roots = [i for i in range(len(nodes)) if i not in children]
        stack = [(r, np.eye(4)) for r in reversed(roots)]
        while stack:
            index, above = stack.pop()
            node = data.item("nodes", index)
            if index in self._world:
                raise data.bad("its nodes go in circles, or one hangs from two others")
            self._world[index] = above @ self._local(node)
            stack += [(c, self._world[index]) for c in reversed(data.list("children", node))]

    def _local(self, node: dict[str, Any]) -> Array:
        data = self.data
        if node.get("matrix") is not None:
            return data.numbers(node["matrix"], 16, "the matrix of a node").reshape(4, 4).T
        return _matrices(
            data.numbers(node.get("translation", [0, 0, 0]), 3, "the translation of a node")[None],
            data.numbers(node.get("rotation", [0, 0, 0, 1]), 4, "the rotation of a node")[None],
            data.numbers(node.get("scale", [1, 1, 1]), 3, "the scale of a node")[None],
        )[0]

    def _instances(self, extension: Any) -> Array:
        """The matrices `(n, 4, 4)` of EXT_mesh_gpu_instancing."""
        given = extension.get("attributes", {})
        read = {k: self.data.accessor(given[k], (n,)).astype(float) for k, n in
                (("TRANSLATION", 3), ("ROTATION", 4), ("SCALE", 3)) if k in given}  # fmt: skip
        counts = {len(v) for v in read.values()}
        if len(counts) != 1:
            raise self.data.bad("its instances have attributes of different counts")
        count = counts.pop()
        self._refuse_many(count)
        return _matrices(
            read.get("TRANSLATION", np.zeros((count, 3))),
            read.get("ROTATION", np.tile([0.0, 0.0, 0.0, 1.0], (count, 1))), read.get("SCALE", np.ones((count, 3))),
        )  # fmt: skip

    # Primitives

    def _part(self, mesh: Any, primitive: Any, placed: _Placed, slots: dict[int | None, str]) -> _Part:
        data, given = self.data, primitive.get("attributes", {})
        streams = {name: data.accessor(at) for name, at in given.items()}
        if "POSITION" not in streams or streams["POSITION"].shape[1] != 3:
            raise data.bad("a primitive has no positions of three numbers")
        count = len(streams["POSITION"])
        for name, values in streams.items():
            if len(values) != count:
                raise data.bad(f"{name[:40]} has {len(values)} values for {count} vertices")
        shape = {k: streams[k].astype(np.float32) for k in ("POSITION", "NORMAL", "TANGENT") if k in streams}
        self._morph(shape, primitive, placed.weights if placed.weights is not None else mesh.get("weights"))
        material = primitive.get("material")
        self._count(count * max(len(placed.matrices), 1))
        if material is not None and material not in slots:
            raise data.bad(f"a primitive wears material {str(material)[:20]}, but there are {len(slots) - 1}")
        triangles = self._triangles(primitive, count)
        self._count(len(triangles) * max(len(placed.matrices), 1))
        source = (tuple(sorted(given.items())), placed.mesh, placed.skin, repr(placed.weights),
                  b"".join(m.tobytes() for m in placed.matrices))  # fmt: skip
        uvs = [_wide(data, streams[f"TEXCOORD_{i}"], (2,)).astype(np.float32)
               for i in range(8) if f"TEXCOORD_{i}" in streams]  # fmt: skip
        colors = [_color(_wide(data, streams[f"COLOR_{i}"], (3, 4))) for i in range(4) if f"COLOR_{i}" in streams]
        part = _Part(source, slots[material], shape, uvs, colors, triangles)
        if placed.skin is not None and "JOINTS_0" in streams and "WEIGHTS_0" in streams:
            part.pose(self._skinned(placed.skin, streams))
        else:
            part.place(placed.matrices)
        return part

    def _morph(self, shape: dict[str, Array], primitive: Any, weights: Any) -> None:
        targets = self.data.list("targets", primitive)
        if not targets or weights is None:
            return
        amounts = self.data.numbers(weights, len(targets), "the weights of morph targets")
        for target, amount in zip(targets, amounts, strict=True):
            for name in shape:
                if amount and name in target:
                    delta = self.data.accessor(target[name], (3,)).astype(np.float32)
                    if len(delta) != len(shape[name]):
                        raise self.data.bad("a morph target has another number of vertices")
                    shape[name][:, :3] += np.float32(amount) * delta

    def _skinned(self, index: int, streams: dict[str, Array]) -> Array:
        """A matrix for each vertex `(n, 4, 4)`: its joints', by weight. The node's own place does not count
        (glTF 2.0, 3.7.3.2)."""
        data = self.data
        skin = data.item("skins", index)
        joints = data.list("joints", skin)
        inverse = np.tile(np.eye(4), (len(joints), 1, 1))
        if skin.get("inverseBindMatrices") is not None:
            read = data.accessor(skin["inverseBindMatrices"], (16,))
            if len(read) < len(joints):
                raise data.bad("a skin has fewer matrices than joints")
            inverse = read[: len(joints)].reshape(-1, 4, 4).transpose(0, 2, 1).astype(float)
        lost = [j for j in joints if j not in self._world]
        if lost or not joints:
            raise data.bad("a skin has no joints, or some that are not in the scene")
        world = np.stack([self._world[j] for j in joints]) @ inverse
        total: Array = np.zeros((len(streams["JOINTS_0"]), 4, 4))
        spent = np.zeros(len(total))
        for i in range(8):
            if f"JOINTS_{i}" not in streams or f"WEIGHTS_{i}" not in streams:
                break
            at, weight = streams[f"JOINTS_{i}"].astype(np.int64), _shares(streams[f"WEIGHTS_{i}"])
            if at.shape != weight.shape or (at.size and at.max() >= len(joints)):
                raise data.bad("a vertex hangs from a joint that is not there")
            data.spend(total.nbytes)
            for c in range(at.shape[1]):
                total += weight[:, c, None, None] * world[at[:, c]]
                spent += weight[:, c]
        return np.where((spent > 1e-6)[:, None, None], total / np.maximum(spent, 1e-6)[:, None, None], np.eye(4))

    def _triangles(self, primitive: Any, count: int) -> Array:
        """Triangles `(m, 3)` of a list, a strip or a fan (glTF 2.0, 3.7.2.1)."""
        if primitive.get("indices") is None:
            indices = np.arange(count)
        else:
            indices = self.data.accessor(primitive["indices"], (1,))[:, 0].astype(np.int64)
        if len(indices) and (indices.max() >= count or indices.min() < 0):
            raise self.data.bad(f"a triangle refers to vertex {indices.max()}, but there are {count}")
        mode = primitive.get("mode", TRIANGLES)
        if mode == TRIANGLES:
            return indices[: len(indices) // 3 * 3].reshape(-1, 3)
        if len(indices) < 3:
            return np.zeros((0, 3), np.int64)
        if mode == FAN:
            return np.stack([indices[1:-1], indices[2:], np.full(len(indices) - 2, indices[0])], axis=1)
        i = np.arange(len(indices) - 2)
        return np.stack([indices[i], indices[i + 1 + i % 2], indices[i + 2 - i % 2]], axis=1)


class _Part:
    """One primitive in all its places."""

    def __init__(
        self, source: tuple[Any, ...], slot: str, shape: dict[str, Array], uvs: list[Array], colors: list[Array],
        triangles: Array,
    ) -> None:  # fmt: skip
        self.source, self.slot = source, slot
        self.positions: Array = shape["POSITION"]
        self.normals, self.tangents = shape.get("NORMAL"), shape.get("TANGENT")
        self.uvs, self.colors, self.triangles = uvs, colors, triangles

    def place(self, matrices: Sequence[Array]) -> None:
        """Put a copy in every place; where that is the origin alone, everything stays as it is to the bit."""
        if len(matrices) == 1 and np.array_equal(matrices[0], np.eye(4)):
            return
        count, placed = len(self.positions), np.stack(matrices)
        with np.errstate(all="ignore"):
            self._move(placed[:, None, :3, :3], placed[:, None, :3, 3])
        self.uvs = [np.tile(u, (len(placed), 1)) for u in self.uvs]
        self.colors = [np.tile(c, (len(placed), 1)) for c in self.colors]
        mirrored = np.linalg.det(placed[:, :3, :3]) < 0
        turned = [self.triangles[:, ::-1] if m else self.triangles for m in mirrored]
        self.triangles = np.concatenate([t + i * count for i, t in enumerate(turned)])

    def pose(self, matrices: Array) -> None:
        """Move every vertex by a matrix of its own `(n, 4, 4)`."""
        with np.errstate(all="ignore"):
            self._move(matrices[None, :, :3, :3], matrices[None, :, :3, 3])

    def _move(self, linear: Array, offset: Array) -> None:
        """Transform by `(places or 1, vertices or 1, 3, 3)` and `(…, 3)`."""
        if len(linear) == 1 and linear.shape[1] == 1:
            one, away = linear[0, 0], offset[0, 0]
            self.positions = (self.positions @ one.T + away).astype(np.float32)
        else:
            moved = np.einsum("pvij,vj->pvi", np.broadcast_to(linear, (len(linear), len(self.positions), 3, 3)),
                              self.positions) + offset  # fmt: skip
            self.positions = moved.reshape(-1, 3).astype(np.float32)
        if self.normals is not None:
            across = np.linalg.pinv(linear).swapaxes(-1, -2)
            self.normals = _turned(self.normals, across)
        if self.tangents is not None:
            still = linear.shape[:2] == (1, 1) and np.array_equal(linear[0, 0], np.eye(3))
            if not still:
                side = np.sign(np.linalg.det(linear))[..., None]  # a mirrored place turns the bitangents round
                turned = _turned(self.tangents[:, :3], linear)
                turned /= np.maximum(np.linalg.norm(turned, axis=1, keepdims=True), 1e-12)
                sign = np.broadcast_to(self.tangents[None, :, 3:] * side, (len(linear), len(self.tangents), 1))
                self.tangents = np.concatenate([turned, sign.reshape(-1, 1)], axis=1).astype(np.float32)


def _turned(vectors: Array, linear: Array) -> Array:
    if linear.shape[:2] == (1, 1):
        return np.asarray(vectors @ linear[0, 0].T.astype(vectors.dtype))
    wide = np.broadcast_to(linear, (len(linear), len(vectors), 3, 3))
    return np.einsum("pvij,vj->pvi", wide, vectors).reshape(-1, 3).astype(np.float32)


def _matrices(translation: Array, rotation: Array, scale: Array) -> Array:
    """Matrices `(n, 4, 4)` of translations `(n, 3)`, quaternions `(n, 4)` (x, y, z, w) and scales `(n, 3)`."""
    made = np.tile(np.eye(4), (len(translation), 1, 1))
    if len(translation) == 1 and rotation[0].tolist() == [0, 0, 0, 1]:
        made[0, :3, :3] = np.diag(scale[0])
    else:
        from scipy.spatial.transform import Rotation

        made[:, :3, :3] = Rotation.from_quat(rotation).as_matrix() * scale[:, None, :]
    made[:, :3, 3] = translation
    return made


def _extension(owner: dict[str, Any], name: str) -> Any:
    extensions = owner.get("extensions")
    return extensions.get(name) if isinstance(extensions, dict) else None


def _wide(data: GltfData, values: Array, widths: tuple[int, ...]) -> Array:
    if values.shape[1] not in widths:
        raise data.bad(f"a vertex attribute has {values.shape[1]} components, expected {widths[-1]}")
    return values


def _shares(values: Array) -> Array:
    """Skin weights as shares, whatever whole-number type they are stored in."""
    if values.dtype == np.float32:
        return values.astype(float)
    return values.astype(float) / np.iinfo(values.dtype).max


def _color(values: Array) -> Array:
    if values.dtype != np.float32:
        values = values.astype(np.float32) / float(np.iinfo(values.dtype).max)
    if values.shape[1] == 3:
        values = np.concatenate([values, np.ones((len(values), 1), np.float32)], axis=1)
    return (np.clip(np.nan_to_num(values), 0, 1) * FULL + 0.5).astype(np.uint16)


def _drop_what_is_no_paint(parts: list[_Part], first_colors: list[Array | None], baked: list[bool]) -> None:
    """Leave out a first colour set that is white everywhere, and the UV set that a bake of ours put in front."""
    if all(c is None or (c == FULL).all() for c in first_colors):
        for part in parts:
            part.colors = part.colors[1:]
    for part, ours in zip(parts, baked, strict=True):
        if ours and len(part.uvs) > 1:
            part.uvs = part.uvs[1:]
            part.tangents = None  # they followed the set that is gone


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
        normals = np.concatenate([p.normals for p in owners if p.normals is not None])
    if all(p.tangents is not None for p in owners):
        tangents = np.concatenate([p.tangents for p in owners if p.tangents is not None])
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
