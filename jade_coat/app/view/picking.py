"""Finds the prop under the pointer."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from jade_coat.app.session import Session
from jade_coat.bake.look_at import look_at
from jade_coat.material.kinds import kind_of
from jade_coat.mesh.data import MeshData
from jade_coat.mesh.picking import Hit, hit_in_world
from jade_coat.program.types import Array
from jade_coat.stage.looks import material_of
from jade_coat.stage.project import Prop
from jade_coat.view.camera import ray
from jade_coat.view.messages import Eye


@dataclass(frozen=True)
class PropHit:
    """A hit on a prop: where, on which slot, and the same place in the mesh's own space."""

    prop: Prop
    mesh: MeshData
    hit: Hit
    slot: str

    @property
    def local(self) -> tuple[Array, Array]:
        """Point and normal in the mesh's space, the normal turned towards the surface's own side."""
        matrix = self.prop.matrix()
        inverse = np.linalg.inv(matrix)
        point = inverse[:3, :3] @ self.hit.point + inverse[:3, 3]
        normal = matrix[:3, :3].T @ self.hit.normal
        return point, normal / np.linalg.norm(normal)


MAX_HOLES = 24
"""How many holes a ray goes through in one prop before it counts as having missed it."""


def prop_at(session: Session, eye: Eye, x: float, y: float, only: str = "") -> PropHit | None:
    """The nearest prop at a place of the picture (0–1 from the upper left); `only` looks at one prop alone.

    What a cut-out leaves away is not there: the ray goes on behind it.
    """
    origin, direction = ray(eye, x, y)
    best: PropHit | None = None
    project, link = session.project, session.link
    session.boxes.update(project, lambda mesh: link.mesh_data(mesh).bounds)
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
        best = PropHit(best.prop, best.mesh, turned, best.slot)
    return best


def _seen(session: Session, prop: Prop, origin: Array, direction: Array) -> PropHit | None:
    """The nearest place of a prop on a ray that is there."""
    mesh, gone = session.link.mesh_data(prop.mesh), 0.0
    for _ in range(MAX_HOLES):
        hit = hit_in_world(mesh, prop.matrix(), origin + direction * gone, direction)
        if hit is None:
            return None
        far = PropHit(
            prop, mesh, Hit(hit.distance + gone, hit.point, hit.normal, hit.triangle), _slot(mesh, hit.triangle)
        )
        if _is_there(session, far):
            return far
        gone = far.hit.distance + 1e-4 * max(far.hit.distance, 1e-3)
    return None


def _is_there(session: Session, found: PropHit) -> bool:
    """Whether the surface kind leaves a hit in the picture; as long as maps are being read, all of it is there."""
    project, finish = session.project, found.prop.finishes.get(found.slot, "")
    if not finish or not kind_of(material_of(project, finish).kind).cut or session.link.unsent_sets(project):
        return True
    key = (project, found.prop.id, found.slot)
    if session.picked_look is None or session.picked_look[0] != key:
        session.picked_look = (key, look_at(project, session.library, found.prop, found.slot, found.mesh))
    look = session.picked_look[1]
    inverse = np.linalg.inv(found.prop.matrix())
    point = inverse[:3, :3] @ found.hit.point + inverse[:3, 3]
    return look.opacity_at(found.hit.triangle, point) >= max(look.material.cut, 1e-3)


def _slot(mesh: MeshData, triangle: int) -> str:
    return next((s.name for s in mesh.slots if s.start <= triangle < s.start + s.count), mesh.slots[0].name)
