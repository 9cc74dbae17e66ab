"""The section: the heights, colours and weights of a material's coats along a line on a surface."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from jade_coat.files.library import Library
from jade_coat.looking.attributes import AttributeTable, instance_values, map_reads, painted
from jade_coat.looking.levels import fitting_levels
from jade_coat.maps.packing import PackedLookup
from jade_coat.maps.sampling import reading
from jade_coat.material.compile import compile_material, fixed_fields, seen_from_ahead, with_shared
from jade_coat.mesh.attributes import measure, vertex_attributes
from jade_coat.mesh.data import MeshData, median
from jade_coat.mesh.painting import Paint
from jade_coat.mesh.picking import target
from jade_coat.program import passes
from jade_coat.program.numpy_backend import Environment, evaluate
from jade_coat.program.types import Array
from jade_coat.stage.looks import field_row, finish_on, worn
from jade_coat.stage.project import Project, Prop

JUMP = 12.0
"""A step this many times the median one leads over an edge and ends the line."""
FEWEST = 8
_KINDS = ("height", "level", "weight", "coverage", "color")


@dataclass(frozen=True)
class SurfaceLine:
    """Points along a line on a mesh: triangles `(n,)`, weights `(n, 2)`, world points `(n, 3)`, metres run `(n,)`."""

    owner: Array
    weights: Array
    points: Array
    metres: Array


def trace(mesh: MeshData, matrix: Array, slot: str, origin: Array, directions: Array) -> SurfaceLine | None:
    """The line where rays from a world point in world directions `(n, 3)` first meet one slot of a placed mesh.

    The longest stretch without a gap is kept. None when hardly any ray meets it.
    """
    inverse = np.linalg.inv(matrix)
    origins = np.broadcast_to(inverse[:3, :3] @ origin + inverse[:3, 3], directions.shape)
    owner, weights = target(mesh).hits(origins, directions @ inverse[:3, :3].T)
    run = next(s for s in mesh.slots if s.name == slot)
    met = (owner >= run.start) & (owner < run.start + run.count)
    corners = mesh.positions[mesh.triangles[np.maximum(owner, 0)].astype(np.int64)].astype(np.float64)
    shares = np.stack([1 - weights.sum(axis=1), weights[:, 0], weights[:, 1]], axis=1)
    points = np.einsum("nck,nc->nk", corners, shares) @ matrix[:3, :3].T + matrix[:3, 3]
    steps = np.linalg.norm(np.diff(points, axis=0), axis=1)
    joined = met[1:] & met[:-1]
    if joined.any():
        joined &= steps < max(median(steps[joined]) * JUMP, 1e-9)
    start, stop = _longest(joined)
    if stop - start < FEWEST:
        return None
    kept = slice(start, stop)
    metres = np.concatenate([[0.0], np.cumsum(steps[start : stop - 1])])
    return SurfaceLine(owner[kept], weights[kept], points[kept], metres)


def _longest(joined: Array) -> tuple[int, int]:
    """The longest run of points joined to the next one: first, and one behind the last."""
    start, stop = longest_run(joined)
    return (start, stop + 1) if stop > start else (0, 0)


def longest_run(met: Array) -> tuple[int, int]:
    """The longest run of True in `(n,)`: its first, and one behind its last; twice 0 for none."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], met.astype(np.int8), [0]])))
    if not len(edges):
        return 0, 0
    starts, stops = edges[::2], edges[1::2]
    best = int(np.argmax(stops - starts))
    return int(starts[best]), int(stops[best])


def line_across(mesh: MeshData, matrix: Array, slot: str, count: int) -> SurfaceLine | None:
    """A level line across the side of a slot that has the most area, as seen from afar straight before it."""
    run = next(s for s in mesh.slots if s.name == slot)
    corners = mesh.positions[mesh.triangles[run.start : run.start + run.count]].astype(np.float64)
    corners = corners @ matrix[:3, :3].T + matrix[:3, 3]
    normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    area = np.linalg.norm(normals, axis=1)
    sides = np.round(normals / np.maximum(area, 1e-30)[:, None])
    _, side = np.unique(sides, axis=0, return_inverse=True)
    chosen = side.ravel() == np.bincount(side.ravel(), area).argmax()
    facing = normals[chosen].sum(axis=0)
    facing /= max(float(np.linalg.norm(facing)), 1e-30)
    across = np.cross((0.0, 1.0, 0.0) if abs(facing[1]) < 0.9 else (0.0, 0.0, -1.0), facing)
    across /= max(float(np.linalg.norm(across)), 1e-30)
    points = corners[chosen].reshape(-1, 3)
    centre = np.average(corners[chosen].mean(axis=1), axis=0, weights=area[chosen])
    along = (points - centre) @ across
    size = float(np.linalg.norm(np.ptp(corners.reshape(-1, 3), axis=0)))
    origin = centre + facing * size * 4
    ends = centre + np.linspace(along.min() * 0.8, along.max() * 0.8, count)[:, None] * across
    return trace(mesh, matrix, slot, origin, ends - origin)


