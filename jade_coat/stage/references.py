"""Who refers to whom: every reference of a project's things is declared here, to be followed, rewritten or released."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Set
from typing import Any, Literal

from jade_coat.ground.rules import LayerRule
from jade_coat.ground.scatter import Scatter
from jade_coat.material.fields import Frozen
from jade_coat.material.glow import Glow
from jade_coat.material.kind_part import PREFIX as LIGHT
from jade_coat.material.material import Link, Material, by_id, owner_of
from jade_coat.material.placing import PREFIX, RecipeMove
from jade_coat.material.recipes import Recipe, Step
from jade_coat.material.shading import KIND_PARTS
from jade_coat.material.stacking import GroundLayer
from jade_coat.material.step_kinds import STEP_KINDS
from jade_coat.material.strands import Strands
from jade_coat.material.surface import Detail, Surface
from jade_coat.material.tones import Tones
from jade_coat.material.where import MapTerm, RecipeTerm, SharedTerm
from jade_coat.mesh.makers import Bush, Card
from jade_coat.stage.looks import finish_on, reach
from jade_coat.stage.mesh_assets import FarLevel
from jade_coat.stage.paint_rules import PaintRule
from jade_coat.stage.project import KINDS_OF_THINGS, Project, Prop

Kind = Literal["shared", "map_sets", "recipes", "materials", "finishes", "meshes", "props"]
New = Callable[[Kind, str], str]
"""What a reference becomes; an empty string releases it."""
FIELDS: dict[type[Frozen], dict[str, Kind]] = {
    Surface: {"map_set": "map_sets", "top_set": "map_sets", "more_sets": "map_sets"},
    Detail: {"map_set": "map_sets"}, MapTerm: {"map_set": "map_sets"}, RecipeTerm: {"recipe": "recipes"},
    RecipeMove: {"recipe": "recipes"},
    SharedTerm: {"shared": "shared"}, Link: {"shared": "shared", "recipe": "recipes"},
    PaintRule: {"map_set": "map_sets", "other": "props"}, Prop: {"mesh": "meshes"}, Bush: {"atlas": "map_sets"},
    Card: {"atlas": "map_sets"}, Glow: {"sheet": "map_sets"}, Strands: {"comb": "map_sets"},
    Tones: {"areas": "map_sets"}, FarLevel: {"mesh": "meshes"}, Scatter: {"mesh": "meshes"},
    GroundLayer: {"follows": "shared", "rain_follows": "shared"}, LayerRule: {"map_set": "map_sets"},
}  # fmt: skip


NOTHING_ALONE: tuple[type[Frozen], ...] = (FarLevel, Scatter)
"""Parts of which nothing is left without what they name."""
_PICKED: dict[str, Kind] = {"recipe": "recipes", "shared": "shared", "map": "map_sets"}


def step_kind(step: Step) -> Kind | None:
    """What the choice of a recipe's step refers to, if it refers to anything."""
    picks = STEP_KINDS[step.kind].pick if step.kind in STEP_KINDS else ""
    return _PICKED.get(picks)


def _picked(step: Step) -> str:
    """The id in a step's choice: of a map it also names the role."""
    return step.pick.partition("/")[0] if STEP_KINDS[step.kind].pick == "map" else step.pick


def references(thing: Frozen) -> Iterator[tuple[Kind, str]]:
    """Everything that a thing and its parts refer to, by kind and id."""
    if isinstance(thing, Step):
        kind = step_kind(thing)
        if kind is not None and thing.pick:
            yield kind, _picked(thing)
        return
    declared = FIELDS.get(type(thing), {})
    for name in type(thing).model_fields:
        value = getattr(thing, name)
        if name in declared:
            yield from ((declared[name], i) for i in (value if isinstance(value, tuple) else (value,)) if i)
        elif isinstance(value, Frozen):
            yield from references(value)
        elif isinstance(value, tuple):
            for inner in value:
                if isinstance(inner, Frozen):
                    yield from references(inner)


