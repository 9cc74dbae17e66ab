"""Grounds: terrains of heights with layers on them, and the materials that their parts wear."""

from __future__ import annotations

import math
from typing import Annotated, Any

from pydantic import BeforeValidator, ConfigDict, Field, PlainSerializer, model_validator

from jade_coat.ground.heights import Heights
from jade_coat.ground.pages import Pages
from jade_coat.ground.paths import GroundPath
from jade_coat.ground.rules import LayerRule
from jade_coat.ground.scatter import Scatter
from jade_coat.ground.synthesis import Land
from jade_coat.material.fields import Bounded, Frozen, field
from jade_coat.material.stacking import GroundLayer
from jade_coat.stage.things import Thing

MOST_LAYERS = 64
MOST_SCATTERS = 64
MOST_PATHS = 64
WEIGHT_SIDES = (17, 4097)
"""Fewest and most cells of the weights along an edge."""
FULL = 255
"""The weight that counts as 1."""
PAGE_TEXEL = 47
"""Bytes that a texel of the pages takes with all its levels, and its depth."""
PAGE_TILE, MOST_PAGE = 256, 4096
"""Texels along the edge of what is filled at once, and of all pages at the most."""
TileName = str | float


class StoredPages(Frozen):
    """Pages as project.json names them: each tile a file under pages/, or the number that all of it is."""

    rows: int = Field(ge=1, le=16384)
    columns: int = Field(ge=1, le=16384)
    tiles: tuple[TileName, ...]


class StoredHeights(Frozen):
    """Heights as project.json names them, and how large they lie, metres."""

    pages: StoredPages
    size: tuple[float, float]


def stored_pages(pages: Pages) -> StoredPages:
    """What project.json says of pages."""
    tiles = tuple(pages.key(i) or float(pages.tiles[i]) for i in range(len(pages.tiles)))
    return StoredPages(rows=pages.rows, columns=pages.columns, tiles=tiles)


def _pages(value: Any) -> Any:
    return value if isinstance(value, (Pages, StoredPages)) else StoredPages.model_validate(value)


def _heights(value: Any) -> Any:
    return value if isinstance(value, (Heights, StoredHeights)) else StoredHeights.model_validate(value)


def _told_pages(value: Any) -> Any:
    return (stored_pages(value) if isinstance(value, Pages) else value).model_dump()


def _told_heights(value: Any) -> Any:
    if isinstance(value, Heights):
        value = StoredHeights(pages=stored_pages(value.pages), size=value.size)
    return value.model_dump()


PagesField = Annotated[Any, BeforeValidator(_pages), PlainSerializer(_told_pages, return_type=dict[str, Any])]
HeightsField = Annotated[Any, BeforeValidator(_heights), PlainSerializer(_told_heights, return_type=dict[str, Any])]


class Baking(Bounded):
    """Whether a ground's still parts are drawn from pages that are filled once, and how much these may take."""

    beyond: float = field(
        0.0, "Baked beyond", unit="m", high=100000.0, soft=(0.0, 100.0),
        hint="Parts farther from the eye are read from pages; 0 is never",
    )  # fmt: skip
    memory: float = field(
        96.0,
        "Pages take",
        unit="MB",
        low=4.0,
        high=1024.0,
        soft=(16.0, 400.0),
        hint="On the graphics card",
    )

    @property
    def side(self) -> int:
        """Texels along the edge of the pages."""
        side = int(math.sqrt(self.memory * 1e6 / PAGE_TEXEL)) // PAGE_TILE * PAGE_TILE
        return min(max(side, PAGE_TILE), MOST_PAGE)


