"""Rules that lay layers by what the land is like, in order; what was painted by hand stays over them."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from types import MappingProxyType
from typing import Literal

import cv2
import numpy as np

from jade_coat.ground.heights import Heights
from jade_coat.ground.pages import Pages
from jade_coat.ground.paths import GroundPath, off_paths_on, parts_of
from jade_coat.ground.relief import aspect, curvature, slope
from jade_coat.ground.stroke import FULL, bumps, shared_out
from jade_coat.material.fields import Bounded, field, option
from jade_coat.material.where import MAP_READS, MapReading
from jade_coat.program.types import Array

Measure = Literal[
    "slope", "height", "hollow", "crest", "facing", "flow", "noise", "layer", "near", "props", "path", "map"
]  # fmt: skip
MEASURE_LABELS: dict[Measure, str] = {
    "slope": "how steep", "height": "how high", "hollow": "in hollows", "crest": "on crests",
    "facing": "which way it faces", "flow": "where water runs", "noise": "patches", "layer": "where a layer is",
    "near": "near a layer", "props": "near props", "path": "along a path", "map": "a map",
}  # fmt: skip
Side = Literal["in", "out"]
SIDE_LABELS: dict[Side, str] = {"in": "there", "out": "not there"}
OF_LAYER = ("layer", "near")
"""The measures that go by another layer."""
ACROSS = ("layer", "near", "props", "path", "map")
"""The measures that can be turned round."""
Picture = tuple[Array, float]
"""A map's numbers `(h, w)`, 0–1, and how many metres one tile of it spans; 0 where it lies once over all the ground."""


Laid = Literal["once", "tiled"]
LAID_LABELS: dict[Laid, str] = {"once": "over it all", "tiled": "by metres"}
READ_LABELS: dict[MapReading, str] = {name: name for name in MAP_READS}


class LayerRule(Bounded):
    """One rule: which layer it lays, by what of the land, between which values."""

    layer: str
    on: bool = True
    measure: Measure = option("slope", "By", "choice", MEASURE_LABELS)
    steep_from: float = field(0.0, "From", kind="angle", high=math.pi / 2, when=("measure", ("slope",)))
    steep_to: float = field(
        math.radians(20), "Up to", kind="angle", high=math.pi / 2, when=("measure", ("slope",)), hint="0° is level"
    )
    heights: tuple[float, float] = field(
        (0.0, 2.0), "Heights", kind="range", unit="m", low=-10000.0, high=10000.0, soft=(-5.0, 20.0),
        when=("measure", ("height",)),
    )  # fmt: skip
    towards: float = field(
        0.0, "Faces", kind="angle", low=-math.pi, high=math.pi, when=("measure", ("facing",)),
        hint="About the vertical, from +z towards +x",
    )  # fmt: skip
    spread: float = field(
        1.0, "Spread", kind="angle", low=0.05, high=math.pi, when=("measure", ("facing",)), hint="How far to each side"
    )
    scale: float = field(
        1.5, "Size", unit="m", low=0.05, high=1000.0, soft=(0.2, 30.0), logarithmic=True,
        when=("measure", ("hollow", "crest", "noise")), hint="Of hollows, crests or patches",
    )  # fmt: skip
    map_set: str = ""
    """The map set that it goes by, where its measure goes by one."""
    read: MapReading = option("mask", "Read", "choice", READ_LABELS, when=("measure", ("map",)))
    laid: Laid = option("once", "Laid", "choice", LAID_LABELS, when=("measure", ("map",)))
    tile: float = field(
        8.0, "Tile size", unit="m", low=0.05, high=10000.0, soft=(1.0, 100.0), logarithmic=True,
        when=("laid", ("tiled",)), hint="Metres that one tile of the map spans",
    )  # fmt: skip
    least: float = field(
        0.45, "From", when=("measure", ("hollow", "crest", "flow", "noise", "map")),
        hint="Less than this shows none of it",
    )  # fmt: skip
    other: str = ""
    """The layer that it goes by, where its measure goes by one."""
    path: str = ""
    """The path that it goes by, where its measure goes by one."""
    reach: float = field(
        1.0, "Within", unit="m", low=0.01, high=1000.0, soft=(0.1, 20.0), logarithmic=True,
        when=("measure", ("near", "props", "path")), hint="How near counts; of a path from its edge",
    )  # fmt: skip
    side: Side = option("in", "Lays it", "choice", SIDE_LABELS, when=("measure", ACROSS))
    soft: float = field(0.25, "Softness", low=0.01, hint="How soft its edges are")
    strength: float = field(1.0, "Strength", hint="How much of it is laid")

    def words(self) -> str:
        """What it goes by, in words."""
        if self.measure == "slope":
            return f"{math.degrees(self.steep_from):.0f}° to {math.degrees(self.steep_to):.0f}° steep"
        if self.measure == "height":
            return f"{self.heights[0]:.1f} to {self.heights[1]:.1f} m high"
        if self.measure == "map":
            return f"by a map's {self.read}"
        return MEASURE_LABELS[self.measure]