def referred(project: Project, kind: Kind) -> set[str]:
    """The ids of a kind that anything in the project names, whether or not there is such a thing."""
    owners = (
        *project.materials,
        *project.recipes,
        *project.meshes,
        *(t for what in KINDS_OF_THINGS for t in getattr(project, what)),
    )
    return {i for thing in owners for k, i in references(thing) if k == kind}


def rewritten(thing: Any, new: New) -> Any:
    """A thing with every reference replaced; itself where none changes. Links that then follow nothing are left out."""
    if isinstance(thing, Step):
        kind = step_kind(thing)
        pick = thing.pick
        if kind is not None and pick:
            other = new(kind, _picked(thing))
            pick = other + pick[len(_picked(thing)) :] if other else ""
        return thing if pick == thing.pick else thing.with_(pick=pick)
    declared = FIELDS.get(type(thing), {})
    changes: dict[str, Any] = {}
    for name in type(thing).model_fields:
        value = getattr(thing, name)
        made = value
        if name in declared and isinstance(value, tuple):
            made = tuple(m for m in (new(declared[name], i) for i in value) if m)
        elif name in declared:
            made = new(declared[name], value) if value else value
        elif isinstance(value, Frozen):
            made = rewritten(value, new)
        elif isinstance(value, tuple) and any(isinstance(i, Frozen) for i in value):
            parts = [rewritten(i, new) if isinstance(i, Frozen) else i for i in value]
            made = tuple(p for p in parts if p is not None)
            made = value if all(a is b for a, b in zip(made, value, strict=False)) and len(made) == len(value) else made
        if made is not value and made != value:
            changes[name] = made
    if isinstance(thing, NOTHING_ALONE) and "" in changes.values():
        return None
    if isinstance(thing, Link) and not changes.get("shared", thing.shared) and not changes.get("recipe", thing.recipe):
        return None
    return thing.with_(**changes) if changes else thing


def released(project: Project, kind: Kind, gone: str) -> Project:
    """The project with every reference to one thing let go; what does not name it stays the same object."""
    return released_all(project, {(kind, gone)})


def released_all(project: Project, gone: Set[tuple[str, str]]) -> Project:
    """The project with every reference to some things, by kind and id, let go."""

    def new(at: Kind, old: str) -> str:
        return "" if (at, old) in gone else old

    changes: dict[str, Any] = {}
    for what in ("materials", "recipes", "meshes"):
        before = getattr(project, what)
        after = tuple(rewritten(thing, new) for thing in before)
        if any(a is not b for a, b in zip(before, after, strict=True)):
            changes[what] = after
    for what in KINDS_OF_THINGS:
        before = getattr(project, what)
        after = before.with_(*(rewritten(thing, new) for thing in before))
        if after is not before:
            changes[what] = after
    made: Project = project.with_(**changes) if changes else project
    return made


def without_fields(project: Project, material: str, gone: Callable[[str], bool]) -> Project:
    """The project without the dials and links of a material at some paths, and without what was set by those dials."""
    old: Material = by_id(project.materials, material, "material")
    lost = {d.id for d in old.dials if gone(d.path)}
    links = tuple(k for k in old.links if not gone(k.path))
    if not lost and len(links) == len(old.links):
        return project
    lean = old.with_(dials=tuple(d for d in old.dials if d.id not in lost), links=links)
    within = {material, *reach(project, material).finishes}
    finishes = tuple(
        f.with_(values={k: v for k, v in f.values.items() if k not in lost})
        if f.id in within and lost & f.values.keys() else f
        for f in project.finishes
    )  # fmt: skip
    changed: Project = project.with_(
        materials=tuple(lean if m.id == material else m for m in project.materials), finishes=finishes,
        props=project.props.with_(*(_without_values(project, p, lost, within) for p in project.props)),
    )  # fmt: skip
    return changed


