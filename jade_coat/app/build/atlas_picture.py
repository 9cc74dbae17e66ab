"""The atlas that cards are cut from: its cells to press, the chosen one's outline, and what its corners cost."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen, QPolygonF

from jade_coat.app import theme
from jade_coat.app.controls.tiles import FocusPainted
from jade_coat.mesh.makers.trimming import Cell
from jade_coat.program.types import Array

SIDE = 300


class AtlasPicture(FocusPainted):
    """A picture of an atlas with a frame round each of its cells; a press or the arrows choose one."""

    chosen = pyqtSignal(float, float)
    """A place on the atlas, u and v."""

    def __init__(self) -> None:
        super().__init__()
        self.image: QImage | None = None
        self.cells: tuple[Cell, ...] = ()
        self.cell: Cell | None = None
        self.outline: Array | None = None
        self.setFixedSize(QSize(SIDE, SIDE))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Cells of the atlas")
        self.setToolTip("Press a cell to make the card from it")

    def show_cells(self, cells: Sequence[Cell], cell: Cell | None, outline: Array | None) -> None:
        """Show cells, the chosen one among them and its card's outline in shares of it."""
        self.cells, self.cell, self.outline = tuple(cells), cell, outline
        self.update()

    def _box(self, cell: Cell) -> QRectF:
        u0, v0, u1, v1 = cell
        return QRectF(u0 * SIDE, v0 * SIDE, (u1 - u0) * SIDE, (v1 - v0) * SIDE)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        whole = QRectF(self.rect())
        painter.fillRect(whole, theme.color("well"))
        if self.image is None:
            painter.setPen(theme.color("quiet"))
            painter.setFont(theme.font(12))
            words = "Choose a map set with an opacity; its cells are found by themselves."
            painter.drawText(
                whole.adjusted(24, 0, -24, 0), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, words
            )
            return
        painter.drawImage(whole, self.image)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for cell in self.cells:
            painter.setPen(QPen(theme.color("quiet"), 1, Qt.PenStyle.DotLine))
            painter.drawRect(self._box(cell).adjusted(0.5, 0.5, -0.5, -0.5))
        if self.cell is not None:
            box = self._box(self.cell)
            if self.outline is not None:
                points = [QPointF(box.left() + x * box.width(), box.top() + y * box.height()) for x, y in self.outline]
                painter.setBrush(theme.color("celadon", 40))
                painter.setPen(QPen(theme.color("celadon"), 1.6))
                painter.drawPolygon(QPolygonF(points))
                painter.setBrush(theme.color("celadon"))
                for point in points:
                    painter.drawEllipse(point, 2.5, 2.5)
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(theme.color("celadon"), 1))
            painter.drawRect(whole.adjusted(0.5, 0.5, -0.5, -0.5))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self.image is not None:
            self.chosen.emit(event.position().x() / SIDE, event.position().y() / SIDE)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """The arrows go through the cells as they are read."""
        assert event is not None
        step = {Qt.Key.Key_Right: 1, Qt.Key.Key_Down: 1, Qt.Key.Key_Left: -1, Qt.Key.Key_Up: -1}.get(
            Qt.Key(event.key()), 0
        )
        if not step or not self.cells:
            super().keyPressEvent(event)
            return
        at = self.cells.index(self.cell) if self.cell in self.cells else 0
        u0, v0, u1, v1 = self.cells[(at + step) % len(self.cells)]
        self.chosen.emit((u0 + u1) / 2, (v0 + v1) / 2)


class CornerCurve(FocusPainted):
    """How much of its cell a card covers, by its number of corners. A press chooses one."""

    chosen = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.curve: list[tuple[int, float]] = []
        self.corners = 0
        self.shows = 0.0
        self.setFixedSize(QSize(SIDE, 96))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Area by corners")
        self.setToolTip("How much of the cell a card covers by its corners; the line below is what shows. Press one")

    def show_curve(self, curve: Sequence[tuple[int, float]], corners: int, shows: float) -> None:
        """Show shares of the cell by corners, which of them is taken, and the share on which something shows."""
        self.curve, self.corners, self.shows = list(curve), corners, shows
        self.update()

    def _x(self, corners: int) -> float:
        low, high = self.curve[0][0], max(self.curve[-1][0], self.curve[0][0] + 1)
        return 16 + (corners - low) / (high - low) * (self.width() - 32)

    def _y(self, area: float) -> float:
        return self.height() - 22 - area * (self.height() - 34)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("well"))
        painter.drawRoundedRect(QRectF(self.rect()), 6, 6)
        if not self.curve:
            return
        painter.setPen(QPen(theme.color("quiet"), 1, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(10, self._y(self.shows)), QPointF(self.width() - 10, self._y(self.shows)))
        path = QPainterPath(QPointF(self._x(self.curve[0][0]), self._y(self.curve[0][1])))
        for corners, area in self.curve[1:]:
            path.lineTo(self._x(corners), self._y(area))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.color("celadon" if not self.hasFocus() else "jade"), 1.8))
        painter.drawPath(path)
        painter.setFont(theme.font(10.5))
        taken = max((n for n, _ in self.curve if n <= self.corners), default=self.curve[0][0])
        for corners, area in self.curve:
            here = corners == taken
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.color("persimmon" if here else "celadon"))
            painter.drawEllipse(QPointF(self._x(corners), self._y(area)), 4 if here else 2.5, 4 if here else 2.5)
            painter.setPen(theme.color("text" if here else "quiet"))
            place = QRectF(self._x(corners) - 14, self.height() - 20, 28, 16)
            painter.drawText(place, Qt.AlignmentFlag.AlignCenter, str(corners))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self.curve:
            x = event.position().x()
            self.chosen.emit(min((n for n, _ in self.curve), key=lambda n: abs(self._x(n) - x)))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """The arrows take one corner more or less."""
        assert event is not None
        step = {Qt.Key.Key_Right: 1, Qt.Key.Key_Left: -1}.get(Qt.Key(event.key()), 0)
        if not step or not self.curve:
            super().keyPressEvent(event)
            return
        self.chosen.emit(min(max(self.corners + step, self.curve[0][0]), self.curve[-1][0]))
