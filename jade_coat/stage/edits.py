"""Every edit of a project: pure functions from tree to tree, found by name.

The window, the command line and the tests all edit through these, by way of `Document.do`.
"""

from __future__ import annotations

import inspect
import re
from collections.abc import Callable
from typing import Any

from jade_coat.maps.mapset import MapSet
from jade_coat.material.fields import Number, Setting
from jade_coat.material.material import (
    Coat,
    Dial,
    Finish,
    Link,
    Material,
    dial_spec,
    field_values,
    fields_of,
    replaced,
    spec_at,
    with_field,
)
from jade_coat.material.recipes import Recipe
from jade_coat.material.surface import PLACING, Surface
from jade_coat.material.where import TERM_KINDS
from jade_coat.mesh.filling import PaintRule
from jade_coat.mesh.painting import Paint, PaintMap
from jade_coat.stage.looks import material_of
from jade_coat.stage.origins import Kind
from jade_coat.stage.project import MeshAsset, Project, Prop
from jade_coat.stage.shared_dials import SharedDial
from jade_coat.stage.taking import Place, take, update

Edit = Callable[..., Project]
EDITS: dict[str, Edit] = {}


def edit(function: Edit) -> Edit:
    """Register an edit under its function's name; its docstring is what the history shows."""
    if not inspect.getdoc(function):
        raise TypeError(f"the edit {function.__name__} has no docstring")
    EDITS[function.__name__] = function
    return function


def title(name: str) -> str:
    """The first line of an edit's docstring, as the history shows it."""
    return (inspect.getdoc(EDITS[name]) or name).splitlines()[0].rstrip(".")


def free_id(name: str, taken: set[str]) -> str:
    """A short id made from a name, with a number behind it where the plain one is taken."""
    base = re.sub(r"[^a-z0-9]+", "_", name.lower()).strip("_") or "item"
    base = base if base[0].isalpha() else f"n{base}"
    found, n = base, 2
    while found in taken:
        found, n = f"{base}_{n}", n + 1
    return found


def free_name(name: str, taken: set[str]) -> str:
    """A name no other has: "Moss", then "Moss 2", …."""
    stem = re.sub(r" \d+$", "", name)
    found, n = name, 2
    while found in taken:
        found, n = f"{stem} {n}", n + 1
    return found


def _swap(project: Project, what: str, new: Any) -> Project:
    """Replace the item that has the id of `new`. Raises KeyError when there is none."""
    items = getattr(project, what)
    if not any(item.id == new.id for item in items):
        raise KeyError(f"there is no {new.id!r} among the {what}")
    changed: Project = project.with_(**{what: tuple(new if i.id == new.id else i for i in items)})
    return changed


def _added(project: Project, what: str, new: Any) -> Project:
    changed: Project = project.with_(**{what: (*getattr(project, what), new)})
    return changed


def _with_coat(project: Project, material: str, coat: Coat) -> Project:
    old = project.material(material)
    return _swap(project, "materials", old.with_(coats=tuple(coat if c.id == coat.id else c for c in old.coats)))


# Map sets


@edit
def add_map_set(project: Project, map_set: MapSet) -> Project:
    """Add a map set."""
    return _added(project, "map_sets", map_set)


@edit
def set_map_set(project: Project, map_set: str, **changes: Any) -> Project:
    """Change a map set: its maps, name or tile size."""
    return _swap(project, "map_sets", project.map_set(map_set).with_(**changes))


# Materials and coats


@edit
def add_material(project: Project, material: Material) -> Project:
    """Add a material."""
    return _added(project, "materials", material)


@edit
def set_material(project: Project, material: str, **changes: Any) -> Project:
    """Change a material's name or depth."""
    return _swap(project, "materials", project.material(material).with_(**changes))


