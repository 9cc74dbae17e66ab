"""The parts that a ground is drawn in: squares of it, coarse over fine, with the layers that are there."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import lru_cache

import numpy as np

from jade_coat.ground.pages import Pages
from jade_coat.material.compile_stacked import QUADS
from jade_coat.mesh.building import build_mesh
from jade_coat.mesh.data import MeshData
from jade_coat.program.types import Array
from jade_coat.stage.grid import Grid
from jade_coat.stage.ground_water import holds_water, pools_of
from jade_coat.stage.grounds import Ground

NODE_MESH = "ground node"
"""The name of the mesh that every part of a ground is drawn by."""


NODE_TRIANGLES = 2 * QUADS * QUADS


@lru_cache(maxsize=1)
def node_mesh() -> MeshData:
    """A square of `QUADS` by `QUADS`, from 0 to 1 along x and z; a vertex that no triangle has reaches up to 1."""
    n = QUADS + 1
    z, x = np.mgrid[0:n, 0:n] / QUADS
    positions = np.stack([x.ravel(), 0 * x.ravel(), z.ravel()], axis=1)
    corner = (np.arange(QUADS)[:, None] * n + np.arange(QUADS)).ravel()
    a, b, c, d = corner, corner + 1, corner + n, corner + n + 1
    triangles = np.stack([np.stack([a, c, b], axis=1), np.stack([b, c, d], axis=1)], axis=1).reshape(-1, 3)
    positions = np.concatenate([positions, [[0.0, 1.0, 0.0]]])
    normals = np.tile([0.0, 1.0, 0.0], (len(positions), 1))
    tangents = np.tile([1.0, 0.0, 0.0, 1.0], (len(positions), 1))
    return build_mesh(positions, triangles, "ground", normals=normals, uvs=(positions[:, [0, 2]],), tangents=tangents)


@dataclass
class GroundNodes:
    """All parts of a ground, the finest first, row by row: where they are, and a bit for each layer that is there."""

    ground: Ground
    grid: Grid
    low: Array
    """The lowest height in each of the finest parts `(n, n)`, and the highest."""
    high: Array
    active: dict[str, Array]
    """By layer, in which of the finest parts any of it was painted, `(n, n) bool`."""
    wet: dict[str, tuple[Pages, Array]] = field(default_factory=dict)
    """By damp layer how wet hollows are, and in which of the finest parts water may stand in one."""
    boxes: tuple[Array, Array] | None = None
    """The matrices and sizes of all parts, once they were asked for."""

    @staticmethod
    def of(ground: Ground, span: tuple[float, float]) -> GroundNodes:
        """The parts of a ground between some heights."""
        pages = ground.heights.pages
        count = 1
        while count * QUADS < max(pages.rows, pages.columns) - 1:
            count *= 2
        spacing = ground.heights.spacing
        leaf = (spacing[0] * QUADS, spacing[1] * QUADS)
        levels = count.bit_length()
        grid = Grid(ground.corner, leaf, levels, *span, *_baked(ground))
        made = GroundNodes(ground, grid, np.zeros((count, count)), np.zeros((count, count)), {})
        made._heights((0, count, 0, count))
        for layer, weights in ground.weights.items():
            made.active[layer] = np.zeros((count, count), bool)
            made._weights(layer, weights, (0, count, 0, count))
        made._pools({})
        return made

    def follow(self, ground: Ground, span: tuple[float, float]) -> GroundNodes:
        """The parts of a later state of the ground; only what is another is looked at."""
        before = self.ground
        then, now = before.heights.pages, ground.heights.pages
        grid = GroundNodes._grid_like(self, ground, span)
        if grid is None:
            return GroundNodes.of(ground, span)
        low, high = self.low.copy(), self.high.copy()
        made = GroundNodes(ground, grid, low, high, dict(self.active))
        if now is then and grid == self.grid and ground.foot == before.foot:
            made.boxes = self.boxes
        for top, bottom, left, right in now.changed_cells(then):
            made._heights(self._leaves(top - 1, bottom, left - 1, right, QUADS, QUADS))
        for layer, weights in ground.weights.items():
            old = before.weights.get(layer)
            if old is weights:
                continue
            if old is None or (old.rows, old.columns) != (weights.rows, weights.columns):
                made.active[layer] = np.zeros(low.shape, bool)
                made._weights(layer, weights, (0, low.shape[0], 0, low.shape[1]))
                continue
            made.active[layer] = made.active[layer].copy()
            down, across = made._cells(weights)
            for top, bottom, left, right in weights.changed_cells(old):
                made._weights(layer, weights, self._leaves(top - 2, bottom + 1, left - 2, right + 1, down, across))
        for gone in made.active.keys() - ground.weights.keys():
            del made.active[gone]
        made._pools(self.wet)
        return made

    def there(self, layer: str) -> Array:
        """In which of the finest parts any of a layer is, or water by it, `(n, n) bool`."""
        found = self.active[layer]
        return found | self.wet[layer][1] if layer in self.wet else found

    def _pools(self, before: dict[str, tuple[Pages, Array]]) -> None:
        """Find in which parts water may stand; `before` is what was found of an earlier state."""
        self.wet = {}
        for layer in filter(holds_water, self.ground.layers):
            wet = pools_of(self.ground, layer).wet
            known = before.get(layer.id)
            if known is not None and known[0] is wet and known[1].shape == self.low.shape:
                self.wet[layer.id] = known
                continue
            there = np.zeros(self.low.shape, bool)
            down, across = self._cells(wet)
            rows, columns = np.nonzero(wet.whole() > 0)
            for dy in (-1, 1):  # a cell is between those beside it too
                for dx in (-1, 1):
                    y, x = ((rows + dy) / down).astype(int), ((columns + dx) / across).astype(int)
                    there[np.clip(y, 0, len(there) - 1), np.clip(x, 0, len(there) - 1)] = True
            self.wet[layer.id] = (wet, there)

    def _grid_like(self, ground: Ground, span: tuple[float, float]) -> Grid | None:
        """The grid for another state of the ground, where its parts lie as they did."""
        then, now = self.ground.heights, ground.heights
        same = (then.pages.rows, then.pages.columns, then.size) == (now.pages.rows, now.pages.columns, now.size)
        return Grid(ground.corner, self.grid.leaf, self.grid.levels, *span, *_baked(ground)) if same else None

    def _leaves(
        self, top: int, bottom: int, left: int, right: int, down: float, across: float
    ) -> tuple[int, int, int, int]:
        """Which of the finest parts have to do with some cells, that many of which lie across one."""
        count = self.low.shape[0]
        y0, x0 = max(int(top // down), 0), max(int(left // across), 0)
        return y0, min(int(bottom // down) + 1, count), x0, min(int(right // across) + 1, count)

    def _heights(self, leaves: tuple[int, int, int, int]) -> None:
        """Look at the heights of some of the finest parts; those beyond the edge are as the edge is."""
        y0, y1, x0, x1 = leaves
        pages = self.ground.heights.pages
        part = pages.values((y0 * QUADS, y1 * QUADS + 1, x0 * QUADS, x1 * QUADS + 1))
        self.low[y0:y1, x0:x1], self.high[y0:y1, x0:x1] = _spans(part, y1 - y0, x1 - x0)

    def _cells(self, weights: Pages) -> tuple[float, float]:
        """How many cells of the weights lie across one of the finest parts, down and across."""
        pages = self.ground.heights.pages
        down, across = (weights.rows - 1) / (pages.rows - 1), (weights.columns - 1) / (pages.columns - 1)
        return QUADS * down, QUADS * across

    def _weights(self, layer: str, weights: Pages, leaves: tuple[int, int, int, int]) -> None:
        """Find whether there is any of a layer in some of the finest parts, or a cell beside them."""
        y0, y1, x0, x1 = leaves
        down, across = self._cells(weights)
        y, x = np.arange(y0, y1), np.arange(x0, x1)
        if not len(y) or not len(x):
            return
        rows = np.stack([(y * down).astype(int) - 1, np.ceil((y + 1) * down).astype(int) + 2], axis=1)
        columns = np.stack([(x * across).astype(int) - 1, np.ceil((x + 1) * across).astype(int) + 2], axis=1)
        top, left = rows[0, 0], columns[0, 0]
        there = weights.values((int(top), int(rows[-1, 1]) + 1, int(left), int(columns[-1, 1]) + 1)) > 0
        by_row = np.logical_or.reduceat(there, rows.ravel() - top, axis=0)[::2]
        found = np.logical_or.reduceat(by_row, columns.ravel() - left, axis=1)[:, ::2]
        self.active[layer][y0:y1, x0:x1] = found

    def told(self) -> tuple[Array, Array, Array]:
        """Of all parts: matrices `(k, 4, 4) float32`, sizes along x `(k,)`, masks `(k,) uint64` of the layers there.

        The lowest bit is the first layer. Parts that lie wholly beyond the ground have a mask of 0.
        """
        masks = np.zeros(self.low.shape, np.uint64)
        for i, layer in enumerate(self.ground.layers):
            there = self.there(layer.id) if i else np.ones(masks.shape, bool)
            np.bitwise_or(masks, np.uint64(1 << i), out=masks, where=there)
        pages = self.ground.heights.pages
        masks[-(-(pages.rows - 1) // QUADS) :] = 0
        masks[:, -(-(pages.columns - 1) // QUADS) :] = 0
        found = [masks.ravel()]
        for _ in range(self.grid.levels - 1):
            masks = _joined(masks, np.bitwise_or)
            found.append(masks.ravel())
        if self.boxes is None:
            self.boxes = self._boxes()
        return *self.boxes, np.concatenate(found)

    def _boxes(self) -> tuple[Array, Array]:
        """The matrices and the sizes along x of all parts."""
        low, high = self.low, self.high
        matrices, sizes = [], []
        corner, foot = self.grid.corner, self.ground.foot
        for level in range(self.grid.levels):
            count, (sx, sz) = low.shape[0], (self.grid.leaf[0] * 2**level, self.grid.leaf[1] * 2**level)
            z, x = (a.ravel() for a in np.mgrid[0:count, 0:count])
            made = np.zeros((count * count, 4, 4), np.float32)
            made[:, 0, 0], made[:, 2, 2], made[:, 3, 3] = sx, sz, 1.0
            made[:, 1, 1] = np.maximum((high - low).ravel(), 1e-3)
            made[:, 0, 3], made[:, 1, 3], made[:, 2, 3] = corner[0] + x * sx, foot + low.ravel(), corner[1] + z * sz
            matrices.append(made)
            sizes.append(np.full(count * count, sx, np.float32))
            if count > 1:
                low, high = _joined(low, np.minimum), _joined(high, np.maximum)
        return np.concatenate(matrices), np.concatenate(sizes)


def _baked(ground: Ground) -> tuple[float, int]:
    """From how far on a ground is drawn from pages, and how fine these are."""
    return (ground.baking.beyond, ground.baking.side) if ground.baking.beyond > 0 else (0.0, 0)


def _joined(values: Array, join: np.ufunc) -> Array:
    """Four values beside one another as one."""
    half = join(values[::2], values[1::2])
    return np.asarray(join(half[:, ::2], half[:, 1::2]))


def _spans(part: Array, rows: int, columns: int) -> tuple[Array, Array]:
    """The lowest and highest of each square of `QUADS` cells and the samples at its far edges."""
    found = []
    for join in (np.minimum, np.maximum):
        inner = join.reduce(join.reduce(part[:-1, :-1].reshape(rows, QUADS, columns, QUADS), axis=3), axis=1)
        bottom = join.reduce(part[QUADS::QUADS, :-1].reshape(rows, columns, QUADS), axis=2)
        right = join.reduce(part[:-1, QUADS::QUADS].reshape(rows, QUADS, columns), axis=1)
        found.append(join(join(inner, bottom), join(right, part[QUADS::QUADS, QUADS::QUADS])))
    return found[0], found[1]
