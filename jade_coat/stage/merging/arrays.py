"""Merges grids of numbers: paint by vertex or texel and channel, pages of grounds by tile and then by cell."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np

from jade_coat.ground.heights import Heights
from jade_coat.ground.pages import Pages, same_file, same_tile
from jade_coat.mesh.painting import Paint, PaintMap
from jade_coat.program.types import Array
from jade_coat.stage.merging.collisions import THEIRS, Choices, Place


def alike(*paints: Paint) -> bool:
    """Whether paints cover the same vertices or texels with the same channels."""
    return len({(len(p.tiles), p.count, p.channels, p.tiles[0].dtype.str) for p in paints}) == 1


def merged_paint(choices: Choices, place: Place, base: Paint, mine: Paint, theirs: Paint) -> Paint:
    """Paint with what either side changed, number by number; they must be alike."""
    theirs_first = choices.side(place) == THEIRS
    tiles: dict[int, Array] = {}
    count = 0
    for i, (b, m, t) in enumerate(zip(base.tiles, mine.tiles, theirs.tiles, strict=True)):
        if m is t or b is t or np.array_equal(b, t) or np.array_equal(m, t):
            continue
        own, other = m != b, t != b
        both = own & other & (m != t)
        count += int(both.any(axis=1).sum())
        tiles[i] = np.where(other & ~own | (both if theirs_first else False), t, m)
    if count:
        choices.collide(place, base, mine, theirs, count)
    return mine.replaced(tiles) if tiles else mine


def merged_map(choices: Choices, place: Place, base: PaintMap, mine: PaintMap, theirs: PaintMap) -> PaintMap | None:
    """A painted map with what either side painted; None where the maps lie in different ways."""
    lie = {(m.side, m.uv_set, m.color_set, m.repeats, m.bits) for m in (base, mine, theirs)}
    if len(lie) > 1:
        return None
    return mine.with_paint(merged_paint(choices, place, base.paint, mine.paint, theirs.paint))


def merged_heights(choices: Choices, place: Place, base: Heights, mine: Heights, theirs: Heights) -> Heights | None:
    """Heights with what either side shaped; None where the grounds are of different sizes."""
    if len({(h.pages.rows, h.pages.columns, h.size) for h in (base, mine, theirs)}) > 1:
        return None
    grids = [{"": h.pages} for h in (base, mine, theirs)]
    made = merged_grids(choices, place, grids[0], grids[1], grids[2], lambda: (base, mine, theirs))[""]
    return mine if made is mine.pages else mine.with_pages(made)


def merged_grids(
    choices: Choices, place: Place, base: Mapping[str, Pages], mine: Mapping[str, Pages], theirs: Mapping[str, Pages],
    told: Callable[[], tuple[Any, Any, Any]],
) -> dict[str, Pages]:  # fmt: skip
    """Several grids of one size that belong together, such as the weights of layers, which share each cell out.

    A cell that both sides changed is taken whole from one of them. `told` gives what is told of a collision.
    """
    theirs_first = choices.side(place) == THEIRS
    names = [*mine]
    made = {name: list(mine[name].tiles) for name in names}
    count = 0
    first = mine[names[0]]
    for i in range(len(first.tiles)):
        held = {name: (base[name].tiles[i], mine[name].tiles[i], theirs[name].tiles[i]) for name in names}
        if all(same_tile(m, t) for _, m, t in held.values()) or all(same_tile(b, t) for b, _, t in held.values()):
            continue
        if all(same_tile(b, m) for b, m, _ in held.values()):
            for name, (_, _, t) in held.items():
                made[name][i] = t
            continue
        count += _cell_by_cell(i, first, held, made, theirs_first)
    if count:
        choices.collide(place, *told(), count)
    return {
        name: mine[name] if all(a is b for a, b in zip(tiles, mine[name].tiles, strict=True))
        else Pages(mine[name].rows, mine[name].columns, mine[name].dtype, tuple(tiles))
        for name, tiles in made.items()
    }  # fmt: skip


def _cell_by_cell(
    i: int, pages: Pages, held: Mapping[str, tuple[Any, Any, Any]], made: dict[str, list[Any]], theirs_first: bool
) -> int:
    """Merge one tile of all grids; how many cells both sides changed to something else."""
    top, bottom, left, right = pages.rect(i)
    shape = (bottom - top, right - left)
    own, other, differ = (np.zeros(shape, bool) for _ in range(3))
    for b, m, t in held.values():
        own |= np.broadcast_to((not same_file(m, b)) | np.not_equal(m, b), shape)
        other |= np.broadcast_to((not same_file(t, b)) | np.not_equal(t, b), shape)
        differ |= np.broadcast_to(np.not_equal(m, t), shape)
    both = own & other & differ
    take = other & ~own | (both if theirs_first else np.zeros(shape, bool))
    for name, (_, m, t) in held.items():
        if take.all():
            made[name][i] = t
        elif take.any() and not same_tile(m, t):
            mixed = np.where(take, t, m).astype(_type_of(pages, m, t))
            mixed.flags.writeable = False
            alone = (mixed == mixed.flat[0]).all()
            made[name][i] = mixed.flat[0].item() if alone else mixed
    return int(both.sum())


def _type_of(pages: Pages, *tiles: Any) -> str:
    """The type of the numbers in a tile."""
    return next((t.dtype.name for t in tiles if isinstance(t, np.ndarray)), pages.dtype)
