"""A picture that is zoomed and moved; several may share one place and zoom, and one may be split between two."""

from __future__ import annotations

from PyQt6.QtCore import QObject, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent, QWheelEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from jade_coat.app import theme

STEP = 1.25
LEAST, MOST = 0.25, 64.0
SHARP = 2.0
"""Screen pixels a texel from which texels are drawn as squares."""
GRIP = 8.0


class Place(QObject):
    """What is looked at: the zoom (1 fits the whole picture in) and the middle, in shares of the picture."""

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.zoom, self.x, self.y = 1.0, 0.5, 0.5

    def set(self, zoom: float, x: float, y: float) -> None:
        """Look elsewhere; at most half of the view lies beyond the picture."""
        self.zoom = min(max(zoom, LEAST), MOST)
        self.x, self.y = min(max(x, 0.0), 1.0), min(max(y, 0.0), 1.0)
        self.changed.emit()

    def zoom_at(self, factor: float, x: float, y: float) -> None:
        """Zoom so that a place of the picture, in shares of it, stays where it is seen."""
        zoom = min(max(self.zoom * factor, LEAST), MOST)
        real = zoom / self.zoom
        self.set(zoom, x + (self.x - x) / real, y + (self.y - y) / real)

    def whole(self) -> None:
        """Fit the whole picture in."""
        self.set(1.0, 0.5, 0.5)


class ZoomPicture(QWidget):
    """Shows an image. The wheel zooms at the pointer, a drag moves it, a double click shows all of it again.

    With `other` set, a line that can be dragged divides both. `tiles` repeats it 3 × 3.
    """

    pointed = pyqtSignal(float, float)
    """The place under the pointer, in shares of the picture."""

    def __init__(self, place: Place | None = None) -> None:
        super().__init__()
        self.place = place or Place()
        self.place.changed.connect(self.update)
        self.image: QImage | None = None
        self.other: QImage | None = None
        self.names = ("", "")
        self.split_at = 0.5
        self.tiles = 1
        self._grab: tuple[QPointF, float, float] | None = None
        self._splitting = False
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(120, 90)
        self.setAccessibleName("Picture")
        self.setToolTip("Wheel or + and − zoom, a drag or the arrows move it, a double click or 0 shows all of it")

    def sizeHint(self) -> QSize:
        return QSize(420, 420)

    def show_image(self, image: QImage | None, other: QImage | None = None, names: tuple[str, str] = ("", "")) -> None:
        """Show an image, or two with a line between them."""
        self.image, self.other, self.names = image, other, names
        self.update()

    def box(self) -> QRectF:
        """Where the picture (one tile of it) lies on the widget."""
        assert self.image is not None
        width, height = max(self.image.width(), 1), max(self.image.height(), 1)
        fit = min(self.width() / width, self.height() / height) / self.tiles * self.place.zoom
        wide, high = width * fit, height * fit
        return QRectF(self.width() / 2 - self.place.x * wide, self.height() / 2 - self.place.y * high, wide, high)

    def at(self, point: QPointF) -> tuple[float, float]:
        """A place of the widget in shares of the picture."""
        box = self.box()
        return (point.x() - box.left()) / box.width(), (point.y() - box.top()) / box.height()

    # Painting

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.color("well"))
        if self.image is None:
            return
        self._draw(painter, self.image, self.rect().toRectF() if self.other is None else self._half(left=True))
        if self.other is not None:
            self._draw(painter, self.other, self._half(left=False))
            self._draw_line(painter)
        if self.hasFocus():
            painter.setPen(QPen(theme.color("celadon"), 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))

    def _half(self, left: bool) -> QRectF:
        x = self.split_at * self.width()
        return QRectF(0, 0, x, self.height()) if left else QRectF(x, 0, self.width() - x, self.height())

    def _draw(self, painter: QPainter, image: QImage, clip: QRectF) -> None:
        box = self.box()
        painter.save()
        painter.setClipRect(clip)
        fine = box.width() / max(image.width(), 1) < SHARP
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform, fine)
        reach = range(-(self.tiles // 2), self.tiles // 2 + 1)
        for row in reach:
            for column in reach:
                tile = box.translated(column * box.width(), row * box.height())
                if tile.intersects(clip):
                    painter.drawImage(tile, image)
        painter.restore()

    def _draw_line(self, painter: QPainter) -> None:
        x = self.split_at * self.width()
        for tone, width in (("chrome", 4.0), ("celadon", 1.5)):
            painter.setPen(QPen(theme.color(tone), width))
            painter.drawLine(QPointF(x, 0), QPointF(x, self.height()))
        painter.setFont(theme.font(12, 500))
        for text, left in zip(self.names, (True, False), strict=True):
            if not text:
                continue
            wide = painter.fontMetrics().horizontalAdvance(text) + 14
            card = QRectF(x - wide - 8 if left else x + 8, self.height() - 30, wide, 20)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.color("chrome", 215))
            painter.drawRoundedRect(card, 4, 4)
            painter.setPen(theme.color("text"))
            painter.drawText(card, Qt.AlignmentFlag.AlignCenter, text)

    # Hands

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        self.update()

    def zoom_by(self, factor: float, at: QPointF | None = None) -> None:
        """Zoom so that what lies under a place stays there."""
        if self.image is None:
            return
        at = at if at is not None else QPointF(self.width() / 2, self.height() / 2)
        self.place.zoom_at(factor, *self.at(at))

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        assert event is not None
        self.zoom_by(STEP ** (event.angleDelta().y() / 120), event.position())
        event.accept()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        at = event.position()
        self._splitting = self.other is not None and abs(at.x() - self.split_at * self.width()) < GRIP
        if not self._splitting:
            self._grab = (at, self.place.x, self.place.y)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self.image is None:
            return
        at = event.position()
        if self._splitting:
            self.split_at = min(max(at.x() / max(self.width(), 1), 0.02), 0.98)
            self.update()
        elif self._grab is not None:
            start, x, y = self._grab
            box = self.box()
            moved = at - start
            self.place.set(self.place.zoom, x - moved.x() / box.width(), y - moved.y() / box.height())
        self.pointed.emit(*self.at(at))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._grab, self._splitting = None, False

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self.place.whole()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        key = Qt.Key(event.key())
        steps = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)}
        if key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self.zoom_by(STEP)
        elif key == Qt.Key.Key_Minus:
            self.zoom_by(1 / STEP)
        elif key == Qt.Key.Key_0:
            self.place.whole()
        elif key in steps:
            x, y = steps[key]
            away = 0.1 / self.place.zoom
            self.place.set(self.place.zoom, self.place.x + x * away, self.place.y + y * away)
        else:
            super().keyPressEvent(event)
