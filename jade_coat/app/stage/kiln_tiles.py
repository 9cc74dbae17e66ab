"""The tiles of the kiln: a candidate as a lit square with the way it lies in, and the one in the middle."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QEnterEvent, QImage, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QAbstractButton

from jade_coat.app import theme

NEIGHBOUR, MIDDLE = 60, 168


class KilnTile(QAbstractButton):
    """One candidate; without a picture it is a place that waits for one."""

    rested = pyqtSignal(object)

    def __init__(self, way: str, label: str, side: int) -> None:
        super().__init__()
        self.way, self._side = way, side
        self.image: QImage | None = None
        self.setText(label)
        self.setAccessibleName(label or "The candidate in the middle")
        self.setToolTip(f"Walk on to what is {label}" if label else "Rest on it to try it on what is chosen")
        self.setFixedSize(QSize(side + (26 if label else 4), side + (17 if label else 4)))
        self.setAttribute(Qt.WidgetAttribute.WA_Hover)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def show_image(self, image: QImage | None) -> None:
        """Show a picture, or wait for one."""
        self.image = image
        self.update()

    def enterEvent(self, event: QEnterEvent | None) -> None:
        self.rested.emit(self.way)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        box = QRectF((self.width() - self._side) / 2, 2, self._side, self._side)
        path = QPainterPath()
        path.addRoundedRect(box, 5, 5)
        if self.image is not None:
            painter.save()
            painter.setClipPath(path)
            painter.drawImage(box, self.image)
            painter.restore()
        hot = self.image is not None and (self.underMouse() or self.hasFocus())
        style = Qt.PenStyle.SolidLine if self.image is not None else Qt.PenStyle.DashLine
        painter.setPen(QPen(theme.color("celadon" if hot else "line"), 2.0 if hot else 1.0, style))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(path)
        if self.text():
            painter.setFont(theme.font(11))
            painter.setPen(theme.color("text" if self.image is not None else "quiet"))
            painter.drawText(QRectF(0, self._side + 2, self.width(), 15), Qt.AlignmentFlag.AlignCenter, self.text())
