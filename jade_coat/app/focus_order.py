"""The way that Tab goes through a window: pane by pane, and in each as people read, down and to the right."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QApplication, QScrollArea, QWidget

LINE = 9
"""Pixels by which widgets of one line may stand apart in height."""


def in_order(window: QWidget, panes: Sequence[QWidget]) -> list[QWidget]:
    """Everything in a window that takes the focus by Tab, pane by pane; what is in none of them comes by its height."""
    found = []
    for widget in window.findChildren(QWidget):
        takes = widget.focusPolicy() & Qt.FocusPolicy.TabFocus == Qt.FocusPolicy.TabFocus
        there = widget.isVisible() and widget.isEnabled() and widget.window() is window
        if takes and there and widget.focusProxy() is None:
            found.append(widget)
    pane_of = {w: next((i for i, p in enumerate(panes) if p is w or p.isAncestorOf(w)), -1) for w in found}
    corner = {w: w.mapTo(window, QPoint(0, 0)) for w in found}
    middle = {w: corner[w].y() + w.height() / 2 for w in found}
    lines: list[QWidget] = []
    for pane in sorted(set(pane_of.values())):
        own = sorted((w for w in found if pane_of[w] == pane), key=lambda w: middle[w])
        while own:  # a line at a time, each from the left
            first = middle[own[0]]
            line = [w for w in own if middle[w] - first <= LINE]
            lines += sorted(line, key=lambda w: corner[w].x())
            own = own[len(line) :]
    return lines


def step(window: QWidget, panes: Sequence[QWidget], forward: bool) -> bool:
    """Give the focus to the next widget, or the one before, and bring it into sight; whether there is one."""
    order = in_order(window, panes)
    if not order:
        return False
    now = QApplication.focusWidget()
    at = order.index(now) if now in order else (-1 if forward else 0)
    wanted = order[(at + (1 if forward else -1)) % len(order)]
    wanted.setFocus(Qt.FocusReason.TabFocusReason if forward else Qt.FocusReason.BacktabFocusReason)
    parent = wanted.parentWidget()
    while parent is not None:
        if isinstance(parent, QScrollArea):
            parent.ensureWidgetVisible(wanted, 12, 12)
        parent = parent.parentWidget()
    return True
