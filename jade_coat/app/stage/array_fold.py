"""Rows and rings: further copies of what is chosen, seen before they are placed."""

from __future__ import annotations

import math
from functools import partial

from jade_coat.app.controls.basics import Fold, button, choice, clear, column, holder, label, row
from jade_coat.app.controls.fields import NumberField
from jade_coat.app.controls.settings import IntegerField
from jade_coat.app.session import Session
from jade_coat.material.fields import Setting, Spec
from jade_coat.stage import edits
from jade_coat.stage.arranging import Places, Stand, along_line, round_point
from jade_coat.stage.copying import copies, scattered

_FIELDS: dict[str, tuple[tuple[str, Spec, float], ...]] = {
    "row": tuple((axis, Spec(f"Step {axis}", unit="m", low=-1000, high=1000, soft=(-4, 4)), 0.0) for axis in "xyz"),
    "ring": (
        ("whole", Spec("Over", "angle", low=-2 * math.pi, high=2 * math.pi), 2 * math.pi),
        ("x", Spec("Middle x", unit="m", low=-10000, high=10000, soft=(-10, 10)), 0.0),
        ("z", Spec("Middle z", unit="m", low=-10000, high=10000, soft=(-10, 10)), 0.0),
    ),
    "strew": (
        ("radius", Spec("Radius", unit="m", low=0.05, high=1000, soft=(0.2, 10), logarithmic=True), 1.5),
        ("gap", Spec("Gap", unit="m", low=0.0, high=100, soft=(0.0, 2.0)), 0.3),
        ("turn", Spec("Turned", low=0.0, high=1.0, hint="How much of a whole turn each is turned by chance"), 1.0),
        ("size", Spec("Size spread", low=0.0, high=0.9, hint="How much larger or smaller each is by chance"), 0.15),
        ("seed", Spec("Seed", "integer", low=0, high=9999), 1.0),
    ),
}  # fmt: skip
_COUNT = Spec("Copies", "integer", low=1, high=2000, soft=(1, 30), logarithmic=True)


class ArrayFold(Fold):
    """Copies in a row, round a point, or strewn about."""

    def __init__(self, session: Session) -> None:
        super().__init__("Rows, rings and strewing", shut=True)
        self._session = session
        self.way = "row"
        self.count = 4
        self.values = {way: {key: start for key, _, start in fields} for way, fields in _FIELDS.items()}
        self.values["row"]["x"] = 1.0
        self.fields: dict[str, NumberField] = {}
        self._showing = False
        which = choice(
            [("row", "In a row"), ("ring", "Round a point"), ("strew", "Strewn about")], self.way, self._choose,
            "How the copies are laid out",
        )  # fmt: skip
        which.setAccessibleName("Layout of copies")
        which.setFixedWidth(118)
        self.number = IntegerField(_COUNT, float(self.count))
        self.number.setAccessibleName("Copies")
        self.number.setFixedWidth(64)
        self.number.changed.connect(self._set_count)
        self.box.addLayout(row(which, 1, label("Copies"), self.number, gap=4))
        self._rows = column(gap=4)
        self.box.addWidget(holder(self._rows))
        self.apply = button("Place them", self.run, "main", "Place the copies for good")
        self.box.addLayout(row(1, self.apply))
        self.folded.connect(lambda shut: self._follow())
        session.selection_changed.connect(self._follow)
        self._choose("row")

    def _choose(self, way: str) -> None:
        self.way = way
        clear(self._rows)
        self.fields = {}
        if way == "ring":
            self._centre()
        for key, spec, _ in _FIELDS[way]:
            kind = IntegerField if spec.kind == "integer" else NumberField
            control = self.fields[key] = kind(spec, self.values[way][key])
            control.setAccessibleName(spec.label)
            control.setFixedWidth(110)
            control.changed.connect(partial(self._set, key))
            self._rows.addLayout(row(label(spec.label, tip=spec.hint), 1, control))
        self._follow()

    def _centre(self) -> None:
        """Round a point two metres behind what leads, until another is chosen."""
        prop = self._session.prop
        if prop is not None and self.values["ring"]["x"] == 0.0 and self.values["ring"]["z"] == 0.0:
            self.values["ring"].update(x=prop.position[0], z=prop.position[2] - 2.0)

    def _set(self, key: str, value: Setting) -> None:
        self.values[self.way][key] = float(value)  # type: ignore[arg-type]
        self._follow()

    def _set_count(self, value: Setting) -> None:
        self.count = round(float(value))  # type: ignore[arg-type]
        self._follow()

    def _places(self) -> list[Places]:
        props = self._session.chosen_placed
        stand, values = Stand(props), self.values[self.way]
        if not props:
            return []
        if self.way == "row":
            return along_line(stand, self.count, [values[a] for a in "xyz"])
        if self.way == "ring":
            lead = props[0].position[1]
            return round_point(stand, self.count, [values["x"], lead, values["z"]], values["whole"])
        return scattered(stand, self.count, values["radius"], values["gap"], values["turn"], values["size"],
                         round(values["seed"]))  # fmt: skip

    def edit(self) -> edits.Edit | None:
        """The edit that places the copies; None while nothing is chosen."""
        props, places = self._session.chosen_placed, self._places()
        if not places:
            return None
        made = copies(self._session.project, props, places)
        return edits.add_things(things=made).called(f"Place {len(made)} copies")

    @property
    def open(self) -> bool:
        """Whether it is unfolded, so that copies are seen."""
        return self.isVisible() and not self._head.shut

    def _follow(self) -> None:
        wanted = self.open
        if wanted or self._showing:
            self._showing = wanted
            self._session.try_out(self.edit() if wanted else None)

    def hideEvent(self, event: object) -> None:
        if self._showing:
            self._showing = False
            self._session.try_out(None)

    def run(self) -> None:
        """Place the copies."""
        made = self.edit()
        if made is None:
            self._session.said.emit("Choose what is to be copied first.", True)
            return
        self._session.try_out(None)
        self._session.do(made)
        self._turn()
