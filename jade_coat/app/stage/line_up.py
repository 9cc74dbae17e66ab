"""The line-up: slots down, variants across, a swatch in each cell that a variant fills; the rest take the default."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QPoint, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QDragEnterEvent, QDropEvent, QImage, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QGridLayout, QInputDialog, QMenu, QWidget

from jade_coat.app import theme
from jade_coat.app.build.swatches import Swatches
from jade_coat.app.controls.basics import button, choice, clear, column, holder, label, row, scrolled
from jade_coat.app.controls.tiles import FocusPainted, PressedTile
from jade_coat.app.model_pictures import ModelPictures
from jade_coat.app.session import Session
from jade_coat.app.stage.categories import CategoryMenu, category_name
from jade_coat.app.stage.finish_picker import FinishPicker
from jade_coat.app.trying import Resting
from jade_coat.app.view.view import FINISH_MIME
from jade_coat.stage import edits
from jade_coat.stage.mesh_assets import DEFAULT, MeshAsset

SLOT_W, CELL_W, CELL_H, HEAD_H = 150, 104, 34, 62


class LineCell(PressedTile):
    """What one variant puts on one slot."""

    def __init__(self, line_up: LineUp, variant: str, slot: str) -> None:
        super().__init__()
        self.line_up, self.variant, self.slot = line_up, variant, slot
        self.finish = self.name = ""
        self.lit = False
        self.setFixedSize(CELL_W, CELL_H)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAcceptDrops(True)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        box = QRectF(self.rect()).adjusted(1.5, 1.5, -1.5, -1.5)
        painter.setPen(QPen(theme.color("jade" if self.hasFocus() or self.underMouse() else "line"), 1))
        painter.setBrush(theme.color("chosen" if self.lit else "well"))
        painter.drawRoundedRect(box, 5, 5)
        if not self.finish:
            painter.setPen(QPen(theme.color("quiet"), 1.2))
            painter.drawLine(
                QPointF(box.center().x() - 5, box.center().y()), QPointF(box.center().x() + 5, box.center().y())
            )
            return
        image = self.line_up.swatches.image(f"finish:{self.finish}")
        picture = QRectF(box.left() + 4, box.top() + 3, 34, 25)
        if image is not None:
            painter.drawImage(picture, image)
        painter.setFont(theme.font(11.5))
        painter.setPen(theme.color("text"))
        words = QRectF(picture.right() + 5, box.top(), box.right() - picture.right() - 7, box.height())
        shown = painter.fontMetrics().elidedText(self.name, Qt.TextElideMode.ElideRight, round(words.width()))
        painter.drawText(words, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, shown)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        mime = event.mimeData() if event is not None else None
        if event is not None and mime is not None and mime.hasFormat(FINISH_MIME):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        mime = event.mimeData() if event is not None else None
        if mime is not None:
            self.line_up.put(self.variant, self.slot, mime.data(FINISH_MIME).data().decode())


class VariantHead(FocusPainted):
    """A variant's picture, index and name above its column; pressing it puts it on what is chosen."""

    worn = pyqtSignal(str)
    menu = pyqtSignal(str, QPoint)

    def __init__(self, line_up: LineUp, variant: str, index: int, name: str) -> None:
        super().__init__()
        self.line_up, self.variant, self.index, self.name = line_up, variant, index, name
        self.setFixedSize(CELL_W, HEAD_H)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(f"Variant {index} {name}")
        self.setToolTip("Press to put it on what is chosen; right-click to rename, copy, move or remove it")

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        worn = self.line_up.worn_variant == self.variant
        if worn or self.hasFocus():
            painter.setPen(QPen(theme.color("celadon" if worn else "jade"), 1.6))
            painter.setBrush(theme.color("chosen") if worn else Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(1.5, 1, -1.5, -1), 5, 5)
        image = self.line_up.model_image(self.variant)
        if image is not None:
            painter.drawImage(QRectF((self.width() - 56) / 2, 2, 56, 42), image)
        painter.setFont(theme.font(12, 600))
        painter.setPen(theme.color("celadon"))
        painter.drawText(
            QRectF(7, 3, 20, 16), Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, str(self.index)
        )
        painter.setFont(theme.font(12, 600 if worn else 400))
        painter.setPen(theme.color("text"))
        shown = painter.fontMetrics().elidedText(self.name, Qt.TextElideMode.ElideRight, self.width() - 10)
        painter.drawText(QRectF(5, 44, self.width() - 10, 16), Qt.AlignmentFlag.AlignCenter, shown)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self.worn.emit(self.variant)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self.line_up.rename(self.variant)

    def keyPressEvent(self, event: object) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):  # type: ignore[attr-defined]
            self.worn.emit(self.variant)
        else:
            super().keyPressEvent(event)  # type: ignore[arg-type]

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        if event is not None:
            self.menu.emit(self.variant, event.globalPos())


