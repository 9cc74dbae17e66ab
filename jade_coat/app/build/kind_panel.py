"""How a material meets what is behind it: its surface kind, the threshold of a cut-out, and its back."""

from __future__ import annotations

from functools import partial

from PyQt6 import sip
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QWidget

from jade_coat.app.build.far_row import FarRow
from jade_coat.app.build.field_rows import FieldRows
from jade_coat.app.build.ways_through import WaysThrough
from jade_coat.app.controls.basics import button, choice, clear, column, label, row, show_or_hide
from jade_coat.app.controls.fields import Field, NumberField, ToggleField
from jade_coat.app.controls.focus import focus_kept
from jade_coat.app.session import Session
from jade_coat.check.at_corners import saving_on
from jade_coat.check.line_art import line_note
from jade_coat.check.stretch import stretch_note
from jade_coat.looking.look_at import look_at
from jade_coat.material.fields import Spec, declared, specs
from jade_coat.material.kind_part import PREFIX as LIGHT
from jade_coat.material.kind_part import KindPart
from jade_coat.material.kinds import KINDS, SurfaceKind, kind_of
from jade_coat.material.material import Material
from jade_coat.material.surface import Role
from jade_coat.stage import edits

FILL, FAR, SETTLE = "fill", "far", "settle"
"""The parts that many kinds have: what lies under cut-outs, how it fades from afar, how it stands on the ground."""
TELLING, REST_MS = ("tones", "glow"), 400
"""The parts of which there is more to tell, and how long the hand must rest before that is worked out."""
SPECS = {
    "cut": Spec("Threshold", hint="What is less opaque than this is not there"),
    "two_sided": Spec("Two-sided", "toggle", hint="Seen from behind, its normal turns towards the viewer"),
    "depth": Spec(
        "Depth", unit="m", low=0.0001, high=100.0, soft=(0.001, 1.0), logarithmic=True, hint="From height 0 to height 1"
    ),
}


