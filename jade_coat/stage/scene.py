"""Turns a project into what a renderer needs: draws of instances that share a mesh and a material, and dial rows."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np

from jade_coat.material.fields import Number
from jade_coat.material.material import Coat, Material, field_values, layout
from jade_coat.material.paint_source import MapSource
from jade_coat.material.surface import Surface
from jade_coat.mesh.data import MeshData
from jade_coat.mesh.painting import PaintMap
from jade_coat.program.types import Array
from jade_coat.stage.draws import Draw, Scene
from jade_coat.stage.looks import field_row, material_of, worn
from jade_coat.stage.project import Project, Prop, changed_items
from jade_coat.stage.rows import KeptRows

BARE = Material(
    id="bare",
    name="Bare",
    coats=(Coat(id="bare", name="Bare", surface=Surface(color=(0.35, 0.35, 0.34), roughness=0.7)),),
)
"""What a slot without a finish shows."""


class RowTable:
    """Collects the distinct rows of one material."""

    def __init__(self, material: Material) -> None:
        self._layout = layout(material)
        self._index: dict[tuple[object, ...], int] = {}
        self._rows: list[Array] = []

    def index(self, key: tuple[object, ...], row: Callable[[], Array]) -> int:
        """The number of a look's row; `row` is asked for when the key is new."""
        if key not in self._index:
            self._index[key] = len(self._rows)
            self._rows.append(row())
        return self._index[key]

    def pack(self, values: dict[str, Number]) -> Array:
        """A row out of field values."""
        return self._layout.pack(values)

    def array(self) -> Array:
        """All rows so far."""
        return np.stack(self._rows)


def build_scene(project: Project, mesh_data: Callable[[str], MeshData], kept: KeptRows | None = None) -> Scene:
    """The scene of a project; `mesh_data` resolves mesh asset ids, `kept` are the caller's rows of the last scene."""
    kept = kept or KeptRows()
    kept.keep({m.id for m in project.materials})
    tables: dict[str, RowTable] = {}
    looks: dict[str, tuple[Material, RowTable]] = {}
    meshes: dict[str, MeshData] = {}
    groups: dict[tuple[Any, ...], list[tuple[Array, int, int]]] = {}

    def look(finish: str) -> tuple[Material, RowTable]:
        if finish not in looks:
            material = worn(project, finish) if finish else BARE
            looks[finish] = (material, tables.setdefault(material.id, RowTable(material)))
        return looks[finish]

    for number, prop in enumerate(project.props):
        if prop.mesh not in meshes:
            meshes[prop.mesh] = mesh_data(prop.mesh)
        matrix, own, source = prop.matrix(), own_paint(prop), on_map(prop)
        for slot in meshes[prop.mesh].slots:
            finish = prop.finishes.get(slot.name, "")
            material, table = look(finish)
            row = _row(project, prop, slot.name, finish, table, kept)
            key = (prop.mesh, own, slot.start, slot.count, material.id, source)
            groups.setdefault(key, []).append((matrix, row, number))
    draws = []
    for (mesh_id, paint, start, count, material_id, source), members in groups.items():
        draws.append(
            Draw(
                mesh_id, paint, start, count, material_id, np.stack([m for m, _, _ in members]).astype(np.float32),
                np.array([r for _, r, _ in members], np.int32), np.array([p for _, _, p in members], np.int32),
                np.array([project.props[p].seed for _, _, p in members], np.float32), source,
            )
        )  # fmt: skip
    return Scene(tuple(draws), {name: table.array() for name, table in tables.items()})


def moved_props(before: Project, after: Project) -> list[int] | None:
    """The numbers of the props that stand elsewhere, where nothing else differs that a scene shows; else None."""
    if len(before.props) != len(after.props) or before.props is after.props:
        return None
    if any(getattr(before, n) is not getattr(after, n) for n in Project.model_fields if n not in ("props", "camera")):
        return None
    found = changed_items(before.props, after.props)
    return found if all(_stands_alike(before.props[i], after.props[i]) for i in found) else None


_SHOWN = ("id", "mesh", "finishes", "values")


def _stands_alike(a: Prop, b: Prop) -> bool:
    """Whether two states of a prop differ in nothing that is seen, but in where it stands."""
    return all(getattr(a, n) == getattr(b, n) for n in _SHOWN) and a.paint is b.paint and a.paint_map is b.paint_map


def own_paint(prop: Prop) -> str:
    """The name a prop's own paint is drawn under; empty while it shows the mesh's."""
    return prop.id if prop.paint is not None or prop.paint_map is not None else ""


def on_map(prop: Prop) -> MapSource | None:
    """How materials read a prop's painted map, if it has one."""
    return prop.paint_map.source if isinstance(prop.paint_map, PaintMap) else None


def _row(project: Project, prop: Prop, slot: str, finish: str, table: RowTable, kept: KeptRows) -> int:
    if not finish:
        return table.index((), lambda: table.pack(field_values(BARE)))
    own = prop.values.get(slot, {})
    if own:
        key = (finish, tuple(sorted(own.items())))
        return table.index(key, lambda: table.pack(field_row(project, finish, own)))
    return table.index((finish,), lambda: kept.of(project, material_of(project, finish)).row(finish))


def single(mesh: str, data: MeshData, material: Material, values: dict[str, Number]) -> Scene:
    """A scene of one mesh at the origin, all slots in one look: for swatches and previews."""
    count = sum(s.count for s in data.slots)
    one = np.eye(4, dtype=np.float32)[None]
    zero = np.zeros(1, np.int32)
    return Scene(
        (Draw(mesh, "", 0, count, material.id, one, zero, zero, np.zeros(1, np.float32)),),
        {material.id: layout(material).pack(values)[None]},
    )
