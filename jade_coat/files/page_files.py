"""The pages of grounds in a project's folder: read tile by tile, and what is damaged named and kept in mind."""

from __future__ import annotations

import math
import re
from pathlib import Path

import numpy as np

from jade_coat.files.arrays import read_array
from jade_coat.files.regular import read_regular, reason
from jade_coat.ground.heights import FEWEST, MOST, Heights
from jade_coat.ground.pages import SIDE, LostTile, Pages
from jade_coat.program.types import Array
from jade_coat.stage.grounds import Ground, StoredHeights, StoredPages
from jade_coat.stage.project import Project


def page_names(ground: Ground) -> set[str]:
    """The files that a ground as it was read names, without their ending."""
    stored = [ground.heights.pages] if isinstance(ground.heights, StoredHeights) else []
    stored += [w for w in (*ground.weights.values(), ground.by_hand) if isinstance(w, StoredPages)]
    return {tile for pages in stored for tile in pages.tiles if isinstance(tile, str)}


def with_pages(project: Project, folder: Path, problems: list[str], unread: set[str]) -> Project:
    """The project with the pages of its grounds read.

    What cannot be read is level, or not painted, stays referred to, and is named. Raises ValueError where what
    project.json says of pages makes no sense: nothing could keep that.
    """
    found = []
    for ground in project.grounds:
        lost: list[str] = []
        try:
            found.append(_read(ground, folder, lost, unread))
        except ValueError as error:
            raise ValueError(f"the ground {ground.name}: {error}") from None
        if lost:
            more = f" and {len(lost) - 2} more" if len(lost) > 2 else ""
            problems.append(
                f"Parts of the ground {ground.name} are lost, and level or bare: {', '.join(lost[:2])}{more}. "
                "Put the files back and open the project again, or sculpt and paint them anew."
            )
    return project.with_things("grounds", *found)


def _read(ground: Ground, folder: Path, lost: list[str], unread: set[str]) -> Ground:
    heights, weights = ground.heights, dict(ground.weights)
    if isinstance(heights, StoredHeights):
        sides = (heights.pages.rows, heights.pages.columns)
        if (
            min(sides) < FEWEST
            or max(sides) > MOST
            or not min(heights.size) > 0
            or not math.isfinite(sum(heights.size))
        ):
            raise ValueError(f"a ground has {FEWEST} to {MOST} samples along an edge and a size, not {sides}")
        heights = Heights(_pages(heights.pages, "float32", folder, lost, unread), heights.size)
    for layer, stored in weights.items():
        if isinstance(stored, StoredPages):
            weights[layer] = _pages(stored, "uint8", folder, lost, unread)
    by_hand = ground.by_hand
    if isinstance(by_hand, StoredPages):
        by_hand = _pages(by_hand, "uint8", folder, lost, unread)
    made: Ground = ground.with_(heights=heights, weights=weights, by_hand=by_hand)
    return made


def _pages(stored: StoredPages, dtype: str, folder: Path, lost: list[str], unread: set[str]) -> Pages:
    """Raises ValueError where what project.json says cannot be."""
    flat = Pages.flat(stored.rows, stored.columns, dtype, 0)
    if len(stored.tiles) != len(flat.tiles):
        raise ValueError(f"it names {len(stored.tiles)} tiles of {len(flat.tiles)} ({SIDE} cells along an edge)")
    tiles: list[object] = []
    gone: dict[int, str] = {}
    for i, tile in enumerate(stored.tiles):
        if not isinstance(tile, str):
            if not math.isfinite(tile) or (dtype == "uint8" and not 0 <= tile <= 255):
                raise ValueError(f"{tile} is no value of a tile")
            tiles.append(np.dtype(dtype).type(tile).item())
            continue
        if not re.fullmatch(r"[0-9a-f]{24}", tile):
            raise ValueError(f"{tile[:40]!r} is no name of a tile")
        try:
            tiles.append(_tile(folder, tile, flat, i))
        except (OSError, ValueError, MemoryError) as error:
            unread.add(f"{tile}.npy")
            lost.append(f"paint/{tile}.npy ({reason(error)})")
            tiles.append(0)
            gone[i] = tile
    there = [float(np.asarray(t).mean()) for i, t in enumerate(tiles) if i not in gone] if gone else []
    level = float(np.float32(np.mean(there))) if dtype == "float32" and there else 0.0
    for i, key in gone.items():
        tiles[i] = LostTile(level, key)
    return Pages(stored.rows, stored.columns, dtype, tuple(tiles))


def _tile(folder: Path, name: str, pages: Pages, number: int) -> Array:
    top, bottom, left, right = pages.rect(number)
    wanted = (bottom - top, right - left)
    data = read_regular(folder / "paint" / f"{name}.npy", folder, largest=1 << 20)
    values = read_array(
        data, lambda kind, shape: kind.name == pages.dtype and shape == wanted, f"{pages.dtype} {wanted}"
    )
    if not np.isfinite(values).all():
        raise ValueError("some of it is no number")
    return values
