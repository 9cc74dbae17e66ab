"""The seam's curve: the weight over the amount, editable where the seam follows a drawn one."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from jade_coat.app import theme
from jade_coat.material.seam import Seam, weight
from jade_coat.program.numpy_backend import Environment, evaluate
from jade_coat.program.value import const


class SeamCurve(QWidget):
    """The weight over the amount, for a low place, level ground and a high place below the coat."""

    moved = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(74)
        self.seam = Seam()
        self._grabbed: int | None = None
        self.setAccessibleName("Seam curve")

    def show_seam(self, seam: Seam) -> None:
        """Show another seam."""
        self.seam = seam
        self.setToolTip(
            "Weight over amount. Drag a point; double-click adds or removes one."
            if seam.kind == "ramp"
            else "Weight over amount: in low places (strong), on level ground, and on high places (faint)"
        )
        self.update()

    def _box(self) -> QRectF:
        return QRectF(self.rect()).adjusted(8, 8, -8, -8)

    def _curve(self, below: float) -> list[QPointF]:
        amount = np.linspace(0, 1, 81, dtype=np.float32)[None]
        from jade_coat.program import lib

        value = weight(self.seam, lib.dial("a"), 0.5, const(below), self.seam.softness, self.seam.bias)
        w = evaluate({"w": value}, Environment(dials={"a": amount}))["w"]
        box = self._box()
        return [
            QPointF(box.left() + float(a) * box.width(), box.bottom() - float(y) * box.height())
            for a, y in zip(amount[0], np.broadcast_to(w, amount.shape)[0], strict=True)
        ]

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("well"))
        painter.drawRoundedRect(QRectF(self.rect()), 6, 6)
        places = ((0.15, 255), (0.5, 130), (0.85, 70)) if self.seam.kind == "interlock" else ((0.5, 255),)
        for below, alpha in reversed(places):
            points = self._curve(below)
            path = QPainterPath(points[0])
            for point in points[1:]:
                path.lineTo(point)
            painter.setPen(QPen(theme.color("celadon", alpha), 1.8))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPath(path)
        if self.seam.kind == "ramp":
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.color("jade"))
            for point in self._handles():
                painter.drawEllipse(point, 4, 4)

    def _handles(self) -> list[QPointF]:
        box = self._box()
        return [QPointF(box.left() + x * box.width(), box.bottom() - y * box.height()) for x, y in self.seam.points]

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        near = [i for i, h in enumerate(self._handles()) if (h - event.position()).manhattanLength() < 12]
        inner = [i for i in near if 0 < i < len(self.seam.points) - 1]
        self._grabbed = inner[0] if inner and self.seam.kind == "ramp" else None

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._grabbed is None:
            return
        points, i, box = list(self.seam.points), self._grabbed, self._box()
        x = (event.position().x() - box.left()) / box.width()
        y = (box.bottom() - event.position().y()) / box.height()
        x = min(max(x, points[i - 1][0] + 0.01), points[i + 1][0] - 0.01)
        y = min(max(y, points[i - 1][1]), points[i + 1][1])
        points[i] = (x, y)
        self.moved.emit(tuple(points))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._grabbed = None

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self.seam.kind != "ramp":
            return
        box, points = self._box(), list(self.seam.points)
        near = [i for i, h in enumerate(self._handles()) if (h - event.position()).manhattanLength() < 12]
        inner = [i for i in near if 0 < i < len(points) - 1]
        if inner:
            del points[inner[0]]
        else:
            x = min(max((event.position().x() - box.left()) / box.width(), 0.01), 0.99)
            if all(abs(x - p[0]) > 0.01 for p in points):
                y = float(np.interp(x, [p[0] for p in points], [p[1] for p in points]))
                points = sorted([*points, (x, y)])
        self.moved.emit(tuple(points))
