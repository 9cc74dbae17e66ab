"""Takes materials, finishes, recipes and map sets over from another project, and brings them up to date later."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from jade_coat.material.material import Finish, Material, owner_of, spec_at
from jade_coat.stage.looks import material_of
from jade_coat.stage.naming import free_id, free_name
from jade_coat.stage.origins import Kind, Origin
from jade_coat.stage.project import Project
from jade_coat.stage.references import references, rewritten

KINDS: tuple[Kind, ...] = ("shared", "map_sets", "recipes", "materials", "finishes")
"""What can be taken over, in the order in which one may need another."""
KIND_LABELS: dict[Kind, str] = {
    "shared": "shared dial", "map_sets": "map set", "recipes": "recipe", "materials": "material", "finishes": "finish",
}  # fmt: skip
Place = tuple[Kind, str]


@dataclass(frozen=True)
class Change:
    """What an update would do to one thing: its name, the differences in words, and whether it was changed here too."""

    place: Place
    name: str
    lines: tuple[str, ...]
    changed_here: bool


@dataclass(frozen=True)
class Taken:
    """What a take-over did: the new tree, what is new in it, and what was recognised as there already."""

    project: Project
    added: tuple[tuple[Place, str], ...]
    recognised: tuple[tuple[Place, str], ...]


def item(project: Project, place: Place) -> Any:
    """The thing at a place. Raises KeyError."""
    kind, wanted = place
    found = next((i for i in getattr(project, kind) if i.id == wanted), None)
    if found is None:
        raise KeyError(f"there is no {KIND_LABELS[kind]} {wanted!r}")
    return found


def needed(project: Project, place: Place) -> list[Place]:
    """A thing and all it needs, each once, what is needed first. What is missing there is left out."""
    found: dict[Place, None] = {}

    def visit(at: Place) -> None:
        if at in found:
            return
        try:
            thing = item(project, at)
        except KeyError:
            return
        for other in _references(project, at[0], thing):
            visit(other)
        found[at] = None

    visit(place)
    return list(found)


def _references(project: Project, kind: Kind, thing: Any) -> Iterator[Place]:
    if kind in ("recipes", "materials"):
        yield from ((k, i) for k, i in dict.fromkeys(references(thing)) if k in KINDS)
    elif kind == "finishes":
        yield ("materials" if any(m.id == thing.parent for m in project.materials) else "finishes"), thing.parent
        yield from (("map_sets", str(v)) for v in map_values(project, thing).values() if v)


def map_values(project: Project, finish: Finish) -> dict[str, Any]:
    """The values of a finish that name map sets, by dial."""
    material = material_of(project, finish.id)
    dials = {d.id for d in material.dials if spec_at(material, d.path).kind == "map"}
    return {k: v for k, v in finish.values.items() if k in dials}


def _remapped(project: Project, kind: Kind, thing: Any, ours: Mapping[Place, str]) -> Any:
    """A thing of the other project with every reference in our ids."""

    def new(at: Any, old: str) -> str:
        return ours.get((at, old), old) if old else old

    if kind in ("recipes", "materials"):
        return rewritten(thing, new)
    if kind == "finishes":
        of_material = any(m.id == thing.parent for m in project.materials)
        maps = {k: new("map_sets", str(v)) for k, v in map_values(project, thing).items()}
        parent = new("materials" if of_material else "finishes", thing.parent)
        return thing.with_(parent=parent, values={**thing.values, **maps})
    return thing


def _content(thing: Any) -> dict[str, Any]:
    """What a thing is, apart from what it is called; map files without the place they were read from."""
    content: dict[str, Any] = thing.model_dump(mode="json", exclude={"id", "name"})
    for entry in content.get("maps", ()):
        entry.pop("origin", None)
    return content


def _mark(thing: Any) -> str:
    return hashlib.sha256(json.dumps(_content(thing), sort_keys=True).encode()).hexdigest()[:16]


def _known(project: Project, kind: Kind, thing: Any) -> str:
    """The id under which our project holds the same content, or an empty string. Shared dials are told by name."""
    mine: tuple[Any, ...] = getattr(project, kind)
    if kind == "shared":
        return next((i.id for i in mine if i.name == thing.name), "")
    content = _content(thing)
    return next((i.id for i in mine if _content(i) == content), "")


def take(project: Project, other: Project, place: Place, folder: str) -> Taken:
    """Our project with a thing of another one in it and all that needs; what is here already is used as it is.

    Its assets have to be brought separately. Raises KeyError when the other project has no such thing.
    """
    item(other, place)
    return _taken(project, other, needed(other, place), folder)[0]


def _taken(project: Project, other: Project, places: list[Place], folder: str) -> tuple[Taken, dict[Place, str]]:
    """What `take` does for some places, what is needed first; and under which ids we have them."""
    ours: dict[Place, str] = {}
    added: list[tuple[Place, str]] = []
    recognised: list[tuple[Place, str]] = []
    for at in places:
        kind, theirs = at
        thing = _remapped(other, kind, item(other, at), ours)
        known = _taken_before(project, at, folder) or _known(project, kind, thing)
        if known:
            ours[at] = known
            recognised.append(((kind, known), thing.name))
            continue
        made = thing.with_(
            id=_free(project, kind, thing), name=free_name(thing.name, {i.name for i in getattr(project, kind)})
        )
        origin = Origin(kind=kind, id=made.id, folder=folder, theirs=theirs, mark=_mark(made))
        project = project.with_(**{kind: (*getattr(project, kind), made)}, origins=(*project.origins, origin))
        ours[at] = made.id
        added.append(((kind, made.id), made.name))
    return Taken(project, tuple(added), tuple(recognised)), ours


def taken_places(
    project: Project, other: Project, places: list[Place], folder: str
) -> tuple[Project, dict[Place, str]]:
    """Our project with some things of another one, what is needed first; and under which ids we have them."""
    taken, ours = _taken(project, other, places, folder)
    return taken.project, ours


def coat_apart(project: Project, material: str, coat: str) -> Project:
    """A project of one coat alone, in a material of its name, with what its fields follow and all it needs."""
    source = project.material(material)
    chosen = source.coat(coat)
    links = tuple(k for k in source.links if owner_of(k.path) == coat)
    alone = Material(id=source.id, name=chosen.name, depth=source.depth, coats=(chosen,), links=links)
    whole = project.with_(materials=tuple(alone if m.id == material else m for m in project.materials))
    kept: dict[str, list[Any]] = {kind: [] for kind in KINDS}
    for kind, wanted in needed(whole, ("materials", material)):
        kept[kind].append(item(whole, (kind, wanted)))
    return Project(name=chosen.name, **{kind: tuple(things) for kind, things in kept.items()})


def with_coat_of(project: Project, other: Project, material: str, folder: str) -> Project:
    """The project with the coat of another one (as `coat_apart` makes it) on top of a material, and all it needs.

    Its assets have to be brought separately.
    """
    place: Place = ("materials", other.materials[0].id)
    taken, ours = _taken(project, other, [p for p in needed(other, place) if p != place], folder)
    source = _remapped(other, "materials", other.materials[0], ours)
    old = taken.project.material(material)
    ids = {c.id for c in old.coats}
    coat = source.coats[0]
    free = free_id(coat.id if coat.id not in ids else coat.name, ids)
    made = coat.with_(id=free, name=free_name(coat.name, {c.name for c in old.coats}))
    links = tuple(k.with_(path=f"{free}.{k.path.partition('.')[2]}") for k in source.links)
    dressed = old.with_(coats=(*old.coats, made), links=(*old.links, *links))
    changed: Project = taken.project.with_(
        materials=tuple(dressed if m.id == material else m for m in taken.project.materials)
    )
    return changed


def _taken_before(project: Project, at: Place, folder: str) -> str:
    known = {(o.kind, o.theirs): o.id for o in project.origins if o.folder == folder}
    found = known.get(at, "")
    return found if any(i.id == found for i in getattr(project, at[0])) else ""


def _free(project: Project, kind: Kind, thing: Any) -> str:
    taken = {i.id for i in getattr(project, kind)}
    if kind in ("materials", "finishes"):
        taken |= {m.id for m in project.materials} | {f.id for f in project.finishes}
    return free_id(thing.id, taken)


def changes(project: Project, other: Project, folder: str) -> list[Change]:
    """What differs now between what was taken over from a folder and what is there."""
    ours = {(o.kind, o.theirs): o.id for o in project.origins if o.folder == folder}
    found = []
    for origin in project.origins:
        if origin.folder != folder:
            continue
        place: Place = (origin.kind, origin.id)
        try:
            mine, theirs = item(project, place), item(other, (origin.kind, origin.theirs))
        except KeyError:
            continue  # one of the two is gone: nothing to bring up to date
        lines = tuple(_differences(_content(mine), _content(_remapped(other, origin.kind, theirs, ours))))
        if lines:
            found.append(Change(place, mine.name, lines, _mark(mine) != origin.mark))
    return found


def update(project: Project, other: Project, folder: str, places: frozenset[Place]) -> Any:
    """Bring what was taken over up to date; ids, names, and the values of our own finishes stay."""
    for origin in [o for o in project.origins if o.folder == folder and (o.kind, o.id) in places]:
        for at in needed(other, (origin.kind, origin.theirs))[:-1]:
            project = take(project, other, at, folder).project
        ours = {(o.kind, o.theirs): o.id for o in project.origins if o.folder == folder}
        for at in needed(other, (origin.kind, origin.theirs))[:-1]:
            if at not in ours:
                ours[at] = _known(project, at[0], _remapped(other, at[0], item(other, at), ours))
        mine = item(project, (origin.kind, origin.id))
        theirs = _remapped(other, origin.kind, item(other, (origin.kind, origin.theirs)), ours)
        new = theirs.with_(id=mine.id, name=mine.name)
        kept = origin.with_(mark=_mark(new))
        project = project.with_(
            **{origin.kind: tuple(new if i.id == new.id else i for i in getattr(project, origin.kind))},
            origins=tuple(kept if (o.kind, o.id) == (kept.kind, kept.id) else o for o in project.origins),
        )
    return project


def assets_of(project: Project, places: list[Place]) -> set[str]:
    """The names of the files that the map sets among some places are made of."""
    return {m.asset for kind, i in places if kind == "map_sets" for m in item(project, (kind, i)).maps}


def _differences(mine: Any, theirs: Any, path: str = "") -> Iterator[str]:
    """Where two contents differ, in words: `coats.moss.amount: 0.9 → 0.5`."""
    if isinstance(mine, dict) and isinstance(theirs, dict):
        for key in dict.fromkeys([*mine, *theirs]):
            yield from _differences(mine.get(key), theirs.get(key), f"{path}.{key}" if path else str(key))
    elif _named(mine) and _named(theirs):
        before, after = ({i["id"]: i for i in side} for side in (mine, theirs))
        for key in dict.fromkeys([*before, *after]):
            yield from _differences(before.get(key), after.get(key), f"{path}.{key}")
        if [k for k in before if k in after] != [k for k in after if k in before]:
            yield f"{path}: another order"
    elif mine != theirs:
        words = "new" if mine is None else "gone" if theirs is None else f"{_short(mine)} → {_short(theirs)}"
        yield f"{path}: {words}"


def _named(value: Any) -> bool:
    return isinstance(value, list) and bool(value) and all(isinstance(i, dict) and "id" in i for i in value)


def _short(value: Any) -> str:
    text = f"{value:.4g}" if isinstance(value, float) else json.dumps(value, ensure_ascii=False)
    return text if len(text) <= 40 else f"{text[:38]}…"
