"""How water may stand on a ground: worked out from its heights and its damp, and kept while they are the same."""

from __future__ import annotations

from collections import OrderedDict

import numpy as np

from jade_coat.ground.heights import Heights
from jade_coat.ground.pages import Pages
from jade_coat.ground.water import Hollows, Pools, hollows, pool_cells, pools
from jade_coat.material.fields import remembered
from jade_coat.material.stacking import GroundLayer
from jade_coat.stage.grounds import Ground

KEPT = 8
"""Of so many damp layers it is kept."""


@remembered
def _hollows(heights: Heights) -> Hollows:
    return hollows(heights)


_POOLS: OrderedDict[tuple[int, int, float], tuple[Heights, Pages, Pools]] = OrderedDict()


def holds_water(layer: GroundLayer) -> bool:
    """Whether a layer is one from which water stands."""
    return layer.way == "absolute" and layer.role == "damp"


def pools_of(ground: Ground, layer: GroundLayer) -> Pools:
    """How water may stand by one damp layer of a ground."""
    damp = ground.weights[layer.id]
    if not _reaches(damp, layer.stands):
        return _dry(ground)
    key = (id(ground.heights), id(damp), layer.stands)
    known = _POOLS.get(key)
    if known is not None and known[0] is ground.heights and known[1] is damp:
        _POOLS.move_to_end(key)
        return known[2]
    made = pools(_hollows(ground.heights), damp)
    _POOLS[key] = (ground.heights, damp, made)
    while len(_POOLS) > KEPT:
        _POOLS.popitem(last=False)
    return made


def _reaches(damp: Pages, stands: float) -> bool:
    """Whether damp is anywhere more than what water stands from: else hollows are not even looked for."""
    return any(float(np.max(tile)) > stands * 255 for tile in damp.tiles)


def _dry(ground: Ground) -> Pools:
    pages = ground.heights.pages
    rows, columns = pool_cells(pages.rows, pages.columns)
    flat = Pages.flat(rows, columns, "float32", 0.0)
    return Pools(flat, flat, flat, ground.heights.size)
