"""Bushes of cards: small bent sheets with cells of an atlas on them, strewn evenly over a dome."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from jade_coat.material.fields import Vec2, Vec3, field, option, setting
from jade_coat.mesh import shapes
from jade_coat.mesh.building import build_mesh
from jade_coat.mesh.data import FULL, MeshData
from jade_coat.mesh.makers.even import uncovered
from jade_coat.mesh.makers.made import Made
from jade_coat.mesh.makers.sheets import Sheet, bent, cut_out, whole
from jade_coat.mesh.makers.trimming import Cell, found_cells, grid_cells, trimmed
from jade_coat.mesh.shapes import joined
from jade_coat.program.types import Array

ACROSS, ALONG = 2, 3
"""Quads across a card and along it, so that it can be bent both ways."""
CANDIDATES = 12
MOST_CARDS = 4000
BOW, UPWARD = 0.5, 0.3
"""How far stems bow upwards, as a share of the bush, and how steeply the flattest begins."""
FILL_SIDES = 14
"""Segments round the body inside."""
STEPS, SAMPLES, COVER_SIDE = 7, 60_000, 96
"""Halvings by which the size of cards for afar is found, points that say what they cover, and cells that count them."""


ATLAS, SHAPE, CARDS, LIGHT = "Cells of the atlas", "Shape", "Cards", "Light"
CellsBy = Literal["grid", "found"]
CELLS_BY: dict[CellsBy, str] = {"grid": "a grid", "found": "found by opacity"}
GAP = 0.02
"""What lies farther apart, in widths of the atlas, is two cells."""

COARSEST = 4
"""The last level with fewer cards."""


class Bush(Made):
    """What a bush is made from. The same numbers give the same bush.

    Cards root between `core` of the way out and the outside of a dome with these half-axes, above `foot`. `outward`
    is how far they point away from its middle rather than any way, `rise` how far upwards; `bend` and `cup` curve them
    along and across. `dome` turns their normals to those of the dome, which then lights as one body.
    """

    noun: ClassVar[str] = "bush"
    kind: Literal["bush"] = "bush"
    atlas: str = setting("", "Map set", "map", {"": "None"}, group=ATLAS, hint="Cards can be cut out by its opacity")
    cells_by: CellsBy = option(
        "grid", "Cells", "choice", CELLS_BY, group=ATLAS, when=("atlas", ()), hint="What the cells of the atlas are"
    )
    columns: int = option(
        2, "Across", "integer", low=1, high=64, soft=(1, 8), group=ATLAS, hint="Cells beside one another",
        when=("cells_by", ("grid",)),
    )  # fmt: skip
    rows: int = option(2, "Down", "integer", low=1, high=64, soft=(1, 8), group=ATLAS, when=("cells_by", ("grid",)))
    first: int = option(1, "First", "integer", low=1, high=4096, soft=(1, 16), group=ATLAS, hint="Counted row by row")
    last: int = option(4, "Last", "integer", low=1, high=4096, soft=(1, 16), group=ATLAS)
    corners: int = option(
        0, "Trimmed to", "integer", low=0, high=16, group=ATLAS, when=("atlas", ()),
        hint="Corners of a card that is cut out along what shows, 3 or more; 0 leaves cells whole",
    )  # fmt: skip
    cut: float = field(0.4, "Shows from", low=0.01, high=1.0, group=ATLAS, when=("atlas", ()),
                       hint="The opacity from which a texel shows")  # fmt: skip
    radii: Vec3 = field(
        (0.5, 0.55, 0.5), "Half-axes", kind="point", unit="m", low=0.001, high=100.0, soft=(0.05, 2.0), group=SHAPE
    )
    foot: float = field(0.12, "Above the ground", unit="m", low=-10.0, high=100.0, soft=(0.0, 1.0), group=SHAPE)
    fill: float = field(
        0.0,
        "Inner body",
        group=SHAPE,
        hint="The share of its size that a body inside has: no ground shines through",
    )
    core: float = field(0.5, "Hollow", group=SHAPE, hint="How far out of the middle cards begin")
    stems: int = option(
        0,
        "Stems",
        "integer",
        low=0,
        high=200,
        soft=(0, 24),
        group=SHAPE,
        hint="Cards grow along these; 0 strews them",
    )
    seed: int = option(1, "Seed", "integer", low=0, high=1_000_000, soft=(0, 100), group=SHAPE)
    count: int = option(120, "How many", "integer", low=1, high=MOST_CARDS, soft=(1, 400), group=CARDS)
    overlap: float = field(1.0, "Overlap", group=CARDS, hint="How far two cards may lie over each other at their roots")
    level: int = option(
        0, "For afar", "integer", low=0, high=COARSEST, group=CARDS,
        hint="Each level has half the cards, larger, so that as much is covered",
    )  # fmt: skip
    size: Vec2 = field(
        (0.16, 0.22), "Size", kind="pair", unit="m", low=0.001, high=20.0, soft=(0.02, 1.0), group=CARDS,
        hint="Across and along",
    )  # fmt: skip
    spread: float = field(0.3, "Size by chance", group=CARDS)
    outward: float = field(0.8, "Outward", group=CARDS, hint="1 away from the middle, 0 any way")
    rise: float = field(0.35, "Upward", high=4.0, soft=(0.0, 1.5), group=CARDS)
    bend: float = field(0.7, "Bent along", kind="angle", high=3.0, soft=(0.0, 2.0), group=CARDS)
    cup: float = field(0.5, "Bent across", high=3.0, soft=(0.0, 1.5), group=CARDS)
    dome: float = field(0.75, "As one body", group=LIGHT, hint="How far normals turn to those of the dome")

    @property
    def source(self) -> str:
        """The map set whose opacity finds or trims its cards."""
        return self.atlas if self.corners or self.cells_by == "found" else ""

    def cells(self, opacity: Array | None = None) -> tuple[Cell, ...]:
        """The cells that its cards have, of which each picks one. Raises ValueError where the atlas shows nothing."""
        if self.cells_by == "found" and opacity is not None:
            every = found_cells(opacity, self.cut, GAP)
            if not every:
                raise ValueError("nothing of its map set is opaque enough to show")
        else:
            every = grid_cells(self.columns, self.rows)
        last = min(max(self.first, self.last), len(every))
        return every[min(self.first, last) - 1 : last]

    def sheets(self, opacity: Array | None = None) -> list[Sheet]:
        """The flat cards of its cells, whole or trimmed; a cell in which nothing shows has none. Raises ValueError."""
        cells = self.cells(opacity)
        if not self.corners or opacity is None:
            return [whole(cell, ACROSS, ALONG) for cell in cells]
        cut = [
            (cell, trimmed(opacity, cell, self.cut, max(self.corners, 3), self.cells_by == "found")) for cell in cells
        ]
        found = [cut_out(polygon, cell, ACROSS, ALONG) for cell, polygon in cut if polygon is not None]
        if not found:
            raise ValueError("nothing of its cells is opaque enough to show")
        return found

    def mesh(self, opacity: Array | None = None) -> MeshData:
        """The mesh: R how far a point gives way to the wind, G a random number a card, B how sheltered it is by the
        rest, A how far along its card it is. What is inside is a slot of its own, `fill`.
        """
        cards = self._cards(opacity, *self._afar(opacity))
        if self.fill <= 0:
            return cards
        return joined([(cards, "surface"), (self._inside(), "fill")])

    def _afar(self, opacity: Array | None) -> tuple[int, float]:
        """How many cards its level has, and how much larger they are, so that it covers what all cards do."""
        if not self.level:
            return self.count, 1.0
        wanted = covered(self._cards(opacity, self.count, 1.0), opacity, self.cut)
        count = max(self.count >> self.level, 1)
        low, high = 1.0, 2.0**self.level
        for _ in range(STEPS):
            scale = (low + high) / 2
            enough = covered(self._cards(opacity, count, scale), opacity, self.cut) >= wanted
            low, high = (low, scale) if enough else (scale, high)
        return count, (low + high) / 2

    def _inside(self) -> MeshData:
        """The body inside: an ellipsoid."""
        ball = shapes.ball(1.0, FILL_SIDES)
        ways = _unit(ball.positions - np.mean(ball.bounds, axis=0))
        radii = np.array(self.radii) * self.fill
        positions = ways * radii + np.array([0.0, self.foot, 0.0])
        height = np.clip(positions[:, 1] / (self.foot + self.radii[1]), 0, 1)
        colors = np.stack([0.35 * height**1.5, 0 * height + 0.5, 0 * height + 1, 0 * height], axis=1)
        return build_mesh(
            positions, ball.triangles, "fill", normals=_unit(ways / radii), uvs=ball.uvs,
            colors=(np.round(colors * FULL).astype(np.uint16),),
        )  # fmt: skip

    def _cards(self, opacity: Array | None, count: int, scale: float) -> MeshData:
        rng = np.random.default_rng(self.seed)
        sheets = self.sheets(opacity)
        ways, depths = _along_stems(self, count, rng) if self.stems else _strewn(self, count, rng)
        radii = np.array(self.radii)
        apart = np.full(len(ways), max(self.size) * scale / 2)
        there = uncovered(ways * radii * depths[:, None], apart, self.overlap, np.zeros(len(ways), bool))
        ways, depths = ways[there], depths[there]
        middle = np.array([0.0, self.foot, 0.0])
        parts = [
            _card(self, scale, sheets, way, middle + way * radii * depth, rng)
            for way, depth in zip(ways, depths, strict=True)
        ]
        positions, uv, along, card_normals = (np.concatenate([p[i] for p in parts]) for i in range(4))
        each = [len(p[0]) for p in parts]
        starts = np.cumsum([0, *each[:-1]])
        triangles = np.concatenate([p[4] + start for p, start in zip(parts, starts, strict=True)])
        out = _unit((positions - middle) / radii**2)
        normals = _unit(card_normals * (1 - self.dome) + out * self.dome)
        reach = np.clip(np.linalg.norm((positions - middle) / radii, axis=1), 0, 1.2) / 1.2
        height = np.clip(positions[:, 1] / (self.foot + self.radii[1]), 0, 1)
        chance = np.repeat(rng.random(len(parts)), each)
        colors = np.stack([height**1.5 * (0.35 + 0.65 * along), chance, 1 - reach, along], axis=1)
        return build_mesh(
            positions, triangles, "bush", normals=normals, uvs=(uv,),
            colors=(np.round(np.clip(colors, 0, 1) * FULL).astype(np.uint16),),
        )  # fmt: skip

    def words(self, mesh: MeshData) -> str:
        """How many cards and triangles."""
        cards = len(np.unique(np.round(mesh.colors[0][:, 1]))) if self.overlap < 1 else max(self.count >> self.level, 1)
        return f"{cards:,} cards, {len(mesh.triangles):,} triangles"


def covered(mesh: MeshData, opacity: Array | None = None, cut: float = 0.5) -> float:
    """How much of what is behind a mesh is covered by it, in m², seen from both sides and from above, on average.

    By points strewn over its triangles, where `opacity` `(h, w)` reaches the threshold.
    """
    a, b, c = (mesh.positions[mesh.triangles[:, i]].astype(np.float64) for i in range(3))
    area = np.linalg.norm(np.cross(b - a, c - a), axis=1)
    rng = np.random.default_rng(0)
    owner = rng.choice(len(area), SAMPLES, p=area / area.sum())
    share = rng.random((SAMPLES, 2))
    share = np.where(share.sum(axis=1, keepdims=True) > 1, 1 - share, share)
    weights = np.concatenate([1 - share.sum(axis=1, keepdims=True), share], axis=1)
    corners = mesh.triangles[owner]
    points = np.einsum("nc,nck->nk", weights, mesh.positions[corners])
    if opacity is not None:
        high, wide = opacity.shape
        uv = np.einsum("nc,nck->nk", weights, mesh.uv(0)[corners]) % 1.0
        at = np.minimum((uv * [wide, high]).astype(int), [wide - 1, high - 1])
        points = points[opacity[at[:, 1], at[:, 0]] >= cut]
    if not len(points):
        return 0.0
    low, high_corner = points.min(axis=0), points.max(axis=0)
    cell = float((high_corner - low).max()) / COVER_SIDE
    cells = np.minimum(((points - low) / max(cell, 1e-9)).astype(int), COVER_SIDE - 1)
    seen = [len(np.unique(cells[:, i] * COVER_SIDE + cells[:, j])) for i, j in ((0, 1), (2, 1), (0, 2))]
    return float(np.mean(seen)) * cell * cell


def _strewn(made: Bush, count: int, rng: np.random.Generator) -> tuple[Array, Array]:
    """Where cards root: ways out of the middle `(n, 3)`, upper half, and how far along them `(n,)`.

    Of some candidates the one that is farthest from all before it is taken (Mitchell 1991).
    """
    taken: list[Array] = []
    radii = np.array(made.radii)
    for _ in range(count):
        ways = rng.normal(size=(CANDIDATES, 3))
        ways[:, 1] = np.abs(ways[:, 1]) - 0.25
        depths = made.core + (1 - made.core) * rng.random(CANDIDATES) ** 0.6
        points = _unit(ways) * depths[:, None]
        if not taken:
            taken.append(points[0])
            continue
        away = np.linalg.norm((points[:, None] - np.array(taken)[None]) * radii, axis=-1).min(axis=1)
        taken.append(points[int(away.argmax())])
    found = np.array(taken)
    depths = np.linalg.norm(found, axis=1)
    return found / depths[:, None], depths


def _along_stems(made: Bush, count: int, rng: np.random.Generator) -> tuple[Array, Array]:
    """The same along stems that part from the foot evenly and bow: cards lie on each in turn."""
    stems = min(made.stems, count)
    ways = _strewn(made, stems, rng)[0]
    ways[:, 1] = np.abs(ways[:, 1]) + UPWARD
    ways = _unit(ways)
    which, step = np.arange(count) % stems, np.arange(count) // stems
    along = made.core + (1 - made.core) * np.minimum((step + rng.random(count)) / -(-count // stems), 1.0)
    points = ways[which] * along[:, None]
    points[:, 1] += BOW * along * (1 - along)
    depths = np.linalg.norm(points, axis=1)
    return points / np.maximum(depths, 1e-9)[:, None], depths


def _card(
    made: Bush, scale: float, sheets: list[Sheet], way: Array, root: Array, rng: np.random.Generator
) -> tuple[Array, Array, Array, Array, Array]:
    """One card: positions, UVs, how far along each vertex is, its own normals, and triangles."""
    wide, long = np.array(made.size) * scale * (1 + made.spread * rng.uniform(-1, 1))
    chance = _unit(rng.normal(size=(1, 3)))[0]
    ahead = _unit((way * made.outward + chance * (1 - made.outward) + [0.0, made.rise, 0.0])[None])[0]
    side = np.cross(ahead, _unit((chance + np.array([0.0, 0.3, 0.0]))[None])[0])
    side /= max(float(np.linalg.norm(side)), 1e-6)
    face = np.cross(side, ahead)
    if face @ way < 0:  # its face looks out of the bush
        side, face = -side, -face
    sheet = sheets[int(rng.integers(len(sheets)))]
    if rng.random() < 0.5:
        sheet = sheet.mirrored
    positions, normals = bent(sheet, (float(wide), float(long)), made.bend, made.cup)
    frame = np.stack([side, ahead, face])
    return root + positions @ frame, sheet.uv, sheet.places[:, 1], normals @ frame, sheet.triangles


def _unit(vectors: Array) -> Array:
    return np.asarray(vectors / np.maximum(np.linalg.norm(vectors, axis=-1, keepdims=True), 1e-9))
