"""A sheet of finishes to pick one from: resting on one tries it on, leaving takes it back, a press keeps it."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPoint, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QCloseEvent, QEnterEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QAbstractButton, QFrame, QGridLayout, QLineEdit, QWidget

from jade_coat.app import theme
from jade_coat.app.build.finish_rail import family_order
from jade_coat.app.build.swatches import Swatches
from jade_coat.app.controls.basics import column, label, scrolled
from jade_coat.app.session import Session
from jade_coat.app.trying import Resting
from jade_coat.stage.edits.registry import Edit

ACROSS, SMALL = 5, QSize(70, 74)


class PickTile(QAbstractButton):
    """One finish, or the empty choice."""

    rested = pyqtSignal(str)

    def __init__(self, finish: str, name: str, swatches: Swatches | None, current: bool) -> None:
        super().__init__()
        self.finish, self._swatches, self._current = finish, swatches, current
        self.setText(name)
        self.setAccessibleName(name)
        self.setToolTip(name)
        self.setFixedSize(SMALL)
        self.setAttribute(Qt.WidgetAttribute.WA_Hover)
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def enterEvent(self, event: QEnterEvent | None) -> None:
        self.rested.emit(self.finish)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        box = QRectF(3, 3, self.width() - 6, 48)
        image = self._swatches.image(f"finish:{self.finish}") if self._swatches and self.finish else None
        if image is not None:
            painter.drawImage(box, image)
        else:
            painter.setPen(QPen(theme.color("line"), 1.2, Qt.PenStyle.DashLine))
            painter.drawRoundedRect(box.adjusted(6, 6, -6, -6), 5, 5)
        if self.underMouse() or self.hasFocus() or self._current:
            tone = "celadon" if self._current else "jade"
            painter.setPen(QPen(theme.color(tone), 1.8))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(1, 1, -1, -1), 6, 6)
        painter.setFont(theme.font(11.5, 600 if self._current else 400))
        painter.setPen(theme.color("text"))
        shown = painter.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, self.width() - 6)
        painter.drawText(QRectF(0, 52, self.width(), 18), Qt.AlignmentFlag.AlignCenter, shown)


class FinishPicker(QFrame):
    """The sheet. `wear` makes the edit that puts a finish on; `empty` names the empty choice, or is empty for none."""

    closed = pyqtSignal()

    def __init__(
        self, parent: QWidget, session: Session, swatches: Swatches, current: str, wear: Callable[[str], Edit],
        empty: str = "",
    ) -> None:  # fmt: skip
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("picker")
        self._session, self._wear = session, wear
        self._resting = Resting(session, self)
        self.filter = QLineEdit()
        self.filter.setPlaceholderText("Filter finishes")
        self.filter.setClearButtonEnabled(True)
        self.filter.textChanged.connect(self._sift)
        self._grid_holder = QWidget()
        self._grid = QGridLayout(self._grid_holder)
        self._grid.setSpacing(4)
        self._grid.setContentsMargins(2, 2, 2, 2)
        self.tiles: dict[str, PickTile] = {}
        choices = [("", empty)] if empty else []
        choices += [(i, name) for i, name, _ in family_order(session.project)]
        for finish, name in choices:
            tile = self.tiles[finish] = PickTile(finish, name, swatches, finish == current)
            tile.rested.connect(self._rest_on)
            tile.clicked.connect(lambda _=False, f=finish: self.keep(f))
        for signal in (swatches.arrived, swatches.outdated):
            signal.connect(self._repaint)
        area = scrolled(self._grid_holder)
        area.setFixedSize(
            ACROSS * (SMALL.width() + 4) + 18, min(-(-len(choices) // ACROSS), 4) * (SMALL.height() + 4) + 8
        )
        self.setLayout(
            column(self.filter, area, label("Rest on one to try it on", "quiet"), margins=(8, 8, 8, 6), gap=6)
        )
        self._sift("")

    def ask(self, at: QPoint) -> None:
        """Open it at a place of the screen, kept on the screen."""
        self.adjustSize()
        screen = self.screen()
        if screen is not None:
            room = screen.availableGeometry()
            at = QPoint(
                max(min(at.x(), room.right() - self.width()), room.left()),
                max(min(at.y(), room.bottom() - self.height()), room.top()),
            )
        self.move(at)
        self.show()
        self.filter.setFocus()

    def _sift(self, words: str) -> None:
        wanted = words.lower().split()
        shown = [t for t in self.tiles.values() if all(w in t.text().lower() for w in wanted)]
        for i, tile in enumerate(shown):
            self._grid.addWidget(tile, i // ACROSS, i % ACROSS)
        for tile in self.tiles.values():
            tile.setVisible(tile in shown)

    def _repaint(self, *_: object) -> None:
        for tile in self.tiles.values():
            tile.update()

    def _rest_on(self, finish: str) -> None:
        self._resting.rest(lambda: self._wear(finish))

    def keep(self, finish: str) -> None:
        """Put a finish on for good."""
        self._resting.leave()
        self._session.do(self._wear(finish))
        self.close()

    def leaveEvent(self, event: object) -> None:
        """Take back what is tried on."""
        self._resting.leave()

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self._resting.leave()
        self.closed.emit()
        super().closeEvent(event)
