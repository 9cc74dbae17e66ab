"""Scatter: which meshes grow or lie on a layer, how thickly, and where each piece of them stands.

Each piece follows from what lies at its own place alone: an edit moves nothing that is outside its reach. All places
are those of one even spread (`blue_noise`), thinned out where less grows.
"""

from __future__ import annotations

import math
import os
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from dataclasses import field as field_of
from functools import cache, partial
from typing import Literal

import cv2
import numpy as np

from jade_coat.ground import blue_noise
from jade_coat.ground.heights import Heights
from jade_coat.ground.pages import Pages
from jade_coat.ground.paths import GroundPath, off_paths, parts_of
from jade_coat.ground.pieces import Cell, Pieces
from jade_coat.ground.stroke import bumps
from jade_coat.ground.water import Pools
from jade_coat.material.fields import Bounded, Number, field, option
from jade_coat.material.stacking import GroundLayer
from jade_coat.program.types import Array

By = Literal["chance", "damp", "steep", "high", "size"]
BY_LABELS: dict[By, str] = {
    "chance": "by chance", "damp": "by damp", "steep": "by steepness", "high": "by height", "size": "by its size",
}  # fmt: skip
STEPS = 8
"""In how many steps a dial of its own follows what it goes by."""
MOST = 2_000_000
"""Pieces of one scatter; a thicker one is thinned to as many."""
FULL = 255.0
LEVEL = 0.2
"""On what rises by more a metre, puddles run off."""
Rect = tuple[float, float, float, float]
"""From and up to along x, then z, metres from a ground's corner."""
BATCH, MANY = 30_000, 4
"""Pieces that are worked out at once, or so, and from how many such batches on all processors are set to it."""
SAME = 0.002
"""Within how many metres a place counts as one that was taken out."""


class Scatter(Bounded):
    """One kind of pieces that is strewn over a layer of a ground: its mesh, how thickly, and how each stands."""

    id: str
    name: str
    layer: str
    """The layer that it grows on."""
    mesh: str
    variant: str = ""
    visible: bool = True
    density: float = field(1.0, "Density", unit="/m²", low=0.0005, high=400.0, soft=(0.02, 40.0), logarithmic=True,
                           group="Spread", hint="Pieces on a square metre that is all this layer")  # fmt: skip
    clumps: float = field(0.0, "In clumps", group="Spread", hint="0 is even, 1 leaves bare places between")
    clump: float = field(2.0, "Clump size", unit="m", low=0.05, high=500.0, soft=(0.3, 20.0), logarithmic=True,
                         group="Spread", hint="How far from clump to clump")  # fmt: skip
    seed: int = option(1, "Seed", "integer", low=0, high=9999, group="Spread")
    size: tuple[float, float] = field((0.8, 1.25), "Size", kind="range", low=0.01, high=100.0, soft=(0.2, 3.0),
                                      group="Each piece", hint="The smallest and the largest")  # fmt: skip
    turn: float = field(math.pi, "Turned", kind="angle", high=math.pi, group="Each piece",
                        hint="Up to how far about the upright, to both sides")  # fmt: skip
    tilt: float = field(math.radians(6), "Leans", kind="angle", high=math.pi / 2, group="Each piece",
                        hint="Up to how far out of the upright")  # fmt: skip
    follow: float = field(0.3, "Follows the slope", group="Each piece",
                          hint="0 stands upright, 1 square to the ground")  # fmt: skip
    sunk: float = field(0.0, "Sunk in", unit="m", low=-10.0, high=10.0, soft=(-0.1, 0.5), group="Each piece")
    steep_from: float = field(0.0, "Steep from", kind="angle", high=math.pi / 2, group="Where")
    steep_to: float = field(math.radians(50), "Steep up to", kind="angle", high=math.pi / 2, group="Where")
    heights: tuple[float, float] = field((-10000.0, 10000.0), "Heights", kind="range", unit="m", low=-10000.0,
                                         high=10000.0, soft=(-20.0, 50.0), group="Where")  # fmt: skip
    dry: float = field(1.0, "Keeps out of water", group="Where", hint="0 grows in puddles as well")
    clear: float = field(0.15, "From props", unit="m", high=100.0, soft=(0.0, 3.0), group="Where",
                         hint="How far it keeps from what stands there")  # fmt: skip
    off_paths: float = field(0.0, "From paths", unit="m", high=100.0, soft=(0.0, 3.0), group="Where",
                             hint="How far it keeps from the edge of paths; 0 takes no notice of them")  # fmt: skip
    by_paths: float = field(0.0, "Only by paths", unit="m", high=100.0, soft=(0.0, 5.0), group="Where",
                            hint="No farther than this from the edge of a path; 0 is anywhere")  # fmt: skip
    far: float = field(60.0, "Seen up to", unit="m", low=0.5, high=100000.0, soft=(5.0, 300.0), logarithmic=True,
                       group="From afar", hint="Where the last of it is gone; it thins out till there")  # fmt: skip
    cut_out: str = ""
    """The layer where none of it grows."""
    off: float = field(0.0, "From that layer", unit="m", high=100.0, soft=(0.0, 3.0), group="Where",
                       when=("cut_out", ()), hint="How far it keeps from where that layer lies")  # fmt: skip
    dial: str = ""
    """The dial of its finish that each piece has a value of its own for."""
    by: By = option("chance", "Goes", "choice", BY_LABELS, group="Dial of its own")
    low: Number = 0.0
    high: Number = 1.0
    """The values of the dial at both ends of what it goes by."""
    gone: tuple[tuple[float, float], ...] = ()
    """Places, metres from the ground's corner, whose pieces were taken out by hand."""


