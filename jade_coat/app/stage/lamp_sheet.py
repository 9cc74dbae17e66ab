"""What is turned on lamps and mist that are chosen: a control for each field that the model declares."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtWidgets import QCheckBox

from jade_coat.app.build.prop_panel import PlaceFold
from jade_coat.app.controls.basics import button, clear, counted, label, row
from jade_coat.app.controls.fields import Field
from jade_coat.app.controls.focus import focus_kept
from jade_coat.app.controls.settings import field_for
from jade_coat.app.session import Session
from jade_coat.app.stage.chosen_sheet import ChosenSheet
from jade_coat.material.fields import Setting, settings
from jade_coat.stage import edits
from jade_coat.stage.lamps import Lamp, Mist

Kind = type[Lamp] | type[Mist]
_WORDS: dict[Kind, str] = {Lamp: "lamp", Mist: "mist"}
MIXED = "Not the same on all that are chosen"


class LampSheet(ChosenSheet):
    """The sheet at the right of Stage while a lamp or mist was chosen last. `aim` takes up the aim."""

    def __init__(self, session: Session, aim: Callable[[], None]) -> None:
        super().__init__(session, True)
        self._aim = aim
        self.fields: dict[str, Field | QCheckBox] = {}

    @property
    def things(self) -> tuple[Lamp | Mist, ...]:
        """The chosen things of the kind that was chosen last, that one first."""
        found = [t for t in reversed(self._session.chosen_placed) if isinstance(t, (Lamp, Mist))]
        return tuple(t for t in found if type(t) is type(found[0]))

    def refresh(self) -> None:
        """Follow the document and what is chosen."""
        if not self.isVisible():
            return
        things = self.things
        lead = things[0] if things else None
        matter = [n for n, spec in settings(type(lead)).items() if spec.matters(lead)] if lead else []
        key = (type(lead), tuple(t.id for t in things), lead.name if lead else "", tuple(matter))
        if key != self._key:
            self._key = key
            with focus_kept(self):
                self._build(things, matter)
        if lead is not None:
            self._show(things)

    def _build(self, things: tuple[Lamp | Mist, ...], matter: list[str]) -> None:
        clear(self._box)
        self.fields, self.place = {}, None
        if not things:
            return
        lead = things[0]
        word = _WORDS[type(lead)]
        name = lead.name if len(things) == 1 else counted(len(things), word)
        self._box.addLayout(row(label(word.upper(), "head"), 1, label(name, "name")))
        self._lay_place(PlaceFold(self._session, self._place_shut, self._free))
        for name, spec in settings(type(lead)).items():
            if name not in matter:
                continue
            if spec.kind == "flag":
                box = QCheckBox(spec.label)
                box.setToolTip(spec.hint)
                box.clicked.connect(partial(self._set, name))
                self.fields[name] = box
                self._box.addWidget(box)
                continue
            control = field_for(spec, getattr(lead, name))
            control.setToolTip(spec.hint or spec.label)
            control.setAccessibleName(spec.label)
            control.setFixedWidth(112)
            control.changed.connect(partial(self._set, name))
            control.settled.connect(self._session.document.settle)
            self.fields[name] = control
            self._box.addLayout(row(label(spec.label, tip=spec.hint), 1, control))
        if isinstance(lead, Lamp):
            self.aim = button("Aim…", self._aim, "", "Press what it should shine on; it becomes a spot")
            self._box.addLayout(row(self.aim, 1))
        self._box.addStretch(1)

    def _show(self, things: tuple[Lamp | Mist, ...]) -> None:
        lead = things[0]
        for name, control in self.fields.items():
            value = getattr(lead, name)
            if isinstance(control, QCheckBox):
                control.setChecked(bool(value))
            else:
                control.show_value(value)
            mixed = any(getattr(t, name) != value for t in things)
            hint = settings(type(lead))[name].hint
            control.setToolTip(f"{MIXED}. {hint}" if mixed else hint)
            control.mark(mixed) if isinstance(control, Field) else None
        if self.place is not None:
            self.place.show_placed(lead)

    def _free(self) -> tuple[Lamp | Mist, ...]:
        return tuple(t for t in self.things if not self._session.project.locks(t))

    def _set(self, name: str, value: Setting | bool) -> None:
        ids = tuple(t.id for t in self.things)
        self._session.do(edits.set_things(things=ids, **{name: value}), merge=("lamp", ids, name))
