"""How much a look repeats on a prop: its colour laid flat, coat by coat at the period of the coat's own tiles."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import partial

import numpy as np

from jade_coat.bake.decal_bake import decals_on
from jade_coat.bake.raster import cover
from jade_coat.check.repetition import repetition
from jade_coat.files.library import Library
from jade_coat.looking.coverage import shares_of
from jade_coat.looking.look_at import LookAt, look_at
from jade_coat.looking.lying import lain
from jade_coat.maps.color import LUMINANCE
from jade_coat.maps.packing import Texture
from jade_coat.material.material import Coat
from jade_coat.material.quantity import OUTPUTS, QUANTITIES
from jade_coat.mesh.data import MeshData
from jade_coat.program.types import Array
from jade_coat.stage.decals import Decal
from jade_coat.stage.looks import finish_on
from jade_coat.stage.project import Project, Prop

LainOn = Callable[[Mapping[str, Array], Array, Array], Array]
"""Gives the colours at points once decals lie on them, of what is below, triangles and weights."""
SIDE, A_TILE = 256, 32
"""Points along a side of the patch that is looked at, and along a tile in it."""
LEAST_SHARE = 0.02
"""Coats that are seen on less than this count for nothing."""
SEEN = 0.5
_PLANES = ((2, 1), (0, 2), (0, 1))
"""The two axes of the plane across x, y and z."""


@dataclass(frozen=True)
class Tiling:
    """How much a slot repeats, 0 to 1; the coat that repeats most, and the two steps of its tiles in metres `(2, 2)`,
    along the surface's UVs or the axes of its plane."""

    score: float
    coat: str = ""
    steps: Array | None = None


def prop_repetition(project: Project, library: Library, prop: Prop) -> float:
    """How much a prop repeats, 0 to 1: its slots' scores by their area. Raises what loading meshes and maps raises."""
    mesh = library.mesh_by_id(project, prop.mesh)
    total = score = 0.0
    for slot in mesh.slots:
        corners = mesh.positions[mesh.triangles[slot.start : slot.start + slot.count]]
        area = float(
            np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1).sum()
        )
        total += area
        if finish_on(project, prop, slot.name):
            score += area * slot_repetition(project, library, prop, slot.name).score
    return score / max(total, 1e-30)


def slot_repetition(project: Project, library: Library, prop: Prop, slot: str, mesh: MeshData | None = None) -> Tiling:
    """How much one slot repeats: of all coats that are seen, the most that one repeats by the share it is seen on.

    What is compared is the look itself, all coats blended and decals on it, where that coat is seen; `mesh` stands in
    for the prop's. Raises KeyError, and what loading meshes and maps raises.
    """
    look = look_at(project, library, prop, slot, mesh)
    own = project.props.get(prop.id) is not None
    decals = decals_on(project, prop, lambda _: look.mesh) if own else ()
    lain_on = partial(_with_decals, project, library, look, decals) if decals else None
    best = Tiling(0.0)
    for coat_id, share in sorted(shares_of(look).items(), key=lambda item: -item[1]):
        coat = look.material.coat(coat_id)
        if share < max(LEAST_SHARE, best.score):
            break  # no score is higher than the share it counts for
        if not coat.surface.sets:
            continue
        steps = tile_steps(look, coat)
        score = share * _score(look, coat, steps, lain_on)
        if score > best.score or not best.coat:
            best = Tiling(score, coat_id, steps)
    return best


def tile_steps(look: LookAt, coat: Coat) -> Array:
    """The metres along the surface's two axes from a tile to the next one across and down, `(2, 2)`."""
    size = float(np.float64(look.values[f"{coat.id}.surface.tile_size"]))  # type: ignore[arg-type]
    turn = float(np.float64(look.values[f"{coat.id}.surface.turn"]))  # type: ignore[arg-type]
    c, s = np.cos(turn), np.sin(turn)
    return np.array([[c, -s], [s, c]]) * size


