"""Recipes: named calculations in steps, used wherever a where-term needs one."""

from __future__ import annotations

import re
from collections.abc import Mapping

from pydantic import Field, model_validator

from jade_coat.material.around import Around
from jade_coat.material.fields import Frozen
from jade_coat.material.step_kinds import STEP_KINDS
from jade_coat.program import FLOAT, VEC2, VEC3, Value, const, lib, passes
from jade_coat.program.value import TypeMismatch

MAX_DEPTH = 8
_PLACES = {"position": ("position", VEC3), "uv": ("uv0", VEC2)}
"""What arguments may name without a step of its own."""
_NUMBER = re.compile(r"^[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?$")


class RecipeFault(ValueError):
    """A recipe that has no meaning; says which recipe and which step, and why."""

    def __init__(self, recipe: str, step: str, reason: str) -> None:
        super().__init__(f"recipe {recipe}, step {step}: {reason}" if step else f"recipe {recipe}: {reason}")
        self.recipe, self.step, self.reason = recipe, step, reason


class RecipeInput(Frozen):
    """A number that whoever uses the recipe may give."""

    name: str = Field(pattern=r"^[a-z][a-z0-9_]*$")
    value: float = 0.0


class Step(Frozen):
    """One row: what is done, and from what: numbers, inputs or earlier steps by name (`wind.x` picks a part)."""

    id: str = Field(pattern=r"^[a-z][a-z0-9_]*$")
    kind: str
    args: tuple[str, ...] = ()
    pick: str = ""
    """What kinds with a choice are set to: a channel, a shared dial, a recipe."""


class Recipe(Frozen):
    """Steps from the top down; the last one is the output unless another is named."""

    id: str
    name: str
    hint: str = ""
    inputs: tuple[RecipeInput, ...] = ()
    steps: tuple[Step, ...] = Field(min_length=1)
    output: str = ""

    @model_validator(mode="after")
    def _unique(self) -> Recipe:
        names = [*(i.name for i in self.inputs), *(s.id for s in self.steps)]
        if len(set(names)) != len(names):
            raise ValueError(f"inputs and steps of a recipe need names of their own, got {names}")
        return self

    @property
    def uses(self) -> frozenset[str]:
        """The ids of the recipes that its steps call."""
        return frozenset(s.pick for s in self.steps if s.kind == "recipe" and s.pick)

    @property
    def map_sets(self) -> frozenset[str]:
        """The ids of the map sets that its own steps read."""
        return frozenset(s.pick.partition("/")[0] for s in self.steps if s.kind == "map" and s.pick)


def step_values(
    recipe: Recipe, around: Around, given: Mapping[str, Value | float] | None = None, above: tuple[str, ...] = ()
) -> dict[str, Value]:
    """The value of every step by id; `given` replaces inputs. Raises RecipeFault at the first step without meaning."""
    if recipe.id in above or len(above) >= MAX_DEPTH:
        raise RecipeFault(recipe.name, "", "it is among its own steps")
    known: dict[str, Value] = {}
    folded: dict[Value, Value] = {}
    for wanted in recipe.inputs:
        value = (given or {}).get(wanted.name, wanted.value)
        known[wanted.name] = value if isinstance(value, Value) else const(value)
    for step in recipe.steps:
        try:
            value = passes.fold({"v": _value(step, known, around, (*above, recipe.id))}, folded)["v"]
            folded[value] = value
            known[step.id] = value
        except RecipeFault as fault:
            raise RecipeFault(recipe.name, step.id, f"{fault.recipe}: {fault.reason}") from None
        except (TypeMismatch, AttributeError, ValueError, KeyError) as error:
            reason = error.args[0] if isinstance(error, KeyError) and error.args else str(error)
            raise RecipeFault(recipe.name, step.id, str(reason)) from None
    return {step.id: known[step.id] for step in recipe.steps}