@dataclass(frozen=True)
class Footing:
    """What pieces stand on: the heights, the layers with what was painted of them, where the ground lies in the world
    (its corner and its foot), and the distance from props on a grid over it, metres, if any stand there."""

    heights: Heights
    layers: Sequence[GroundLayer]
    weights: Mapping[str, Pages]
    corner: tuple[float, float] = (0.0, 0.0)
    foot: float = 0.0
    clear: Array | None = None
    pools: Mapping[str, Pools] = field_of(default_factory=dict)
    """By damp layer, how water may stand in hollows."""
    lift: Callable[[Array], Array] | None = None
    """How far the layers lift the land at places `(n, 2)`, metres `(n,)`."""
    paths: Sequence[GroundPath] = ()


def side_of(scatter: Scatter) -> float:
    """How long the edge of a cell is, metres: a cell holds at most `COUNT / PARTS²` pieces."""
    return math.sqrt(blue_noise.COUNT / _dense(scatter)) / blue_noise.PARTS


def _dense(scatter: Scatter) -> float:
    """The density of the whole spread that this one is the beginning of: a power of 4 a square metre."""
    return float(4.0 ** math.ceil(math.log(scatter.density, 4.0) - 1e-9))


def cells_over(scatter: Scatter, size: tuple[float, float]) -> list[Cell]:
    """All cells that lie over a ground of a size, metres."""
    side = side_of(scatter)
    columns, rows = (max(math.ceil(s / side - 1e-9), 1) for s in size)
    return [(x, z) for z in range(rows) for x in range(columns)]


