"""The arrays under paint/: own paint of props, tiles of grounds. They are read, written, and cleared away here."""

from __future__ import annotations

import contextlib
import os
import re
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np

from jade_coat.files.arrays import array_bytes, read_array
from jade_coat.files.atomic import WriteFailed, write_atomic
from jade_coat.files.page_files import page_names
from jade_coat.files.regular import is_regular, read_regular, reason
from jade_coat.ground.pages import LostTile, tile_key
from jade_coat.maps.images import read_image
from jade_coat.mesh.painting import MAP_SIDES, Paint, PaintMap
from jade_coat.stage.project import Project, Prop, StoredMap

FOLDER = "paint"
NAME = re.compile(r"[0-9a-f]{24}\.(npy|png)")
MOST_VERTICES = 1 << 26
YOUNG_SECONDS = 3600.0
"""What nobody refers to stays for so long: a save that runs elsewhere may be about to."""
DAMAGED = ".damaged"
"""What the name of a broken file ends in once sound paint has taken its place."""
Content = Callable[[], bytes]


def paint_names(project: Project) -> set[str]:
    """The paint files that a project refers to, whether or not they could be read."""
    return set(paint_contents(project))


def paint_contents(project: Project) -> dict[str, Content | None]:
    """The paint files that a project refers to, and what makes their bytes; None for what could not be read."""
    found: dict[str, Content | None] = {}
    for prop in project.props:
        if isinstance(prop.paint, Paint):
            found[f"{prop.paint.key}.npy"] = partial(_paint_bytes, prop.paint)
        elif isinstance(prop.paint, str):
            found.setdefault(f"{prop.paint}.npy", None)
        if isinstance(prop.paint_map, PaintMap):
            found[f"{prop.paint_map.paint.key}.png"] = partial(_map_bytes, prop.paint_map)
        elif isinstance(prop.paint_map, StoredMap):
            found.setdefault(f"{prop.paint_map.file}.png", None)
    for ground in project.grounds:
        for name in page_names(ground):
            found.setdefault(f"{name}.npy", None)
        for pages in (p for p in ground.pages if hasattr(p, "key")):
            for i, tile in enumerate(pages.tiles):
                if isinstance(tile, np.ndarray):
                    found[f"{pages.key(i)}.npy"] = partial(array_bytes, tile)
                elif isinstance(tile, LostTile):
                    found.setdefault(f"{tile.key}.npy", None)
    return found


def write_paint(
    folder: Path, project: Project, known: frozenset[str], unread: frozenset[str], source: Path | None, mode: int
) -> frozenset[str]:
    """Write a project's paint where it is not there yet; the names of all it refers to. Raises WriteFailed.

    `known` is what it had there already, `unread` what of that could not be read. What could not be read is carried
    along as it is from the folder `source` it was opened in; what it gives way to is kept beside under another name.
    """
    contents = paint_contents(project)
    for name, content in contents.items():
        path = folder / FOLDER / name
        if not NAME.fullmatch(name):  # no name of ours: it stays in project.json, and leads nowhere
            continue
        if name in known - unread and path.is_file():
            continue
        if content is None:
            if (
                source is not None
                and source != folder
                and not path.exists()
                and is_regular(source / FOLDER / name, source)
            ):
                write_atomic(path, read_regular(source / FOLDER / name, source), mode, within=folder)
            continue
        data = content()
        if path.exists() or path.is_symlink():
            with contextlib.suppress(OSError):
                if read_regular(path, folder) == data:
                    continue
            _put_aside(path)
        write_atomic(path, data, mode, within=folder)
    return frozenset(contents)


def _put_aside(path: Path) -> None:
    """Keep what lies in the place of sound paint under another name."""
    try:
        names = (f"{path.name}{DAMAGED}{n or ''}" for n in range(1000))
        os.rename(path, next(p for p in map(path.with_name, names) if not p.exists()))
    except OSError as error:
        raise WriteFailed(
            error.errno, f"{path} is damaged and cannot be put aside ({error.strerror}). Move it away and save again."
        ) from error


def clear_paint(folder: Path, gone: frozenset[str], kept: frozenset[str]) -> None:
    """Remove paint that this project had here and needs no more, and what killed saves left behind long ago.

    Never through a link, never what others put there, never what another project's file in the folder names.
    """
    place = folder / FOLDER
    if place.is_symlink() or not place.is_dir():
        return
    with contextlib.suppress(OSError):
        old = {n for n in os.listdir(place) if NAME.fullmatch(n) and n not in kept and n not in gone}
        left = {n for n in old if _is_old(place / n) and _is_ours(place / n)}
        doomed = {n for n in gone if NAME.fullmatch(n)} | left
        if doomed:
            doomed -= _named_elsewhere(folder)
        for path in (place / n for n in doomed):
            if path.is_file() and not path.is_symlink():
                path.unlink(missing_ok=True)


