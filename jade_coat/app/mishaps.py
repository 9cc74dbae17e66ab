"""The one place that catches what nothing else did: the window stays, work is kept aside, and people can copy a report.

Qt ends the process when a slot, a timer or an event handler raises; Python's own hooks are where such errors pass.
"""

from __future__ import annotations

import platform
import sys
import threading
import traceback
from types import TracebackType

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QApplication, QMessageBox, QWidget

from jade_coat import __version__

MOST_KEPT = 20


class Mishaps(QObject):
    """Takes over Python's hooks for errors nobody caught, from any thread, and tells them in the window's thread."""

    told = pyqtSignal(str, str)
    """A plain line, and the report to copy."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.reports: list[str] = []
        self._before = (sys.excepthook, threading.excepthook)
        self._telling = False

    def watch(self) -> None:
        """Catch from now on."""
        sys.excepthook = self._caught
        threading.excepthook = lambda args: self._caught(args.exc_type, args.exc_value, args.exc_traceback)

    def rest(self) -> None:
        """Give the hooks back."""
        sys.excepthook, threading.excepthook = self._before

    def _caught(self, kind: type[BaseException], error: BaseException | None, trace: TracebackType | None) -> None:
        if issubclass(kind, KeyboardInterrupt):
            self._before[0](kind, error or kind(), trace)
            return
        text = "".join(traceback.format_exception(kind, error, trace))
        print(text, file=sys.stderr)
        if self._telling:  # telling it is what failed
            return
        del self.reports[: -MOST_KEPT + 1]
        self.reports.append(report(text))
        self._telling = True
        try:
            self.told.emit(plain_line(kind, error), self.reports[-1])
        finally:
            self._telling = False


def plain_line(kind: type[BaseException], error: BaseException | None) -> str:
    """What happened, in one line for people."""
    words = " ".join(str(error).split())[:160]
    return f"Something went wrong inside Jade Coat ({kind.__name__}{f': {words}' if words else ''})."


def report(text: str) -> str:
    """What helps to find the cause: versions and the traceback."""
    from PyQt6.QtCore import PYQT_VERSION_STR, QT_VERSION_STR

    versions = f"Jade Coat {__version__}, Python {platform.python_version()}, Qt {QT_VERSION_STR}"
    return f"{versions}, PyQt {PYQT_VERSION_STR}, {platform.platform()}\n\n{text}"


class MishapBox(QMessageBox):
    """Says that something went wrong and what was done about it; the report can be copied."""

    def __init__(self, parent: QWidget, line: str, kept: str, report: str) -> None:
        super().__init__(parent)
        self.setWindowTitle("Something went wrong")
        self.setText(line)
        self.setInformativeText(f"{kept} You can go on working; what you did last may not have happened.")
        self.report = report
        self.copy = self.addButton("Copy the report", QMessageBox.ButtonRole.ActionRole)
        self.addButton("Go on", QMessageBox.ButtonRole.AcceptRole)
        assert self.copy is not None
        self.copy.clicked.disconnect()  # copying leaves the box open
        self.copy.clicked.connect(self.copy_report)

    def copy_report(self) -> None:
        """Put the report on the clipboard."""
        clipboard = QApplication.clipboard()
        if clipboard is not None:
            clipboard.setText(self.report)
        assert self.copy is not None
        self.copy.setText("Copied")
