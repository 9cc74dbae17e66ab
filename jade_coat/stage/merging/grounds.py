"""Merges grounds: a layer and its weights go together, and each cell of the weights is one side's as a whole."""

from __future__ import annotations

from functools import partial
from typing import Any, Protocol

from jade_coat.ground.pages import Pages
from jade_coat.stage.grounds import Ground
from jade_coat.stage.merging.arrays import merged_grids
from jade_coat.stage.merging.collisions import ABSENT, Choices, Place

Sides = tuple[Ground, Ground, Ground]
"""What two grounds came from, mine and theirs."""
BY_HAND = "\0by hand"


class Merges(Protocol):
    """What merges the parts of a ground."""

    choices: Choices

    def value(self, place: Place, base: Any, mine: Any, theirs: Any) -> Any:
        """What becomes of a value."""

    def order(self, place: Place, base: list[str], mine: list[str], theirs: list[str]) -> list[str]:
        """The order of what is left of a list."""


def merged_ground(merger: Merges, place: Place, base: Any, mine: Ground, theirs: Ground) -> Ground:
    """A ground with what either side changed. Raises ValueError where the two do not go together."""
    if base is ABSENT or len({side.weight_cells for side in (base, mine, theirs)}) > 1:
        raise ValueError("the weights are of different sizes")
    changes = {
        name: merger.value((*place, name), *(getattr(side, name) for side in (base, mine, theirs)))
        for name in Ground.model_fields if name not in ("id", "layers", "weights", "by_hand")
    }  # fmt: skip
    needed = {i for s in changes["scatter"] for i in (s.layer, s.cut_out)}
    needed |= {i for r in changes["rules"] for i in (r.layer, r.other)}
    layers = _layers(merger, place, (base, mine, theirs), needed)
    order = merger.order(
        (*place, "layers"), *([x.id for x in side.layers if x.id in layers] for side in (base, mine, theirs))
    )
    weights, by_hand = _weights(merger.choices, place, (base, mine, theirs), order)
    painted = any(side.by_hand is not None for side in (mine, theirs))
    changes |= {"layers": tuple(layers[k] for k in order), "weights": weights}
    made: Ground = mine.with_(**changes, by_hand=by_hand if painted else None)
    return made


def _layers(merger: Merges, place: Place, sides: Sides, needed: set[str]) -> dict[str, Any]:
    """The layers that are left, by id: what is in use stays; what one removed and the other painted is asked about."""
    known = [{layer.id: layer for layer in side.layers} for side in sides]
    layers: dict[str, Any] = {}
    for key in dict.fromkeys([*known[2], *known[1]]):
        before, own, other = (side.get(key, ABSENT) for side in known)
        if before is ABSENT or ABSENT not in (own, other):
            layers[key] = merger.value((*place, "layers", key), before, own, other)
            continue
        kept: Any
        kept, side = (other, sides[2]) if own is ABSENT else (own, sides[1])
        untouched = kept == before and side.weights[key] == sides[0].weights[key]
        if not untouched and key not in needed:
            kept = merger.choices.collide((*place, "layers", key), before, own, other)
        if kept is ABSENT or (untouched and key not in needed):
            continue
        layers[key] = kept
        if key in needed:
            merger.choices.notes.append(f"{kept.name} was removed, and stays: rules or scatters lie on it.")
    return layers


def _weights(choices: Choices, place: Place, sides: Sides, order: list[str]) -> tuple[dict[str, Pages], Pages]:
    """The weights of some layers, and what is painted by hand: what shares places out is merged together."""
    columns, rows = sides[1].weight_cells
    empty = Pages.flat(rows, columns, "uint8", 0)
    held = [_grids(side, order, empty) for side in sides]
    both = sides[1:]
    shared = {k for k in order if any(k in side.weights and side.layer(k).way == "shared" for side in both)}
    made: dict[str, Pages] = {}
    for names in (shared, *({k} for k in order if k not in shared)):
        grids = [{k: pages for k, pages in side.items() if k in names} for side in held]
        at = (*place, "weights", *(() if names is shared else names))
        made |= merged_grids(choices, at, grids[0], grids[1], grids[2], partial(_three, grids))
    # where both painted by hand, either way it was painted by hand
    hands = [{BY_HAND: side[BY_HAND]} for side in held]
    hand = merged_grids(Choices(), place, hands[0], hands[1], hands[2], partial(_three, hands))[BY_HAND]
    return {k: made[k] for k in order}, hand


def _three(sides: list[dict[str, Pages]]) -> tuple[Any, Any, Any]:
    return sides[0], sides[1], sides[2]


def _grids(ground: Ground, layers: list[str], empty: Pages) -> dict[str, Pages]:
    """The weights of some layers, nothing for those it does not have, and what is painted by hand."""
    hand = ground.by_hand if ground.by_hand is not None else empty
    return {**{k: ground.weights.get(k, empty) for k in layers}, BY_HAND: hand}