@edit
def add_coat(project: Project, material: str, coat: Coat) -> Project:
    """Add a coat on top."""
    old = project.material(material)
    taken = {c.id for c in old.coats}
    coat = coat.with_(
        id=free_id(coat.id if coat.id not in taken else coat.name, taken),
        name=free_name(coat.name, {c.name for c in old.coats}),
    )
    return _swap(project, "materials", old.with_(coats=(*old.coats, coat)))


@edit
def remove_coat(project: Project, material: str, coat: str) -> Project:
    """Remove a coat and the dials that pointed at it."""
    old = project.material(material)
    old.coat(coat)
    if len(old.coats) == 1:
        raise ValueError("a material keeps at least one coat")
    dials = tuple(d for d in old.dials if d.path.split(".")[0] != coat)
    return _swap(project, "materials", _trimmed(old, tuple(c for c in old.coats if c.id != coat), dials))


def _trimmed(old: Material, coats: tuple[Coat, ...], dials: tuple[Dial, ...]) -> Material:
    """A material with new coats, keeping only the dials and links whose fields are still there."""
    material: Material = old.with_(dials=(), links=(), coats=coats)
    known = {path for path, _, _ in fields_of(material)}
    kept: Material = material.with_(
        dials=tuple(d for d in dials if d.path in known), links=tuple(k for k in old.links if k.path in known)
    )
    return kept


@edit
def move_coat(project: Project, material: str, coat: str, to: int) -> Project:
    """Move a coat to another place in the stack, counted from the bottom."""
    old = project.material(material)
    moved = old.coat(coat)
    rest = [c for c in old.coats if c.id != coat]
    rest.insert(max(0, min(to, len(rest))), moved)
    return _swap(project, "materials", _trimmed(old, tuple(rest), old.dials))


@edit
def set_coat(project: Project, material: str, coat: str, **changes: Any) -> Project:
    """Change a coat's name or whether it shows."""
    return _with_coat(project, material, project.material(material).coat(coat).with_(**changes))


@edit
def set_surface(project: Project, material: str, coat: str, **changes: Any) -> Project:
    """Change a coat's surface: its map set or UV set."""
    old = project.material(material).coat(coat)
    return _with_coat(project, material, old.with_(surface=old.surface.with_(**changes)))


@edit
def set_seam(project: Project, material: str, coat: str, **changes: Any) -> Project:
    """Change a coat's seam."""
    old = project.material(material).coat(coat)
    return _with_coat(project, material, old.with_(seam=old.seam.with_(**changes)))


@edit
def set_detail(project: Project, material: str, coat: str, **changes: Any) -> Project:
    """Change the detail maps of a coat's surface."""
    old = project.material(material).coat(coat)
    return _with_coat(project, material, replaced(old, ["surface", "detail"], changes))


@edit
def set_rim(project: Project, material: str, coat: str, **changes: Any) -> Project:
    """Change the rim along a coat's seam."""
    return _with_coat(project, material, replaced(project.material(material).coat(coat), ["rim"], changes))


@edit
def move_term(project: Project, material: str, coat: str, term: str, to: int) -> Project:
    """Move a term of where a coat shows to another place in the order."""
    old = project.material(material).coat(coat)
    moved = next((t for t in old.where if t.id == term), None)
    if moved is None:
        raise KeyError(f"{old.name} has no term {term!r}")
    rest = [t for t in old.where if t.id != term]
    rest.insert(max(0, min(to, len(rest))), moved)
    return _with_coat(project, material, old.with_(where=tuple(rest)))


@edit
def add_term(project: Project, material: str, coat: str, kind: str) -> Project:
    """Add a term to where a coat shows."""
    old = project.material(material).coat(coat)
    term = TERM_KINDS[kind](id=free_id(kind, {t.id for t in old.where}))
    return _with_coat(project, material, old.with_(where=(*old.where, term)))


@edit
def set_term(project: Project, material: str, coat: str, term: str, **changes: Any) -> Project:
    """Change a term of where a coat shows."""
    old = project.material(material).coat(coat)
    if not any(t.id == term for t in old.where):
        raise KeyError(f"{old.name} has no term {term!r}")
    where = tuple(t.with_(**changes) if t.id == term else t for t in old.where)
    return _with_coat(project, material, old.with_(where=where))


