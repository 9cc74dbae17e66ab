"""What recipes read, those among their own steps included."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from jade_coat.material.surface import MapLookup


def recipes_run(wanted: Iterable[str], lookup: MapLookup) -> list[Any]:
    """Some recipes (`material.recipes.Recipe`) by id and all that they call, each once."""
    found: dict[str, Any] = {}
    waiting = list(wanted)
    while waiting:
        recipe = lookup.recipe(waiting.pop())
        if recipe is not None and recipe.id not in found:
            found[recipe.id] = recipe
            waiting += sorted(recipe.uses)
    return list(found.values())


def painted_in(recipe: str, lookup: MapLookup, above: tuple[str, ...] = ()) -> list[tuple[str, str]]:
    """The painted channels that a recipe reads, or one among its steps, each with the name of the recipe."""
    found = lookup.recipe(recipe)
    if found is None or recipe in above:
        return []
    own = [(s.pick or "R", found.name) for s in found.steps if s.kind == "paint"]
    inner = [c for used in sorted(found.uses) for c, _ in painted_in(used, lookup, (*above, recipe))]
    return own + [(channel, found.name) for channel in inner]