NOTHING: Mapping[str, Array] = MappingProxyType({})


def between(values: Array, low: float, high: float, soft: float) -> Array:
    """1 between two values, falling to 0 over `soft` of their span beyond each."""
    edge = max((high - low) * soft, 1e-6)
    return np.asarray(np.clip(np.minimum(values - low, high - values) / edge + 1, 0, 1))


def measured(
    rule: LayerRule, heights: Heights, rows: int, columns: int, painted: Mapping[str, Array] = NOTHING,
    clear: Array | None = None, picture: Picture | None = None, path: GroundPath | None = None,
) -> Array:  # fmt: skip
    """How much of its layer a rule lays in each cell of weights `(rows, columns)`, 0–1, before its strength.

    `painted` is what there is of layers, 0–1; `clear` how far each place is from the next prop, metres, on a grid of
    its own from edge to edge; `picture` and `path` the map and the path that it goes by, without which it lays nothing.
    """
    land, spacing = _land(heights, rows, columns)
    if rule.measure in ACROSS:
        if rule.measure == "map" and picture is None:
            return np.zeros((rows, columns))
        share = (
            _from(_spread(*picture, (rows, columns), spacing), rule) if rule.measure == "map" and picture is not None
            else _beside(rule, (rows, columns), spacing, painted, clear, path)
        )  # fmt: skip
        return share if rule.side == "in" else 1.0 - share
    if rule.measure == "slope":
        return between(slope(land, spacing), rule.steep_from, rule.steep_to, rule.soft)
    if rule.measure == "height":
        return between(land, *rule.heights, rule.soft)
    if rule.measure == "facing":
        off = np.angle(np.exp(1j * (aspect(land, spacing) - rule.towards)))
        lean = np.clip(slope(land, spacing) / math.radians(6), 0, 1)  # what is level faces no way
        return np.asarray(between(np.abs(off), -rule.spread, rule.spread, rule.soft) * lean)
    if rule.measure == "noise":
        z, x = np.mgrid[0:rows, 0:columns]
        return _from(bumps(x * spacing[0], z * spacing[1], rule.scale), rule)
    if rule.measure == "flow":
        from jade_coat.ground.flow import filled, spread  # slow to import, and only where water runs

        drained = spread(filled(land, 1e-5 * spacing[0]), spacing[0])
        return _from(np.log1p(drained) / math.log1p(land.size / 20), rule)
    smooth = cv2.GaussianBlur(land.astype(np.float32), (0, 0), max(rule.scale / 2 / min(spacing), 0.8)).astype(
        np.float64
    )
    bends = curvature(smooth, spacing) * (-1 if rule.measure == "hollow" else 1)
    return _from(bends * rule.scale * 4, rule)


def _beside(
    rule: LayerRule, shape: tuple[int, int], spacing: tuple[float, float], painted: Mapping[str, Array],
    clear: Array | None, path: GroundPath | None,
) -> Array:  # fmt: skip
    """How much a place is where a layer is, or near it, props or a path, 0–1; 0 everywhere where there is none."""
    if rule.measure == "path":
        if path is None or not path.lies:
            return np.zeros(shape)
        away = off_paths_on(parts_of([path]), shape, spacing, rule.reach)
    elif rule.measure == "props":
        if clear is None:
            return np.zeros(shape)
        away = cv2.resize(clear, shape[::-1], interpolation=cv2.INTER_LINEAR).astype(np.float64)
    else:
        own = painted.get(rule.other)
        if own is None:
            return np.zeros(shape)
        if rule.measure == "layer":
            return np.asarray(own)
        if not (own >= 0.5).any():
            return np.zeros(shape)
        step = math.sqrt(spacing[0] * spacing[1])
        away = cv2.distanceTransform((own < 0.5).astype(np.uint8), cv2.DIST_L2, cv2.DIST_MASK_PRECISE) * step
    return np.asarray(np.clip((rule.reach - away) / max(rule.reach * rule.soft, 1e-6), 0, 1))


