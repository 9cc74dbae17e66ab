"""Project folders: saving atomically, opening with every problem named, and recovery after a crash."""

from __future__ import annotations

import hashlib
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
from jade_coat.files.desk_file import read_desk
from jade_coat.files.lost_meshes import without_lost_meshes
from jade_coat.files.migrations import brought_up
from jade_coat.files.page_files import page_names, with_pages
from jade_coat.files.project_text import project_text
from jade_coat.maps.images import read_image
from jade_coat.mesh.painting import MAP_SIDES, Paint, PaintMap
from jade_coat.program.types import Array
from jade_coat.stage.desk import Desk
from jade_coat.stage.mesh_assets import MeshAsset
from jade_coat.stage.project import SCHEMA_VERSION, Project, StoredMap

FILE = "project.json"
MeshBytes = Callable[[MeshAsset], bytes | None]


class BadProject(ValueError):
    """A project that cannot be opened; the message names the file and the remedy."""


class ChangedOnDisk(ValueError):
    """The folder holds another project than was read or last written: somebody else saved it meanwhile."""


@dataclass(frozen=True)
class Home:
    """What is known of a project's folder as it was read or last written.

    `digest` is of project.json, `base` the tree it held; `paint` are the paint files that this project had there, and
    `unread` those among them that could not be read, which saving leaves alone until sound paint takes their place.
    """

    folder: Path
    digest: str = ""
    base: Project | None = None
    paint: frozenset[str] = frozenset()
    unread: frozenset[str] = frozenset()


@dataclass
class Opened:
    """A project that was opened, its assets, what is missing or wrong with parts of it, and where it lies."""

    project: Project
    assets: Assets
    problems: list[str] = field(default_factory=list)
    home: Home | None = None
    desk: Desk = field(default_factory=Desk)


@dataclass(frozen=True)
class Saved:
    """What a save left: what is known of the folder now, and a line for each file that is needed and lost."""

    home: Home
    missing: tuple[str, ...]


def asset_names(project: Project) -> list[str]:
    """The maps and meshes a project refers to."""
    maps = [m.asset for s in project.map_sets for m in s.maps]
    sky = {project.light.sky} if "/" in project.light.sky else set()
    return sorted({*maps, *(m.asset for m in project.meshes), *sky})


def painted_maps(project: Project) -> list[PaintMap]:
    """The painted maps of a project's props."""
    return [p.paint_map for p in project.props if isinstance(p.paint_map, PaintMap)]


def save_project(
    project: Project, assets: Assets, folder: Path, home: Home | None = None, mesh_bytes: MeshBytes | None = None
) -> Saved:
    """Save into a folder: new assets and paint first, then project.json in one step.

    `home` is what is known of the folder: where it holds another project.json now, ChangedOnDisk is raised. What is
    needed and not there is written again from memory (meshes by `mesh_bytes`), or named. A crash at any moment leaves
    the old project or the new one. Raises WriteFailed; the old project is then intact.
    """
    home = home if home is not None and home.folder == folder else Home(folder)
    if home.digest and digest_of(folder) not in (home.digest, ""):
        raise ChangedOnDisk(
            f"{folder / FILE} was saved by somebody else meanwhile. Nothing was written; open it again."
        )
    assets.write_to(folder, asset_names(project))
    for asset in project.meshes:
        if mesh_bytes is not None and not (folder / asset.asset).is_file():
            assets.restore(folder, asset.asset, mesh_bytes(asset))
    kept: set[str] = set()
    for prop in project.props:
        if isinstance(prop.paint, Paint):
            kept.add(_write_paint(home, f"{prop.paint.key}.npy", partial(_paint_bytes, prop.paint)))
        if isinstance(prop.paint_map, PaintMap):
            kept.add(_write_paint(home, f"{prop.paint_map.paint.key}.png", partial(_map_bytes, prop.paint_map)))
    for pages in (p for g in project.grounds for p in g.pages):
        for i, tile in enumerate(pages.tiles):
            if isinstance(tile, np.ndarray):
                kept.add(_write_paint(home, f"{pages.key(i)}.npy", partial(array_bytes, tile)))
    data = project_text(project).encode()
    write_atomic(folder / FILE, data)
    _sweep(folder / "paint", home.paint - kept - home.unread)
    missing = tuple(
        f"{folder / name} is lost: what uses it shows plain grey. Put it back, or choose another file."
        for name in asset_names(project) if not (folder / name).is_file()
    )  # fmt: skip
    made = Home(folder, hashlib.sha256(data).hexdigest(), project, frozenset(kept), home.unread - kept)
    return Saved(made, missing)


def digest_of(folder: Path) -> str:
    """A mark of the project.json in a folder; empty where there is none."""
    try:
        return hashlib.sha256((folder / FILE).read_bytes()).hexdigest()
    except OSError:
        return ""


def _write_paint(home: Home, name: str, data: Callable[[], bytes]) -> str:
    """Write a paint file where it is not there yet, or could not be read; its name."""
    path = home.folder / "paint" / name
    if name in home.paint - home.unread and path.is_file():
        return name
    content = data()
    if not path.is_file() or path.read_bytes() != content:  # what lies there by this name may be damaged
        write_atomic(path, content)
    return name


def _map_bytes(paint_map: PaintMap) -> bytes:
    return paint_map.png


def _paint_bytes(paint: Paint) -> bytes:
    return array_bytes(paint.whole())


def array_bytes(values: Array) -> bytes:
    """An array as the bytes of an .npy file."""
    buffer = io.BytesIO()
    np.save(buffer, values, allow_pickle=False)
    return buffer.getvalue()


