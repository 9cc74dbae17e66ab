"""The stage as columns: which instance of which draw each prop is. An edit changes the entries of what it changed."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from jade_coat.material.material import Material
from jade_coat.material.paint_source import MapSource
from jade_coat.mesh.data import MeshData, Slot
from jade_coat.mesh.painting import Paint, PaintMap
from jade_coat.program.types import Array
from jade_coat.stage.decal_draws import decal_draw
from jade_coat.stage.decals import Decal
from jade_coat.stage.draws import ANY_DISTANCE, NO_DRAW, DecalDraw, DrawPatch, Scene, ScenePatch, StrewnPatch
from jade_coat.stage.grid import Grid
from jade_coat.stage.ground_columns import NODE, GroundColumns, Part, relaid
from jade_coat.stage.ground_nodes import NODE_MESH, NODE_TRIANGLES
from jade_coat.stage.lamps import BARE
from jade_coat.stage.look_tables import DECAL, LookKey, LookTables, Place, most_looks
from jade_coat.stage.looks import finishes_on
from jade_coat.stage.project import Project, Prop
from jade_coat.stage.strewing import Due, Grown, Lifts, Strewing, no_lift
from jade_coat.stage.strewn_beside import StrewnBeside
from jade_coat.stage.strewn_columns import STREWN, StrewnColumns, StrewnPart
from jade_coat.stage.surroundings import surroundings

_NOWHERE = np.eye(4, dtype=np.float32)
DrawKey = tuple[str, str, int, int, str, MapSource | None, tuple[float, float], Grid | None, str]
"""Mesh, owner of the painted map, first triangle, how many, material, how a painted map is read, from how far it is
seen, how the parts of a ground lie, and the scatter whose pieces it draws."""


@dataclass
class _Run:
    """One draw, with who its instances are, and what has changed in it."""

    key: DrawKey
    members: list[Place] = field(default_factory=list)
    columns: list[tuple[Array, int, float, str]] = field(default_factory=list)
    """Matrix, row and seed of each instance, and the prop whose own paint it shows, empty for the mesh's."""
    touched: set[int] = field(default_factory=set)
    fresh: bool = True


