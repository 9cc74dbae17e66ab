"""The coat editor: surface, where, seam and rim of the chosen coat; the dot before a field makes it a dial."""

from __future__ import annotations

from functools import partial
from typing import Any

from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QCheckBox, QComboBox, QMenu, QVBoxLayout, QWidget

from jade_coat.app.build.expose_dot import ExposeDot
from jade_coat.app.build.field_rows import FieldRows
from jade_coat.app.build.kind_panel import KindPanel
from jade_coat.app.build.moves_panel import MovesPanel
from jade_coat.app.build.reach_note import ReachNote
from jade_coat.app.build.term_row import TermHead
from jade_coat.app.controls.basics import Fold, button, choice, clear, counted, label, row, scrolled
from jade_coat.app.controls.fields import Field
from jade_coat.app.controls.focus import focus_kept
from jade_coat.app.controls.gradient_bar import GradientBar
from jade_coat.app.controls.seam_curve import SeamCurve
from jade_coat.app.session import Session
from jade_coat.check.coat_notes import coat_notes
from jade_coat.material.fields import declared, specs
from jade_coat.material.material import Coat, Material
from jade_coat.material.surface import (
    COLOR,
    LAID,
    Detail,
    fields_in_use,
)
from jade_coat.material.where import TERM_KINDS, Term
from jade_coat.stage import edits
from jade_coat.stage.looks import as_worn, reach