@dataclass(frozen=True)
class CoatCut:
    """One coat along the line, `(n,)` each: its own height, where it lies on top of those below (`level`), its weight,
    how much of it is seen, and its own linear colour `(n, 3)`; heights are shares of the material's depth."""

    coat: str
    height: Array
    level: Array
    weight: Array
    seen: Array
    color: Array


@dataclass(frozen=True)
class Cut:
    """All shown coats from the bottom up, the metres run, and the material's depth in metres."""

    metres: Array
    depth: float
    coats: tuple[CoatCut, ...]

    @property
    def winner(self) -> Array:
        """The index of the coat that is seen most at each point."""
        return np.argmax(np.stack([c.seen for c in self.coats]), axis=0)


def cut(
    project: Project, library: Library, prop: Prop, slot: str, finish: str, line: SurfaceLine,
    paint_at: Callable[[Array], Array] | None = None, time: float = 0.0,
) -> Cut:  # fmt: skip
    """Cut a finish on a prop along a line, at a time of the clock in seconds.

    `paint_at` gives the paint `(n, 4) uint16` of vertices by index.
    Raises what loading meshes and maps raises.
    """
    material = worn(project, finish)
    values = field_row(project, finish, prop.values.get(slot) if finish_on(project, prop, slot) == finish else None)
    program = compile_material(material, PackedLookup(project.map_sets, project.recipes), fixed_fields(values))
    shown = [c for c in material.coats if c.shown] or [material.coats[0]]
    wanted = {f"{k}:{c.id}": program[f"{k}:{c.id}"] for c in shown for k in _KINDS}
    outputs = seen_from_ahead(with_shared(wanted, project.shared_at(time)))
    mesh = library.mesh_by_id(project, prop.mesh)
    attributes = _along(mesh, prop, passes.reads(outputs, "attribute"), line, paint_at)
    textures = {t.name: t for s in project.map_sets if s.id in material.map_sets for t in library.textures(s)}
    instance = instance_values(mesh, prop.seed)
    ends = ({n: a[:, :-1] for n, a in attributes.items()}, {n: a[:, 1:] for n, a in attributes.items()})
    levels = fitting_levels(outputs, ends, instance, textures)
    read = reading(textures, lambda t: levels.get(t.name, 0))
    found = evaluate(outputs, Environment(attributes=attributes, instance=instance, **read))
    count = len(line.owner)
    numbers = {name: np.broadcast_to(array, (len(array), count)) for name, array in found.items()}
    coats = tuple(
        CoatCut(
            c.id, numbers[f"height:{c.id}"][0], numbers[f"level:{c.id}"][0], numbers[f"weight:{c.id}"][0],
            numbers[f"coverage:{c.id}"][0], numbers[f"color:{c.id}"].T,
        )
        for c in shown
    )  # fmt: skip
    return Cut(line.metres, material.depth, coats)


def _along(
    mesh: MeshData, prop: Prop, wanted: frozenset[str], line: SurfaceLine, paint_at: Callable[[Array], Array] | None
) -> dict[str, Array]:
    """Attributes along a line; only the vertices it runs over are looked at."""
    measure(mesh, wanted)
    corners = mesh.triangles[line.owner].astype(np.int64)
    used, local = np.unique(corners, return_inverse=True)
    triangles = local.reshape(-1, 3)
    colors = None
    if paint_at is not None:
        colors = paint_at(used)
    elif isinstance(prop.paint, Paint):
        colors = prop.paint.at(used)
    wanted = map_reads(prop, wanted | {"position"})
    values = vertex_attributes(mesh.part(used, triangles), prop.matrix(), colors, wanted)
    return painted(prop, AttributeTable(values).at(triangles, np.arange(len(triangles)), line.weights))
