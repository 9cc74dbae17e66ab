"""A real window on a copy of the demo, offscreen."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path

import pytest
from PyQt6.QtCore import QEvent, QPoint, QPointF, QSettings, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QDialog, QFileDialog, QMainWindow, QWidget

from jade_coat.app.build import swatches
from jade_coat.app.main import make_application
from jade_coat.app.session import Session
from jade_coat.app.view import pictures
from jade_coat.app.window import Window
from jade_coat.mesh.warm import warm_up
from jade_coat.view.client import RenderClient


@pytest.fixture(autouse=True)
def fewer_samples(monkeypatch: pytest.MonkeyPatch) -> None:
    """Fewer samples and pixels where pictures need not be fine to be compared."""
    monkeypatch.setattr(pictures, "SAMPLES", 1)
    monkeypatch.setattr(pictures, "FAR_SAMPLES", 1)
    monkeypatch.setattr(pictures, "FINENESS", 0.3)
    monkeypatch.setattr(swatches, "WIDTH", 84)
    monkeypatch.setattr(swatches, "HEIGHT", 62)
    monkeypatch.setattr(swatches, "SAMPLES", 1)


@pytest.fixture(autouse=True)
def no_file_chosen(monkeypatch: pytest.MonkeyPatch) -> None:
    """A file dialog is left without a choice, whichever a button opens: a real one would wait for a hand for ever."""
    for ask in ("getOpenFileName", "getOpenFileNames", "getSaveFileName", "getExistingDirectory"):
        nothing = {"getOpenFileNames": ([], ""), "getExistingDirectory": ""}.get(ask, ("", ""))
        monkeypatch.setattr(QFileDialog, ask, staticmethod(lambda *_, _nothing=nothing, **__: _nothing))


class KeptClient(RenderClient):
    """A render process that outlives the windows of single tests."""

    def close(self) -> None:
        """The next window goes on with it."""

    def end(self) -> None:
        """End the process."""
        super().close()


@pytest.fixture(scope="session")
def kept_client():
    client = KeptClient()
    yield client
    client.end()


def hurry(window: Window) -> None:
    """Shorten the pauses that let a hand come to rest."""
    bench = window.bench
    for timer in (bench.looks._wait, bench.stack._measure, bench.swatches._wait, bench.view._rest):
        timer.setInterval(40)


@pytest.fixture(scope="session")
def qapp():
    warm_up()  # the first stroke of a test must not find the brush's loops still to be compiled
    return make_application()


def run_deletes() -> None:
    """Delete what waits to be deleted, so that a widget used after its end is found; `processEvents` does not."""
    QApplication.processEvents()
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)


def strays() -> list[QWidget]:
    """Windows that are neither a main window, nor a dialog, nor a popup."""
    kinds = (Qt.WindowType.Widget, Qt.WindowType.Window)
    shown = [w for w in QApplication.topLevelWidgets() if w.isVisible() and w.windowType() in kinds]
    return [w for w in shown if not isinstance(w, (QMainWindow, QDialog))]


def undressed() -> list[QWidget]:
    """Windows that are shown without the theme's style sheet: neither of their own nor of what they opened from."""
    shown = [w for w in QApplication.topLevelWidgets() if w.isVisible()]
    return [w for w in shown if w.style().metaObject().className() != "QStyleSheetStyle"]


class Hand:
    """Drives a window as a person would, and waits as one."""

    def __init__(self, window: Window) -> None:
        self.window = window
        self.session = window.session

    def settle(self, seconds: float = 180) -> None:
        """Wait until every picture is in."""
        calm, end = 0, time.monotonic() + seconds
        while calm < 12:
            assert time.monotonic() < end, f"the window did not come to rest: {self.restless()}"
            run_deletes()
            time.sleep(0.01)
            calm = calm + 1 if self.window.ready() else 0
        assert strays() == [], "a widget was shown before it had a parent, and became a window"
        assert undressed() == [], "a window is shown without the theme's style sheet"

    def restless(self) -> list[str]:
        """What is not at rest, by name."""
        bench, view = self.window.bench, self.window.view
        parts = {
            "swatches": bench.swatches.waiting, "looks": bench.looks.waiting, "coverage": bench.stack.measuring,
            "repetition": bench.repeat.waiting, "view": not view.at_rest, "hand": view.held, "work": not self.session.settled, "client": not self.session.client.idle,
        }  # fmt: skip
        return [name for name, waiting in parts.items() if waiting]

    def until(self, holds: Callable[[], bool], seconds: float = 120) -> None:
        end = time.monotonic() + seconds
        while not holds():
            assert time.monotonic() < end, "it did not happen in time"
            run_deletes()
            time.sleep(0.005)

    def drag(self, widget: QWidget, start: QPoint, end: QPoint, steps: int = 12, button=Qt.MouseButton.LeftButton,
             keys=Qt.KeyboardModifier.NoModifier) -> None:  # fmt: skip
        QTest.mousePress(widget, button, keys, start)
        for i in range(1, steps + 1):
            at = QPointF(start) + QPointF(end - start) * (i / steps)
            move(widget, at, button, keys)
            QApplication.processEvents()
        QTest.mouseRelease(widget, button, keys, end)

    def click(self, widget: QWidget, at: QPoint | None = None) -> None:
        QTest.mouseClick(
            widget, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at or widget.rect().center()
        )

    def key(self, widget: QWidget, key, keys=Qt.KeyboardModifier.NoModifier) -> None:
        QTest.keyClick(widget, key, keys)
        QApplication.processEvents()


def move(widget: QWidget, at: QPointF, button, keys=Qt.KeyboardModifier.NoModifier) -> None:
    """A mouse move with the button held: QTest's own moves carry no buttons."""
    from PyQt6.QtGui import QMouseEvent

    event = QMouseEvent(QEvent.Type.MouseMove, at, QPointF(widget.mapToGlobal(at.toPoint())), button, button, keys)
    QApplication.sendEvent(widget, event)


@pytest.fixture
def open_window(qapp, kept_client):
    made: list[Window] = []
    QSettings().remove("layout")
    QSettings().remove("brush")

    def make(folder: Path | None) -> Hand:
        window = Window(Session(kept_client))
        window.session.offer = lambda what, lines: False
        window.session.agree = lambda what, lines: True  # tests of what is asked put their own in its place
        if kept_client is not None:
            hurry(window)
        window.resize(1280, 800)
        window.show()
        window.activateWindow()
        QTest.qWaitForWindowActive(window, 3000)
        made.append(window)
        if folder is not None:
            window.open_folder(folder)
        hand = Hand(window)
        hand.settle()
        return hand

    yield make
    for window in made:
        window.session.document.mark_saved()
        window.close()
        window.deleteLater()
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)


@pytest.fixture
def hand(open_window, demo_copy: Path) -> Hand:
    return open_window(demo_copy)


@pytest.fixture
def brush(hand: Hand):
    """The brush's state, in hand on the kiln wall, at full strength."""
    hand.window.show_workspace("Brush")
    hand.window.bench.panes.open("section")
    hand.window.bench.panes.open("finishes")
    state = hand.window.bench.brush
    state.set(radius=0.2, strength=1.0)
    hand.settle()
    return state
