"""The coat stack: one line a coat, the top coat on top, with swatch, coverage and whether it shows."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QContextMenuEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QShowEvent,
)
from PyQt6.QtWidgets import QInputDialog, QMenu, QVBoxLayout, QWidget

from jade_coat.app import theme
from jade_coat.app.build.coat_clipboard import copy_coat
from jade_coat.app.build.cost_watch import CostWatch
from jade_coat.app.build.section_line import SectionLine
from jade_coat.app.build.section_strip import SectionStrip
from jade_coat.app.build.swatches import Swatches
from jade_coat.app.controls.basics import Elided, button, clear, column, counted, holder, label, row, scrolled
from jade_coat.app.controls.tiles import DraggedRow
from jade_coat.app.making import lay_over
from jade_coat.app.session import Session
from jade_coat.check.coat_notes import coat_notes
from jade_coat.check.material_costs import MaterialCost, PixelCost
from jade_coat.jobs.words import told
from jade_coat.looking.coverage import coverage_shares
from jade_coat.material.coverage import coat_color
from jade_coat.material.material import Coat
from jade_coat.stage import edits
from jade_coat.stage.looks import finish_on

ROW_H = 36
LIST_WIDTH = 264
ROW_TIP = "Click to edit, drag to reorder, double-click to rename; the dot hides or shows it"


class CoatRow(DraggedRow):
    """One coat: click to choose, drag to reorder, double-click to rename."""

    chosen = pyqtSignal(str)
    toggled = pyqtSignal(str)
    alone = pyqtSignal(str)
    renamed = pyqtSignal(str)
    dropped = pyqtSignal(str, float)
    moved = pyqtSignal(str, int)
    menu = pyqtSignal(str, object)

    def __init__(self, material: str, coat: Coat, number: int, swatches: Swatches) -> None:
        super().__init__()
        self.material, self.coat, self.number = material, coat, number
        self.current = self.solo = False
        self.note = ""
        self.share: float | None = None
        self.cost: PixelCost | None = None
        self._swatches = swatches
        self.setFixedHeight(ROW_H)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName(f"Coat {coat.name}")
        self.setToolTip(ROW_TIP)

    def tell(self) -> None:
        """Say on hover what a press does, what it costs, and what is wrong with it."""
        cost = f"\nWithout it a pixel takes {self.cost.sentence} less" if self.cost is not None else ""
        self.setToolTip(f"{self.note}\n{ROW_TIP}{cost}" if self.note else f"{ROW_TIP}{cost}")

    def _dot(self) -> QRectF:
        return QRectF(self.width() - 26, 3, 16, 16)

    def _only(self) -> QRectF:
        return QRectF(self.width() - 42, 18, 34, 16)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        if self.current or self._dragging:
            painter.fillRect(self.rect(), theme.color("chosen"))
        if self.current:
            painter.fillRect(0, 0, 3, ROW_H, theme.color("celadon"))
        if self.hasFocus():
            painter.setPen(QPen(theme.color("jade"), 1))
            painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        painter.setOpacity(1.0 if self.coat.shown else 0.45)
        box = QRectF(10, 4, 38, 28)
        image = self._swatches.image(f"coat:{self.material}:{self.coat.id}")
        if image is not None:
            painter.drawImage(box, image)
        tone = QColor.fromRgbF(*coat_color(self.number))
        painter.fillRect(QRectF(53, 7, 3, 22), tone)
        painter.setPen(theme.color("text"))
        painter.setFont(theme.font(13, 600 if self.current else 400))
        wide = self.width() - 63 - 44
        name = painter.fontMetrics().elidedText(self.coat.name, Qt.TextElideMode.ElideRight, wide)
        painter.drawText(QRectF(63, 1, wide, 18), Qt.AlignmentFlag.AlignVCenter, name)
        painter.setFont(theme.font(12))
        painter.setPen(theme.color("quiet"))
        kind = "base" if self.number == 0 else self.coat.seam.kind
        share = "…" if self.share is None else f"{self.share * 100:.0f} %"
        reads = f" · {counted(self.cost.reads, 'read')}" if self.cost is not None else ""
        text = f"{share} · {kind}{reads}" if self.coat.shown else "hidden"
        if self.note:
            painter.setPen(theme.color("persimmon"))
            text = f"! {text}"
        text = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, wide)
        painter.drawText(QRectF(63, 17, wide, 17), Qt.AlignmentFlag.AlignVCenter, text)
        painter.setOpacity(1.0)
        painter.setPen(theme.color("persimmon" if self.solo else "quiet"))
        painter.drawText(self._only(), Qt.AlignmentFlag.AlignCenter, "only")
        painter.setPen(QPen(theme.color("celadon" if self.coat.shown else "quiet"), 1.5))
        painter.setBrush(theme.color("celadon") if self.coat.shown else Qt.BrushStyle.NoBrush)
        painter.drawEllipse(self._dot().adjusted(3, 3, -3, -3))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if self._dot().adjusted(-6, -6, 6, 2).contains(event.position()):
            self.toggled.emit(self.coat.id)
        elif self._only().contains(event.position()):
            self.alone.emit(self.coat.id)
        else:
            self._grabbed = event.position()
            self.chosen.emit(self.coat.id)

    def let_go(self, y: float) -> None:
        self.dropped.emit(self.coat.id, y)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if not self._dot().contains(event.position()) and not self._only().contains(event.position()):
            self._grabbed = None
            self.renamed.emit(self.coat.id)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        assert event is not None
        self.chosen.emit(self.coat.id)
        self.menu.emit(self.coat.id, event.globalPos())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        step = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1}.get(Qt.Key(event.key()))
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.chosen.emit(self.coat.id)
        elif event.key() == Qt.Key.Key_F2:
            self.renamed.emit(self.coat.id)
        elif step is not None and event.modifiers() & Qt.KeyboardModifier.AltModifier:
            self.moved.emit(self.coat.id, step)
        else:
            super().keyPressEvent(event)


class CoatStack(QWidget):
    """The present material's coats, one line each, and beside them the section."""

    def __init__(self, session: Session, swatches: Swatches, line: SectionLine) -> None:
        super().__init__()
        self._session, self._swatches, self._line = session, swatches, line
        self._rows: list[CoatRow] = []
        self._shares: dict[str, float] = {}
        self.setObjectName("stack")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground, True)
        self.setMinimumHeight(150)
        self._head = Elided("", "head")
        self._add = button("+ coat", self.add_coat, "add", "Add a coat on top of the stack")
        self._draw = button("Draw the line", tip="Drag across the view to cut the coats along a new line")
        self._draw.setCheckable(True)
        self._draw.setProperty("role", "tool")
        self._draw.clicked.connect(line.draw_next)
        line.drawing_changed.connect(self._draw.setChecked)
        self.strip = SectionStrip(session, line)
        self.strip.coat_picked.connect(session.choose_coat)
        inner = QWidget()
        self._list = QVBoxLayout(inner)
        self._list.setContentsMargins(0, 0, 0, 0)
        self._list.setSpacing(0)
        left = holder(column(scrolled(inner)))
        left.setFixedWidth(LIST_WIDTH)
        self.cost = Elided("", "quiet")
        ends = (1, self.cost, 1, label("SECTION", "head"), self._draw)
        top = holder(row(self._head, self._add, *ends, margins=(12, 4, 12, 0)))
        self._costs = CostWatch(session, self._show_cost)
        body = row(left, self.strip, gap=0)
        body.setStretch(1, 1)
        self.setLayout(column(top, holder(body), gap=2))
        self._measure = QTimer(self)
        self._measure.setSingleShot(True)
        self._measure.setInterval(400)
        self._measure.timeout.connect(self._start_measuring)
        self._measuring = False
        session.changed.connect(self._rebuild)
        session.selection_changed.connect(self._rebuild)
        session.scene_changed.connect(self._measure.start)
        for signal in (swatches.arrived, swatches.outdated):
            signal.connect(self._show_swatches)

    def _show_swatches(self, *_: object) -> None:
        for shown in self._rows:
            shown.update()

    def showEvent(self, event: QShowEvent | None) -> None:
        self._measure.start()  # nothing is measured while it is folded

    @property
    def rows(self) -> list[CoatRow]:
        """The rows, top coat first."""
        return self._rows

    @property
    def measuring(self) -> bool:
        """Whether coverage is being measured or about to be."""
        return self._measuring or self._measure.isActive() or self.strip.waiting

    def _rebuild(self) -> None:
        material = self._session.material
        self._head.setText(f"COATS OF {material.name.upper()}" if material else "COATS")
        self._add.setVisible(material is not None)
        coats = list(reversed(material.coats)) if material else []
        name = material.id if material else ""
        if [(r.material, r.coat.id) for r in self._rows] != [(name, c.id) for c in coats]:
            clear(self._list)
            self._rows = []
            for i, coat in enumerate(coats):
                made = CoatRow(name, coat, len(coats) - 1 - i, self._swatches)
                made.chosen.connect(self._session.choose_coat)
                made.toggled.connect(self._toggle)
                made.alone.connect(self._session.look_alone)
                made.renamed.connect(self._rename)
                made.dropped.connect(self._drop)
                made.moved.connect(self._move)
                made.menu.connect(self._menu)
                self._list.addWidget(made)
                self._rows.append(made)
            self._list.addStretch(1)
            self._measure.start()
            self._costs.again()
        notes = coat_notes(material, self._session.link.lookup) if material is not None else {}
        for widget, coat in zip(self._rows, coats, strict=True):
            widget.coat = coat
            widget.note = " ".join(notes.get(coat.id, ()))
            widget.tell()
            widget.current = coat.id == self._session.coat_id
            widget.solo = self._session.solo == (name, coat.id)
            widget.share = self._shares.get(f"{name}:{coat.id}")
            widget.update()

    def _show_cost(self, now: MaterialCost | None, before: PixelCost | None) -> None:
        """Show what the material costs a pixel, what it was before the last change, and each coat's share."""
        if now is None:
            self.cost.setText("")
        else:
            was = f"  (was {before.sentence})" if before is not None and before != now.whole else ""
            self.cost.setText(f"{now.whole.sentence}{was}")
            self.cost.setToolTip("Texture reads and arithmetic (in additions) that a pixel of this material takes")
        for made in self._rows:
            made.cost = now.coats.get(made.coat.id) if now is not None else None
            made.tell()
            made.update()

    def _drop(self, coat: str, y: float) -> None:
        """Put a coat where its row was dropped: in the place of the row that lies there."""
        material = self._session.material
        assert material is not None
        above = sum(r.mapToGlobal(r.rect().bottomLeft()).y() < y for r in self._rows)
        last = len(self._rows) - 1
        self._session.do(edits.move_coat(material=material.id, coat=coat, to=last - min(above, last)))

    def _move(self, coat: str, by: int) -> None:
        material = self._session.material
        assert material is not None
        at = [c.id for c in material.coats].index(coat)
        self._session.do(edits.move_coat(material=material.id, coat=coat, to=at + by))
        next((r for r in self._rows if r.coat.id == coat), self).setFocus()

    def add_coat(self) -> None:
        """Put a new coat on top, made of the project's first unused map set, and choose it."""
        session, material = self._session, self._session.material
        if material is None:
            return
        used = {c.surface.map_set for c in material.coats}
        free = next((s for s in session.project.map_sets if s.id not in used), None)
        lay_over(session, material, free)

    def _toggle(self, coat: str) -> None:
        material = self._session.material
        assert material is not None
        self._session.do(edits.set_coat(material=material.id, coat=coat, shown=not material.coat(coat).shown))

    def _menu(self, coat: str, at: object) -> None:
        session, material = self._session, self._session.material
        assert material is not None
        index = [c.id for c in material.coats].index(coat)
        menu = QMenu(self)
        menu.addAction("Rename…", lambda: self._rename(coat))
        menu.addAction("Copy", lambda: copy_coat(session))
        menu.addAction("Duplicate", lambda: session.do(edits.copy_coat(material=material.id, coat=coat)))
        others = [m for m in session.project.materials if m.id != material.id]
        if others:
            copies = menu.addMenu("Copy to")
            assert copies is not None
            for other in others:
                copies.addAction(
                    other.name, lambda m=other.id: session.do(edits.copy_coat(material=material.id, coat=coat, to=m))
                )
        menu.addAction(
            "Show all coats" if session.solo == (material.id, coat) else "Show only this",
            lambda: session.look_alone(coat),
        )
        menu.addSeparator()
        up = menu.addAction(
            "Move up", lambda: session.do(edits.move_coat(material=material.id, coat=coat, to=index + 1))
        )
        down = menu.addAction(
            "Move down", lambda: session.do(edits.move_coat(material=material.id, coat=coat, to=index - 1))
        )
        menu.addSeparator()
        remove = menu.addAction("Remove", lambda: session.do(edits.remove_coat(material=material.id, coat=coat)))
        assert up is not None
        assert down is not None
        assert remove is not None
        up.setEnabled(index < len(material.coats) - 1)
        down.setEnabled(index > 0)
        remove.setEnabled(len(material.coats) > 1)
        menu.exec(at)  # type: ignore[call-overload]

    def _rename(self, coat: str) -> None:
        material = self._session.material
        assert material is not None
        name, ok = QInputDialog.getText(self, "Rename coat", "Name", text=material.coat(coat).name)
        if ok and name.strip():
            self._session.do(edits.set_coat(material=material.id, coat=coat, name=name.strip()))

    def _start_measuring(self) -> None:
        session, material, prop = self._session, self._session.material, self._session.shown_prop
        if self._measuring:
            self._measure.start()
            return
        if not self.isVisible() or material is None or prop is None or session.link.unsent_sets(session.project):
            return
        finish = finish_on(session.project, prop, session.slot)
        project, library, slot = session.shown_project, session.library, session.slot
        if not finish:
            return
        self._measuring, time = True, session.time

        def done(shares: dict[str, float]) -> None:
            self._measuring = False
            self._shares.update(shares)
            self._rebuild()

        def failed(error: Exception) -> None:
            self._measuring = False
            session.said.emit(f"Coverage could not be measured: {told(error)}", True)

        session.work(lambda: coverage_shares(project, library, prop, slot, time), done, failed)
