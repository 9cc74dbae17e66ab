"""The flat pieces that cards are bent from: a whole cell of an atlas, or a polygon cut out of one."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from jade_coat.mesh.makers.trimming import Cell
from jade_coat.program.types import Array

STRAIGHT = 1e-4
"""What is bent by less than this angle, in radians, is flat."""


@dataclass(frozen=True)
class Sheet:
    """A flat card: `places` `(n, 2)`, x from −½ to ½ across and y from 0 to 1 along, `uv` `(n, 2)`, and `triangles`
    `(m, 3)`, counter-clockwise as they are seen."""

    places: Array
    uv: Array
    triangles: Array

    @property
    def mirrored(self) -> Sheet:
        """The same with left and right exchanged."""
        return Sheet(self.places * [-1, 1], self.uv, self.triangles[:, ::-1])


def whole(cell: Cell, across: int, along: int) -> Sheet:
    """A whole cell, in so many quads."""
    s, t = (g.ravel() for g in np.meshgrid(np.linspace(-0.5, 0.5, across + 1), np.linspace(0, 1, along + 1)))
    corner = np.arange(along * (across + 1)).reshape(along, across + 1)[:, :-1].ravel()
    right, up = corner + 1, corner + across + 1
    triangles = np.concatenate([np.stack([corner, right, up], 1), np.stack([right, up + 1, up], 1)])
    places = np.stack([s, t], axis=1)
    return Sheet(places, _uv(places, cell), triangles)


def cut_out(polygon: Array, cell: Cell, across: int, along: int) -> Sheet:
    """A convex polygon of a cell (shares of it, y downward), split where so many quads would be so that it can bend."""
    piece = np.stack([polygon[:, 0] - 0.5, 1 - polygon[:, 1]], axis=1)
    pieces = [piece]
    for axis, lines in ((0, np.linspace(-0.5, 0.5, across + 1)[1:-1]), (1, np.linspace(0, 1, along + 1)[1:-1])):
        for line in lines:
            pieces = [half for p in pieces for half in _halves(p, axis, float(line))]
    corners = np.concatenate(pieces)
    places, at = np.unique(np.round(corners, 7), axis=0, return_inverse=True)
    triangles, start = [], 0
    for part in pieces:
        own = at.ravel()[start : start + len(part)]
        triangles += [(own[0], own[i], own[i + 1]) for i in range(1, len(part) - 1)]
        start += len(part)
    return Sheet(places, _uv(places, cell), np.array(triangles))


def _halves(polygon: Array, axis: int, line: float) -> list[Array]:
    """A convex polygon cut along a line across an axis: what lies below it and above (Sutherland & Hodgman 1974)."""
    found = []
    for side in (-1.0, 1.0):
        away = (polygon[:, axis] - line) * side
        kept = []
        for i in range(len(polygon)):
            j = (i + 1) % len(polygon)
            if away[i] >= 0:
                kept.append(polygon[i])
            if away[i] * away[j] < 0:
                # From the same end for both halves, so that they meet exactly.
                low, high = (i, j) if polygon[i][axis] < polygon[j][axis] else (j, i)
                share = (line - polygon[low][axis]) / (polygon[high][axis] - polygon[low][axis])
                kept.append(polygon[low] + (polygon[high] - polygon[low]) * share)
        if len(kept) > 2 and np.ptp(np.array(kept)[:, axis]) > 1e-9:
            found.append(np.array(kept))
    return found


def _uv(places: Array, cell: Cell) -> Array:
    u0, v0, u1, v1 = cell
    return np.stack([u0 + (u1 - u0) * (places[:, 0] + 0.5), v1 + (v0 - v1) * places[:, 1]], axis=1)


def bent(
    sheet: Sheet, size: tuple[float, float], bend: float, cup: float, pivot: tuple[float, float] = (0.5, 0.0)
) -> tuple[Array, Array]:
    """Positions and normals `(n, 3)` each of a card: x across, y along, z out of its face; `pivot` lies at the origin.

    Along it is an arc that turns by `bend` over its length, across a shallow trough. `size` is across and along in
    metres, `pivot` a share of both.
    """
    wide, long = size
    s, t = sheet.places[:, 0] + 0.5 - pivot[0], sheet.places[:, 1] - pivot[1]
    turn = bend * t
    if bend > STRAIGHT:
        run, drop = np.sin(turn) / bend, (1 - np.cos(turn)) / bend
    else:
        run, drop = t, 0 * t
    positions = np.stack([s * wide, run * long, cup * s * s * wide - drop * long], axis=1)
    normals = np.stack([-2 * cup * s, np.sin(turn), np.cos(turn)], axis=1)
    return positions, normals / np.linalg.norm(normals, axis=1, keepdims=True)
