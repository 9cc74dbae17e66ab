"""Tiles of what is strewn, and of what may be."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QImage, QPainter, QPainterPath, QPaintEvent, QPen

from jade_coat.app import theme
from jade_coat.app.controls.tiles import PressedTile

TILE, PICTURE = 52, QRectF(4, 4, 56, 44)


class ScatterTile(PressedTile):
    """One scatter: what is strewn, how thickly, and how many pieces of it there are."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self.name, self.words = name, ""
        self.image: QImage | None = None
        self.current = self.hidden = False
        self.setFixedHeight(TILE)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(f"Scatter {name}")

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        if self.current or self.underMouse() or self.hasFocus():
            path = QPainterPath()
            path.addRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 6, 6)
            painter.fillPath(path, theme.color("raised"))
            if self.current or self.hasFocus():
                painter.setPen(QPen(theme.color("celadon" if self.current else "jade"), 1.5))
                painter.drawPath(path)
        picture = QPainterPath()
        picture.addRoundedRect(PICTURE, 4, 4)
        painter.fillPath(picture, theme.color("well"))
        if self.image is not None:
            painter.setClipPath(picture)
            painter.setOpacity(0.35 if self.hidden else 1.0)
            painter.drawImage(PICTURE, self.image)
            painter.setOpacity(1.0)
            painter.setClipping(False)
        left = PICTURE.right() + 10
        painter.setFont(theme.font(13, 600))
        painter.setPen(theme.color("quiet" if self.hidden else "text"))
        name = painter.fontMetrics().elidedText(self.name, Qt.TextElideMode.ElideRight, int(self.width() - left - 6))
        painter.drawText(QRectF(left, 6, self.width() - left, 20), Qt.AlignmentFlag.AlignVCenter, name)
        painter.setFont(theme.font(11.5, 400))
        painter.setPen(theme.color("quiet"))
        painter.drawText(QRectF(left, 26, self.width() - left - 4, 18), Qt.AlignmentFlag.AlignVCenter, self.words)


class ModelTile(PressedTile):
    """One model that may be strewn."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self.name = name
        self.image: QImage | None = None
        self.setFixedSize(58, 62)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(f"Strew {name}")
        self.setToolTip(f"Strew {name} on this layer")

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        path = QPainterPath()
        path.addRoundedRect(QRectF(1, 1, 56, 43), 4, 4)
        painter.fillPath(path, theme.color("well"))
        if self.image is not None:
            painter.setClipPath(path)
            painter.drawImage(QRectF(1, 1, 56, 43), self.image)
            painter.setClipping(False)
        painter.setPen(QPen(theme.color("jade" if self.hasFocus() or self.underMouse() else "line"), 1))
        painter.drawPath(path)
        painter.setFont(theme.font(11))
        painter.setPen(theme.color("text"))
        name = painter.fontMetrics().elidedText(self.name, Qt.TextElideMode.ElideRight, self.width() - 2)
        painter.drawText(QRectF(0, 45, self.width(), 16), Qt.AlignmentFlag.AlignCenter, name)
