"""Which draws the pieces of scatters are instances of, and the rows that they wear."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from jade_coat.ground.scatter import STEPS, Scatter, values_of
from jade_coat.mesh.data import MeshData, Slot
from jade_coat.stage.draws import StrewnPatch
from jade_coat.stage.look_tables import LookKey, LookTables, Place
from jade_coat.stage.looks import dress_of
from jade_coat.stage.project import Project
from jade_coat.stage.strewing import Due, Grown, Strewed, Strewing

STREWN = "\0strewn "
"""What the names of parts of a scatter begin with, where a slot's name is asked for."""


def strewn_name(ground: str, scatter: str) -> str:
    """The name that a scene knows a scatter by."""
    return f"{ground}\n{scatter}"


@dataclass(frozen=True)
class StrewnPart:
    """One slot of a mesh that is strewn, near or far: how it is drawn, and the row of each step of the dial."""

    name: str
    mesh: str
    slot: Slot
    span: tuple[float, float]
    material: str
    rows: tuple[int, ...]


@dataclass
class _Worn:
    """The looks that a scatter's parts wear."""

    looks: dict[Place, LookKey] = field(default_factory=dict)
    parts: tuple[StrewnPart, ...] = ()
    far: float = 0.0


class StrewnColumns:
    """Keeps what was told of all scatters."""

    def __init__(
        self, looks: LookTables, mesh_data: Callable[[Project, str], MeshData],
        mesh_name: Callable[[Project, str], str], strewing: Strewing,
    ) -> None:  # fmt: skip
        self._looks, self._mesh_data, self._mesh_name = looks, mesh_data, mesh_name
        self._strewing = strewing
        self._worn: dict[str, _Worn] = {}

    @property
    def due(self) -> Due | None:
        """Scatters that are to be strewn all over, elsewhere."""
        return self._strewing.due

    def update(
        self, before: Project, project: Project, redone: set[str]
    ) -> dict[str, tuple[StrewnPatch, tuple[StrewnPart, ...]] | None]:
        """By name, what becomes of scatters and the parts that draw them; None for one that goes.

        The rows of a patch are those of its parts in order. `redone` names the scatters that wear other rows.
        """
        told: dict[str, tuple[StrewnPatch, tuple[StrewnPart, ...]] | None] = {}
        cells = {}
        for ground_id, scatter_id, made in self._strewing.update(before, project):
            name = strewn_name(ground_id, scatter_id)
            if made is None:
                self._undress(name)
                told[name] = None
            else:
                cells[name] = made
        dressed = any(getattr(project, n) is not getattr(before, n) for n in ("meshes", "categories"))
        for ground in project.grounds:
            old = before.grounds.get(ground.id)
            for scatter in ground.scatter if project.shows(ground) else ():
                name = strewn_name(ground.id, scatter.id)
                if not scatter.visible:
                    continue
                worn = self._worn.get(name)
                if worn is None or old is not ground or dressed or name in redone:
                    same = worn is not None and worn.far == scatter.far
                    parts = self._dress(project, name, scatter)
                    if name not in cells and same and worn is not None and parts == worn.parts:
                        continue
                    self._worn[name] = _Worn(self._worn[name].looks, parts, scatter.far)
                elif name not in cells:
                    continue
                told[name] = self._told(name, cells.get(name))
        return told

    def grow(self, due: Due, grown: Grown) -> dict[str, tuple[StrewnPatch, tuple[StrewnPart, ...]] | None]:
        """Take the pieces of scatters that were due; what becomes of them, as `update` tells it."""
        made = ((strewn_name(g, s), strewed) for g, s, strewed in self._strewing.grow(due, grown))
        return {name: self._told(name, strewed) for name, strewed in made if name in self._worn}

    def _told(self, name: str, found: Strewed | None) -> tuple[StrewnPatch, tuple[StrewnPart, ...]]:
        worn = self._worn[name]
        rows = {i: np.array(part.rows, np.int32) for i, part in enumerate(worn.parts)}
        cells, whole = (found.cells, found.whole) if found is not None else ({}, False)
        return StrewnPatch(rows, worn.far, cells, whole), worn.parts

    def _dress(self, project: Project, name: str, scatter: Scatter) -> tuple[StrewnPart, ...]:
        """The parts of a scatter as its mesh is dressed now."""
        before = self._worn.setdefault(name, _Worn())
        dress = dress_of(project, scatter.mesh, scatter.variant)
        values = values_of(scatter) if scatter.dial else []
        looks: dict[Place, LookKey] = {}
        parts = []
        for level, (mesh, low, high) in enumerate(project.spans(scatter.mesh)):
            for slot in self._mesh_data(project, mesh).slots:
                finish = dress.get(slot.name, "")
                rows, material = [], ""
                for step in range(STEPS):
                    own = ((scatter.dial, values[step]),) if values and finish else ()
                    key: LookKey = (finish, *own)
                    place = (name, f"{STREWN}{slot.name}\n{level}\n{step}")
                    look = self._looks.take(project, key, place)
                    looks[place] = key
                    rows.append(look.row)
                    material = look.material.id
                part = f"{slot.name}\n{level}"
                parts.append(StrewnPart(part, self._mesh_name(project, mesh), slot, (low, high), material, tuple(rows)))
        for place, key in before.looks.items():
            if looks.get(place) != key:
                self._looks.leave(key, place)
        before.looks = looks
        return tuple(parts)

    def _undress(self, name: str) -> None:
        gone = self._worn.pop(name, None)
        for place, key in gone.looks.items() if gone is not None else ():
            self._looks.leave(key, place)
