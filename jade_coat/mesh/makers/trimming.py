"""Cells of an atlas, found by their opacity, and the polygons of few corners that hold all that shows in one."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np

from jade_coat.program.types import Array

Cell = tuple[float, float, float, float]
"""A part of an atlas: u and v of its upper left, u and v of its lower right; v runs downward."""
MOST_OTHERS = 6000
"""Points by which what else shows on an atlas is known."""
SPECK = 1e-4
"""What covers less of the atlas is no cell."""
REACH = 0.5
"""How far beyond its own square a texel can show when it is filtered, texels."""


def grid_cells(columns: int, rows: int) -> tuple[Cell, ...]:
    """All cells of an atlas of equal ones, row by row."""
    return tuple(
        (column / columns, row / rows, (column + 1) / columns, (row + 1) / rows)
        for row in range(rows) for column in range(columns)
    )  # fmt: skip


def found_cells(opacity: Array, cut: float, gap: float) -> tuple[Cell, ...]:
    """The cells of an atlas `(h, w)`, row by row: what shows and lies nearer together than `gap` of its longer side."""
    from scipy import ndimage  # slow to import, and only for who makes cards

    shows = opacity >= cut
    high, wide = shows.shape
    reach = max(round(gap * max(high, wide) / 2), 0)
    joined = shows.astype(np.uint8)
    if reach:
        ring = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (2 * reach + 1, 2 * reach + 1))
        joined = np.asarray(cv2.dilate(joined, ring), np.uint8)
    labels, count = ndimage.label(joined)
    labels = np.where(shows, labels, 0)
    sizes = np.bincount(labels.ravel(), minlength=count + 1)
    boxes = []
    for number, box in enumerate(ndimage.find_objects(labels, count), start=1):
        if box is not None and sizes[number] >= SPECK * shows.size:
            (y0, y1), (x0, x1) = ((s.start, s.stop) for s in box)
            grown = max(reach, 1)
            boxes.append((max(x0 - grown, 0) / wide, max(y0 - grown, 0) / high,
                          min(x1 + grown, wide) / wide, min(y1 + grown, high) / high))  # fmt: skip
    return tuple(_by_rows(boxes))


def _by_rows(boxes: list[Cell]) -> list[Cell]:
    """Boxes as people read them: a row is what begins above the middle of the row's first."""
    left, found = sorted(boxes, key=lambda b: b[1]), []
    while left:
        middle = (left[0][1] + left[0][3]) / 2
        row = [b for b in left if b[1] < middle]
        found += sorted(row, key=lambda b: b[0])
        left = [b for b in left if b[1] >= middle]
    return found


def _texels(opacity: Array, cell: Cell) -> tuple[int, int, int, int]:
    """The left, top, right and bottom texels of a cell, the last two beyond it."""
    high, wide = opacity.shape
    left, top, right, bottom = (round(c * n) for c, n in zip(cell, (wide, high, wide, high), strict=True))
    return left, top, right, bottom


def share_shown(opacity: Array, cell: Cell, cut: float) -> float:
    """The share of a cell on which something shows."""
    left, top, right, bottom = _texels(opacity, cell)
    return float((opacity[top:bottom, left:right] >= cut).mean())


def hull_of(opacity: Array, cell: Cell, cut: float) -> Array | None:
    """The convex outline `(n, 2)` of all that shows in a cell, within it; None where nothing does.

    Corners are shares of the cell, x to the right and y downward, counter-clockwise as they are seen with y upward.
    """
    from scipy.spatial import ConvexHull

    left, top, right, bottom = _texels(opacity, cell)
    part = opacity[top:bottom, left:right] >= cut
    lines = np.flatnonzero(part.any(axis=1))
    if not len(lines):
        return None
    first, last = part[lines].argmax(axis=1), part.shape[1] - 1 - part[lines, ::-1].argmax(axis=1)
    points = np.concatenate([
        np.stack([x, lines + y], axis=1)
        for x in (first - REACH, last + 1 + REACH) for y in (-REACH, 1 + REACH)
    ])  # fmt: skip
    size = np.array([part.shape[1], part.shape[0]])
    points = np.clip(points, 0, size) / size
    around = points[ConvexHull(points).vertices]
    return np.asarray(around[::-1])  # counter-clockwise with y downward is clockwise as seen


@dataclass(frozen=True)
class Room:
    """Where corners may lie: between two of them in shares of a cell, with none of some points `(n, 2)` inside."""

    low: Array
    high: Array
    others: Array


WITHIN = Room(np.zeros(2), np.ones(2), np.zeros((0, 2)))
"""The cell itself."""


