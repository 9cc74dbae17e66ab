"""Edits of recipes and shared dials, and of the fields that follow them."""

from __future__ import annotations

from typing import Any

from jade_coat.material.fields import Number
from jade_coat.material.material import Link, spec_at
from jade_coat.material.recipes import Recipe, Step
from jade_coat.material.rows import field_values
from jade_coat.material.where import SharedTerm
from jade_coat.stage.edits.coats import set_field
from jade_coat.stage.edits.registry import added, edit, swap
from jade_coat.stage.naming import free_id, free_name
from jade_coat.stage.project import Project
from jade_coat.stage.references import referred, released, step_kind, with_inputs_followed
from jade_coat.stage.shared_dials import SharedDial


@edit
def add_recipe(project: Project, /, recipe: Recipe) -> Project:
    """Add a recipe."""
    taken = {r.id for r in project.recipes} | referred(project, "recipes")
    made = recipe.with_(id=free_id(recipe.id, taken), name=free_name(recipe.name, {r.name for r in project.recipes}))
    return _uncircled(added(project, "recipes", made))


@edit
def set_recipe(project: Project, /, recipe: str, **changes: Any) -> Project:
    """Change a recipe; everything that uses it follows."""
    old = project.recipe(recipe)
    new = old.with_(**changes)
    return _uncircled(with_inputs_followed(swap(project, "recipes", new), old, new))


@edit
def remove_recipe(project: Project, /, recipe: str) -> Project:
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
def rename_step(project: Project, /, recipe: str, step: str, name: str) -> Project:
    """Rename a step; the steps that read it follow."""
    old = project.recipe(recipe)
    if not any(s.id == step for s in old.steps):
        raise KeyError(f"{old.name} has no step {step!r}")

    def renamed(argument: str) -> str:
        first, dot, part = argument.partition(".")
        return f"{name}{dot}{part}" if first == step else argument

    steps = tuple(s.with_(id=name if s.id == step else s.id, args=tuple(renamed(a) for a in s.args)) for s in old.steps)
    return swap(project, "recipes", old.with_(steps=steps, output=name if old.output == step else old.output))


@edit
def add_shared(project: Project, /, name: str, **details: Any) -> Project:
    """Add a shared dial."""
    name = free_name(name, {d.name for d in project.shared})
    taken = {d.id for d in project.shared} | referred(project, "shared")
    return added(project, "shared", SharedDial(id=free_id(name, taken), name=name, **details))


@edit
def set_shared(project: Project, /, shared: str, **changes: Any) -> Project:
    """Change a shared dial: its value, name, limits or time track."""
    old = project.shared_dial(shared)
    if "value" in changes:
        low, high = changes.get("low", old.low), changes.get("high", old.high)
        changes["value"] = min(max(float(changes["value"]), low), high)
    return swap(project, "shared", old.with_(**changes))


@edit
def remove_shared(project: Project, /, shared: str) -> Project:
    """Remove a shared dial; what followed it keeps the value it has now."""
    gone = project.shared_dial(shared)
    value = gone.at(0.0)
    for material in project.materials:
        for link in [k for k in material.links if k.shared == shared]:
            project = unlink_field.on(project, material.id, link.path)
            project = set_field.on(project, material.id, link.path, link_value(link, value))
    project = released(_with_value_kept(project, shared, value), "shared", shared)
    changed: Project = project.with_(shared=tuple(d for d in project.shared if d.id != shared))
    return changed


def _with_value_kept(project: Project, shared: str, value: float) -> Project:
    """Every term and step that reads a shared dial, at the value it has now: a number in place of it."""

    def term(old: Any) -> Any:
        return old.with_(value=value) if isinstance(old, SharedTerm) and old.shared == shared else old

    def step(old: Step) -> Step:
        if step_kind(old) != "shared" or old.pick != shared:
            return old
        made: Step = old.with_(kind="add", args=(repr(value), "0"), pick="")
        return made

    for material in project.materials:
        if shared in material.shared:
            coats = tuple(c.with_(where=tuple(term(t) for t in c.where)) for c in material.coats)
            project = swap(project, "materials", material.with_(coats=coats))
    for recipe in project.recipes:
        if any(step_kind(s) == "shared" and s.pick == shared for s in recipe.steps):
            project = swap(project, "recipes", recipe.with_(steps=tuple(step(s) for s in recipe.steps)))
    return project


def link_value(link: Link, shared: float) -> Number:
    """What a linked field is when its shared dial has a value."""
    if isinstance(link.low, tuple) and isinstance(link.high, tuple):
        return tuple(a + (b - a) * shared for a, b in zip(link.low, link.high, strict=True))
    assert isinstance(link.low, (int, float))
    assert isinstance(link.high, (int, float))
    return link.low + (link.high - link.low) * shared


@edit
def link_field(
    project: Project, /, material: str, path: str, shared: str = "", recipe: str = "",
    low: Number | None = None, high: Number | None = None, inputs: dict[str, float] | None = None,
    beyond: bool | None = None,
) -> Project:  # fmt: skip
    """Let a field follow a shared dial or a recipe; `beyond` lets a recipe lead it beyond what it is at 0 and at 1."""
    old = project.material(material)
    if shared:
        project.shared_dial(shared)
    else:
        project.recipe(recipe)
    spec, now = spec_at(old, path), field_values(old)[path]
    known = old.link_at(path)
    ends = [
        spec.clamped(given if given is not None else getattr(known, name) if known else now)
        for name, given in (("low", low), ("high", high))
    ]
    same = known is not None and known.recipe == recipe
    given_inputs = inputs if inputs is not None else known.inputs if known is not None and same else {}
    further = bool(recipe) and (beyond if beyond is not None else known is not None and known.beyond)
    link = Link(path=path, shared=shared, recipe=recipe, inputs=given_inputs, low=ends[0], high=ends[1], beyond=further)
    return swap(project, "materials", old.with_(links=(*(k for k in old.links if k.path != path), link)))


@edit
def unlink_field(project: Project, /, material: str, path: str) -> Project:
    """Let a field keep its own value instead of a shared dial's or a recipe's."""
    old = project.material(material)
    return swap(project, "materials", old.with_(links=tuple(k for k in old.links if k.path != path)))