def _sweep(folder: Path, gone: frozenset[str]) -> None:
    """Remove paint that this project had here and needs no more; never through a link, never what others put there."""
    if folder.is_symlink() or not folder.is_dir():
        return
    for name in gone:
        path = folder / name
        if re.fullmatch(r"[0-9a-f]{24}\.(npy|png)", name) and path.is_file() and not path.is_symlink():
            path.unlink(missing_ok=True)


def open_project(folder: Path) -> Opened:
    """Open a project folder (or its project.json).

    What is missing inside is listed in `problems`; the rest opens. Raises BadProject when nothing can be opened.
    """
    folder = folder.parent if folder.name == FILE else folder
    path = folder / FILE
    digest, data = _read_json(path)
    try:
        project = Project.model_validate(brought_up(data, SCHEMA_VERSION))
    except (ValidationError, RecursionError, OverflowError, KeyError, TypeError, AttributeError) as error:
        raise BadProject(f"{path}: {_reason(error)}. {_advice(data)}") from None
    assets = Assets(folder)
    desk, trouble = read_desk(folder, data)
    opened = Opened(project, assets, [trouble] if trouble else [], desk=desk)
    unread: set[str] = set()
    project = without_lost_meshes(project, opened.problems)
    opened.project = with_pages(_with_paint(project, folder, opened.problems, unread), folder, opened.problems, unread)
    opened.problems += [
        f"{folder / name} is missing. Put it back, or choose another file; what uses it shows plain grey."
        for name in asset_names(project) if not assets.has(name)
    ]  # fmt: skip
    opened.home = Home(folder, digest, opened.project, frozenset(_paint_names(project)), frozenset(unread))
    return opened


def _paint_names(project: Project) -> set[str]:
    """The paint files that a project.json names."""
    found = {f"{p.paint}.npy" for p in project.props if isinstance(p.paint, str)}
    found |= {f"{p.paint_map.file}.png" for p in project.props if isinstance(p.paint_map, StoredMap)}
    return found | {f"{name}.npy" for g in project.grounds for name in page_names(g)}


def _reason(error: Exception) -> str:
    if isinstance(error, ValidationError):
        # Things may be given ready made, which those of a file never are: that they are not tells nobody anything.
        told = [e for e in error.errors() if e["type"] != "is_instance_of"] or error.errors()
        first = told[0]
        where = ".".join(str(p) for p in first["loc"])
        return f"{where or 'the project'}: {first['msg']}"
    return f"the project has no sense ({str(error)[:80]})"


def _advice(data: dict[str, Any]) -> str:
    version = data.get("schema_version")
    if isinstance(version, int) and version < SCHEMA_VERSION:
        return f"Its format is {version}, and bringing it up to {SCHEMA_VERSION} failed; keep the file and report this."
    return "Undo what was changed in the file by hand, or open a copy."


def _read_json(path: Path) -> tuple[str, dict[str, Any]]:
    """A mark of the file's bytes, and what it holds. Raises BadProject."""
    try:
        raw = path.read_bytes()
        text = raw.decode("utf-8-sig")
    except FileNotFoundError:
        raise BadProject(f"{path} is not there. Choose a folder that holds a {FILE}.") from None
    except (OSError, UnicodeDecodeError, ValueError) as error:
        raise BadProject(f"{str(path)[:300]} cannot be read: {str(error)[:200]}. Take it from a backup.") from None
    try:
        data = json.loads(text)
    except (ValueError, RecursionError) as error:
        at = (
            f"line {error.lineno}, column {error.colno}: {error.msg}"
            if isinstance(error, json.JSONDecodeError)
            else "a number is too long" if isinstance(error, ValueError) else "nested too deeply"
        )  # fmt: skip
        raise BadProject(f"{path}: {at}. Correct the file there, or take it from a backup.") from None
    if not isinstance(data, dict):
        raise BadProject(f"{path}: this is no project. Choose a folder that Jade Coat saved.")
    version = data.get("schema_version", 1)
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise BadProject(
            f"{path}: its format is {str(version)[:20]!r}, which no Jade Coat has written. Take it from a backup."
        )
    if version > SCHEMA_VERSION:
        raise BadProject(
            f"{path}: saved by a newer Jade Coat (format {version}, this one reads {SCHEMA_VERSION}). "
            "Update Jade Coat to open it."
        )
    return hashlib.sha256(raw).hexdigest(), data


def _with_paint(project: Project, folder: Path, problems: list[str], unread: set[str]) -> Project:
    props = []
    for prop in project.props:
        if not isinstance(prop.paint, str) and not isinstance(prop.paint_map, StoredMap):
            continue
        if isinstance(prop.paint, str):
            try:
                prop = prop.with_(paint=_read_paint(folder, prop.paint))
            except (OSError, ValueError, MissingAsset) as error:
                unread.add(f"{prop.paint}.npy")
                problems.append(f"The paint of {prop.name} is lost: {error}. It shows the mesh's own colours.")
                prop = prop.with_(paint=None)
        if isinstance(prop.paint_map, StoredMap):
            try:
                prop = prop.with_(paint_map=_read_map(folder, prop.paint_map))
            except (OSError, ValueError, MissingAsset) as error:
                unread.add(f"{prop.paint_map.file}.png")
                problems.append(f"The painted map of {prop.name} is lost: {error}. It shows the paint on its vertices.")
                prop = prop.with_(paint_map=None)
        props.append(prop)
    return project.with_things("props", *props)


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
