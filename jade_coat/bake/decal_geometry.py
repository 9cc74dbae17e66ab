"""Decals as geometry of their own: the triangles of a receiver, clipped to the box and laid a little above it."""

from __future__ import annotations

import numpy as np

from jade_coat.files.gltf_writer import BakedMaterial, BakedProp
from jade_coat.files.library import Library
from jade_coat.looking.lying import decal_alone
from jade_coat.maps.color import to_srgb
from jade_coat.maps.images import png_bytes, quantized
from jade_coat.mesh.data import FULL, MeshData, Slot
from jade_coat.program.types import Array
from jade_coat.stage.decals import Decal
from jade_coat.stage.project import Project, Prop

LIFT = 0.0015
"""Metres that a decal lies above its receiver, so that neither flickers through the other; more for those on top."""
MOST_SIDE = 512
"""Texels across the maps of a decal's own."""


def cut_out(decal: Decal, prop: Prop, mesh: MeshData, step: int) -> MeshData | None:
    """The part of a prop that a decal reaches and is shown, in the world; None where nothing is.

    UV set 0 is the square of the decal's picture, COLOR_0 white with how much shows as its alpha. `step` says how many
    decals lie below it.
    """
    matrix = prop.matrix()
    to_box = np.linalg.inv(decal.matrix()) @ matrix
    corners = mesh.positions[mesh.triangles] @ to_box[:3, :3].T + to_box[:3, 3]
    within = ((corners.min(axis=1) < 0.5) & (corners.max(axis=1) > -0.5)).all(axis=1)
    normals = mesh.normals @ np.linalg.inv(matrix[:3, :3])
    normals = normals / np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-12)
    kept: list[Array] = []
    for local, given in zip(corners[within], normals[mesh.triangles[within]], strict=True):
        polygon = clipped(np.concatenate([local, given], axis=1))
        kept += [polygon[[0, i, i + 1]] for i in range(1, len(polygon) - 1)]
    if not kept:
        return None
    places = np.concatenate(kept)
    local, normal = places[:, :3], places[:, 3:]
    normal = normal / np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-12)
    shown = _shown(decal, local, normal).reshape(-1, 3)
    seen = np.repeat(shown.max(axis=1) > 0, 3)
    if not seen.any():
        return None
    return _mesh(decal, local[seen], normal[seen], shown.ravel()[seen], LIFT * (step + 1))


def clipped(polygon: Array) -> Array:
    """A convex polygon `(n, k)` cut by the faces of the unit cube round the origin; its first three numbers are places.

    Sutherland & Hodgman 1974, Reentrant polygon clipping; what is cut has all other numbers mixed. Empty where nothing
    is left.
    """
    for axis in range(3):
        for sign in (1.0, -1.0):
            away = 0.5 - sign * polygon[:, axis]
            if (away >= 0).all():
                continue
            made = []
            for i in range(len(polygon)):
                here, there = away[i], away[i - 1]
                if (here >= 0) != (there >= 0):
                    made.append(polygon[i - 1] + (polygon[i] - polygon[i - 1]) * (there / (there - here)))
                if here >= 0:
                    made.append(polygon[i])
            polygon = np.array(made).reshape(-1, polygon.shape[1])
            if len(polygon) < 3:
                return polygon[:0]
    return polygon


def _shown(decal: Decal, local: Array, normal: Array) -> Array:
    """How much of a decal shows at places of its box, 0 to 1: by angle, and towards its ends."""
    low, high = np.cos(decal.angle[1]), np.cos(decal.angle[0])
    axis = decal.matrix()[:3, 1] / decal.size[1]
    share = np.clip((normal @ axis - low) / max(high - low, 1e-4), 0, 1)
    shown = share * share * (3 - 2 * share)
    if decal.fade > 0:
        shown = shown * np.clip((0.5 - np.abs(local[:, 1])) / decal.fade, 0, 1)
    return np.asarray(shown)


def _mesh(decal: Decal, local: Array, normal: Array, shown: Array, lift: float) -> MeshData:
    matrix = decal.matrix()
    turn = matrix[:3, :3] / np.linalg.norm(matrix[:3, :3], axis=0)
    places = local @ matrix[:3, :3].T + matrix[:3, 3] + normal * lift
    across = turn[:, 0] - normal * (normal @ turn[:, 0])[:, None]
    across = across / np.maximum(np.linalg.norm(across, axis=1, keepdims=True), 1e-9)
    # v runs along +z of the box, which is across × normal: the bitangent of glTF points the other way.
    tangents = np.concatenate([across, np.ones((len(across), 1))], axis=1)
    colors = np.full((len(local), 4), FULL, np.uint16)
    colors[:, 3] = np.round(np.clip(shown, 0, 1) * FULL)
    return MeshData(
        places.astype(np.float32), normal.astype(np.float32), tangents.astype(np.float32),
        ((local[:, [0, 2]] + 0.5).astype(np.float32),), (colors,),
        np.arange(len(local), dtype=np.uint32).reshape(-1, 3), (Slot("decal", 0, len(local) // 3),),
    )  # fmt: skip


def decal_material(project: Project, library: Library, decal: Decal, side: int) -> BakedMaterial:
    """The maps of a decal by itself, its picture once over the square, see-through where it shows nothing."""
    side = min(side, MOST_SIDE)
    made, alpha = decal_alone(project, library, decal, side)

    def picture(*parts: Array) -> bytes:
        values = np.concatenate([np.atleast_2d(p) for p in parts])
        return png_bytes(quantized(values.T.reshape(side, side, -1)))

    x, y, z = made["normal"]  # the box's own: x across, y up, z down the picture
    glow, most = made["emissive"], max(float(made["emissive"].max()), 0.0)
    return BakedMaterial(
        decal.name, picture(to_srgb(np.clip(made["base_color"], 0, 1)), alpha),
        picture(*(made[n] for n in ("occlusion", "roughness", "metallic"))),
        picture(np.stack([x, -z, np.maximum(y, 0.0)]) * 0.5 + 0.5),
        picture(to_srgb(glow / max(most, 1.0))) if most > 0 else None, max(most, 1.0), "BLEND",
    )  # fmt: skip


def as_geometry(
    project: Project, library: Library, prop: Prop, decals: tuple[Decal, ...], mesh: MeshData,
    materials: dict[str, BakedMaterial], side: int,
) -> list[BakedProp]:  # fmt: skip
    """What is written beside a prop for the decals on it, the lowest first; `materials` keeps those made, by decal."""
    found = []
    for step, decal in enumerate(decals):
        piece = cut_out(decal, prop, mesh, step)
        if piece is None:
            continue
        if decal.id not in materials:
            materials[decal.id] = decal_material(project, library, decal, side)
        named = Prop(id=f"{decal.id} on {prop.id}", name=f"{decal.name} on {prop.name}", mesh="")
        found.append(BakedProp(named, piece, {"decal": materials[decal.id]}, tinted=True))
    return found
