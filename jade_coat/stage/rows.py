"""The dial rows of all finishes of a material at once: inheritance as array operations."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from jade_coat.material.fields import Number, Spec
from jade_coat.material.material import Finish, Material
from jade_coat.material.rows import dial_spec, field_values, layout
from jade_coat.program.types import Array
from jade_coat.stage.project import Project


class FinishRows:
    """What each finish of a material changes, and the rows that follow for all of them.

    Kept between versions of a project: finishes that did not change are not looked at again.
    """

    def __init__(self, material: Material) -> None:
        self.material = material
        self._base = layout(material).pack(field_values(material))
        self._columns: dict[str, tuple[slice, Spec]] = {}
        places = layout(material).places
        for dial in material.dials:
            spec = dial_spec(material, dial)
            if not spec.shapes_program:
                texel, at = places[dial.path]
                self._columns[dial.id] = (slice(texel * 4 + at, texel * 4 + at + spec.size), spec)
        self._known: tuple[Finish, ...] = ()
        self._index: dict[str, int] = {}
        self._levels: list[tuple[Array, Array | None]] = []
        self._changed = np.zeros((0, len(self._base)), bool)
        self._values = np.zeros((0, len(self._base)), np.float32)
        self._rows: Array | None = None

    def row(self, finish: str) -> Array:
        """The row of one finish, or of the material itself by its id. Raises KeyError."""
        if finish == self.material.id:
            return self._base
        at = self._index[finish]
        if self._rows is None:
            self._rows = self.resolve()
        return self._rows[at]

    def own_row(self, finish: str, own: Mapping[str, Number]) -> Array:
        """The row of a finish with a prop's own dial values on top. Raises KeyError."""
        row = self.row(finish).copy()
        for dial, value in own.items():
            if dial in self._columns:
                columns, spec = self._columns[dial]
                row[columns] = spec.clamped(value)
        return row

    def index(self, finish: str) -> int:
        """Which of `resolve`'s rows belongs to a finish. Raises KeyError."""
        return self._index[finish]

    def resolve(self) -> Array:
        """The rows `(n, floats)` of all finishes: each its parent's, but for what it changes itself."""
        rows = np.empty_like(self._values)
        for members, parents in self._levels:
            above = self._base[None] if parents is None else rows[parents]
            rows[members] = np.where(self._changed[members], self._values[members], above)
        return rows

    def update(self, finishes: Sequence[Finish]) -> None:
        """Take the finishes as they are now."""
        if finishes is self._known:
            return
        finishes = tuple(finishes)
        if finishes == () or len(finishes) != len(self._known) or not self._take_changes(finishes):
            self._take_all(finishes)
        self._known = finishes

    def _take_changes(self, finishes: tuple[Finish, ...]) -> bool:
        """Take over what is new in finishes of the same ids and parents; whether that was all."""
        for old, new in zip(self._known, finishes, strict=True):
            if old is new:
                continue
            if (old.id, old.parent) != (new.id, new.parent):
                return False
            if new.id in self._index:
                self._put(self._index[new.id], new)
                self._rows = None
        return True

    def _take_all(self, finishes: tuple[Finish, ...]) -> None:
        children: dict[str, list[Finish]] = {}
        for finish in finishes:
            children.setdefault(finish.parent, []).append(finish)
        order: list[Finish] = []
        self._index, self._levels, self._rows = {}, [], None
        level = children.get(self.material.id, [])
        first = True
        while level:
            members = np.arange(len(order), len(order) + len(level))
            parents = None if first else np.array([self._index[f.parent] for f in level])
            self._levels.append((members, parents))
            self._index.update({f.id: int(i) for f, i in zip(level, members, strict=True)})
            order += level
            level, first = [c for f in level for c in children.get(f.id, ())], False
        self._changed = np.zeros((len(order), len(self._base)), bool)
        self._values = np.zeros((len(order), len(self._base)), np.float32)
        for i, finish in enumerate(order):
            self._put(i, finish)

    def _put(self, at: int, finish: Finish) -> None:
        self._changed[at] = False
        for dial, value in finish.values.items():
            if dial in self._columns:
                columns, spec = self._columns[dial]
                self._changed[at, columns] = True
                self._values[at, columns] = spec.clamped(value)


class KeptRows:
    """The finish rows of all materials, kept from one scene to the next by whoever builds them.

    They are brought up to date in place: two threads must not share one.
    """

    def __init__(self) -> None:
        self._kept: dict[str, FinishRows] = {}

    def of(self, project: Project, material: Material) -> FinishRows:
        """The rows of a material's finishes as they are in a project."""
        found = self._kept.get(material.id)
        if found is None or found.material is not material:
            found = self._kept[material.id] = FinishRows(material)
        found.update(project.finishes)
        return found

    def keep(self, materials: set[str]) -> None:
        """Let go of all but some materials."""
        for gone in self._kept.keys() - materials:
            del self._kept[gone]
