"""The steps sheet: a recipe's calculation as rows: name, what is done, from what, picture and cost."""

from __future__ import annotations

from functools import partial

from PyQt6.QtWidgets import (
    QDialog,
    QInputDialog,
    QListWidget,
    QMenu,
    QVBoxLayout,
    QWidget,
)

from jade_coat.app.build import step_pictures
from jade_coat.app.build.step_row import AT_VERTICES, StepRow, cost_words
from jade_coat.app.controls.basics import button, clear, column, holder, label, row, scrolled
from jade_coat.app.controls.fields import NumberLine
from jade_coat.app.controls.numbers import NotANumber
from jade_coat.app.session import Session
from jade_coat.jobs.words import told
from jade_coat.looking.look_at import look_at
from jade_coat.looking.vertex_error import VertexError, vertex_error
from jade_coat.maps.mapset import MapSet
from jade_coat.maps.packing import PackedLookup, Texture
from jade_coat.material.compile import with_shared
from jade_coat.material.fields import Spec
from jade_coat.material.recipe_reads import recipes_run
from jade_coat.material.recipes import LIBRARY, Recipe, RecipeFault, RecipeInput, Step, step_values
from jade_coat.material.shared import SharedValue
from jade_coat.material.surface import MapLookup
from jade_coat.program import Value, passes
from jade_coat.program.numpy_backend import evaluate
from jade_coat.stage import edits
from jade_coat.stage.edits import Edit
from jade_coat.stage.looks import finish_on


