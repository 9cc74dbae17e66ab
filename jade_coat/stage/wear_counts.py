"""How many props wear each finish, kept from state to state: an edit of one prop counts that one anew."""

from __future__ import annotations

from collections import Counter

from jade_coat.stage.looks import finishes_on
from jade_coat.stage.project import Project, Prop


class WearCounts:
    """Counts of props by finish; a prop counts once for a finish, in however many slots it wears it."""

    def __init__(self) -> None:
        self._project = Project()
        self._counts: Counter[str] = Counter()

    def of(self, project: Project) -> Counter[str]:
        """The counts of a project as it is now."""
        before, self._project = self._project, project
        if project.meshes is not before.meshes or project.categories is not before.categories:
            self._counts = Counter()
            before = project.with_(props=())
        for then, now in project.props.changed_from(before.props):
            if then is not None:
                self._counts.subtract(_worn(before, then))
            if now is not None:
                self._counts.update(_worn(project, now))
        return self._counts


def _worn(project: Project, prop: Prop) -> set[str]:
    return set(finishes_on(project, prop).values())
