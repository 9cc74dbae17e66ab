"""Hands that do anything: seeded clicks, keys and drags over every panel with every fold open. The window stays.

`JADE_COAT_ACTIONS` sets how many, `JADE_COAT_SEED` which; 500 in every run, 20,000 by hand now and then.
"""

from __future__ import annotations

import os
import random
import sys
import time
import traceback
from collections import deque

import pytest
from PyQt6.QtCore import QEvent, QObject, QPoint, QPointF, Qt, QTimer
from PyQt6.QtGui import QMouseEvent, QWheelEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QDialog,
    QInputDialog,
    QLineEdit,
    QMainWindow,
    QMenu,
    QScrollBar,
    QWidget,
)

from jade_coat.app.controls.basics import Fold
from jade_coat.app.dialogs.common import ProgressDialog
from jade_coat.app.view.view import View
from jade_coat.stage import edits
from tests.app.conftest import Hand, run_deletes

ACTIONS = int(os.environ.get("JADE_COAT_ACTIONS", "500"))
FIRST_SEED = int(os.environ.get("JADE_COAT_SEED", "1"))
KEYS = [
    *(Qt.Key(ord(c)) for c in "ABDEFNPQWX1234"), Qt.Key.Key_Return, Qt.Key.Key_Escape, Qt.Key.Key_Tab, Qt.Key.Key_Up,
    Qt.Key.Key_Down, Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Delete, Qt.Key.Key_F2, Qt.Key.Key_Space,
]  # fmt: skip
WITH_CONTROL = [Qt.Key(ord(c)) for c in "ZYTRK1234"]
NONE = Qt.KeyboardModifier.NoModifier
LEFT = Qt.MouseButton.LeftButton


class Monkey:
    """Acts on one window by chance; answers every dialog and menu that opens."""

    def __init__(self, hand: Hand, seed: int) -> None:
        self.hand, self.window, self.rng = hand, hand.window, random.Random(seed)
        self.done: deque[str] = deque(maxlen=12)
        self.answering = True
        self.tick()

    def tick(self) -> None:
        """Look for something to answer now and then; what an answer opens is answered from within it."""
        if self.answering:
            QTimer.singleShot(30, self.tick)
            self.answer()

    def answer(self) -> None:
        """Close whatever waits for an answer: dialogs by a button or Escape, menus by an entry or Escape."""
        popup = QApplication.activePopupWidget()
        if isinstance(popup, QMenu):
            entries = [a for a in popup.actions() if a.isEnabled() and not a.isSeparator() and a.menu() is None]
            if entries and self.rng.random() < 0.7:
                action = self.rng.choice(entries)
                self.done.append(f"menu {action.text()!r}")
                popup.close()
                action.trigger()
            else:
                popup.close()
            return
        if popup is not None:
            popup.close()
            return
        modal = QApplication.activeModalWidget()
        if modal is None or isinstance(modal, ProgressDialog):
            return
        if isinstance(modal, QInputDialog) and modal.inputMode() == QInputDialog.InputMode.TextInput:
            modal.setTextValue(self.rng.choice(["Name", "", "x" * 200, "a/b\n", modal.textValue()]))
        buttons = [b for b in modal.findChildren(QAbstractButton) if b.isVisible() and b.isEnabled()]
        self.done.append(f"answer {type(modal).__name__}")
        if isinstance(modal, QDialog) and (not buttons or self.rng.random() < 0.4):
            modal.reject()
        else:
            QTest.mouseClick(self.rng.choice(buttons), LEFT)

    def targets(self) -> list[QWidget]:
        """Every visible widget of every open window that can be acted on."""
        found: list[QWidget] = []
        for top in QApplication.topLevelWidgets():
            if top.isVisible():
                found += [w for w in top.findChildren(QWidget) if w.isVisible() and w.isEnabled() and w.width() > 3]
        return found

    def place(self, widget: QWidget) -> QPoint:
        return QPoint(self.rng.randrange(max(widget.width(), 1)), self.rng.randrange(max(widget.height(), 1)))

    def act(self) -> None:
        """One action."""
        widgets = self.targets()
        if not widgets:
            return
        view = self.window.view
        widget = view if view.isVisible() and self.rng.random() < 0.2 else self.rng.choice(widgets)
        kind = self.rng.choice(
            ["click"] * 5 + ["drag"] * 3 + ["key"] * 3 + ["wheel", "right", "double", "combo", "type", "workspace"]
        )
        self.done.append(f"{kind} {type(widget).__name__} {widget.accessibleName() or widget.objectName()}")
        getattr(self, kind)(widget)
        QApplication.processEvents()
        if self.rng.random() < 0.1:
            run_deletes()

    def click(self, widget: QWidget) -> None:
        QTest.mouseClick(
            widget, LEFT, self.rng.choice([NONE, NONE, Qt.KeyboardModifier.ControlModifier]), self.place(widget)
        )

    def right(self, widget: QWidget) -> None:
        from PyQt6.QtGui import QContextMenuEvent

        at = self.place(widget)
        QApplication.postEvent(widget, QContextMenuEvent(QContextMenuEvent.Reason.Mouse, at, widget.mapToGlobal(at)))

    def double(self, widget: QWidget) -> None:
        QTest.mouseDClick(widget, LEFT, NONE, self.place(widget))

    def drag(self, widget: QWidget) -> None:
        if isinstance(widget, QScrollBar):
            return
        keys = self.rng.choice([NONE, NONE, Qt.KeyboardModifier.ShiftModifier, Qt.KeyboardModifier.ControlModifier])
        start, end = QPointF(self.place(widget)), QPointF(self.place(widget))
        self.send(widget, QEvent.Type.MouseButtonPress, start, LEFT, LEFT, keys)
        steps = self.rng.randint(2, 6)
        for i in range(1, steps + 1):
            if not widget_lives(widget):
                return
            self.send(
                widget, QEvent.Type.MouseMove, start + (end - start) * (i / steps), Qt.MouseButton.NoButton, LEFT, keys
            )
            if self.rng.random() < 0.1:
                self.key(widget)
        if widget_lives(widget):
            self.send(widget, QEvent.Type.MouseButtonRelease, end, LEFT, Qt.MouseButton.NoButton, keys)

    def send(self, widget: QWidget, kind: QEvent.Type, at: QPointF, button, held, keys) -> None:
        QApplication.sendEvent(
            widget, QMouseEvent(kind, at, QPointF(widget.mapToGlobal(at.toPoint())), button, held, keys)
        )

    def key(self, widget: QWidget) -> None:
        focus = QApplication.focusWidget() or self.window
        if self.rng.random() < 0.25:
            QTest.keyClick(focus, self.rng.choice(WITH_CONTROL), Qt.KeyboardModifier.ControlModifier)
        else:
            QTest.keyClick(focus, self.rng.choice(KEYS))

    def wheel(self, widget: QWidget) -> None:
        at = QPointF(self.place(widget))
        turn = QPoint(0, self.rng.choice([-120, 120]))
        event = QWheelEvent(at, QPointF(widget.mapToGlobal(at.toPoint())), QPoint(), turn, Qt.MouseButton.NoButton, NONE,
                            Qt.ScrollPhase.NoScrollPhase, False)  # fmt: skip
        QApplication.sendEvent(widget, event)

    def combo(self, widget: QWidget) -> None:
        boxes = [w for w in self.targets() if isinstance(w, QComboBox) and w.count()]
        if boxes:
            box = self.rng.choice(boxes)
            index = self.rng.randrange(box.count())
            self.done.append(f"choose {box.itemText(index)!r}")
            box.setCurrentIndex(index)
            box.activated.emit(index)

    def type(self, widget: QWidget) -> None:
        lines = [w for w in self.targets() if isinstance(w, QLineEdit) and not isinstance(w.parent(), QAbstractSpinBox)]
        if lines:
            line = self.rng.choice(lines)
            QTest.keyClicks(line, self.rng.choice(["0.5", "-3", "1/0", "5 mm", "abc", "1e99", ""]))
            QTest.keyClick(line, self.rng.choice([Qt.Key.Key_Return, Qt.Key.Key_Escape, Qt.Key.Key_Tab]))

    def workspace(self, widget: QWidget) -> None:
        self.window.show_workspace(self.rng.choice(["Build", "Brush", "Brush", "Build", "Stage"]))


