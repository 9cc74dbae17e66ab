"""Paint: channels of numbers in immutable tiles, on a mesh's vertices or on a map."""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from jade_coat.maps.images import png_bytes
from jade_coat.material.paint_source import MapSource
from jade_coat.mesh.data import MAX_COLOR_SETS, MeshData
from jade_coat.program.sending import SentBare
from jade_coat.program.types import Array

TILE = 4096
"""Entries in a tile: vertices, or texels of a square of a map."""
MAP_SIDES = (16, 32, 64, 128, 256, 512, 1024, 2048, 4096, 8192)
TILE_SIDE = 64
"""Texels along a map's tile, or the map's own side where that is smaller."""


@dataclass(frozen=True, eq=False)
class Paint(SentBare):
    """Values `(n, channels) uint16` or `uint8` as read-only tiles; an edit shares every tile it does not touch.

    On vertices there are four channels for each colour set that the paint covers, the first set first.
    """

    tiles: tuple[Array, ...]

    @staticmethod
    def of(values: Array) -> Paint:
        """Paint with these values `(n, channels)`; whatever is not `uint8` becomes `uint16`."""
        values = np.ascontiguousarray(values, np.uint8 if values.dtype == np.uint8 else np.uint16)
        tiles: list[Array] = []
        for i in range(0, len(values), TILE):
            tile = values[i : i + TILE]
            if tiles and np.array_equal(tiles[-1], tile):
                tiles.append(tiles[-1])  # even paint is one tile many times over
                continue
            tiles.append(tile.copy())
            tiles[-1].flags.writeable = False
        return Paint(tuple(tiles))

    @property
    def count(self) -> int:
        """How many vertices or texels are covered."""
        return sum(len(t) for t in self.tiles)

    @property
    def channels(self) -> int:
        """How many channels there are."""
        return int(self.tiles[0].shape[1])

    @property
    def full(self) -> int:
        """The value that counts as 1."""
        return int(np.iinfo(self.tiles[0].dtype).max)

    @property
    def nbytes(self) -> int:
        """What it takes on the graphics card; tiles that are shared here are not shared there."""
        return sum(t.nbytes for t in self.tiles)

    def whole(self) -> Array:
        """All values `(n, channels)`."""
        return np.concatenate(self.tiles)

    def color_set(self, index: int) -> Array | None:
        """The four channels of a colour set, `(n, 4)`; None when the paint does not cover it."""
        return self.whole()[:, 4 * index : 4 * index + 4] if 4 * index < self.channels else None

    def at(self, entries: Array) -> Array:
        """The values `(k, channels)` of some vertices or texels."""
        entries = np.asarray(entries, np.int64)
        found = np.empty((len(entries), self.channels), self.tiles[0].dtype)
        owner = (entries // TILE).astype(np.uint16)  # few bits: sorted by counting
        order = np.argsort(owner, kind="stable")
        for run in np.split(order, np.flatnonzero(np.diff(owner[order])) + 1):
            if len(run):
                tile = int(owner[run[0]])
                found[run] = self.tiles[tile][entries[run] - tile * TILE]
        return found

    def replaced(self, tiles: dict[int, Array]) -> Paint:
        """Paint with some tiles exchanged."""
        for tile in tiles.values():
            tile.flags.writeable = False
        return Paint(tuple(tiles.get(i, t) for i, t in enumerate(self.tiles)))

    def sharing(self, before: Paint) -> Paint:
        """The same paint, with the tiles of `before` wherever they hold the same."""
        if len(before.tiles) != len(self.tiles):
            return self
        pairs = zip(before.tiles, self.tiles, strict=True)
        return Paint(tuple(a if a.dtype == b.dtype and np.array_equal(a, b) else b for a, b in pairs))

    def changed_tiles(self, other: Paint) -> list[int]:
        """The indices of tiles that are not the same object in both."""
        if len(self.tiles) != len(other.tiles):
            return list(range(len(self.tiles)))
        return [i for i, (a, b) in enumerate(zip(self.tiles, other.tiles, strict=True)) if a is not b]

    @cached_property
    def key(self) -> str:
        """A content hash."""
        known: dict[int, bytes] = {}  # an untouched map is one tile many times over
        digest = hashlib.sha256(f"{self.tiles[0].dtype} {self.channels}".encode())
        for tile in self.tiles:
            if id(tile) not in known:
                known[id(tile)] = hashlib.sha256(tile.tobytes()).digest()
            digest.update(known[id(tile)])
        return digest.hexdigest()[:24]

    def __eq__(self, other: object) -> bool:
        if self is other:
            return True
        same_shape = isinstance(other, Paint) and len(other.tiles) == len(self.tiles)
        return same_shape and all(
            a is b or (a.dtype == b.dtype and np.array_equal(a, b))
            for a, b in zip(self.tiles, other.tiles, strict=True)  # type: ignore[attr-defined]
        )

    __hash__ = object.__hash__


def shown_paint(mesh: MeshData, paint: Paint | None, sets: int = 1) -> Paint:
    """A prop's paint (its own, or the mesh's) over at least the first `sets` colour sets; sets nobody has are 0."""
    have = paint.channels // 4 if paint is not None else 0
    if paint is not None and have >= sets:
        return paint
    if not 0 < sets <= MAX_COLOR_SETS:
        raise ValueError(f"a mesh has at most {MAX_COLOR_SETS} colour sets")
    own = [paint.whole()] if paint is not None else []
    empty = np.zeros((mesh.vertex_count, 4), np.uint16)
    more = [mesh.colors[i] if i < len(mesh.colors) else empty for i in range(have, sets)]
    return Paint.of(np.concatenate([*own, *more], axis=1))


@dataclass(frozen=True)
class PaintMap(SentBare):
    """Paint on a square map instead of on vertices: it stands in for a colour set wherever materials read that.

    `paint` holds the texels in tiles of `TILE_SIDE` squared, row by row of tiles; `uv_set` says how the map lies. One
    that does not repeat ends at the edges of the square.
    """

    side: int
    uv_set: int
    paint: Paint
    color_set: int = 0
    repeats: bool = False

    def __post_init__(self) -> None:
        if self.side not in MAP_SIDES or self.paint.count != self.side**2 or self.paint.channels != 4:
            raise ValueError(f"a paint map has a side of {MAP_SIDES[0]} to {MAP_SIDES[-1]}, a power of two")

    @staticmethod
    def even(side: int, bits: int, uv_set: int, color_set: int = 0, repeats: bool = False) -> PaintMap:
        """A map with no paint; it takes the room of one tile until it is painted."""
        kind = {8: np.uint8, 16: np.uint16}[bits]
        edge = min(side, TILE_SIDE)
        tile = np.zeros((edge * edge, 4), kind)
        tile.flags.writeable = False
        return PaintMap(side, uv_set, Paint((tile,) * (side // edge) ** 2), color_set, repeats)

    @staticmethod
    def of_picture(picture: Array, uv_set: int, color_set: int = 0, repeats: bool = False) -> PaintMap:
        """A map from a picture `(side, side, 4) uint8` or `uint16`, top row first."""
        side, edge = len(picture), min(len(picture), TILE_SIDE)
        n = side // edge
        tiles = picture.reshape(n, edge, n, edge, 4).transpose(0, 2, 1, 3, 4).reshape(n * n, edge * edge, 4)
        made = [np.ascontiguousarray(t) for t in tiles]
        for tile in made:
            tile.flags.writeable = False
        return PaintMap(side, uv_set, Paint(tuple(made)), color_set, repeats)

    @property
    def bits(self) -> int:
        """Bits in a channel, 8 or 16."""
        return self.paint.tiles[0].dtype.itemsize * 8

    @property
    def source(self) -> MapSource:
        """How materials read it."""
        return MapSource(self.uv_set, self.color_set, 0 if self.repeats else self.side)

    @property
    def tile_side(self) -> int:
        """Texels along a tile."""
        return min(self.side, TILE_SIDE)

    def with_paint(self, paint: Paint) -> PaintMap:
        """The same map with other paint."""
        return replace(self, paint=paint)

    def picture(self) -> Array:
        """The whole map `(side, side, 4)`, top row first."""
        edge, n = self.tile_side, self.side // self.tile_side
        tiles = np.stack(self.paint.tiles).reshape(n, n, edge, edge, 4)
        return np.ascontiguousarray(tiles.transpose(0, 2, 1, 3, 4).reshape(self.side, self.side, 4))

    @cached_property
    def png(self) -> bytes:
        """The map as a PNG file; a large one takes seconds, so ask in the background."""
        return png_bytes(self.picture())

    def corner(self, tile: int) -> tuple[int, int]:
        """The column and row of a tile's first texel."""
        n = self.side // self.tile_side
        return (tile % n) * self.tile_side, (tile // n) * self.tile_side

    def entries(self, column: Array, row: Array) -> Array:
        """The entry in the paint of each texel; the map repeats."""
        edge, n = self.tile_side, self.side // self.tile_side
        x, y = np.asarray(column) % self.side, np.asarray(row) % self.side
        return np.asarray(((y // edge) * n + x // edge) * edge * edge + (y % edge) * edge + x % edge)

    def sampled(self, uv: Array) -> Array:
        """The filtered values at UVs `(n, 2)`, from 0 to 1, `(n, 4) float64`: bilinear, as the view reads them."""
        at = np.asarray(uv, np.float64) * self.side - 0.5
        if not self.repeats:
            at = np.clip(at, 0, self.side - 1)
        low = np.floor(at).astype(np.int64)
        fx, fy = (at - low).T[..., None]
        x, y = low.T
        edge2 = self.tile_side**2
        corners = []
        for dy in (0, 1):
            for dx in (0, 1):
                entry = self.entries(x + dx, y + dy)
                # a tile of a small map is shorter than TILE, and then the only one
                corners.append(self.paint.at(entry if edge2 == TILE else entry % edge2).astype(np.float64))
        top = corners[0] + (corners[1] - corners[0]) * fx
        bottom = corners[2] + (corners[3] - corners[2]) * fx
        return np.asarray((top + (bottom - top) * fy) / self.paint.full)


def lies_in_square(mesh: MeshData, uv_set: int) -> bool:
    """Whether a UV set stays within 0–1, so that a map laid by it need not repeat."""
    uv = mesh.uv(uv_set)
    return bool(uv.min() > -1e-4 and uv.max() < 1 + 1e-4)
