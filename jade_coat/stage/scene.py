"""The stage as columns: which instance of which draw each prop is. An edit changes the entries of what it changed."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from jade_coat.material.fields import Number
from jade_coat.material.material import Coat, Material, field_values, layout
from jade_coat.material.paint_source import MapSource
from jade_coat.material.surface import Surface
from jade_coat.mesh.data import MeshData
from jade_coat.mesh.painting import PaintMap
from jade_coat.program.types import Array
from jade_coat.stage.draws import NO_DRAW, Draw, DrawPatch, Scene, ScenePatch
from jade_coat.stage.looks import finishes_on, lineage, material_of, worn
from jade_coat.stage.project import Project, Prop
from jade_coat.stage.rows import KeptRows

BARE = Material(
    id="bare",
    name="Bare",
    coats=(Coat(id="bare", name="Bare", surface=Surface(color=(0.35, 0.35, 0.34), roughness=0.7)),),
)
"""What a slot without a finish shows."""
_BARE_ROW = layout(BARE).pack(field_values(BARE))
_NOWHERE = np.eye(4, dtype=np.float32)
GROWTH = 1.5
"""A full table gets this much larger: a new row then seldom sends all of it."""

LookKey = tuple[Any, ...]
"""A finish (empty for none), and the dial values of a prop's own as sorted pairs."""
DrawKey = tuple[str, str, int, int, str, MapSource | None]
"""Mesh, owner of the paint, first triangle, how many, material, and how a painted map is read."""
Place = tuple[str, str]
"""A prop and one of its slots."""


@dataclass
class _Look:
    """One look in use: the material that shows it, its row there, and what it follows from."""

    material: Material
    row: int
    basis: tuple[object, ...]
    users: set[Place] = field(default_factory=set)


class _Table:
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
    def empty(self) -> bool:
        """Whether no row is in use."""
        return len(self._free) == self._used


@dataclass
class _Run:
    """One draw, with who its instances are, and what has changed in it."""

    key: DrawKey
    members: list[Place] = field(default_factory=list)
    columns: list[tuple[Array, int, float]] = field(default_factory=list)
    """Matrix, row and seed of each instance."""
    touched: set[int] = field(default_factory=set)
    fresh: bool = True