def recipe_value(
    recipe: Recipe, around: Around, given: Mapping[str, Value | float] | None = None, colors: bool = False
) -> Value:
    """What a recipe comes to: a float, or with `colors` a vec3 as well. Raises RecipeFault."""
    values = step_values(recipe, around, given)
    wanted = recipe.output or recipe.steps[-1].id
    if wanted not in values:
        raise RecipeFault(recipe.name, wanted, "the output is no step of the recipe")
    if values[wanted].type != FLOAT and not (colors and values[wanted].type == VEC3):
        raise RecipeFault(recipe.name, wanted, f"the output is a {values[wanted].type.name}; pick one part, such as .x")
    return values[wanted]


def _value(step: Step, known: Mapping[str, Value], around: Around, above: tuple[str, ...]) -> Value:
    kind = STEP_KINDS.get(step.kind)
    if kind is None:
        raise TypeMismatch(f"nobody knows how to do {step.kind!r}")
    if step.kind == "recipe":
        inner: Recipe | None = around.lookup.recipe(step.pick)
        if inner is None:
            raise KeyError("no recipe is chosen" if not step.pick else f"there is no recipe {step.pick!r}")
        inputs = {i.name: _argument(a, known) for i, a in zip(inner.inputs, step.args, strict=False)}
        values = step_values(inner, around, inputs, above)
        return values[inner.output or inner.steps[-1].id]
    if kind.pick == "shared" and not step.pick:
        raise KeyError("no shared dial is chosen")
    if len(step.args) != len(kind.arguments):
        raise TypeMismatch(f"needs {', '.join(n for n, _ in kind.arguments)}")
    args = [_argument(a, known) for a in step.args]
    if kind.ask is not None:
        return kind.ask(args, step.pick, around)
    assert kind.build is not None
    return kind.build(args, step.pick)


def _argument(text: str, known: Mapping[str, Value]) -> Value:
    text = text.strip().replace("−", "-")
    if _NUMBER.match(text):
        return const(float(text))
    name, _, part = text.partition(".")
    if name not in known:
        if name in _PLACES and not part:
            return lib.attribute(*_PLACES[name])
        raise KeyError(f"there is no {name!r} above this step" if name else "something is missing")
    return getattr(known[name], part) if part else known[name]


def _recipe(id_: str, name: str, hint: str, inputs: dict[str, float], *steps: tuple[str, str, str]) -> Recipe:
    """A recipe from (id, kind, arguments) rows; a kind may carry its choice, as in `paint:G`."""
    made = []
    for step, kind, args in steps:
        what, _, pick = kind.partition(":")
        made.append(Step(id=step, kind=what, args=tuple(args.split()), pick=pick))
    return Recipe(id=id_, name=name, hint=hint, inputs=tuple(RecipeInput(name=n, value=v) for n, v in inputs.items()),
                  steps=tuple(made))  # fmt: skip


