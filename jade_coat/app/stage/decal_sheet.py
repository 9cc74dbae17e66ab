"""What is turned on the decals that are chosen: look, opacity by part, where they show, and on whom."""

from __future__ import annotations

import math
from functools import partial

from PyQt6.QtWidgets import QWidget

from jade_coat.app.build.prop_panel import PlaceFold
from jade_coat.app.build.swatches import Swatches
from jade_coat.app.controls.basics import button, choice, clear, counted, label, row
from jade_coat.app.controls.fields import Field
from jade_coat.app.controls.focus import focus_kept
from jade_coat.app.controls.settings import field_for
from jade_coat.app.session import Session
from jade_coat.app.stage.chosen_sheet import ChosenSheet
from jade_coat.app.stage.finish_picker import FinishPicker
from jade_coat.looking.touching import why_untouched
from jade_coat.material.fields import Setting, Spec
from jade_coat.stage import edits
from jade_coat.stage.decals import Cell, Decal

_SHARE = Spec("Share", low=0.0, high=1.0)
_NUMBERS: dict[str, Spec] = {
    "opacity": Spec("Opacity", low=0.0, high=1.0),
    "full": Spec("Full up to", "angle", low=0.0, high=math.pi, hint="The angle to the axis up to which it shows fully"),
    "gone": Spec("Gone from", "angle", low=0.0, high=math.pi, hint="The angle from which it does not show at all"),
    "fade": Spec("Fades at the ends", low=0.0, high=0.5, hint="The share of the box's depth over which it fades"),
    "far": Spec("Gone from afar", "range", unit="m", low=0.0, high=1000.0, soft=(0.0, 100.0),
                hint="Fades from the first distance, is gone at the second; 0 for never"),
    "order": Spec("Order", "integer", low=-1000, high=1000, soft=(-10, 10), hint="A higher one lies on top"),
}  # fmt: skip
_PARTS = {"color": "Colour", "normal": "Normal", "surface": "Rough, metal", "height": "Height", "glow": "Glow"}
_CELLS = {"columns": (1, 16), "rows": (1, 16), "index": (0, 255)}


