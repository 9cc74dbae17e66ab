"""What a mesh is made from: numbers that stay with it, so that it can be made anew."""

from __future__ import annotations

from typing import ClassVar

from jade_coat.material.fields import Frozen
from jade_coat.mesh.data import MeshData
from jade_coat.program.types import Array


class Made(Frozen):
    """The base of what makes a mesh. The same numbers and the same sources give the same mesh."""

    noun: ClassVar[str] = ""
    """What it makes, in small letters."""

    @property
    def source(self) -> str:
        """The id of the map set whose opacity it cuts its cards by; empty for none."""
        return ""

    def mesh(self, opacity: Array | None = None) -> MeshData:
        """The mesh; `opacity` `(h, w)`, 0 to 1, is that of the source.

        Raises ValueError where it is asked for more than the source has.
        """
        raise NotImplementedError

    def words(self, mesh: MeshData) -> str:
        """What there is of it, in words."""
        return f"{len(mesh.triangles):,} triangles"
