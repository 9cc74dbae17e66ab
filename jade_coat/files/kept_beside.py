"""What was not chosen in a merge, kept as a project of its own in a folder beside, to be opened or taken over from."""

from __future__ import annotations

import contextlib
import os
from datetime import datetime
from pathlib import Path

from jade_coat.files.assets import Assets
from jade_coat.files.atomic import WriteFailed, make_folder
from jade_coat.files.paint_files import FOLDER, paint_names
from jade_coat.files.project_folder import asset_names, data_folder, save_project
from jade_coat.stage.project import Project


def keep_beside(folder: Path, project: Project, assets: Assets, whose: str, now: datetime | None = None) -> Path:
    """Write a project beside its folder, in "NAME kept"; files that both hold are shared. Raises WriteFailed.

    Where nothing can be written there, it goes among Jade Coat's own files.
    """
    stamp = (now or datetime.now()).strftime("%Y-%m-%d %H.%M.%S")
    for place in (folder.parent / f"{folder.name} kept", data_folder() / "kept" / folder.name):
        target = place / f"{stamp} {whose}"
        try:
            _share(folder, target, [*asset_names(project), *(f"{FOLDER}/{n}" for n in paint_names(project))])
            save_project(project, assets, target)
            return target
        except WriteFailed as error:
            failed = error
    raise failed


def _share(folder: Path, target: Path, names: list[str]) -> None:
    """Link files that never change into another folder, where the file system can."""
    for name in names:
        with contextlib.suppress(OSError):
            make_folder((target / name).parent)
            os.link(folder / name, target / name, follow_symlinks=False)
