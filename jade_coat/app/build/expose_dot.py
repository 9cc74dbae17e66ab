"""The dot before a field that makes it a dial."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QAbstractButton, QMenu

from jade_coat.app import theme
from jade_coat.material.material import Link


class ExposeDot(QAbstractButton):
    """A ring that is filled when its field is a dial; its menu lets the field follow a shared dial or a recipe."""

    followed = pyqtSignal(str, str)
    """The shared dial and the recipe to follow; one or both are empty."""

    def __init__(self, exposed: bool, field_name: str) -> None:
        super().__init__()
        self._shared: list[tuple[str, str]] = []
        self._recipes: list[tuple[str, str]] = []
        self._link: Link | None = None
        self.setCheckable(True)
        self.setChecked(exposed)
        self.setFixedSize(16, 24)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(f"Make {field_name.lower()} a dial")
        self.setToolTip(
            "A dial: finishes may change it"
            if exposed
            else "Make this a dial that finishes may change; right-click to follow a shared dial or a recipe"
        )

    def offer(self, shared: list[tuple[str, str]], recipes: list[tuple[str, str]], link: Link | None) -> None:
        """Offer these shared dials and recipes (id, name) in the menu, and letting go of the one that is followed."""
        self._shared, self._recipes, self._link = shared, recipes, link

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        assert event is not None
        menu = QMenu(self)
        for dial, name in self._shared:
            action = menu.addAction(f"Follow {name}", partial(self.followed.emit, dial, ""))
            assert action is not None
            action.setEnabled(self._link is None or self._link.shared != dial)
        if not self._shared:
            action = menu.addAction("No shared dial yet: add one at the right")
            assert action is not None
            action.setEnabled(False)
        if self._recipes:
            menu.addSeparator()
        for recipe, name in self._recipes:
            action = menu.addAction(f"Follow the recipe {name}", partial(self.followed.emit, "", recipe))
            assert action is not None
            action.setEnabled(self._link is None or self._link.recipe != recipe)
        if self._link is not None:
            menu.addSeparator()
            menu.addAction("Follow nothing", partial(self.followed.emit, "", ""))
        menu.exec(event.globalPos())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        on = self.isChecked()
        painter.setPen(QPen(theme.color("jade" if on or self.hasFocus() else "quiet"), 1.4))
        painter.setBrush(theme.color("jade") if on else Qt.BrushStyle.NoBrush)
        if self._link is not None:
            painter.setBrush(theme.color("persimmon"))
            painter.setPen(QPen(theme.color("persimmon"), 1.4))
            painter.drawPolygon(QPolygonF([QPointF(6, 7), QPointF(11, 12), QPointF(6, 17), QPointF(1, 12)]))
            return
        painter.drawEllipse(QPointF(6, 12), 4, 4)
