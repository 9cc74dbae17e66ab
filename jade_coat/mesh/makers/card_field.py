"""Card fields: cards of light strewn evenly over a shape, such as embers, motes and sheets of haze."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from typing import ClassVar, Literal

import numpy as np
from pydantic import Field

from jade_coat.material.fields import Vec2, Vec3, field, option
from jade_coat.mesh.building import build_mesh
from jade_coat.mesh.data import FULL, MeshData
from jade_coat.mesh.makers.even import TIMES, emptiest, spacing, thinned, uncovered
from jade_coat.mesh.makers.made import Made
from jade_coat.mesh.makers.trimming import Cell, grid_cells
from jade_coat.program.types import Array

Over = Literal["sphere", "dome", "ring", "box", "line", "curve"]
OVER_LABELS: dict[Over, str] = {
    "sphere": "a sphere", "dome": "a dome", "ring": "a ring", "box": "a box", "line": "a hanging line",
    "curve": "a drawn curve",
}  # fmt: skip
Facing = Literal["out", "up", "ahead", "any"]
FACING_LABELS: dict[Facing, str] = {"out": "outward", "up": "upward", "ahead": "along z", "any": "any way"}
SHEET, SHAPE, CARDS = "Regions of the map", "Shape", "Cards"
EDGE = 4.0
"""The outer share of a field over which its edge fades is 1 / this."""
MOST_CARDS = 20_000
CURVE_STEPS = 512
"""By how many places a drawn curve is measured."""
THIN = 1e-4
"""What is thinner than this, metres, has no volume."""


class CardField(Made):
    """What a card field is made from. Cards lie evenly, as blue noise; some fill what is emptiest after that."""

    noun: ClassVar[str] = "card field"
    kind: Literal["cards"] = "cards"
    over: Over = option("sphere", "Over", "choice", OVER_LABELS, group=SHAPE)
    radii: Vec3 = field(
        (1.0, 1.0, 1.0), "Half-axes", kind="point", unit="m", low=0.0, high=1000.0, soft=(0.05, 10.0), group=SHAPE,
        hint="Of a line: half its length, how far it sags, how far cards stray; of a curve only that",
    )  # fmt: skip
    filled: float = field(1.0, "Filled", group=SHAPE, hint="0 is the skin of the shape alone, 1 all of it",
                          when=("over", ("sphere", "dome", "ring")))  # fmt: skip
    foot: float = field(0.0, "Above the ground", unit="m", low=-100.0, high=1000.0, soft=(0.0, 3.0), group=SHAPE)
    seed: int = option(1, "Seed", "integer", low=0, high=1_000_000, soft=(0, 100), group=SHAPE)
    count: int = option(200, "How many", "integer", low=1, high=MOST_CARDS, soft=(1, 1000), group=CARDS)
    size: Vec2 = field((0.1, 0.1), "Size", kind="pair", unit="m", low=0.0001, high=1000.0, soft=(0.005, 2.0),
                       group=CARDS, hint="Across and along")  # fmt: skip
    spread: float = field(0.4, "Size by chance", group=CARDS)
    facing: Facing = option("any", "Facing", "choice", FACING_LABELS, group=CARDS)
    roll: float = field(1.0, "Rolled", group=CARDS, hint="How far cards are turned about their face by chance")
    fill: float = field(0.1, "Into gaps", group=CARDS, hint="The share of cards that goes where it is emptiest")
    overlap: float = field(
        1.0, "Overlap", group=CARDS, hint="How far two cards may cover each other; what would more is left out"
    )
    small: float = field(
        0.0, "Small ones may", group=CARDS, hint="Cards smaller than this share of the largest may overlap as they like"
    )
    columns: int = option(
        1, "Across", "integer", low=1, high=64, soft=(1, 8), group=SHEET, hint="Regions beside others"
    )
    rows: int = option(1, "Down", "integer", low=1, high=64, soft=(1, 8), group=SHEET)
    first: int = option(1, "First", "integer", low=1, high=4096, soft=(1, 16), group=SHEET, hint="Counted row by row")
    last: int = option(1, "Last", "integer", low=1, high=4096, soft=(1, 16), group=SHEET)
    lean: float = field(0.0, "Shares", low=-1.0, high=1.0, group=SHEET,
                        hint="Below 0 more cards have the first regions, above 0 the last")  # fmt: skip

    curve: tuple[Vec3, ...] = Field(((-1.0, 0.0, 0.0), (0.0, 0.4, 0.0), (1.0, 0.0, 0.0)), min_length=2, max_length=64)
    """What a drawn curve goes through, metres above its foot."""
    without: tuple[int, ...] = ()
    """The numbers of cards that were taken out by hand."""
    more: tuple[Vec3, ...] = ()
    """Where cards were placed by hand, metres."""

    @property
    def cells(self) -> tuple[Cell, ...]:
        """The regions that its cards have."""
        every = grid_cells(self.columns, self.rows)
        last = min(max(self.first, self.last), len(every))
        return every[min(self.first, last) - 1 : last]

    def places(self) -> tuple[Array, Array]:
        """The middles of its cards `(n, 3)` in metres, and the ways out of the shape there, unit vectors."""
        rng = np.random.default_rng(self.seed)
        inside, out, measure, dimensions = _SHAPES[self.over](self, self.count * TIMES, rng)
        even = thinned(
            inside, max(self.count - round(self.count * self.fill), 1), spacing(measure, dimensions, self.count)
        )
        chosen = np.concatenate([even, emptiest(inside, even, self.count - len(even))])
        by_hand = np.array(self.more, np.float64).reshape(-1, 3) - [0.0, self.foot, 0.0]
        return np.concatenate([inside[chosen], by_hand]), np.concatenate([out[chosen], _unit(by_hand)])

    def mesh(self, opacity: Array | None = None) -> MeshData:
        """The mesh: G of the first colour set is a card's random number and B falls to 0 at the edge of the field; the
        second UV set has two random numbers a card, the third how far a corner lies from the middle, metres."""
        places, out = self.places()
        rng, scale = self._chances(len(places))
        chance = rng.random((len(places), 2))
        cell = self._picked(rng, len(places))
        side, up, face = self._frames(out, rng)
        kept = self._kept(places, scale)
        places, scale, chance, cell = places[kept], scale[kept], chance[kept], cell[kept]
        side, up, face = side[kept], up[kept], face[kept]
        corners = np.array([[-0.5, -0.5], [0.5, -0.5], [0.5, 0.5], [-0.5, 0.5]])
        flat = corners[None] * (np.array(self.size) * scale[:, None])[:, None]
        positions = places[:, None] + flat[..., :1] * side[:, None] + flat[..., 1:] * up[:, None]
        cells = np.array(self.cells)[cell]
        uv = np.stack([
            cells[:, None, 0] + (cells[:, 2] - cells[:, 0])[:, None] * (corners[None, :, 0] + 0.5),
            cells[:, None, 3] + (cells[:, 1] - cells[:, 3])[:, None] * (corners[None, :, 1] + 0.5),
        ], axis=-1)  # fmt: skip
        count = len(places)
        colors = np.stack([0 * scale, chance[:, 0], self._inward(places), 0 * scale], axis=1)
        quads = np.array([[0, 1, 2], [0, 2, 3]])[None] + 4 * np.arange(count)[:, None, None]
        positions = positions.reshape(-1, 3) + np.array([0.0, self.foot, 0.0])
        return build_mesh(
            positions, quads.reshape(-1, 3), "cards", normals=_four(face),
            uvs=(uv.reshape(-1, 2), _four(chance), flat.reshape(-1, 2)),
            colors=(_four(np.round(np.clip(colors, 0, 1) * FULL).astype(np.uint16)),),
            tangents=_four(np.concatenate([side, np.ones((count, 1))], axis=1)),
        )  # fmt: skip

    def words(self, mesh: MeshData) -> str:
        """How many cards there are, and how many did not fit."""
        there, wanted = len(mesh.triangles) // 2, self.count + len(self.more) - len(self.without)
        told = f"{there:,} cards" if there == wanted else f"{there:,} of {wanted:,} cards fit"
        return f"{told}, {len(mesh.triangles):,} triangles"

    def _picked(self, rng: np.random.Generator, count: int) -> Array:
        """The region of each card: all have the same share, or those at one end more."""
        ramp = np.linspace(-1, 1, len(self.cells)) if len(self.cells) > 1 else np.zeros(1)
        share = np.exp(3 * self.lean * ramp)
        return np.asarray(rng.choice(len(self.cells), count, p=share / share.sum()))

    def _frames(self, out: Array, rng: np.random.Generator) -> tuple[Array, Array, Array]:
        """Across, along and out of the face of each card."""
        count = len(out)
        if self.facing == "out":
            face = out
        elif self.facing == "any":
            face = _unit(rng.normal(size=(count, 3)))
        else:
            face = np.tile([0.0, 1.0, 0.0] if self.facing == "up" else [0.0, 0.0, 1.0], (count, 1))
        level = np.where(np.abs(face[:, 1:2]) > 0.99, [[0.0, 0.0, -1.0]], [[0.0, 1.0, 0.0]])
        side = _unit(np.cross(level, face))
        up = np.cross(face, side)
        turn = (rng.random(count) - 0.5) * 2 * math.pi * self.roll
        cos, sin = np.cos(turn)[:, None], np.sin(turn)[:, None]
        return side * cos + up * sin, up * cos - side * sin, face

    def _chances(self, count: int) -> tuple[np.random.Generator, Array]:
        """Chances after those of the places, and the size of each card beside what it is made for."""
        rng = np.random.default_rng((self.seed, 1))
        return rng, 1 + self.spread * rng.uniform(-1, 1, count)

    def standing(self) -> tuple[Array, Array]:
        """The numbers of the cards that are there, in the order of the mesh, and their middles `(n, 3)` in metres."""
        places, _ = self.places()
        kept = np.flatnonzero(self._kept(places, self._chances(len(places))[1]))
        return kept, places[kept] + np.array([0.0, self.foot, 0.0])

    def _kept(self, places: Array, scale: Array) -> Array:
        """Which cards are there: not those that cover others too much, but by hand any, and not what was taken out."""
        kept = uncovered(places, scale * max(self.size) / 2, self.overlap, scale < self.small * scale.max())
        kept[self.count :] = True
        kept[[i for i in self.without if i < len(kept)]] = False
        return kept

    def _inward(self, places: Array) -> Array:
        """1 within, 0 at the edge of the field."""
        share = np.abs(places) / np.maximum(np.array(self.radii), THIN)
        if self.over in ("sphere", "dome"):
            far = np.linalg.norm(share, axis=1)
        elif self.over == "line":
            far = share[:, 0]
        elif self.over == "curve":
            from scipy.spatial import cKDTree  # slow to import

            along = drawn(self.curve, np.linspace(0, 1, CURVE_STEPS))[0]
            near = cKDTree(along).query(places)[1] / (CURVE_STEPS - 1)
            far = np.abs(near * 2 - 1)
        elif self.over == "ring":
            far = np.hypot(share[:, 0], share[:, 2])
        else:
            wide = np.array(self.radii) > THIN
            far = share[:, wide].max(axis=1) if wide.any() else np.zeros(len(places))
        return np.asarray(np.clip((1 - far) * EDGE, 0, 1))


_Strewn = tuple[Array, Array, float, int]
"""Points by chance `(n, 3)`, the ways out there, the measure of the shape, and its dimensions."""


def _ellipsoid(made: CardField, count: int, rng: np.random.Generator) -> _Strewn:
    """Over the skin of an ellipsoid or its upper half evenly, or from there inward."""
    radii = np.maximum(np.array(made.radii), THIN)
    ways, depth = np.zeros((0, 3)), (1 - made.filled) ** 3
    while len(ways) < count:
        more = _unit(rng.normal(size=(count * 2, 3)))
        if made.over == "dome":
            more[:, 1] = np.abs(more[:, 1])
        if made.filled <= 0:  # the skin is stretched more where it lies across a long axis
            stretch = np.linalg.norm(more / radii, axis=1)
            more = more[rng.random(len(more)) < stretch / (1 / radii.min())]
        ways = np.concatenate([ways, more])
    ways = ways[:count]
    far = np.cbrt(depth + (1 - depth) * rng.random((count, 1)))
    half = 0.5 if made.over == "dome" else 1.0
    if made.filled <= 0:
        p = 1.6075  # Thomsen's formula for the area of an ellipsoid, from memory
        a, b, c = radii**p
        return ways * radii, _unit(ways / radii), half * 4 * math.pi * ((a * b + a * c + b * c) / 3) ** (1 / p), 2
    volume = half * 4 / 3 * math.pi * float(radii.prod()) * (1 - depth)
    return ways * far * radii, _unit(ways / radii), volume, 3


def _ring(made: CardField, count: int, rng: np.random.Generator) -> _Strewn:
    wide, high, deep = (max(r, THIN) for r in made.radii)
    inner = (1 - made.filled) ** 2
    far, turn = np.sqrt(inner + (1 - inner) * rng.random(count)), rng.random(count) * 2 * math.pi
    way = np.stack([np.sin(turn), 0 * turn, np.cos(turn)], axis=1)
    points = way * far[:, None] * [wide, 0.0, deep]
    points[:, 1] = rng.uniform(-high, high, count) if high > THIN else 0.0
    area = math.pi * wide * deep * (1 - inner)
    if made.filled <= 0:
        return points, way, math.pi * (wide + deep) * (2 * high if high > THIN else 1.0), 2 if high > THIN else 1
    return points, way, area * (2 * high if high > THIN else 1.0), 3 if high > THIN else 2


def _box(made: CardField, count: int, rng: np.random.Generator) -> _Strewn:
    radii = np.array(made.radii)
    wide = radii > THIN
    points = rng.uniform(-1, 1, (count, 3)) * np.where(wide, radii, 0.0)
    return points, _unit(points + np.array([0.0, 1e-6, 0.0])), float((2 * radii[wide]).prod()), max(int(wide.sum()), 1)


def _line(made: CardField, count: int, rng: np.random.Generator) -> _Strewn:
    """Along a parabola that hangs between two ends."""
    wide, sag, stray = made.radii
    t = rng.uniform(-1, 1, count)
    points = np.stack([t * wide, -sag * (1 - t * t), 0 * t], axis=1)
    points += _unit(rng.normal(size=(count, 3))) * (rng.random((count, 1)) * stray)
    out = np.tile([0.0, 0.0, 1.0], (count, 1))
    return points, out, 2 * math.hypot(max(wide, THIN), sag), 1


def drawn(points: Sequence[Vec3], at: Array) -> tuple[Array, float]:
    """Places `(n, 3)` on the curve through some points at shares `(n,)` of its length, and how long it is, metres.

    Each coordinate is monotone between two points (Fritsch & Carlson 1980), so the curve nowhere swings out.
    """
    from scipy.interpolate import PchipInterpolator  # slow to import

    through = np.array(points, np.float64)
    steps = np.maximum(np.linalg.norm(np.diff(through, axis=0), axis=1), THIN)
    curve = PchipInterpolator(np.concatenate([[0.0], np.cumsum(steps)]), through)
    fine = curve(np.linspace(0, steps.sum(), CURVE_STEPS))
    length = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(fine, axis=0), axis=1))])
    where = np.interp(at * length[-1], length, np.linspace(0, steps.sum(), CURVE_STEPS))
    return np.asarray(curve(where)), float(length[-1])


def _curve(made: CardField, count: int, rng: np.random.Generator) -> _Strewn:
    """Along a curve that was drawn."""
    points, length = drawn(made.curve, rng.random(count))
    points = points + _unit(rng.normal(size=(count, 3))) * (rng.random((count, 1)) * made.radii[2])
    return points, np.tile([0.0, 0.0, 1.0], (count, 1)), max(length, THIN), 1


_SHAPES: dict[Over, Callable[[CardField, int, np.random.Generator], _Strewn]] = {
    "sphere": _ellipsoid, "dome": _ellipsoid, "ring": _ring, "box": _box, "line": _line,
    "curve": _curve,
}  # fmt: skip


def _four(values: Array) -> Array:
    """What a card has, at each of its corners."""
    return np.repeat(values, 4, axis=0)


def _unit(vectors: Array) -> Array:
    return np.asarray(vectors / np.maximum(np.linalg.norm(vectors, axis=-1, keepdims=True), 1e-12))
