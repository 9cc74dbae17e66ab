"""The dialogs that ask for a file or a folder: each kind opens where the last one of its kind was chosen."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QWidget

from jade_coat.app import preferences
from jade_coat.formats import Format, dialog_filter


def ask_file(parent: QWidget, title: str, what: str, formats: Iterable[Format]) -> Path | None:
    """A file to open, of some formats; None when nothing was chosen. `what` names them: "Meshes"."""
    path, _ = QFileDialog.getOpenFileName(parent, title, last_folder(what), dialog_filter(what, formats))
    return _chosen(what, path)


def ask_files(parent: QWidget, title: str, what: str, formats: Iterable[Format]) -> list[Path]:
    """Files to open, of some formats; none when nothing was chosen."""
    paths, _ = QFileDialog.getOpenFileNames(parent, title, last_folder(what), dialog_filter(what, formats))
    for path in paths[:1]:
        _chosen(what, path)
    return [Path(p) for p in paths]


def ask_folder(parent: QWidget, title: str, what: str) -> Path | None:
    """A folder; None when nothing was chosen."""
    path = QFileDialog.getExistingDirectory(parent, title, last_folder(what))
    if path:  # the next one lies beside it more often than within
        _remember(what, Path(path).parent)
    return Path(path) if path else None


def ask_new_file(parent: QWidget, title: str, name: str, what: str, suffix: str) -> Path | None:
    """Where to write a file of this suffix; None when nothing was chosen."""
    start = str(Path(last_folder(what)) / name)
    path, _ = QFileDialog.getSaveFileName(parent, title, start, f"{what} (*{suffix})")
    return _chosen(what, path)


def last_folder(what: str) -> str:
    """Where things of this kind were last chosen; empty for nowhere yet, or a folder that is gone."""
    folder = preferences.recall(preferences.FOLDERS).get(what, "")
    return folder if isinstance(folder, str) and folder and Path(folder).is_dir() else ""


def _chosen(what: str, path: str) -> Path | None:
    if not path:
        return None
    _remember(what, Path(path).parent)
    return Path(path)


def _remember(what: str, folder: Path) -> None:
    known = preferences.recall(preferences.FOLDERS)
    preferences.keep(preferences.FOLDERS, {**known, what: str(folder)})
