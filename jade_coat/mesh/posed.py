"""A mesh where its motion has it at a time."""

from __future__ import annotations

from jade_coat.mesh.data import MeshData
from jade_coat.program.types import Array


def posed(mesh: MeshData, clip: str, time: float) -> MeshData:
    """A mesh where it is at a time of a clip; itself where it has none of that name. What it is at rest stays known."""
    found = mesh.motion.clip(clip) if mesh.motion is not None else None
    if mesh.motion is None or found is None:
        return mesh
    positions, normals, tangents = mesh.motion.posed(mesh.normals, mesh.tangents, found, time)
    made = mesh.with_(positions=positions, normals=normals, tangents=tangents, motion=None, at_rest=mesh)
    made.__dict__["metres"], made.__dict__["typical_edge"] = mesh.metres, mesh.typical_edge
    return made


def bounds_of(mesh: MeshData, clip: str) -> tuple[Array, Array]:
    """The box that holds a mesh at all times of a clip, or at rest without one."""
    found = mesh.motion.clip(clip) if mesh.motion is not None else None
    return mesh.bounds if mesh.motion is None or found is None else mesh.motion.bounds(found)


def clip_names(mesh: MeshData) -> tuple[str, ...]:
    """The names of a mesh's clips."""
    return tuple(c.name for c in mesh.motion.clips) if mesh.motion is not None else ()