class SceneColumns:
    """Keeps the scene of a project: told of another state, it works out what differs, and no more.

    `mesh_data` gives a mesh by its id in the project, `mesh_name` the name that draws know it by.
    """

    def __init__(
        self, mesh_data: Callable[[Project, str], MeshData], mesh_name: Callable[[Project, str], str] | None = None
    ) -> None:
        self._mesh_data = mesh_data
        self._mesh_name = mesh_name or (lambda project, mesh: mesh)
        self._project = Project()
        self._kept = KeptRows()
        self._looks: dict[LookKey, _Look] = {}
        self._tables: dict[str, _Table] = {}
        self._runs: dict[int, _Run] = {}
        self._numbers: dict[DrawKey, int] = {}
        self._vacant: list[int] = []
        self._touched: set[int] = set()
        """The numbers of the draws in which something has changed."""
        self._where: dict[str, dict[str, tuple[int, int, LookKey]]] = {}
        """By prop and slot: the draw, the instance there, and the look."""
        self._gone_tables: set[str] = set()

    @property
    def materials(self) -> dict[str, Material]:
        """The materials that something wears, by the ids that draws name them by."""
        return {name: table.material for name, table in self._tables.items()}

    @property
    def meshes(self) -> dict[str, str]:
        """The ids of the meshes that something shows, by the names that draws know them by."""
        found = {self._mesh_name(self._project, m.id): m.id for m in self._project.meshes}
        return {key[0]: found[key[0]] for key in self._numbers}

    def update(self, project: Project) -> ScenePatch:
        """Take another state of the project; what becomes of the scene."""
        before, self._project = self._project, project
        changed = {(a or b).id: b for a, b in project.props.changed_from(before.props)}  # type: ignore[union-attr]
        if any(getattr(project, kind) is not getattr(before, kind) for kind in ("groups", "meshes", "categories")):
            changed.update(self._concerned(before, project))
        for prop in list(changed):
            if changed[prop] is None or not project.shows(changed[prop]):  # type: ignore[arg-type]
                self._drop(prop)
                del changed[prop]
        if project.materials is not before.materials or project.finishes is not before.finishes:
            self._kept.keep({m.id for m in project.materials})
            self._dress_anew(project, changed)
        for found in changed.values():
            assert found is not None
            self._stand(project, found)
        return self._patch()

    def _concerned(self, before: Project, project: Project) -> dict[str, Prop]:
        """The props that groups, meshes or categories which are others now have to do with."""
        meshes = {m.id: m for m in before.meshes}
        redone = project.categories is not before.categories
        other = {m.id for m in project.meshes if meshes.get(m.id) is not m or (redone and m.categories)}
        grouped = project.groups is not before.groups
        return {p.id: p for p in project.props if p.mesh in other or (grouped and p.parent)}

    # Looks

    def _dress_anew(self, project: Project, changed: dict[str, Prop | None]) -> None:
        """Bring every look up to date; what another material shows now is put on `changed`, to be drawn by that."""
        known = {f.id for f in project.finishes} | {m.id for m in project.materials}
        moved: list[tuple[LookKey, _Look]] = []
        for key, look in self._looks.items():
            if key[0] not in known:
                continue  # bare, or gone: whoever wore it has changed too
            basis = self._basis(project, key[0])
            if len(basis) == len(look.basis) and all(a is b for a, b in zip(basis, look.basis, strict=True)):
                continue
            look.basis, material = basis, worn(project, key[0])
            if material.id == look.material.id and self._tables[material.id].width == _width(material):
                look.material = self._tables[material.id].material = material
                self._tables[material.id].put(look.row, self._values(project, key))
            else:
                moved.append((key, look))
        for _, look in moved:  # all of a table whose rows are of another width now, which then goes
            self._free_row(look)
        for key, look in moved:
            look.material = worn(project, key[0])
            look.row = self._table(look.material).put(None, self._values(project, key))
            for prop, _ in look.users:
                found = project.props.get(prop)
                if found is not None and project.shows(found):
                    changed.setdefault(prop, found)

    @staticmethod
    def _basis(project: Project, finish: str) -> tuple[object, ...]:
        """What a look follows from."""
        return (material_of(project, finish), *lineage(project, finish))

    def _values(self, project: Project, key: LookKey) -> Array:
        finish, *own = key
        if not finish:
            return _BARE_ROW
        rows = self._kept.of(project, material_of(project, finish))
        return rows.own_row(finish, dict(own)) if own else rows.row(finish)

    def _look(self, project: Project, key: LookKey, user: Place) -> _Look:
        look = self._looks.get(key)
        if look is None:
            material = worn(project, key[0]) if key[0] else BARE
            row = self._table(material).put(None, self._values(project, key))
            look = self._looks[key] = _Look(material, row, self._basis(project, key[0]) if key[0] else ())
        look.users.add(user)
        return look

    def _leave(self, key: LookKey, user: Place) -> None:
        look = self._looks[key]
        look.users.discard(user)
        if not look.users:
            del self._looks[key]
            self._free_row(look)

    def _table(self, material: Material) -> _Table:
        if material.id not in self._tables:
            self._tables[material.id] = _Table(material)
        return self._tables[material.id]

    def _free_row(self, look: _Look) -> None:
        table = self._tables[look.material.id]
        table.free(look.row)
        if table.empty:
            del self._tables[look.material.id]
            self._gone_tables.add(look.material.id)

    # Props

    def _stand(self, project: Project, prop: Prop) -> None:
        """Let a prop be drawn as it is now."""
        held = self._where.setdefault(prop.id, {})
        name, own, source = self._mesh_name(project, prop.mesh), own_paint(prop), on_map(prop)
        matrix, seed = prop.matrix().astype(np.float32), prop.seed
        slots = self._mesh_data(project, prop.mesh).slots
        worn_by = finishes_on(project, prop)
        for gone in held.keys() - {s.name for s in slots}:
            self._remove(prop.id, gone)
        for slot in slots:
            place = (prop.id, slot.name)
            finish = worn_by.get(slot.name, "")
            wear: LookKey = (finish, *(sorted(prop.values.get(slot.name, {}).items()) if finish else ()))
            look = self._look(project, wear, place)
            key = (name, own, slot.start, slot.count, look.material.id, source)
            at = held.get(slot.name)
            if at is not None and at[2] != wear:
                self._leave(at[2], place)
            if at is not None and self._runs[at[0]].key != key:
                self._take_out(at[0], at[1])
                at = None
            number, instance = (at[0], at[1]) if at is not None else self._new_instance(key, place)
            held[slot.name] = (number, instance, wear)
            run = self._runs[number]
            run.columns[instance] = (matrix, look.row, seed)
            run.touched.add(instance)
            self._touched.add(number)

    def _new_instance(self, key: DrawKey, place: Place) -> tuple[int, int]:
        """Room for one more instance of a draw, which may be new: the draw's number, and the instance's."""
        if key not in self._numbers:
            number = self._vacant.pop() if self._vacant else len(self._runs)
            self._numbers[key], self._runs[number] = number, _Run(key)
        number = self._numbers[key]
        run = self._runs[number]
        run.members.append(place)
        run.columns.append((_NOWHERE, 0, 0.0))
        return number, len(run.members) - 1

    def _drop(self, prop: str) -> None:
        for slot in list(self._where.get(prop, ())):
            self._remove(prop, slot)
        self._where.pop(prop, None)

    def _remove(self, prop: str, slot: str) -> None:
        number, at, look = self._where[prop].pop(slot)
        self._leave(look, (prop, slot))
        self._take_out(number, at)

    def _take_out(self, number: int, at: int) -> None:
        """Take an instance out of a draw: the last one takes its place."""
        run = self._runs[number]
        last, columns = run.members.pop(), run.columns.pop()
        run.touched.discard(len(run.members))
        self._touched.add(number)
        if at < len(run.members):
            run.members[at], run.columns[at] = last, columns
            run.touched.add(at)
            prop, slot = last
            self._where[prop][slot] = (number, at, self._where[prop][slot][2])

    # What is told

    def _patch(self) -> ScenePatch:
        draws: dict[int, DrawPatch] = {}
        for number in sorted(self._touched):
            run = self._runs[number]
            if not run.members:
                if self._numbers.pop(run.key, None) is not None:
                    self._vacant.append(number)
                draws[number] = DrawPatch(made=NO_DRAW)
            elif run.fresh:
                draws[number] = DrawPatch(made=Draw(*run.key[:5], *_stacked(run.columns), run.key[5]))
            else:
                places = sorted(run.touched)
                columns = _stacked([run.columns[i] for i in places])
                draws[number] = DrawPatch(None, len(run.members), np.array(places, np.int64), *columns)
            run.touched, run.fresh = set(), not run.members
        self._touched = set()
        return ScenePatch(draws, *self._told_rows())

    def _told_rows(self) -> tuple[dict[str, Array | None], dict[str, tuple[Array, Array]]]:
        tables: dict[str, Array | None] = {name: None for name in self._gone_tables if name not in self._tables}
        rows: dict[str, tuple[Array, Array]] = {}
        for name, table in self._tables.items():
            if table.whole:
                tables[name] = table.rows.copy()
            elif table.written:
                numbers = np.array(sorted(table.written), np.int64)
                rows[name] = (numbers, table.rows[numbers])
            table.whole, table.written = False, set()
        self._gone_tables = set()
        return tables, rows


