"""The list of the stage: everything on it with a picture, in groups, to choose, filter, hide and lock."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import (
    QItemSelection,
    QItemSelectionModel,
    QModelIndex,
    QPoint,
    QPointF,
    QRect,
    QRectF,
    QSize,
    Qt,
    pyqtSignal,
)
from PyQt6.QtGui import QColor, QContextMenuEvent, QMouseEvent, QPainter, QPainterPath, QPen, QPolygonF
from PyQt6.QtWidgets import QAbstractItemView, QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem

from jade_coat.app import theme
from jade_coat.app.build.swatches import Swatches
from jade_coat.app.session import Session
from jade_coat.app.stage.thing_rows import ThingRow, ThingRows
from jade_coat.maps.color import to_srgb
from jade_coat.stage import edits
from jade_coat.stage.grounds import Ground
from jade_coat.stage.lamps import Lamp, Mist
from jade_coat.stage.project import Group

ROW, INDENT, SIGN = 34, 14, 20


class ThingPainter(QStyledItemDelegate):
    """Paints a row: a picture of what is worn, the name, what it wears, and two signs for hidden and locked."""

    def __init__(self, rows: ThingRows, swatches: Swatches) -> None:
        super().__init__()
        self._rows, self._swatches = rows, swatches

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(120, ROW)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        assert painter is not None
        row: ThingRow = self._rows.rows[index.row()]
        painter.save()
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        box = QRectF(option.rect)
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        over = bool(option.state & QStyle.StateFlag.State_MouseOver)
        if chosen or over:
            painter.fillRect(box, theme.color("chosen" if chosen else "raised"))
        if chosen:
            painter.fillRect(QRectF(box.left(), box.top(), 3, box.height()), theme.color("celadon"))
        left = box.left() + 10 + row.depth * INDENT
        picture = QRectF(left, box.top() + 4, 34, 26)
        self._picture(painter, picture, row)
        words = QRectF(picture.right() + 8, box.top(), box.right() - picture.right() - 12 - 2 * SIGN, box.height())
        faded = not self._rows._session.project.shows(row.thing)
        self._words(painter, words, row, faded)
        for i, sign in enumerate(signs(option.rect)):
            self._sign(painter, QRectF(sign), ("seen", "held")[i], row, over or chosen)
        painter.restore()

    def _picture(self, painter: QPainter, box: QRectF, row: ThingRow) -> None:
        if isinstance(row.thing, Group):
            painter.setPen(QPen(theme.color("quiet"), 1.5))
            x, y = box.left() + 10, box.center().y()
            way = ((x - 3, y - 5), (x + 2, y), (x - 3, y + 5)) if row.thing.id in self._rows.shut else (
                (x - 5, y - 2), (x, y + 3), (x + 5, y - 2))  # fmt: skip
            path = QPainterPath()
            path.moveTo(*way[0])
            path.lineTo(*way[1])
            path.lineTo(*way[2])
            painter.drawPath(path)
            return
        if isinstance(row.thing, (Lamp, Mist)):
            self._sign_of(painter, box, row.thing)
            return
        if isinstance(row.thing, Ground):
            self._hill(painter, box)
            return
        image = self._swatches.image(f"finish:{row.finish}") if row.finish else None
        if image is not None:
            painter.drawImage(box, image)
        else:
            painter.setPen(QPen(theme.color("line"), 1, Qt.PenStyle.DashLine))
            painter.drawRoundedRect(box.adjusted(4, 3, -4, -3), 3, 3)

    @staticmethod
    def _hill(painter: QPainter, box: QRectF) -> None:
        """Two strokes of land."""
        painter.setPen(QPen(theme.color("celadon"), 2.2, cap=Qt.PenCapStyle.RoundCap))
        for x, y, wide in ((-8, 2, 9), (0, 6, 12)):
            path = QPainterPath(QPointF(box.center().x() + x - wide / 2, box.center().y() + y))
            path.quadTo(box.center() + QPointF(x + wide / 2, y - 14), box.center() + QPointF(x + wide * 1.4, y))
            painter.drawPath(path)

    @staticmethod
    def _sign_of(painter: QPainter, box: QRectF, thing: Lamp | Mist) -> None:
        """A disc in a lamp's colour, with its cone; strokes for mist."""
        red, green, blue = (round(255 * float(c)) for c in to_srgb(np.array(thing.color, np.float32)))
        tint, middle = QColor(red, green, blue), box.center()
        if isinstance(thing, Mist):
            painter.setPen(QPen(tint, 2.4, cap=Qt.PenCapStyle.RoundCap))
            for i, half in enumerate((7, 11, 8)):
                y = middle.y() + (i - 1) * 6
                painter.drawLine(QPointF(middle.x() - half + 3 * i - 3, y), QPointF(middle.x() + half + 3 * i - 3, y))
            return
        painter.setPen(Qt.PenStyle.NoPen)
        soft = QColor(tint)
        soft.setAlpha(80)
        painter.setBrush(soft)
        if thing.spot:
            top = QPointF(middle.x(), box.top() + 6)
            painter.drawPolygon(
                QPolygonF([top, QPointF(middle.x() - 11, box.bottom()), QPointF(middle.x() + 11, box.bottom())])
            )
            middle = top
        else:
            painter.drawEllipse(middle, 11.0, 11.0)
        painter.setBrush(tint)
        painter.drawEllipse(middle, 5.0, 5.0)

    @staticmethod
    def _words(painter: QPainter, box: QRectF, row: ThingRow, faded: bool) -> None:
        note = row.note if not row.holds else f"{row.holds} inside"
        side = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        painter.setFont(theme.font(13, 600 if isinstance(row.thing, Group) else 500))
        painter.setPen(theme.color("quiet" if faded else "text"))
        name = painter.fontMetrics().elidedText(row.thing.name, Qt.TextElideMode.ElideRight, round(box.width()))
        upper = box.adjusted(0, 2, 0, -box.height() / 2 + 2) if note else box
        painter.drawText(upper, side, name)
        painter.setFont(theme.font(11.5))
        painter.setPen(theme.color("quiet"))
        shown = painter.fontMetrics().elidedText(note, Qt.TextElideMode.ElideRight, round(box.width()))
        painter.drawText(box.adjusted(0, box.height() / 2 - 2, 0, -2), side, shown)

    @staticmethod
    def _sign(painter: QPainter, box: QRectF, what: str, row: ThingRow, over: bool) -> None:
        """A round window, closed for what is hidden; a peg, driven in for what is locked."""
        on = not row.thing.visible if what == "seen" else row.thing.locked
        if not (on or over):
            return
        painter.setPen(QPen(theme.color("persimmon" if on else "quiet"), 1.4))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        middle = box.center()
        if what == "seen":
            painter.drawEllipse(middle, 5.0, 5.0)
            if on:
                painter.drawLine(middle + QPoint(-5, 5).toPointF(), middle + QPoint(5, -5).toPointF())
            else:
                painter.setBrush(theme.color("quiet"))
                painter.drawEllipse(middle, 1.6, 1.6)
        else:
            top = 1.0 if on else -4.0
            painter.drawLine(middle + QPoint(-5, 5).toPointF(), middle + QPoint(5, 5).toPointF())
            painter.drawRect(QRectF(middle.x() - 2, middle.y() + top - 2, 4, 6 - top))


