"""What a level designer turns on the props that are chosen: variant, finishes by slot, dials. Nothing of a material."""

from __future__ import annotations

from functools import partial

from PyQt6.QtWidgets import QWidget

from jade_coat.app.build.dial_sheet import ChangedDot
from jade_coat.app.build.prop_panel import PlaceFold
from jade_coat.app.build.swatches import Swatches
from jade_coat.app.controls.basics import (
    Choice,
    Elided,
    button,
    choice,
    clear,
    column,
    counted,
    holder,
    label,
    row,
    show_or_hide,
)
from jade_coat.app.controls.fields import Field
from jade_coat.app.controls.focus import focus_kept
from jade_coat.app.controls.settings import field_for
from jade_coat.app.session import Session
from jade_coat.app.stage.chosen_sheet import ChosenSheet
from jade_coat.app.stage.finish_picker import FinishPicker
from jade_coat.app.stage.spread_fold import SpreadFold
from jade_coat.material.fields import Setting
from jade_coat.material.material import Dial, Material
from jade_coat.material.rows import dial_spec
from jade_coat.stage import edits
from jade_coat.stage.looks import finish_on, material_of
from jade_coat.stage.naming import free_id, free_name
from jade_coat.stage.own_values import Common, in_common, own_dials
from jade_coat.stage.project import Prop

MIXED = "mixed"


