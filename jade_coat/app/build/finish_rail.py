"""The finish rail: every finish as a glazed tile, children beside their parents, with the props that wear them."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QMimeData, QPointF, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import (
    QContextMenuEvent,
    QDrag,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
    QShowEvent,
)
from PyQt6.QtWidgets import QHBoxLayout, QInputDialog, QLineEdit, QMenu, QScrollArea, QWidget

from jade_coat.app import theme
from jade_coat.app.build.swatches import Swatches
from jade_coat.app.controls.basics import label
from jade_coat.app.controls.tiles import FocusPainted, PressedTile
from jade_coat.app.session import Session
from jade_coat.app.trying import Resting
from jade_coat.app.view.view import FINISH_MIME
from jade_coat.stage import edits
from jade_coat.stage.looks import material_of, reach
from jade_coat.stage.project import Project
from jade_coat.stage.wear_counts import WearCounts

TILE_W, TILE_H = 84, 62


class FinishTile(FocusPainted):
    """One finish."""

    chosen = pyqtSignal(str)
    worn = pyqtSignal(str)
    menu = pyqtSignal(str, QPointF)

    def __init__(self, finish: str, name: str, depth: int, swatches: Swatches) -> None:
        super().__init__()
        self.finish, self.name, self.level = finish, name, depth
        self.current, self.count = False, 0
        self._swatches = swatches
        self._press: QPointF | None = None
        self.setFixedSize(TILE_W + 10, TILE_H + 26)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName(f"Finish {name}")
        self.setToolTip(f"{name}\nDrag it onto a prop, or double-click to put it on the chosen one")

    def _picture(self, painter: QPainter, box: QRectF) -> None:
        image = self._swatches.image(f"finish:{self.finish}")
        if image is not None:
            painter.drawImage(box, image)
        else:
            path = QPainterPath()
            path.addRoundedRect(box.adjusted(6, 6, -6, -6), 6, 6)
            painter.fillPath(path, theme.color("raised"))

    def _box(self) -> QRectF:
        """Where the picture lies: smaller for each parent above it, on the same ground line."""
        scale = max(1 - 0.17 * self.level, 0.5)
        width, height = TILE_W * scale, TILE_H * scale
        return QRectF(5 + (TILE_W - width) / 2 + (4 if self.level else 0), 3 + TILE_H - height, width, height)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        box = QRectF(5, 3, TILE_W, TILE_H)
        picture = self._box()
        if self.current or self.hasFocus():
            painter.setPen(QPen(theme.color("celadon" if self.current else "jade"), 2))
            painter.setBrush(theme.color("chosen") if self.current else Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(box.adjusted(-1, -1, 1, 1), 8, 8)
        self._picture(painter, picture)
        if self.level:  # an elbow from the parent's row, deeper for a grandchild
            painter.setPen(QPen(theme.color("quiet"), 1.4))
            x, top, middle = 7.0, 4.0, picture.center().y()
            painter.drawPolyline(QPolygonF([QPointF(x, top), QPointF(x, middle), QPointF(picture.left() - 1, middle)]))
        painter.setFont(theme.font(11.5, 500))
        if self.count:
            text = f"{self.count}"
            width = painter.fontMetrics().horizontalAdvance(text) + 10
            badge = QRectF(box.right() - width - 3, box.top() + 3, width, 16)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(theme.color("chrome", 210))
            painter.drawRoundedRect(badge, 8, 8)
            painter.setPen(theme.color("text"))
            painter.drawText(badge, Qt.AlignmentFlag.AlignCenter, text)
        painter.setFont(theme.font(12, 600 if self.current else 400))
        painter.setPen(theme.color("text" if self.current else "quiet"))
        shown = painter.fontMetrics().elidedText(self.name, Qt.TextElideMode.ElideRight, self.width() - 2)
        painter.drawText(QRectF(0, TILE_H + 5, self.width(), 18), Qt.AlignmentFlag.AlignCenter, shown)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() == Qt.MouseButton.LeftButton:
            self._press = event.position()
            self.chosen.emit(self.finish)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._press is None or (event.position() - self._press).manhattanLength() < 8:
            return
        self._press = None
        drag, mime = QDrag(self), QMimeData()
        mime.setData(FINISH_MIME, self.finish.encode())
        drag.setMimeData(mime)
        pixmap = QPixmap(TILE_W, TILE_H)
        pixmap.fill(Qt.GlobalColor.transparent)
        painter = QPainter(pixmap)
        self._picture(painter, QRectF(0, 0, TILE_W, TILE_H))
        painter.end()
        drag.setPixmap(pixmap)
        drag.exec(Qt.DropAction.CopyAction)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._press = None

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self.worn.emit(self.finish)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        assert event is not None
        self.chosen.emit(self.finish)
        self.menu.emit(self.finish, QPointF(event.globalPos()))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() == Qt.Key.Key_Space:
            self.chosen.emit(self.finish)
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.worn.emit(self.finish)
        else:
            super().keyPressEvent(event)


class NewTile(PressedTile):
    """The empty place at the rail's end that makes a finish."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedSize(TILE_W + 10, TILE_H + 26)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName("New finish")
        self.setToolTip("Make a finish that starts from the chosen one")

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        tone = theme.color("jade" if self.hasFocus() else "line")
        painter.setPen(QPen(tone, 1.2, Qt.PenStyle.DashLine))
        painter.drawRoundedRect(QRectF(9, 8, TILE_W - 8, TILE_H - 10), 6, 6)
        painter.setPen(theme.color("celadon"))
        painter.setFont(theme.font(20))
        painter.drawText(QRectF(5, 3, TILE_W, TILE_H), Qt.AlignmentFlag.AlignCenter, "+")
        painter.setFont(theme.font(12))
        painter.drawText(QRectF(0, TILE_H + 5, self.width(), 18), Qt.AlignmentFlag.AlignCenter, "New finish")