class SceneColumns:
    """Keeps the scene of a project: told of another state, it works out what differs, and no more.

    `mesh_data` gives a mesh by its id in the project, `mesh_name` the name that draws know it by. `lifts` says how far
    grounds are lifted under what is strewn on them; `later` leaves due what is much to strew (`due`, `grow`).
    """

    def __init__(
        self, mesh_data: Callable[[Project, str], MeshData], mesh_name: Callable[[Project, str], str] | None = None,
        lifts: Lifts = no_lift, later: bool = False, strewing: Strewing | None = None,
    ) -> None:  # fmt: skip
        self._mesh_data = mesh_data
        self._mesh_name = mesh_name or (lambda project, mesh: mesh)
        self._project = Project()
        self._looks = LookTables()
        self._runs: dict[int, _Run] = {}
        self._numbers: dict[DrawKey, int] = {}
        self._vacant: list[int] = []
        self._touched: set[int] = set()
        """The numbers of the draws in which something has changed."""
        self._where: dict[str, dict[str, tuple[int, int, LookKey]]] = {}
        """By prop and slot: the draw, the instance there, and the look."""
        self._grounds = GroundColumns()
        self.strewing = strewing if strewing is not None else Strewing(mesh_data, lifts, later)
        """Keeps the pieces of all scatters."""
        self._strewn = StrewnColumns(self._looks, mesh_data, self._mesh_name, self.strewing)
        self._scatters: dict[str, StrewnPatch | None] = {}
        """The scatters to be told of."""
        self._decal_looks: dict[str, LookKey] = {}
        self._decals: dict[str, DecalDraw | None] = {}
        """The decals to be told of."""
        self._parts: dict[str, dict[str, tuple[str, Slot, tuple[float, float]]]] = {}
        """What is drawn of the props of a mesh, while a state is taken."""
        self._surroundings = BARE
        self._surrounded = False
        """Whether the surroundings are to be told of."""

    def beside(self, project: Project, scene: str) -> SceneColumns:
        """Columns of their own for another state of the project, whose ids there begin with the scene's name.

        What is strewn as it is here is taken over.
        """
        strewing = StrewnBeside(self.strewing, self._project, project, scene)
        return SceneColumns(self._mesh_data, self._mesh_name, strewing=strewing)

    @property
    def materials(self) -> dict[str, Material]:
        """The materials that something wears, by the ids that draws name them by."""
        return {name: table.material for name, table in self._looks.tables.items()}

    @property
    def meshes(self) -> dict[str, str]:
        """The ids of the meshes that something shows, by the names that draws know them by."""
        found = {self._mesh_name(self._project, m.id): m.id for m in self._project.meshes}
        return {key[0]: found[key[0]] for key in self._numbers if key[0] != NODE_MESH}

    @property
    def due(self) -> Due | None:
        """Scatters that are to be strewn all over, elsewhere."""
        return self._strewn.due

    def grow(self, due: Due, grown: Grown) -> ScenePatch:
        """Take the pieces of scatters that were due; what becomes of the scene."""
        for name, strewed in self._strewn.grow(due, grown).items():
            self._strew(name, strewed)
        return self._patch()

    def crowded(self) -> list[str]:
        """What is to be told of tables that are nearly full, in words."""
        return [
            f"{t.material.name} has {t.used:,} looks on the stage; its table holds {most_looks(t.material):,}. "
            "Let props share finishes in place of values of their own."
            for t in self._looks.tables.values() if t.is_crowded
        ]  # fmt: skip

    def update(self, project: Project) -> ScenePatch:
        """Take another state of the project; what becomes of the scene."""
        before, self._project, self._parts = self._project, project, {}
        changed = {(a or b).id: b for a, b in project.props.changed_from(before.props)}  # type: ignore[union-attr]
        if any(getattr(project, kind) is not getattr(before, kind) for kind in ("groups", "meshes", "categories")):
            changed.update(self._concerned(before, project))
        for prop in list(changed):
            if changed[prop] is None or not project.shows(changed[prop]):  # type: ignore[arg-type]
                self._drop(prop)
                del changed[prop]
        redone: set[str] = set()
        grounds: set[str] = set()
        scatters: set[str] = set()
        dressed = project.materials is not before.materials or project.finishes is not before.finishes
        if dressed or relaid(before, project):
            for user, slot in self._looks.renew(project):
                found = project.props.get(user) if slot != DECAL else None
                if slot == DECAL:
                    redone.add(user)
                elif slot.startswith(NODE):
                    grounds.add(user)
                elif slot.startswith(STREWN):
                    scatters.add(user)
                elif found is not None and project.shows(found):
                    changed.setdefault(user, found)
        for found in changed.values():
            assert found is not None
            self._stand(project, found, before.props.get(found.id))
        for ground, redone_too in self._grounds.update(before, project, grounds):
            self._lay_ground(project, ground, redone_too)
        for name, strewed in self._strewn.update(before, project, scatters).items():
            self._strew(name, strewed)
        self._lay_decals(before, project, redone)
        self._surround(before, project)
        return self._patch()

    def _concerned(self, before: Project, project: Project) -> dict[str, Prop]:
        """The props that groups, meshes or categories which are others now have to do with."""
        meshes = {m.id: m for m in before.meshes}
        redone = project.categories is not before.categories
        other = {m.id for m in project.meshes if meshes.get(m.id) is not m or (redone and m.categories)}
        other |= {m.id for m in project.meshes if any(level.mesh in other for level in m.levels)}
        grouped = project.groups is not before.groups
        return {p.id: p for p in project.props if p.mesh in other or (grouped and p.parent)}

    # Props

    def _stand(self, project: Project, prop: Prop, before: Prop | None) -> None:
        """Let a prop be drawn as it is now; `before` is what it was when it was told of last."""
        held = self._where.setdefault(prop.id, {})
        if held and before is not None and _stands_alike(before, prop):
            number, instance, _ = next(iter(held.values()))
            matrix, _, seed, _ = self._runs[number].columns[instance]
        else:
            matrix, seed = prop.matrix().astype(np.float32), prop.seed
        if prop.mesh not in self._parts:
            self._parts[prop.mesh] = self._shown(project, prop.mesh)
        shown = self._parts[prop.mesh]
        worn_by = finishes_on(project, prop)
        for gone in held.keys() - shown.keys():
            self._remove(prop.id, gone)
        for part, (name, slot, span) in shown.items():
            place = (prop.id, part)
            near = span[0] <= 0
            own, source = _map_of(prop) if near else ("", None)
            owner = prop.id if near and isinstance(prop.paint, Paint) else ""
            finish = worn_by.get(slot.name, "")
            own_values = prop.values.get(slot.name) if finish else None
            wear: LookKey = (finish, *sorted(own_values.items())) if own_values else (finish,)
            look = self._looks.take(project, wear, place)
            key = (name, own, slot.start, slot.count, look.material.id, source, span, None, "")
            at = held.get(part)
            if at is not None and at[2] != wear:
                self._looks.leave(at[2], place)
            if at is not None and self._runs[at[0]].key != key:
                self._take_out(at[0], at[1])
                at = None
            number, instance = (at[0], at[1]) if at is not None else self._new_instance(key, place)
            held[part] = (number, instance, wear)
            run = self._runs[number]
            run.columns[instance] = (matrix, look.row, seed, owner)
            run.touched.add(instance)
            self._touched.add(number)

    def _shown(self, project: Project, mesh_id: str) -> dict[str, tuple[str, Slot, tuple[float, float]]]:
        """What is drawn of props of a mesh, near and far, by part (mesh, slot), with how far it is seen from and to.

        A slot seen from near has its own name, for whoever asks where it is.
        """
        found = {}
        for level, (mesh, low, high) in enumerate(project.spans(mesh_id)):
            name = self._mesh_name(project, mesh)
            for slot in self._mesh_data(project, mesh).slots:
                part = f"{slot.name}\n{level}" if level else slot.name
                found[part] = (name, slot, (low, high))
        return found

    def _new_instance(self, key: DrawKey, place: Place) -> tuple[int, int]:
        """Room for one more instance of a draw, which may be new: the draw's number, and the instance's."""
        if key not in self._numbers:
            number = self._vacant.pop() if self._vacant else len(self._runs)
            self._numbers[key], self._runs[number] = number, _Run(key)
        number = self._numbers[key]
        run = self._runs[number]
        run.members.append(place)
        run.columns.append((_NOWHERE, 0, 0.0, ""))
        return number, len(run.members) - 1

    def _drop(self, prop: str) -> None:
        for slot in list(self._where.get(prop, ())):
            self._remove(prop, slot)
        self._where.pop(prop, None)

    def _remove(self, prop: str, slot: str) -> None:
        number, at, look = self._where[prop].pop(slot)
        self._looks.leave(look, (prop, slot))
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

    # Grounds

    def _lay_ground(self, project: Project, ground: str, parts: dict[str, Part | None]) -> None:
        """Let some parts of a ground be drawn as they are now, each by its name; None is one that is there no more."""
        held = self._where.setdefault(ground, {})
        for name, part in parts.items():
            place, at = (ground, name), held.get(name)
            if part is None:
                if at is not None:
                    self._remove(ground, name)
                continue
            look = self._looks.take(project, part.wear, place)
            key = (NODE_MESH, ground, 0, NODE_TRIANGLES, look.material.id, None, ANY_DISTANCE, part.grid, "")
            if at is not None and at[2] != part.wear:
                self._looks.leave(at[2], place)
            if at is not None and self._runs[at[0]].key != key:
                self._take_out(at[0], at[1])
                at = None
            number, instance = (at[0], at[1]) if at is not None else self._new_instance(key, place)
            held[name] = (number, instance, part.wear)
            self._runs[number].columns[instance] = (part.matrix, look.row, part.size, "")
            self._runs[number].touched.add(instance)
            self._touched.add(number)
        if not held:
            del self._where[ground]

    # Scatters

    def _strew(self, name: str, strewed: tuple[StrewnPatch, tuple[StrewnPart, ...]] | None) -> None:
        """Let the pieces of a scatter be drawn as they are now; None for one that goes."""
        held = self._where.setdefault(name, {})
        patch, parts = strewed if strewed is not None else (None, ())
        wanted = {part.name: part for part in parts}
        numbers: dict[int, Array] = {}
        for gone in held.keys() - wanted.keys():
            self._take_out(*held.pop(gone)[:2])
        for i, part in enumerate(parts):
            slot = part.slot
            key = (part.mesh, "", slot.start, slot.count, part.material, None, part.span, None, name)
            at = held.get(part.name)
            if at is not None and self._runs[at[0]].key != key:
                self._take_out(at[0], at[1])
                at = None
            if at is None:  # one entry stands for all pieces, which the renderer is told of by cells
                number, instance = self._new_instance(key, (name, part.name))
                at = held[part.name] = (number, instance, ())
                self._touched.add(number)
            if patch is not None:
                numbers[at[0]] = patch.rows[i]
        if not held:
            del self._where[name]
        self._scatters[name] = replace(patch, rows=numbers) if patch is not None else None

    # Decals

    def _lay_decals(self, before: Project, project: Project, redone: set[str]) -> None:
        """Bring decals up to date: what was changed, is drawn by another row, or has other receivers."""
        changed: dict[str, Decal | None] = {}
        for then, now in project.decals.changed_from(before.decals):
            changed[(now or then).id] = now  # type: ignore[union-attr]
        grouped = project.groups is not before.groups
        dressed = project.props is not before.props or project.meshes is not before.meshes
        for decal in project.decals:
            if decal.id in redone or (grouped and decal.parent) or (dressed and decal.only):
                changed.setdefault(decal.id, decal)
        for name, found in changed.items():
            place, old = (name, DECAL), self._decal_looks.pop(name, None)
            if found is None or not found.finish or not project.shows(found):
                if old is not None:
                    self._looks.leave(old, place)
                    self._decals[name] = None
                continue
            key: LookKey = (found.finish,)
            look = self._looks.take(project, key, place)
            if old is not None and old != key:
                self._looks.leave(old, place)
            self._decal_looks[name] = key
            self._decals[name] = decal_draw(project, found, look.material.id, look.row)

    def _surround(self, before: Project, project: Project) -> None:
        """Bring lamps, mist and exposure up to date."""
        kinds = ("lamps", "mists", "light", "groups")
        if all(getattr(project, kind) is getattr(before, kind) for kind in kinds):
            return
        made = surroundings(project)
        if made != self._surroundings:
            self._surroundings, self._surrounded = made, True

    # What is told

    def _patch(self) -> ScenePatch:
        draws: dict[int, DrawPatch] = {}
        for number in sorted(self._touched):
            run = self._runs[number]
            if not run.members:
                if self._numbers.pop(run.key, None) is not None:
                    self._vacant.append(number)
                draws[number] = DrawPatch(made=NO_DRAW)
            elif run.fresh and run.key[-1]:
                draws[number] = DrawPatch(made=replace(NO_DRAW, **_named(run.key)))
            elif run.fresh:
                matrices, rows, seeds, paints = _stacked(run.columns)
                made = replace(NO_DRAW, matrices=matrices, rows=rows, seeds=seeds, paints=paints, **_named(run.key))
                draws[number] = DrawPatch(made=made)
            else:
                places = sorted(run.touched)
                columns = _stacked([run.columns[i] for i in places])
                draws[number] = DrawPatch(None, len(run.members), np.array(places, np.int64), *columns)
            run.touched, run.fresh = set(), not run.members
        self._touched = set()
        decals, self._decals = self._decals, {}
        told, self._surrounded = self._surroundings if self._surrounded else None, False
        scatters, self._scatters = self._scatters, {}
        return ScenePatch(draws, *self._looks.told(), decals, told, scatters)


