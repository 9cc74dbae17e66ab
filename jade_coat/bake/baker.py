"""Bakes one look on one mesh: the NumPy back end over every texel of a map."""

from __future__ import annotations

import threading
from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from functools import partial
from typing import Any

import numpy as np

from jade_coat.bake.memory import keep_freed_memory
from jade_coat.bake.raster import Coverage, cover, nearest_covered
from jade_coat.bake.unwrap import BakeMesh
from jade_coat.jobs.job import Job
from jade_coat.looking.attributes import AttributeTable, instance_values
from jade_coat.looking.levels import fitting_levels
from jade_coat.looking.steps import scatter_step
from jade_coat.maps.color import to_srgb
from jade_coat.maps.images import png_bytes, quantized
from jade_coat.maps.packing import Texture
from jade_coat.maps.sampling import read_steps, reading
from jade_coat.material.compile import compile_material, fixed_fields, seen_from_ahead, with_shared
from jade_coat.material.fields import Number, remembered
from jade_coat.material.material import Material
from jade_coat.material.paint_source import painted_by_map
from jade_coat.material.quantity import OUTPUTS, QUANTITIES, Quantity
from jade_coat.material.shared import SharedValue
from jade_coat.material.surface import MapLookup
from jade_coat.mesh.attributes import vertex_attributes
from jade_coat.mesh.data import MeshData, Slot
from jade_coat.mesh.painting import PaintMap
from jade_coat.program import Value, combine, lib, passes
from jade_coat.program.fused import plan
from jade_coat.program.machine import PITCH, BlockCall, run_chain
from jade_coat.program.numpy_backend import Environment, evaluate
from jade_coat.program.types import VEC3, VEC4, Array

CHUNK = 1 << 16
WORTH_A_PLAN = 1 << 16
"""From this many texels on, compiling the program pays."""
LEVEL_PROBES = 400
ALL_FROM = 0.9
"""Where a larger share of the texels is covered, leaving out the others takes longer than working them out."""
LOOKS_KEPT = 8
"""How many looks of one material have their programs kept."""
FRAME = frozenset({"frame_normal", "frame_tangent"})
MIN_SIDE, MAX_SIDE = 16, 8192


@dataclass(frozen=True)
class BakedMaps:
    """Values over a map: linear base colour, tangent-space normal, …: `(side, side, k) float32`, gutters filled."""

    values: Mapping[str, Array]

    def png_files(self) -> dict[str, bytes]:
        """PNG files by name: base_color (sRGB), packed (occlusion, roughness, metallic), normal, height; emissive and
        opacity where there is any. Glow is stored as a share of `glow`."""
        found = {}
        for name in dict.fromkeys(q.file.name for q in QUANTITIES.values()):
            held = [q for q in QUANTITIES.values() if q.file.name == name]
            if any(q.always or self._says_something(q) for q in held):
                planes = {c: self._coded(q)[..., i] for q in held for i, c in enumerate(q.file.channels)}
                picture = np.stack([planes[c] for c in "rgba" if c in planes], axis=2)
                found[name] = png_bytes(quantized(picture, held[0].file.bits))
        return found

    def _says_something(self, quantity: Quantity) -> bool:
        least = 0.0 if quantity.is_color else 0.5 / 255  # a dim glow is one all the same
        return bool(np.abs(self.values[quantity.name] - np.array(quantity.default)).max() > least)

    def _coded(self, quantity: Quantity) -> Array:
        """A quantity between 0 and 1, as its file holds it: colour in sRGB, what has no upper end as a share of it."""
        values, (low, high) = self.values[quantity.name], quantity.span
        if quantity.is_color:
            return to_srgb(values / max(self.glow, 1.0) if high > 1 else values)
        return np.asarray((values - low) / (high - low))

    @property
    def glow(self) -> float:
        """The strongest glow, in linear light."""
        return float(self.values["emissive"].max())

    @property
    def is_cut(self) -> bool:
        """Whether anything is less than opaque."""
        return bool(self.values["opacity"].min() < 1 - 0.5 / 255)

    def specular(self) -> tuple[float, bytes | None]:
        """What KHR_materials_specular says of it: a factor, and a PNG whose alpha multiplies it where it differs."""
        values = self.values["specular"]
        low, high = float(values.min()), float(values.max())
        if high - low < 1 / 255:
            return round((low + high) / 2, 4), None
        white = np.ones((*values.shape[:2], 3), np.float32)
        return 1.0, png_bytes(quantized(np.concatenate([white, np.clip(values, 0, 1)], axis=2)))

    def base_color_with_alpha(self, unlit: bool = False, added: bool = False) -> bytes:
        """Base colour (sRGB) with opacity as its alpha, as PNG; `unlit` puts the glow into it.

        What is `added` to what is behind is as opaque as it is bright: blended over the dark it is the same, and black
        is not there.
        """
        v = self.values
        color, opacity = np.clip(v["base_color"] + v["emissive"], 0, 1) if unlit else v["base_color"], v["opacity"]
        if added:
            light = color * opacity
            opacity = light.max(axis=2, keepdims=True)
            color = light / np.maximum(opacity, 1e-6)
        return png_bytes(quantized(np.concatenate([to_srgb(color), opacity], axis=2)))


