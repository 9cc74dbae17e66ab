"""Copying a coat and pasting it: within a material, between materials, and between projects."""

from __future__ import annotations

from pathlib import Path

from pydantic import ValidationError
from PyQt6.QtCore import QMimeData
from PyQt6.QtGui import QGuiApplication

from jade_coat.app.dialogs.take_over import bring_files
from jade_coat.app.session import Session
from jade_coat.files.assets import Assets
from jade_coat.files.project_folder import Opened
from jade_coat.material.fields import Frozen
from jade_coat.stage import edits
from jade_coat.stage.project import Project
from jade_coat.stage.taking import coat_apart, needed

MIME = "application/x-jade-coat-coat+json"
_HELD: dict[str, Assets] = {}
"""The assets that the coat copied last in this process is made of: those of a project that was never saved too."""


class CopiedCoat(Frozen):
    """What lies on the clipboard: a project of that coat and all it needs alone, and the folder it came from."""

    folder: str
    content: Project


def copy_coat(session: Session) -> bool:
    """Put the chosen coat onto the clipboard; whether there was one."""
    material = session.material
    coat = next((c for c in material.coats if c.id == session.coat_id), None) if material is not None else None
    if material is None or coat is None:
        session.said.emit("Choose a coat to copy first.", True)
        return False
    copied = CopiedCoat(folder=str(session.folder or ""), content=coat_apart(session.project, material.id, coat.id))
    text = copied.model_dump_json()
    data = QMimeData()
    data.setData(MIME, text.encode())
    data.setText(coat.name)
    _HELD.clear()
    _HELD[text] = session.library.assets
    clipboard = QGuiApplication.clipboard()
    assert clipboard is not None
    clipboard.setMimeData(data)
    session.said.emit(f"{coat.name} copied: Ctrl+V lays it on top of a material, in this project or another", False)
    return True


def paste_coat(session: Session) -> bool:
    """Lay the coat on the clipboard on top of the chosen prop's material, with all it needs; whether it was."""
    material, copied, text = session.material, None, ""
    clipboard = QGuiApplication.clipboard()
    data = clipboard.mimeData() if clipboard is not None else None
    if data is not None and data.hasFormat(MIME):
        text = bytes(data.data(MIME).data()).decode(errors="replace")
        try:
            copied = CopiedCoat.model_validate_json(text)
        except ValidationError:
            session.said.emit("The coat on the clipboard was copied by another version of Jade Coat.", True)
            return False
    if copied is None or len(copied.content.materials) != 1:
        session.said.emit("No coat was copied yet: choose one and press Ctrl+C.", True)
        return False
    if material is None:
        session.said.emit("Choose a prop or a finish first: the coat is laid on its material.", True)
        return False
    source = copied.content.materials[0]
    assets = _HELD.get(text) or Assets(Path(copied.folder) if copied.folder else None)
    bring_files(session, Opened(copied.content, assets), needed(copied.content, ("materials", source.id)))
    before = {c.id for c in material.coats}
    pasted = edits.paste_coat(other=copied.content, material=material.id, folder=copied.folder)
    if not session.do(pasted):
        return False
    made = next(c for c in session.project.material(material.id).coats if c.id not in before)
    session.choose_coat(made.id)
    missing = [f.file for s in session.project.map_sets if s.id in made.surface.sets for f in s.maps
               if not session.library.assets.has(f.asset)]  # fmt: skip
    if missing:
        session.said.emit(f"{made.name} is pasted without {', '.join(missing)}: save the project it comes from.", True)
    return True
