"""Everything that a project says, each under a place of its own, and what of it differs."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

from jade_coat.stage.looks import dial_values
from jade_coat.stage.mesh_assets import DEFAULT, Variant
from jade_coat.stage.project import Project
from jade_coat.stage.references import references
from tests.core.ground_cases import ground_places
from tests.core.stage_cases import loose_dresses, stage_places
from tests.support import every_kind_of_project

Place = tuple[str, ...]
Change = tuple[dict[str, Any], Callable[[Place], bool]]
BARE = (Variant(id=DEFAULT, name=""),)
START, _ = every_kind_of_project()


def places(project: Project) -> dict[Place, Any]:
    """Everything a project says, each under a place of its own."""
    found: dict[Place, Any] = {("order", k): tuple(i.id for i in getattr(project, k))
                               for k in ("map_sets", "materials", "finishes", "meshes", "props", "shared", "recipes", "groups")}  # fmt: skip
    for m in project.materials:
        found |= {("material", m.id, n): getattr(m, n)
                  for n in type(m).model_fields if n not in ("id", "coats", "moves", "dials", "links")}  # fmt: skip
        found["material", m.id, "coats"] = tuple(c.id for c in m.coats)
        found["material", m.id, "moves"] = tuple(v.id for v in m.moves)
        found |= {("move", m.id, v.id): v for v in m.moves}
        found["material", m.id, "dial order"] = tuple(d.id for d in m.dials)
        found |= {("dial", m.id, d.id): d for d in m.dials} | {("link", m.id, k.path): k for k in m.links}
        for c in m.coats:
            found["coat", m.id, c.id] = c.with_(where=())
            found["terms", m.id, c.id] = tuple(t.id for t in c.where)
            found |= {("term", m.id, c.id, t.id): t for t in c.where}
    for f in project.finishes:
        found |= {("finish", f.id, n): getattr(f, n) for n in ("name", "parent")}
        found |= {("value", f.id, d): v for d, v in f.values.items()}
        if any(x.id == f.id for x in project.finishes):
            found |= {("resolved", f.id, d): v for d, v in dial_values(project, f.id).items()}
    for p in project.props:
        found["prop", p.id] = p.with_(values={}, rules=(), finishes={}, paint=None, paint_map=None)
        found |= {("wears", p.id, s): f for s, f in p.finishes.items()}
        found |= {("own", p.id, s, d): v for s, own in p.values.items() for d, v in own.items()}
        found |= {("rule", p.id, str(i)): r for i, r in enumerate(p.rules)}
        found["paint", p.id] = (p.paint, p.paint_map)
    for kind in ("map_sets", "shared", "recipes", "groups"):
        found |= {(kind, i.id): i for i in getattr(project, kind)}
    found |= {("meshes", m.id): m.with_(variants=BARE, categories={}) for m in project.meshes}
    found |= stage_places(project) | ground_places(project)
    found["light",], found["wind",], found["name",] = project.light, project.wind, project.name
    return found


def dangling(project: Project) -> set[tuple[str, str]]:
    """References that lead nowhere."""
    there = {k: {i.id for i in getattr(project, k)} for k in ("shared", "map_sets", "recipes", "meshes", "props")}
    owners = (*project.materials, *project.recipes, *project.props)
    loose = {(k, i) for thing in owners for k, i in references(thing) if i not in there[k]}
    return loose | loose_dresses(project)


def family(project: Project, root: str) -> set[str]:
    found = {root}
    for _ in project.finishes:
        found |= {f.id for f in project.finishes if f.parent in found}
    return found


def values_of(project: Project, root: str, dials: set[str]) -> Callable[[Place], bool]:
    """What the values of some dials in a finish and its children may move."""
    kin = family(project, root)
    return lambda place: place[0] == "resolved" and place[1] in kin and place[2] in dials


def either(*some: Callable[[Place], bool]) -> Callable[[Place], bool]:
    return lambda place: any(one(place) for one in some)


def differences(before: dict[Place, Any], after: dict[Place, Any]) -> Iterator[Place]:
    missing = object()
    for place in before.keys() | after.keys():
        if before.get(place, missing) != after.get(place, missing):
            yield place
