"""The dial sheet: what a finish exposes, what it changes, and how far a change reaches."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QAction, QPainter, QPaintEvent, QShowEvent
from PyQt6.QtWidgets import QAbstractButton, QInputDialog, QWidget

from jade_coat.app import theme
from jade_coat.app.build.dial_limits import DialLimits
from jade_coat.app.build.finish_rail import family_order
from jade_coat.app.build.prop_panel import PlaceFold, PropMenu
from jade_coat.app.build.reach_note import ReachNote
from jade_coat.app.controls.basics import Elided, Sheet, button, choice, clear, label, row
from jade_coat.app.controls.fields import Field
from jade_coat.app.controls.focus import focus_kept
from jade_coat.app.controls.settings import field_for
from jade_coat.app.session import Session
from jade_coat.app.thing_pictures import pictured
from jade_coat.material.fields import Setting
from jade_coat.material.material import Dial, Finish, Material
from jade_coat.material.rows import dial_spec
from jade_coat.stage import edits
from jade_coat.stage.looks import dial_values, finish_on, inherited_values, reach


class ChangedDot(QAbstractButton):
    """A persimmon dot on a changed dial; pressing it gives the inherited value back, its menu hands the value up."""

    promoted = pyqtSignal()

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setFixedSize(14, 24)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName(f"Give {name} its inherited value back")
        self.setToolTip("Changed here. Click to go back to the inherited value; right-click to hand it to the parent.")
        action = QAction("Hand up to the parent", self)
        action.triggered.connect(self.promoted.emit)
        self.addAction(action)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.ActionsContextMenu)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("persimmon"))
        painter.drawEllipse(QPointF(6, 12), 3.5, 3.5)


class DialName(Elided):
    """A dial's name; a double-click or its menu renames it."""

    renamed = pyqtSignal(str)

    def __init__(self, name: str, hint: str) -> None:
        super().__init__(name)
        self.setToolTip(f"{hint + '. ' if hint else ''}Double-click to rename")
        action = QAction("Rename…", self)
        action.triggered.connect(lambda: self.renamed.emit(name))
        self.addAction(action)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.ActionsContextMenu)

    def offer(self, text: str, do: Callable[[], object]) -> None:
        """Add an entry to the menu."""
        action = QAction(text, self)
        action.triggered.connect(lambda _=False: do())
        self.addAction(action)

    def mouseDoubleClickEvent(self, event: object) -> None:
        self.renamed.emit(self.text())


