"""How much of a prop each coat covers, measured over its triangles."""

from __future__ import annotations

import numpy as np

from jade_coat.files.library import Library
from jade_coat.looking.look_at import LookAt, look_at
from jade_coat.stage.project import Project, Prop

MAX_POINTS = 20_000
LEVEL = 3


def coverage_shares(project: Project, library: Library, prop: Prop, slot: str, time: float = 0.0) -> dict[str, float]:
    """The share of a slot's area that each coat is seen on at a time, by `MATERIAL:COAT`; shares add up to 1.

    Triangles are sampled at their centres, weighted by area. Raises what loading meshes and maps raises.
    """
    look = look_at(project, library, prop, slot, time=time)
    return {f"{look.material.id}:{coat}": share for coat, share in shares_of(look).items()}


def shares_of(look: LookAt) -> dict[str, float]:
    """The share of the slot's area that each coat of a look is seen on, by its id."""
    owner = np.arange(0, look.slot.count, max(look.slot.count // MAX_POINTS, 1))
    corners = look.mesh.positions[look.triangles[owner]]
    area = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1)
    names = [n for n in look.outputs if n.startswith("coverage:")]
    found = look.at(names, owner, np.full((len(owner), 2), 1 / 3, np.float32), lambda _: LEVEL)
    total = max(float(area.sum()), 1e-30)
    return {
        n.removeprefix("coverage:"): float((np.broadcast_to(v[0], area.shape) * area).sum() / total)
        for n, v in found.items()
    }