def _without_values(project: Project, prop: Prop, lost: set[str], within: set[str]) -> Prop:
    """A prop without its own values for some dials, in the slots that wear one of some finishes."""
    kept = {
        slot: {k: v for k, v in own.items() if k not in lost} if finish_on(project, prop, slot) in within else own
        for slot, own in prop.values.items()
    }  # fmt: skip
    made: Prop = prop if kept == prop.values else prop.with_(values=kept)
    return made


# Long: one small function for each kind of part that uses recipes.
def with_inputs_followed(project: Project, before: Recipe, after: Recipe) -> Project:
    """The project with every use of a recipe giving its inputs by name, when some were added, moved or removed."""
    if [i.name for i in before.inputs] == [i.name for i in after.inputs]:
        return project
    names = {i.name for i in after.inputs}
    at = {i.name: n for n, i in enumerate(before.inputs)}

    def step(old: Step) -> Step:
        if old.kind != "recipe" or old.pick != after.id:
            return old
        given = [
            old.args[at[i.name]] if i.name in at and at[i.name] < len(old.args) else repr(i.value) for i in after.inputs
        ]
        made: Step = old.with_(args=tuple(given))
        return made

    def term(old: Any) -> Any:
        if isinstance(old, (RecipeTerm, RecipeMove)) and old.recipe == after.id and not old.inputs.keys() <= names:
            return old.with_(inputs={k: v for k, v in old.inputs.items() if k in names})
        return old

    def link(old: Link) -> Link:
        if old.recipe == after.id and not old.inputs.keys() <= names:
            made: Link = old.with_(inputs={k: v for k, v in old.inputs.items() if k in names})
            return made
        return old

    def coat(old: Any) -> Any:
        where = tuple(term(t) for t in old.where)
        return old if all(a is b for a, b in zip(where, old.where, strict=True)) else old.with_(where=where)

    def material(old: Material) -> Material:
        if after.id not in old.recipes:
            return old
        made: Material = old.with_(
            coats=tuple(coat(c) for c in old.coats), moves=tuple(term(m) for m in old.moves),
            links=tuple(link(k) for k in old.links),
        )  # fmt: skip
        return made

    recipes = tuple(
        r.with_(steps=tuple(step(s) for s in r.steps)) if after.id in r.uses else r for r in project.recipes
    )
    changed: Project = project.with_(materials=tuple(material(m) for m in project.materials), recipes=recipes)
    return changed


def losses(before: Project, after: Project) -> list[str]:
    """What an edit drops beside what it is asked for, in words: dials that finishes set, and what fields followed."""
    if before.materials is after.materials:
        return []
    now = {m.id: m for m in after.materials}
    lines = []
    for old in before.materials:
        new = now.get(old.id)
        if new is None or new is old:
            continue
        kept = {d.id for d in new.dials}
        for dial in old.dials:
            if dial.id not in kept:
                users = [
                    f.name for f in before.finishes if dial.id in f.values and f.id in reach(before, old.id).finishes
                ]
                if users:
                    lines.append(f"The dial {dial.name} goes, which {_named(users)} set.")
        paths = {k.path for k in new.links}
        known = {d.id: d.name for d in before.shared} | {r.id: r.name for r in before.recipes}
        coats = {c.id for c in new.coats} | {f"{PREFIX}{m.id}" for m in new.moves} | {f"{LIGHT}{s}" for s in KIND_PARTS}
        for link in old.links:
            if link.path not in paths and owner_of(link.path) in coats:
                source = known.get(link.shared or link.recipe, "what is gone")
                lines.append(
                    f"{link.path.rpartition('.')[2].replace('_', ' ').capitalize()} no longer follows {source}."
                )
    return lines


def _named(names: list[str]) -> str:
    return ", ".join(names) if len(names) < 4 else f"{', '.join(names[:3])} and {len(names) - 3} more finishes"
