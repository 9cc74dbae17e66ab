"""Finds the prop under the pointer."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from jade_coat.app.session import Session
from jade_coat.looking.look_at import look_at
from jade_coat.looking.placed import PlacedMesh, placed_mesh
from jade_coat.material.kinds import kind_of
from jade_coat.mesh.data import MeshData
from jade_coat.mesh.picking import Hit, hit_in_world, target
from jade_coat.mesh.posed import bounds_of, posed
from jade_coat.program.types import Array
from jade_coat.stage.looks import material_of, moves_vertices
from jade_coat.stage.project import Prop
from jade_coat.view.camera import ray
from jade_coat.view.requests import Eye


@dataclass(frozen=True)
class PropHit:
    """A hit on a prop: where, on which slot, and the same place in the mesh's own space."""

    prop: Prop
    mesh: MeshData
    hit: Hit
    slot: str
    placed: PlacedMesh | None = None
    """The mesh as its materials place it, where they move it."""

    @property
    def local(self) -> tuple[Array, Array]:
        """Point and normal in the space of the mesh at rest, the normal turned towards the surface's own side."""
        matrix = self.prop.matrix()
        inverse = np.linalg.inv(matrix)
        point = inverse[:3, :3] @ self.hit.point + inverse[:3, 3]
        if self.placed is not None:
            a, b, c = self.mesh.positions[self.mesh.triangles[self.hit.triangle]].astype(np.float64)
            facing = np.cross(b - a, c - a)
            moved = matrix[:3, :3].T @ self.hit.normal
            u, v, w = self.placed.mesh.positions[self.placed.mesh.triangles[self.hit.triangle]].astype(np.float64)
            side = np.sign(np.cross(v - u, w - u) @ moved) or 1.0
            return self.placed.at_rest(self.hit.triangle, point), side * facing / max(
                float(np.linalg.norm(facing)), 1e-30
            )
        normal = matrix[:3, :3].T @ self.hit.normal
        return point, normal / np.linalg.norm(normal)

    @property
    def vertices(self) -> Array:
        """Where the mesh's vertices are `(n, 3)`, in its own space, as its materials place them."""
        if self.placed is None:
            return self.mesh.positions
        found = self.mesh.positions.copy()
        found[self.placed.source] = self.placed.mesh.positions
        return found


MAX_HOLES = 24
"""How many holes a ray goes through in one prop before it counts as having missed it."""


def prop_at(session: Session, eye: Eye, x: float, y: float, only: str = "") -> PropHit | None:
    """The nearest prop at a place of the picture (0–1 from the upper left); `only` looks at one prop alone.

    What a cut-out leaves away is not there: the ray goes on behind it.
    """
    origin, direction = ray(eye, x, y)
    best: PropHit | None = None
    project, link = session.project, session.link
    session.boxes.update(project, lambda mesh: bounds_of(link.mesh_data(mesh), project.mesh(mesh).clip))
    for away, prop_id in session.boxes.along(origin, direction):
        if best is not None and away > best.hit.distance:
            break
        prop = project.prop(prop_id)
        if only and prop.id != only:
            continue
        found = _seen(session, prop, origin, direction)
        if found is not None and (best is None or found.hit.distance < best.hit.distance):
            best = found
    if best is not None and best.hit.normal @ direction > 0:
        turned = Hit(best.hit.distance, best.hit.point, -best.hit.normal, best.hit.triangle)
        best = replace(best, hit=turned)
    return best


def _seen(session: Session, prop: Prop, origin: Array, direction: Array) -> PropHit | None:
    """The nearest place of a prop on a ray that is there."""
    mesh, gone = session.link.mesh_data(prop.mesh), 0.0
    placed = _placed(session, prop, mesh)
    rays = placed.target if placed is not None else target(mesh)
    for _ in range(MAX_HOLES):
        hit = hit_in_world(rays, prop.matrix(), origin + direction * gone, direction)
        if hit is None:
            return None
        far = PropHit(
            prop, mesh, Hit(hit.distance + gone, hit.point, hit.normal, hit.triangle), _slot(mesh, hit.triangle),
            placed,
        )  # fmt: skip
        if _is_there(session, far):
            return far
        gone = far.hit.distance + 1e-4 * max(far.hit.distance, 1e-3)
    return None


def _placed(session: Session, prop: Prop, mesh: MeshData) -> PlacedMesh | None:
    """The mesh as it moves and its materials place it now; None where nothing does, or maps are still being read."""
    project = session.shown_project
    clip = project.mesh(prop.mesh).clip
    if not (clip or moves_vertices(project, prop)) or session.link.unsent_sets(project):
        return None
    parts = (prop, mesh, *(getattr(project, n) for n in ("materials", "finishes", "map_sets", "recipes", "shared")))
    key = (*(id(p) for p in parts), project.wind, clip, session.time)
    known = session.placed.get(prop.id)
    if known is None or known[0] != key:
        now = posed(mesh, clip, session.time)
        session.placed[prop.id] = known = (key, parts, placed_mesh(project, session.library, prop, now, session.time))
        while len(session.placed) > PLACED_KEPT:
            del session.placed[next(iter(session.placed))]
    return known[2]


PLACED_KEPT = 8
"""Props whose placed meshes are kept for the next ray."""


def _is_there(session: Session, found: PropHit) -> bool:
    """Whether the surface kind leaves a hit in the picture; as long as maps are being read, all of it is there."""
    project, finish = session.project, found.prop.finishes.get(found.slot, "")
    if not finish or not kind_of(material_of(project, finish).kind).cut or session.link.unsent_sets(project):
        return True
    key, known = (found.prop.id, found.slot, session.time), session.picked_look
    if known is None or known[0] is not project or known[1] != key:
        look = look_at(project, session.library, found.prop, found.slot, found.mesh, session.time)
        known = session.picked_look = (project, key, look)
    look = known[2]
    return look.opacity_at(found.hit.triangle, found.local[0]) >= max(look.material.cut, 1e-3)


def _slot(mesh: MeshData, triangle: int) -> str:
    return next((s.name for s in mesh.slots if s.start <= triangle < s.start + s.count), mesh.slots[0].name)