@edit
def remove_term(project: Project, material: str, coat: str, term: str) -> Project:
    """Remove a term from where a coat shows."""
    old = project.material(material)
    c = old.coat(coat)
    lean = c.with_(where=tuple(t for t in c.where if t.id != term))
    coats = tuple(lean if x.id == coat else x for x in old.coats)
    return _swap(project, "materials", _trimmed(old, coats, old.dials))


@edit
def set_field(project: Project, material: str, path: str, value: Setting) -> Project:
    """Change a number of a coat."""
    return _swap(project, "materials", with_field(project.material(material), path, value))


# Dials


@edit
def expose(project: Project, material: str, path: str) -> Project:
    """Expose a field as a dial."""
    old = project.material(material)
    if old.dial_at(path):
        return project
    spec, coat = spec_at(old, path), old.coat(path.split(".")[0])
    dial = Dial(
        id=free_id(path.replace(".surface", "").replace(".seam", "").replace(".where", ""), {d.id for d in old.dials}),
        path=path, name=free_name(f"{coat.name} {spec.label.lower()}", {d.name for d in old.dials}),
        group=coat.name, hint=spec.hint,
    )  # fmt: skip
    return _swap(project, "materials", old.with_(dials=(*old.dials, dial)))


@edit
def hide(project: Project, material: str, path: str) -> Project:
    """Take a dial away; its field keeps the material's value."""
    old = project.material(material)
    return _swap(project, "materials", old.with_(dials=tuple(d for d in old.dials if d.path != path)))


@edit
def rename_dial(project: Project, material: str, dial: str, name: str) -> Project:
    """Rename a dial."""
    old = project.material(material)
    return _swap(
        project, "materials", old.with_(dials=tuple(d.with_(name=name) if d.id == dial else d for d in old.dials))
    )


# Finishes


@edit
def add_finish(project: Project, parent: str, name: str, id: str = "") -> Project:
    """Add a finish."""
    taken = {f.id for f in project.finishes} | {m.id for m in project.materials}
    name = free_name(name, {f.name for f in project.finishes})
    return _added(project, "finishes", Finish(id=id or free_id(name, taken), name=name, parent=parent))


@edit
def rename_finish(project: Project, finish: str, name: str) -> Project:
    """Rename a finish."""
    return _swap(project, "finishes", project.finish(finish).with_(name=name))


@edit
def remove_finish(project: Project, finish: str) -> Project:
    """Remove a finish; its children and wearers go to its parent."""
    gone = project.finish(finish)
    heir = gone.parent
    finishes = tuple(
        f.with_(parent=heir, values={**gone.values, **f.values}) if f.parent == finish else f
        for f in project.finishes if f.id != finish
    )  # fmt: skip
    props = tuple(
        p.with_(finishes={s: heir if f == finish else f for s, f in p.finishes.items()})
        if finish in p.finishes.values() else p
        for p in project.props
    )  # fmt: skip
    changed: Project = project.with_(finishes=finishes, props=props)
    return changed


@edit
def set_dial(project: Project, finish: str, dial: str, value: Setting) -> Project:
    """Turn a dial of a finish."""
    old = project.finish(finish)
    material = material_of(project, finish)
    found = next((d for d in material.dials if d.id == dial), None)
    if found is None:
        raise KeyError(f"{material.name} has no dial {dial!r}")
    value = dial_spec(material, found).clamped(value)
    return _swap(project, "finishes", old.with_(values={**old.values, dial: value}))


@edit
def reset_dial(project: Project, finish: str, dial: str) -> Project:
    """Give a dial its inherited value back."""
    old = project.finish(finish)
    return _swap(project, "finishes", old.with_(values={k: v for k, v in old.values.items() if k != dial}))


# Recipes


