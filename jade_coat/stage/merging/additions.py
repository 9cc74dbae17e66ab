"""Gives what was added here another id where somebody else has added something of that id meanwhile."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from jade_coat.material.material import Material
from jade_coat.stage.decals import Decal
from jade_coat.stage.grounds import Ground
from jade_coat.stage.looks import finish_on, reach
from jade_coat.stage.mesh_assets import MeshAsset
from jade_coat.stage.naming import free_id, free_name
from jade_coat.stage.project import KINDS_OF_THINGS, LISTED, Project, Prop
from jade_coat.stage.redress import redressed
from jade_coat.stage.references import rewritten
from jade_coat.stage.taking import map_values

SHARED_IDS = (("materials", "finishes"), KINDS_OF_THINGS)
"""Kinds whose ids must differ from each other's."""


def with_own_ids(base: Project, mine: Project, theirs: Project) -> tuple[Project, list[str]]:
    """My project, in which nothing that I added has the id of something else that they added; and what was renamed."""
    notes: list[str] = []
    for kind in (*LISTED, *KINDS_OF_THINGS):
        sides = [{i.id: i for i in getattr(side, kind)} for side in (base, mine, theirs)]
        for key in [k for k in sides[1] if k not in sides[0] and k in sides[2] and sides[1][k] != sides[2][k]]:
            near = next((group for group in SHARED_IDS if kind in group), (kind,))
            taken = {i.id for k in near for side in (base, mine, theirs) for i in getattr(side, k)}
            names = {i.name for side in (mine, theirs) for i in getattr(side, kind)}
            old = sides[1][key]
            name = free_name(old.name, names) if old.name == sides[2][key].name else old.name
            new = free_id(key, taken)
            mine = _renamed(mine, kind, key, new, name)
            told = f"yours is {name} now" if name != old.name else "both are kept"
            notes.append(f"Both added something under one id ({old.name}): {told}.")
    for material in mine.materials:
        before, other = (_of(side.materials, material.id) for side in (base, theirs))
        if before is not None and other is not None:
            mine = _with_own_parts(mine, material.id, before, other, notes)
    for mesh in mine.meshes:
        before, other = (_of(side.meshes, mesh.id) for side in (base, theirs))
        if before is not None and other is not None:
            mine = _with_own_variants(mine, mesh, before, other, notes)
    for ground in mine.grounds:
        pair = base.grounds.get(ground.id), theirs.grounds.get(ground.id)
        if None not in pair:
            mine = mine.with_things("grounds", _with_own_layers(ground, *pair, notes))  # type: ignore[arg-type]
    return mine, notes


def _of(items: Any, wanted: str) -> Any:
    return next((i for i in items if i.id == wanted), None)


def _clashes(base: Any, mine: Any, theirs: Any) -> list[str]:
    """The ids of what both sides added to a list, each something else."""
    known, other = {i.id for i in base}, {i.id: i for i in theirs}
    return [i.id for i in mine if i.id not in known and i.id in other and other[i.id] != i]


def _fresh(base: Any, mine: Any, theirs: Any, key: str) -> tuple[str, str]:
    """An id, and a name, for what is called `key` in my list that nobody has."""
    name = next(i.name for i in mine if i.id == key)
    names = {i.name for i in theirs} | {i.name for i in mine if i.id != key}
    return free_id(key, {i.id for side in (base, mine, theirs) for i in side}), free_name(name, names)


def _renamed(project: Project, kind: str, old: str, new: str, name: str) -> Project:
    """A project with one thing under another id and name, and all that refer to it."""

    def turned(at: str, wanted: str) -> str:
        return new if (at, wanted) == (kind, old) else wanted

    whole: dict[str, Any] = {n: getattr(project, n) for n in (*LISTED, *KINDS_OF_THINGS)}
    finishes = []
    for finish in project.finishes:
        parent = new if kind in ("materials", "finishes") and finish.parent == old else finish.parent
        maps = map_values(project, finish) if kind == "map_sets" else {}
        values = {**finish.values, **{k: new for k, v in maps.items() if v == old}}
        finishes.append(finish.with_known(parent=parent, values=values))
    whole["finishes"] = tuple(a if a == b else b for a, b in zip(project.finishes, finishes, strict=True))
    for what in ("materials", "recipes", "meshes"):
        whole[what] = tuple(rewritten(i, turned) for i in whole[what])
    for what in KINDS_OF_THINGS:
        whole[what] = tuple(_thing(i, kind, old, new, turned) for i in whole[what])
    if kind == "categories":
        whole["meshes"] = tuple(
            m.with_(categories={s: new if c == old else c for s, c in m.categories.items()}) for m in whole["meshes"]
        )
    whole["origins"] = tuple(
        o.with_(id=new) if (o.kind, o.id) == (kind, old) else o for o in project.origins
    )  # fmt: skip
    whole[kind] = tuple(i.with_(id=new, name=name) if i.id == old else i for i in whole[kind])
    made: Project = project.with_(**whole)
    if kind in ("materials", "finishes"):
        made = redressed(made, lambda f: new if f == old else f)
    return made


