"""The pages of grounds in a project's folder: read tile by tile, and what is damaged named."""

from __future__ import annotations

import math
import re
from pathlib import Path

import numpy as np

from jade_coat.ground.heights import Heights
from jade_coat.ground.pages import SIDE, Pages
from jade_coat.program.types import Array
from jade_coat.stage.grounds import Ground, StoredHeights, StoredPages
from jade_coat.stage.project import Project


def page_names(ground: Ground) -> set[str]:
    """The files that a ground as it was read names, without their ending."""
    stored = [ground.heights.pages] if isinstance(ground.heights, StoredHeights) else []
    stored += [w for w in (*ground.weights.values(), ground.by_hand) if isinstance(w, StoredPages)]
    return {tile for pages in stored for tile in pages.tiles if isinstance(tile, str)}


def with_pages(project: Project, folder: Path, problems: list[str], unread: set[str]) -> Project:
    """The project with the pages of its grounds read; what cannot be read is level, or not painted, and named."""
    found = []
    for ground in project.grounds:
        lost: list[str] = []
        try:
            found.append(_read(ground, folder, lost, unread))
        except ValueError as error:
            problems.append(f"The ground {ground.name} is lost: {error}. Undo what was changed in the file by hand.")
            project = project.with_(grounds=project.grounds.without(ground.id))
        if lost:
            more = f" and {len(lost) - 2} more" if len(lost) > 2 else ""
            problems.append(
                f"Parts of the ground {ground.name} are lost, and level or bare: {', '.join(lost[:2])}{more}. "
                "Put the files back, or sculpt and paint them anew."
            )
    return project.with_things("grounds", *found)


def _read(ground: Ground, folder: Path, lost: list[str], unread: set[str]) -> Ground:
    heights, weights = ground.heights, dict(ground.weights)
    if isinstance(heights, StoredHeights):
        pages = _pages(heights.pages, "float32", folder, lost, unread)
        heights = Heights.of(pages.whole(), heights.size)
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
    gone: list[int] = []
    for i, tile in enumerate(stored.tiles):
        if not isinstance(tile, str):
            if not math.isfinite(tile) or (dtype == "uint8" and not 0 <= tile <= 255):
                raise ValueError(f"{tile} is no value of a tile")
            tiles.append(np.dtype(dtype).type(tile).item())
            continue
        try:
            tiles.append(_tile(folder, tile, flat, i))
        except (OSError, ValueError, EOFError) as error:
            unread.add(f"{tile}.npy")
            lost.append(f"paint/{tile}.npy ({error})")
            tiles.append(0)
            gone.append(i)
    there = [float(np.asarray(t).mean()) for i, t in enumerate(tiles) if i not in gone]
    for i in gone if dtype == "float32" and there else ():
        tiles[i] = float(np.float32(np.mean(there)))
    return Pages(stored.rows, stored.columns, dtype, tuple(tiles))


def _tile(folder: Path, name: str, pages: Pages, number: int) -> Array:
    if not re.fullmatch(r"[0-9a-f]{24}", name):
        raise ValueError(f"{name[:40]!r} is no name of a tile")
    values: Array = np.load(folder / "paint" / f"{name}.npy", allow_pickle=False)
    top, bottom, left, right = pages.rect(number)
    if values.shape != (bottom - top, right - left) or values.dtype.name != pages.dtype:
        expected = f"{pages.dtype} {(bottom - top, right - left)}"
        raise ValueError(f"it holds {values.dtype} {values.shape}, expected {expected}")
    if not np.isfinite(values).all():
        raise ValueError("some of it is no number")
    values.flags.writeable = False
    return values
