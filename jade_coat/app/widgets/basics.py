"""Small helpers for building panels."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QFocusEvent, QWheelEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLabel,
    QLayout,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)


def label(text: str, role: str = "", tip: str = "", wrap: bool = False) -> QLabel:
    """A label; roles are those of the style sheet: quiet, head, name, title, warn."""
    made = QLabel(text)
    made.setProperty("role", role)
    made.setToolTip(tip)
    made.setWordWrap(wrap)
    return made


def button(text: str, do: Callable[[], object] | None = None, role: str = "", tip: str = "") -> QPushButton:
    """A push button; roles are main, plain, add, tab, tool."""
    made = QPushButton(text)
    made.setProperty("role", role)
    made.setToolTip(tip)
    made.setAutoDefault(False)
    if do is not None:
        made.clicked.connect(lambda _checked=False: do())
    return made


def row(*widgets: QWidget | int, margins: tuple[int, int, int, int] = (0, 0, 0, 0), gap: int = 8) -> QHBoxLayout:
    """Widgets beside one another; a number is a stretch."""
    layout = QHBoxLayout()
    _fill(layout, widgets, margins, gap)
    return layout


def column(*widgets: QWidget | int, margins: tuple[int, int, int, int] = (0, 0, 0, 0), gap: int = 4) -> QVBoxLayout:
    """Widgets under one another; a number is a stretch."""
    layout = QVBoxLayout()
    _fill(layout, widgets, margins, gap)
    return layout


def _fill(layout: QLayout, widgets: tuple[QWidget | int, ...], margins: tuple[int, int, int, int], gap: int) -> None:
    layout.setContentsMargins(*margins)
    layout.setSpacing(gap)
    for widget in widgets:
        if isinstance(widget, int):
            layout.addStretch(widget)  # type: ignore[attr-defined]
        else:
            layout.addWidget(widget)


def holder(layout: QLayout, name: str = "") -> QWidget:
    """A widget around a layout."""
    made = QWidget()
    made.setObjectName(name)
    if name:
        made.setAttribute(Qt.WidgetAttribute.WA_StyledBackground, True)
    made.setLayout(layout)
    return made


def scrolled(inner: QWidget) -> QScrollArea:
    """A vertical scroll area that is as wide as its content."""
    area = QScrollArea()
    area.setWidget(inner)
    area.setWidgetResizable(True)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
    return area


def clear(layout: QLayout) -> None:
    """Remove everything from a layout and delete it."""
    while layout.count():
        item = layout.takeAt(0)
        assert item is not None
        widget, inner = item.widget(), item.layout()
        if widget is not None:
            widget.hide()
            widget.setParent(None)
            widget.deleteLater()
        elif inner is not None:
            clear(inner)


class FocusPainted(QWidget):
    """A widget that paints its own focus ring, and so repaints when the keyboard comes or goes."""

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        super().focusInEvent(event)
        self.update()

    def focusOutEvent(self, event: QFocusEvent | None) -> None:
        super().focusOutEvent(event)
        self.update()


class _CalmCombo(QComboBox):
    """A drop-down that leaves the wheel to the panel it lies in."""

    def wheelEvent(self, e: QWheelEvent | None) -> None:
        if e is not None:
            e.ignore()


def choice(
    options: Sequence[tuple[str, str]], current: str, chosen: Callable[[str], object], tip: str = ""
) -> QComboBox:
    """A drop-down of (key, text); calls `chosen(key)` when the user picks."""
    box = _CalmCombo()
    box.setToolTip(tip)
    for key, text in options:
        box.addItem(text, key)
    box.setCurrentIndex(max(0, next((i for i, (k, _) in enumerate(options) if k == current), 0)))
    box.activated.connect(lambda index: chosen(box.itemData(index)))
    box.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
    box.setMinimumWidth(60)
    box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    return box
