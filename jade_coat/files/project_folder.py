"""Project folders: saving atomically, opening with every problem named, and recovery after a crash."""

from __future__ import annotations

import io
import json
import os
import re
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
from pydantic import ValidationError

from jade_coat.files.assets import Assets, MissingAsset
from jade_coat.files.atomic import write_atomic
from jade_coat.maps.images import read_image
from jade_coat.mesh.painting import MAP_SIDES, Paint, PaintMap
from jade_coat.stage.project import SCHEMA_VERSION, Project, StoredMap

FILE = "project.json"
_UNREAD: set[Path] = set()
"""Paint files that could not be read in this run: saving leaves them where they are."""


class BadProject(ValueError):
    """A project that cannot be opened; the message names the file and the remedy."""


@dataclass
class Opened:
    """A project that was opened, its assets, and what is missing or wrong with parts of it."""

    project: Project
    assets: Assets
    problems: list[str] = field(default_factory=list)


def asset_names(project: Project) -> list[str]:
    """The maps and meshes a project refers to."""
    maps = [m.asset for s in project.map_sets for m in s.maps]
    sky = {project.light.sky} if "/" in project.light.sky else set()
    return sorted({*maps, *(m.asset for m in project.meshes), *sky})


def painted_maps(project: Project) -> list[PaintMap]:
    """The painted maps of a project's props."""
    return [p.paint_map for p in project.props if isinstance(p.paint_map, PaintMap)]


def save_project(project: Project, assets: Assets, folder: Path) -> None:
    """Save into a folder: new assets and paint first, then project.json in one step.

    A crash at any moment leaves the old project or the new one. Raises WriteFailed; the old project is then intact.
    """
    assets.write_to(folder, asset_names(project))
    kept: set[str] = set()
    for prop in project.props:
        if isinstance(prop.paint, Paint):
            kept.add(_write_paint(folder, f"{prop.paint.key}.npy", partial(_paint_bytes, prop.paint)))
        if isinstance(prop.paint_map, PaintMap):
            kept.add(_write_paint(folder, f"{prop.paint_map.paint.key}.png", partial(_map_bytes, prop.paint_map)))
    text = json.dumps(project.model_dump(mode="json"), indent=1, ensure_ascii=False)
    write_atomic(folder / FILE, text.encode() + b"\n")
    _sweep(folder / "paint", kept)


def _write_paint(folder: Path, name: str, data: Callable[[], bytes]) -> str:
    """Write a paint file where it is not there yet, or could not be read; its name."""
    path = folder / "paint" / name
    if path in _UNREAD or not path.is_file():
        write_atomic(path, data())
        _UNREAD.discard(path)
    return name


def _map_bytes(paint_map: PaintMap) -> bytes:
    return paint_map.png


def _paint_bytes(paint: Paint) -> bytes:
    buffer = io.BytesIO()
    np.save(buffer, paint.whole(), allow_pickle=False)
    return buffer.getvalue()


def _sweep(folder: Path, kept: set[str]) -> None:
    """Remove paint that no prop refers to any more; only files with names that this module gives."""
    if folder.is_dir():
        for path in folder.iterdir():
            if re.fullmatch(r"[0-9a-f]{24}\.(npy|png)", path.name) and path.name not in kept and path not in _UNREAD:
                path.unlink(missing_ok=True)


def open_project(folder: Path) -> Opened:
    """Open a project folder (or its project.json).

    What is missing inside is listed in `problems`; the rest opens. Raises BadProject when nothing can be opened.
    """
    folder = folder.parent if folder.name == FILE else folder
    path = folder / FILE
    data = _read_json(path)
    try:
        project = Project.model_validate(data)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(p) for p in first["loc"])
        raise BadProject(
            f"{path}: {where or 'the project'}: {first['msg']}. Undo what was changed in the file by hand, "
            "or open a copy."
        ) from None
    assets = Assets(folder)
    opened = Opened(project, assets)
    opened.project = _with_paint(project, folder, opened.problems)
    opened.problems += [
        f"{folder / name} is missing. Put it back, or choose another file; what uses it shows plain grey."
        for name in asset_names(project) if not assets.has(name)
    ]  # fmt: skip
    return opened