@edit
def add_recipe(project: Project, recipe: Recipe) -> Project:
    """Add a recipe."""
    taken = {r.id for r in project.recipes}
    made = recipe.with_(id=free_id(recipe.id, taken), name=free_name(recipe.name, {r.name for r in project.recipes}))
    return _uncircled(_added(project, "recipes", made))


@edit
def set_recipe(project: Project, recipe: str, **changes: Any) -> Project:
    """Change a recipe; everything that uses it follows."""
    return _uncircled(_swap(project, "recipes", project.recipe(recipe).with_(**changes)))


@edit
def remove_recipe(project: Project, recipe: str) -> Project:
    """Remove a recipe that nothing uses."""
    users = project.recipe_users(recipe)
    if users:
        raise ValueError(f"{project.recipe(recipe).name} is used by {', '.join(users)}")
    changed: Project = project.with_(recipes=tuple(r for r in project.recipes if r.id != recipe))
    return changed


def _uncircled(project: Project) -> Project:
    """The project, unless a recipe would be among its own steps."""
    uses = {r.id: r.uses for r in project.recipes}
    for start in uses:
        seen: set[str] = set()
        ahead = set(uses[start])
        while ahead:
            at = ahead.pop()
            if at == start:
                raise ValueError(f"{project.recipe(start).name} would be among its own steps")
            if at not in seen:
                seen.add(at)
                ahead |= uses.get(at, frozenset())
    return project


@edit
def rename_step(project: Project, recipe: str, step: str, name: str) -> Project:
    """Rename a step; the steps that read it follow."""
    old = project.recipe(recipe)
    if not any(s.id == step for s in old.steps):
        raise KeyError(f"{old.name} has no step {step!r}")

    def renamed(argument: str) -> str:
        first, dot, part = argument.partition(".")
        return f"{name}{dot}{part}" if first == step else argument

    steps = tuple(s.with_(id=name if s.id == step else s.id, args=tuple(renamed(a) for a in s.args)) for s in old.steps)
    return _swap(project, "recipes", old.with_(steps=steps, output=name if old.output == step else old.output))


# Shared dials


@edit
def add_shared(project: Project, name: str, **details: Any) -> Project:
    """Add a shared dial."""
    name = free_name(name, {d.name for d in project.shared})
    return _added(project, "shared", SharedDial(id=free_id(name, {d.id for d in project.shared}), name=name, **details))


@edit
def set_shared(project: Project, shared: str, **changes: Any) -> Project:
    """Change a shared dial: its value, name, limits or time track."""
    old = project.shared_dial(shared)
    if "value" in changes:
        low, high = changes.get("low", old.low), changes.get("high", old.high)
        changes["value"] = min(max(float(changes["value"]), low), high)
    return _swap(project, "shared", old.with_(**changes))


@edit
def remove_shared(project: Project, shared: str) -> Project:
    """Remove a shared dial; what followed it keeps the value it has now."""
    gone = project.shared_dial(shared)
    value = gone.at(0.0)
    for material in project.materials:
        for link in [k for k in material.links if k.shared == shared]:
            project = unlink_field(project, material.id, link.path)
            project = set_field(project, material.id, link.path, link_value(link, value))
    changed: Project = project.with_(shared=tuple(d for d in project.shared if d.id != shared))
    return changed


def link_value(link: Link, shared: float) -> Number:
    """What a linked field is when its shared dial has a value."""
    if isinstance(link.low, tuple) and isinstance(link.high, tuple):
        return tuple(a + (b - a) * shared for a, b in zip(link.low, link.high, strict=True))
    assert isinstance(link.low, (int, float))
    assert isinstance(link.high, (int, float))
    return link.low + (link.high - link.low) * shared


