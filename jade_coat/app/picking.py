"""Finds the prop under the pointer."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from jade_coat.app.session import Session
from jade_coat.mesh.data import MeshData
from jade_coat.mesh.picking import Hit, hit_in_world
from jade_coat.program.types import Array
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


def prop_at(session: Session, eye: Eye, x: float, y: float, only: str = "") -> PropHit | None:
    """The nearest prop at a place of the picture (0–1 from the upper left); `only` looks at one prop alone."""
    origin, direction = ray(eye, x, y)
    best: PropHit | None = None
    for prop in session.project.props:
        if only and prop.id != only:
            continue
        mesh = session.link.mesh_data(prop.mesh)
        hit = hit_in_world(mesh, prop.matrix(), origin, direction)
        if hit is not None and (best is None or hit.distance < best.hit.distance):
            best = PropHit(prop, mesh, hit, _slot(mesh, hit.triangle))
    if best is not None and best.hit.normal @ direction > 0:
        turned = Hit(best.hit.distance, best.hit.point, -best.hit.normal, best.hit.triangle)
        best = PropHit(best.prop, best.mesh, turned, best.slot)
    return best


def _slot(mesh: MeshData, triangle: int) -> str:
    return next((s.name for s in mesh.slots if s.start <= triangle < s.start + s.count), mesh.slots[0].name)