def _named(key: DrawKey) -> dict[str, Any]:
    """A draw's key by the fields of the draw."""
    names = ("mesh", "paint", "start", "count", "material", "on_map", "span", "grid", "strewn")
    return dict(zip(names, key, strict=True))


def build_scene(project: Project, mesh_data: Callable[[str], MeshData]) -> Scene:
    """The scene of a project, all at once; `mesh_data` resolves mesh ids."""
    scene = Scene()
    SceneColumns(lambda _, mesh: mesh_data(mesh)).update(project).apply(scene)
    return scene


def _map_of(prop: Prop) -> tuple[str, MapSource | None]:
    """The name a prop's own painted map is drawn under, empty where it has none, and how it is read."""
    found = prop.paint_map
    return (prop.id, found.source) if isinstance(found, PaintMap) else ("", None)


def _stands_alike(a: Prop, b: Prop) -> bool:
    return a.position == b.position and a.turn == b.turn and a.size == b.size


def _stacked(columns: Iterable[tuple[Array, int, float, str]]) -> tuple[Array, Array, Array, dict[int, str]]:
    found = list(columns)
    matrices = np.stack([c[0] for c in found]) if found else np.zeros((0, 4, 4), np.float32)
    rows, seeds = np.array([c[1] for c in found], np.int32), np.array([c[2] for c in found], np.float32)
    return matrices, rows, seeds, {i: c[3] for i, c in enumerate(found) if c[3]}