@edit
def link_field(
    project: Project, material: str, path: str, shared: str = "", recipe: str = "",
    low: Number | None = None, high: Number | None = None, inputs: dict[str, float] | None = None,
) -> Project:  # fmt: skip
    """Let a field follow a shared dial or a recipe."""
    old = project.material(material)
    if shared:
        project.shared_dial(shared)
    else:
        project.recipe(recipe)
        if path.rpartition(".")[2] in PLACING:
            raise ValueError("how maps are placed cannot follow a recipe, which differs from point to point")
    spec, now = spec_at(old, path), field_values(old)[path]
    known = old.link_at(path)
    ends = [
        spec.clamped(given if given is not None else getattr(known, name) if known else now)
        for name, given in (("low", low), ("high", high))
    ]
    same = known is not None and known.recipe == recipe
    given_inputs = inputs if inputs is not None else known.inputs if known is not None and same else {}
    link = Link(path=path, shared=shared, recipe=recipe, inputs=given_inputs, low=ends[0], high=ends[1])
    return _swap(project, "materials", old.with_(links=(*(k for k in old.links if k.path != path), link)))


@edit
def unlink_field(project: Project, material: str, path: str) -> Project:
    """Let a field keep its own value instead of a shared dial's or a recipe's."""
    old = project.material(material)
    return _swap(project, "materials", old.with_(links=tuple(k for k in old.links if k.path != path)))


# Other projects


@edit
def take_over(project: Project, other: Project, kind: Kind, id: str, folder: str) -> Project:
    """Take something over from another project, with all it needs."""
    changed: Project = take(project, other, (kind, id), folder).project
    return changed


@edit
def update_taken(project: Project, other: Project, folder: str, places: frozenset[Place]) -> Project:
    """Bring what was taken over from another project up to date."""
    changed: Project = update(project, other, folder, places)
    return changed


# Light


@edit
def set_light(project: Project, **changes: Any) -> Project:
    """Change the light."""
    changed: Project = project.with_(light=project.light.with_(**changes))
    return changed


@edit
def set_dial_of_many(project: Project, finishes: tuple[str, ...], dial: str, value: Number) -> Project:
    """Turn a dial of several finishes."""
    for finish in finishes:
        project = set_dial(project, finish, dial, value)
    return project


@edit
def reset_dials(project: Project, finish: str) -> Project:
    """Give all dials of a finish their inherited values back."""
    return _swap(project, "finishes", project.finish(finish).with_(values={}))


@edit
def promote_dial(project: Project, finish: str, dial: str) -> Project:
    """Hand a dial's value up to the parent, which may be the material; the finish then inherits it."""
    old = project.finish(finish)
    if dial not in old.values:
        raise KeyError(f"{old.name} does not change {dial!r}")
    value = old.values[dial]
    if any(f.id == old.parent for f in project.finishes):
        project = set_dial(project, old.parent, dial, value)
    else:
        material = project.material(old.parent)
        path = next(d.path for d in material.dials if d.id == dial)
        project = set_field(project, material.id, path, value)
    return reset_dial(project, finish, dial)


@edit
def move_dial(project: Project, material: str, dial: str, to: int) -> Project:
    """Move a dial to another place in the sheet."""
    old = project.material(material)
    moved = next((d for d in old.dials if d.id == dial), None)
    if moved is None:
        raise KeyError(f"{old.name} has no dial {dial!r}")
    rest = [d for d in old.dials if d.id != dial]
    rest.insert(max(0, min(to, len(rest))), moved)
    return _swap(project, "materials", old.with_(dials=tuple(rest)))


@edit
def set_dial_words(project: Project, material: str, dial: str, **changes: Any) -> Project:
    """Change a dial's group or hint."""
    old = project.material(material)
    if not any(d.id == dial for d in old.dials):
        raise KeyError(f"{old.name} has no dial {dial!r}")
    dials = tuple(d.with_(**changes) if d.id == dial else d for d in old.dials)
    return _swap(project, "materials", old.with_(dials=dials))


@edit
def set_parent(project: Project, finish: str, parent: str) -> Project:
    """Give a finish another parent of the same material; a circle cannot be made."""
    if material_of(project, parent).id != material_of(project, finish).id:
        raise ValueError("a finish keeps its material; choose a parent that comes from the same one")
    return _swap(project, "finishes", project.finish(finish).with_(parent=parent))