class LineUp(QWidget):
    """The table of one model, that of the leading prop."""

    def __init__(self, session: Session, swatches: Swatches) -> None:
        super().__init__()
        self.session, self.swatches = session, swatches
        self.models = ModelPictures(session, self, "variant")
        self._resting = Resting(session, self)
        self.cells: dict[tuple[str, str], LineCell] = {}
        self.heads: dict[str, VariantHead] = {}
        self.slot_names: dict[str, QWidget] = {}
        self.picker: FinishPicker | None = None
        self.menu: QMenu | None = None
        self._key: object = None
        self.setObjectName("stack")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground, True)
        self._choice_box = row(gap=4)
        add = button("+ variant", self.add, "add", "Another variant, behind the others")
        self._grid_holder = QWidget()
        self._grid = QGridLayout(self._grid_holder)
        self._grid.setSpacing(2)
        self._grid.setContentsMargins(0, 0, 0, 4)
        area = scrolled(self._grid_holder)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
        self.head = holder(row(holder(self._choice_box), add, gap=4))
        """The model that is shown and what adds to it; whoever shows the line-up gives it a place."""
        body = column(gap=4, margins=(12, 2, 8, 4))
        body.addWidget(area, 1)
        self.setLayout(body)
        session.changed.connect(self.refresh)
        session.selection_changed.connect(self.refresh)
        for signal in (swatches.arrived, swatches.outdated):
            signal.connect(self._repaint)
        self.models.arrived.connect(self._repaint)

    def showEvent(self, event: object) -> None:
        self.refresh()

    @property
    def waiting(self) -> bool:
        """Whether pictures of variants are still to come."""
        return self.isVisible() and self.models.waiting

    @property
    def mesh(self) -> MeshAsset | None:
        """The model that is shown."""
        prop = self.session.prop
        return self.session.project.mesh(prop.mesh) if prop is not None else None

    @property
    def worn_variant(self) -> str:
        """The id of the variant that the leading prop wears."""
        prop = self.session.prop
        return (prop.variant or DEFAULT) if prop is not None else ""

    def _repaint(self, *_: object) -> None:
        if self.isVisible():
            for widget in (*self.cells.values(), *self.heads.values()):
                widget.update()

    def refresh(self) -> None:
        """Follow the document and what is chosen."""
        if not self.isVisible():
            return
        mesh, project = self.mesh, self.session.project
        key = (
            mesh.id if mesh else "", tuple((v.id, v.name) for v in mesh.variants) if mesh else (),
            mesh.slots if mesh else (), tuple((m.id, m.name) for m in project.meshes),
            mesh.categories if mesh else {}, project.categories,
        )  # fmt: skip
        if key != self._key:
            self._key = key
            self._build(mesh)
        self._show(mesh)
        self._picture_all()

    def _build(self, mesh: MeshAsset | None) -> None:
        clear(self._grid)
        clear(self._choice_box)
        self.cells, self.heads, self.slot_names = {}, {}, {}
        if mesh is None:
            self._grid.addWidget(label("The variants of a model show here once there is a prop.", "quiet"), 0, 0)
            return
        models = [(m.id, m.name) for m in self.session.project.meshes]
        pick = choice(models, mesh.id, self._choose_model, "The model whose variants are lined up")
        pick.setFixedWidth(150)
        self._choice_box.addWidget(pick)
        for i, variant in enumerate(mesh.variants):
            head = self.heads[variant.id] = VariantHead(self, variant.id, i, variant.name)
            head.worn.connect(self.wear)
            head.menu.connect(self._variant_menu)
            self._resting.watch(head, partial(self._trying, variant.id))
            self._grid.addWidget(head, 0, i + 1)
        for j, slot in enumerate(mesh.slots):
            self._grid.addWidget(self._slot_head(mesh, slot), j + 1, 0)
            for i, variant in enumerate(mesh.variants):
                cell = self.cells[variant.id, slot] = LineCell(self, variant.id, slot)
                cell.pressed.connect(partial(self.ask, variant.id, slot))
                self._grid.addWidget(cell, j + 1, i + 1)
        self._grid.setColumnStretch(len(mesh.variants) + 1, 1)
        self._grid.setRowStretch(len(mesh.slots) + 1, 1)

    def _picture_all(self) -> None:
        """Have the leading prop drawn in each variant of its model."""
        prop, mesh = self.session.prop, self.mesh
        if prop is None or mesh is None:
            self.models.let_go()
            return
        bare = prop.with_(finishes={}, values={}, rules=())
        self.models.show({f"{mesh.id}:{v.id}": bare.with_(variant=v.id) for v in mesh.variants})

    def model_image(self, variant: str) -> QImage | None:
        """The newest picture of a variant of the model that is shown."""
        mesh = self.mesh
        return self.models.image(f"{mesh.id}:{variant}") if mesh is not None else None

    def _trying(self, variant: str) -> edits.Edit | None:
        """What resting on a variant shows: it on the chosen props of this model."""
        mesh = self.mesh
        props = tuple(p.id for p in self.session.chosen_props if mesh is not None and p.mesh == mesh.id)
        return edits.wear_variant(props=props, variant=variant) if props else None

    def _slot_head(self, mesh: MeshAsset, slot: str) -> QWidget:
        named = category_name(self.session.project, mesh.categories.get(slot, ""))
        tip = "The category of this slot: where nothing else is chosen it wears the project's finish for that"
        pick = button(named or "no category", partial(self._ask_category, mesh.id, slot), "add", tip, names=True)
        name = button(slot, partial(self._choose_slot, slot), "name", "Show where the slot is, and its dials")
        self.slot_names[slot] = name
        made = holder(row(name, 1, pick, gap=4))
        made.setFixedWidth(SLOT_W)
        return made

    def _show(self, mesh: MeshAsset | None) -> None:
        if mesh is None:
            return
        project = self.session.project
        names = {f.id: f.name for f in project.finishes} | {m.id: m.name for m in project.materials}
        for (variant, slot), cell in self.cells.items():
            cell.finish = mesh.variant(variant).finishes.get(slot, "")
            cell.name = names.get(cell.finish, "")
            cell.lit = slot == self.session.slot and variant == self.worn_variant
            worn = cell.name or ("the category" if mesh.categories.get(slot) else "nothing")
            if not cell.finish and variant != DEFAULT:
                worn = "the default"
            cell.setToolTip(f"{slot}: {worn}. Press to choose, or drop a finish here")
            cell.setAccessibleName(f"{slot} under {mesh.variant(variant).name}: {worn}")
            cell.update()
        for head in self.heads.values():
            head.update()

    # What it does

    def _choose_model(self, mesh: str) -> None:
        prop = next((p for p in self.session.project.props if p.mesh == mesh), None)
        if prop is None:
            self.session.said.emit("No prop is made of that model yet: place one first.", True)
            self._key = None
            self.refresh()
        else:
            self.session.choose_things((prop.id,))

    def _choose_slot(self, slot: str) -> None:
        self.session.choose_things(self.session.chosen or (self.session.prop_id,), slot)

    def _chosen_alike(self) -> tuple[str, ...]:
        session, lead = self.session, self.session.prop
        if lead is None:
            return ()
        return tuple(p.id for p in session.chosen_props if p.mesh == lead.mesh) or (lead.id,)

    def wear(self, variant: str) -> None:
        """Put a variant on the chosen props of this model."""
        self.session.do(edits.wear_variant(props=self._chosen_alike(), variant=variant))

    def put(self, variant: str, slot: str, finish: str) -> None:
        """Let a variant put a finish on a slot."""
        mesh = self.mesh
        if mesh is not None:
            self.session.do(edits.set_variant_finish(mesh=mesh.id, variant=variant, slot=slot, finish=finish))

    def ask(self, variant: str, slot: str) -> None:
        """Let a finish be picked for a cell; resting on one shows it on the stage."""
        mesh = self.mesh
        if mesh is None:
            return
        mesh_id = mesh.id

        def wear(finish: str) -> edits.Edit:
            return edits.set_variant_finish(mesh=mesh_id, variant=variant, slot=slot, finish=finish)

        current, cell = mesh.variant(variant).finishes.get(slot, ""), self.cells[variant, slot]
        empty = "As the default" if variant != DEFAULT else "Nothing"
        self.picker = FinishPicker(self, self.session, self.swatches, current, wear, empty)
        self.picker.ask(cell.mapToGlobal(QPoint(0, -320)))

    def _ask_category(self, mesh: str, slot: str) -> None:
        self.menu = CategoryMenu(self, self.session, self.swatches, mesh, slot)
        at = self.slot_names[slot]
        self.menu.popup(at.mapToGlobal(at.rect().topRight()))

    def add(self, source: str = "") -> None:
        """Add a variant, as a copy of one if one is named."""
        mesh = self.mesh
        if mesh is not None:
            self.session.do(edits.add_variant(mesh=mesh.id, source=source))

    def rename(self, variant: str) -> None:
        """Ask for another name."""
        mesh = self.mesh
        if mesh is None:
            return
        old = mesh.variant(variant).name
        name, ok = QInputDialog.getText(self, "Rename variant", "Name. Its index stays.", text=old)
        if ok and name.strip() and name.strip() != old:
            self.session.do(edits.rename_variant(mesh=mesh.id, variant=variant, name=name))

    def shift(self, variant: str, by: int) -> None:
        """Give a variant another index, after saying which indices in use change."""
        mesh = self.mesh
        if mesh is None:
            return
        at = mesh.variant_index(variant)
        to = at + by
        if not 1 <= to < len(mesh.variants):
            return
        changing = {mesh.variants[at].id, mesh.variants[to].id}
        wearing = [p for p in self.session.project.props if p.mesh == mesh.id and p.variant in changing]
        lines = [f"{mesh.variant(v).name} is called by its index on {sum(p.variant == v for p in wearing)} props"
                 for v in sorted(changing) if any(p.variant == v for p in wearing)]  # fmt: skip
        if lines and not self.session.agree("Another index: code that switches by index shows another look", lines):
            return
        self.session.do(edits.move_variant(mesh=mesh.id, variant=variant, to=to))

    def remove(self, variant: str) -> None:
        """Remove a variant, after saying who wears it and which indices change."""
        mesh = self.mesh
        if mesh is None:
            return
        at = mesh.variant_index(variant)
        lines = [f"{p.name} will wear {mesh.variants[0].name}" for p in self.session.project.props
                 if p.mesh == mesh.id and p.variant == variant]  # fmt: skip
        lines += [f"{v.name} becomes index {at + i}" for i, v in enumerate(mesh.variants[at + 1 :])]
        if lines and not self.session.agree(f"Remove the variant {mesh.variant(variant).name}", lines):
            return
        self.session.do(edits.remove_variant(mesh=mesh.id, variant=variant))

    def _variant_menu(self, variant: str, at: QPoint) -> None:
        self.menu = QMenu(self)
        self.menu.addAction("Put on what is chosen", partial(self.wear, variant))
        self.menu.addAction("Rename…", partial(self.rename, variant))
        self.menu.addAction("Duplicate", partial(self.add, variant))
        if variant != DEFAULT:
            self.menu.addAction("Index down", partial(self.shift, variant, -1))
            self.menu.addAction("Index up", partial(self.shift, variant, 1))
            self.menu.addSeparator()
            self.menu.addAction("Remove", partial(self.remove, variant))
        self.menu.popup(at)
