"""Starts the application."""

from __future__ import annotations

import os
import signal
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QCoreApplication, QSettings, QTimer
from PyQt6.QtWidgets import QApplication, QMessageBox

from jade_coat.app import theme
from jade_coat.app.collector import Collector

if TYPE_CHECKING:
    from jade_coat.app.window import Window


def make_application() -> QApplication:
    """The one application object, dressed in the remembered theme."""
    found = QApplication.instance()
    if isinstance(found, QApplication):
        return found
    sys.setswitchinterval(0.001)  # work in other threads hands the interpreter back to the window soon
    app = QApplication(sys.argv[:1])
    QCoreApplication.setOrganizationName("jade-coat")
    QCoreApplication.setApplicationName("jade-coat")
    QSettings.setDefaultFormat(QSettings.Format.IniFormat)
    Collector(app)
    theme.apply(app, str(QSettings().value("theme", "Inkstone")))
    return app


def start(folder: Path | None) -> int:
    """Open the window, on a project if one is given, and run until it is closed."""
    from jade_coat.view.client import RenderClient

    client = RenderClient()  # the render process starts while the rest is imported
    app = make_application()
    from jade_coat.app.session import Session
    from jade_coat.app.window import Window

    window = Window(Session(client))
    window.show()
    if folder is not None:
        QTimer.singleShot(0, lambda: window.open_folder(folder))
    QTimer.singleShot(0, lambda: offer_recovery(window))
    signal.signal(signal.SIGINT, lambda *_: window.close())
    wake = QTimer()
    wake.start(400)
    wake.timeout.connect(lambda: None)  # lets Python see Ctrl+C
    return app.exec()


def offer_recovery(window: Window) -> None:
    """Ask whether to take over work that a crashed session left."""
    for leftover in window.session.recovery.leftovers()[:1]:
        box = QMessageBox(window)
        box.setText(f"Jade Coat was interrupted while {leftover.name} had unsaved changes.")
        box.setInformativeText("A copy of the work was kept.")
        kinds = QMessageBox.ButtonRole
        take = box.addButton("Take it over", kinds.AcceptRole)
        drop = box.addButton("Delete the copy", kinds.DestructiveRole)
        box.addButton("Later", kinds.RejectRole)
        box.exec()
        if box.clickedButton() is take:
            window.take_over(leftover)
        elif box.clickedButton() is drop:
            import shutil

            shutil.rmtree(leftover.folder, ignore_errors=True)


def offscreen() -> None:
    """Draw without a screen; must be called before the application is made."""
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
