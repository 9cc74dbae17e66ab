"""A card with a picture, a name and a line below it, to press."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QImage, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QAbstractButton

from jade_coat.app import theme

_EDGE = 8.0


class PictureCard(QAbstractButton):
    """A picture as wide as the card, cut to fit, over a name and a quiet line."""

    def __init__(self, name: str, line: str, image: QImage | None, size: QSize, do: Callable[[], object]) -> None:
        """`size` is that of the picture; the card is as much higher as its words take."""
        super().__init__()
        self._line, self._image, self._size = line, image, size
        self.setText(name)
        self.setAccessibleName(name)
        self.setToolTip(line)
        self.setFixedSize(size.width() + 2, size.height() + (46 if line else 28))
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAttribute(Qt.WidgetAttribute.WA_Hover)
        self.clicked.connect(lambda _=False: do())

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        whole = QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5)
        box = QRectF(1, 1, self._size.width(), self._size.height())
        shape = QPainterPath()
        shape.addRoundedRect(whole, _EDGE, _EDGE)
        painter.fillPath(shape, theme.color("raised" if self.underMouse() else "panel"))
        painter.setClipPath(shape)
        if self._image is not None and not self._image.isNull():
            painter.drawImage(box, self._image, _cut(self._image, box.width() / box.height()))
        else:
            painter.fillRect(box, theme.color("well"))
            painter.setPen(theme.color("quiet"))
            painter.setFont(theme.font(26, 300))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, self.text()[:1].upper())
        painter.setClipping(False)
        tone = "celadon" if self.hasFocus() else "jade" if self.underMouse() else "line"
        painter.setPen(QPen(theme.color(tone), 2 if self.hasFocus() else 1))
        painter.drawPath(shape)
        self._words(painter, box.bottom())

    def _words(self, painter: QPainter, top: float) -> None:
        left = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        for text, tone, font, y in (
            (self.text(), "text", theme.font(13, 600), 3.0), (self._line, "quiet", theme.font(12), 21.0),
        ):  # fmt: skip
            painter.setFont(font)
            painter.setPen(theme.color(tone))
            shown = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideMiddle, self.width() - 20)
            painter.drawText(QRectF(10, top + y, self.width() - 20, 20), left, shown)


def _cut(image: QImage, shape: float) -> QRectF:
    """The largest middle part of an image of this width to height."""
    width, height = float(image.width()), float(image.height())
    if width > height * shape:
        return QRectF((width - height * shape) / 2, 0, height * shape, height)
    return QRectF(0, (height - width / shape) / 2, width, width / shape)