@dataclass(frozen=True)
class Look:
    """A material with every field's value, and what its maps are read from."""

    material: Material
    values: Mapping[str, Number]
    lookup: MapLookup
    textures: Mapping[str, Texture]
    seed: float = 0.0
    paint_map: PaintMap | None = None
    """Paint on a map, which stands in for the paint on the vertices."""
    shared: Mapping[str, SharedValue] = field(default_factory=dict)

    def program(self) -> dict[str, Value]:
        """The folded program with all fields constant, seen from straight ahead."""
        known = _programs(self.material)
        source = self.paint_map.source if self.paint_map is not None else None
        asked: Any = (self.lookup, tuple(self.values.items()), source, tuple(self.shared.items()))
        if asked not in known:
            outputs = compile_material(self.material, self.lookup, fixed_fields(self.values))
            if source is not None:
                outputs = painted_by_map(outputs, source)
            wanted = {name: outputs[name] for name in OUTPUTS}
            if len(known) >= LOOKS_KEPT:
                del known[next(iter(known))]
            known[asked] = seen_from_ahead(with_shared(wanted, self.shared))
        return dict(known[asked])


@remembered
def _programs(material: Material) -> dict[Any, dict[str, Value]]:
    """The programs of a material's looks, the last few: many props wear one, and it takes a while to work out."""
    return {}


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
    values = evaluated(original, baked, run, coverage, look, matrix, colors, job, threads)
    empty, nearest = nearest_covered(coverage)
    for array in (a for a in values.values() if a.flags.writeable):
        array[:, empty] = array[:, nearest]
    return BakedMaps({name: array.reshape(-1, side, side).transpose(1, 2, 0) for name, array in values.items()})


# Long: its inner functions share what is worked out once.
def evaluated(
    original: MeshData, baked: BakeMesh, run: Array, coverage: Coverage, look: Look, matrix: Array,
    colors: Array | None, job: Job, threads: int = 2,
) -> dict[str, Array]:  # fmt: skip
    """Every output at every covered texel, `(k, side * side)`; 0 elsewhere.

    An output that is the same everywhere is one value spread out, which cannot be written to.
    """
    outputs = look.program()
    outputs["normal"] = _in_frame(outputs["normal"], "" if _keeps_frame(original, baked) else "frame_")
    table = _table(original, baked, matrix, colors, passes.reads(outputs, "attribute"))
    instance = instance_values(original, look.seed)
    fixed = {name: outputs.pop(name) for name in OUTPUTS if not passes.varies(outputs[name])}
    shape = {n: (QUANTITIES[n].size, coverage.triangle.size) for n in OUTPUTS}
    result = {n: np.empty(shape[n], np.float32) for n in outputs}
    texels, owner, weights = _worked_out(coverage)

    def attributes(part: Array | slice) -> dict[str, Array]:
        return table.at(run, owner[part], weights[part])

    levels = _levels(outputs, texels, owner, attributes, instance, look.textures)
    read = reading(look.textures, lambda t: levels.get(t.name, 0))

    def pixels(name: str) -> Array:
        return look.textures[name].wrapped(levels.get(name, 0))

    def steps() -> list[BlockCall] | None:
        """The whole way from a block of texels to the maps, on memory of its own; None if NumPy has to be called."""
        if len(texels) < WORTH_A_PLAN:
            return None
        room = np.empty((table.width, PITCH), np.float32)
        chain = plan(outputs).chain(
            Environment(instance=instance, **read), table.split(room),
            lambda wanted, at: read_steps([(pixels(r.name), out) for r, out in wanted], at),
        )  # fmt: skip
        if chain is None:
            return None
        ends = [scatter_step(texels, chain.outputs[name], result[name]) for name in outputs]
        return [table.step(run, owner, weights, room), *chain.steps, *ends]

    run_all = plan(outputs).run if len(texels) >= WORTH_A_PLAN else partial(evaluate, outputs)

    def work(start: int) -> None:
        if job.cancelled:
            return
        part = slice(start, start + CHUNK)
        if not hasattr(own, "steps"):  # once for each thread
            own.steps = steps()
        if own.steps is not None:
            run_chain(own.steps, start, len(texels[part]))
            return
        found = run_all(Environment(attributes=attributes(part), instance=instance, **read))
        for name, array in found.items():
            result[name][:, texels[part]] = array

    keep_freed_memory()
    own = threading.local()
    starts = range(0, len(texels), CHUNK)
    with ThreadPoolExecutor(threads) as pool:
        for done, _ in enumerate(pool.map(work, starts), 1):
            job.step(done / max(len(starts), 1), "Baking")
    empty = np.flatnonzero(coverage.triangle.ravel() < 0)
    for array in result.values():
        array[:, empty] = 0.0
    same = evaluate(fixed, Environment(instance=instance, mean=read["mean"]))
    return {n: result[n] if n in result else np.broadcast_to(same[n], shape[n]) for n in OUTPUTS}


