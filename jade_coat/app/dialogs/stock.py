"""Stock: everything the project keeps, to be renamed, duplicated and removed, with whom that reaches."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from PyQt6.QtCore import QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QButtonGroup, QComboBox, QDialog, QFrame, QLineEdit, QVBoxLayout, QWidget

from jade_coat.app.build.finish_rail import family_order
from jade_coat.app.build.swatches import Swatches, SwatchPicture
from jade_coat.app.controls.basics import (
    button,
    choice,
    clear,
    column,
    counted,
    holder,
    label,
    row,
    scrolled,
    show_or_hide,
)
from jade_coat.app.controls.fields import Field
from jade_coat.app.controls.settings import field_for
from jade_coat.app.session import Session
from jade_coat.app.thing_pictures import picture_of, pictured
from jade_coat.material.fields import Spec
from jade_coat.material.material import Material
from jade_coat.stage import edits
from jade_coat.stage.edits.registry import Edit
from jade_coat.stage.edits.stock import WORDS, Stocked
from jade_coat.stage.looks import material_of, reach, reach_of_map_set, readers_of
from jade_coat.stage.origins import Kind
from jade_coat.stage.project import Project

TITLES: dict[Stocked, str] = {
    "materials": "Materials", "finishes": "Finishes", "map_sets": "Map sets", "recipes": "Recipes", "meshes": "Meshes",
}  # fmt: skip
PICTURE = QSize(76, 56)
DEPTH = Spec("Depth", unit="m", low=0.0, high=10.0, soft=(0.001, 0.2), logarithmic=True,
             hint="Metres between the lowest and the highest point of its coats")  # fmt: skip


class StockRow(QFrame):
    """One thing: its picture, its name, who uses it, and what can be done with it."""

    def __init__(self, stock: Stock, kind: Stocked, thing: Any) -> None:
        super().__init__()
        self.setObjectName("card")
        self._stock, self._kind, self.thing = stock, kind, thing
        self.picture = SwatchPicture(stock.swatches, *stock.pictured(kind, thing))
        self.name = QLineEdit(thing.name)
        self.name.setAccessibleName(f"Name of the {WORDS[kind]}")
        self.name.editingFinished.connect(self._rename)
        self.used = label(stock.used_by(kind, thing), "quiet", wrap=True)
        words = column(self.name, self.used, gap=2)
        self.copy = button("Duplicate", partial(stock.copy, kind, thing.id), "plain")
        show_or_hide(self.copy, kind != "meshes")
        self.remove = button("Remove", self._ask, "plain")
        reason = stock.kept_by(kind, thing)
        self.remove.setEnabled(not reason)
        self.remove.setToolTip(reason)
        self.depth_field: Field | None = None
        self.numbers = button(
            "Numbers…", partial(stock.numbers_wanted.emit, thing), "plain", "Make it anew from others"
        )
        show_or_hide(self.numbers, getattr(thing, "made", None) is not None)
        line = row(self.picture, holder(words), self.numbers, self.copy, self.remove, margins=(8, 7, 8, 7), gap=10)
        line.setStretch(1, 1)
        if isinstance(thing, Material):
            self.depth_field = field_for(DEPTH, thing.depth)
            self.depth_field.setFixedWidth(96)
            self.depth_field.setToolTip("Depth: " + DEPTH.hint)
            self.depth_field.changed.connect(self._set_depth)
            self.depth_field.settled.connect(stock.session.document.settle)
            line.insertWidget(2, label("Depth", "quiet", DEPTH.hint))
            line.insertWidget(3, self.depth_field)
        self.heirs: QComboBox | None = None
        self._asking = QVBoxLayout()
        self._asking.setContentsMargins(94, 0, 8, 0)
        self.setLayout(column(holder(line), gap=0))
        outer = self.layout()
        assert isinstance(outer, QVBoxLayout)
        outer.addLayout(self._asking)

    def _rename(self) -> None:
        if self.name.text().strip() != self.thing.name and not self._stock.do(
            edits.rename_kept(kind=self._kind, id=self.thing.id, name=self.name.text())
        ):
            self.name.setText(self.thing.name)

    def _set_depth(self, value: float) -> None:
        edit = edits.set_material(material=self.thing.id, depth=value)
        self._stock.session.do(edit, merge=("depth", self.thing.id))

    def _ask(self) -> None:
        """Ask where those who use it go; at once where nobody does."""
        question, heirs = self._stock.heirs(self._kind, self.thing)
        if not question:
            self._stock.take_out(self._kind, self.thing.id, "")
            return
        clear(self._asking)
        kind: Kind = "map_sets" if self._kind == "map_sets" else "finishes"
        self.heirs = pictured(choice(heirs, heirs[0][0], lambda _: None, question), self._stock.session, kind)
        self.heirs.setMinimumWidth(200)
        self.go = button("Remove it", self._go, "main")
        self._asking.setContentsMargins(94, 0, 8, 8)
        self._asking.addLayout(row(label(question, "warn"), self.heirs, 1, self.go, button("Keep it", self._keep)))
        self.heirs.setFocus()

    def _go(self) -> None:
        assert self.heirs is not None
        self._stock.take_out(self._kind, self.thing.id, str(self.heirs.currentData()))

    def _keep(self) -> None:
        self.heirs = None
        clear(self._asking)


class Stock(QDialog):
    """All materials, finishes, map sets, recipes and meshes, a list for each kind."""

    numbers_wanted = pyqtSignal(object)
    """A mesh or a map set whose numbers are to be seen."""

    def __init__(self, parent: QWidget, session: Session, swatches: Swatches) -> None:
        super().__init__(parent)
        self.session, self.swatches = session, swatches
        self.setWindowTitle("Stock: what the project keeps")
        self.resize(760, 580)
        self.kind: Stocked = "materials"
        self.rows: dict[str, StockRow] = {}
        self.tabs = {kind: button("", partial(self.show_kind, kind), "tab") for kind in TITLES}
        group = QButtonGroup(self)
        for tab in self.tabs.values():
            tab.setCheckable(True)
            group.addButton(tab)
        self._list = QVBoxLayout()
        self._list.setSpacing(6)
        self._list.setContentsMargins(0, 0, 6, 0)
        self.problem = label("", "warn", wrap=True)
        layout = QVBoxLayout(self)
        layout.setSpacing(10)
        layout.addLayout(row(*self.tabs.values(), 1, gap=2))
        self._area = scrolled(holder(self._list))
        layout.addWidget(self._area, 1)
        layout.addLayout(row(self.problem, 1, button("Close", self.accept)))
        self._key: object = None
        self._pointed = ""
        session.changed.connect(self.refresh)
        self.show_kind("materials")

    def show_kind(self, kind: Stocked) -> None:
        """Show the things of one kind."""
        self.kind = kind
        self.tabs[kind].setChecked(True)
        self.problem.setText("")
        self.refresh()

    def point_at(self, wanted: str) -> None:
        """Put the hand on the name of a thing of the kind that is shown, and bring it into sight."""
        found = self.rows.get(wanted)
        if found is not None:
            found.name.setFocus(Qt.FocusReason.OtherFocusReason)
            self._pointed = wanted
            QTimer.singleShot(0, self._bring_into_sight)

    def _bring_into_sight(self) -> None:
        found = self.rows.get(self._pointed)
        if found is not None:
            self._area.ensureWidgetVisible(found)

    def refresh(self) -> None:
        """Follow the document."""
        if not self.isVisible() and self._key is not None:
            return
        project = self.session.project
        for kind, tab in self.tabs.items():
            tab.setText(f"{TITLES[kind]}  {len(getattr(project, kind))}")
        things = self._things(project)
        key = (self.kind, tuple((t.id, t.name) for t in things), tuple(self.used_by(self.kind, t) for t in things))
        if key != self._key:
            self._key = key
            self._build(things)
        for thing in things:
            field = self.rows[thing.id].depth_field
            if field is not None:
                field.show_value(thing.depth)

    def showEvent(self, event: object) -> None:
        self.refresh()

    def _things(self, project: Project) -> list[Any]:
        if self.kind == "finishes":
            known = {f.id: f for f in project.finishes}
            return [known[i] for i, _, _ in family_order(project) if i in known]
        return list(getattr(project, self.kind))

    def _build(self, things: list[Any]) -> None:
        clear(self._list)
        self.rows = {}
        for thing in things:
            self.rows[thing.id] = StockRow(self, self.kind, thing)
            self._list.addWidget(self.rows[thing.id])
        if not things:
            self._list.addWidget(label(f"The project has no {WORDS[self.kind]} yet.", "quiet"))
        self._list.addStretch(1)

    def pictured(self, kind: Stocked, thing: Any) -> tuple[str, QSize, QImage | None]:
        """The swatch of a thing, how large it is shown, and the picture of what has no swatch."""
        project, worn = self.session.project, thing.id
        if kind == "map_sets":
            return "", PICTURE, picture_of(project, self.session.library.assets, (kind, thing.id))
        if kind == "materials":
            worn = next((f.id for f in project.finishes if f.parent == thing.id), thing.id)
        return f"finish:{worn}" if kind in ("materials", "finishes") else "", PICTURE, None

    # Who uses what

    def used_by(self, kind: Stocked, thing: Any) -> str:
        """Who uses a thing, in words."""
        project = self.session.project
        if kind in ("materials", "finishes"):
            found = reach(project, thing.id)
            return f"Worn by {found.sentence}" if found.any else "No prop wears it"
        if kind == "map_sets":
            readers = [m.name for m in readers_of(project, thing.id)]
            found = reach_of_map_set(project, thing.id)
            cut = [m.name for m in project.meshes if m.made is not None and m.made.source == thing.id]
            told = f"In {_named(readers)}, on {found.sentence}" if readers or found.any else "No coat is made of it"
            return f"{told}; {_named(cut)} is cut by it" if cut else told
        if kind == "meshes":
            number = sum(p.mesh == thing.id for p in project.props)
            strewn = [g.name for g in project.grounds if any(s.mesh == thing.id for s in g.scatter)]
            told = f"{counted(number, 'prop')} of it" if number else "No prop is made of it"
            return f"{told}; it is strewn on {_named(strewn)}" if strewn else told
        users = project.recipe_users(thing.id)
        return f"Used by {_named(list(users))}" if users else "Nothing uses it"

    def kept_by(self, kind: Stocked, thing: Any) -> str:
        """Why a thing cannot be removed; empty if it can."""
        project = self.session.project
        if kind == "recipes" and project.recipe_users(thing.id):
            return f"{_named(list(project.recipe_users(thing.id)))} would not know what to work out. Change that first."
        if kind == "meshes" and any(p.mesh == thing.id for p in project.props):
            return "Props are made of it. Remove those first."
        if kind == "meshes" and any(s.mesh == thing.id for g in project.grounds for s in g.scatter):
            return "It is strewn on a ground. Take that scatter away first."
        return ""

    def heirs(self, kind: Stocked, thing: Any) -> tuple[str, list[tuple[str, str]]]:
        """The question where those who use a thing go, and the answers; empty where nobody does."""
        project = self.session.project
        if kind == "materials":
            found = reach(project, thing.id)
            if not found.any:
                return "", []
            others = [(i, "  " * depth + n) for i, n, depth in family_order(project)
                      if material_of(project, i).id != thing.id]  # fmt: skip
            return f"{found.sentence} will wear", [*others, ("", "nothing")]
        if kind == "map_sets":
            readers = readers_of(project, thing.id)
            if not readers and not reach_of_map_set(project, thing.id).finishes:
                return "", []
            others = [(s.id, s.name) for s in project.map_sets if s.id != thing.id]
            return f"{_named([m.name for m in readers]) or 'Finishes'} will read", [("", "plain values"), *others]
        if kind == "finishes":
            found = reach(project, thing.id)
            names = {f.id: f.name for f in project.finishes} | {m.id: m.name for m in project.materials}
            return (f"{found.sentence} will wear", [("", names[thing.parent])]) if found.any else ("", [])
        return "", []

    # Doing

    def do(self, edit: Edit) -> bool:
        """Run an edit; what is wrong with it is said in the dialog too."""
        told: list[str] = []
        take: Callable[[str, bool], None] = lambda text, _: told.append(text)  # noqa: E731
        self.session.said.connect(take)
        try:
            done = self.session.do(edit)
        finally:
            self.session.said.disconnect(take)
        self.problem.setText("" if done else " ".join(told))
        return done

    def copy(self, kind: Any, id: str) -> None:
        """Duplicate a thing, and put the hand on the copy's name."""
        before = {t.id for t in getattr(self.session.project, kind)}
        if self.do(edits.copy_kept(kind=kind, id=id)):
            made = next((i for i in self.rows if i not in before), None)
            if made is not None:
                self.rows[made].name.setFocus(Qt.FocusReason.OtherFocusReason)
                self.rows[made].name.selectAll()

    def take_out(self, kind: Stocked, id: str, heir: str) -> None:
        """Remove a thing."""
        ways: dict[Stocked, Callable[[], Edit]] = {
            "materials": lambda: edits.remove_material(material=id, heir=heir),
            "finishes": lambda: edits.remove_finish(finish=id),
            "map_sets": lambda: edits.remove_map_set(map_set=id, heir=heir),
            "recipes": lambda: edits.remove_recipe(recipe=id), "meshes": lambda: edits.remove_mesh(mesh=id),
        }  # fmt: skip
        self.do(ways[kind]())


def _named(names: list[str]) -> str:
    """A few names in one line."""
    return ", ".join(names) if len(names) < 4 else f"{', '.join(names[:3])} and {len(names) - 3} more"