class StageSheet(ChosenSheet):
    """The sheet at the right of Stage."""

    def __init__(self, session: Session, swatches: Swatches) -> None:
        super().__init__(session, False)
        self._swatches = swatches
        self.fields: dict[str, Field] = {}
        self.dots: dict[str, ChangedDot] = {}
        self.mixed: dict[str, QWidget] = {}
        self.slots: dict[str, QWidget] = {}
        self.variants: Choice | None = None
        self.spread: SpreadFold | None = None
        self.picker: FinishPicker | None = None
        self._seen: tuple[object, object, object, object] = (None, None, None, None)
        self._alike: tuple[Prop, ...] | None = None
        self._common: dict[str, Common] | None = None

    @property
    def props(self) -> tuple[Prop, ...]:
        """The chosen props, the leading one first."""
        session = self._session
        chosen = session.chosen_props
        lead = [p for p in chosen if p.id == session.prop_id]
        return (*lead, *(p for p in chosen if p.id != session.prop_id))

    @property
    def slot(self) -> str:
        """The slot whose dials are shown."""
        return self._session.slot

    def alike(self) -> tuple[Prop, ...]:
        """Those of the chosen props that wear the leading one's material in the slot."""
        self._look_again()
        if self._alike is None:
            self._alike = self._found_alike()
        return self._alike

    def common(self) -> dict[str, Common]:
        """What those have in common, by dial."""
        alike = self.alike()
        if self._common is None:
            self._common = in_common(self._session.project, alike, self.slot)
        return self._common

    def _look_again(self) -> None:
        """Forget what was found for another project or another choice."""
        key = (self._session.project, self._session.chosen, self._session.prop_id, self.slot)
        if any(a is not b for a, b in zip(key, self._seen, strict=True)):
            self._seen, self._alike, self._common = key, None, None

    def _found_alike(self) -> tuple[Prop, ...]:
        project, props, slot = self._session.project, self.props, self.slot
        worn = finish_on(project, props[0], slot) if props else ""
        if not worn:
            return props[:1]
        material = material_of(project, worn).id
        found = [(p, finish_on(project, p, slot)) for p in props]
        return tuple(p for p, f in found if f and material_of(project, f).id == material)

    def refresh(self) -> None:
        """Follow the document and what is chosen."""
        if not self.isVisible():
            return
        props = self.props
        key = self._shape(props)
        if key != self._key:
            self._key = key
            with focus_kept(self):
                self._build(props)
        if self.place is not None and props:
            self.place.show_placed(props[0])
        self._show_values()

    def _shape(self, props: tuple[Prop, ...]) -> object:
        project = self._session.project
        if not props:
            return ()
        lead = props[0]
        meshes = {p.mesh for p in props}
        worn = finish_on(project, lead, self.slot)
        return (
            tuple(p.id for p in props), lead.name, self.slot, tuple(project.mesh(m) for m in sorted(meshes)),
            {p.variant for p in props}, tuple(sorted(lead.finishes.items())),
            tuple({finish_on(project, p, self.slot) for p in props}),
            material_of(project, worn).dials if worn else (), worn,
            tuple((f.id, f.name) for f in project.finishes), project.categories,
        )  # fmt: skip

    # What it is made of

    def _build(self, props: tuple[Prop, ...]) -> None:
        clear(self._box)
        self.fields, self.dots, self.slots, self.mixed = {}, {}, {}, {}
        self.variants = self.place = self.spread = None
        if not props:
            self._box.addWidget(label("NOTHING CHOSEN", "head"))
            text = "Press a prop in the view or in the list. Ctrl-drag a frame round several, Shift-click adds one."
            self._box.addWidget(label(text, "quiet", wrap=True))
            self._box.addStretch(1)
            return
        name = props[0].name if len(props) == 1 else counted(len(props), "prop")
        self._box.addLayout(row(label("CHOSEN", "head"), 1, label(name, "name")))
        self._lay_place(PlaceFold(self._session, self._place_shut, lambda: self._movable()))
        self._build_variant(props)
        self._build_slots(props)
        self._build_dials()
        self._box.addStretch(1)

    def _movable(self) -> tuple[Prop, ...]:
        project = self._session.project
        return tuple(p for p in self.props if not project.locks(p))

    def _build_variant(self, props: tuple[Prop, ...]) -> None:
        meshes = {p.mesh for p in props}
        if len(meshes) > 1:
            self._box.addWidget(label("Several models: choose one for variants", "quiet"))
            return
        mesh = self._session.project.mesh(props[0].mesh)
        worn = {mesh.variant(p.variant).id if self._known(p) else "" for p in props}
        options = [(v.id, f"{i}  {v.name}") for i, v in enumerate(mesh.variants)]
        if len(worn) > 1:
            options.insert(0, (MIXED, MIXED))
        current = MIXED if len(worn) > 1 else next(iter(worn))
        ids = tuple(p.id for p in props)

        def put(chosen: str) -> None:
            if chosen != MIXED:
                self._session.do(edits.wear_variant(props=ids, variant=chosen))

        self.variants = choice(options, current, put, "Which variant of the model they wear")
        self.variants.setAccessibleName("Variant")
        self.variants.highlighted.connect(self._try_variant)
        self.variants.closing.connect(lambda: self._session.try_out(None))
        self._line("Variant", self.variants)

    def _known(self, prop: Prop) -> bool:
        return any(v.id == prop.variant for v in self._session.project.mesh(prop.mesh).variants) or not prop.variant

    def _try_variant(self, index: int) -> None:
        """Show a variant while the pointer rests on it in the open list."""
        if self.variants is None:
            return
        wanted = self.variants.itemData(index)
        if wanted != MIXED:
            self._session.try_out(edits.wear_variant(props=tuple(p.id for p in self.props), variant=wanted))

    def _build_slots(self, props: tuple[Prop, ...]) -> None:
        project = self._session.project
        self._box.addSpacing(4)
        for slot in project.mesh(props[0].mesh).slots:
            sharing = [p for p in props if slot in project.mesh(p.mesh).slots]
            worn = {finish_on(project, p, slot) for p in sharing}
            own = [p for p in sharing if p.finishes.get(slot)]
            names = {f.id: f.name for f in project.finishes} | {m.id: m.name for m in project.materials}
            text = MIXED if len(worn) > 1 else names.get(next(iter(worn)), "nothing yet")
            tip = f"What {slot} wears; press to choose another finish"
            made = button(text, partial(self._pick, slot), "", tip, names=True)
            made.setAccessibleName(f"Finish on {slot}")
            made.setFixedWidth(132)
            self.slots[slot] = made
            dot = ChangedDot(slot)
            dot.setToolTip("Chosen for this prop itself. Click to wear what the variant puts on.")
            dot.setContextMenuPolicy(dot.contextMenuPolicy().NoContextMenu)
            dot.clicked.connect(partial(self._release, slot))
            self._keep_room(dot)
            show_or_hide(dot, bool(own))
            name = button(slot, partial(self._choose_slot, slot), "name", f"Show the dials of {slot}")
            chosen = slot == self.slot and len(project.mesh(props[0].mesh).slots) > 1
            mark = label("·" if chosen else "", "quiet", "Its dials are shown below")
            self._box.addLayout(row(dot, name, mark, 1, made, gap=4))

    @staticmethod
    def _keep_room(dot: QWidget) -> None:
        policy = dot.sizePolicy()
        policy.setRetainSizeWhenHidden(True)
        dot.setSizePolicy(policy)

    def _choose_slot(self, slot: str) -> None:
        self._session.choose_things(self._session.chosen, slot)
        if self._session.slot != slot:
            self._session.slot = slot
            self._session.selection_changed.emit()

    def _pick(self, slot: str) -> None:
        props = self.props
        current = finish_on(self._session.project, props[0], slot)
        ids = tuple(p.id for p in props)

        def wear(finish: str) -> edits.Edit:
            return edits.dress(props=ids, slot=slot, finish=finish)

        self.picker = FinishPicker(self, self._session, self._swatches, current, wear, "As the variant")
        at = self.slots[slot]
        self.picker.ask(at.mapToGlobal(at.rect().bottomLeft()))

    def _release(self, slot: str) -> None:
        self._session.do(edits.dress(props=tuple(p.id for p in self.props), slot=slot, finish=""))

    def _line(self, name: str, control: QWidget) -> None:
        control.setFixedWidth(132)
        self._box.addLayout(row(label(name), 1, control))

    def _build_dials(self) -> None:
        project, alike = self._session.project, self.alike()
        worn = finish_on(project, alike[0], self.slot)
        if not worn:
            self._box.addWidget(label("Nothing is worn here yet: choose a finish above.", "quiet", wrap=True))
            return
        material = material_of(project, worn)
        dials = own_dials(material)
        self._box.addSpacing(6)
        many = f" of {len(alike)} of {len(self.props)}" if len(alike) < len(self.props) else ""
        self._box.addLayout(row(label(f"DIALS{many}", "head"), 1, label(self.slot, "quiet")))
        if not dials:
            self._box.addWidget(
                label("This look has no dials. Its maker can expose some in Build.", "quiet", wrap=True)
            )
        group = None
        order = list(dict.fromkeys(d.group for d in dials))
        for dial in sorted(dials, key=lambda d: order.index(d.group)):
            if dial.group != group:
                group = dial.group
                self._box.addWidget(Elided(group or "Other", "head"))
            self._build_dial(material, dial)
        if dials:
            self.spread = SpreadFold(self._session, self.alike, lambda: self.slot, material, dials)
            self._box.addWidget(self.spread)
            keep = button("Keep these values as a finish…", self.lift, "add",
                          "Make a finish of the values chosen here, and wear it")  # fmt: skip
            drop = button("Follow the finish in all", self._drop_all, "add", "Take all values chosen here back")
            self._kept = holder(column(keep, drop, gap=0))
            self._box.addWidget(self._kept)

    def _build_dial(self, material: Material, dial: Dial) -> None:
        spec = dial_spec(material, dial)
        common = self.common()
        if dial.id not in common:
            return
        control = field_for(spec, common[dial.id].value, [])
        control.setToolTip(dial.hint or spec.hint or dial.name)
        control.setAccessibleName(dial.name)
        control.changed.connect(partial(self._turn, dial.id))
        control.settled.connect(self._session.document.settle)
        control.setFixedWidth(104)
        dot = ChangedDot(dial.name)
        dot.setToolTip("Chosen here. Click to follow the finish again.")
        dot.setContextMenuPolicy(dot.contextMenuPolicy().NoContextMenu)
        dot.clicked.connect(partial(self._drop, dial.id))
        self._keep_room(dot)
        mixed = label(MIXED, "quiet", "The chosen props differ here; a turn makes them alike")
        name = label(dial.name, tip=dial.hint or spec.hint)
        self.fields[dial.id], self.dots[dial.id], self.mixed[dial.id] = control, dot, mixed
        self._box.addLayout(row(dot, name, 1, mixed, control, gap=4))

    def _show_values(self) -> None:
        common = self.common() if self._session.chosen_props else {}
        for dial, found in common.items():
            if dial in self.fields:
                self.fields[dial].show_value(found.value)
                self.dots[dial].setVisible(found.own > 0)
                self.mixed[dial].setVisible(found.mixed)
        if self.fields:
            self._kept.setVisible(any(c.own for c in common.values()))

    # What it does

    def _ids(self) -> tuple[str, ...]:
        return tuple(p.id for p in self.alike())

    def _turn(self, dial: str, value: Setting) -> None:
        ids = self._ids()
        given = {i: {self.slot: {dial: value}} for i in ids}
        what = f"Turn a dial of {counted(len(ids), 'prop')}"
        edit = edits.turn_own_dials(values=given)  # type: ignore[arg-type]
        self._session.do(edit.called(what), merge=("own", ids, self.slot, dial))

    def _drop(self, dial: str) -> None:
        self._session.do(edits.drop_own_dials(props=self._ids(), slot=self.slot, dials=(dial,)))

    def _drop_all(self) -> None:
        self._session.do(edits.drop_own_dials(props=self._ids(), slot=self.slot))

    def lift(self) -> None:
        """Make a finish of the leading prop's own values; the props that wear the same material wear it then."""
        session, project = self._session, self._session.project
        lead = self.alike()[0]
        worn = finish_on(project, lead, self.slot)
        names = {f.id: f.name for f in project.finishes} | {m.id: m.name for m in project.materials}
        name = free_name(f"{names[worn]}, {lead.name.lower()}", set(names.values()))
        made = free_id(name, set(names))
        if session.do(edits.lift_own_dials(props=self._ids(), slot=self.slot, name=name, id=made)):
            session.choose_finish(made)
            session.said.emit(f"{name} is a finish now; rename it in the rail.", False)
