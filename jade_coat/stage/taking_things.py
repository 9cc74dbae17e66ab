"""Takes things of the stage from one project into another, or once more into their own, with all they need."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from jade_coat.stage.arranging import Stand
from jade_coat.stage.copying import Copier
from jade_coat.stage.decals import Decal
from jade_coat.stage.mesh_assets import Category, MeshAsset
from jade_coat.stage.naming import free_id, free_name
from jade_coat.stage.placed import Placed
from jade_coat.stage.project import TYPES_OF_THINGS, Project, Prop
from jade_coat.stage.redress import redressed
from jade_coat.stage.references import rewritten
from jade_coat.stage.taking import KINDS, Place, needed, taken_places

PLAIN = ("lamps", "mists")
"""Things that need nothing else."""


def things_apart(project: Project, things: Iterable[Placed]) -> Project:
    """A project of some things alone, with the meshes, looks and maps that they need; groups are left."""
    listed = [t.with_(parent="", locked=False) for t in things]
    props = tuple(t for t in listed if isinstance(t, Prop))
    decals = tuple(t for t in listed if isinstance(t, Decal))
    used = {shown for p in props for shown, _, _ in project.spans(p.mesh)}
    meshes = tuple(m for m in project.meshes if m.id in used)
    named = {c for m in meshes for c in m.categories.values()} | {i for d in decals for i in d.only}
    categories = tuple(c for c in project.categories if c.id in named)
    places = dict.fromkeys(p for f in _finishes(props, decals, meshes, categories) for p in _needed(project, f))
    kept = {kind: tuple(t for t in getattr(project, kind) if (kind, t.id) in places) for kind in KINDS}
    plain = {kind: tuple(t for t in listed if isinstance(t, TYPES_OF_THINGS[kind])) for kind in PLAIN}
    return Project(name=project.name, meshes=meshes, categories=categories, props=props, decals=decals, **plain, **kept)


def _finishes(
    props: Iterable[Prop], decals: Iterable[Decal], meshes: Iterable[MeshAsset], categories: Iterable[Category]
) -> dict[str, None]:
    """Every finish that some things name, by themselves, by their variants or their categories."""
    found = [f for p in props for f in p.finishes.values()] + [d.finish for d in decals]
    found += [f for m in meshes for v in m.variants for f in v.finishes.values()] + [c.finish for c in categories]
    return dict.fromkeys(f for f in found if f)


def _needed(project: Project, finish: str) -> list[Place]:
    kind = "finishes" if any(f.id == finish for f in project.finishes) else "materials"
    return needed(project, (kind, finish))  # type: ignore[arg-type]


def with_things_of(project: Project, other: Project, folder: str, by: tuple[float, float, float]) -> Project:
    """A project with the things of another one (as `things_apart` makes it), shifted by metres, and all they need.

    A mesh that is here already, by what it holds, is used as it is, with the variants it has here. Assets have to be
    brought separately.
    """
    finishes = _finishes(other.props, other.decals, other.meshes, other.categories)
    places = list(dict.fromkeys(p for f in finishes for p in _needed(other, f)))
    project, ours = taken_places(project, other, places, folder)

    def new(finish: str) -> str:
        return ours.get(("finishes", finish)) or ours.get(("materials", finish)) or finish

    dressed = redressed(other, new)
    project, categories = _with_categories(project, dressed.categories)
    project, meshes = _with_meshes(project, dressed.meshes, categories)
    copier = Copier(project)
    plain = [t for kind in PLAIN for t in getattr(dressed, kind)]
    moved = Stand([*dressed.props, *dressed.decals, *plain]).moved(by)
    props = [_homed(copier.copy(p, moved[p.id]), project, meshes) for p in dressed.props]
    decals = [
        copier.copy(d.with_(only=tuple(categories.get(i, i) for i in d.only)), moved[d.id]) for d in dressed.decals
    ]
    for kind in PLAIN:
        project = project.with_things(kind, *(copier.copy(t, moved[t.id]) for t in getattr(dressed, kind)))
    return project.with_things("props", *props).with_things("decals", *decals)


def _homed(prop: Prop, project: Project, meshes: Mapping[str, str]) -> Prop:
    """A prop of a mesh by its id here; a variant that the mesh does not have here is let go."""
    mesh = project.mesh(meshes[prop.mesh])
    known = any(v.id == prop.variant for v in mesh.variants)
    made: Prop = prop.with_(mesh=mesh.id, variant=prop.variant if known else "", rules=())
    return made


def _with_categories(project: Project, wanted: Iterable[Category]) -> tuple[Project, dict[str, str]]:
    """The project with categories that it lacks, and the ids under which all of them are known there."""
    found: dict[str, str] = {}
    for category in wanted:
        known = next((c.id for c in project.categories if c.name.casefold() == category.name.casefold()), "")
        if not known:
            known = free_id(category.name, {c.id for c in project.categories})
            project = project.with_(categories=(*project.categories, category.with_(id=known)))
        found[category.id] = known
    return project, found


def _with_meshes(
    project: Project, wanted: Iterable[MeshAsset], categories: Mapping[str, str]
) -> tuple[Project, dict[str, str]]:
    found: dict[str, str] = {}
    for mesh in sorted(wanted, key=lambda m: bool(m.levels)):  # those that stand in for others come before them
        known = next((m.id for m in project.meshes if m.asset == mesh.asset and m.slots == mesh.slots), "")
        if not known:
            known = free_id(mesh.name, {m.id for m in project.meshes})
            named = {slot: categories[c] for slot, c in mesh.categories.items() if c in categories}
            name = free_name(mesh.name, {m.name for m in project.meshes})
            made = rewritten(mesh, lambda kind, old: found.get(old, "") if kind == "meshes" else old)
            project = project.with_(meshes=(*project.meshes, made.with_(id=known, name=name, categories=named)))
        found[mesh.id] = known
    return project, found