class StepsSheet(QDialog):
    """All recipes of the project at the left, the steps of the chosen one at the right."""

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent)
        self.session = session
        self.setWindowTitle("Recipes")
        self.resize(1120, 620)
        self.chosen = session.project.recipes[0].id if session.project.recipes else ""
        self._asked: dict[str, int] = {}
        self.rows: dict[str, StepRow] = {}
        self._sets: set[MapSet] = set()
        self._textures: dict[str, Texture] = {}
        self._key: object = None
        self._list = QListWidget()
        self._list.setFixedWidth(190)
        self._list.currentRowChanged.connect(self._choose)
        self._title = label("", "title")
        self._hint = label("", "quiet", wrap=True)
        self._used = label("", "warn", wrap=True)
        self._inputs = QVBoxLayout()
        self._steps = QVBoxLayout()
        self._steps.setSpacing(6)
        add = button("+ recipe", role="add", tip="A new recipe, empty or from the library")
        add.clicked.connect(lambda: self._menu(add))
        self._more = button("+ step", self.add_step, "add", "Add a step at the end")
        self._drop = button("Remove", self._remove, "plain", "Remove this recipe, if nothing uses it")
        self._rename_button = button("Rename…", self._rename, "plain")
        inner = QVBoxLayout()
        inner.setContentsMargins(0, 0, 14, 0)
        inner.addLayout(self._inputs)
        inner.addLayout(self._steps)
        inner.addWidget(self._more)
        inner.addStretch(1)
        right = column(holder(row(self._title, 1, self._rename_button, self._drop)), self._hint, self._used,
                       scrolled(holder(inner)), gap=6)  # fmt: skip
        left = column(self._list, add)
        layout = row(holder(left), holder(right), margins=(12, 12, 12, 12), gap=14)
        layout.setStretch(1, 1)
        self.setLayout(layout)
        session.changed.connect(self.refresh)
        self.refresh()

    def do(self, edit: Edit) -> bool:
        """Run an edit of the chosen recipe."""
        return self.session.do(edit)

    @property
    def recipe(self) -> Recipe | None:
        """The chosen recipe."""
        return next((r for r in self.session.project.recipes if r.id == self.chosen), None)

    def refresh(self) -> None:
        """Follow the document."""
        recipes = self.session.project.recipes
        if self.recipe is None:
            self.chosen = recipes[0].id if recipes else ""
        names = [r.name for r in recipes]
        if [self._list.item(i).text() for i in range(self._list.count())] != names:  # type: ignore[union-attr]
            self._list.blockSignals(True)
            self._list.clear()
            self._list.addItems(names)
            self._list.blockSignals(False)
        at = next((i for i, r in enumerate(recipes) if r.id == self.chosen), -1)
        self._list.blockSignals(True)
        self._list.setCurrentRow(at)
        self._list.blockSignals(False)
        key = (
            self.recipe,
            tuple((r.id, r.name, r.inputs) for r in recipes),
            tuple(d.id for d in self.session.project.shared),
        )
        if key != self._key:
            self._key = key
            self._build(self.recipe)
        self._show()

    def _build(self, recipe: Recipe | None) -> None:
        clear(self._inputs)
        clear(self._steps)
        self.rows = {}
        for part in (self._more, self._drop, self._rename_button):
            part.setVisible(recipe is not None)
        self._title.setText(recipe.name if recipe else "No recipe yet")
        self._hint.setText(
            recipe.hint if recipe else "A recipe is a calculation in steps. Coats use it to decide where they show."
        )
        if recipe is None:
            return
        for given in recipe.inputs:
            field = NumberLine(Spec(given.name), given.value, 86)
            field.editingFinished.connect(partial(self._set_input, given.name, field))
            remove = button("×", partial(self._remove_input, given.name), "plain", f"Remove the input {given.name}")
            remove.setFixedSize(26, 26)
            self._inputs.addLayout(row(label("input", "quiet"), label(given.name, "name"), field, remove, 1))
        self._inputs.addWidget(button("+ input", self._add_input, "add", "A number that each use may give"))
        for step in recipe.steps:
            made = StepRow(self, recipe, step)
            self.rows[step.id] = made
            self._steps.addWidget(made)

    def _show(self) -> None:
        """Work the steps out and show each one's picture and cost, and the fault on its row."""
        recipe, project = self.recipe, self.session.project
        if recipe is None:
            self._used.setText("")
            return
        users = project.recipe_users(recipe.id)
        self._used.setText(
            f"Used by {', '.join(users)}: a change here reaches them all." if users else "Nothing uses it yet."
        )
        around = step_pictures.around(
            PackedLookup(project.map_sets, project.recipes), (c.name for m in project.materials for c in m.coats)
        )
        if not self._maps_there(recipe, around.lookup):
            return
        fault: RecipeFault | None = None
        steps = recipe.steps
        while True:
            try:
                values = step_values(recipe.with_(steps=steps, output=""), around) if steps else {}
                break
            except RecipeFault as error:
                fault = error
                at = next((i for i, s in enumerate(steps) if s.id == error.step), 0)
                steps = steps[:at]
        shared = project.shared_at(self.session.time)
        seen = evaluate(with_shared(values, shared), step_pictures.sample(self._textures)) if values else {}
        for step, line in self.rows.items():
            line.fault.setVisible(fault is not None and fault.step == step)
            if fault is not None and fault.step == step:
                line.fault.setText(f"This step has no meaning: {fault.reason}.")
            if step in seen:
                line.picture.setPixmap(step_pictures.picture(seen[step]))
                line.cost.setText(f"{passes.cost({'v': values[step]}).arithmetic:.0f}")
                line.cost.setToolTip(cost_words(step, values))
                if line.kind.currentData() == AT_VERTICES:
                    self._measure(step, values[step], shared)
            else:
                line.picture.clear()
                line.cost.setText("")

    def _maps_there(self, recipe: Recipe, lookup: MapLookup) -> bool:
        """Whether the maps that the recipe reads are loaded; else that begins, and the steps are shown after it."""
        wanted = {s for r in (recipe, *recipes_run(recipe.uses, lookup)) for s in r.map_sets}
        missing = [s for s in self.session.project.map_sets if s.id in wanted and s not in self._sets]
        if missing:
            library = self.session.library

            def done(found: list[list[Texture]]) -> None:
                self._sets |= set(missing)
                self._textures |= {t.name: t for textures in found for t in textures}
                self._show()

            def failed(error: Exception) -> None:
                self.session.said.emit(f"The maps of this recipe cannot be shown: {told(error)}", True)

            self.session.work(lambda: [library.textures(s) for s in missing], done, failed)
        return not missing

    def _measure(self, step: str, value: Value, shared: dict[str, SharedValue]) -> None:
        """Say how far a step that is worked out at the vertices is off between them, on the chosen prop."""
        session, prop, slot = self.session, self.session.prop, self.session.slot
        line = self.rows[step]
        if prop is None or not finish_on(session.project, prop, slot):
            line.note.setText("Choose a prop to see how far it is off between the vertices.")
            return
        project, library, mesh = session.project, session.library, session.link.mesh_data(prop.mesh)
        asked = self._asked[step] = self._asked.get(step, 0) + 1

        def work() -> VertexError:
            return vertex_error(look_at(project, library, prop, slot, mesh), value, shared)

        def done(found: VertexError) -> None:
            if asked == self._asked[step] and self.rows.get(step) is line:
                line.note.setText(
                    f"On {prop.name}: {found.mean:.3f} off between the vertices on average, {found.most:.3f} at most."
                )

        session.work(work, done, lambda error: line.note.setText(f"It cannot be measured: {told(error)}"))

    # Editing

    def _choose(self, index: int) -> None:
        recipes = self.session.project.recipes
        if 0 <= index < len(recipes):
            self.chosen = recipes[index].id
            self.refresh()

    def _menu(self, at: QWidget) -> None:
        menu = QMenu(self)
        menu.addAction("Empty", partial(self.add, None))
        menu.addSeparator()
        for recipe in LIBRARY:
            menu.addAction(f"{recipe.name}:  {recipe.hint}", partial(self.add, recipe))
        menu.exec(at.mapToGlobal(at.rect().topLeft()))

    def add(self, recipe: Recipe | None) -> None:
        """Add a recipe from the library, or an empty one."""
        empty = Recipe(
            id="recipe", name="New recipe", steps=(Step(id="patches", kind="clouds", args=("position", "0.5")),)
        )
        if self.do(edits.add_recipe(recipe=recipe or empty)):
            self.chosen = self.session.project.recipes[-1].id
            self.refresh()

    def add_step(self) -> None:
        """Add a step that keeps the last one within 0 and 1."""
        recipe = self.recipe
        if recipe is None:
            return
        taken = {s.id for s in recipe.steps} | {i.name for i in recipe.inputs}
        name = next(n for n in (f"step_{i}" for i in range(1, 1000)) if n not in taken)
        made = Step(id=name, kind="keep", args=(recipe.steps[-1].id, "0", "1"))
        self.do(edits.set_recipe(recipe=recipe.id, steps=(*recipe.steps, made)))

    def _set_input(self, name: str, field: NumberLine) -> None:
        recipe = self.recipe
        assert recipe is not None
        try:
            value = field.number()
        except NotANumber as error:
            self.session.said.emit(f"{error}. The value stays.", True)
            field.give_up()
            return
        inputs = tuple(i.with_(value=value) if i.name == name else i for i in recipe.inputs)
        if inputs != recipe.inputs:
            self.do(edits.set_recipe(recipe=recipe.id, inputs=inputs))

    def _add_input(self) -> None:
        recipe = self.recipe
        assert recipe is not None
        name, ok = QInputDialog.getText(self, "New input", "Name", text="amount")
        name = name.strip().lower().replace(" ", "_")
        if ok and name:
            try:
                made = RecipeInput(name=name, value=0.5)
            except ValueError:
                self.session.said.emit(f"{name!r} is no name for an input: use letters, digits and underscores.", True)
                return
            self.do(edits.set_recipe(recipe=recipe.id, inputs=(*recipe.inputs, made)))

    def _remove_input(self, name: str) -> None:
        recipe = self.recipe
        assert recipe is not None
        self.do(edits.set_recipe(recipe=recipe.id, inputs=tuple(i for i in recipe.inputs if i.name != name)))

    def _rename(self) -> None:
        recipe = self.recipe
        assert recipe is not None
        name, ok = QInputDialog.getText(self, "Rename recipe", "Name", text=recipe.name)
        if ok and name.strip():
            self.do(edits.set_recipe(recipe=recipe.id, name=name.strip()))

    def _remove(self) -> None:
        if self.recipe is not None:
            self.do(edits.remove_recipe(recipe=self.recipe.id))