def _spread(values: Array, tile: float, shape: tuple[int, int], spacing: tuple[float, float]) -> Array:
    """A map's numbers at the cells of weights: it lies once from edge to edge, or tile by tile of so many metres.

    What is finer than cells is averaged over them.
    """
    rows, columns = shape
    values = np.ascontiguousarray(values, np.float32)
    if tile <= 0:
        shrinks = values.shape[0] > rows or values.shape[1] > columns
        way = cv2.INTER_AREA if shrinks else cv2.INTER_LINEAR
        return np.asarray(cv2.resize(values, (columns, rows), interpolation=way), np.float64)
    cells = tuple(max(min(round(tile / s), n), 1) for s, n in zip(spacing[::-1], values.shape, strict=True))
    small = np.asarray(cv2.resize(values, cells[::-1], interpolation=cv2.INTER_AREA)).reshape(cells)
    z, x = np.mgrid[0:rows, 0:columns]
    at = np.stack([z * (spacing[1] / tile * cells[0]) - 0.5, x * (spacing[0] / tile * cells[1]) - 0.5])
    from scipy.ndimage import map_coordinates  # slow to import, and only where a rule goes by a map

    return np.asarray(map_coordinates(small, at, order=1, mode="grid-wrap"), np.float64)


def _from(values: Array, rule: LayerRule) -> Array:
    return np.asarray(np.clip((values - rule.least) / max(rule.soft, 1e-3), 0, 1))


def _land(heights: Heights, rows: int, columns: int) -> tuple[Array, tuple[float, float]]:
    """The heights at the cells of weights, and metres from cell to cell."""
    at_x, at_z = np.linspace(0, heights.size[0], columns), np.linspace(0, heights.size[1], rows)
    places = np.stack(np.meshgrid(at_x, at_z), axis=-1).reshape(-1, 2)
    return heights.at(places).reshape(rows, columns), (heights.size[0] / (columns - 1), heights.size[1] / (rows - 1))


def run(
    rules: Sequence[LayerRule], heights: Heights, weights: Mapping[str, Pages], sharing: Sequence[str],
    by_hand: Pages | None, clear: Array | None = None,
    pictures: Callable[[LayerRule], Picture | None] = lambda rule: None, paths: Sequence[GroundPath] = (),
) -> dict[str, Pages]:  # fmt: skip
    """The weights of all layers that rules lay or make room in, from the first of `sharing` everywhere.

    The rules that are on run in order; one that goes by another layer sees what those before it laid. `clear` is how
    far places are from props, as `measured` takes it, `pictures` gives the maps that rules go by, and `paths` are those
    of the ground. Where cells were painted by hand, as much of what was there stays as `by_hand` says, 0–255. The same
    rules give the same weights.
    """
    pages = next(iter(weights.values()))
    rows, columns = pages.rows, pages.columns
    laid = {rule.layer for rule in rules if rule.layer in weights}
    if not laid:
        return {}
    touched = set(sharing) | laid if laid & set(sharing) else laid
    made = {name: np.full((rows, columns), float(FULL) if name == sharing[0] else 0.0) for name in touched}
    for rule in rules:
        if not rule.on or rule.layer not in made:
            continue
        painted: dict[str, Array] = {}
        if rule.measure in OF_LAYER and rule.other in weights:
            held = made.get(rule.other)
            painted[rule.other] = (weights[rule.other].whole().astype(float) if held is None else held) / FULL
        picture = pictures(rule) if rule.measure == "map" else None
        path = next((p for p in paths if p.id == rule.path), None)
        share = measured(rule, heights, rows, columns, painted, clear, picture, path) * rule.strength
        before = made[rule.layer]
        made[rule.layer] = before + (FULL - before) * share
        if rule.layer in sharing:
            made |= shared_out(made, sharing, rule.layer, made[rule.layer])
    kept = by_hand.whole()[...].astype(np.float64) / FULL if by_hand is not None else np.zeros((rows, columns))
    found = {}
    for name, values in made.items():
        now = np.rint(values + (weights[name].whole() - values) * kept).astype(np.uint8)
        found[name] = weights[name].with_values(0, 0, now)
    return found
