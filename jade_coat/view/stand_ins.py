"""The meshes of projects, or what stands in for those that cannot be read."""

from __future__ import annotations

from jade_coat.files.library import Library
from jade_coat.mesh import shapes
from jade_coat.mesh.data import BadMesh, MeshData, Slot
from jade_coat.stage.project import Project


class StandInMeshes:
    """The meshes of projects, or what stands in for them; knows nothing of who asks, so that both can go at once."""

    def __init__(self, library: Library) -> None:
        self._library = library
        self._broken: dict[str, MeshData] = {}
        self.problems: dict[str, str] = {}

    def of(self, project: Project, mesh_id: str) -> MeshData:
        """A mesh of a project; a plain box for one that cannot be read."""
        asset = project.mesh(mesh_id)
        if asset.asset in self._broken:
            return self._broken[asset.asset]
        try:
            return self._library.mesh(asset)
        except (OSError, BadMesh) as error:
            self.problems[asset.id] = str(error)
            box = shapes.box(0.5, 0.5, 0.5)
            slot = asset.slots[0] if asset.slots else "surface"
            stand_in = box.with_(slots=(Slot(slot, 0, len(box.triangles)),))
            self._broken[asset.asset] = stand_in
            return stand_in
