"""Draws the real window without a screen into a PNG."""

from __future__ import annotations

import sys
import time
from pathlib import Path

from PyQt6.QtCore import QtMsgType, qInstallMessageHandler
from PyQt6.QtWidgets import QApplication

from jade_coat.app import theme as themes
from jade_coat.app.main import make_application, offscreen
from jade_coat.app.session import Session
from jade_coat.app.window import Window
from jade_coat.app.workspaces.known import WORKSPACES
from jade_coat.files.project_folder import open_project


class ShotFailed(RuntimeError):
    """The picture could not be made."""


def wait_until_ready(app: QApplication, window: Window, seconds: float) -> bool:
    """Run the event loop until the window shows everything at its finest; whether it came to that in time."""
    end = time.monotonic() + seconds
    calm = 0
    while time.monotonic() < end:
        app.processEvents()
        time.sleep(0.01)
        calm = calm + 1 if window.ready() else 0
        if calm > 40:
            return True
    return False


def _only_troubles(kind: QtMsgType, context: object, text: str | None) -> None:
    """Pass on what Qt says is wrong, not what it cannot do for want of a screen."""
    if kind in (QtMsgType.QtCriticalMsg, QtMsgType.QtFatalMsg):
        print(text, file=sys.stderr)


def take_shot(project: Path, workspace: str, width: int, height: int, out: Path, theme: str = "") -> None:
    """Save a picture of a workspace on a project. Raises BadProject, ShotFailed, ValueError."""
    names = {w.name.lower(): w.name for w in WORKSPACES}
    if workspace.lower() not in names:
        raise ValueError(f"there is no workspace {workspace!r}; there are {', '.join(names.values())}")
    if theme and theme not in themes.THEMES:
        raise ValueError(f"there is no theme {theme!r}; there are {', '.join(themes.THEMES)}")
    open_project(project)  # fails before a window is made
    offscreen()
    qInstallMessageHandler(_only_troubles)
    app = make_application()
    if theme:
        themes.apply(app, theme)
    window = Window(Session())
    window.resize(width, height)
    window.show()
    window.open_folder(project)
    window.show_workspace(names[workspace.lower()])
    ready = wait_until_ready(app, window, 120)
    saved = window.grab().save(str(out), "PNG")
    window.session.document.mark_saved()
    window.close()
    if not ready:
        raise ShotFailed("the view did not come to rest within two minutes")
    if not saved:
        raise ShotFailed(f"{out}: the picture could not be written. Choose another folder.")
