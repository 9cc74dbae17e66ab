"""What the numbers of a mesh file mean: its unit, guessed where the file does not say, and meshes brought to metres."""

from __future__ import annotations

import numpy as np

from jade_coat.mesh.data import MeshData

UNITS: dict[str, tuple[str, float]] = {
    "m": ("Metres", 1.0), "cm": ("Centimetres", 0.01), "mm": ("Millimetres", 0.001), "in": ("Inches", 0.0254),
    "ft": ("Feet", 0.3048),
}  # fmt: skip
"""Units by the short name that files and commands use: what people read, and metres."""
LARGEST, SMALLEST = 60.0, 0.02
"""Metres across between which a thing of a stage is likely to be (common practice, no source)."""


def across(mesh: MeshData) -> float:
    """The longest side of the box around a mesh, in its own unit."""
    low, high = mesh.bounds
    return float((high - low).max())


def likely_unit(mesh: MeshData) -> str:
    """The unit in which a mesh is of a likely size: metres, or the largest of centimetres and millimetres."""
    size = across(mesh)
    if size <= LARGEST:
        return "m"
    return "cm" if size * UNITS["cm"][1] <= LARGEST else "mm"


def is_odd(mesh: MeshData) -> bool:
    """Whether a mesh in metres would be of an unlikely size."""
    return not SMALLEST <= across(mesh) <= LARGEST


def scaled(mesh: MeshData, factor: float) -> MeshData:
    """A mesh `factor` times as large. Raises ValueError for one that moves by itself: its motion is in metres."""
    if factor == 1.0:
        return mesh
    if mesh.motion is not None:
        raise ValueError("a mesh with an animation is in metres, as glTF asks; change the size of its prop")
    return MeshData(
        np.ascontiguousarray(mesh.positions * np.float32(factor)), mesh.normals, mesh.tangents, mesh.uvs, mesh.colors,
        mesh.triangles, mesh.slots,
    )  # fmt: skip