def family_order(project: Project) -> list[tuple[str, str, int]]:
    """Finishes as (id, name, depth), each behind its parent; a material without finishes stands for itself."""
    found: list[tuple[str, str, int]] = []

    def add(parent: str, depth: int) -> None:
        for finish in project.finishes:
            if finish.parent == parent:
                found.append((finish.id, finish.name, depth))
                add(finish.id, depth + 1)

    for material in project.materials:
        before = len(found)
        add(material.id, 0)
        if len(found) == before:
            found.append((material.id, material.name, 0))
    return found


FILTER_W = 116
FILTER_FROM = 8
"""How many finishes there are before they can be filtered."""


class FinishRail(QScrollArea):
    """All finishes in a row."""

    def __init__(self, session: Session, swatches: Swatches) -> None:
        super().__init__()
        self._session, self._swatches = session, swatches
        self._tiles: dict[str, FinishTile] = {}
        self._order: list[tuple[str, str, int]] = []
        self._counts = WearCounts()
        self.tries = False
        """Whether resting on a finish shows it on what is chosen."""
        self._resting = Resting(session, self)
        self._seen = ""
        """The finish that was brought into sight last."""
        self.setObjectName("rail")
        self.setFixedHeight(TILE_H + 40)
        self.setWidgetResizable(True)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        inner = QWidget()
        self._row = QHBoxLayout(inner)
        self._row.setContentsMargins(10, 6, 10, 0)
        self._row.setSpacing(2)
        self.setWidget(inner)
        self._lay_filter()
        self._new = NewTile()
        self._new.pressed.connect(self.new_finish)
        session.changed.connect(self._rebuild)
        session.selection_changed.connect(self._mark)
        swatches.arrived.connect(self._on_swatch)
        swatches.outdated.connect(inner.update)
        self._rebuild()

    def _lay_filter(self) -> None:
        self.filter = QLineEdit()
        self.filter.setParent(self)
        self.filter.setPlaceholderText("Filter")
        self.filter.setAccessibleName("Filter finishes")
        self.filter.setToolTip("Show only finishes with these words in their name or their material's")
        self.filter.setClearButtonEnabled(True)
        self.filter.setFixedWidth(FILTER_W - 16)
        self.filter.textChanged.connect(lambda _: self._sift())
        self.filter.move(10, 8)
        self._sifted = label("", "quiet", wrap=True)
        self._sifted.setParent(self)
        self._sifted.setFixedWidth(FILTER_W - 16)
        self._sifted.move(12, 38)
        self.setViewportMargins(FILTER_W, 0, 0, 0)

    @property
    def tiles(self) -> dict[str, FinishTile]:
        """The tiles by finish id."""
        return self._tiles

    def _rebuild(self) -> None:
        order = family_order(self._session.project)
        if order != self._order:
            self._order = order
            while self._row.count():
                item = self._row.takeAt(0)
                widget = item.widget() if item is not None else None
                if isinstance(widget, FinishTile):
                    widget.deleteLater()
            self._tiles = {}
            for finish, name, depth in order:
                tile = FinishTile(finish, name, depth, self._swatches)
                tile.chosen.connect(self._session.choose_finish)
                tile.worn.connect(self.put_on_chosen)
                tile.menu.connect(self._menu)
                self._resting.watch(tile, partial(self._trying, finish))
                self._tiles[finish] = tile
                self._row.addWidget(tile)
            self._row.addWidget(self._new)
            self._row.addStretch(1)
        self._new.setVisible(bool(self._session.project.materials))
        many = len(order) >= FILTER_FROM or bool(self.filter.text())
        self.filter.setVisible(many)
        self.setViewportMargins(FILTER_W if many else 0, 0, 0, 0)
        self._sift()
        self._mark()

    def _sift(self) -> None:
        """Show the finishes whose name, or whose material's, has all words of the filter."""
        project, words = self._session.project, self.filter.text().lower().split()
        shown = 0
        for finish, name, _ in self._order:
            text = f"{name} {material_of(project, finish).name}".lower() if words else ""
            fits = all(word in text for word in words)
            shown += fits
            self._tiles[finish].setVisible(fits)
        self._sifted.setText(f"{shown} of {len(self._order)}" if words else "")
        self._sifted.setVisible(bool(words))
        self._sifted.adjustSize()

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self._mark()

    def _mark(self) -> None:
        counts = self._counts.of(self._session.project) if self.isVisible() else None
        for finish, tile in self._tiles.items():
            tile.current = finish == self._session.finish_id
            tile.count = counts[finish] if counts is not None else tile.count
            tile.update()
        chosen = self._session.finish_id
        if chosen != self._seen and chosen in self._tiles:
            self._seen = chosen
            QTimer.singleShot(0, self._bring_into_sight)  # once new tiles have their places

    def _bring_into_sight(self) -> None:
        tile = self._tiles.get(self._seen)
        if tile is not None:
            self.ensureWidgetVisible(tile, 40, 0)

    def _on_swatch(self, name: str) -> None:
        tile = self._tiles.get(name.removeprefix("finish:"))
        if tile is not None:
            tile.update()

    def new_finish(self) -> None:
        """Make a finish that starts from the chosen one, and choose it."""
        session = self._session
        if not session.finish_id:
            return
        known = {f.id for f in session.project.finishes}
        parent = next((n for i, n, _ in self._order if i == session.finish_id), "Finish")
        if session.do(edits.add_finish(parent=session.finish_id, name=f"{parent}, new")):
            made = next(f.id for f in session.project.finishes if f.id not in known)
            session.choose_finish(made)

    def _trying(self, finish: str) -> edits.Edit | None:
        """What resting on a finish shows: it on the chosen props, in Stage."""
        props = tuple(p.id for p in self._session.chosen_props)
        if not self.tries or not props or not self._session.slot:
            return None
        return edits.dress(props=props, slot=self._session.slot, finish=finish)

    def put_on_chosen(self, finish: str) -> None:
        """Put a finish on the chosen slot of the chosen prop."""
        session = self._session
        if session.prop is None:
            session.said.emit("Choose a prop in the view first.", True)
            return
        session.do(edits.put_finish(prop=session.prop_id, slot=session.slot, finish=finish))

    def rename(self, finish: str) -> None:
        """Ask for another name."""
        found = next((f for f in self._session.project.finishes if f.id == finish), None)
        if found is None:
            return
        name, ok = QInputDialog.getText(self, "Rename finish", "Name", text=found.name)
        if ok and name.strip():
            self._session.do(edits.rename_kept(kind="finishes", id=finish, name=name))

    def _parents(self, menu: QMenu, finish: str) -> None:
        """A menu of all that the finish can come from: its own kin but itself and what comes from it."""
        project = self._session.project
        material = material_of(project, finish)
        below = {finish, *reach(project, finish).finishes}
        kin = [(i, n, d + 1) for i, n, d in self._order if material_of(project, i).id == material.id and i not in below]
        parents = menu.addMenu("Comes from")
        assert parents is not None
        for parent, name, depth in ((material.id, f"{material.name} itself", 0), *kin):
            action = parents.addAction(
                "  " * depth + name, partial(self._session.do, edits.set_parent(finish=finish, parent=parent))
            )
            assert action is not None
            action.setCheckable(True)
            action.setChecked(project.finish(finish).parent == parent)

    def _menu(self, finish: str, at: QPointF) -> None:
        menu = QMenu(self)
        menu.addAction("Put on the chosen prop", lambda: self.put_on_chosen(finish))
        menu.addAction("New finish from this", self.new_finish)
        if any(f.id == finish for f in self._session.project.finishes):
            menu.addSeparator()
            menu.addAction("Rename…", lambda: self.rename(finish))
            menu.addAction("Duplicate", lambda: self._session.do(edits.copy_kept(kind="finishes", id=finish)))
            self._parents(menu, finish)
            menu.addAction("Remove", lambda: self._session.do(edits.remove_finish(finish=finish)))
        menu.exec(at.toPoint())
