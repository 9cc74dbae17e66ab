"""What a candidate becomes in a project: an ordinary map set, and the edits that put it onto things."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from jade_coat.kiln.provider import Candidate
from jade_coat.maps.mapset import MapFile, MapSet
from jade_coat.material.surface import Role
from jade_coat.stage import edits
from jade_coat.stage.edits.registry import Edit
from jade_coat.stage.making import new_material
from jade_coat.stage.naming import free_id, free_name
from jade_coat.stage.project import Project, Prop

Put = Callable[[str, str, bytes], str]
"""Keeps a file's bytes by its kind and name; gives the asset."""


def map_set_of(candidate: Candidate, project: Project, put: Put, name: str = "") -> MapSet:
    """The map set of a candidate under a name and an id that the project does not have yet; `put` keeps its files."""
    name = free_name(name or candidate.name, {s.name for s in project.map_sets})
    made = free_id(name, {s.id for s in project.map_sets})
    maps = []
    for role in (r for r in Role if r.value in candidate.files):
        file = f"{made}_{role.value}.png"
        maps.append(MapFile(
            role=role, asset=put("maps", file, candidate.files[role.value]), file=file,
            channels="rgb" if role in (Role.BASE_COLOR, Role.NORMAL, Role.EMISSIVE) else "r",
            color_space="srgb" if role.is_color else "linear",
        ))  # fmt: skip
    return MapSet(id=made, name=name, tile_size=candidate.size, maps=tuple(maps))


def keeping(map_set: MapSet) -> list[Edit]:
    """Edits that keep a map set."""
    return [edits.add_map_set(map_set=map_set)]


def wearing(project: Project, map_set: MapSet, props: Iterable[Prop], slot: str) -> list[Edit]:
    """Edits that keep a map set, make a material and a finish of it, and dress a slot of some props in that."""
    kept = edits.add_map_set.on(project, map_set)
    made = new_material(kept, map_set.name, map_set.id)
    chosen = tuple(p.id for p in props)
    dress = [edits.dress(props=chosen, slot=slot, finish=made.finish)] if chosen and slot else []
    return [*keeping(map_set), *made.steps, *dress]


def all_at_once(title: str, steps: Iterable[Edit]) -> Edit:
    """Several edits as one, to be tried out."""
    listed = tuple(steps)

    def apply(project: Project) -> Project:
        for step in listed:
            project = step.apply(project)
        return project

    return Edit("all_at_once", title, apply)
