"""Bushes of cards: small bent sheets with cells of an atlas on them, strewn evenly over a dome."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from jade_coat.mesh.building import build_mesh
from jade_coat.mesh.data import FULL, MeshData
from jade_coat.program.types import Array

Cell = tuple[float, float, float, float]
"""A part of an atlas: u and v of its upper left, u and v of its lower right; v runs downward."""
ACROSS, ALONG = 2, 3
"""Quads across a card and along it, so that it can be bent both ways."""
CANDIDATES = 12


@dataclass(frozen=True)
class Bush:
    """What a bush is made from. Metres; shares are 0 to 1. The same numbers give the same bush.

    Cards root between `core` of the way out and the outside of a dome with these half-axes, above `foot`. `outward`
    is how far they point away from its middle rather than any way, `rise` how far upwards; `bend` and `cup` curve them
    along and across, radians. `dome` turns their normals to those of the dome, which then lights as one body.
    """

    cells: tuple[Cell, ...]
    count: int = 120
    size: tuple[float, float] = (0.16, 0.22)
    spread: float = 0.3
    radii: tuple[float, float, float] = (0.5, 0.55, 0.5)
    foot: float = 0.12
    core: float = 0.5
    outward: float = 0.8
    rise: float = 0.35
    bend: float = 0.7
    cup: float = 0.5
    dome: float = 0.75
    seed: int = 1


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