LIBRARY: tuple[Recipe, ...] = (
    _recipe(
        "dust_on_top",
        "Dust on top",
        "what faces up, patchily",
        {"patch": 0.4},
        ("facing", "normal", ""),
        ("up", "ease", "facing.y 0.35 0.95"),
        ("patches", "clouds", "position patch"),
        ("patchy", "ease", "patches 0.3 0.6"),
        ("dust", "multiply", "up patchy"),
    ),
    _recipe(
        "edge_wear",
        "Edge wear",
        "edges rubbed bare, broken up by noise",
        {"size": 0.05, "grain": 0.08},
        ("bends", "bend", "size"),
        ("edges", "keep", "bends 0 1"),
        ("grains", "clouds", "position grain"),
        ("rough", "ease", "grains 0.35 0.6"),
        ("wear", "multiply", "edges rough"),
    ),
    _recipe(
        "rising_damp",
        "Rising damp",
        "from the ground up, with a wavering edge",
        {"height": 0.6, "waver": 0.5},
        ("place", "world", ""),
        ("wander", "clouds", "place waver"),
        ("top", "multiply", "wander height"),
        ("reach", "add", "top height"),
        ("share", "divide", "place.y reach"),
        ("above", "ease", "share 0.5 1.1"),
        ("damp", "invert", "above"),
    ),
    _recipe(
        "soot_above",
        "Soot above",
        "darker towards a height, as over a fire",
        {"start": 0.8, "full": 2.0},
        ("place", "world", ""),
        ("rise", "ease", "place.y start full"),
        ("smoke", "clouds", "place 0.7"),
        ("thick", "ease", "smoke 0.25 0.65"),
        ("soot", "multiply", "rise thick"),
    ),
    _recipe(
        "streaks",
        "Streaks",
        "long runs down a wall",
        {"width": 0.12},
        ("place", "position", ""),
        ("down", "multiply", "place.y 0.12"),
        ("thin", "join", "place.x down place.z"),
        ("runs", "clouds", "thin width"),
        ("streak", "ease", "runs 0.5 0.7"),
    ),
    _recipe(
        "speckle",
        "Speckle",
        "scattered round spots",
        {"metres": 0.05, "radius": 0.25},
        ("near", "cells", "position metres"),
        ("far", "ease", "near 0 radius"),
        ("spots", "invert", "far"),
    ),
    _recipe(
        "fine_cracks",
        "Fine cracks",
        "hairlines between plates",
        {"metres": 0.25, "width": 0.06},
        ("gap", "cracks", "position metres"),
        ("away", "ease", "gap 0 width"),
        ("cracks_seen", "invert", "away"),
    ),
    _recipe(
        "height_band",
        "Height band",
        "a band between two heights",
        {"low": 0.4, "high": 0.9, "soft": 0.1},
        ("place", "world", ""),
        ("a", "add", "low soft"),
        ("b", "subtract", "high soft"),
        ("rise", "ease", "place.y low a"),
        ("fall", "ease", "place.y b high"),
        ("under", "invert", "fall"),
        ("band", "multiply", "rise under"),
    ),
    _recipe(
        "weather_side",
        "Weather side",
        "what faces one way, for wind and rain",
        {"east": 0.0, "north": 1.0},
        ("facing", "normal", ""),
        ("along", "multiply", "facing.x east"),
        ("across", "multiply", "facing.z north"),
        ("toward", "add", "along across"),
        ("side", "ease", "toward 0 0.9"),
    ),
    _recipe(
        "some_props",
        "Some props",
        "all of some props, none of others",
        {"share": 0.5},
        ("luck", "luck", ""),
        ("over", "subtract", "share luck"),
        ("sharp", "multiply", "over 1000"),
        ("chosen", "keep", "sharp 0 1"),
    ),
    _recipe(
        "courses",
        "Courses",
        "level stripes, a height each",
        {"metres": 0.3, "share": 0.5},
        ("place", "position", ""),
        ("count", "divide", "place.y metres"),
        ("within", "rest", "count"),
        ("edge", "add", "share 0.04"),
        ("over", "ease", "within share edge"),
        ("stripe", "invert", "over"),
    ),
    _recipe(
        "hollow_grime",
        "Hollow grime",
        "dirt that gathers in hollows",
        {"size": 0.06},
        ("bends", "bend", "size"),
        ("turned", "multiply", "bends -1"),
        ("hollows", "keep", "turned 0 1"),
        ("patches", "clouds", "position 0.3"),
        ("thick", "ease", "patches 0.2 0.6"),
        ("grime", "multiply", "hollows thick"),
    ),
    _recipe(
        "painted_patches",
        "Painted patches",
        "a painted channel, eaten away by noise",
        {"metres": 0.3},
        ("amount", "paint:R", ""),
        ("patches", "clouds", "position metres"),
        ("hole", "subtract", "amount patches"),
        ("left", "between", "hole -0.35 0.25"),
    ),
)
"""Recipes to start from."""
