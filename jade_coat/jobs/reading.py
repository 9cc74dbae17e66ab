"""Reads meshes as long work: in a process of its own where a file is large enough to be felt."""

from __future__ import annotations

from pathlib import Path

from jade_coat.files.mesh_files import read_mesh
from jade_coat.jobs.apart import apart
from jade_coat.jobs.job import Job
from jade_coat.mesh.data import MeshData

AT_ONCE = 200_000
"""Bytes of a file up to which starting a process would take longer than reading it."""


def read_mesh_apart(path: Path, job: Job) -> MeshData:
    """Read a mesh file so that it can be cancelled. Raises BadMesh, OSError, Cancelled or WorkDied."""
    if path.stat().st_size <= AT_ONCE:
        return _read(path, job)
    made: MeshData = apart(_read, job, path)
    return made


def _read(path: Path, job: Job) -> MeshData:
    job.step(0.1, f"Reading {path.name}")
    mesh = read_mesh(path)
    job.step(0.9, "Read")
    return mesh