def build_scene(project: Project, mesh_data: Callable[[str], MeshData]) -> Scene:
    """The scene of a project, all at once; `mesh_data` resolves mesh ids."""
    scene = Scene()
    SceneColumns(lambda _, mesh: mesh_data(mesh)).update(project).apply(scene)
    return scene


def single(mesh: str, data: MeshData, material: Material, values: dict[str, Number]) -> Scene:
    """A scene of one mesh at the origin, all slots in one look: for swatches and previews."""
    count = sum(s.count for s in data.slots)
    one = np.eye(4, dtype=np.float32)[None]
    zero = np.zeros(1, np.int32)
    return Scene(
        [Draw(mesh, "", 0, count, material.id, one, zero, np.zeros(1, np.float32))],
        {material.id: layout(material).pack(values)[None]},
    )


def own_paint(prop: Prop) -> str:
    """The name a prop's own paint is drawn under; empty while it shows the mesh's."""
    return prop.id if prop.paint is not None or prop.paint_map is not None else ""


def on_map(prop: Prop) -> MapSource | None:
    """How materials read a prop's painted map, if it has one."""
    return prop.paint_map.source if isinstance(prop.paint_map, PaintMap) else None


def _width(material: Material) -> int:
    return layout(material).texels * 4


def _stacked(columns: Iterable[tuple[Array, int, float]]) -> tuple[Array, Array, Array]:
    found = list(columns)
    matrices = np.stack([m for m, _, _ in found]) if found else np.zeros((0, 4, 4), np.float32)
    return matrices, np.array([r for _, r, _ in found], np.int32), np.array([s for _, _, s in found], np.float32)
