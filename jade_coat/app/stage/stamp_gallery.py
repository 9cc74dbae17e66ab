"""The stamps of the project as pictures over a checker: press one to take it in hand."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QImage, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QGridLayout, QInputDialog, QMenu, QWidget

from jade_coat.app import theme
from jade_coat.app.build.swatches import Swatches
from jade_coat.app.controls.basics import button, clear, column, holder, label, row, scrolled
from jade_coat.app.controls.fields import NumberField, ToggleField
from jade_coat.app.controls.tiles import PressedTile
from jade_coat.app.session import Session
from jade_coat.app.stage.finish_picker import FinishPicker
from jade_coat.app.stage.stamp_pictures import stamp_picture
from jade_coat.app.stage.stamp_tool import StampTool
from jade_coat.material.fields import Setting, Spec
from jade_coat.stage import edits
from jade_coat.stage.decals import Decal, Stamp
from jade_coat.stage.stamping import Chance

TILE = 88


class StampTile(PressedTile):
    """One stamp."""

    menu = pyqtSignal(QPointF)

    def __init__(self, stamp: Stamp, image: QImage | None) -> None:
        super().__init__()
        self.stamp, self.image, self.held = stamp, image, False
        self.setFixedSize(TILE, TILE + 18)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(f"Stamp {stamp.name}")
        width, _, height = stamp.decal.size
        self.setToolTip(f"{stamp.name}, {width:.2f} × {height:.2f} m. Press to take it in hand")

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        box = QRectF(4, 3, TILE - 8, TILE - 8)
        path = QPainterPath()
        path.addRoundedRect(box, 5, 5)
        painter.setClipPath(path)
        painter.fillRect(box, theme.color("well"))
        checker(painter, box)
        if self.image is not None:
            width, _, height = self.stamp.decal.size
            scale = min(box.width() / width, box.height() / height)
            shown = QRectF(0, 0, width * scale, height * scale)
            shown.moveCenter(box.center())
            painter.drawImage(shown, self.image)
        painter.setClipping(False)
        tone = "celadon" if self.held else "jade" if self.hasFocus() or self.underMouse() else "line"
        painter.setPen(QPen(theme.color(tone), 2 if self.held else 1))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(path)
        painter.setFont(theme.font(12, 600 if self.held else 400))
        painter.setPen(theme.color("text"))
        name = painter.fontMetrics().elidedText(self.stamp.name, Qt.TextElideMode.ElideRight, TILE - 6)
        painter.drawText(QRectF(0, TILE - 3, TILE, 18), Qt.AlignmentFlag.AlignCenter, name)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is not None:
            self.menu.emit(QPointF(event.globalPos()))


def checker(painter: QPainter, box: QRectF, side: float = 8.0) -> None:
    """Two greys in squares: what shows through."""
    painter.setPen(Qt.PenStyle.NoPen)
    for tone, odd in (("raised", 0), ("line", 1)):
        painter.setBrush(theme.color(tone))
        for j in range(int(box.height() // side) + 1):
            for i in range(int(box.width() // side) + 1):
                if (i + j) % 2 == odd:
                    painter.drawRect(QRectF(box.left() + i * side, box.top() + j * side, side, side))


class StampGallery(QWidget):
    """All stamps, how they differ by chance, and the ways to make one."""

    picture_wanted = pyqtSignal()

    def __init__(self, session: Session, swatches: Swatches, tool: StampTool) -> None:
        super().__init__()
        self._session, self._swatches, self._tool = session, swatches, tool
        self.tiles: dict[str, StampTile] = {}
        self.picker: FinishPicker | None = None
        self._key: object = None
        inner = QWidget()
        self._grid = QGridLayout(inner)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setSpacing(4)
        self._make = button("Finish…", self._ask_finish, "", "Make a stamp of a finish")
        keep = button("Keep", self.keep, "", "Keep the chosen decal's look and size as a stamp")
        bring = button("Picture…", self.picture_wanted.emit, "", "A picture with its see-through parts; drop one too")
        self._roll = _number(Spec("Roll", "angle", low=0.0, high=3.15, hint="How far each is rolled by chance"), 0.0)
        self._spread = _number(Spec("Size", low=0.0, high=0.9, hint="How much larger or smaller by chance"), 0.0)
        self._cells = ToggleField(Spec("Any cell", "toggle", hint="Another cell of its atlas each time"), 0.0)
        self._cells.setFixedWidth(46)
        self._cells.setToolTip("Another cell of its atlas each time")
        for control in (self._roll, self._spread, self._cells):
            control.changed.connect(self._follow_chance)
        body = column(gap=4, margins=(12, 2, 8, 4))
        chance: list[QWidget] = []
        for word, control in (("Roll", self._roll), ("Size", self._spread), ("Cells", self._cells)):
            chance += [label(word, "quiet", control.toolTip()), control]
        self.head = holder(row(bring, self._make, keep, *chance, gap=6))
        """Ways to make a stamp, and what differs by chance; whoever shows the gallery gives it a place."""
        body.addWidget(scrolled(inner), 1)
        self.setLayout(body)
        session.changed.connect(self.refresh)
        tool.taken.connect(self._mark)

    def showEvent(self, event: object) -> None:
        self.refresh()

    def refresh(self) -> None:
        """Follow the project."""
        if not self.isVisible():
            return
        project = self._session.project
        key = (project.stamps, project.map_sets, project.materials, project.finishes)
        if self._key is not None and all(a is b for a, b in zip(key, self._key, strict=True)):  # type: ignore[call-overload]
            return
        self._key = key
        clear(self._grid)
        self.tiles = {}
        for stamp in project.stamps:
            image = stamp_picture(project, self._session.library, stamp.decal)
            tile = self.tiles[stamp.id] = StampTile(stamp, image)
            tile.pressed.connect(partial(self.take, stamp.id))
            tile.menu.connect(partial(self._open_menu, stamp.id))
        if not project.stamps:
            text = "No stamps yet. Drop a picture here, or make one of a finish."
            self._grid.addWidget(label(text, "quiet"), 0, 0)
        self._flow()
        self._mark()

    def resizeEvent(self, event: object) -> None:
        self._flow()

    def _flow(self) -> None:
        """Lay the tiles out in as many columns as there is room for."""
        across = max((self.width() - 32) // (TILE + 4), 1)
        for i, tile in enumerate(self.tiles.values()):
            self._grid.addWidget(tile, i // across, i % across)
        self._grid.setColumnStretch(across, 1)
        self._grid.setRowStretch(len(self.tiles) // across + 1, 1)

    def _mark(self) -> None:
        held = self._tool.decal
        for tile in self.tiles.values():
            tile.held = held is not None and tile.stamp.decal == held
            tile.update()

    def take(self, stamp: str) -> None:
        """Take a stamp in hand, or lay it aside."""
        found = next(s for s in self._session.project.stamps if s.id == stamp)
        self._tool.take(None if self._tool.decal == found.decal else found.decal)

    def _follow_chance(self, value: Setting) -> None:
        self._tool.chance = Chance(float(self._roll.value), float(self._spread.value), bool(self._cells.value))

    def keep(self) -> None:
        """Keep the chosen decal as a stamp."""
        decal = self._session.decal
        if decal is None:
            self._session.said.emit("Choose a decal in the view or the list first.", True)
            return
        self._session.do(edits.keep_stamp(decal=decal, name=decal.name))

    def _ask_finish(self) -> None:
        session = self._session
        names = {f.id: f.name for f in session.project.finishes} | {m.id: m.name for m in session.project.materials}

        def make(finish: str) -> edits.Edit:
            name = names.get(finish, "Stamp")
            return edits.keep_stamp(decal=Decal(id="stamp", name=name, finish=finish, size=(0.5, 0.2, 0.5)), name=name)

        self.picker = FinishPicker(self, session, self._swatches, "", make)
        self.picker.ask(self._make.mapToGlobal(self._make.rect().bottomLeft()))

    def _open_menu(self, stamp: str, at: QPointF) -> None:
        self._menu = QMenu(self)
        self._menu.addAction("Rename…", partial(self._rename, stamp))
        self._menu.addAction("Remove", partial(self._session.do, edits.remove_stamp(stamp=stamp)))
        self._menu.popup(at.toPoint())

    def _rename(self, stamp: str) -> None:
        old = next(s.name for s in self._session.project.stamps if s.id == stamp)
        name, ok = QInputDialog.getText(self, "Rename stamp", "Name", text=old)
        if ok and name.strip():
            self._session.do(edits.rename_stamp(stamp=stamp, name=name))


def _number(spec: Spec, value: float) -> NumberField:
    control = NumberField(spec, value)
    control.setFixedWidth(62)
    control.setToolTip(spec.hint)
    control.setAccessibleName(f"{spec.label} by chance")
    return control