def _score(look: LookAt, coat: Coat, steps: Array, lain_on: LainOn | None) -> float:
    flat = _laid_flat(look, coat)
    size = float(np.linalg.norm(steps[0]))
    reach = float((flat.max(axis=0) - flat.min(axis=0)).max())
    if reach < size * 1.3:
        return 0.0  # hardly more than one tile: nothing can be seen to repeat
    middle = np.median(flat[look.triangles].mean(axis=1), axis=0)
    owner, weights = _on_surface(look, (flat - middle) @ np.linalg.inv(steps))
    there = owner >= 0
    if there.mean() < 0.05:
        return 0.0

    def level(texture: Texture) -> int:
        return max(0, int(np.log2(max(max(texture.levels[0].shape[:2]) / A_TILE, 1.0))))

    covered = f"coverage:{coat.id}"
    names = ["base_color", covered] if lain_on is None else [*OUTPUTS, covered]
    found = look.at(names, owner[there], weights[there], level)
    color = np.broadcast_to(found["base_color"], (3, int(there.sum())))
    if lain_on is not None:
        color = lain_on(found, owner[there], weights[there])
    picture, mask = np.zeros(SIDE * SIDE), np.zeros(SIDE * SIDE, bool)
    picture[there] = np.cbrt(np.maximum(LUMINANCE @ color, 0))
    mask[there] = np.broadcast_to(found[covered][0], color.shape[1:]) > SEEN
    periods = [(float(A_TILE), 0.0), (0.0, float(A_TILE))]
    return repetition(picture.reshape(SIDE, SIDE), mask.reshape(SIDE, SIDE), periods).score


def _with_decals(
    project: Project, library: Library, look: LookAt, decals: Sequence[Decal], found: Mapping[str, Array],
    owner: Array, weights: Array,
) -> Array:  # fmt: skip
    """The colours `(3, n)` at points of a prop once its decals lie on them: they hide what repeats below."""
    corners, matrix = look.triangles[owner], look.prop.matrix()
    shares = np.concatenate([1 - weights.sum(axis=1, keepdims=True), weights], axis=1)
    points, normals = (
        np.einsum("nck,nc->nk", values[corners].astype(np.float64), shares)
        for values in (look.mesh.positions, look.mesh.normals)
    )
    points = points @ matrix[:3, :3].T + matrix[:3, 3]
    normals = normals @ np.linalg.inv(matrix[:3, :3])
    normals /= np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
    values = {n: np.array(np.broadcast_to(found[n], (QUANTITIES[n].size, len(points)))) for n in OUTPUTS}
    values["normal"] = normals.T.astype(np.float32)
    for decal in decals:
        values = lain(project, library, decal, points, normals, values)
    return values["base_color"]


def _laid_by_uv(mesh: MeshData, uv_set: int) -> Array:
    metres = mesh.metres[uv_set] if uv_set < len(mesh.metres) else (1.0, 1.0)
    return mesh.uv(uv_set).astype(np.float64) * metres


def _laid_flat(look: LookAt, coat: Coat) -> Array:
    """Every vertex's place in the plane its maps are laid in, metres `(n, 2)`."""
    surface, mesh = coat.surface, look.mesh
    if surface.placement == "square":
        return mesh.uv(surface.uv_set).astype(np.float64)
    if surface.placement == "uv":
        return _laid_by_uv(mesh, surface.uv_set)
    positions = mesh.positions.astype(np.float64)
    if surface.space == "world":
        positions = positions @ look.prop.matrix()[:3, :3].T
    return positions[:, list(plane_of(look, coat))]


def plane_of(look: LookAt, coat: Coat) -> tuple[int, int]:
    """The axes of the plane that most of a surface laid from above or from three sides is laid in."""
    if coat.surface.placement == "planar":
        return 0, 2
    corners = look.mesh.positions[look.triangles].astype(np.float64)
    facing = np.abs(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])).sum(axis=0)
    return _PLANES[int(np.argmax(facing))]


def _on_surface(look: LookAt, tiles: Array) -> tuple[Array, Array]:
    """The slot's triangle at each point of the patch `(n,)` (−1: none) and the weights in it, row by row.

    `tiles` are the vertices' places in tiles from the patch's middle `(n, 2)`: the grid lies along the tiles, a whole
    number of points to each, so that a repeat falls on points again.
    """
    coverage = cover(tiles * (A_TILE / SIDE) + 0.5, look.triangles, SIDE)
    return coverage.triangle.ravel().astype(np.int64), coverage.weights.reshape(-1, 2)
