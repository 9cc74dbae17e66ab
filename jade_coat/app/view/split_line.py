"""The divider of a split view, and the names of both sides."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen, QSinglePointEvent

from jade_coat.app import theme
from jade_coat.app.view.overlay import Overlay
from jade_coat.app.view.view import View

_REACH = 8


class SplitLine(Overlay[View]):
    """Drags the divider of the view's comparison."""

    def _x(self) -> float:
        return self.view.split_at * self.view.width()

    def paint(self, painter: QPainter) -> None:
        split = self.view.split
        if split is None:
            return
        x, height = self._x(), self.view.height()
        painter.setPen(QPen(theme.color("chrome", 200), 4))
        painter.drawLine(QPointF(x, 0), QPointF(x, height))
        painter.setPen(QPen(theme.color("celadon"), 1.5))
        painter.drawLine(QPointF(x, 0), QPointF(x, height))
        painter.setBrush(theme.color("celadon"))
        painter.setPen(QPen(theme.color("chrome"), 1.5))
        painter.drawEllipse(QPointF(x, height / 2), 7, 7)
        painter.setFont(theme.font(12, 500))
        for text, left in ((self._here(), True), (split.name, False)):
            width = painter.fontMetrics().horizontalAdvance(text) + 14
            card = QRectF(x - width - 8 if left else x + 8, height - 34, width, 20)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.color("chrome", 215))
            painter.drawRoundedRect(card, 4, 4)
            painter.setPen(theme.color("text"))
            painter.drawText(card, Qt.AlignmentFlag.AlignCenter, text)

    def _here(self) -> str:
        session, split = self.view.session, self.view.split
        assert split is not None
        if not split.finish:
            return self.view.look.replace("_", " ").capitalize()
        names = {f.id: f.name for f in session.project.finishes} | {m.id: m.name for m in session.project.materials}
        return names.get(session.finish_id, "Now")

    def press(self, at: QPointF, event: QSinglePointEvent) -> bool:
        return self.view.split is not None and abs(at.x() - self._x()) < _REACH

    def move(self, at: QPointF, event: QSinglePointEvent) -> None:
        self.view.set_split_at(at.x() / max(self.view.width(), 1))

    def hover(self, at: QPointF | None) -> None:
        if self.view.split is None or self.view.tool != "look":
            return
        near = at is not None and abs(at.x() - self._x()) < _REACH
        self.view.setCursor(Qt.CursorShape.SplitHCursor if near else Qt.CursorShape.ArrowCursor)
