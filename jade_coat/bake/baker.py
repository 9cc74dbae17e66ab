"""Bakes one look on one mesh: the NumPy back end over every texel of a map."""

from __future__ import annotations

from collections.abc import Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np

from jade_coat.bake.job import Job
from jade_coat.bake.memory import keep_freed_memory
from jade_coat.bake.raster import Coverage, blend, cover, nearest_covered
from jade_coat.bake.unwrap import BakeMesh
from jade_coat.maps.color import to_srgb
from jade_coat.maps.images import png_bytes, quantized
from jade_coat.maps.packing import Texture
from jade_coat.maps.sampling import bilinear, fetcher
from jade_coat.material.compile import compile_material, fixed_fields
from jade_coat.material.fields import Number
from jade_coat.material.material import Material
from jade_coat.material.surface import MapLookup
from jade_coat.mesh.data import FULL, MeshData, Slot
from jade_coat.program import TextureRef, Value, passes
from jade_coat.program.numpy_backend import Environment, evaluate
from jade_coat.program.types import Array

CHUNK = 1 << 16
OUTPUTS = ("base_color", "normal", "roughness", "metallic", "occlusion", "height", "emissive")
SIZES = {"base_color": 3, "normal": 3, "emissive": 3}
MIN_SIDE, MAX_SIDE = 16, 8192


@dataclass(frozen=True)
class BakedMaps:
    """Values over a map: linear base colour, tangent-space normal, …: `(side, side, k) float32`, gutters filled."""

    values: Mapping[str, Array]

    def png_files(self) -> dict[str, bytes]:
        """PNG files by name: base_color (sRGB), packed (occlusion, roughness, metallic), normal, height, emissive."""
        v = self.values
        packed = np.concatenate([v["occlusion"], v["roughness"], v["metallic"]], axis=2)
        files = {
            "base_color": png_bytes(quantized(to_srgb(v["base_color"]))),
            "packed": png_bytes(quantized(packed)),
            "normal": png_bytes(quantized(v["normal"] * 0.5 + 0.5)),
            "height": png_bytes(quantized(v["height"], 16)),
        }
        if v["emissive"].max() > 0:
            files["emissive"] = png_bytes(quantized(to_srgb(v["emissive"])))
        return files


@dataclass(frozen=True)
class Look:
    """A material with every field's value, and what its maps are read from."""

    material: Material
    values: Mapping[str, Number]
    lookup: MapLookup
    textures: Mapping[str, Texture]

    def program(self) -> dict[str, Value]:
        """The folded program with all fields constant."""
        outputs = compile_material(self.material, self.lookup, fixed_fields(self.values))
        return {name: outputs[name] for name in OUTPUTS}


def texel_attributes(
    mesh: MeshData, triangles: Array, weights: Array, matrix: Array, colors: Array | None, wanted: frozenset[str]
) -> dict[str, Array]:
    """Attributes at points of triangles, `(k, n) float32` by name; `triangles` `(n, 3)`, `weights` `(n, 2)`.

    World-space directions assume the matrix scales evenly.
    """
    turn = matrix[:3, :3].astype(np.float32)
    turn = turn / np.cbrt(np.abs(np.linalg.det(turn)))
    found = {"position": blend(mesh.positions, triangles, weights)} if wanted & {"position", "world_position"} else {}
    if "world_position" in wanted:
        found["world_position"] = (matrix[:3, :3].astype(np.float32) @ found["position"]) + matrix[:3, 3:].astype(
            np.float32
        )
    found["normal"] = turn @ blend(mesh.normals, triangles, weights)
    tangent = blend(mesh.tangents, triangles, weights)
    found["tangent"] = np.concatenate([turn @ tangent[:3], np.sign(tangent[3:])])
    for name in wanted:
        if name.startswith("uv"):
            found[name] = blend(mesh.uv(int(name[2:])), triangles, weights)
        elif name.startswith("color"):
            index = int(name[5:])
            values = colors if colors is not None and index == 0 else _color_set(mesh, index)
            found[name] = blend(values, triangles, weights) / np.float32(FULL)
    return found


def _color_set(mesh: MeshData, index: int) -> Array:
    return mesh.colors[index] if index < len(mesh.colors) else np.zeros((mesh.vertex_count, 4), np.uint16)


def instance_values(mesh: MeshData) -> dict[str, Array]:
    """What programs read of a prop: the metres that a unit of each UV set spans."""
    found = {f"metres{i}": np.ones((2, 1), np.float32) for i in range(8)}
    for i, metres in enumerate(mesh.metres):
        found[f"metres{i}"] = np.array(metres, np.float32)[:, None]
    return found