def signs(row: QRect) -> tuple[QRect, QRect]:
    """Where the two signs of a row lie."""
    first = QRect(row.right() - 2 * SIGN - 2, row.top(), SIGN, row.height())
    return first, first.translated(SIGN, 0)


class ThingList(QListView):
    """The list; what is chosen in it is what is chosen on the stage."""

    menu_wanted = pyqtSignal(QPoint)

    def __init__(self, session: Session, swatches: Swatches) -> None:
        super().__init__()
        self._session = session
        self.rows = ThingRows(session)
        self._painter = ThingPainter(self.rows, swatches)
        self.setModel(self.rows)
        self.setItemDelegate(self._painter)
        self.setUniformItemSizes(True)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setDragDropMode(QAbstractItemView.DragDropMode.DragDrop)
        self.setDefaultDropAction(Qt.DropAction.MoveAction)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setMouseTracking(True)
        self.setAccessibleName("Things on the stage")
        self.setObjectName("things")
        self._following = False
        session.selection_changed.connect(self.follow)
        self.rows.modelReset.connect(self.follow)
        for signal in (swatches.arrived, swatches.outdated):
            signal.connect(self._repaint)
        chosen = self.selectionModel()
        assert chosen is not None
        chosen.selectionChanged.connect(self._on_chosen)

    def _repaint(self, *_: object) -> None:
        port = self.viewport()
        if port is not None:
            port.update()

    def follow(self) -> None:
        """Show what is chosen on the stage."""
        model = self.selectionModel()
        assert model is not None
        made, places, last = QItemSelection(), self.rows.places, -1
        for thing in self._session.chosen:
            at = places.get(thing)
            if at is not None:
                index = self.rows.index(at)
                made.select(index, index)
                last = at
        self._following = True
        try:
            model.select(made, QItemSelectionModel.SelectionFlag.ClearAndSelect)
            if last >= 0:
                model.setCurrentIndex(self.rows.index(last), QItemSelectionModel.SelectionFlag.NoUpdate)
                if self.isVisible() and not self.hasFocus():
                    self.scrollTo(self.rows.index(last))
        finally:
            self._following = False

    def _on_chosen(self) -> None:
        if self._following:
            return
        model = self.selectionModel()
        assert model is not None
        current = model.currentIndex().row()
        found = sorted((i.row() for i in model.selectedIndexes()), key=lambda row: row == current)
        self._session.choose_things(self.rows.rows[i].thing.id for i in found)

    def mousePressEvent(self, e: QMouseEvent | None) -> None:
        """The signs hide and lock; a group's chevron folds it."""
        assert e is not None
        index = self.indexAt(e.position().toPoint())
        if index.isValid() and e.button() == Qt.MouseButton.LeftButton:
            thing = self.rows.rows[index.row()].thing
            seen, held = signs(self.visualRect(index))
            ids = self._session.chosen if thing.id in self._session.chosen else (thing.id,)
            if seen.contains(e.position().toPoint()):
                self._session.do(edits.show_things(things=ids, on=not thing.visible))
                return
            if held.contains(e.position().toPoint()):
                self._session.do(edits.lock_things(things=ids, on=not thing.locked))
                return
            depth = self.rows.rows[index.row()].depth
            if isinstance(thing, Group) and e.position().x() < 34 + depth * INDENT:
                self.rows.fold(thing.id)
                return
        super().mousePressEvent(e)

    def contextMenuEvent(self, a0: QContextMenuEvent | None) -> None:
        assert a0 is not None
        self.menu_wanted.emit(a0.globalPos())