# Meshes and props


@edit
def add_mesh(project: Project, mesh: MeshAsset) -> Project:
    """Add a mesh."""
    return _added(project, "meshes", mesh)


@edit
def add_prop(project: Project, prop: Prop) -> Project:
    """Place a prop."""
    project.mesh(prop.mesh)
    return _added(project, "props", prop)


@edit
def remove_prop(project: Project, prop: str) -> Project:
    """Remove a prop."""
    project.prop(prop)
    changed: Project = project.with_(props=tuple(p for p in project.props if p.id != prop))
    return changed


@edit
def set_prop(project: Project, prop: str, **changes: Any) -> Project:
    """Move, turn, size or rename a prop."""
    return _swap(project, "props", project.prop(prop).with_(**changes))


@edit
def put_finish(project: Project, prop: str, slot: str, finish: str) -> Project:
    """Put a finish on a slot of a prop."""
    old = project.prop(prop)
    if slot not in project.mesh(old.mesh).slots:
        raise KeyError(f"{old.name} has no slot {slot!r}")
    material_of(project, finish)
    return _swap(project, "props", old.with_(finishes={**old.finishes, slot: finish}))


@edit
def set_prop_dial(project: Project, prop: str, slot: str, dial: str, value: Number) -> Project:
    """Turn a dial of one prop only."""
    old = project.prop(prop)
    own = {**old.values.get(slot, {}), dial: value}
    return _swap(project, "props", old.with_(values={**old.values, slot: own}))


@edit
def paint_prop(project: Project, prop: str, paint: Paint | None) -> Project:
    """Paint."""
    return _swap(project, "props", project.prop(prop).with_(paint=paint))


@edit
def paint_map(project: Project, prop: str, paint_map: PaintMap | None) -> Project:
    """Paint on a map."""
    return _swap(project, "props", project.prop(prop).with_(paint_map=paint_map))


@edit
def exchange_mesh(
    project: Project, mesh: MeshAsset, paint: dict[str, Paint] | None = None, maps: dict[str, PaintMap] | None = None
) -> Project:
    """Put another mesh in a mesh's place."""
    project = _swap(project, "meshes", mesh)
    for prop, own in (paint or {}).items():
        project = paint_prop(project, prop, own)
    for prop, own_map in (maps or {}).items():
        project = paint_map(project, prop, own_map)
    return project


@edit
def reset_paint(project: Project, prop: str) -> Project:
    """Give a prop its mesh's own paint back."""
    return _swap(project, "props", project.prop(prop).with_(paint=None, paint_map=None))


@edit
def keep_rule(project: Project, prop: str, rule: PaintRule) -> Project:
    """Keep a rule that a prop's paint was filled by."""
    old = project.prop(prop)
    return _swap(project, "props", old.with_(rules=(*old.rules, rule)))


@edit
def copy_rules(project: Project, prop: str, source: str) -> Project:
    """Take the paint rules of another prop, behind those there are."""
    old = project.prop(prop)
    return _swap(project, "props", old.with_(rules=(*old.rules, *project.prop(source).rules)))


@edit
def drop_rule(project: Project, prop: str, index: int) -> Project:
    """Forget a rule that a prop's paint was filled by; the paint stays."""
    old = project.prop(prop)
    if not 0 <= index < len(old.rules):
        raise KeyError(f"{old.name} has no rule {index + 1}")
    return _swap(project, "props", old.with_(rules=(*old.rules[:index], *old.rules[index + 1 :])))


def new_coat(name: str, map_set: MapSet | None = None) -> Coat:
    """A coat made of a map set at its real tile size, shown where channel R is painted."""
    surface = Surface(map_set=map_set.id, tile_size=map_set.tile_size) if map_set else Surface()
    return Coat(id=free_id(name, set()), name=name, surface=surface, where=(TERM_KINDS["paint"](id="paint"),))
