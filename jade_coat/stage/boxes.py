"""The box round every prop in the world, kept from state to state: what a ray meets first is found among thousands."""

from __future__ import annotations

from collections.abc import Callable, Iterable

import numpy as np

from jade_coat.program.types import Array
from jade_coat.stage.looks import reach_of_prop
from jade_coat.stage.project import Project, Prop
from jade_coat.stage.volumes import VolumeTree

Bounds = Callable[[str], tuple[Array, Array]]
"""The lowest and the highest corner `(3,)` of a mesh in its own space, by its id."""


class PropBoxes:
    """Axis-aligned boxes of the props that are to be seen; only those of props that are others are worked out again."""

    def __init__(self) -> None:
        self._project = Project()
        self._forget()

    def _forget(self) -> None:
        self._ids: list[str] = []
        self._numbers: dict[str, int] = {}
        self._free: list[int] = []
        self._tree = VolumeTree()

    def update(self, project: Project, bounds: Bounds) -> None:
        """Take a project as it is now; `bounds` follows from its meshes."""
        before, self._project = self._project, project
        if any(getattr(project, kind) is not getattr(before, kind) for kind in ("groups", "meshes", "categories")):
            self._forget()
            before = Project()
        dressed = project.materials is not before.materials or project.finishes is not before.finishes
        if dressed and any(m.moves for m in (*project.materials, *before.materials)):
            before = before.with_(props=())
        there: dict[int, tuple[Array, Array]] = {}
        gone: list[int] = []
        for old, prop in project.props.changed_from(before.props):
            if prop is not None and project.shows(prop):
                there[self._number(prop.id)] = _box(project, prop, *bounds(prop.mesh))
            elif (number := self._numbers.pop((prop or old).id, None)) is not None:  # type: ignore[union-attr]
                gone.append(number)
        self._free += gone
        self._tree.drop(np.array(gone, np.int64))
        if there:
            boxes = np.array(list(there.values()))
            self._tree.put(np.fromiter(there, np.int64), boxes[:, 0], boxes[:, 1])

    def _number(self, prop: str) -> int:
        if prop not in self._numbers:
            if not self._free:
                self._free.append(len(self._ids))
                self._ids.append("")
            self._numbers[prop] = self._free.pop()
            self._ids[self._numbers[prop]] = prop
        return self._numbers[prop]

    def within(self, planes: Array) -> tuple[list[str], Array, Array]:
        """The ids of the boxes that reach between planes `(k, 4)`, and their lowest and highest corners `(n, 3)`."""
        found = self._tree.within(planes)
        return [self._ids[i] for i in found], *self._tree.corners(found)

    def around(self, props: Iterable[str]) -> tuple[Array, Array] | None:
        """The lowest and the highest corner `(3,)` of one box round some props; None where none is to be seen."""
        at = [self._numbers[i] for i in props if i in self._numbers]
        if not at:
            return None
        low, high = self._tree.corners(np.array(at))
        return low.min(axis=0), high.max(axis=0)

    def along(self, origin: Array, direction: Array) -> list[tuple[float, str]]:
        """The ids of the props whose box a ray meets, with the distance to it, the nearest first.

        A ray that starts in a box meets it at 0.
        """
        found, away = self._tree.along(origin, direction)
        return [(float(d), self._ids[i]) for i, d in zip(found, away, strict=True)]


def _box(project: Project, prop: Prop, low: Array, high: Array) -> tuple[Array, Array]:
    """The middle and half the size `(3,)` of the box round a prop, with what its materials may move."""
    matrix = prop.matrix()
    middle = matrix[:3, :3] @ ((low + high) / 2) + matrix[:3, 3]
    return middle, np.abs(matrix[:3, :3]) @ ((high - low) / 2) + reach_of_prop(project, prop)
