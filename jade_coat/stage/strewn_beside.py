"""The scatters of another state of a project, in a scene of its own: of what stands already, what differs is strewn."""

from __future__ import annotations

from collections.abc import Iterator

from jade_coat.stage.project import Project
from jade_coat.stage.strewing import Strewed, Strewing


class StrewnBeside(Strewing):
    """What stands of `project`, told of by the ids of a scene, which begin with its name: `SCENE/GROUND`.

    `standing` is what stands of the state `now`, from which this one starts; it is told of whole, once.
    """

    def __init__(self, standing: Strewing, now: Project, project: Project, scene: str) -> None:
        super().__init__(standing._mesh_data)
        self._standing, self._now, self._then, self._scene = standing.copied(), now, project, scene

    def update(self, before: Project, project: Project) -> Iterator[tuple[str, str, Strewed | None]]:
        """All that is to be seen there, whatever `before` was."""
        for _ in self._standing.update(self._now, self._then):
            pass
        for ground in self._then.grounds:
            for scatter in ground.scatter if self._then.shows(ground) else ():
                if scatter.visible:
                    cells = self._standing.pieces(ground.id, scatter.id)
                    yield f"{self._scene}/{ground.id}", scatter.id, Strewed(dict(cells), True)