class KindPanel(QWidget):
    """The settings of one material as a whole; follows the document."""

    def __init__(self, session: Session, material: str) -> None:
        super().__init__()
        self._session, self._material = session, material
        self._key: object = None
        self.fields: dict[str, Field] = {}
        """The controls by what they set."""
        self.rows = FieldRows(session)
        """Those of the light that the kind has of its own."""
        self._box = column()
        self.setLayout(self._box)
        self._wait = QTimer(self)
        self._wait.setSingleShot(True)
        self._wait.setInterval(REST_MS)
        self._wait.timeout.connect(self._tell)
        session.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the material as it is now."""
        material = next((m for m in self._session.project.materials if m.id == self._material), None)
        if material is None:
            return
        key = (material.kind, self._has_opacity(material), self._shape(material))
        if key != self._key:
            self._key = key
            with focus_kept(self):
                self._build(material)
        for name, field in self.fields.items():
            value = getattr(material, name)
            field.show_value(float(value) if name == "two_sided" else value)
        own = kind_of(material.kind).part
        if own in TELLING:
            self._wait.start()
        self.rows.show(material, {f"{LIGHT}{name}": getattr(material, name) for name in _parts(kind_of(material.kind))})

    def _shape(self, material: Material) -> object:
        """What decides which rows the kind's own light has, and how they look."""
        own, project = kind_of(material.kind).part, self._session.project
        links = tuple((k.path, k.shared, k.recipe) for k in material.links if k.path.startswith(LIGHT))
        part: KindPart | None = getattr(material, own) if own else None
        kept = {*specs(type(part)), *_stops(part)} if part is not None else set()
        chosen = part.model_dump_json(exclude=kept) if part is not None else ""
        graded = tuple(bool(getattr(part, name)) for name in _stops(part))
        names = ((d.id, d.name) for d in project.shared), ((r.id, r.name, r.inputs) for r in project.recipes)
        return (chosen, graded, links, *(tuple(n) for n in names))

    def _has_opacity(self, material: Material) -> bool:
        lookup = self._session.link.lookup
        return any(lookup.read(s, Role.OPACITY) is not None for c in material.coats for s in c.surface.sets)

    def _build(self, material: Material) -> None:
        clear(self._box)
        self.rows.clear()
        kind = kind_of(material.kind)
        self.kind = choice([(k.name, k.label) for k in KINDS.values()], kind.name, self._choose, kind.hint)
        self.kind.setAccessibleName("Surface kind")
        ways = button("Side by side…", self.compare, "add", "See the ways of letting through on this prop")
        self._box.addLayout(row(self.kind, ways))
        far = button("From afar…", self.look_from_afar, "add", "See this prop from 2, 10 and 40 m in one row")
        self._box.addLayout(row(1, far))
        self._box.addWidget(label(f"{kind.hint}.", "quiet", wrap=True))
        mapped = self._has_opacity(material)
        if kind.reads_opacity != mapped and not kind.part:
            self._box.addWidget(label(self._advice(kind.reads_opacity), "quiet", wrap=True))
        self.fields = {}
        for name, spec in SPECS.items():
            if name != "cut" or (kind.cut == "threshold" and (mapped or not kind.part)):
                value = float(getattr(material, name))
                field = ToggleField(spec, value) if spec.kind == "toggle" else NumberField(spec, value)
                field.changed.connect(partial(self._set, name))
                field.settled.connect(self._session.document.settle)
                field.setFixedWidth(120)
                self.fields[name] = field
                self._box.addLayout(row(label(spec.label, "", spec.hint), 1, field))
        for part in _parts(kind):
            self._build_part(material, part)
        self.told = label("", "warn" if kind.part == "tones" else "quiet", wrap=True)
        self.told.hide()
        self._box.addWidget(self.told)

    def _build_part(self, material: Material, own: str) -> None:
        """The fields of a part that the kind has of its own, or that all have, group by group."""
        part: KindPart = getattr(material, own)
        if own in (FILL, FAR, SETTLE):
            self._box.addWidget(label(part.label, "quiet"))
        change = self.rows.changing(material, f"{LIGHT}{own}", part, edits.set_shading, light=own)
        if own == "strands":
            lines = button("Flow lines", lambda: self._session.show_flow(lines.isChecked()), "tab",
                           "Lines over the view from root to tip")  # fmt: skip
            lines.setCheckable(True)
            lines.setChecked(self._session.flow_shown)
            self.flow_button = lines
            self._box.addLayout(row(1, lines))
        for group in dict.fromkeys(spec.group for spec in declared(type(part)).values() if spec.matters(part)):
            if group:
                self._box.addWidget(label(group, "quiet"))
            self.rows.part(self._box, material, f"{LIGHT}{own}", part, change, group=group)

    def _tell(self) -> None:
        """Say what is saved at the corners, or what keeps line art from being sharp, once that is worked out."""
        session, said, name = self._session, self.told, self._material
        prop, material, lookup = session.prop, session.material, session.link.lookup
        if material is None or material.id != name or prop is None:
            return
        project, library, slot, part = session.project, session.library, session.slot, kind_of(material.kind).part
        mesh = session.link.mesh_data(prop.mesh) if part in TELLING else None

        def work() -> str:
            if mesh is None:
                return ""
            if part == "tones":
                return line_note(mesh, material, lookup)
            found = saving_on(look_at(project, library, prop, slot), lookup)
            flag = stretch_note(mesh, material.glow.repeats) if material.glow.shape == "haze" else ""
            return " ".join(words for words in (flag, found.sentence if found is not None else "") if words)

        def done(words: str) -> None:
            if said is self.told and not sip.isdeleted(said):
                said.setText(words)
                show_or_hide(said, bool(words))

        session.work(work, done, lambda error: None)  # what has no program is told of where it is seen

    def _advice(self, reads_opacity: bool) -> str:
        if reads_opacity:
            return "None of its coats has an opacity map yet, so all of it is there."
        return "Its maps have an opacity, which an opaque surface does not use. Choose Cut out to see it."

    def compare(self) -> WaysThrough:
        """Open the sheet of the ways of letting through; there is one for the window."""
        window = self.window()
        found = window.findChild(WaysThrough) if window is not None else None
        sheet = found or WaysThrough(window or self, self._session)
        sheet.show()
        sheet.raise_()
        return sheet

    def look_from_afar(self) -> FarRow:
        """Open the row of distances; there is one for the window."""
        window = self.window()
        found = window.findChild(FarRow) if window is not None else None
        sheet = found or FarRow(window or self, self._session)
        sheet.show()
        sheet.raise_()
        return sheet

    def _choose(self, name: str) -> None:
        self._session.do(edits.set_material(material=self._material, kind=name))

    def _set(self, name: str, value: object) -> None:
        changed = bool(value) if name == "two_sided" else value
        self._session.do(edits.set_material(material=self._material, **{name: changed}), merge=(name, self._material))


def _stops(part: KindPart | None) -> list[str]:
    """The fields of a part that are gradients: turned in the hand, they build nothing anew."""
    return [n for n, s in declared(type(part)).items() if s.kind == "stops"] if part is not None else []


def _parts(kind: SurfaceKind) -> tuple[str, ...]:
    """The parts whose fields a kind shows: its own, and those that it shares with others."""
    return (*((kind.part,) if kind.part else ()), *((FILL,) if kind.cut else ()), FAR, SETTLE)