def _worked_out(coverage: Coverage) -> tuple[Array, Array, Array]:
    """The texels that are worked out, with the triangle and the weights at each: all where hardly any is empty."""
    owner, weights = coverage.triangle.ravel(), coverage.weights.reshape(-1, 2)
    if coverage.filled > ALL_FROM:
        return np.arange(len(owner)), np.maximum(owner, 0), weights
    texels = np.flatnonzero(owner >= 0)
    # A pair of weights as one number: rows of two are taken four times as slowly.
    return texels, owner[texels], weights.view(np.int64).take(texels).view(np.float32).reshape(-1, 2)


def _keeps_frame(original: MeshData, baked: BakeMesh) -> bool:
    """Whether the map's mesh has the original's own tangents: then one frame serves both."""
    return all(
        np.array_equal(getattr(baked.mesh, name), baked.of_original(getattr(original, name)))
        for name in ("normals", "tangents")
    )


def _table(
    original: MeshData, baked: BakeMesh, matrix: Array, colors: Array | None, wanted: frozenset[str]
) -> AttributeTable:
    """What the program reads, by the vertices of the mesh that is baked into: its frame, and the original's values."""
    of_original = vertex_attributes(original, matrix, colors, wanted - FRAME)
    parts = {name: baked.of_original(values) for name, values in of_original.items()}
    if wanted & FRAME:
        frame = vertex_attributes(baked.mesh, matrix, None, frozenset({"normal", "tangent"}))
        parts |= {f"frame_{name}": values for name, values in frame.items()}
    return AttributeTable(parts)


def _in_frame(normal: Value, prefix: str) -> Value:
    """A world normal in the tangent space of the map's own mesh, unit length."""
    n = lib.normalize(lib.attribute(f"{prefix}normal", VEC3))
    tangent = lib.attribute(f"{prefix}tangent", VEC4)
    t = lib.normalize(tangent.xyz - n * lib.dot(n, tangent.xyz))
    b = lib.cross(n, t) * tangent.w
    return lib.normalize(combine(lib.dot(normal, t), lib.dot(normal, b), lib.dot(normal, n)))


def _levels(
    outputs: Mapping[str, Value], texels: Array, owner: Array, attributes: Callable[[Array], dict[str, Array]],
    instance: Mapping[str, Array], textures: Mapping[str, Texture],
) -> dict[str, int]:  # fmt: skip
    """The mip level of each texture that fits the map's texels: from how far reads move between neighbours."""
    last = len(texels) - 1
    for step in (max(last // (2 * LEVEL_PROBES), 1), 1):  # a thin mesh may have no neighbours among a few
        among = np.arange(0, last, step)
        pick = among[(texels[among + 1] - texels[among] == 1) & (owner[among + 1] == owner[among])]
        if len(pick):
            break
    else:
        return {}
    pick = pick[:: max(len(pick) // LEVEL_PROBES, 1)]
    return fitting_levels(outputs, (attributes(pick), attributes(pick + 1)), instance, textures)