def _read_json(path: Path) -> dict[str, Any]:
    try:
        text = path.read_text(encoding="utf-8")
    except FileNotFoundError:
        raise BadProject(f"{path} is not there. Choose a folder that holds a {FILE}.") from None
    except (OSError, UnicodeDecodeError) as error:
        raise BadProject(f"{path} cannot be read: {error}. Take it from a backup.") from None
    try:
        data = json.loads(text)
    except (json.JSONDecodeError, RecursionError) as error:
        at = (
            f"line {error.lineno}, column {error.colno}: {error.msg}"
            if isinstance(error, json.JSONDecodeError)
            else "nested too deeply"
        )
        raise BadProject(f"{path}: {at}. Correct the file there, or take it from a backup.") from None
    if not isinstance(data, dict):
        raise BadProject(f"{path}: this is no project. Choose a folder that Jade Coat saved.")
    version = data.get("schema_version")
    if isinstance(version, int) and version > SCHEMA_VERSION:
        raise BadProject(
            f"{path}: saved by a newer Jade Coat (format {version}, this one reads {SCHEMA_VERSION}). "
            "Update Jade Coat to open it."
        )
    return data


def _with_paint(project: Project, folder: Path, problems: list[str]) -> Project:
    props = []
    for prop in project.props:
        if isinstance(prop.paint, str):
            try:
                prop = prop.with_(paint=_read_paint(folder, prop.paint))
            except (OSError, ValueError, MissingAsset) as error:
                _UNREAD.add(folder / "paint" / f"{prop.paint}.npy")
                problems.append(f"The paint of {prop.name} is lost: {error}. It shows the mesh's own colours.")
                prop = prop.with_(paint=None)
        if isinstance(prop.paint_map, StoredMap):
            try:
                prop = prop.with_(paint_map=_read_map(folder, prop.paint_map))
            except (OSError, ValueError, MissingAsset) as error:
                _UNREAD.add(folder / "paint" / f"{prop.paint_map.file}.png")
                problems.append(f"The painted map of {prop.name} is lost: {error}. It shows the paint on its vertices.")
                prop = prop.with_(paint_map=None)
        props.append(prop)
    painted: Project = project.with_(props=tuple(props))
    return painted


def _read_paint(folder: Path, key: str) -> Paint:
    if not re.fullmatch(r"[0-9a-f]{24}", key):
        raise ValueError(f"{key!r} is no name of a paint file")
    values = np.load(folder / "paint" / f"{key}.npy", allow_pickle=False)
    if values.ndim != 2 or values.shape[1] not in (4, 8, 12, 16) or values.dtype != np.uint16 or not len(values):
        raise ValueError(f"paint/{key}.npy holds {values.dtype} {values.shape}, expected (n, 4) uint16")
    return Paint.of(values)


def _read_map(folder: Path, stored: StoredMap) -> PaintMap:
    name = f"paint/{stored.file}.png"
    picture = read_image((folder / name).read_bytes(), name)
    if picture.shape[2] != 4 or picture.shape[0] not in MAP_SIDES or picture.shape[0] != picture.shape[1]:
        raise ValueError(f"{name} is {picture.shape}, expected a square of four channels, 16 to 8192 texels a side")
    return PaintMap.of_picture(picture, stored.uv_set, stored.color_set, stored.repeats)


def data_folder() -> Path:
    """Where Jade Coat keeps its own files: recovery, recent projects, the demo."""
    base = os.environ.get("XDG_DATA_HOME") or os.path.expanduser("~/.local/share")
    return Path(base) / "jade-coat"


def schema() -> dict[str, Any]:
    """The JSON Schema of project.json."""
    return Project.model_json_schema()
