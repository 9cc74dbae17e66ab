"""The box round every prop in the world, kept from state to state: what a ray meets first is found among thousands."""

from __future__ import annotations

from collections.abc import Callable, Iterable

import numpy as np

from jade_coat.program.types import Array
from jade_coat.stage.looks import reach_of_prop
from jade_coat.stage.project import Project, Prop

Bounds = Callable[[str], tuple[Array, Array]]
"""The lowest and the highest corner `(3,)` of a mesh in its own space, by its id."""


class PropBoxes:
    """Axis-aligned boxes of the props that are to be seen; only those of props that are others are worked out again."""

    def __init__(self) -> None:
        self._project = Project()
        self._ids: list[str] = []
        self._places: dict[str, int] = {}
        self._middles = self._halves = np.zeros((0, 3))

    def update(self, project: Project, bounds: Bounds) -> None:
        """Take a project as it is now; `bounds` follows from its meshes."""
        before, self._project = self._project, project
        if any(getattr(project, kind) is not getattr(before, kind) for kind in ("groups", "meshes", "categories")):
            self._ids, self._places, before = [], {}, Project()
        dressed = project.materials is not before.materials or project.finishes is not before.finishes
        if dressed and any(m.moves for m in (*project.materials, *before.materials)):
            before = before.with_(props=())
        for old, prop in project.props.changed_from(before.props):
            if prop is None or not project.shows(prop):
                self._drop((prop or old).id)  # type: ignore[union-attr]
            else:
                self._put(project, prop, *bounds(prop.mesh))

    def _put(self, project: Project, prop: Prop, low: Array, high: Array) -> None:
        at = self._places.get(prop.id)
        if at is None:
            at = self._places[prop.id] = len(self._ids)
            self._ids.append(prop.id)
            if at == len(self._middles):
                room = np.zeros((at // 2 + 64, 3))
                self._middles = np.concatenate([self._middles, room])
                self._halves = np.concatenate([self._halves, room])
        matrix = prop.matrix()
        self._middles[at] = matrix[:3, :3] @ ((low + high) / 2) + matrix[:3, 3]
        self._halves[at] = np.abs(matrix[:3, :3]) @ ((high - low) / 2) + reach_of_prop(project, prop)

    def _drop(self, prop: str) -> None:
        at = self._places.pop(prop, None)
        if at is None:
            return
        last = self._ids.pop()
        if at < len(self._ids):  # the last one takes its place
            self._ids[at], self._places[last] = last, at
            self._middles[at], self._halves[at] = self._middles[len(self._ids)], self._halves[len(self._ids)]

    def all(self) -> tuple[list[str], Array, Array]:
        """The ids of all boxes, and their lowest and highest corners `(n, 3)`."""
        middles, halves = self._middles[: len(self._ids)], self._halves[: len(self._ids)]
        return self._ids, middles - halves, middles + halves

    def around(self, props: Iterable[str]) -> tuple[Array, Array] | None:
        """The lowest and the highest corner `(3,)` of one box round some props; None where none is to be seen."""
        at = [self._places[i] for i in props if i in self._places]
        if not at:
            return None
        low = (self._middles[at] - self._halves[at]).min(axis=0)
        return low, (self._middles[at] + self._halves[at]).max(axis=0)

    def along(self, origin: Array, direction: Array) -> list[tuple[float, str]]:
        """The ids of the props whose box a ray meets, with the distance to it, the nearest first.

        The slab test of Kay & Kajiya 1986; a ray that starts in a box meets it at 0.
        """
        count = len(self._ids)
        enter, leave = np.full(count, -np.inf), np.full(count, np.inf)
        for axis in range(3):
            away, half = self._middles[:count, axis] - origin[axis], self._halves[:count, axis]
            if direction[axis] == 0:  # between the two planes for ever, or never
                leave[np.abs(away) > half + 1e-9] = -np.inf
                continue
            middle, reach = away / direction[axis], half / abs(direction[axis])
            np.maximum(enter, middle - reach, out=enter)
            np.minimum(leave, middle + reach, out=leave)
        found = np.flatnonzero((enter <= leave + 1e-9) & (leave >= -1e-9))
        order = found[np.argsort(enter[found], kind="stable")]
        return [(max(float(enter[i]), 0.0), self._ids[i]) for i in order]
