"""Exchanges a mesh under the props that show it: split finer, unwrapped, or imported anew. Paint moves along."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, field, replace

import numpy as np

from jade_coat.mesh.data import MeshData
from jade_coat.mesh.painting import Paint, PaintMap
from jade_coat.mesh.subdivide import subdivided
from jade_coat.mesh.transfer import map_transferred, transferred
from jade_coat.program.types import Array
from jade_coat.stage.project import Project, Prop


@dataclass(frozen=True)
class Exchange:
    """A new mesh for a mesh asset, what becomes of the props' own paint, and a report in sentences."""

    mesh: MeshData
    paint: dict[str, Paint] = field(default_factory=dict)
    maps: dict[str, PaintMap] = field(default_factory=dict)
    report: tuple[str, ...] = ()


@dataclass(frozen=True, eq=False)
class PaintedState:
    """A mesh asset with the paint of all props that show it: what work on that paint follows from."""

    parts: tuple[object, ...]

    def holds_in(self, project: Project, mesh_id: str) -> bool:
        """Whether a project still has the very same there, so that what was worked out of it can be put in place."""
        now = painted_state(project, mesh_id).parts
        return len(now) == len(self.parts) and all(a is b or a == b for a, b in zip(now, self.parts, strict=True))


def painted_state(project: Project, mesh_id: str) -> PaintedState:
    """A mesh and its wearers' paint as they are; a mesh that is gone has none."""
    asset = next((m.asset for m in project.meshes if m.id == mesh_id), None)
    return PaintedState((asset, *(v for p in wearers(project, mesh_id) for v in (p.id, p.paint, p.paint_map))))


def wearers(project: Project, mesh_id: str) -> list[Prop]:
    """The props that show a mesh."""
    return [p for p in project.props if p.mesh == mesh_id]


def split(project: Project, mesh_id: str, mesh: MeshData, chosen: Array | None) -> Exchange:
    """Split triangles `(k,)` of a mesh, or all of them. Raises ValueError when that makes too many vertices."""
    finer = subdivided(mesh, chosen)
    paint = {p.id: finer.paint(p.paint) for p in wearers(project, mesh_id) if isinstance(p.paint, Paint)}
    return Exchange(finer.mesh, paint)


def split_to(project: Project, mesh_id: str, mesh: MeshData, point: Array, radius: float, edge: float) -> Exchange:
    """Split the triangles within a ball, again and again, until their edges are no longer than `edge` metres."""
    from jade_coat.mesh.surface_index import surface_index

    made = Exchange(mesh, {p.id: p.paint for p in wearers(project, mesh_id) if isinstance(p.paint, Paint)})
    for _ in range(12):
        near = surface_index(made.mesh).in_ball(point, radius)
        corners = made.mesh.positions[made.mesh.triangles[near]]
        longest = np.linalg.norm(corners - np.roll(corners, -1, axis=1), axis=2).max(axis=1, initial=0)
        long = near[longest > edge]
        if not len(long):
            break
        finer = subdivided(made.mesh, long)
        made = Exchange(finer.mesh, {prop: finer.paint(paint) for prop, paint in made.paint.items()})
    return made


def rearranged(project: Project, mesh_id: str, mesh: MeshData, source: Array) -> Exchange:
    """A mesh whose vertices are those of the old one in another order, some of them doubled."""
    paint = {p.id: Paint.of(p.paint.at(source)) for p in wearers(project, mesh_id) if isinstance(p.paint, Paint)}
    return Exchange(mesh, paint)


def matched_slots(old: tuple[str, ...], new: tuple[str, ...]) -> dict[str, str]:
    """Which of the old slots each new one goes on as, by name: the same, or alike but for case, punctuation and numbers
    behind it; the only one left for the only one left. A slot that matches none keeps its own name."""
    found = {n: n for n in new if n in old}
    rest = [o for o in old if o not in found]

    def plain(name: str) -> str:
        return re.sub(r"[\W_]+|\d+$", "", name.casefold())

    for name in (n for n in new if n not in found):
        alike = [o for o in rest if plain(o) and plain(o) == plain(name)]
        if len(alike) == 1:
            found[name] = alike[0]
            rest.remove(alike[0])
    lone = [n for n in new if n not in found]
    if len(lone) == 1 and len(rest) == 1:
        found[lone[0]] = rest[0]
    return {n: found.get(n, n) for n in new}


def with_slots_named(mesh: MeshData, names: dict[str, str]) -> MeshData:
    """A mesh with its slots under other names; ValueError where two would share one."""
    wanted = [names.get(s.name, s.name) for s in mesh.slots]
    if len(set(wanted)) != len(wanted):
        raise ValueError(f"two slots cannot have one name: {', '.join(wanted)}")
    slots = tuple(replace(s, name=n) for s, n in zip(mesh.slots, wanted, strict=True))
    return mesh if slots == mesh.slots else mesh.with_(slots=slots)


def imported_anew(
    project: Project, mesh_id: str, old: MeshData, new: MeshData, step: Callable[[float, str], None] | None = None
) -> Exchange:
    """A mesh from a file in place of the old one: all own paint is carried over, and the report says how."""
    made = Exchange(new, {}, {})
    lines = [f"{project.mesh(mesh_id).name}: {old.vertex_count:,} vertices before, {new.vertex_count:,} now."]
    props = wearers(project, mesh_id)
    for i, prop in enumerate(props):
        if step is not None:
            step(i / len(props), f"Carrying the paint of {prop.name} over")
        if isinstance(prop.paint, Paint):
            paint, report = transferred(old, prop.paint, new)
            made.paint[prop.id] = paint
            lines.append(f"{prop.name}: {report.words()}.")
        if isinstance(prop.paint_map, PaintMap):

            def on(share: float, i: int = i, name: str = prop.name) -> None:
                if step is not None:
                    step((i + share) / len(props), f"Carrying the painted map of {name} over")

            paint_map, report = map_transferred(old, prop.paint_map, new, on)
            made.maps[prop.id] = paint_map
            lines.append(f"{prop.name}: of its painted map, {report.words('texels')}.")
        if prop.paint is None and prop.paint_map is None:
            lines.append(f"{prop.name}: no paint of its own; it shows the new mesh's.")
    before, now = {s.name for s in old.slots}, {s.name for s in new.slots}
    if before - now:
        lines.append(f"Slots that are gone (their finishes are kept, in case they return): {', '.join(before - now)}.")
    if now - before:
        lines.append(f"New slots, without a finish yet: {', '.join(now - before)}.")
    return Exchange(made.mesh, made.paint, made.maps, tuple(lines))
