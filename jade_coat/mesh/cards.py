"""Bushes of cards: small bent sheets with cells of an atlas on them, strewn evenly over a dome."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from jade_coat.material.fields import Frozen, Vec2, Vec3, field, option
from jade_coat.mesh.building import build_mesh
from jade_coat.mesh.data import FULL, MeshData
from jade_coat.program.types import Array

Cell = tuple[float, float, float, float]
"""A part of an atlas: u and v of its upper left, u and v of its lower right; v runs downward."""
ACROSS, ALONG = 2, 3
"""Quads across a card and along it, so that it can be bent both ways."""
CANDIDATES = 12
MOST_CARDS = 4000


ATLAS, SHAPE, CARDS, LIGHT = "Cells of the atlas", "Shape", "Cards", "Light"


class Bush(Frozen):
    """What a bush is made from. The same numbers give the same bush.

    Cards root between `core` of the way out and the outside of a dome with these half-axes, above `foot`. `outward`
    is how far they point away from its middle rather than any way, `rise` how far upwards; `bend` and `cup` curve them
    along and across. `dome` turns their normals to those of the dome, which then lights as one body.
    """

    columns: int = option(
        2, "Across", "integer", low=1, high=64, soft=(1, 8), group=ATLAS, hint="Cells beside one another"
    )
    rows: int = option(2, "Down", "integer", low=1, high=64, soft=(1, 8), group=ATLAS)
    first: int = option(1, "First", "integer", low=1, high=4096, soft=(1, 16), group=ATLAS, hint="Counted row by row")
    last: int = option(4, "Last", "integer", low=1, high=4096, soft=(1, 16), group=ATLAS)
    radii: Vec3 = field(
        (0.5, 0.55, 0.5), "Half-axes", kind="point", unit="m", low=0.001, high=100.0, soft=(0.05, 2.0), group=SHAPE
    )
    foot: float = field(0.12, "Above the ground", unit="m", low=-10.0, high=100.0, soft=(0.0, 1.0), group=SHAPE)
    core: float = field(0.5, "Hollow", group=SHAPE, hint="How far out of the middle cards begin")
    seed: int = option(1, "Seed", "integer", low=0, high=1_000_000, soft=(0, 100), group=SHAPE)
    count: int = option(120, "How many", "integer", low=1, high=MOST_CARDS, soft=(1, 400), group=CARDS)
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
    def cells(self) -> tuple[Cell, ...]:
        """The cells that its cards have, of which each picks one."""
        last = min(max(self.first, self.last), self.columns * self.rows)
        return cells_of(self.columns, self.rows, range(min(self.first, last) - 1, last))


def bush(made: Bush) -> MeshData:
    """The mesh: R how far a point gives way to the wind, G a random number a card, B how sheltered it is by the rest,
    A how far along its card it is.
    """
    rng = np.random.default_rng(made.seed)
    ways, depths = _strewn(made, rng)
    radii = np.array(made.radii)
    middle = np.array([0.0, made.foot, 0.0])
    parts = [_card(made, way, middle + way * radii * depth, rng) for way, depth in zip(ways, depths, strict=True)]
    positions, uv, along = (np.concatenate([p[i] for p in parts]) for i in range(3))
    card_normals = np.concatenate([p[3] for p in parts])
    each = len(parts[0][0])
    out = _unit((positions - middle) / radii**2)
    normals = _unit(card_normals * (1 - made.dome) + out * made.dome)
    reach = np.clip(np.linalg.norm((positions - middle) / radii, axis=1), 0, 1.2) / 1.2
    height = np.clip(positions[:, 1] / (made.foot + made.radii[1]), 0, 1)
    chance = np.repeat(rng.random(len(parts)), each)
    colors = np.stack([height**1.5 * (0.35 + 0.65 * along), chance, 1 - reach, along], axis=1)
    return build_mesh(
        positions, _triangles(len(parts)), "bush", normals=normals, uvs=(uv,),
        colors=(np.round(np.clip(colors, 0, 1) * FULL).astype(np.uint16),),
    )  # fmt: skip


def _strewn(made: Bush, rng: np.random.Generator) -> tuple[Array, Array]:
    """Where cards root: ways out of the middle `(n, 3)`, upper half, and how far along them `(n,)`.

    Of some candidates the one that is farthest from all before it is taken (Mitchell 1991).
    """
    taken: list[Array] = []
    radii = np.array(made.radii)
    for _ in range(made.count):
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


def _card(made: Bush, way: Array, root: Array, rng: np.random.Generator) -> tuple[Array, Array, Array, Array]:
    """One card: positions, UVs, how far along each vertex is, and its own normals."""
    wide, long = np.array(made.size) * (1 + made.spread * rng.uniform(-1, 1))
    chance = _unit(rng.normal(size=(1, 3)))[0]
    ahead = _unit((way * made.outward + chance * (1 - made.outward) + [0.0, made.rise, 0.0])[None])[0]
    side = np.cross(ahead, _unit((chance + np.array([0.0, 0.3, 0.0]))[None])[0])
    side /= max(float(np.linalg.norm(side)), 1e-6)
    face = np.cross(side, ahead)
    if face @ way < 0:  # its face looks out of the bush
        side, face = -side, -face
    s, t = (g.ravel() for g in np.meshgrid(np.linspace(-0.5, 0.5, ACROSS + 1), np.linspace(0, 1, ALONG + 1)))
    # Along an arc the card leaves its own plane by what bending it turns it; across it is a shallow trough.
    turn = made.bend * t
    run = np.where(made.bend > 1e-4, np.sin(turn) / max(made.bend, 1e-4), t)
    drop = np.where(made.bend > 1e-4, (1 - np.cos(turn)) / max(made.bend, 1e-4), 0 * t)
    trough = made.cup * s * s
    positions = (
        root
        + side * (s * wide)[:, None]
        + ahead * (run * long)[:, None]
        + face * (trough * wide - drop * long)[:, None]
    )
    bent = face * np.cos(turn)[:, None] + ahead * np.sin(turn)[:, None]
    normals = _unit(bent - side * (2 * made.cup * s)[:, None])
    u0, v0, u1, v1 = made.cells[int(rng.integers(len(made.cells)))]
    if rng.random() < 0.5:
        u0, u1 = u1, u0
    uv = np.stack([u0 + (u1 - u0) * (s + 0.5), v1 + (v0 - v1) * t], axis=1)
    return positions, uv, t, normals


def _triangles(cards: int) -> Array:
    corner = np.arange(ALONG * (ACROSS + 1)).reshape(ALONG, ACROSS + 1)[:, :-1].ravel()
    right, up = corner + 1, corner + ACROSS + 1
    one = np.concatenate([np.stack([corner, right, up], 1), np.stack([right, up + 1, up], 1)])
    starts = np.arange(cards)[:, None, None] * ((ACROSS + 1) * (ALONG + 1))
    return np.asarray((one[None] + starts).reshape(-1, 3))


def _unit(vectors: Array) -> Array:
    return np.asarray(vectors / np.maximum(np.linalg.norm(vectors, axis=-1, keepdims=True), 1e-9))


def cells_of(columns: int, rows: int, wanted: Sequence[int], margin: float = 0.0) -> tuple[Cell, ...]:
    """Some cells of an atlas of equal ones, counted row by row; `margin`, a share of a cell, is left away all round."""
    found = []
    for number in wanted:
        row, column = divmod(number, columns)
        u0, u1 = (column + margin) / columns, (column + 1 - margin) / columns
        v0, v1 = (row + margin) / rows, (row + 1 - margin) / rows
        found.append((u0, v0, u1, v1))
    return tuple(found)
