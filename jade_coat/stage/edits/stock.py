"""Edits of what a project keeps in stock: rename, duplicate and remove materials, map sets, recipes, meshes."""

from __future__ import annotations

from typing import Any, Literal

from jade_coat.material.material import Finish, by_id
from jade_coat.stage.edits.recipes import add_recipe
from jade_coat.stage.edits.registry import added, edit, swap
from jade_coat.stage.looks import finishes_on, material_of, reach
from jade_coat.stage.naming import free_id, free_name
from jade_coat.stage.project import Project
from jade_coat.stage.redress import redressed
from jade_coat.stage.references import referred, released, rewritten
from jade_coat.stage.taking import map_values

Stocked = Literal["materials", "finishes", "map_sets", "recipes", "meshes", "shared"]
WORDS: dict[Stocked, str] = {
    "materials": "material", "finishes": "finish", "map_sets": "map set", "recipes": "recipe", "meshes": "mesh",
    "shared": "shared dial",
}  # fmt: skip


@edit
def rename_kept(project: Project, /, kind: Stocked, id: str, name: str) -> Project:
    """Call something of the project by another name.

    Raises ValueError for an empty name, and for one that another of its kind has.
    """
    name = name.strip()
    if not name:
        raise ValueError("a name cannot be empty")
    if any(o.name == name and o.id != id for o in getattr(project, kind)):
        raise ValueError(f"another {WORDS[kind]} is called {name}")
    return swap(project, kind, by_id(getattr(project, kind), id, WORDS[kind]).with_(name=name))


@edit
def copy_kept(project: Project, /, kind: Literal["materials", "finishes", "map_sets", "recipes"], id: str) -> Project:
    """Duplicate something of the project; a material with a finish of its own to wear it by."""
    old: Any = by_id(getattr(project, kind), id, WORDS[kind])
    if kind == "recipes":
        return add_recipe.on(project, old)
    name = free_name(old.name, {o.name for o in getattr(project, kind)})
    if kind == "map_sets":
        new = free_id(name, {s.id for s in project.map_sets} | referred(project, "map_sets"))
        return added(project, kind, old.with_(id=new, name=name))
    taken = {m.id for m in project.materials} | {f.id for f in project.finishes}
    copy = old.with_(id=free_id(name, taken), name=name)
    made = added(project, kind, copy)
    if kind == "materials":
        own = free_name(name, {f.name for f in project.finishes})
        made = added(made, "finishes", Finish(id=free_id(own, {*taken, copy.id}), name=own, parent=copy.id))
    return made


@edit
def remove_material(project: Project, /, material: str, heir: str = "") -> Project:
    """Remove a material and its finishes; what wore one wears the heir, a finish or a material, or nothing.

    Raises ValueError for an heir that goes with it.
    """
    project.material(material)
    gone = {material, *reach(project, material).finishes}
    if heir and material_of(project, heir).id == material:
        raise ValueError("what wears the material cannot go to one of its own finishes")
    left = _without_values_of(project, gone)
    made: Project = redressed(left, lambda f: heir if f in gone else f).with_(
        materials=tuple(m for m in project.materials if m.id != material),
        finishes=tuple(f for f in project.finishes if f.id not in gone),
    )
    return made


def _without_values_of(project: Project, gone: set[str]) -> Project:
    """The project whose props have no values of their own for the dials of some finishes."""
    changed = []
    for prop in project.props:
        worn = finishes_on(project, prop)
        kept = {s: v for s, v in prop.values.items() if worn.get(s) not in gone}
        if kept != prop.values:
            changed.append(prop.with_(values=kept))
    return project.with_things("props", *changed) if changed else project


@edit
def remove_map_set(project: Project, /, map_set: str, heir: str = "") -> Project:
    """Remove a map set; what read it reads the heir, or is plain."""
    project.map_set(map_set)
    if heir:
        project.map_set(heir)
    if heir == map_set:
        raise ValueError("a map set cannot stand in for itself")

    def new(kind: str, old: str) -> str:
        return heir if (kind, old) == ("map_sets", map_set) else old

    finishes = tuple(
        f.with_(values={**f.values, **{k: heir for k, v in map_values(project, f).items() if v == map_set}})
        if map_set in map_values(project, f).values() else f
        for f in project.finishes
    )  # fmt: skip
    made: Project = project.with_(
        map_sets=tuple(s for s in project.map_sets if s.id != map_set),
        materials=tuple(rewritten(m, new) for m in project.materials), finishes=finishes,
        recipes=tuple(rewritten(r, new) for r in project.recipes),
        meshes=tuple(rewritten(m, new) for m in project.meshes),
        props=project.props.with_(*(rewritten(p, new) for p in project.props)),
    )  # fmt: skip
    return made


@edit
def remove_mesh(project: Project, /, mesh: str) -> Project:
    """Remove a mesh that no prop is made of and that grows on no ground."""
    users = [p.name for p in project.props if p.mesh == mesh]
    users += [s.name for g in project.grounds for s in g.scatter if s.mesh == mesh]
    if users:
        raise ValueError(f"{project.mesh(mesh).name} is what {', '.join(users[:3])} is made of")
    made: Project = released(project, "meshes", mesh)
    return made.with_(meshes=tuple(m for m in made.meshes if m.id != mesh))