def bake_slot(
    original: MeshData,
    baked: BakeMesh,
    slot: Slot,
    look: Look,
    matrix: Array,
    colors: Array | None,
    side: int,
    job: Job,
    threads: int = 2,
) -> BakedMaps:
    """Bake a look over one slot (of `baked.mesh`). Raises Cancelled, or ValueError for an impossible size.

    `colors` is the prop's own paint `(n, 4) uint16` by the original's vertices.
    """
    if not MIN_SIDE <= side <= MAX_SIDE:
        raise ValueError(f"a map of {side} texels a side cannot be baked; choose {MIN_SIDE} to {MAX_SIDE}")
    run = baked.mesh.triangles[slot.start : slot.start + slot.count].astype(np.int64)
    job.step(0.0, "Covering the map")
    coverage = cover(baked.mesh.uvs[0], run, side)
    values = _evaluated(original, baked, run, coverage, look, matrix, colors, job, threads)
    empty, nearest = nearest_covered(coverage)
    for array in values.values():
        array[empty] = array[nearest]
    return BakedMaps(values)


def _evaluated(
    original: MeshData, baked: BakeMesh, run: Array, coverage: Coverage, look: Look, matrix: Array,
    colors: Array | None, job: Job, threads: int,
) -> dict[str, Array]:  # fmt: skip
    side = coverage.triangle.shape[0]
    outputs = look.program()
    wanted = passes.reads(outputs, "attribute")
    source_triangles = baked.source[run]
    texels = np.flatnonzero(coverage.triangle.ravel() >= 0)
    owner, weights = coverage.triangle.ravel()[texels], coverage.weights.reshape(-1, 2)[texels]
    result = {n: np.zeros((side * side, SIZES.get(n, 1)), np.float32) for n in OUTPUTS}
    instance = instance_values(original)

    def attributes(part: Array) -> dict[str, Array]:
        return texel_attributes(original, source_triangles[owner[part]], weights[part], matrix, colors, wanted)

    levels = _levels(outputs, texels, owner, attributes, instance, look.textures)
    fetch = fetcher(look.textures, lambda t: levels.get(t.name, 0))
    chunks = [np.arange(i, min(i + CHUNK, len(texels))) for i in range(0, len(texels), CHUNK)]

    def work(part: Array) -> None:
        if job.cancelled:
            return
        at = attributes(part)
        found = evaluate(outputs, Environment(attributes=at, instance=instance, fetch=fetch))
        frame = texel_attributes(baked.mesh, run[owner[part]], weights[part], matrix, None, frozenset())
        found["normal"] = _in_frame(found["normal"], frame["normal"], frame["tangent"])
        for name, array in found.items():
            result[name][texels[part]] = np.broadcast_to(array, (array.shape[0], len(part))).T

    keep_freed_memory()
    with ThreadPoolExecutor(threads) as pool:
        for done, _ in enumerate(pool.map(work, chunks), 1):
            job.step(done / max(len(chunks), 1), "Baking")
    return {name: array.reshape(side, side, -1) for name, array in result.items()}


def _in_frame(normal: Array, frame_normal: Array, tangent: Array) -> Array:
    """World normals `(3, n)` in the tangent space of normals `(3, n)` and tangents `(4, n)`, unit length."""
    n = frame_normal / np.maximum(np.linalg.norm(frame_normal, axis=0), 1e-12)
    t = tangent[:3]
    t = t - n * (t * n).sum(axis=0)
    t = t / np.maximum(np.linalg.norm(t, axis=0), 1e-12)
    b = np.cross(n, t, axis=0) * tangent[3]
    local = np.stack([(normal * t).sum(axis=0), (normal * b).sum(axis=0), (normal * n).sum(axis=0)])
    return np.asarray(local / np.maximum(np.linalg.norm(local, axis=0), 1e-12), np.float32)


def _levels(
    outputs: Mapping[str, Value], texels: Array, owner: Array, attributes: object, instance: Mapping[str, Array],
    textures: Mapping[str, Texture],
) -> dict[str, int]:  # fmt: skip
    """The mip level of each texture that fits the map's texels: from how far reads move between neighbours."""
    neighbours = np.flatnonzero((np.diff(texels) == 1) & (np.diff(owner) == 0))
    if not len(neighbours):
        return {}
    pick = neighbours[:: max(len(neighbours) // 2000, 1)]
    moves: dict[str, float] = {}
    uv_of: list[dict[str, list[Array]]] = [{}, {}]

    def probing(side: int) -> object:
        def fetch(reference: TextureRef, uv: Array) -> Array:
            uv_of[side].setdefault(reference.name, []).append(uv)
            return bilinear(textures[reference.name].wrapped(0), uv)

        return fetch

    for side in (0, 1):
        environment = Environment(attributes=attributes(pick + side), instance=instance, fetch=probing(side))  # type: ignore[operator, arg-type]
        evaluate(outputs, environment)
    for name, reads in uv_of[0].items():
        height, width = textures[name].levels[0].shape[:2]
        for a, b in zip(reads, uv_of[1][name], strict=True):
            step = np.hypot((b - a)[0] * width, (b - a)[1] * height)
            moves[name] = min(moves.get(name, np.inf), float(np.median(step)))
    return {name: max(0, round(np.log2(max(move, 1e-6)) - 0.25)) for name, move in moves.items()}
