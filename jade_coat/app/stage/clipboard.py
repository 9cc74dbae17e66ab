"""Copying things of the stage and pasting them, within a project and between projects."""

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
from jade_coat.stage.project import KINDS_OF_THINGS, Project
from jade_coat.stage.taking import Place
from jade_coat.stage.taking_things import things_apart

MIME = "application/x-jade-coat-things+json"
STEP = (0.25, 0.0, 0.25)
"""How far a copy is shifted in the project it comes from, metres."""
_HELD: dict[str, tuple[Assets, Project]] = {}
"""What was copied last in this process, with its assets: those of a project that was never saved, and paint, too."""


class CopiedThings(Frozen):
    """What lies on the clipboard: a project of the things alone, and the folder it came from."""

    folder: str
    content: Project


def copy_things(session: Session) -> bool:
    """Put what is chosen onto the clipboard; whether there was anything."""
    things = session.chosen_placed
    clipboard = QGuiApplication.clipboard()
    if not things or clipboard is None:
        session.said.emit("Choose what is to be copied first.", True)
        return False
    content = things_apart(session.project, things)
    text = CopiedThings(folder=str(session.folder or ""), content=content).model_dump_json()
    data = QMimeData()
    data.setData(MIME, text.encode())
    data.setText(", ".join(t.name for t in things[:20]))
    _HELD.clear()
    _HELD[text] = (session.library.assets, content)
    clipboard.setMimeData(data)
    count = f"{len(things)} things" if len(things) > 1 else things[0].name
    session.said.emit(f"{count} copied: Ctrl+V places them, in this project or another", False)
    return True


def paste_things(session: Session) -> bool:
    """Place what lies on the clipboard, with all it needs; whether it was."""
    clipboard = QGuiApplication.clipboard()
    data = clipboard.mimeData() if clipboard is not None else None
    if data is None or not data.hasFormat(MIME):
        session.said.emit("Nothing of a stage was copied yet: choose things and press Ctrl+C.", True)
        return False
    text = bytes(data.data(MIME).data()).decode(errors="replace")
    held = _HELD.get(text)
    try:
        copied = CopiedThings.model_validate_json(text)
    except ValidationError:
        session.said.emit("What is on the clipboard was copied by another version of Jade Coat.", True)
        return False
    content = held[1] if held is not None else _without_paint(copied.content)
    assets = held[0] if held is not None else Assets(Path(copied.folder) if copied.folder else None)
    places: list[Place] = [("map_sets", s.id) for s in content.map_sets]
    bring_files(session, Opened(content, assets), places)
    for mesh in content.meshes:
        if assets.has(mesh.asset) and not session.library.assets.has(mesh.asset):
            kind, _, file = mesh.asset.partition("/")
            session.library.assets.put(kind, file.partition("-")[2], assets.read(mesh.asset))
    before = {t.id for kind in KINDS_OF_THINGS for t in getattr(session.project, kind)}
    here = str(session.folder or "") == copied.folder
    pasted = edits.paste_things(other=content, folder=copied.folder, by=STEP if here else (0.0, 0.0, 0.0))
    if not session.do(pasted.called("Paste")):
        return False
    now = [t.id for kind in KINDS_OF_THINGS for t in getattr(session.project, kind)]
    session.choose_things(i for i in now if i not in before)
    lost = [m.name for m in content.meshes if not session.library.assets.has(m.asset)]
    if lost:
        session.said.emit(f"Pasted without the mesh of {', '.join(lost)}: save the project it comes from.", True)
    return True


def _without_paint(content: Project) -> Project:
    """Paint does not travel between programs: what was painted shows its mesh's own."""
    bare = [
        p.with_(paint=None, paint_map=None) for p in content.props if p.paint is not None or p.paint_map is not None
    ]
    return content.with_things("props", *bare) if bare else content
