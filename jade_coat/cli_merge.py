"""Commands for projects that several people change: merging, by hand or for version control, and lifting a mark."""

from __future__ import annotations

import argparse
import contextlib
import json
import re
import shutil
import subprocess
import sys
import tempfile
from functools import partial
from pathlib import Path

from jade_coat.cli_words import UsageError
from jade_coat.files.assets import Assets
from jade_coat.files.atomic import write_atomic
from jade_coat.files.library import Library
from jade_coat.files.paint_files import FOLDER, write_paint
from jade_coat.files.project_folder import FILE, Opened, asset_names, open_file, open_project, save_project
from jade_coat.files.project_text import project_text
from jade_coat.files.regular import read_regular
from jade_coat.stage.merging import BOTH, MINE, THEIRS, Merged, merged
from jade_coat.stage.merging.words import title, told
from jade_coat.stage.project import Project

COLLIDED = 3
"""The exit code when the merge is done, but for what both sides changed, which is named."""
SIDES = {"ours": MINE, "theirs": THEIRS, "both": BOTH}


def merge(options: argparse.Namespace) -> int:
    """Merge what two people made of one project: exit code 0, or 3 where both changed the same, which is named.

    BASE, OURS and THEIRS are project folders, or files that hold a project.json, as version control gives them to a
    merge driver (jade-coat merge %O %A %B --path %P). The result takes the place of OURS. Where both changed the same,
    ours counts, or what --prefer says.
    """
    with tempfile.TemporaryDirectory(prefix="jade-coat-") as around:
        paths = (options.base, options.ours, options.theirs)
        base, ours, theirs = (_side(path, options.path, Path(around) / str(n)) for n, path in enumerate(paths))
        base_colors = partial(Library(ours.assets).base_colors, ours.project)
        made = merged(base.project, ours.project, theirs.project, {}, base_colors)
        if options.prefer != "ours":
            chosen = {c.key: SIDES[options.prefer] for c in made.collisions}
            made = merged(base.project, ours.project, theirs.project, chosen, base_colors)
        _write(options, made, ours, theirs)
    return _tell(options, made, ours.project, theirs.project)


def _write(options: argparse.Namespace, made: Merged, ours: Opened, theirs: Opened) -> None:
    """Put the result in the place of ours, with the files that it needs."""
    if options.ours.is_dir():
        for name in asset_names(made.project):
            if not ours.assets.has(name) and theirs.assets.has(name):
                kind, _, file = name.partition("/")
                ours.assets.put(kind, file.partition("-")[2], theirs.assets.read(name))
        save_project(made.project, ours.assets, options.ours, ours.home)
        return
    folder = _files(options.ours, options.path)
    for source in (ours, theirs):
        write_paint(folder, made.project, frozenset(), frozenset(), source.assets.folder, 0o666)
    write_atomic(options.ours, project_text(made.project).encode())


def _tell(options: argparse.Namespace, made: Merged, ours: Project, theirs: Project) -> int:
    lines = [
        {"where": title(c, ours, theirs), "ours": told(c, c.mine), "theirs": told(c, c.theirs)} for c in made.collisions
    ]
    if options.json:
        print(json.dumps({"collisions": lines, "notes": list(made.notes)}, indent=1, ensure_ascii=False))
    else:
        for note in made.notes:
            print(note)
        for line in lines:
            print(f"Both changed {line['where']}: ours {line['ours']}, theirs {line['theirs']}.", file=sys.stderr)
    return COLLIDED if made.collisions else 0


def _files(path: Path, named: Path | None) -> Path:
    """The folder in which the paint of a project lies whose project.json is at a path, or at the one it is named by."""
    return (named or path).parent


def _side(path: Path, named: Path | None, around: Path) -> Opened:
    """One of the three sides. Raises BadProject; what only the pictures need may be missing."""
    if path.is_dir() or (path.name == FILE and named is None):
        opened = open_project(path)
        for problem in opened.problems:
            print(f"jade-coat: {path}: {problem}", file=sys.stderr)
        return opened
    if not path.is_file():
        raise UsageError(f"{path} is not there")
    _gather(path, _files(path, named), around)
    opened = open_file(path, around)
    return Opened(opened.project, Assets(around), opened.problems, opened.home)


def _gather(path: Path, folder: Path, around: Path) -> None:
    """Bring the paint that a file names together: from the folder it belongs to, or from its versions."""
    (around / FOLDER).mkdir(parents=True)
    for mark in sorted({m.decode() for m in re.findall(rb'"([0-9a-f]{24})"', read_regular(path))}):
        for name in (f"{mark}.npy", f"{mark}.png"):
            with contextlib.suppress(OSError):
                shutil.copyfile(folder / FOLDER / name, around / FOLDER / name)
                break
            data = _from_versions(folder, f"./{FOLDER}/{name}")
            if data is not None:
                (around / FOLDER / name).write_bytes(data)
                break
    with contextlib.suppress(OSError):
        (around / "meshes").symlink_to((folder / "meshes").resolve())


def _from_versions(folder: Path, name: str) -> bytes | None:
    """A file as the version that added it has it, where git knows one: what is being merged lies on no disk yet."""
    with contextlib.suppress(OSError, subprocess.SubprocessError):
        words = ["git", "log", "--all", "-1", "--format=%H", "--diff-filter=A", "--", name]
        found = subprocess.run(words, cwd=folder, capture_output=True, timeout=60, check=True).stdout
        version = found.decode().strip()
        if version:
            words = ["git", "cat-file", "blob", f"{version}:{name}"]
            return subprocess.run(words, cwd=folder, capture_output=True, timeout=60, check=True).stdout
    return None


def lift_mark(options: argparse.Namespace) -> None:
    """Take away the mark that says a project is open elsewhere, where nobody has it open any more."""
    from jade_coat.files.open_mark import lift

    other = lift(options.project)
    print(f"The mark of {other} is gone." if other else "Nobody had marked it.")
