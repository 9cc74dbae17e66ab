"""Large grids of numbers in tiles: an edit copies what it touches, and a tile that is all alike is one number."""

from __future__ import annotations

import hashlib
import weakref
from collections.abc import Iterator
from dataclasses import dataclass
from functools import partial
from typing import Any

import numpy as np

from jade_coat.program.sending import SentBare
from jade_coat.program.types import Array

SIDE = 128
"""Cells along the edge of a tile."""
Rect = tuple[int, int, int, int]
"""Rows from and up to, columns from and up to."""


class LostTile(float):
    """One number in the place of a tile whose file could not be read; `key` names what should be there."""

    key: str

    def __new__(cls, value: float, key: str) -> LostTile:
        """What stands in for the tile in a file of paint/ that is called `key`."""
        made = super().__new__(cls, value)
        made.key = key
        return made

    def __getnewargs__(self) -> tuple[float, str]:  # type: ignore[override]
        return float(self), self.key


@dataclass(frozen=True, eq=False)
class Pages(SentBare):
    """A grid `(rows, columns)` of `float32` or `uint8` that never changes; copies share all tiles but those changed."""

    rows: int
    columns: int
    dtype: str
    tiles: tuple[Any, ...]
    """Row by row: arrays `(h, w)`, read-only, or one number for all of a tile (a `LostTile` where its file is away)."""

    @staticmethod
    def of(values: Array) -> Pages:
        """A grid with these values `(rows, columns)`."""
        made = Pages.flat(values.shape[0], values.shape[1], values.dtype.name, 0)
        return made.with_values(0, 0, values)

    @staticmethod
    def flat(rows: int, columns: int, dtype: str, value: float) -> Pages:
        """A grid that is the same all over."""
        across, down = _tiles(columns), _tiles(rows)
        return Pages(rows, columns, dtype, (np.dtype(dtype).type(value).item(),) * (across * down))

    def __eq__(self, other: object) -> bool:
        """Whether another grid has the same numbers; tiles that are shared are not looked at."""
        if not isinstance(other, Pages) or (self.rows, self.columns, self.dtype) != (
            other.rows, other.columns, other.dtype,
        ):  # fmt: skip
            return False
        return not self.changed_from(other)

    __hash__ = None  # type: ignore[assignment]

    @property
    def across(self) -> int:
        """How many tiles there are side by side."""
        return _tiles(self.columns)

    @property
    def nbytes(self) -> int:
        """What its own tiles take in memory."""
        return sum(t.nbytes for t in {id(t): t for t in self.tiles if isinstance(t, np.ndarray)}.values())

    def rect(self, tile: int) -> Rect:
        """Which cells a tile holds."""
        row, column = divmod(tile, self.across)
        top, left = row * SIDE, column * SIDE
        return top, min(top + SIDE, self.rows), left, min(left + SIDE, self.columns)

    def over(self, rect: Rect) -> Iterator[int]:
        """The numbers of the tiles that some cells lie in."""
        top, bottom, left, right = rect
        for row in range(max(top, 0) // SIDE, _tiles(min(bottom, self.rows))):
            for column in range(max(left, 0) // SIDE, _tiles(min(right, self.columns))):
                yield row * self.across + column

    def tile(self, number: int) -> Array:
        """A tile as an array `(h, w)`."""
        held = self.tiles[number]
        if isinstance(held, np.ndarray):
            return held
        top, bottom, left, right = self.rect(number)
        return np.full((bottom - top, right - left), held, self.dtype)

    def values(self, rect: Rect) -> Array:
        """Some cells as an array of their own; beyond the edge the nearest cell counts."""
        top, bottom, left, right = rect
        inner = (max(top, 0), min(bottom, self.rows), max(left, 0), min(right, self.columns))
        found = np.empty((max(inner[1] - inner[0], 0), max(inner[3] - inner[2], 0)), self.dtype)
        for number in self.over(inner):
            t, b, l, r = self.rect(number)  # noqa: E741
            y0, y1, x0, x1 = max(t, inner[0]), min(b, inner[1]), max(l, inner[2]), min(r, inner[3])
            held = self.tiles[number]
            part = held[y0 - t : y1 - t, x0 - l : x1 - l] if isinstance(held, np.ndarray) else held
            found[y0 - inner[0] : y1 - inner[0], x0 - inner[2] : x1 - inner[2]] = part
        if inner == rect:
            return found
        beyond = ((inner[0] - top, bottom - inner[1]), (inner[2] - left, right - inner[3]))
        return np.pad(found, beyond, mode="edge")

    def is_bare(self, rect: Rect) -> bool:
        """Whether all tiles that some cells lie in are wholly 0."""
        return all(not isinstance(self.tiles[i], np.ndarray) and self.tiles[i] == 0 for i in self.over(rect))

    def whole(self) -> Array:
        """All values `(rows, columns)`."""
        return self.values((0, self.rows, 0, self.columns))

    def sampled(self, places: Array) -> Array:
        """Values `(n,)` at places `(n, 2)`, column and row in cells, bilinear; only what lies round them is read."""
        if not len(places):
            return np.zeros(0)
        limit = np.array([self.columns - 1, self.rows - 1])
        column, row = places[:, 0], places[:, 1]
        low = np.clip(np.floor([column.min(), row.min()]).astype(int), 0, limit - 1)
        high = np.clip(np.floor([column.max(), row.max()]).astype(int) + 1, low + 1, limit)
        rect = (int(low[1]), int(high[1]) + 1, int(low[0]), int(high[0]) + 1)
        held = [self.tiles[i] for i in self.over(rect)]
        if not any(isinstance(t, np.ndarray) for t in held) and len(set(held)) == 1:
            return np.full(len(places), float(held[0]))
        from jade_coat.ground.kernels import bilinear  # slow to import; a start need not wait for it

        return np.asarray(bilinear(self.values(rect), places - low))

    def with_values(self, top: int, left: int, values: Array) -> Pages:
        """The grid with other values `(h, w)` from a row and a column on; they must lie within it."""
        height, width = values.shape
        if top < 0 or left < 0 or top + height > self.rows or left + width > self.columns:
            raise ValueError(f"{height} × {width} cells from {top}, {left} do not lie in {self.rows} × {self.columns}")
        tiles = list(self.tiles)
        for number in self.over((top, top + height, left, left + width)):
            t, b, l, r = self.rect(number)  # noqa: E741
            y0, y1, x0, x1 = max(t, top), min(b, top + height), max(l, left), min(r, left + width)
            made = np.array(self.tile(number))
            made[y0 - t : y1 - t, x0 - l : x1 - l] = values[y0 - top : y1 - top, x0 - left : x1 - left]
            tiles[number] = _kept(made, self.tiles[number])
        return Pages(self.rows, self.columns, self.dtype, tuple(tiles))

    def changed_from(self, other: Pages) -> list[int]:
        """The tiles that differ from those of a grid of the same size."""
        pairs = enumerate(zip(self.tiles, other.tiles, strict=True))
        return [i for i, (a, b) in pairs if not same_tile(a, b)]

    def changed_cells(self, other: Pages) -> list[Rect]:
        """Which cells differ from those of a grid of the same size: round those of each tile a rectangle."""
        found = []
        for number in self.changed_from(other):
            top, _, left, _ = self.rect(number)
            differs = self.tile(number) != other.tile(number)
            rows, columns = np.flatnonzero(differs.any(axis=1)), np.flatnonzero(differs.any(axis=0))
            found.append(
                (top + int(rows[0]), top + int(rows[-1]) + 1, left + int(columns[0]), left + int(columns[-1]) + 1)
            )
        return found

    def key(self, number: int) -> str:
        """A name for what a tile holds, of 24 hexadecimal digits; empty for one that is all alike."""
        held = self.tiles[number]
        return _key(held) if isinstance(held, np.ndarray) else held.key if isinstance(held, LostTile) else ""


_KEYS: dict[int, tuple[weakref.ref[Array], str]] = {}
"""The names of tiles that were asked for, while they are there: a save asks for those of all."""


def _key(tile: Array) -> str:
    known = _KEYS.get(id(tile))
    if known is not None and known[0]() is tile:
        return known[1]
    made = hashlib.sha256(f"{tile.dtype.name} {tile.shape}".encode() + tile.tobytes()).hexdigest()[:24]
    _KEYS[id(tile)] = (weakref.ref(tile, partial(_gone, id(tile))), made)
    return made


def _gone(number: int, _: object) -> None:
    _KEYS.pop(number, None)


def same_file(a: Any, b: Any) -> bool:
    """Whether two tiles are there both, or the same file is missing for both."""
    keys = [t.key if isinstance(t, LostTile) else "" for t in (a, b)]
    return keys[0] == keys[1]


def same_tile(a: Any, b: Any) -> bool:
    """Whether two tiles hold the same, or the same file is missing for both."""
    return a is b or (same_file(a, b) and np.array_equal(a, b))


def tile_key(tile: Array) -> str:
    """A name for what a tile holds, of 24 hexadecimal digits."""
    return _key(tile)


def _tiles(cells: int) -> int:
    return -(-cells // SIDE)


def _kept(made: Array, before: Any) -> Any:
    """A tile to keep: the one before where it holds the same, one number where all are alike."""
    if (made == made.flat[0]).all():
        return before if isinstance(before, LostTile) and before == made.flat[0] else made.flat[0].item()
    if isinstance(before, np.ndarray) and np.array_equal(made, before):
        return before
    made.flags.writeable = False
    return made
