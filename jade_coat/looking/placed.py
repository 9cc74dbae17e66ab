"""A mesh as the materials on a prop place its vertices: for picking, for bounds and for files."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from jade_coat.files.library import Library
from jade_coat.looking.look_at import LookAt, NoLook, look_at
from jade_coat.material.fields import Vec3
from jade_coat.mesh.data import MeshData, Slot
from jade_coat.mesh.motion import unit
from jade_coat.mesh.picking import RayTarget
from jade_coat.program.sending import SentBare
from jade_coat.program.types import Array
from jade_coat.stage.looks import finish_on, material_of
from jade_coat.stage.project import Project, Prop


@dataclass(frozen=True, eq=False)
class PlacedMesh(SentBare):
    """A mesh with its vertices moved, in its own space, and the one at rest.

    Triangles are in the same order; vertices that slots share are one each for every slot. `source` `(n,)` are the
    vertices at rest.
    """

    mesh: MeshData
    rest: MeshData
    source: Array

    @cached_property
    def target(self) -> RayTarget:
        """The moved triangles, prepared for rays."""
        return RayTarget(self.mesh.positions, self.mesh.triangles)

    def at_rest(self, triangle: int, point: Array) -> Array:
        """Where a point `(3,)` of a moved triangle is on the mesh at rest."""
        u, v = self._sides(self.mesh, triangle)
        corner = self.mesh.positions[self.mesh.triangles[triangle, 0]].astype(np.float64)
        (a, b), *_ = np.linalg.lstsq(np.stack([u, v], axis=1), point - corner, rcond=None)
        u, v = self._sides(self.rest, triangle)
        return np.asarray(self.rest.positions[self.rest.triangles[triangle, 0]] + a * u + b * v)

    @staticmethod
    def _sides(mesh: MeshData, triangle: int) -> tuple[Array, Array]:
        corners = mesh.positions[mesh.triangles[triangle]].astype(np.float64)
        return corners[1] - corners[0], corners[2] - corners[0]


def placed_mesh(
    project: Project, library: Library, prop: Prop, mesh: MeshData, time: float = 0.0, eye: Vec3 | None = None
) -> PlacedMesh:
    """A prop's mesh with its vertices where its materials place them at a time, for an eye in the world or none.

    One that moves by itself comes as it is then (`mesh.posed`); where a material has no look, as it is at rest.
    Raises what reading maps raises.
    """
    matrix = prop.matrix()
    inverse = np.linalg.inv(matrix)
    parts: list[tuple[Array, Array, Array, Array, Array]] = []
    for slot in mesh.slots:
        triangles = mesh.triangles[slot.start : slot.start + slot.count].astype(np.int64)
        used, local = np.unique(triangles, return_inverse=True)
        positions, normals, tangents = mesh.positions[used], mesh.normals[used], mesh.tangents[used]
        look = _moving(project, library, prop, slot.name, mesh, time, eye)
        if look is not None:
            found = look.at_vertices(["placed_position", "placed_normal", "placed_tangent"])
            positions = _points(inverse, found["placed_position"].T)
            normals = unit(found["placed_normal"].T @ matrix[:3, :3])
            along = unit(found["placed_tangent"][:3].T @ inverse[:3, :3].T)
            tangents = np.concatenate([along, tangents[:, 3:]], axis=1)
        parts.append((used, local.reshape(-1, 3), positions, normals, tangents))
    starts = np.cumsum([0, *(len(p[0]) for p in parts)])
    source = np.concatenate([p[0] for p in parts])
    positions, normals, tangents = (np.concatenate([p[i] for p in parts]).astype(np.float32) for i in (2, 3, 4))
    triangles = np.concatenate([p[1] + s for p, s in zip(parts, starts, strict=False)]).astype(np.uint32)
    uvs, colors = tuple(uv[source] for uv in mesh.uvs), tuple(c[source] for c in mesh.colors)
    made = MeshData(positions, normals, tangents, uvs, colors, triangles, _runs(mesh))
    ordered = mesh.rest.with_(
        triangles=np.concatenate([mesh.triangles[s.start : s.start + s.count] for s in mesh.slots]), slots=made.slots
    )
    return PlacedMesh(made, ordered, source)


def _moving(
    project: Project, library: Library, prop: Prop, slot: str, mesh: MeshData, time: float, eye: Vec3 | None
) -> LookAt | None:
    """The look that moves a slot's vertices; None where nothing does, as under a fault."""
    finish = finish_on(project, prop, slot)
    if not finish or not material_of(project, finish).moves:
        return None
    try:
        return look_at(project, library, prop, slot, mesh, time, eye)
    except NoLook:
        return None


def _runs(mesh: MeshData) -> tuple[Slot, ...]:
    starts = np.cumsum([0, *(s.count for s in mesh.slots)])
    return tuple(Slot(s.name, int(at), s.count) for s, at in zip(mesh.slots, starts, strict=False))


def _points(matrix: Array, points: Array) -> Array:
    return np.asarray(points @ matrix[:3, :3].T + matrix[:3, 3])
