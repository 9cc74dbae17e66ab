"""The coat editor: surface, where, seam and rim of the chosen coat; the dot before a field makes it a dial."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from typing import Any

from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QCheckBox, QComboBox, QMenu, QVBoxLayout, QWidget

from jade_coat.app.build.expose_dot import ExposeDot
from jade_coat.app.build.kind_panel import KindPanel
from jade_coat.app.build.reach_note import ReachNote
from jade_coat.app.build.term_row import TermHead, term_choices
from jade_coat.app.controls.basics import Fold, button, choice, clear, label, row, scrolled
from jade_coat.app.controls.fields import Field
from jade_coat.app.controls.gradient_bar import GradientBar, plain_gradient
from jade_coat.app.controls.seam_curve import SeamCurve
from jade_coat.app.controls.settings import field_for
from jade_coat.app.session import Session
from jade_coat.material.fields import Setting, Spec, options, specs
from jade_coat.material.material import Coat, Finish, Material
from jade_coat.material.seam import SEAM_LABELS, Rim
from jade_coat.material.surface import (
    PLACEMENT_LABELS,
    PLACING,
    TILE_BREAK_LABELS,
    Detail,
    Role,
    fields_in_use,
)
from jade_coat.material.where import TERM_KINDS, Term
from jade_coat.stage.looks import as_worn, reach

COLORING = ("color", "tint", "hue", "saturation", "value", "emissive", "glow")


class CoatPanel(QWidget):
    """Edits the chosen coat of the present material."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._fields: dict[str, Field] = {}
        self._link_fields: dict[str, Field] = {}
        self._dots: dict[str, ExposeDot] = {}
        self._heads: dict[str, TermHead] = {}
        self._folded: dict[str, bool] = {"Detail": True, "Surface kind": True}
        self.kind: KindPanel | None = None
        self._pictures: dict[str, QImage] = {}
        self._only = False
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
        self._gradient: GradientBar | None = None
        session.changed.connect(self.refresh)
        session.selection_changed.connect(self.refresh)

    @property
    def fields(self) -> dict[str, Field]:
        """The controls by field path."""
        return self._fields

    @property
    def dots(self) -> dict[str, ExposeDot]:
        """The dots that make fields dials, by path."""
        return self._dots

    @property
    def link_fields(self) -> dict[str, Field]:
        """The controls of linked fields, by path and end: `moss.amount.low`."""
        return self._link_fields

    @property
    def heads(self) -> dict[str, TermHead]:
        """The headings of the where-terms by term id."""
        return self._heads

    @property
    def gradient(self) -> GradientBar | None:
        """The gradient editor, while the coat has a gradient."""
        return self._gradient

    def refresh(self) -> None:
        """Follow the document: rebuild when the coat's shape changed, else show new values."""
        material = self._seen()
        coat = next((c for c in material.coats if c.id == self._session.coat_id), None) if material else None
        key = self._shape(material, coat) if material and coat else None
        if key != self._key:
            self._key = key
            self._build(material, coat)
        if material and coat:
            self._show_values(material, coat)

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
            material.id, self._session.finish_id, self._only, material.name, coat.id, coat.name, lowest, surface,
            bool(coat.surface.gradient), terms, coat.seam.kind,
            coat.rim.on, sets, tuple((k.path, k.shared, k.recipe) for k in material.links),
            tuple((d.id, d.name) for d in self._session.project.shared),
            tuple((r.id, r.name, r.inputs) for r in self._session.project.recipes), self._session.project.meshes,
        )  # fmt: skip

    # Building

    def _build(self, material: Material | None, coat: Coat | None) -> None:
        clear(self._outer_box)
        self._box = self._outer_box
        self._fields, self._heads, self._curve, self._gradient = {}, {}, None, None
        self._link_fields, self._dots = {}, {}
        if material is None or coat is None:
            self._box.addWidget(label("COAT", "head"))
            text = "Choose a prop or a finish to see its coats.\nImport a mesh and maps to begin."
            self._box.addWidget(label(text, "quiet", wrap=True))
            self._box.addStretch(1)
            return
        self._box.addLayout(row(label("COAT", "head"), 1, label(coat.name, "name")))
        self._build_target(material)
        self._build_surface(material, coat)
        if coat.id != material.coats[0].id:
            self._build_where(material, coat)
            self._build_seam(material, coat)
            self._build_rim(material, coat)
        self._build_laying(material, coat)
        self._section("Surface kind", material.name)
        self.kind = KindPanel(self._session, material.id)
        self._box.addWidget(self.kind)
        self._outer_box.addStretch(1)

    # Where changes go

    def _finish(self) -> Finish | None:
        return next((f for f in self._session.project.finishes if f.id == self._session.finish_id), None)

    def _seen(self) -> Material | None:
        """The material as changes find it: its own values, or those of the finish that changes go to."""
        finish = self._finish()
        if self._only and finish is not None:
            return as_worn(self._session.project, finish.id)
        return self._session.material

    def _build_target(self, material: Material) -> None:
        """What a change here goes to, and how far it reaches."""
        finish = self._finish()
        ways = [("material", f"Changes go to all of {material.name}")]
        if finish is not None:
            ways.append(("finish", f"Changes go to {finish.name} alone"))

        def aim(way: str) -> None:
            self._only = way == "finish"
            self._key = None
            self.refresh()

        now = "finish" if self._only and finish is not None else "material"
        tip = "A change to one finish makes the field a dial, and the others keep theirs"
        self.target = choice(ways, now, aim, tip)
        self._box.addWidget(self.target)
        self.note = ReachNote()
        self._box.addWidget(self.note)

    def _set(self, material: Material, path: str, value: Setting) -> None:
        """Change one field, in the material or in the one finish that changes go to."""
        session, finish = self._session, self._finish()
        if not self._only or finish is None:
            session.do("set_field", merge=("field", path), material=material.id, path=path, value=value)
            return
        merge = ("field", finish.id, path)
        if material.dial_at(path) is None:
            session.do("expose", merge=merge, material=material.id, path=path)
        known = session.project.material(material.id).dial_at(path)
        if known is not None:
            session.do("set_dial", merge=merge, finish=finish.id, dial=known.id, value=value)

    def _change_all(self, edit: str, **arguments: Any) -> None:
        """Change what a finish cannot have of its own; while changes go to one finish, say that all follow."""
        session, finish = self._session, self._finish()
        if session.do(edit, **arguments) and self._only and finish is not None:
            name = session.project.material(arguments["material"]).name
            session.said.emit(f"{name} changed for every finish: that cannot be a dial. Ctrl+Z takes it back.", True)

    def _set_parts(self, material: Material, prefix: str, part: Any, changes: dict[str, Any]) -> bool:
        """Put changes into the one finish that changes go to, if they can be dials; whether that was done."""
        known = {**options(type(part)), **specs(type(part))}
        if not self._only or self._finish() is None or not set(changes) & set(known):
            return False
        for name in set(changes) & set(known):
            self._set(material, f"{prefix}.{name}", changes[name])
        self._session.document.settle()
        return True

    def _section(self, title: str, note: str = "") -> None:
        fold = Fold(title, note, self._folded.get(title, False))
        fold.folded.connect(lambda shut: self._folded.__setitem__(title, shut))
        self._outer_box.addWidget(fold)
        self._box = fold.box

    def _plain_row(self, name: str, control: QWidget, tip: str = "") -> None:
        spacer = QWidget()
        spacer.setFixedWidth(16)
        text = label(name, tip=tip)
        self._box.addLayout(row(spacer, text, 1, _sized(control), gap=6))

    def _field_row(self, material: Material, path: str, part: Any, name: str) -> None:
        spec = specs(type(part))[name]
        control = field_for(spec, getattr(part, name))
        control.changed.connect(partial(self._set, material, path))
        control.settled.connect(self._session.document.settle)
        dot = ExposeDot(material.dial_at(path) is not None, spec.label)
        dot.followed.connect(lambda shared, recipe: self._follow(material, path, shared, recipe))
        project = self._session.project
        recipes = [(r.id, r.name) for r in project.recipes] if name not in PLACING else []
        dot.offer([(d.id, d.name) for d in project.shared], recipes, material.link_at(path))
        link = material.link_at(path)
        if link is not None:
            self._build_link(material, path, name, part, dot)
            return
        dot.clicked.connect(partial(self._expose, material, path))
        self._fields[path], self._dots[path] = control, dot
        self._box.addLayout(row(dot, label(spec.label, tip=spec.hint), 1, _sized(control), gap=6))

    def _option_row(self, material: Material, part: Any, path: str, name: str, control: QWidget) -> None:
        """A field that shapes the program, with the dot that makes it a dial."""
        spec = options(type(part))[name]
        path = f"{path}.{name}"
        dot = ExposeDot(material.dial_at(path) is not None, spec.label)
        dot.clicked.connect(partial(self._expose, material, path))
        self._dots[path] = dot
        self._box.addLayout(row(dot, label(spec.label, tip=spec.hint), 1, _sized(control), gap=6))

    def _expose(self, material: Material, path: str, on: bool) -> None:
        """Make a field a dial or take the dial away; the ring shows what came of it."""
        if not self._session.do("expose" if on else "hide", material=material.id, path=path):
            self.refresh()

    def _follow(self, material: Material, path: str, shared: str, recipe: str) -> None:
        if shared or recipe:
            self._session.do("link_field", material=material.id, path=path, shared=shared, recipe=recipe)
        else:
            self._session.do("unlink_field", material=material.id, path=path)

    def _build_link(self, material: Material, path: str, name: str, part: Any, dot: ExposeDot) -> None:
        """A field that follows a shared dial or a recipe: what it is at its 0 and at its 1, and the recipe's inputs."""
        link = material.link_at(path)
        assert link is not None
        spec = specs(type(part))[name]
        project = self._session.project
        recipe = next((r for r in project.recipes if r.id == link.recipe), None)
        known = {d.id: d.name for d in project.shared}
        source = recipe.name if recipe else known.get(link.shared, "what is gone")
        follows = label(f"follows {source}", "warn", wrap=False)
        self._box.addLayout(row(dot, label(spec.label, tip=spec.hint), 1, follows, gap=6))
        for end in ("low", "high"):
            control = field_for(spec, getattr(link, end))
            control.changed.connect(
                lambda value, end=end: self._session.do(
                    "link_field", merge=("link", path, end), material=material.id, path=path, shared=link.shared,
                    recipe=link.recipe, **{end: value},
                )
            )  # fmt: skip
            control.settled.connect(self._session.document.settle)
            self._link_fields[f"{path}.{end}"] = control
            self._plain_row("   at 0" if end == "low" else "   at 1", control)
        for given in recipe.inputs if recipe else ():
            self._build_input(material, path, given.name, link.inputs.get(given.name, given.value))

    def _build_input(self, material: Material, path: str, name: str, value: float) -> None:
        control = field_for(Spec(name.replace("_", " "), low=-1e6, high=1e6, soft=(0, 2)), value)

        def put(number: float) -> None:
            link = self._session.project.material(material.id).link_at(path)
            if link is not None:
                self._session.do(
                    "link_field", merge=("input", path, name), material=material.id, path=path, recipe=link.recipe,
                    inputs={**link.inputs, name: number},
                )  # fmt: skip

        control.changed.connect(put)
        control.settled.connect(self._session.document.settle)
        self._link_fields[f"{path}.inputs.{name}"] = control
        self._plain_row(f"   {name.replace('_', ' ')}", control)

    def _build_surface(self, material: Material, coat: Coat) -> None:
        self._section("Surface")
        self._build_sets(material, coat, partial(self._change_surface, material, coat))
        lookup = self._session.link.lookup
        names = fields_in_use(coat.surface, lookup)
        if any(lookup.read(s, Role.OPACITY) is not None for s in coat.surface.sets):
            text = "Its opacity map is baked and exported; the view draws it opaque."
            self._box.addWidget(label(text, "quiet", wrap=True))
        self._surface_fields(material, coat, [n for n in names if n not in (*PLACING, "sharpness", *COLORING)])

    def _build_laying(self, material: Material, coat: Coat) -> None:
        mapped = "tile_size" in fields_in_use(coat.surface, self._session.link.lookup)
        change = partial(self._change_surface, material, coat)
        if mapped:
            self._section("Placement")
            self._build_placement(material, coat, change)
            self._surface_fields(material, coat, (*PLACING, "sharpness"))
        self._section("Colour")
        self._build_gradient(coat, change)
        self._surface_fields(material, coat, COLORING)
        if mapped:
            self._build_detail(material, coat)

    def _change_surface(self, material: Material, coat: Coat, **changes: Any) -> None:
        if self._set_parts(material, f"{coat.id}.surface", coat.surface, changes):
            return
        self._change_all("set_surface", material=material.id, coat=coat.id, **changes)

    def _surface_fields(self, material: Material, coat: Coat, wanted: Sequence[str]) -> None:
        names = fields_in_use(coat.surface, self._session.link.lookup)
        for name in wanted:
            if name in names:
                self._field_row(material, f"{coat.id}.surface.{name}", coat.surface, name)

    def _sets(self, nothing: str) -> list[tuple[str, str]]:
        return [("", nothing), *((s.id, s.name) for s in self._session.project.map_sets)]

    def _build_sets(self, material: Material, coat: Coat, change: Any) -> None:
        surface, project = coat.surface, self._session.project

        def choose(chosen: str) -> None:
            sized = {"tile_size": project.map_set(chosen).tile_size} if chosen else {"more_sets": (), "top_set": ""}
            change(map_set=chosen, **sized)

        sets = choice(self._sets("Plain values"), surface.map_set, choose)
        self._option_row(material, surface, f"{coat.id}.surface", "map_set", sets)
        if not surface.map_set:
            return
        for i, extra in enumerate(surface.more_sets):

            def swap(chosen: str, i: int = i) -> None:
                kept = [*surface.more_sets[:i], *([chosen] if chosen else []), *surface.more_sets[i + 1 :]]
                change(more_sets=tuple(kept))

            self._plain_row("or", choice(self._sets("Take away"), extra, swap))
        if surface.more_sets:
            picks = [("prop", "for each prop"), ("tile", "for each tile")]
            self._plain_row("Picked", choice(picks, surface.pick, lambda p: change(pick=p), "At random"))
        unused = [s.id for s in project.map_sets if s.id not in (surface.map_set, *surface.more_sets)]
        if unused:
            self._box.addWidget(button(
                "+ map set to pick from", lambda: change(more_sets=(*surface.more_sets, unused[0])), "add",
                "Each prop or tile gets one of the sets at random",
            ))  # fmt: skip

    def _build_placement(self, material: Material, coat: Coat, change: Any) -> None:
        surface, project = coat.surface, self._session.project
        ways = [(k, text[0].upper() + text[1:]) for k, text in PLACEMENT_LABELS.items()]
        laid = choice(ways, surface.placement, lambda p: change(placement=p))
        self._option_row(material, surface, f"{coat.id}.surface", "placement", laid)
        if surface.placement == "uv":
            there = [len(self._session.link.mesh_data(m.id).uvs) for m in project.meshes]
            uv_sets = [(str(i), f"UV set {i + 1}") for i in range(max([surface.uv_set + 1, *there]))]
            self._plain_row("UV set", choice(uv_sets, str(surface.uv_set), lambda i: change(uv_set=int(i))))
        else:
            spaces = [("object", "the object"), ("world", "the world")]
            self._plain_row("Fixed to", choice(spaces, surface.space, lambda s: change(space=s)))
        if surface.placement == "triplanar":
            self._plain_row("On top", choice(self._sets("The same"), surface.top_set, lambda s: change(top_set=s),
                                             "Another map set for what faces up or down"))  # fmt: skip
        breaks = [(k, k.capitalize()) for k in TILE_BREAK_LABELS]
        broken = choice(
            breaks, surface.tile_break, lambda b: change(tile_break=b), TILE_BREAK_LABELS[surface.tile_break]
        )
        self._option_row(material, surface, f"{coat.id}.surface", "tile_break", broken)
        self._box.addWidget(label(TILE_BREAK_LABELS[surface.tile_break], "quiet", wrap=True))

    def _build_gradient(self, coat: Coat, change: Any) -> None:
        stops = coat.surface.gradient
        on = QCheckBox("gradient")
        on.setToolTip("Colour the base colour's dark, middle and light anew")
        on.setChecked(bool(stops))
        on.clicked.connect(lambda yes: change(gradient=plain_gradient() if yes else ()))
        self._box.addWidget(on)
        if stops:
            self._gradient = GradientBar(stops)
            self._gradient.changed.connect(
                lambda new: self._change_all("set_surface", merge=("gradient", coat.id), coat=coat.id, gradient=new,
                    material=self._session.material.id if self._session.material else "",
                )
            )  # fmt: skip
            self._gradient.settled.connect(self._session.document.settle)
            self._box.addWidget(self._gradient)

    def _build_detail(self, material: Material, coat: Coat) -> None:
        detail = coat.surface.detail
        self._section("Detail", "" if detail.map_set else "none")
        self._plain_row("Map set", choice(
            self._sets("None"), detail.map_set,
            lambda s: self._change_all("set_detail", material=material.id, coat=coat.id, map_set=s),
            "A finer map set laid over this surface",
        ))  # fmt: skip
        if detail.map_set:
            for name in specs(Detail):
                self._field_row(material, f"{coat.id}.surface.detail.{name}", detail, name)

    def _build_where(self, material: Material, coat: Coat) -> None:
        count = len(coat.where)
        self._section("Where", f"{count} term{'s' if count != 1 else ''}")
        self._field_row(material, f"{coat.id}.amount", coat, "amount")
        for i, term in enumerate(coat.where):
            self._build_term(material, coat, term, first=i == 0)
        add = button("+ term", role="add", tip="Add something that decides where this coat shows")
        add.clicked.connect(lambda: self._term_menu(add, material, coat))
        self._box.addWidget(add)

    def _build_term(self, material: Material, coat: Coat, term: Term, first: bool) -> None:
        def change(merge: object = None, **changes: Any) -> None:
            if self._set_parts(material, f"{coat.id}.where.{term.id}", term, changes):
                return
            self._change_all("set_term", merge=merge, material=material.id, coat=coat.id, term=term.id, **changes)

        head = TermHead(type(term).label, term.combine if not first else "")
        head.removed.connect(lambda: self._change_all("remove_term", material=material.id, coat=coat.id, term=term.id))
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
        self._box.addLayout(row(*([head.how] if head.how is not None else []), 1, invert))
        named = {spec.label: name for name, spec in options(type(term)).items()}
        for words, control in term_choices(term, self._session, change):
            if words in named:
                self._option_row(material, term, f"{coat.id}.where.{term.id}", named[words], control)
            else:
                self._plain_row(words, control)
        for name in specs(type(term)):
            if not _idle(term, name):
                self._field_row(material, f"{coat.id}.where.{term.id}.{name}", term, name)

    def _move_term(self, material: Material, coat: Coat, term: str, by: int) -> None:
        at = [t.id for t in coat.where].index(term)
        self._change_all("move_term", material=material.id, coat=coat.id, term=term, to=at + by)
        if term in self._heads:
            self._heads[term].setFocus()

    def _drop_term(self, material: Material, coat: Coat, term: str, y: float) -> None:
        """Put a term where it was dropped: before the first term whose heading lies below that height."""
        others = [t.id for t in coat.where if t.id != term]
        above = [o for o in others if self._heads[o].mapToGlobal(self._heads[o].rect().center()).y() < y]
        self._change_all("move_term", material=material.id, coat=coat.id, term=term, to=len(above))

    def _term_menu(self, at: QWidget, material: Material, coat: Coat) -> None:
        menu = QMenu(self)
        for kind, model in TERM_KINDS.items():
            hint = (model.__doc__ or "").splitlines()[0].rstrip(".")
            action = menu.addAction(f"{model.label}:  {hint[0].lower()}{hint[1:]}")
            assert action is not None
            action.triggered.connect(
                lambda _=False, k=kind: self._change_all("add_term", material=material.id, coat=coat.id, kind=k)
            )
        menu.exec(at.mapToGlobal(at.rect().bottomLeft()))

    def _build_seam(self, material: Material, coat: Coat) -> None:
        self._section("Seam")

        def change(**changes: Any) -> None:
            if self._set_parts(material, f"{coat.id}.seam", coat.seam, changes):
                return
            self._change_all("set_seam", material=material.id, coat=coat.id, **changes)

        kinds = [(k, k.capitalize()) for k in SEAM_LABELS]
        kind = choice(kinds, coat.seam.kind, lambda k: change(kind=k), SEAM_LABELS[coat.seam.kind])
        self._option_row(material, coat.seam, f"{coat.id}.seam", "kind", kind)
        if coat.seam.kind in ("interlock", "cut"):
            self._field_row(material, f"{coat.id}.seam.softness", coat.seam, "softness")
        for name in ("bias", "wobble", "wobble_size"):
            self._field_row(material, f"{coat.id}.seam.{name}", coat.seam, name)
        self._curve = SeamCurve()
        self._curve.moved.connect(partial(self._set, material, f"{coat.id}.seam.points"))
        self._box.addSpacing(4)
        if coat.seam.kind == "ramp":
            self._option_row(material, coat.seam, f"{coat.id}.seam", "points", label("", "quiet"))
        self._box.addWidget(self._curve)

    def _build_rim(self, material: Material, coat: Coat) -> None:
        self._section("Rim", "" if coat.rim.on else "none")
        on = QCheckBox("a band along the seam")
        on.setToolTip("Mortar creeping out, a damp edge, a worn lip")
        on.setChecked(coat.rim.on)
        on.clicked.connect(lambda yes: self._change_all("set_rim", material=material.id, coat=coat.id, on=yes))
        self._box.addWidget(on)
        if coat.rim.on:
            for name in specs(Rim):
                self._field_row(material, f"{coat.id}.rim.{name}", coat.rim, name)

    def _show_values(self, material: Material, coat: Coat) -> None:
        project, finish = self._session.project, self._finish()
        aimed = finish.id if self._only and finish is not None else material.id
        self.note.show_reach(project, reach(project, aimed))
        parts: dict[str, Any] = {
            coat.id: coat, f"{coat.id}.surface": coat.surface, f"{coat.id}.surface.detail": coat.surface.detail,
            f"{coat.id}.seam": coat.seam, f"{coat.id}.rim": coat.rim,
        }  # fmt: skip
        parts |= {f"{coat.id}.where.{t.id}": t for t in coat.where}
        for path, dot in self._dots.items():  # not built anew: the field beside it may be in the user's hand
            dot.setChecked(material.dial_at(path) is not None)
        for path, control in self._fields.items():
            owner, _, name = path.rpartition(".")
            control.show_value(getattr(parts[owner], name))
        for path, control in self._link_fields.items():
            owner, _, end = path.rpartition(".")
            link = material.link_at(owner.removesuffix(".inputs"))
            if link is not None and owner.endswith(".inputs"):
                control.show_value(link.inputs.get(end, control.value))
            elif link is not None:
                control.show_value(getattr(link, end))
        if self._curve is not None:
            self._curve.show_seam(coat.seam)
        if self._gradient is not None:
            self._gradient.show_stops(coat.surface.gradient)


def _idle(term: Term, name: str) -> bool:
    """Whether a field of a term means nothing as the term is set."""
    return (
        (name in ("azimuth", "elevation") and getattr(term, "toward", "") == "viewer")
        or (name == "point" and getattr(term, "origin", "") == "viewer")
        or (name == "tile_size" and bool(getattr(term, "once", False)))
    )


def _sized(control: QWidget) -> QWidget:
    control.setFixedWidth(124)
    return control