class Ground(Thing):
    """A terrain. The first of its layers is what is there where nothing is painted; it shares a place out.

    Its heights lie round `middle`, where it stands in the world along x and z, and `foot` metres up.
    """

    model_config = ConfigDict(
        frozen=True, extra="forbid", allow_inf_nan=False, arbitrary_types_allowed=True, defer_build=True
    )

    middle: tuple[float, float] = (0.0, 0.0)
    foot: float = 0.0
    heights: HeightsField
    layers: tuple[GroundLayer, ...] = Field(min_length=1, max_length=MOST_LAYERS)
    weights: dict[str, PagesField] = Field(default_factory=dict)
    """What was painted of each layer, by its id: `uint8`, all of one size."""
    rules: tuple[LayerRule, ...] = ()
    """By which layers are laid, in order, before what is painted by hand."""
    by_hand: PagesField | None = None
    """How far weights were painted by hand, `uint8`, of their size: rules leave that as it is."""
    scatter: tuple[Scatter, ...] = Field(default=(), max_length=MOST_SCATTERS)
    """What grows and lies on its layers."""
    paths: tuple[GroundPath, ...] = Field(default=(), max_length=MOST_PATHS)
    """Curves over it that rules and scatters go by."""
    baking: Baking = Baking()
    land: Land | None = None
    """What its heights were made from, if from numbers."""

    @model_validator(mode="after")
    def _consistent(self) -> Ground:
        ids = [layer.id for layer in self.layers]
        if len(set(ids)) != len(ids):
            raise ValueError(f"{self.name}: the ids of layers must be unique, got {ids}")
        if self.layers[0].way != "shared":
            raise ValueError(f"{self.name}: its first layer must be one that shares places out")
        if set(self.weights) != set(ids):
            raise ValueError(f"{self.name}: every layer has weights of its own, and nothing else")
        sizes = {(p.rows, p.columns) for p in self.weights.values()}
        if len(sizes) > 1:
            raise ValueError(f"{self.name}: the weights of all layers must be of one size, got {sorted(sizes)}")
        low, high = WEIGHT_SIDES
        if any(not low <= n <= high for size in sizes for n in size):
            raise ValueError(f"{self.name}: weights have {low} to {high} cells along an edge, got {sorted(sizes)}")
        known = set(ids)
        if any(rule.layer not in known for rule in self.rules):
            raise ValueError(f"{self.name}: a rule lays a layer that is not there")
        kinds = [s.id for s in self.scatter]
        if len(set(kinds)) != len(kinds):
            raise ValueError(f"{self.name}: the ids of scatters must be unique, got {kinds}")
        named = [p.id for p in self.paths]
        if len(set(named)) != len(named):
            raise ValueError(f"{self.name}: the ids of paths must be unique, got {named}")
        if any(s.layer not in known for s in self.scatter):
            raise ValueError(f"{self.name}: something grows on a layer that is not there")
        if self.by_hand is not None and (self.by_hand.rows, self.by_hand.columns) not in sizes:
            raise ValueError(f"{self.name}: what is painted by hand must be of the size of the weights")
        return self

    @property
    def corner(self) -> tuple[float, float]:
        """Where its first sample lies in the world along x and z."""
        return self.middle[0] - self.heights.size[0] / 2, self.middle[1] - self.heights.size[1] / 2

    @property
    def weight_cells(self) -> tuple[int, int]:
        """Columns and rows of the weights."""
        pages = next(iter(self.weights.values()))
        return pages.columns, pages.rows

    @property
    def pages(self) -> list[Pages]:
        """All pages it holds."""
        own = [self.by_hand] if self.by_hand is not None else []
        return [self.heights.pages, *self.weights.values(), *own]

    @property
    def sharing(self) -> tuple[str, ...]:
        """The ids of the layers that share places out, in order."""
        return tuple(layer.id for layer in self.layers if layer.way == "shared")

    def layer(self, wanted: str) -> GroundLayer:
        """The layer with this id. Raises KeyError."""
        for layer in self.layers:
            if layer.id == wanted:
                return layer
        raise KeyError(f"{self.name} has no layer {wanted!r}")

    def scattered(self, wanted: str) -> Scatter:
        """The scatter with this id. Raises KeyError."""
        for scatter in self.scatter:
            if scatter.id == wanted:
                return scatter
        raise KeyError(f"{self.name} has no scatter {wanted!r}")

    def path(self, wanted: str) -> GroundPath:
        """The path with this id. Raises KeyError."""
        for path in self.paths:
            if path.id == wanted:
                return path
        raise KeyError(f"{self.name} has no path {wanted!r}")

    def with_layer(self, new: GroundLayer) -> Ground:
        """The ground with another layer in the place of the one of its id."""
        made: Ground = self.with_(layers=tuple(new if layer.id == new.id else layer for layer in self.layers))
        return made


def new_ground(ground_id: str, name: str, heights: Heights, first: GroundLayer, cells: int = 257) -> Ground:
    """A ground that is flooded with its first layer."""
    across, along = heights.size
    columns, rows = cells, max(round((cells - 1) * along / across) + 1, WEIGHT_SIDES[0])
    flood = Pages.flat(min(rows, WEIGHT_SIDES[1]), columns, "uint8", FULL)
    return Ground(id=ground_id, name=name, heights=heights, layers=(first,), weights={first.id: flood})