class DialSheet(Sheet):
    """The chosen finish's dials by group, and the chosen prop above them."""

    def __init__(self, session: Session, of_prop: bool = True) -> None:
        """`of_prop` shows what the chosen prop wears above the dials."""
        super().__init__()
        self._session, self._of_prop = session, of_prop
        self._fields: dict[str, Field] = {}
        self._dots: dict[str, ChangedDot] = {}
        self._names: dict[str, QWidget] = {}
        self._key: object = None
        self.place: PlaceFold | None = None
        self._place_shut = True
        self._note = ReachNote()
        session.changed.connect(self.refresh)
        session.selection_changed.connect(self.refresh)

    @property
    def fields(self) -> dict[str, Field]:
        """The controls by dial id."""
        return self._fields

    @property
    def dots(self) -> dict[str, ChangedDot]:
        """The revert buttons by dial id."""
        return self._dots

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.refresh()

    def bring_into_sight(self, field: QWidget) -> None:
        """Scroll to one of the controls."""
        self._area.ensureWidgetVisible(field, 0, 60)

    def refresh(self) -> None:
        """Follow the document, while it is shown."""
        if not self.isVisible():
            return
        session, material = self._session, self._session.material
        finish = next((f for f in session.project.finishes if f.id == session.finish_id), None)
        key = self._shape(material, finish)
        if key != self._key:
            self._key = key
            with focus_kept(self):
                self._build(material, finish)
        if self.place is not None and session.prop is not None:
            self.place.show_placed(session.prop)
        self._show_values(material, finish)

    def _shape(self, material: Material | None, finish: Finish | None) -> object:
        session = self._session
        dials = material.dials if material else ()
        sets = tuple((s.id, s.name) for s in session.project.map_sets)
        prop = session.prop
        worn = finish_on(session.project, prop, session.slot) if prop else ""
        slots = session.project.mesh(prop.mesh).slots if prop else ()
        order = tuple(family_order(session.project))
        named = (finish.id, finish.name, finish.parent) if finish else None
        called = prop.name if prop else ""
        return (
            material.id if material else "",
            named,
            dials,
            sets,
            session.prop_id,
            called,
            session.slot,
            worn,
            slots,
            order,
        )

    def _build(self, material: Material | None, finish: Finish | None) -> None:
        clear(self._box)
        self.place = None
        self._fields, self._dots, self._names = {}, {}, {}
        if self._of_prop:
            self._build_prop()
        if material is None:
            self._box.addWidget(label("FINISH", "head"))
            self._box.addWidget(label("A finish shows here when the project has a material.", "quiet", wrap=True))
            self._box.addStretch(1)
            return
        name = finish.name if finish else material.name
        self._box.addLayout(row(label("FINISH" if finish else "MATERIAL", "head"), 1, label(name, "name")))
        self._origin = label("", "quiet")
        self._box.addWidget(self._origin)
        group = None
        order = list(dict.fromkeys(d.group for d in material.dials))
        for dial in sorted(material.dials, key=lambda d: order.index(d.group)):
            if dial.group != group:
                group = dial.group
                self._box.addSpacing(6)
                self._box.addWidget(Elided(group or "Other", "head"))
            self._build_dial(material, finish, dial)
        if not material.dials:
            text = "No dials yet. In the coat editor at the left, press the ring before a field to make it one."
            self._box.addWidget(label(text, "quiet", wrap=True))
        self._build_note(finish)
        self._box.addStretch(1)

    def _build_prop(self) -> None:
        session, prop = self._session, self._session.prop
        if prop is None:
            return
        name = button(prop.name, role="name", tip="Rename, duplicate or remove the prop")
        name.clicked.connect(lambda: PropMenu(self, session, prop).ask(name.mapToGlobal(name.rect().bottomLeft())))
        self._box.addLayout(row(label("PROP", "head"), 1, name))
        slots = session.project.mesh(prop.mesh).slots
        if len(slots) > 1:
            pick = choice([(s, s) for s in slots], session.slot, lambda s: session.choose_prop(prop.id, s))
            self._line("Slot", pick)
        worn = finish_on(session.project, prop, session.slot)
        options = [(i, "  " * depth + n) for i, n, depth in family_order(session.project)]
        if not worn:
            options.insert(0, ("", "none yet"))

        def put(chosen: str) -> None:
            if chosen and session.do(edits.put_finish(prop=prop.id, slot=session.slot, finish=chosen)):
                session.choose_finish(chosen)

        self._line("Wears", pictured(choice(options, worn, put, "The finish on this slot"), session, "finishes"))
        self.place = PlaceFold(session, self._place_shut)
        self.place.folded.connect(self._on_place_folded)
        self._box.addWidget(self.place)
        self._box.addSpacing(8)

    def _on_place_folded(self, shut: bool) -> None:
        self._place_shut = shut

    def _line(self, name: str, control: QWidget) -> None:
        control.setFixedWidth(140)
        self._box.addLayout(row(label(name), 1, control))

    def _build_dial(self, material: Material, finish: Finish | None, dial: Dial) -> None:
        spec = dial_spec(material, dial)
        project = self._session.project
        sets = [(s.id, s.name) for s in project.map_sets]
        control = field_for(spec, dial_values(project, self._session.finish_id)[dial.id], sets)
        control.setToolTip(dial.hint or spec.hint or dial.name)
        control.setAccessibleName(dial.name)
        if finish is None:
            turned = partial(self._turn_field, material.id, dial.path)
        else:
            turned = partial(self._turn_dial, finish.id, dial.id)
        control.changed.connect(turned)
        control.settled.connect(self._session.document.settle)
        control.setFixedWidth(116)
        dot = ChangedDot(dial.name)
        dot.clicked.connect(lambda: self._session.do(edits.reset_dial(finish=self._session.finish_id, dial=dial.id)))
        dot.promoted.connect(lambda: self._session.do(edits.promote_dial(finish=self._session.finish_id, dial=dial.id)))
        policy = dot.sizePolicy()
        policy.setRetainSizeWhenHidden(True)
        dot.setSizePolicy(policy)
        name = DialName(dial.name, dial.hint or spec.hint)
        name.renamed.connect(partial(self._rename, material.id, dial.id))
        at = [d.id for d in material.dials].index(dial.id)
        for text, step in (("Move up", -1), ("Move down", 1)):
            moved = edits.move_dial(material=material.id, dial=dial.id, to=at + step)
            name.offer(text, partial(self._session.do, moved))
        name.offer("Group…", partial(self._regroup, material.id, dial))
        if not spec.shapes_program or spec.kind == "integer":
            name.offer("Limits…", partial(self._relimit, material, dial))
        name.offer("Hint…", partial(self._rehint, material.id, dial))
        name.offer("No dial any more", partial(self._session.do, edits.hide(material=material.id, path=dial.path)))
        control.setContextMenuPolicy(Qt.ContextMenuPolicy.ActionsContextMenu)
        control.addActions(name.actions())  # so that the keyboard finds them: the name itself has no focus
        self._fields[dial.id], self._dots[dial.id], self._names[dial.id] = control, dot, name
        self._box.addLayout(row(dot, name, 1, control, gap=4))

    def _rename(self, material: str, dial: str, old: str) -> None:
        name, ok = QInputDialog.getText(self, "Rename dial", "Name. Finishes keep their values.", text=old)
        if ok and name.strip() and name.strip() != old:
            self._session.do(edits.rename_dial(material=material, dial=dial, name=name.strip()))

    def _regroup(self, material: str, dial: Dial) -> None:
        group, ok = QInputDialog.getText(self, "Group of the dial", f"{dial.name} is shown under", text=dial.group)
        if ok:
            self._session.do(edits.set_dial_words(material=material, dial=dial.id, group=group.strip()))

    def _rehint(self, material: str, dial: Dial) -> None:
        hint, ok = QInputDialog.getText(self, "Hint of the dial", f"What {dial.name} does", text=dial.hint)
        if ok:
            self._session.do(edits.set_dial_words(material=material, dial=dial.id, hint=hint.strip()))

    def _relimit(self, material: Material, dial: Dial) -> None:
        asked = DialLimits(self, material, dial)
        if asked.exec():
            self._session.do(edits.set_dial_words(material=material.id, dial=dial.id, **asked.chosen()))

    def _turn_field(self, material: str, path: str, value: Setting) -> None:
        self._session.do(edits.set_field(material=material, path=path, value=value), merge=("field", path))

    def _turn_dial(self, finish: str, dial: str, value: Setting) -> None:
        self._session.do(edits.set_dial(finish=finish, dial=dial, value=value), merge=("dial", finish, dial))

    def _build_note(self, finish: Finish | None) -> None:
        session = self._session
        parts: list[QWidget] = []
        prop = session.prop
        if finish is not None and prop is not None and finish_on(session.project, prop, session.slot) == finish.id:
            tip = "Make a child finish, put it on this prop, and turn its dials"
            parts.append(button(f"Only on {prop.name} instead", self._only_here, "add", tip, names=True))
        self._revert = button(
            "Go back to the parent in all", self._reset_all, "add", "Take back every change of this finish"
        )
        if finish is not None:
            parts.append(self._revert)
        self._note = ReachNote(*parts)
        self._box.addSpacing(10)
        self._box.addWidget(self._note)

    def _reset_all(self) -> None:
        self._session.do(edits.reset_dials(finish=self._session.finish_id))

    def _only_here(self) -> None:
        made = self._session.child_for_prop(("only", id(self._session.project)))
        self._session.document.settle()
        self._session.choose_finish(made)

    def _show_values(self, material: Material | None, finish: Finish | None) -> None:
        session = self._session
        if material is None:
            return
        project = session.project
        values = dial_values(project, session.finish_id)
        inherited = inherited_values(project, session.finish_id)
        for dial in material.dials:
            self._fields[dial.id].show_value(values[dial.id])
            changed = finish is not None and dial.id in finish.values
            self._dots[dial.id].setVisible(changed)
            name = self._names[dial.id]
            if name.property("role") != ("warn" if changed else ""):
                name.setProperty("role", "warn" if changed else "")
                style = name.style()
                assert style is not None
                style.polish(name)
            if changed and inherited[dial.id] == values[dial.id]:
                self._dots[dial.id].setToolTip("Set here to the inherited value. Click to follow the parent again.")
        if finish is not None:
            self._revert.setVisible(bool(finish.values))
        found = reach(project, session.finish_id)
        if finish is not None:
            names = {f.id: f.name for f in project.finishes} | {m.id: m.name for m in project.materials}
            self._origin.setText(f"from {names[finish.parent]}")
        else:
            self._origin.setText("the material's own values")
        self._note.show_reach(project, found)