def _is_old(path: Path) -> bool:
    return not path.is_symlink() and abs(time.time() - path.stat().st_mtime) > YOUNG_SECONDS


def _is_ours(path: Path) -> bool:
    """Whether a file is paint as we write it: its name is the mark of what it holds."""
    try:
        if path.suffix == ".png":
            return _read_picture(path, path.name).paint.key == path.stem
        values = read_array(read_regular(path), lambda kind, shape: len(shape) == 2 and min(shape) > 0, "paint")
        keys = {tile_key(values)} | ({Paint.of(values).key} if values.dtype in (np.uint8, np.uint16) else set())
        return path.stem in keys
    except (OSError, ValueError, MemoryError):
        return False


def _named_elsewhere(folder: Path) -> set[str]:
    """The paint that files beside project.json name: copies of it that somebody keeps there."""
    found: set[str] = set()
    for path in folder.iterdir():
        if ".json" in path.name and path.name not in ("project.json", "desk.json"):
            with contextlib.suppress(OSError):
                marks = re.findall(rb"[0-9a-f]{24}", read_regular(path, largest=1 << 30))
                found |= {f"{m.decode()}{end}" for m in marks for end in (".npy", ".png")}
    return found


def _map_bytes(paint_map: PaintMap) -> bytes:
    return paint_map.png


def _paint_bytes(paint: Paint) -> bytes:
    return array_bytes(paint.whole())


def with_paint(project: Project, folder: Path, problems: list[str], unread: set[str]) -> Project:
    """The project with the paint of its props read. What cannot be read stays referred to, and is named."""
    props = []
    for prop in project.props:
        read = _with_own(prop, folder, problems, unread)
        if read is not prop:
            props.append(read)
    return project.with_things("props", *props)


def _with_own(prop: Prop, folder: Path, problems: list[str], unread: set[str]) -> Prop:
    """A prop with its own paint read; what cannot be is named."""
    wanted: list[tuple[str, str, Callable[[], Any], str, str]] = []
    if isinstance(prop.paint, str):
        read: Callable[[], Any] = partial(_read_paint, folder, prop.paint)
        wanted.append(("paint", f"{prop.paint}.npy", read, "paint", "the mesh's own colours"))
    if isinstance(prop.paint_map, StoredMap):
        read = partial(_read_map, folder, prop.paint_map)
        wanted.append(("paint_map", f"{prop.paint_map.file}.png", read, "painted map", "the paint on its vertices"))
    for field, name, read, word, instead in wanted:
        try:
            prop = prop.with_known(**{field: read()})
        except (OSError, ValueError, MemoryError) as error:
            unread.add(name)
            problems.append(
                f"The {word} of {prop.name} is lost: {FOLDER}/{name}: {reason(error)}. Put the file back and open the "
                f"project again; until then it shows {instead}."
            )
    return prop


def _read_paint(folder: Path, key: str) -> Paint:
    if not re.fullmatch(r"[0-9a-f]{24}", key):
        raise ValueError(f"{key[:40]!r} is no name of a paint file")

    def fits(kind: np.dtype, shape: tuple[int, ...]) -> bool:
        sound = len(shape) == 2 and shape[1] in (4, 8, 12, 16) and 0 < shape[0] <= MOST_VERTICES
        return sound and kind == np.uint16

    data = read_regular(folder / FOLDER / f"{key}.npy", folder)
    return Paint.of(read_array(data, fits, "uint16 (vertices, 4)"))


def _read_map(folder: Path, stored: StoredMap) -> PaintMap:
    made = _read_picture(folder / FOLDER / f"{stored.file}.png", stored.file, folder)
    return PaintMap(made.side, stored.uv_set, made.paint, stored.color_set, stored.repeats)


def _read_picture(path: Path, name: str, within: Path | None = None) -> PaintMap:
    picture = read_image(read_regular(path, within), name)
    if picture.shape[2] != 4 or picture.shape[0] not in MAP_SIDES or picture.shape[0] != picture.shape[1]:
        raise ValueError(f"it is {picture.shape}, expected a square of four channels, 16 to 8192 texels a side")
    return PaintMap.of_picture(picture, 0)
