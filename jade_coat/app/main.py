"""Starts the application."""

from __future__ import annotations

import gc
import os
import shutil
import signal
import sys
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QCoreApplication, QSettings, QTimer, QtMsgType, qInstallMessageHandler
from PyQt6.QtWidgets import QApplication, QMessageBox

from jade_coat.app import preferences, theme
from jade_coat.app.collector import Collector
from jade_coat.app.mishaps import Mishaps
from jade_coat.view.spawn import Started, start_process

if TYPE_CHECKING:
    from collections.abc import Callable

    from jade_coat.app.session import Session
    from jade_coat.app.window import Window


WAKE_MS = 200
"""How soon a wish to end is noticed."""


def make_application() -> QApplication:
    """The one application object, in the remembered theme's colours."""
    found = QApplication.instance()
    if isinstance(found, QApplication):
        return found
    sys.setswitchinterval(0.001)  # work in other threads hands the interpreter back to the window soon
    app = QApplication(sys.argv[:1])
    QCoreApplication.setOrganizationName("jade-coat")
    QCoreApplication.setApplicationName("jade-coat")
    QSettings.setDefaultFormat(QSettings.Format.IniFormat)
    Collector(app)
    theme.apply(app, preferences.recall(preferences.THEME))
    return app


def _on_qt_message(kind: QtMsgType, context: object, text: str | None) -> None:
    """Say in one line why there can be no window, where Qt would abort; pass on all else."""
    if kind == QtMsgType.QtFatalMsg:
        print(f"jade-coat: {no_window('; '.join(_EARLY) or text or '')}", file=sys.stderr, flush=True)
        os._exit(1)
    elif kind != QtMsgType.QtDebugMsg and QApplication.primaryScreen() is None:
        _EARLY.append(text or "")
    elif kind != QtMsgType.QtDebugMsg:
        print(text, file=sys.stderr)


_EARLY: list[str] = []
"""What Qt said before it had a screen: the reasons, if it then gives up."""


def no_window(reason: str) -> str:
    """What keeps the window from opening, and the remedy."""
    remedy = (
        "Start it in a desktop session (DISPLAY or WAYLAND_DISPLAY set), install what Qt needs with "
        "'apt-get install libxcb-cursor0 libxkbcommon-x11-0', or use the commands that need no window: jade-coat --help"
    )
    return f"No window can be opened here: {' '.join(reason.split())[:200] or 'Qt gave up'}. {remedy}"


def start(folder: Path | None, started: Started | None = None) -> int:
    """Open the window, on a project if one is given, and run until it is closed.

    `started` may be a render process that is on its way already, to save time.
    """
    gc.disable()  # the application's own collector takes over
    started = started or start_process()
    from jade_coat.view.client import RenderClient

    client = RenderClient(started)
    qInstallMessageHandler(_on_qt_message)
    app = make_application()
    mishaps = Mishaps(app)
    mishaps.watch()
    from jade_coat.app.session import Session

    told = preferences.mend()
    session = Session(client)
    left = open_early(session, folder) if folder is not None else None
    from jade_coat.app.window import Window  # the first programs are made meanwhile

    window = Window(session)
    mishaps.told.connect(window.tell_mishap)
    if told:
        window.tell("Settings were reset", told, problem=True)
    window.show()
    if left is not None:
        window.soon(partial(left, window))
    window.soon(partial(offer_recovery, window))
    code = run_until_closed(app, window)
    if window.session.unfinished:  # Python would wait for threads that cannot be stopped
        sys.stdout.flush()
        sys.stderr.flush()
        os._exit(code)
    return code


def run_until_closed(app: QApplication, window: Window) -> int:
    """Run the event loop until the window is closed, whoever closes it and whenever; the exit code."""
    stop = False

    def interrupted(*_: object) -> None:
        nonlocal stop
        stop = True

    def look() -> None:  # also lets Python see Ctrl+C
        if stop and not window.session.closed:
            window.close()
        if window.session.closed:
            app.quit()

    signal.signal(signal.SIGINT, interrupted)
    wake = QTimer()
    wake.start(WAKE_MS)
    wake.timeout.connect(look)
    window.closed.connect(app.quit)
    return app.exec()


def open_early(session: Session, folder: Path) -> Callable[[Window], object]:
    """Open a project before there is a window, which is then built for it at once; what is left for the window."""
    from jade_coat.files.project_folder import BadProject

    session.hold_back()
    try:
        problems = session.open(folder)
    except BadProject:
        return lambda window: window.open_folder(folder)  # which tells why
    session.draw_ahead()

    def left(window: Window) -> None:
        session.tell_panels()
        window.tell_missing(problems)

    return left


def offer_recovery(window: Window) -> None:
    """Ask whether to take over work that a crashed session left."""
    found = window.session.recovery.leftovers()[:1]
    if not found:
        return
    leftover = found[0]
    box = QMessageBox(window)
    box.setText(f"Jade Coat was interrupted while {leftover.name} had unsaved changes.")
    box.setInformativeText("A copy of the work was kept.")
    kinds = QMessageBox.ButtonRole
    take = box.addButton("Take it over", kinds.AcceptRole)
    drop = box.addButton("Delete the copy", kinds.DestructiveRole)
    box.addButton("Later", kinds.RejectRole)

    def answered(_: int) -> None:
        if window.session.closed:
            return
        if box.clickedButton() is take:
            window.take_over(leftover)
        elif box.clickedButton() is drop:
            shutil.rmtree(leftover.folder, ignore_errors=True)

    box.finished.connect(answered)
    box.open()


def offscreen() -> None:
    """Draw without a screen; must be called before the application is made."""
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