class DecalSheet(ChosenSheet):
    """The sheet at the right of Stage while a decal was chosen last."""

    def __init__(self, session: Session, swatches: Swatches) -> None:
        super().__init__(session, True)
        self._swatches = swatches
        self.fields: dict[str, Field] = {}
        self.picker: FinishPicker | None = None

    @property
    def decals(self) -> tuple[Decal, ...]:
        """The chosen decals, the one chosen last first."""
        return tuple(t for t in reversed(self._session.chosen_placed) if isinstance(t, Decal))

    def refresh(self) -> None:
        """Follow the document and what is chosen."""
        if not self.isVisible():
            return
        decals, project = self.decals, self._session.project
        key = (
            tuple(d.id for d in decals), decals[0].name if decals else "", decals[0].finish if decals else "",
            tuple((f.id, f.name) for f in project.finishes), project.categories, decals[0].only if decals else (),
            tuple((p.id, p.name) for p in project.props) if decals and decals[0].only else (),
        )  # fmt: skip
        if key != self._key:
            self._key = key
            with focus_kept(self):
                self._build(decals)
        if decals:
            self._show(decals[0])

    def _build(self, decals: tuple[Decal, ...]) -> None:
        clear(self._box)
        self.fields, self.place = {}, None
        if not decals:
            return
        lead, project = decals[0], self._session.project
        name = lead.name if len(decals) == 1 else counted(len(decals), "decal")
        self._box.addLayout(row(label("DECAL", "head"), 1, label(name, "name")))
        names = {f.id: f.name for f in project.finishes} | {m.id: m.name for m in project.materials}
        self.finish = button(
            names.get(lead.finish, "nothing yet"), self._pick, "", "The look that it lays; press to choose"
        )
        self.finish.setAccessibleName("Finish of the decal")
        self._line("Lays", self.finish)
        self._why = label("", "warn", wrap=True)
        self._box.addWidget(self._why)
        self._lay_place(PlaceFold(self._session, self._place_shut, lambda: self._free()))
        for name, spec in _NUMBERS.items():
            self._number(name, spec, _value(lead, name), partial(self._set, name))
        self._box.addWidget(label("How much of each part", "head"))
        for name, text in _PARTS.items():
            self._number(
                f"shares.{name}",
                Spec(text, low=0.0, high=1.0),
                getattr(lead.shares, name),
                partial(self._set_share, name),
            )
        self._box.addWidget(label("Cell of its atlas", "head"))
        for name, (low, high) in _CELLS.items():
            spec = Spec({"index": "Cell"}.get(name, name.capitalize()), "integer", low=low, high=high)
            self._number(f"cell.{name}", spec, float(getattr(lead.cell, name)), partial(self._set_cell, name))
        self._build_receivers(lead)
        self._box.addStretch(1)

    def _build_receivers(self, lead: Decal) -> None:
        project = self._session.project
        self._box.addWidget(label("On whom", "head"))
        known = {c.id: c.name for c in project.categories} | {p.id: p.name for p in project.props}
        options = [("", "everything in its box"), *((c.id, f"only {c.name.lower()}") for c in project.categories)]
        prop = self._session.prop
        if prop is not None:
            options.append((prop.id, f"only {prop.name}"))
        now = lead.only[0] if lead.only else ""
        if now and all(now != key for key, _ in options):
            options.append((now, f"only {known.get(now, 'what is gone')}"))
        self.on_whom = choice(options, now, self._receive, "All, a category of surfaces, or one prop")
        self.on_whom.setAccessibleName("Receivers")
        self._box.addWidget(self.on_whom)

    def _number(self, key: str, spec: Spec, value: Setting, changed: object) -> None:
        control = field_for(spec, value, [])
        control.setToolTip(spec.hint or spec.label)
        control.setAccessibleName(spec.label)
        control.setFixedWidth(112)
        control.changed.connect(changed)  # type: ignore[arg-type]
        control.settled.connect(self._session.document.settle)
        self.fields[key] = control
        self._box.addLayout(row(label(spec.label, tip=spec.hint), 1, control))

    def _line(self, name: str, control: QWidget) -> None:
        control.setFixedWidth(140)
        self._box.addLayout(row(label(name), 1, control))

    def _show(self, lead: Decal) -> None:
        for key, field in self.fields.items():
            field.show_value(_value(lead, key))
        if self.place is not None:
            self.place.show_placed(lead)
        link = self._session.link
        why = why_untouched(self._session.project, lead, link.mesh_data)
        self._why.setText(why)
        self._why.setVisible(bool(why))

    def _free(self) -> tuple[Decal, ...]:
        return tuple(d for d in self.decals if not self._session.project.locks(d))

    def _ids(self) -> tuple[str, ...]:
        return tuple(d.id for d in self.decals)

    def _set(self, name: str, value: Setting) -> None:
        lead = self.decals[0]
        changes: dict[str, object] = {name: value}
        if name == "order":
            changes = {"order": round(float(value))}  # type: ignore[arg-type]
        elif name == "full":
            changes = {"angle": (value, max(lead.angle[1], value))}
        elif name == "gone":
            changes = {"angle": (min(lead.angle[0], value), value)}
        elif name == "far" and isinstance(value, tuple):
            changes = {"far": (min(value), max(value))}
        edit = edits.set_decals(decals=self._ids(), **changes)
        self._session.do(edit, merge=("decal", self._ids(), name))

    def _set_share(self, part: str, value: Setting) -> None:
        edit = edits.set_decals(decals=self._ids(), shares=self.decals[0].shares.with_(**{part: value}))
        self._session.do(edit, merge=("decal", self._ids(), part))

    def _set_cell(self, name: str, value: Setting) -> None:
        old = self.decals[0].cell
        numbers = {n: getattr(old, n) for n in _CELLS} | {name: round(float(value))}  # type: ignore[arg-type]
        numbers["index"] = min(numbers["index"], numbers["columns"] * numbers["rows"] - 1)
        self._session.do(edits.set_decals(decals=self._ids(), cell=Cell(**numbers)), merge=("decal", self._ids(), name))

    def _receive(self, who: str) -> None:
        self._session.do(edits.set_decals(decals=self._ids(), only=(who,) if who else ()))

    def _pick(self) -> None:
        ids = self._ids()

        def wear(finish: str) -> edits.Edit:
            return edits.set_decals(decals=ids, finish=finish)

        self.picker = FinishPicker(self, self._session, self._swatches, self.decals[0].finish, wear, "Nothing")
        self.picker.ask(self.finish.mapToGlobal(self.finish.rect().bottomLeft()))


def _value(decal: Decal, key: str) -> Setting:
    """What a control shows of a decal."""
    if key in ("full", "gone"):
        return decal.angle[int(key == "gone")]
    owner, _, name = key.rpartition(".")
    value = getattr(getattr(decal, owner) if owner else decal, name)
    return float(value) if isinstance(value, int) else value