def cells_in(scatter: Scatter, size: tuple[float, float], rect: Rect) -> list[Cell]:
    """The cells that a rectangle (from and up to along x, then z, metres from the corner) touches."""
    side = side_of(scatter)
    across = [(int(max(a, 0) // side), int(min(b, s) // side)) for a, b, s in
              ((rect[0], rect[1], size[0]), (rect[2], rect[3], size[1]))]  # fmt: skip
    (x0, x1), (z0, z1) = across
    last = cells_over(scatter, size)[-1]
    return [(x, z) for z in range(z0, min(z1, last[1]) + 1) for x in range(x0, min(x1, last[0]) + 1)]


@cache
def _by_cell() -> tuple[Array, Array, Array]:
    """The tile's points by the part they lie in, `(n, 2)` in edges of a part, their ranks, and where each part begins.

    In each part those of the lowest rank come first.
    """
    points = blue_noise.tile() * blue_noise.PARTS
    part = np.floor(points).astype(np.int64) @ np.array([1, blue_noise.PARTS])
    order = np.argsort(part, kind="stable")
    ranks = (order + 0.5) / blue_noise.COUNT
    starts = np.searchsorted(part[order], np.arange(blue_noise.PARTS**2 + 1))
    return np.ascontiguousarray(points[order] % 1.0), ranks, starts.astype(np.int64)


def inside(places: Array, rects: Sequence[Rect]) -> Array:
    """Which places `(n, 2)` lie in any of some rectangles, `(n,) bool`, as told of places in 32 bits."""
    x, z = np.asarray(places, np.float32).T
    found = np.zeros(len(x), bool)
    for x0, x1, z0, z1 in rects:
        found |= (x >= x0) & (x <= x1) & (z >= z0) & (z <= z1)
    return found


def strewn(
    scatter: Scatter, footing: Footing, cells: Sequence[Cell], rects: Sequence[Rect] | None = None
) -> dict[Cell, Pieces]:
    """The pieces that stand in each of some cells; those in some rectangles alone, if any are given."""
    from concurrent.futures import ThreadPoolExecutor

    if not cells:
        return {}
    share = scatter.density / _dense(scatter) * _thinned(scatter, footing.heights.size)
    # In batches, each of which fits into a processor's own memory; many are shared out over processors.
    count = max(round(BATCH / (share * blue_noise.COUNT / blue_noise.PARTS**2 + 1)), 1)
    batches = [cells[i : i + count] for i in range(0, len(cells), count)]
    found: dict[Cell, Pieces] = {}
    strew = partial(_strewn, scatter, footing, share, rects)
    if len(batches) < MANY:
        made = [strew(b) for b in batches]
    else:
        with ThreadPoolExecutor(os.cpu_count()) as pool:
            made = list(pool.map(strew, batches))
    for part in made:
        found |= part
    return found


def _strewn(
    scatter: Scatter, footing: Footing, share: float, rects: Sequence[Rect] | None, cells: Sequence[Cell]
) -> dict[Cell, Pieces]:
    from jade_coat.ground.strew_kernels import fates, places_in, terrain  # slow to import

    points, ranks, starts = _by_cell()
    corners, size = np.array(cells, np.int64), np.array(footing.heights.size)
    at, number, cell = places_in(points, ranks, starts, corners, side_of(scatter), share, size, blue_noise.PARTS)
    if rects is not None:
        at, number, cell = _kept(inside(at, rects), at, number, cell)
    painted = _read(footing, scatter.layer, at)
    if scatter.layer != footing.layers[0].id:  # what is not painted there is left out early
        at, number, cell, painted = _kept(painted > 0, at, number, cell, painted)
    land = terrain(footing.heights.whole, np.array(footing.heights.spacing), at)
    rise = np.hypot(land[:, 1], land[:, 2])
    grows = ranks[number] < _growing(scatter, footing, at, painted, land) * share
    grows &= (rise >= math.tan(scatter.steep_from)) & (rise <= math.tan(scatter.steep_to))
    grows &= (land[:, 0] >= scatter.heights[0]) & (land[:, 0] <= scatter.heights[1])
    if scatter.gone:
        from scipy.spatial import cKDTree  # slow to import, and only where pieces were taken out

        grows &= cKDTree(np.array(scatter.gone)).query(at)[0] > SAME
    kept = np.flatnonzero(grows)
    chance = fates(corners, cell, number, kept, scatter.seed)
    pieces = _stood(scatter, footing, at, land, kept, chance, (ranks[number[kept]] / share).astype(np.float32))
    edges = np.searchsorted(cell[kept], np.arange(len(cells) + 1)).tolist()
    return {c: pieces.some(slice(a, b)) for c, a, b in zip(cells, edges[:-1], edges[1:], strict=True)}


def _kept(kept: Array, *columns: Array) -> tuple[Array, ...]:
    """Some rows of columns; the columns themselves where that is all."""
    return columns if kept.all() else tuple(c[kept] for c in columns)


def most_of(scatter: Scatter, size: tuple[float, float]) -> int:
    """How many pieces there are at the most on a ground of a size, metres: where its layer is everywhere."""
    return round(min(scatter.density * size[0] * size[1], MOST))


def _thinned(scatter: Scatter, size: tuple[float, float]) -> float:
    """What a scatter that could come to more than `MOST` is thinned by."""
    return min(MOST / max(scatter.density * size[0] * size[1], 1.0), 1.0)


def _stood(
    scatter: Scatter, footing: Footing, at: Array, land: Array, kept: Array, chance: Array, ranks: Array
) -> Pieces:
    """Pieces as they stand at those of some places `(n, 2)` that are `kept` `(k,)`; `chance` `(k, 6)` is what is random
    of each, 0–1."""
    from jade_coat.ground.strew_kernels import stood  # slow to import

    low, high = sorted(scatter.size)
    sizes = low * (high / low) ** chance[:, 0]
    world = np.array([footing.corner[0], footing.foot, footing.corner[1]])
    shape = np.array([scatter.turn, scatter.tilt, scatter.follow, scatter.sunk])
    up = footing.lift(at[kept]) if footing.lift is not None else np.zeros(0)
    matrices = stood(at, land, kept, up, sizes, chance, world, shape)
    span = max(footing.heights.high - footing.heights.low, 1e-6)
    measures: dict[By, Callable[[], Array]] = {
        "chance": lambda: chance[:, 4], "damp": lambda: _damp(footing, at[kept]),
        "steep": lambda: np.clip(np.arctan(np.hypot(*land[kept, 1:].T)) / math.radians(45), 0, 1),
        "high": lambda: (land[kept, 0] - footing.heights.low) / span,
        "size": lambda: np.log(sizes / low) / max(math.log(high / low), 1e-6),
    }  # fmt: skip
    goes = measures[scatter.by]()
    # Between two steps chance decides: a slow change shows no bands.
    steps = np.clip(np.floor(goes * (STEPS - 1) + chance[:, 5]), 0, STEPS - 1).astype(np.uint8)
    return Pieces(matrices, at[kept].astype(np.float32), chance[:, 4].astype(np.float32), steps, ranks)


def _growing(scatter: Scatter, footing: Footing, at: Array, painted: Array, land: Array) -> Array:
    """How much of a scatter grows at places `(n, 2)`, 0–1, by the layers, clumps, water and props.

    `painted` is how much of its own layer was painted there, `land` what `terrain` says of the places.
    """
    from jade_coat.ground.kernels import bilinear  # slow to import

    found = _share(footing, scatter.layer, at, painted)
    if scatter.cut_out and scatter.cut_out in footing.weights:
        found = found * (1 - _read(footing, scatter.cut_out, at))
        if scatter.off > 0:
            found = found * (_away(footing, scatter.cut_out, at, scatter.off) >= scatter.off)
    if scatter.clumps > 0:
        noise = bumps(at[:, 0] + scatter.seed * 17.0, at[:, 1], scatter.clump)
        # At full strength about half of the ground is bare.
        found = found * np.clip(1 - scatter.clumps * 1.6 * (0.72 - noise) / 0.44, 0, 1)
    if scatter.dry > 0 and any(s.way == "absolute" and s.role == "damp" for s in footing.layers):
        found = found * (1 - scatter.dry * _under_water(footing, at, land))
    if scatter.off_paths > 0 or scatter.by_paths > 0:
        reach = max(scatter.off_paths, scatter.by_paths) * 1.001
        away = off_paths(parts_of(footing.paths), at, reach)
        found = found * (away >= scatter.off_paths) * ((away <= scatter.by_paths) | (scatter.by_paths <= 0))
    if scatter.clear > 0 and footing.clear is not None:
        rows, columns = footing.clear.shape
        step = np.array(footing.heights.size) / (columns - 1, rows - 1)
        found = found * (bilinear(footing.clear, at / step) >= scatter.clear)
    return np.asarray(found)


def _share(footing: Footing, layer: str, at: Array, found: Array) -> Array:
    """How much there is of a layer at places `(n, 2)`, 0–1, beside and beneath the others; not led by heights.

    `found` is what was painted of it.
    """
    own = next(s for s in footing.layers if s.id == layer)
    if own.way == "absolute":
        return found
    if own.way == "shared":
        sharing = [s.id for s in footing.layers if s.way == "shared"]
        others = [_read(footing, s, at) for s in sharing if s != layer]
        total = sum(others, found)
        if layer == sharing[0]:
            found = np.where(total <= 0, 1.0, found)
        found = found / np.maximum(total, 1e-9) if others else np.ones(len(at))
        found = np.clip(found, 0, 1)
    above = footing.layers[footing.layers.index(own) + 1 :] if own.way == "over" else footing.layers
    for over in above:
        if over.way == "over":
            found = found * (1 - _read(footing, over.id, at))
    return np.asarray(found)


def _damp(footing: Footing, at: Array) -> Array:
    found = np.zeros(len(at))
    for layer in footing.layers:
        if layer.way == "absolute" and layer.role == "damp":
            found = np.maximum(found, _read(footing, layer.id, at))
    return found


def _under_water(footing: Footing, at: Array, land: Array) -> Array:
    """Where water may stand, at the most of the weather, `(n,) bool`: in a hollow, or on level ground that is damp."""
    found = np.zeros(len(at), bool)
    level = np.hypot(land[:, 1], land[:, 2]) < LEVEL
    for layer in footing.layers:
        if layer.way == "absolute" and layer.role == "damp":
            found |= level & (_read(footing, layer.id, at) > layer.stands)
            if layer.id in footing.pools:
                found |= footing.pools[layer.id].level(at, layer.stands) > land[:, 0]
    return found


def _read(footing: Footing, layer: str, at: Array) -> Array:
    """What was painted of a layer at places `(n, 2)`, 0–1."""
    pages = footing.weights[layer]
    step = np.array(footing.heights.size) / (pages.columns - 1, pages.rows - 1)
    return np.asarray(pages.sampled(at / step) / FULL)


def _away(footing: Footing, layer: str, at: Array, reach: float) -> Array:
    """How far places `(n, 2)` are from where a layer was painted by half or more, metres; as far as `reach` asks."""
    from jade_coat.ground.kernels import bilinear  # slow to import

    pages = footing.weights[layer]
    step = np.array(footing.heights.size) / (pages.columns - 1, pages.rows - 1)
    if not len(at):
        return np.zeros(0)
    edge = np.ceil(reach / step).astype(int) + 1
    limit = np.array([pages.columns, pages.rows])
    low = np.clip(np.floor(at.min(axis=0) / step).astype(int) - edge, 0, limit - 2)
    high = np.clip(np.ceil(at.max(axis=0) / step).astype(int) + edge + 1, low + 2, limit)
    bare = pages.values((int(low[1]), int(high[1]), int(low[0]), int(high[0]))) < FULL / 2
    if bare.all():
        return np.full(len(at), np.inf)
    cells = cv2.distanceTransform(bare.astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE)
    return np.asarray(bilinear(cells, at / step - low) * step.mean())


def values_of(scatter: Scatter) -> list[Number]:
    """The values that the dial of its own has in each step."""
    low, high = np.atleast_1d(scatter.low).astype(float), np.atleast_1d(scatter.high).astype(float)
    rows = [low + (high - low) * i / (STEPS - 1) for i in range(STEPS)]
    return [tuple(float(v) for v in r) if len(r) > 1 else float(r[0]) for r in rows]


def without(scatter: Scatter, places: Array) -> Scatter:
    """The scatter with the pieces at some places `(n, 2)` taken out."""
    more = tuple((float(x), float(z)) for x, z in places)
    made: Scatter = scatter.with_(gone=(*scatter.gone, *more))
    return made