def room_about(opacity: Array, cell: Cell, cut: float) -> Room:
    """The whole atlas about a cell, but for what shows on it elsewhere."""
    high, wide = opacity.shape
    left, top, right, bottom = _texels(opacity, cell)
    shows = (opacity >= cut).astype(np.uint8)
    shows[top:bottom, left:right] = 0
    rim = np.asarray(cv2.dilate(shows, np.ones((3, 3), np.uint8))) - shows
    y, x = np.nonzero(rim)
    every = max(len(x) // MOST_OTHERS, 1)
    size = np.array([right - left, bottom - top])
    others = (np.stack([x, y], axis=1)[::every] + 0.5 - [left, top]) / size
    return Room(-np.array([left, top]) / size, (np.array([wide, high]) - [left, top]) / size, others)


def budgeted(hull: Array, room: Room = WITHIN) -> dict[int, Array]:
    """By their number of corners the polygons that hold a convex one, from its own down to the fewest there can be.

    The side is taken away that adds the least area when its neighbours are drawn on until they meet, again and again,
    as far as there is room. Of four corners the upright box may be the smaller one.
    """
    polygon, found = np.asarray(hull, np.float64), {len(hull): np.asarray(hull, np.float64)}
    while len(polygon) > 3:
        meets, added = _drawn_on(polygon, room)
        best = next((int(i) for i in added.argsort() if np.isfinite(added[i]) and _free(polygon, meets, i, room)), -1)
        if best < 0:
            break
        kept = np.roll(polygon, -best, axis=0)
        polygon = np.concatenate([meets[best : best + 1], kept[2:]])
        found[len(polygon)] = polygon
    low, high = hull.min(axis=0), hull.max(axis=0)
    box = np.array([[low[0], high[1]], [high[0], high[1]], [high[0], low[1]], [low[0], low[1]]])
    if len(hull) >= 4 and (4 not in found or area_of(box) < area_of(found[4])):
        found[4] = box
    return found


def _drawn_on(polygon: Array, room: Room) -> tuple[Array, Array]:
    """For each side where its neighbours meet `(n, 2)`, and the area that adds, infinite where they do not."""
    before, start, end, after = (np.roll(polygon, by, axis=0) for by in (1, 0, -1, -2))
    along, back = start - before, end - after
    cross = along[:, 0] * back[:, 1] - along[:, 1] * back[:, 0]
    gap = end - start
    with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
        far = (gap[:, 0] * back[:, 1] - gap[:, 1] * back[:, 0]) / cross
        on_back = (gap[:, 0] * along[:, 1] - gap[:, 1] * along[:, 0]) / cross
        meets = start + along * far[:, None]
        added = np.abs(gap[:, 0] * (meets - start)[:, 1] - gap[:, 1] * (meets - start)[:, 0]) / 2
        inside = ((meets >= room.low - 1e-9) & (meets <= room.high + 1e-9)).all(axis=1)
    good = (far > 0) & (on_back > 0) & inside & np.isfinite(added)
    return np.clip(np.nan_to_num(meets), room.low, room.high), np.where(good, added, np.inf)


def _free(polygon: Array, meets: Array, side: int, room: Room) -> bool:
    """Whether the triangle that drawing on past a side adds has none of the room's points inside."""
    corners = (polygon[side], meets[side], polygon[(side + 1) % len(polygon)])
    inside = np.ones(len(room.others), bool)
    turn = np.sign(_turned(corners[0], corners[1], corners[2][None])[0])
    for a, b in zip(corners, (*corners[1:], corners[0]), strict=True):
        inside &= _turned(a, b, room.others) * turn >= 0
    return not inside.any()


def _turned(a: Array, b: Array, points: Array) -> Array:
    """On which hand of the line from a to b points `(n, 2)` lie, by the sign."""
    return np.asarray((b[0] - a[0]) * (points[:, 1] - a[1]) - (b[1] - a[1]) * (points[:, 0] - a[0]))


def area_of(polygon: Array) -> float:
    """The area of a polygon `(n, 2)`."""
    x, y = np.asarray(polygon, np.float64).T
    return float(abs(x @ np.roll(y, -1) - y @ np.roll(x, -1)) / 2)


def trimmed(opacity: Array, cell: Cell, cut: float, corners: int, beyond: bool = False) -> Array | None:
    """The polygon of at most so many corners, 3 or more, that holds all that shows in a cell; None where nothing does.

    Where no polygon of so few does, the one of the fewest corners. It stays within the cell, or with `beyond` goes as
    far as nothing else of the atlas shows on it.
    """
    hull = hull_of(opacity, cell, cut)
    if hull is None:
        return None
    found = budgeted(hull, room_about(opacity, cell, cut) if beyond else WITHIN)
    few = [n for n in found if n <= corners]
    return min((found[n] for n in few), key=area_of) if few else found[min(found)]


def curve_of(opacity: Array, cell: Cell, cut: float, beyond: bool = False, most: int = 16) -> list[tuple[int, float]]:
    """By numbers of corners, fewest first, the area of the trimmed polygon as a share of its cell's."""
    hull = hull_of(opacity, cell, cut)
    if hull is None:
        return []
    found = budgeted(hull, room_about(opacity, cell, cut) if beyond else WITHIN)
    told, best = [], np.inf
    for corners in sorted(n for n in found if n <= most):
        best = min(best, area_of(found[corners]))
        told.append((corners, float(best)))
    return told
