"""Trees of the history with their paint compressed: what lies far behind takes little room, and comes back whole."""

from __future__ import annotations

import weakref
import zlib
from dataclasses import dataclass

import numpy as np

from jade_coat.mesh.painting import Paint, PaintMap
from jade_coat.program.types import Array
from jade_coat.stage.project import Project

LEVEL = 1
"""zlib's fastest: paint is smooth, and half is gained at once."""


@dataclass(frozen=True, eq=False)
class PackedTile:
    """One tile, compressed."""

    data: bytes
    dtype: str
    shape: tuple[int, ...]

    def whole(self) -> Array:
        """The tile as it was, read-only."""
        return np.frombuffer(zlib.decompress(self.data), self.dtype).reshape(self.shape)


@dataclass(frozen=True, eq=False)
class PackedTree:
    """A project without the paint of some props, and that paint in packed tiles."""

    lean: Project
    vertices: dict[str, tuple[PackedTile, ...]]
    maps: dict[str, tuple[PaintMap, tuple[PackedTile, ...]]]
    """The map's settings, with another map's texels, and its own."""

    def whole(self) -> Project:
        """The project as it was."""
        props = {i: self.lean.prop(i) for i in (*self.vertices, *self.maps)}
        for i, tiles in self.vertices.items():
            props[i] = props[i].with_(paint=_unpacked(tiles))
        for i, (empty, tiles) in self.maps.items():
            props[i] = props[i].with_(paint_map=empty.with_paint(_unpacked(tiles)))
        return self.lean.with_things("props", *props.values())

    @property
    def nbytes(self) -> int:
        """Bytes of all distinct packed tiles."""
        tiles = {
            id(t): len(t.data)
            for group in (*self.vertices.values(), *(t for _, t in self.maps.values()))
            for t in group
        }
        return sum(tiles.values())


class TilePacker:
    """Packs trees; a tile that several of them share is packed once. For use by one thread at a time."""

    def __init__(self) -> None:
        self._known: dict[int, tuple[weakref.ref[Array], PackedTile]] = {}

    def pack(self, project: Project, beside: Project) -> PackedTree:
        """A tree with the paint packed of those props that are not the same in the tree `beside`, the next one."""
        vertices: dict[str, tuple[PackedTile, ...]] = {}
        maps: dict[str, tuple[PaintMap, tuple[PackedTile, ...]]] = {}
        props = []
        for twin, prop in project.props.changed_from(beside.props):
            if prop is None:
                continue
            lean = prop
            if isinstance(prop.paint, Paint) and (twin is None or twin.paint is not prop.paint):
                vertices[prop.id] = self._packed(prop.paint)
                lean = lean.with_(paint=None)
            found = prop.paint_map
            if isinstance(found, PaintMap) and (twin is None or twin.paint_map is not found):
                empty = PaintMap.even(found.side, found.bits, found.uv_set, found.color_set, found.repeats)
                maps[prop.id] = (empty, self._packed(found.paint))
                lean = lean.with_(paint_map=None)
            props.append(lean)
        self._known = {i: entry for i, entry in self._known.items() if entry[0]() is not None}
        return PackedTree(project.with_things("props", *props), vertices, maps)

    def _packed(self, paint: Paint) -> tuple[PackedTile, ...]:
        return tuple(self._tile(t) for t in paint.tiles)

    def _tile(self, tile: Array) -> PackedTile:
        known = self._known.get(id(tile))
        if known is not None and known[0]() is tile:
            return known[1]
        made = PackedTile(zlib.compress(tile.tobytes(), LEVEL), tile.dtype.str, tile.shape)
        self._known[id(tile)] = (weakref.ref(tile), made)
        return made


def _unpacked(tiles: tuple[PackedTile, ...]) -> Paint:
    whole = {id(t): t for t in tiles}
    made = {i: t.whole() for i, t in whole.items()}
    return Paint(tuple(made[id(t)] for t in tiles))
