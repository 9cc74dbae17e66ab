"""Reads meshes out of GLB and glTF 2.0 files: every placed primitive, posed as the file poses it."""

from __future__ import annotations

import struct
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from jade_coat.files.gltf_data import AGAIN, BAKED, OURS, GltfData
from jade_coat.files.gltf_motion import MotionReader, PartMotion, as_shares, local_matrix, matrices
from jade_coat.files.gltf_parts import _drop_what_is_no_paint, _joined, _owners, _Part
from jade_coat.mesh.data import FULL, BadMesh, MeshData
from jade_coat.mesh.motion import BadMotion, Motion
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
    except BadMotion as error:
        raise BadMesh(f"{name}: {error}. {AGAIN}") from None
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
    nodes: list[tuple[int, Array]] = field(default_factory=list)
    """The node of each placement, with the matrix of an instance before it."""


@dataclass(frozen=True)
class _Skin:
    """A matrix for each vertex `(n, 4, 4)`, and what it comes from: joint nodes, and which `held` how much."""

    matrices: Array
    joints: list[int]
    inverse: Array
    held: Array
    shares: Array


class _Reader:
    def __init__(self, data: GltfData, kept: bool) -> None:
        self.data, self.kept = data, kept
        self._world: dict[int, Array] = {}
        self._parents: dict[int, int] = {}
        self._motion: MotionReader | None = None
        self._total = 0

    def mesh(self) -> MeshData:
        slots = slot_names(self.data, self.kept)
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
        owners = _owners(parts)
        moved = [p.motion for p in owners]
        motion = self._motion.motion([m for m in moved if m is not None]) if self._motion is not None else None
        made = _joined(self.data.name, parts, owners, motion)
        return made if not self.kept else made.with_(motion=self._stored_motion(made.vertex_count))

    def _stored_motion(self, count: int) -> Motion | None:
        """The motion that a project keeps beside a mesh."""
        meshes = self.data.list("meshes", self.data.json)
        extras = meshes[0].get("extras") if len(meshes) == 1 and isinstance(meshes[0], dict) else None
        ours = extras.get(OURS) if isinstance(extras, dict) else None
        if not isinstance(ours, dict) or "motion" not in ours:
            return None
        found = Motion.from_bytes(self.data.view(ours["motion"]))
        if len(found.positions) != count:
            raise BadMotion("a motion is of another mesh")
        return found

    def _count(self, more: int) -> None:
        self._total += more
        if self._total > MAX_VERTICES:
            raise self.data.bad(f"it places more than {MAX_VERTICES:,} vertices and triangles", "Split it into parts.")

    # Where things stand

    def _placed(self) -> list[_Placed]:
        data = self.data
        nodes = data.list("nodes", data.json)
        self._refuse_many(sum(isinstance(n, dict) and n.get("mesh") is not None for n in nodes))
        found: dict[tuple[Any, ...], _Placed] = {}
        self._find_world(nodes)
        if not self.kept and data.json.get("animations"):
            reader = MotionReader(data, self._world, self._parents)
            self._motion = reader if reader.moves else None
        morphing = self._motion.morphing if self._motion is not None else set()
        count = 0
        for index, matrix in self._world.items():
            node = nodes[index]
            if node.get("mesh") is None:
                continue
            skin = node.get("skin")
            alone = skin is not None or node.get("weights") or index in morphing
            key = (node["mesh"], skin, index if alone else None)
            placed = found.setdefault(key, _Placed(node["mesh"], [], skin, node.get("weights")))
            instances = _extension(node, "EXT_mesh_gpu_instancing")
            own = [np.eye(4)] if instances is None else list(self._instances(instances))
            placed.matrices += [matrix] if instances is None else [matrix @ m for m in own]
            placed.nodes += [(index, m) for m in own]
            count += len(placed.matrices) if instances is not None else 1
            self._refuse_many(count)
        if found:
            return list(found.values())
        return [
            _Placed(i, [np.eye(4)], None, None, [(-1, np.eye(4))]) for i in range(len(data.list("meshes", data.json)))
        ]

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
            self._world[index] = above @ local_matrix(data, node)
            below = data.list("children", node)
            self._parents.update(dict.fromkeys(below, index))
            stack += [(c, self._world[index]) for c in reversed(below)]

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
        return matrices(
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
        before, weights = (
            shape["POSITION"].copy(),
            placed.weights if placed.weights is not None else mesh.get("weights"),
        )
        self._morph(shape, primitive, weights)
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
        self._place(part, placed, before, streams)
        if part.motion is not None and self._morphs(placed):
            self._let_morph(part.motion, primitive, placed.nodes[0][0], weights)
        return part

    def _morphs(self, placed: _Placed) -> bool:
        """Whether the shapes of a mesh come and go."""
        return self._motion is not None and placed.nodes[0][0] in self._motion.morphing

    def _place(self, part: _Part, placed: _Placed, before: Array, streams: dict[str, Array]) -> None:
        """Put a part in its places, or pose it, and keep how it moves; `before` are its vertices without any shape."""
        motion, morphs = self._motion, self._morphs(placed)
        still = before if morphs else part.positions
        if placed.skin is not None and "JOINTS_0" in streams and "WEIGHTS_0" in streams:
            skin = self._skin(placed.skin, streams)
            part.pose(skin.matrices)
            if motion is not None:
                part.motion = motion.skinned(still, skin.joints, skin.inverse, skin.held, skin.shares)
            return
        part.place(placed.matrices)
        if motion is not None:
            where = self._rested(still, placed) if morphs else part.positions
            part.motion = motion.rigid(still, placed.nodes, where)

    @staticmethod
    def _rested(positions: Array, placed: _Placed) -> Array:
        """Places before any shape, where the only node of a morphing mesh puts them."""
        matrix = placed.matrices[0]
        return np.asarray(positions @ matrix[:3, :3].T + matrix[:3, 3])

    def _let_morph(self, part: PartMotion, primitive: Any, node: int, weights: Any) -> None:
        """Give a part the shapes of its node."""
        targets, count = self.data.list("targets", primitive), len(part.positions)
        deltas = []
        for target in targets:
            pair = []
            for name in ("POSITION", "NORMAL"):
                given = self.data.accessor(target[name], (3,)).astype(np.float32) if name in target else None
                if given is not None and len(given) != count:
                    raise self.data.bad("a morph target has another number of vertices")
                pair.append(np.zeros((count, 3), np.float32) if given is None else given)
            deltas.append((pair[0], pair[1]))
        at_rest = np.zeros(len(targets)) if weights is None else self.data.numbers(weights, len(targets), "weights")
        assert self._motion is not None
        self._motion.add_shapes(part, node, deltas, at_rest)

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

    def _skin(self, index: int, streams: dict[str, Array]) -> _Skin:
        """What vertices hang from, and the matrix that gives each: its joints', by weight.

        The node's own place does not count (glTF 2.0, 3.7.3.2).
        """
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
        every = []
        for i in range(8):
            if f"JOINTS_{i}" not in streams or f"WEIGHTS_{i}" not in streams:
                break
            at, weight = streams[f"JOINTS_{i}"].astype(np.int64), as_shares(streams[f"WEIGHTS_{i}"])
            if at.shape != weight.shape or (at.size and at.max() >= len(joints)):
                raise data.bad("a vertex hangs from a joint that is not there")
            data.spend(total.nbytes)
            for c in range(at.shape[1]):
                total += weight[:, c, None, None] * world[at[:, c]]
                spent += weight[:, c]
            every.append((at, weight))
        posed = np.where((spent > 1e-6)[:, None, None], total / np.maximum(spent, 1e-6)[:, None, None], np.eye(4))
        held, shares = (np.concatenate([e[i] for e in every], axis=1) for i in (0, 1))
        return _Skin(posed, joints, inverse, held, shares)

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


def slot_names(data: GltfData, kept: bool) -> dict[int | None, str]:
    """A slot's name by its material's number; two materials of one name stay two."""
    names: dict[int | None, str] = {None: "surface"}
    taken: set[str] = set()
    for i, material in enumerate(data.list("materials", data.json)):
        extras = material.get("extras") if isinstance(material, dict) else None
        name = str(material.get("name") or f"material {i + 1}") if isinstance(material, dict) else f"material {i + 1}"
        if not kept and isinstance(extras, dict) and isinstance(extras.get(OURS), str):
            name = extras[OURS]  # the slot that we wrote it for
        names[i] = free_name(name[:120], taken)
        taken.add(names[i])
    return names


def _extension(owner: dict[str, Any], name: str) -> Any:
    extensions = owner.get("extensions")
    return extensions.get(name) if isinstance(extensions, dict) else None


def _wide(data: GltfData, values: Array, widths: tuple[int, ...]) -> Array:
    if values.shape[1] not in widths:
        raise data.bad(f"a vertex attribute has {values.shape[1]} components, expected {widths[-1]}")
    return values


def _color(values: Array) -> Array:
    if values.dtype != np.float32:
        values = values.astype(np.float32) / float(np.iinfo(values.dtype).max)
    if values.shape[1] == 3:
        values = np.concatenate([values, np.ones((len(values), 1), np.float32)], axis=1)
    return (np.clip(np.nan_to_num(values), 0, 1) * FULL + 0.5).astype(np.uint16)
