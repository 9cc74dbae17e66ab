"""Merges grounds: a layer and its weights go together, and each cell of the weights is one side's as a whole."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING, Any

from jade_coat.ground.pages import Pages
from jade_coat.stage.grounds import Ground
from jade_coat.stage.merging.arrays import merged_grids
from jade_coat.stage.merging.collisions import ABSENT, Choices, Place

if TYPE_CHECKING:
    from jade_coat.stage.merging.values import Merger

BY_HAND = "\0by hand"


def merged_ground(merger: Merger, place: Place, base: Any, mine: Ground, theirs: Ground) -> Ground:
    """A ground with what either side changed. Raises ValueError where the two do not go together."""
    if base is ABSENT or len({side.weight_cells for side in (base, mine, theirs)}) > 1:
        raise ValueError("the weights are of different sizes")
    changes = {
        name: merger.value((*place, name), *(getattr(side, name) for side in (base, mine, theirs)))
        for name in Ground.model_fields if name not in ("id", "layers", "weights", "by_hand")
    }  # fmt: skip
    needed = {s.layer for s in changes["scatter"]} | {s.cut_out for s in changes["scatter"]}
    needed |= {r.layer for r in changes["rules"]} | {r.other for r in changes["rules"]}
    sides = [{layer.id: layer for layer in side.layers} for side in (base, mine, theirs)]
    layers: dict[str, Any] = {}
    for key in dict.fromkeys([*sides[2], *sides[1]]):
        before, own, other = (side.get(key, ABSENT) for side in sides)
        if before is not ABSENT and ABSENT in (own, other):
            kept, side = (other, theirs) if own is ABSENT else (own, mine)
            untouched = kept == before and side.weights[key] == base.weights[key]
            if untouched and key not in needed:
                continue
            if not untouched and key not in needed:
                kept = merger.choices.collide((*place, "layers", key), before, own, other)
            if kept is not ABSENT:
                layers[key] = kept
            continue
        layers[key] = merger.value((*place, "layers", key), before, own, other)
    order = merger.order((*place, "layers"), *([k for k in side if k in layers] for side in sides))
    empty = Pages.flat(mine.weight_cells[1], mine.weight_cells[0], "uint8", 0)
    held = [_grids(side, order, empty) for side in (base, mine, theirs)]
    shared = {k for k in order if any(side.weights.get(k) and side.layer(k).way == "shared" for side in (mine, theirs))}
    made: dict[str, Pages] = {}
    for names in (shared, *({k} for k in order if k not in shared)):
        grids = [{k: pages for k, pages in side.items() if k in names} for side in held]
        at = (*place, "weights", *(() if names is shared else names))
        made |= merged_grids(merger.choices, at, grids[0], grids[1], grids[2], partial(_three, grids))
    # where both painted by hand, either way it was painted by hand
    hands = [{BY_HAND: side[BY_HAND]} for side in held]
    made |= merged_grids(Choices(), place, hands[0], hands[1], hands[2], partial(_three, hands))
    painted = any(side.by_hand is not None for side in (mine, theirs))
    by_hand = made.pop(BY_HAND)
    whole: Ground = mine.with_(
        **changes,
        layers=tuple(layers[k] for k in order),
        weights={k: made[k] for k in order},
        by_hand=by_hand if painted else None,
    )
    return whole


def _three(sides: list[dict[str, Pages]]) -> tuple[Any, Any, Any]:
    return sides[0], sides[1], sides[2]


def _grids(ground: Ground, layers: list[str], empty: Pages) -> dict[str, Pages]:
    """The weights of some layers, nothing for those it does not have, and what is painted by hand."""
    hand = ground.by_hand if ground.by_hand is not None else empty
    return {**{k: ground.weights.get(k, empty) for k in layers}, BY_HAND: hand}
