"""How a material moves the vertices of what wears it: a heading and the fields of each move."""

from __future__ import annotations

from functools import partial

from PyQt6.QtWidgets import QMenu, QWidget

from jade_coat.app.build.field_rows import FieldRows
from jade_coat.app.controls.basics import button, clear, column, label, row
from jade_coat.app.controls.fields import NumberField
from jade_coat.app.controls.focus import focus_kept
from jade_coat.app.controls.settings import IntegerField
from jade_coat.app.session import Session
from jade_coat.material.fields import Spec, specs
from jade_coat.material.material import Material
from jade_coat.material.placing import MOVE_KINDS, PREFIX
from jade_coat.material.reach import reach_of_moves
from jade_coat.stage import edits

LEVEL = Spec(
    "Blur of its maps", "integer", low=0, high=12, soft=(0, 8),
    hint="The level of detail that maps are read from at vertices: with few vertices, more blur keeps them calm",
)  # fmt: skip


class MovesPanel(QWidget):
    """The moves of one material; follows the document."""

    def __init__(self, session: Session, material: str) -> None:
        super().__init__()
        self._session, self._material = session, material
        self._key: object = None
        self.rows = FieldRows(session)
        self.level: NumberField | None = None
        self._box = column()
        self.setLayout(self._box)
        session.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the material as it is now."""
        project = self._session.project
        material = next((m for m in project.materials if m.id == self._material), None)
        if material is None:
            return
        shape = tuple(m.model_dump_json(exclude={*specs(type(m)), "inputs"}) for m in material.moves)
        recipes = tuple((r.id, r.name, r.inputs) for r in project.recipes)
        links = tuple((k.path, k.shared, k.recipe) for k in material.links if k.path.startswith(PREFIX))
        shared = tuple((d.id, d.name) for d in project.shared)
        key = (shape, recipes, links, shared)
        if key != self._key:
            self._key = key
            with focus_kept(self):
                self._build(material)
        self._show(material)

    def _build(self, material: Material) -> None:
        clear(self._box)
        self.rows.clear()
        self.level = None
        if not material.moves:
            text = "The mesh stays as it is. Let its height lift it, or a recipe move it: with the wind, over time."
            self._box.addWidget(label(text, "quiet", wrap=True))
        for move in material.moves:
            prefix = f"{PREFIX}{move.id}"
            remove = button("×", partial(self._remove, move.id), "plain", f"Stop moving it {move.label.lower()}")
            remove.setFixedSize(26, 26)
            self._box.addLayout(row(label(move.label, "name"), 1, remove))
            change = self.rows.changing(material, prefix, move, edits.set_move, move=move.id)
            self.rows.part(self._box, material, prefix, move, change)
        if material.moves:
            self.level = IntegerField(LEVEL, material.vertex_level)
            self.level.changed.connect(self._set_level)
            self.level.settled.connect(self._session.document.settle)
            self.level.setFixedWidth(124)
            self._box.addLayout(row(label(LEVEL.label, "", LEVEL.hint), 1, self.level))
            self.reach = label("", "quiet", wrap=True)
            self._box.addWidget(self.reach)
        add = button("+ move", role="add", tip="Move the vertices of what wears this material")
        add.clicked.connect(lambda: self._menu(add))
        self._box.addWidget(add)

    def _show(self, material: Material) -> None:
        self.rows.show(material, {f"{PREFIX}{m.id}": m for m in material.moves})
        if self.level is not None:
            self.level.show_value(material.vertex_level)
            most = reach_of_moves(material)
            self.reach.setText(
                f"No vertex moves farther than {most:.3g} m. Where maps are laid, and bakes, stay at rest."
            )

    def _menu(self, at: QWidget) -> None:
        menu = QMenu(self)
        for kind, model in MOVE_KINDS.items():
            action = menu.addAction(f"{model.label}:  {(model.__doc__ or '').rstrip('.').lower()}")
            assert action is not None
            action.triggered.connect(lambda _=False, k=kind: self.add(k))
        menu.exec(at.mapToGlobal(at.rect().bottomLeft()))

    def add(self, kind: str) -> None:
        """Add a move of a kind."""
        self._session.do(edits.add_move(material=self._material, kind=kind))

    def _remove(self, move: str) -> None:
        self._session.do(edits.remove_move(material=self._material, move=move))

    def _set_level(self, level: object) -> None:
        assert isinstance(level, (int, float))
        changed = edits.set_material(material=self._material, vertex_level=round(level))
        self._session.do(changed, merge=("level", self._material))
