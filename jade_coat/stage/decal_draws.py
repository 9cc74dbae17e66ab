"""What a renderer and a bake are given of a decal."""

from __future__ import annotations

import math

import numpy as np

from jade_coat.stage.decals import Decal
from jade_coat.stage.draws import DecalDraw
from jade_coat.stage.project import Project, Prop


def receives(project: Project, prop: Prop, decal: Decal) -> bool:
    """Whether a prop is among those that may receive a decal: by its id, or by a category of one of its slots."""
    if not decal.only:
        return True
    return prop.id in decal.only or bool(set(project.mesh(prop.mesh).categories.values()) & set(decal.only))


def decal_draw(project: Project, decal: Decal, material: str, row: int) -> DecalDraw:
    """A decal as it is drawn, by a row of a material."""
    low, high = (math.cos(a) for a in decal.angle)
    shares = decal.shares
    only = None
    if decal.only:
        only = np.array(sorted(p.seed for p in project.props if receives(project, p, decal)), np.float32)
    return DecalDraw(
        material, row, decal.matrix().astype(np.float32), decal.seed,
        (shares.color * decal.opacity, shares.normal * decal.opacity, shares.surface * decal.opacity,
         shares.height * decal.opacity, shares.glow * decal.opacity),
        (high, max(low, high + 1e-4)), decal.fade, decal.far, decal.order, decal.cell.corner(), only,
    )  # fmt: skip
