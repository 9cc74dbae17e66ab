"""Keeps the keyboard where it was when a panel is built anew under it."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractButton, QApplication, QWidget


@contextmanager
def focus_kept(panel: QWidget) -> Iterator[None]:
    """Whatever is built meanwhile, the control of the same kind and name then has the keyboard, if one of them had it.

    Of several with one name it is the one in the same place among them.
    """
    held = QApplication.focusWidget()
    if held is None or not panel.isAncestorOf(held):
        yield
        return
    mark = _mark(held)
    at = [w for w in _controls(panel) if _mark(w) == mark].index(held)
    yield
    alike = [w for w in _controls(panel) if _mark(w) == mark]
    if alike and QApplication.focusWidget() is not alike[min(at, len(alike) - 1)]:
        alike[min(at, len(alike) - 1)].setFocus(Qt.FocusReason.OtherFocusReason)


def _controls(panel: QWidget) -> list[QWidget]:
    return [w for w in panel.findChildren(QWidget) if w.focusPolicy() != Qt.FocusPolicy.NoFocus]


def _mark(widget: QWidget) -> tuple[str, str]:
    """What tells a control from others: its kind, and what it is called."""
    text = widget.text() if isinstance(widget, QAbstractButton) else ""
    return type(widget).__name__, widget.accessibleName() or text or widget.toolTip()
