"""The heading of one where-term in the coat editor, with a picture."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from jade_coat.app import theme
from jade_coat.app.controls.basics import button, choice, row
from jade_coat.app.controls.tiles import DraggedRow

_PICTURE = QRectF(16, 3, 46, 28)


class TermHead(DraggedRow):
    """A term's name and picture. Drag it to another place, or move it with Alt and the arrow keys."""

    removed = pyqtSignal()
    combined = pyqtSignal(str)
    moved = pyqtSignal(int)
    dropped = pyqtSignal(float)

    def __init__(self, name: str, combine: str) -> None:
        super().__init__()
        self.name = name
        self._image: QImage | None = None
        self.setFixedHeight(34)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName(f"Term {name}")
        self.setToolTip("Drag to reorder, or Alt and the arrow keys")
        self.setCursor(Qt.CursorShape.OpenHandCursor)
        remove = button("×", self.removed.emit, "plain", f"Remove the term {name.lower()}")
        remove.setFixedSize(26, 26)
        self.how: QWidget | None = None
        """How the term joins those above it, to be placed below its name; None for the first one."""
        if combine:
            ways = [(k, k) for k in ("multiply", "add", "max", "min")]
            self.how = choice(ways, combine, self.combined.emit, "How it joins the terms above")
            self.how.setFixedWidth(84)
        self.setLayout(row(1, remove, gap=4))

    def show_image(self, image: QImage) -> None:
        """Show a new picture."""
        self._image = image
        self.update()

    @property
    def has_picture(self) -> bool:
        """Whether a picture has come."""
        return self._image is not None

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        if self._dragging:
            painter.fillRect(self.rect(), theme.color("chosen"))
        if self.hasFocus():
            painter.setPen(QPen(theme.color("jade"), 1))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        painter.setPen(QPen(theme.color("quiet"), 1.3))
        for y in (12, 17, 22):
            painter.drawLine(QPointF(3, y), QPointF(10, y))
        path = QPainterPath()
        path.addRoundedRect(_PICTURE, 4, 4)
        painter.setClipPath(path)
        if self._image is not None:
            painter.drawImage(_PICTURE, self._image)
        else:
            painter.fillRect(_PICTURE, theme.color("well"))
        painter.setClipping(False)
        painter.setPen(theme.color("text"))
        painter.setFont(theme.font(13, 600))
        painter.drawText(QRectF(70, 0, self.width() - 100, 34), Qt.AlignmentFlag.AlignVCenter, self.name)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._grabbed = event.position()

    def let_go(self, y: float) -> None:
        self.dropped.emit(y)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        step = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()))
        if step is not None and event.modifiers() & Qt.KeyboardModifier.AltModifier:
            self.moved.emit(step)
        elif event.key() == Qt.Key.Key_Delete:
            self.removed.emit()
        else:
            super().keyPressEvent(event)
