"""What a ray through the stage meets: the nearest place of a prop that is to be seen there."""

from __future__ import annotations

from collections.abc import Callable, Set
from contextlib import suppress
from dataclasses import dataclass, replace

import numpy as np

from jade_coat.files.library import Library
from jade_coat.looking.look_at import LookAt, NoLook, look_at
from jade_coat.looking.placed import PlacedMesh, placed_mesh
from jade_coat.material.compile import is_filled
from jade_coat.material.kinds import LEAST_LIGHT, kind_of
from jade_coat.material.shading import shading_path
from jade_coat.mesh.data import MeshData
from jade_coat.mesh.picking import Hit, hit_in_world, target
from jade_coat.mesh.posed import bounds_of, posed
from jade_coat.program.types import Array
from jade_coat.stage.boxes import PropBoxes
from jade_coat.stage.looks import finish_on, material_of, moves_vertices, turns_to_eye
from jade_coat.stage.project import Project, Prop
from jade_coat.stage.strewing import Lifts, no_lift

MAX_HOLES = 24
"""How many holes a ray goes through in one prop before it counts as having missed it."""
PLACED_KEPT = 8
"""Props whose placed meshes are kept for the next ray."""


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


@dataclass(frozen=True)
class StageNow:
    """A stage at a moment: the project, its assets, and the clock in seconds.

    `shown` is the project as the view shows it, by which materials place their vertices: a coat may be looked at alone.
    What is hit is a thing of `project`, without what is only on trial. `complete` says that no map is still being read;
    until then cut-outs count as whole and nothing as moved.
    """

    project: Project
    library: Library
    mesh_data: Callable[[str], MeshData]
    time: float = 0.0
    complete: bool = True
    shown: Project | None = None
    lifts: Lifts = no_lift
    """How far grounds are lifted by their layers."""


class StageRays:
    """Casts rays, and keeps what it needs for that from one to the next."""

    def __init__(self) -> None:
        self.boxes = PropBoxes()
        self._placed: dict[str, tuple[object, object, PlacedMesh]] = {}
        self._look: tuple[Project, object, LookAt | None] | None = None

    def bounds(self, now: StageNow) -> PropBoxes:
        """The boxes round the props, as they are now."""
        project = now.project
        self.boxes.update(project, lambda mesh: bounds_of(now.mesh_data(mesh), project.mesh(mesh).clip))
        return self.boxes

    def first(
        self, now: StageNow, origin: Array, direction: Array, only: str = "", but: Set[str] = frozenset()
    ) -> PropHit | None:
        """The nearest hit of a ray, its normal towards where the ray came from; `only` looks at one prop alone,
        `but` leaves some out. What a cut-out leaves away is not there: the ray goes on behind it.
        """
        best: PropHit | None = None
        for away, prop_id in self.bounds(now).along(origin, direction):
            if best is not None and away > best.hit.distance:
                break
            if (only and prop_id != only) or prop_id in but:
                continue
            found = self._seen(now, now.project.prop(prop_id), origin, direction)
            if found is not None and (best is None or found.hit.distance < best.hit.distance):
                best = found
        if best is not None and best.hit.normal @ direction > 0:
            turned = Hit(best.hit.distance, best.hit.point, -best.hit.normal, best.hit.triangle)
            best = replace(best, hit=turned)
        return best

    def _seen(self, now: StageNow, prop: Prop, origin: Array, direction: Array) -> PropHit | None:
        """The nearest place of a prop on a ray that is there."""
        mesh, gone = now.mesh_data(prop.mesh), 0.0
        placed = self._placed_now(now, prop, mesh, origin)
        rays = placed.target if placed is not None else target(mesh)
        for _ in range(MAX_HOLES):
            hit = hit_in_world(rays, prop.matrix(), origin + direction * gone, direction)
            if hit is None:
                return None
            far = PropHit(
                prop, mesh, Hit(hit.distance + gone, hit.point, hit.normal, hit.triangle),
                _slot(mesh, hit.triangle), placed,
            )  # fmt: skip
            if self._is_there(now, far):
                return far
            gone = far.hit.distance + 1e-4 * max(far.hit.distance, 1e-3)
        return None

    def _placed_now(self, now: StageNow, prop: Prop, mesh: MeshData, origin: Array) -> PlacedMesh | None:
        """The mesh as it moves and its materials place it now, seen from a place.

        None where nothing does, or maps are being read.
        """
        project = now.shown or now.project
        clip = project.mesh(prop.mesh).clip
        if not (clip or moves_vertices(project, prop)) or not now.complete:
            return None
        names = ("materials", "finishes", "map_sets", "recipes", "shared", "meshes", "categories")
        parts = (prop, mesh, *(getattr(project, n) for n in names))
        x, y, z = (float(v) for v in origin)
        eye = (x, y, z) if turns_to_eye(project, prop) else None
        key = (*(id(p) for p in parts), project.wind, clip, now.time, eye)
        known = self._placed.get(prop.id)
        if known is None or known[0] != key:
            moved = placed_mesh(project, now.library, prop, posed(mesh, clip, now.time), now.time, eye)
            self._placed[prop.id] = known = (key, parts, moved)
            while len(self._placed) > PLACED_KEPT:
                del self._placed[next(iter(self._placed))]
        return known[2]

    def _is_there(self, now: StageNow, found: PropHit) -> bool:
        """Whether the surface kind leaves a hit in the picture; all is there while maps are read, and under a fault.

        What adds light is there where it adds enough to be seen: one reaches through the dark of its cards.
        """
        project, finish = now.project, finish_on(now.project, found.prop, found.slot)
        if not finish or not now.complete:
            return True
        kind = kind_of(material_of(project, finish).kind)
        if not (kind.cut or kind.blend == "add"):
            return True
        key, known = (found.prop.id, found.slot, now.time), self._look
        if known is None or known[0] is not project or known[1] != key:
            look: LookAt | None = None
            with suppress(NoLook):
                look = look_at(project, now.library, found.prop, found.slot, found.mesh, now.time)
            known = self._look = (project, key, look)
        look = known[2]
        if look is not None and kind.blend == "add":
            return look.light_at(found.hit.triangle, found.local[0]) >= LEAST_LIGHT
        if look is None or (is_filled(look.material) and look.values.get(shading_path("fill", "depth"), 0.0) != 0.0):
            return True  # where a cut-out leaves nothing its fill is seen
        return look.opacity_at(found.hit.triangle, found.local[0]) >= max(look.material.cut, 1e-3)


def _slot(mesh: MeshData, triangle: int) -> str:
    return next((s.name for s in mesh.slots if s.start <= triangle < s.start + s.count), mesh.slots[0].name)