class CoatPanel(QWidget):
    """Edits the chosen coat of the present material."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.rows = FieldRows(session)
        self._heads: dict[str, TermHead] = {}
        self._folded: dict[str, bool] = {"Detail": True, "Surface kind": True, "Placing": True}
        self.kind: KindPanel | None = None
        self.moves: MovesPanel | None = None
        self._pictures: dict[str, QImage] = {}
        self.note = ReachNote()
        self.target: QComboBox | None = None
        self._key: object = None
        self._inner = QWidget()
        self._outer_box = QVBoxLayout(self._inner)
        self._outer_box.setContentsMargins(12, 10, 10, 12)
        self._outer_box.setSpacing(4)
        self._box: QVBoxLayout = self._outer_box
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(scrolled(self._inner))
        self._curve: SeamCurve | None = None
        session.changed.connect(self.refresh)
        session.selection_changed.connect(self.refresh)

    @property
    def fields(self) -> dict[str, Field]:
        """The controls by field path."""
        return self.rows.fields

    @property
    def dots(self) -> dict[str, ExposeDot]:
        """The dots that make fields dials, by path."""
        return self.rows.dots

    @property
    def link_fields(self) -> dict[str, Field]:
        """The controls of linked fields, by path and end: `moss.amount.low`."""
        return self.rows.link_fields

    @property
    def heads(self) -> dict[str, TermHead]:
        """The headings of the where-terms by term id."""
        return self._heads

    @property
    def gradient(self) -> GradientBar | None:
        """The gradient editor, while the coat has a gradient."""
        return next(iter(self.rows.gradients.values()), None)

    def refresh(self) -> None:
        """Follow the document: rebuild when the coat's shape changed, else show new values."""
        material = self._seen()
        coat = next((c for c in material.coats if c.id == self._session.coat_id), None) if material else None
        key = self._shape(material, coat) if material and coat else None
        if key != self._key:
            self._key = key
            with focus_kept(self):
                self._build(material, coat)
        if material and coat:
            self._show_values(material, coat)

    def pictures_wanted(self) -> list[str]:
        """The looks whose pictures stand beside where-terms, while they are seen."""
        return [f"term:{self._session.coat_id}:{t}" for t in self._heads] if self.isVisible() else []

    def show_picture(self, look: str, image: QImage) -> None:
        """Show a new picture of a where-term, by the name of its look."""
        self._pictures[look] = image
        term = look.removeprefix(f"term:{self._session.coat_id}:")
        if term != look and term in self._heads:
            self._heads[term].show_image(image)

    def _shape(self, material: Material, coat: Coat) -> object:
        terms = tuple(t.model_dump_json(exclude={*specs(type(t)), "inputs"}) for t in coat.where)
        surface = coat.surface.model_dump_json(
            exclude={**dict.fromkeys(specs(type(coat.surface)), True), "gradient": True,
                     "detail": set(specs(Detail))}
        )  # fmt: skip
        sets = tuple((s.id, s.name, tuple(m.role for m in s.maps)) for s in self._session.project.map_sets)
        lowest = material.coats[0].id == coat.id
        return (
            material.id, self._session.finish_id, self.rows.only, material.name, coat.id, coat.name, lowest, surface,
            bool(coat.surface.gradient), terms, coat.seam.kind,
            coat.rim.on, sets, tuple((k.path, k.shared, k.recipe) for k in material.links),
            tuple((d.id, d.name) for d in self._session.project.shared),
            tuple((r.id, r.name, r.inputs) for r in self._session.project.recipes), self._session.project.meshes,
        )  # fmt: skip

    # Building

    def _build(self, material: Material | None, coat: Coat | None) -> None:
        clear(self._outer_box)
        self._box = self._outer_box
        self._heads, self._curve = {}, None
        self.rows.clear()
        if material is None or coat is None:
            self._box.addWidget(label("COAT", "head"))
            text = "Choose a prop or a finish to see its coats.\nImport a mesh and maps to begin."
            self._box.addWidget(label(text, "quiet", wrap=True))
            self._box.addStretch(1)
            return
        self._box.addLayout(row(label("COAT", "head"), 1, label(coat.name, "name")))
        self._build_target(material)
        self.notes = label("", "warn", wrap=True)
        self._box.addWidget(self.notes)
        self._build_surface(material, coat)
        if coat.id != material.coats[0].id:
            self._build_where(material, coat)
            self._build_seam(material, coat)
            self._build_rim(material, coat)
        self._build_laying(material, coat)
        self._section("Surface kind", material.name)
        self.kind = KindPanel(self._session, material.id)
        self._box.addWidget(self.kind)
        self._section("Placing", material.name)
        self.moves = MovesPanel(self._session, material.id)
        self._box.addWidget(self.moves)
        self._outer_box.addStretch(1)

    def _seen(self) -> Material | None:
        """The material as changes find it: its own values, or those of the finish that changes go to."""
        finish = self.rows.finish()
        if self.rows.only and finish is not None:
            return as_worn(self._session.project, finish.id)
        return self._session.material

    def _build_target(self, material: Material) -> None:
        """What a change here goes to, and how far it reaches."""
        finish = self.rows.finish()
        ways = [("material", f"Changes go to all of {material.name}")]
        if finish is not None:
            ways.append(("finish", f"Changes go to {finish.name} alone"))

        def aim(way: str) -> None:
            self.rows.only = way == "finish"
            self._key = None
            self.refresh()

        now = "finish" if self.rows.only and finish is not None else "material"
        tip = "A change to one finish makes the field a dial, and the others keep theirs"
        self.target = choice(ways, now, aim, tip)
        self._box.addWidget(self.target)
        self.note = ReachNote()
        self._box.addWidget(self.note)

    def _section(self, title: str, note: str = "") -> None:
        fold = Fold(title, note, self._folded.get(title, False))
        fold.folded.connect(lambda shut: self._folded.__setitem__(title, shut))
        self._outer_box.addWidget(fold)
        self._box = fold.box

    def _surface_rows(self, material: Material, coat: Coat, group: str = "") -> None:
        """The rows of a surface's fields in one group that matter to it."""
        change = self.rows.changing(material, f"{coat.id}.surface", coat.surface, edits.set_surface, coat=coat.id)
        project = self._session.project

        def laid(merge: object = None, **changes: Any) -> None:
            if "map_set" in changes:  # another set comes at its own size; none takes along what is read beside it
                chosen = changes["map_set"]
                sized = {"tile_size": project.map_set(chosen).tile_size} if chosen else {"more_sets": (), "top_set": ""}
                changes = {**changes, **sized}
            change(merge=merge, **changes)

        names = fields_in_use(coat.surface, self._session.link.lookup)
        self.rows.part(self._box, material, f"{coat.id}.surface", coat.surface, laid, names, group)

    def _build_surface(self, material: Material, coat: Coat) -> None:
        self._section("Surface")
        self._surface_rows(material, coat)

    def _build_laying(self, material: Material, coat: Coat) -> None:
        mapped = "placement" in fields_in_use(coat.surface, self._session.link.lookup)
        if mapped:
            self._section(LAID)
            self._surface_rows(material, coat, LAID)
        self._section(COLOR)
        self._surface_rows(material, coat, COLOR)
        if mapped:
            detail, prefix = coat.surface.detail, f"{coat.id}.surface.detail"
            self._section("Detail", "" if detail.map_set else "none")
            change = self.rows.changing(material, prefix, detail, edits.set_detail, coat=coat.id)
            self.rows.part(self._box, material, prefix, detail, change)

    def _build_where(self, material: Material, coat: Coat) -> None:
        count = len(coat.where)
        self._section("Where", counted(count, "term"))
        change = self.rows.changing(material, coat.id, coat, edits.set_coat, coat=coat.id)
        self.rows.field(self._box, material, coat.id, coat, "amount", change)
        for i, term in enumerate(coat.where):
            self._build_term(material, coat, term, first=i == 0)
        add = button("+ term", role="add", tip="Add something that decides where this coat shows")
        add.clicked.connect(lambda: self._term_menu(add, material, coat))
        self._box.addWidget(add)

    def _build_term(self, material: Material, coat: Coat, term: Term, first: bool) -> None:
        prefix = f"{coat.id}.where.{term.id}"
        change = self.rows.changing(material, prefix, term, edits.set_term, coat=coat.id, term=term.id)
        head = TermHead(type(term).label, term.combine if not first else "")
        head.removed.connect(
            lambda: self.rows.change_all(material, edits.remove_term(material=material.id, coat=coat.id, term=term.id))
        )
        head.combined.connect(lambda how: change(combine=how))
        head.moved.connect(lambda by: self._move_term(material, coat, term.id, by))
        head.dropped.connect(lambda y: self._drop_term(material, coat, term.id, y))
        self._heads[term.id] = head
        known = self._pictures.get(f"term:{coat.id}:{term.id}")
        if known is not None:
            head.show_image(known)
        self._box.addSpacing(6)
        self._box.addWidget(head)
        invert = QCheckBox("invert")
        invert.setChecked(term.invert)
        invert.clicked.connect(lambda on: change(invert=on))
        self.rows.chosen[f"{prefix}.invert"] = invert
        if head.how is not None:
            self.rows.chosen[f"{prefix}.combine"] = head.how
        self._box.addLayout(row(*([head.how] if head.how is not None else []), 1, invert))
        self.rows.part(self._box, material, prefix, term, change)

    def _move_term(self, material: Material, coat: Coat, term: str, by: int) -> None:
        at = [t.id for t in coat.where].index(term)
        self.rows.change_all(material, edits.move_term(material=material.id, coat=coat.id, term=term, to=at + by))
        if term in self._heads:
            self._heads[term].setFocus()

    def _drop_term(self, material: Material, coat: Coat, term: str, y: float) -> None:
        """Put a term where it was dropped: before the first term whose heading lies below that height."""
        others = [t.id for t in coat.where if t.id != term]
        above = [o for o in others if self._heads[o].mapToGlobal(self._heads[o].rect().center()).y() < y]
        self.rows.change_all(material, edits.move_term(material=material.id, coat=coat.id, term=term, to=len(above)))

    def _term_menu(self, at: QWidget, material: Material, coat: Coat) -> None:
        menu = QMenu(self)
        for kind, model in TERM_KINDS.items():
            hint = (model.__doc__ or "").splitlines()[0].rstrip(".")
            action = menu.addAction(f"{model.label}:  {hint[0].lower()}{hint[1:]}")
            assert action is not None
            action.triggered.connect(
                lambda _=False, k=kind: self.rows.change_all(
                    material, edits.add_term(material=material.id, coat=coat.id, kind=k)
                )
            )
        menu.exec(at.mapToGlobal(at.rect().bottomLeft()))

    def _build_seam(self, material: Material, coat: Coat) -> None:
        self._section("Seam")
        prefix = f"{coat.id}.seam"
        change = self.rows.changing(material, prefix, coat.seam, edits.set_seam, coat=coat.id)
        names = [n for n in declared(type(coat.seam)) if n != "points"]
        self.rows.part(self._box, material, prefix, coat.seam, change, names)
        self._curve = SeamCurve()
        self._curve.moved.connect(partial(self.rows.set_field, material, f"{prefix}.points"))
        self._box.addSpacing(4)
        spec = declared(type(coat.seam))["points"]
        if spec.matters(coat.seam):
            self.rows.with_dot(self._box, material, f"{prefix}.points", spec, label("", "quiet"))
        self._box.addWidget(self._curve)

    def _build_rim(self, material: Material, coat: Coat) -> None:
        self._section("Rim", "" if coat.rim.on else "none")
        change = self.rows.changing(material, f"{coat.id}.rim", coat.rim, edits.set_rim, coat=coat.id)
        self.rows.part(self._box, material, f"{coat.id}.rim", coat.rim, change)

    def _show_values(self, material: Material, coat: Coat) -> None:
        project, finish = self._session.project, self.rows.finish()
        aimed = finish.id if self.rows.only and finish is not None else material.id
        self.note.show_reach(project, reach(project, aimed))
        told = coat_notes(material, self._session.link.lookup).get(self._session.coat_id, ())
        self.notes.setText("\n".join(told))
        self.notes.setVisible(bool(told))
        parts: dict[str, Any] = {
            coat.id: coat, f"{coat.id}.surface": coat.surface, f"{coat.id}.surface.detail": coat.surface.detail,
            f"{coat.id}.seam": coat.seam, f"{coat.id}.rim": coat.rim,
        }  # fmt: skip
        parts |= {f"{coat.id}.where.{t.id}": t for t in coat.where}
        self.rows.show(material, parts)
        if self._curve is not None:
            self._curve.show_seam(coat.seam)
