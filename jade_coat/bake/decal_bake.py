"""Lays decals onto baked maps: what a file cannot carry as a decal is part of its receivers' own maps."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from jade_coat.bake.baker import BakedMaps
from jade_coat.bake.raster import cover, nearest_covered
from jade_coat.bake.unwrap import BakeMesh
from jade_coat.files.library import Library
from jade_coat.looking.lying import lain
from jade_coat.looking.touching import touches
from jade_coat.material.quantity import OUTPUTS, QUANTITIES
from jade_coat.mesh.data import MeshData, Slot
from jade_coat.program.types import Array
from jade_coat.stage.decals import Decal
from jade_coat.stage.project import Project, Prop

CHUNK = 1 << 16


def decals_on(project: Project, prop: Prop, mesh_data: Callable[[str], MeshData]) -> tuple[Decal, ...]:
    """The decals that lie on a prop, the lowest first."""
    shown = [d for d in project.decals if d.finish and project.shows(d)]
    found = [d for d in shown if touches(project, d, prop, mesh_data(prop.mesh)) == "yes"]
    return tuple(sorted(found, key=lambda d: (d.order, d.id)))


def with_decals(
    maps: BakedMaps,
    baked: BakeMesh,
    slot: Slot,
    prop: Prop,
    decals: Sequence[Decal],
    project: Project,
    library: Library,
) -> BakedMaps:
    """Baked maps with decals laid onto them, by the formula that the view uses. Raises what reading maps raises."""
    side = maps.values["base_color"].shape[0]
    run = baked.mesh.triangles[slot.start : slot.start + slot.count].astype(np.int64)
    coverage = cover(baked.mesh.uvs[0], run, side)
    owner, weights = coverage.triangle.ravel(), coverage.weights.reshape(-1, 2)
    flat = {name: np.array(maps.values[name]).reshape(side * side, -1) for name in OUTPUTS}
    texels = np.flatnonzero(owner >= 0)
    for start in range(0, len(texels), CHUNK):
        part = texels[start : start + CHUNK]
        _lay(flat, part, run[owner[part]], weights[part], baked.mesh, prop, decals, project, library)
    empty, nearest = nearest_covered(coverage)
    for array in flat.values():
        array[empty] = array[nearest]
    made = {name: flat[name].reshape(side, side, QUANTITIES[name].size) for name in OUTPUTS}
    return replace(maps, values={**maps.values, **made})


def _lay(
    flat: dict[str, Array], texels: Array, corners: Array, weights: Array, mesh: MeshData, prop: Prop,
    decals: Sequence[Decal], project: Project, library: Library,
) -> None:  # fmt: skip
    shares = np.concatenate([1 - weights.sum(axis=1, keepdims=True), weights], axis=1)

    def at(values: Array) -> Array:
        return np.asarray(np.einsum("nck,nc->nk", values[corners].astype(np.float64), shares))

    matrix = prop.matrix()
    points = at(mesh.positions) @ matrix[:3, :3].T + matrix[:3, 3]
    normals = _unit(at(mesh.normals) @ np.linalg.inv(matrix[:3, :3]))
    tangents = at(mesh.tangents)
    across = tangents[:, :3] @ matrix[:3, :3].T
    across = _unit(across - normals * (across * normals).sum(axis=1, keepdims=True))
    up = np.cross(normals, across) * np.sign(tangents[:, 3:])
    local = flat["normal"][texels]
    world = _unit(across * local[:, :1] + up * local[:, 1:2] + normals * local[:, 2:3])
    values = {name: flat[name][texels].T for name in OUTPUTS}
    values["normal"] = world.T.astype(np.float32)
    for decal in decals:
        values = lain(project, library, decal, points, values["normal"].T.astype(np.float64), values)
    for name in OUTPUTS:
        flat[name][texels] = values[name].T
    made = values["normal"].T
    parts = [(made * axis).sum(axis=1) for axis in (across, up, normals)]
    flat["normal"][texels] = _unit(np.stack(parts, axis=1))


def _unit(vectors: Array) -> Array:
    return np.asarray(vectors / np.maximum(np.linalg.norm(vectors, axis=1, keepdims=True), 1e-12))
