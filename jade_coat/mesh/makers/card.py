"""One card: a cell of an atlas, trimmed to few corners, bent, standing on its pivot, with weights for the wind."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from jade_coat.material.fields import Vec2, field, option, setting
from jade_coat.mesh.building import build_mesh
from jade_coat.mesh.data import FULL, MeshData
from jade_coat.mesh.makers.made import Made
from jade_coat.mesh.makers.sheets import STRAIGHT, bent, cut_out, whole
from jade_coat.mesh.makers.trimming import Cell, area_of, found_cells, share_shown, trimmed
from jade_coat.program.types import Array

CELL, SHAPE, WIND = "Cell", "Shape", "Wind"
FULL_CELL: Cell = (0.0, 0.0, 1.0, 1.0)


class Card(Made):
    """What a card is made from: the cell that lies at `at` on the atlas, or nearest to it.

    `bend` and `cup` curve it along and across, in `along` and `across` quads where they do. `pivot` stays where it is
    in the wind; how much the rest gives way grows with the distance from it to the power of `stiff`.
    """

    noun: ClassVar[str] = "card"
    kind: Literal["card"] = "card"
    atlas: str = setting("", "Map set", "map", {"": "None"}, group=CELL)
    at: Vec2 = field((0.0, 0.0), "Cell at", kind="pair", group=CELL, hint="Press it in the picture of the atlas")
    cut: float = field(
        0.4, "Shows from", low=0.01, high=1.0, group=CELL, hint="The opacity from which a texel shows"
    )  # fmt: skip
    gap: float = field(
        0.02, "Cells apart", high=0.2, soft=(0.0, 0.1), group=CELL, hint="What lies nearer together is one cell"
    )
    corners: int = option(
        6, "Corners", "integer", low=0, high=16, soft=(3, 12), group=CELL,
        hint="Of the card, 3 or more: few are quick, many leave less empty; 0 leaves the cell whole",
    )  # fmt: skip
    length: float = field(0.3, "Length", unit="m", low=0.001, high=100.0, soft=(0.02, 2.0), group=SHAPE)
    bend: float = field(0.5, "Bent along", kind="angle", high=3.0, soft=(0.0, 2.0), group=SHAPE)
    cup: float = field(0.4, "Bent across", high=3.0, soft=(0.0, 1.5), group=SHAPE)
    along: int = option(3, "Split along", "integer", low=1, high=16, soft=(1, 8), group=SHAPE)
    across: int = option(2, "Split across", "integer", low=1, high=16, soft=(1, 8), group=SHAPE)
    pivot: Vec2 = field(
        (0.5, 0.0), "Pivot", kind="pair", group=SHAPE, hint="From the left and from the foot, as shares of the cell"
    )
    stiff: float = field(
        1.5, "Stiff", low=0.1, high=6.0, soft=(0.5, 4.0), group=WIND, hint="Above 1 only the tip gives way much"
    )

    @property
    def source(self) -> str:
        """The map set that its cell is on."""
        return self.atlas

    def cell(self, opacity: Array | None) -> Cell:
        """The cell that it is made from. Raises ValueError where the atlas shows nothing."""
        if opacity is None:
            return FULL_CELL
        every = found_cells(opacity, self.cut, self.gap)
        if not every:
            raise ValueError("nothing of its map set is opaque enough to show")
        return min(every, key=self._away)

    def _away(self, cell: Cell) -> float:
        """How far its place on the atlas is from a cell, and among cells that hold it, how far from the middle."""
        u, v = self.at
        outside = max(cell[0] - u, u - cell[2], cell[1] - v, v - cell[3], 0.0)
        return outside * 10 + float(np.hypot((cell[0] + cell[2]) / 2 - u, (cell[1] + cell[3]) / 2 - v))

    def outline(self, opacity: Array | None) -> Array:
        """The polygon `(n, 2)` of the card in shares of its cell, y downward. Raises ValueError."""
        found = (
            trimmed(opacity, self.cell(opacity), self.cut, max(self.corners, 3), True) if opacity is not None else None
        )
        if found is None or not self.corners:
            return np.array([[0.0, 1.0], [1.0, 1.0], [1.0, 0.0], [0.0, 0.0]])
        return found

    def mesh(self, opacity: Array | None = None) -> MeshData:
        """The mesh: R how far a point gives way to the wind, G one half, B 0, A how far along the card it is."""
        cell = self.cell(opacity)
        across, along = (self.across if self.cup > STRAIGHT else 1), (self.along if self.bend > STRAIGHT else 1)
        sheet = cut_out(self.outline(opacity), cell, across, along) if self.corners else whole(cell, across, along)
        high, wide = opacity.shape if opacity is not None else (1, 1)
        width = self.length * ((cell[2] - cell[0]) * wide) / ((cell[3] - cell[1]) * high)
        positions, normals = bent(sheet, (width, self.length), self.bend, self.cup, self.pivot)
        middle = np.array([self.pivot[0] - 0.5, self.pivot[1]])
        flat = np.linalg.norm((sheet.places - middle) * [width, self.length], axis=1)
        gives = (flat / max(float(flat.max()), 1e-9)) ** self.stiff
        colors = np.stack([gives, 0 * gives + 0.5, 0 * gives, sheet.places[:, 1]], axis=1)
        return build_mesh(
            positions, sheet.triangles, "card", normals=normals, uvs=(sheet.uv,),
            colors=(np.round(np.clip(colors, 0, 1) * FULL).astype(np.uint16),),
        )  # fmt: skip

    def empty(self, opacity: Array) -> float:
        """The share of the card on which nothing shows: it is drawn for nothing."""
        return max(
            1 - share_shown(opacity, self.cell(opacity), self.cut) / max(area_of(self.outline(opacity)), 1e-9), 0.0
        )