def widget_lives(widget: QWidget) -> bool:
    from PyQt6 import sip

    return not sip.isdeleted(widget)


class Flashes(QObject):
    """Notes what is shown as a window of its own for want of a parent: such a widget flashes, and closes popups."""

    def __init__(self) -> None:
        super().__init__(QApplication.instance())
        self.seen: list[str] = []
        QApplication.instance().installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if (
            event.type() == QEvent.Type.Show and isinstance(watched, QWidget) and not isinstance(watched, QMainWindow)
            and watched.isWindow() and watched.windowType() == Qt.WindowType.Window  # not a popup, dialog or tool
        ):  # fmt: skip
            self.seen.append(f"{type(watched).__name__}:\n" + "".join(traceback.format_stack(limit=4)))
        return False


@pytest.mark.qt_no_exception_capture
@pytest.mark.parametrize("seed", [FIRST_SEED, FIRST_SEED + 1])
def test_random_hands_leave_a_living_window_and_raise_nothing(hand: Hand, seed: int) -> None:
    caught: list[str] = []
    before = sys.excepthook

    def catch(kind, error, trace) -> None:
        caught.append("".join(traceback.format_exception(kind, error, trace)))

    sys.excepthook = catch
    monkey, flashes = Monkey(hand, seed), Flashes()
    try:
        for fold in hand.window.findChildren(Fold):
            fold.unfold()
        end = time.monotonic() + 60 + ACTIONS * 1.5
        for i in range(ACTIONS // 2):
            monkey.act()
            if i % 25 == 0:
                for fold in hand.window.findChildren(Fold):
                    fold.unfold()
            assert not caught, f"after {list(monkey.done)}:\n{caught[0]}"
            assert time.monotonic() < end, f"too slow after {list(monkey.done)}"
            assert hand.window.isVisible(), f"the window went after {list(monkey.done)}"
            assert not flashes.seen, f"after {list(monkey.done)}:\n{flashes.seen[0]}"
        while QApplication.activeModalWidget() is not None or QApplication.activePopupWidget() is not None:
            assert time.monotonic() < end, "a dialog stays open"
            QApplication.processEvents()
            time.sleep(0.01)
        hand.window.bench.brush_tool.give_up()
        hand.session.play(False)
        for sheet in hand.window.findChildren(QDialog):
            sheet.close()  # one of them may let the camera turn
        hand.window.show_workspace("Build")
        hand.settle(240)
        assert not caught, f"after {list(monkey.done)}:\n{caught[0]}"
        assert isinstance(hand.window.view, View)
        assert hand.session.do(edits.set_light(strength=1.0))
    finally:
        monkey.answering = False
        QApplication.instance().removeEventFilter(flashes)
        sys.excepthook = before
