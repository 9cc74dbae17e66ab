"""Categories of surfaces: which one a slot names, and what the project wears for it."""

from __future__ import annotations

from functools import partial

from PyQt6.QtWidgets import QInputDialog, QMenu, QWidget

from jade_coat.app.build.swatches import Swatches
from jade_coat.app.session import Session
from jade_coat.app.stage.finish_picker import FinishPicker
from jade_coat.stage import edits
from jade_coat.stage.looks import finish_on
from jade_coat.stage.project import Project

USUAL = ("Wood", "Metal", "Plaster", "Clay", "Cloth", "Leaf", "Stone", "Paint")
"""Categories that are offered before the project has its own."""


def category_name(project: Project, category: str) -> str:
    """What a category is called; empty for none."""
    return next((c.name for c in project.categories if c.id == category), "")


class CategoryMenu(QMenu):
    """Chooses a slot's category, makes one, and dresses one anew."""

    def __init__(self, parent: QWidget, session: Session, swatches: Swatches, mesh: str, slot: str) -> None:
        super().__init__(parent)
        self._session, self._swatches, self._mesh, self._slot = session, swatches, mesh, slot
        self.picker: FinishPicker | None = None
        project = session.project
        now = project.mesh(mesh).categories.get(slot, "")
        names = {f.id: f.name for f in project.finishes} | {m.id: m.name for m in project.materials}
        for category in project.categories:
            worn = names.get(category.finish, "nothing yet")
            self._entry(f"{category.name}  ({worn})", partial(self.choose, category.id), category.id == now)
        known = {c.name.casefold() for c in project.categories}
        for name in USUAL:
            if name.casefold() not in known:
                self._entry(name, partial(self.make, name), False)
        self.addAction("Another…", self._ask_name)
        self.addSeparator()
        self._entry("No category", partial(self.choose, ""), not now)
        if now:
            called = category_name(project, now)
            self.addAction(f"What {called.lower()} wears…", partial(self.dress, now))
            self.addAction(
                f"Forget the category {called.lower()}", partial(session.do, edits.remove_category(category=now))
            )

    def _entry(self, text: str, do: object, checked: bool) -> None:
        action = self.addAction(text)
        assert action is not None
        action.triggered.connect(lambda _=False: do())  # type: ignore[operator]
        action.setCheckable(checked)
        action.setChecked(checked)

    def choose(self, category: str) -> None:
        """Let the slot name a category, or none."""
        self._session.do(edits.set_slot_category(mesh=self._mesh, slot=self._slot, category=category))

    def make(self, name: str) -> None:
        """Make a category, and let the slot name it."""
        session, known = self._session, {c.id for c in self._session.project.categories}
        if session.do(edits.add_category(name=name)):
            made = next(c.id for c in session.project.categories if c.id not in known)
            self.choose(made)
            self.dress(made)

    def _ask_name(self) -> None:
        name, ok = QInputDialog.getText(self.parentWidget(), "New category", "Name")
        if ok and name.strip():
            self.make(name)

    def dress(self, category: str) -> None:
        """Pick what the project wears for a category, after saying how much relies on it."""
        session = self._session
        project = session.project
        found = next(c for c in project.categories if c.id == category)
        relying = [p for p in project.props for s, c in project.mesh(p.mesh).categories.items()
                   if c == category and finish_on(project, p, s) == found.finish]  # fmt: skip
        session.said.emit(f"{len(relying)} props rely on the finish for {found.name.lower()}.", False)

        def wear(finish: str) -> edits.Edit:
            return edits.dress_category(category=category, finish=finish)

        parent = self.parentWidget()
        assert parent is not None
        self.picker = FinishPicker(parent, session, self._swatches, found.finish, wear, "Nothing")
        self.picker.ask(parent.mapToGlobal(parent.rect().topLeft()))
