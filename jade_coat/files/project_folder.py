"""Project folders: saving atomically, opening with every problem named, and recovery after a crash."""

from __future__ import annotations

import hashlib
import json
import os
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from jade_coat.files.assets import Assets
from jade_coat.files.atomic import PRIVATE, write_atomic
from jade_coat.files.desk_file import read_desk
from jade_coat.files.migrations import brought_up
from jade_coat.files.page_files import with_pages
from jade_coat.files.paint_files import clear_paint, paint_names, with_paint, write_paint
from jade_coat.files.project_text import project_text
from jade_coat.files.regular import NotAFile, is_regular, read_regular
from jade_coat.files.save_lock import WAIT_SECONDS, saving
from jade_coat.files.stand_ins import LOST, with_stand_ins
from jade_coat.mesh.painting import PaintMap
from jade_coat.stage.desk import Desk
from jade_coat.stage.loose_ends import loose_ends
from jade_coat.stage.mesh_assets import MeshAsset
from jade_coat.stage.project import KINDS_OF_THINGS, SCHEMA_VERSION, Project

FILE = "project.json"
MOST_THINGS = 200_000
"""Things of one kind that a project may hold."""
MeshBytes = Callable[[MeshAsset], bytes | None]


class BadProject(ValueError):
    """A project that cannot be opened; the message names the file and the remedy."""


class ChangedOnDisk(ValueError):
    """The folder holds another project than was read or last written: somebody else saved it meanwhile."""


@dataclass(frozen=True)
class Home:
    """What is known of a project's folder as it was read or last written.

    `digest` is of project.json, empty where there was none, None where anything may lie there; `base` is the tree it
    held; `paint` are the paint files that this project had there, and `unread` those among them that could not be read,
    which saving leaves alone until sound paint takes their place. Files of a `private` one are for their owner alone.
    """

    folder: Path
    digest: str | None = None
    base: Project | None = None
    paint: frozenset[str] = frozenset()
    unread: frozenset[str] = frozenset()
    private: bool = False

    @property
    def mode(self) -> int:
        """The mode of files that are new in it, before the umask."""
        return PRIVATE if self.private else 0o666


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
    return sorted({*maps, *(m.asset for m in project.meshes), *sky} - {LOST})


def painted_maps(project: Project) -> list[PaintMap]:
    """The painted maps of a project's props."""
    return [p.paint_map for p in project.props if isinstance(p.paint_map, PaintMap)]


def save_project(
    project: Project, assets: Assets, folder: Path, home: Home | None = None, mesh_bytes: MeshBytes | None = None,
    wait: float = WAIT_SECONDS,
) -> Saved:  # fmt: skip
    """Save into a folder: new assets and paint first, then project.json in one step.

    `home` is what is known of the folder: where it holds another project.json now, ChangedOnDisk is raised. What is
    needed and not there is written again from memory (meshes by `mesh_bytes`), or named. A crash at any moment leaves
    the old project or the new one, and only one saves at a time: others wait up to so many seconds. Raises WriteFailed;
    the old project is then intact.
    """
    home = home if home is not None and home.folder == folder else Home(folder)
    with saving(folder, wait, home.mode):
        if home.digest is not None and digest_of(folder) not in (home.digest, ""):
            raise ChangedOnDisk(
                f"{folder / FILE} was saved by somebody else meanwhile. Nothing was written; open it again."
            )
        return _saved(project, assets, home, mesh_bytes)


def _saved(project: Project, assets: Assets, home: Home, mesh_bytes: MeshBytes | None) -> Saved:
    folder, mode = home.folder, home.mode
    assets.write_to(folder, asset_names(project), mode)
    for asset in project.meshes:
        if mesh_bytes is not None and asset.asset != LOST and not (folder / asset.asset).is_file():
            assets.restore(folder, asset.asset, mesh_bytes(asset), mode)
    kept = write_paint(folder, project, home.paint, home.unread, assets.folder, mode)
    data = project_text(project).encode()
    write_atomic(folder / FILE, data, mode)
    clear_paint(folder, home.paint - kept - home.unread, kept | home.unread)
    missing = tuple(
        f"{folder / name} is lost: what uses it shows plain grey. Put it back, or choose another file."
        for name in asset_names(project) if not is_regular(folder / name, folder)
    )  # fmt: skip
    made = Home(folder, hashlib.sha256(data).hexdigest(), project, kept, home.unread & kept, home.private)
    return Saved(made, missing)


def digest_of(folder: Path) -> str:
    """A mark of the project.json in a folder; empty where there is none."""
    try:
        return hashlib.sha256(read_regular(folder / FILE)).hexdigest()
    except OSError:
        return ""


def open_project(folder: Path) -> Opened:
    """Open a project folder (or its project.json).

    What is missing inside stays referred to and is listed in `problems`; the rest opens. Raises BadProject when nothing
    can be opened.
    """
    folder = folder.parent if folder.name == FILE else folder
    return open_file(folder / FILE, folder)


# Long: each step with what may go wrong in it.
def open_file(path: Path, folder: Path) -> Opened:
    """Open the content of a project.json that lies at a path, with what else it refers to in a folder; as above."""
    digest, data = _read_json(path)
    problems: list[str] = []
    for kind in KINDS_OF_THINGS:
        listed = data.get(kind)
        if isinstance(listed, list) and len(listed) > MOST_THINGS:
            raise BadProject(
                f"{path}: it has {len(listed):,} {kind}, more than the {MOST_THINGS:,} that a project holds. Divide it."
            )
    try:
        project = Project.model_validate(with_stand_ins(brought_up(data, SCHEMA_VERSION), problems))
    except (ValidationError, RecursionError, OverflowError, KeyError, TypeError, AttributeError) as error:
        raise BadProject(f"{path}: {_reason(error)}. {_advice(data)}") from None
    except MemoryError:
        raise BadProject(f"{path}: it takes more memory than there is. Take it from a backup.") from None
    assets = Assets(folder)
    desk, trouble = read_desk(folder, data)
    opened = Opened(project, assets, [*([trouble] if trouble else []), *problems], desk=desk)
    named, unread = frozenset(paint_names(project)), set[str]()
    try:
        opened.project = with_pages(
            with_paint(project, folder, opened.problems, unread), folder, opened.problems, unread
        )
    except ValueError as error:
        raise BadProject(f"{path}: {error}. {_advice(data)}") from None
    opened.problems += [
        f"{folder / name} is missing. Put it back, or choose another file; what uses it shows plain grey."
        for name in asset_names(project) if not assets.has(name)
    ]  # fmt: skip
    if not problems:
        opened.problems += [
            f"The mesh {m.name} is lost. Bring it in again (jade-coat reimport); a plain box stands in."
            for m in project.meshes if m.asset == LOST
        ]  # fmt: skip
    opened.problems += [end.told for end in loose_ends(opened.project)]
    opened.home = Home(folder, digest, opened.project, named, frozenset(unread))
    return opened


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
        raw = read_regular(path)
        text = raw.decode("utf-8-sig")
    except FileNotFoundError:
        raise BadProject(f"{path} is not there. Choose a folder that holds a {FILE}.") from None
    except NotAFile as error:
        raise BadProject(f"{str(path)[:300]} cannot be read: {error.strerror}. Take it from a backup.") from None
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


def data_folder() -> Path:
    """Where Jade Coat keeps its own files: recovery, recent projects, the demo."""
    base = os.environ.get("XDG_DATA_HOME") or os.path.expanduser("~/.local/share")
    return Path(base) / "jade-coat"


def schema() -> dict[str, Any]:
    """The JSON Schema of project.json."""
    return Project.model_json_schema()