def _thing(thing: Any, kind: str, old: str, new: str, turned: Any) -> Any:
    made = rewritten(thing, turned)
    if kind == "groups" and made.parent == old:
        made = made.with_(parent=new)
    if isinstance(made, Decal) and kind in ("props", "categories") and old in made.only:
        made = made.with_(only=tuple(new if i == old else i for i in made.only))
    return made


def _with_own_parts(project: Project, name: str, base: Material, theirs: Material, notes: list[str]) -> Project:
    """My project with new ids for the coats and the dials of a material where theirs has others of the same."""
    mine = project.material(name)
    for key in _clashes(base.coats, mine.coats, theirs.coats):
        new, called = _fresh(base.coats, mine.coats, theirs.coats, key)

        def path(old: str, key: str = key, new: str = new) -> str:
            return f"{new}.{old.partition('.')[2]}" if old.partition(".")[0] == key else old

        notes.append(f"Both added a coat to {mine.name}: yours is {called} now.")
        mine = mine.with_(
            coats=tuple(c.with_(id=new, name=called) if c.id == key else c for c in mine.coats),
            dials=tuple(d.with_(path=path(d.path)) for d in mine.dials),
            links=tuple(k.with_(path=path(k.path)) for k in mine.links),
        )
    turned: dict[str, str] = {}
    for key in _clashes(base.dials, mine.dials, theirs.dials):
        if next(d.path for d in mine.dials if d.id == key) == next(d.path for d in theirs.dials if d.id == key):
            continue  # both exposed the same field: one dial
        new, called = _fresh(base.dials, mine.dials, theirs.dials, key)
        turned[key] = new
        notes.append(f"Both added a dial to {mine.name}: yours is {called} now.")
        mine = mine.with_(dials=tuple(d.with_(id=new, name=called) if d.id == key else d for d in mine.dials))
    if mine is project.material(name):
        return project
    project = project.with_(materials=tuple(mine if m.id == name else m for m in project.materials))
    return _with_dials_renamed(project, name, turned) if turned else project


def _with_dials_renamed(project: Project, material: str, turned: Mapping[str, str]) -> Project:
    within = {material, *reach(project, material).finishes}

    def values(old: Mapping[str, Any]) -> dict[str, Any]:
        return {turned.get(k, k): v for k, v in old.items()}

    finishes = tuple(f.with_(values=values(f.values)) if f.id in within else f for f in project.finishes)
    props: list[Prop] = []
    for prop in project.props:
        own = {s: values(v) if finish_on(project, prop, s) in within else v for s, v in prop.values.items()}
        props += [prop.with_(values=own)] if own != prop.values else []
    made: Project = project.with_(finishes=finishes, props=project.props.with_(*props))
    return made


def _with_own_variants(project: Project, mine: MeshAsset, base: Any, theirs: Any, notes: list[str]) -> Project:
    for key in _clashes(base.variants, mine.variants, theirs.variants):
        new, called = _fresh(base.variants, mine.variants, theirs.variants, key)
        notes.append(f"Both added a variant to {mine.name}: yours is {called} now.")
        mine = mine.with_(variants=tuple(v.with_(id=new, name=called) if v.id == key else v for v in mine.variants))
        props = [p.with_(variant=new) for p in project.props if p.mesh == mine.id and p.variant == key]
        grounds = [
            g.with_(scatter=tuple(
                s.with_(variant=new) if s.mesh == mine.id and s.variant == key else s for s in g.scatter
            )) for g in project.grounds
        ]  # fmt: skip
        project = project.with_(
            meshes=tuple(mine if m.id == mine.id else m for m in project.meshes),
            props=project.props.with_(*props),
            grounds=project.grounds.with_(*(g for g in grounds if g != project.grounds[g.id])),
        )
    return project


def _with_own_layers(mine: Ground, base: Ground, theirs: Ground, notes: list[str]) -> Ground:
    """My ground with new ids for layers, scatters and paths where theirs has others of the same."""
    for key in _clashes(base.layers, mine.layers, theirs.layers):
        new, called = _fresh(base.layers, mine.layers, theirs.layers, key)
        notes.append(f"Both added a layer to {mine.name}: yours is {called} now.")

        def turned(old: str, key: str = key, new: str = new) -> str:
            return new if old == key else old

        mine = mine.with_(
            layers=tuple(x.with_(id=new, name=called) if x.id == key else x for x in mine.layers),
            weights={turned(k): v for k, v in mine.weights.items()},
            rules=tuple(r.with_(layer=turned(r.layer), other=turned(r.other)) for r in mine.rules),
            scatter=tuple(s.with_(layer=turned(s.layer), cut_out=turned(s.cut_out)) for s in mine.scatter),
        )
    for what in ("scatter", "paths"):
        held = [getattr(side, what) for side in (base, mine, theirs)]
        for key in _clashes(*held):
            new, called = _fresh(held[0], held[1], held[2], key)
            notes.append(f"Both added something to {mine.name}: yours is {called} now.")
            items = tuple(i.with_(id=new, name=called) if i.id == key else i for i in getattr(mine, what))
            rules = mine.rules
            if what == "paths":
                rules = tuple(r.with_(path=new) if r.path == key else r for r in rules)
            mine = mine.with_(**{what: items}, rules=rules)
    return mine
