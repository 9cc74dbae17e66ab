"""The tables of rows that looks are read from: one a material, with a row for each look that something wears."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np

from jade_coat.material.material import Material
from jade_coat.material.rows import field_values, layout
from jade_coat.program.types import Array
from jade_coat.stage.bare import BARE
from jade_coat.stage.ground_looks import ground_basis, ground_material, ground_values
from jade_coat.stage.looks import lineage, material_of, worn
from jade_coat.stage.project import Project
from jade_coat.stage.rows import KeptRows

_BARE_ROW = layout(BARE).pack(field_values(BARE))
GROWTH = 1.5
"""A full table gets this much larger: a new row then seldom sends all of it."""

LookKey = tuple[Any, ...]
"""A finish (empty for none), and the dial values of a prop's own as sorted pairs; or `GROUND`, a ground and the ids of
some of its layers."""
GROUND = "\0ground"
Place = tuple[str, str]
"""A prop and one of its slots, or a decal and `DECAL`."""
DECAL = "\0decal"
"""Stands for a slot where a decal wears a look."""


ROWS_A_COLUMN, WIDEST = 4096, 16384
"""Rows that lie below one another in the texture of a table, and how many texels wide that may be."""


def most_looks(material: Material) -> int:
    """How many looks the table of a material holds, at the least."""
    texels = -(-_width(material) // 4) * 2  # a program may keep as many values that it worked out as it was given
    return ROWS_A_COLUMN * (WIDEST // texels)


@dataclass
class Look:
    """One look in use: the material that shows it, its row there, and what it follows from."""

    material: Material
    row: int
    basis: tuple[object, ...]
    users: set[Place] = field(default_factory=set)


class Table:
    """The rows of one material's looks; rows that are let go are used again."""

    def __init__(self, material: Material) -> None:
        self.material = material
        self.rows = np.zeros((0, _width(material)), np.float32)
        self._free: list[int] = []
        self._used = 0
        self.whole = True
        """Whether all of it is to be sent."""
        self.written: set[int] = set()

    def put(self, at: int | None, values: Array) -> int:
        """Write a row, a new one for None; its number."""
        if at is None:
            at = self._free.pop() if self._free else self._used
            self._used = max(self._used, at + 1)
        if at >= len(self.rows):
            grown = np.zeros((at + 1 if self.whole else int(at * GROWTH) + 4, self.rows.shape[1]), np.float32)
            grown[: len(self.rows)] = self.rows
            self.rows, self.whole = grown, True
        elif np.array_equal(self.rows[at], values):
            return at
        self.rows[at] = values
        self.written.add(at)
        return at

    def free(self, at: int) -> None:
        """Let a row go."""
        self._free.append(at)

    @property
    def width(self) -> int:
        """Floats a row."""
        return int(self.rows.shape[1])

    @property
    def is_crowded(self) -> bool:
        """Whether less than a tenth of its room is left."""
        return self.used > 0.9 * most_looks(self.material)

    @property
    def used(self) -> int:
        """Rows in use."""
        return self._used - len(self._free)

    @property
    def empty(self) -> bool:
        """Whether no row is in use."""
        return len(self._free) == self._used


class LookTables:
    """All looks in use, and the tables of their rows."""

    def __init__(self) -> None:
        self._kept = KeptRows()
        self._looks: dict[LookKey, Look] = {}
        self.tables: dict[str, Table] = {}
        self._gone_tables: set[str] = set()
        self._changed: set[str] = set()
        """The tables that are to be told of."""

    def renew(self, project: Project) -> set[Place]:
        """Bring every look up to date; the users of those that another material or row shows now."""
        self._kept.keep({m.id for m in project.materials})
        known = {f.id for f in project.finishes} | {m.id for m in project.materials}
        moved: list[tuple[LookKey, Look]] = []
        for key, look in self._looks.items():
            if key[0] not in known and key[0] != GROUND:
                continue  # bare, or gone: whoever wore it has changed too
            basis = self._basis(project, key)
            if not basis:
                continue  # a ground that is gone
            if len(basis) == len(look.basis) and all(a is b for a, b in zip(basis, look.basis, strict=True)):
                continue
            look.basis, material = basis, self._worn(project, key)
            if material.id == look.material.id and self.tables[material.id].width == _width(material):
                look.material = self.tables[material.id].material = material
                self._table(material).put(look.row, self._values(project, key))
            else:
                moved.append((key, look))
        for _, look in moved:  # all of a table whose rows are of another width now, which then goes
            self._free_row(look)
        for key, look in moved:
            look.material = self._worn(project, key)
            look.row = self._table(look.material).put(None, self._values(project, key))
        return {user for _, look in moved for user in look.users}

    @staticmethod
    def _basis(project: Project, key: LookKey) -> tuple[object, ...]:
        """What a look follows from."""
        if key[0] == GROUND:
            ground = project.grounds.get(key[1])
            return ground_basis(project, ground, key[2]) if ground is not None else ()
        return (material_of(project, key[0]), *lineage(project, key[0]))

    def _worn(self, project: Project, key: LookKey) -> Material:
        """The material that shows a look."""
        if key[0] == GROUND:
            return ground_material(project, project.grounds[key[1]], key[2])
        return worn(project, key[0])

    def _values(self, project: Project, key: LookKey) -> Array:
        if key[0] == GROUND:
            material = ground_material(project, project.grounds[key[1]], key[2])
            return layout(material).pack(ground_values(project, project.grounds[key[1]], material))
        finish, *own = key
        if not finish:
            return _BARE_ROW
        rows = self._kept.of(project, material_of(project, finish))
        return rows.own_row(finish, dict(own)) if own else rows.row(finish)

    def take(self, project: Project, key: LookKey, user: Place) -> Look:
        """The look of a finish and own values, which a place wears from now on."""
        look = self._looks.get(key)
        if look is None:
            material = self._worn(project, key) if key[0] else BARE
            row = self._table(material).put(None, self._values(project, key))
            look = self._looks[key] = Look(material, row, self._basis(project, key) if key[0] else ())
        look.users.add(user)
        return look

    def leave(self, key: LookKey, user: Place) -> None:
        """A place wears it no more; what nobody wears is let go."""
        look = self._looks[key]
        look.users.discard(user)
        if not look.users:
            del self._looks[key]
            self._free_row(look)

    def _table(self, material: Material) -> Table:
        """The table of a material, to be written to."""
        self._changed.add(material.id)
        if material.id not in self.tables:
            self.tables[material.id] = Table(material)
        return self.tables[material.id]

    def _free_row(self, look: Look) -> None:
        table = self.tables[look.material.id]
        table.free(look.row)
        if table.empty:
            del self.tables[look.material.id]
            self._gone_tables.add(look.material.id)

    def told(self) -> tuple[dict[str, Array | None], dict[str, tuple[Array, Array]]]:
        """What becomes of the tables: whole ones (None for one that goes), and some rows of others."""
        tables: dict[str, Array | None] = {name: None for name in self._gone_tables if name not in self.tables}
        rows: dict[str, tuple[Array, Array]] = {}
        for name in sorted(self._changed & self.tables.keys()):
            table = self.tables[name]
            if table.whole:
                tables[name] = table.rows.copy()
            elif table.written:
                numbers = np.array(sorted(table.written), np.int64)
                rows[name] = (numbers, table.rows[numbers])
            table.whole, table.written = False, set()
        self._gone_tables, self._changed = set(), set()
        return tables, rows


def _width(material: Material) -> int:
    return layout(material).texels * 4
