"""Spreads a dial by chance over what is chosen: between two ends, steady for a seed."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from jade_coat.app.controls.basics import Fold, button, choice, clear, column, holder, label, row
from jade_coat.app.controls.fields import Field
from jade_coat.app.controls.settings import field_for
from jade_coat.app.session import Session
from jade_coat.material.fields import Setting
from jade_coat.material.material import Dial, Material
from jade_coat.material.rows import dial_spec
from jade_coat.stage import edits
from jade_coat.stage.own_values import in_common, spread
from jade_coat.stage.project import Prop


class SpreadFold(Fold):
    """A dial, its two ends, and another throw of the dice."""

    def __init__(
        self, session: Session, whom: Callable[[], tuple[Prop, ...]], slot: Callable[[], str], material: Material,
        dials: Sequence[Dial],
    ) -> None:  # fmt: skip
        super().__init__("Spread by chance", shut=True)
        self._session, self._whom, self._slot = session, whom, slot
        self._material, self._dials = material, {d.id: d for d in dials}
        self.dial = dials[0].id
        self.seed = 1
        self.ends: list[Field] = []
        self._values: list[Setting] = []
        self.which = choice([(d.id, d.name) for d in dials], self.dial, self._choose, "Which dial is spread")
        self.which.setFixedWidth(140)
        self.box.addLayout(row(label("Dial"), 1, self.which))
        self._rows = column(gap=4)
        self.box.addWidget(holder(self._rows))
        self.apply = button("Spread it", self.run, "", "Give each of the chosen props a value of its own")
        self.again = button("Another throw", self.throw, "", "The same ends, other values")
        self.box.addLayout(row(1, self.again, self.apply))
        self._choose(self.dial)

    def _choose(self, dial: str) -> None:
        self.dial = dial
        clear(self._rows)
        spec = dial_spec(self._material, self._dials[dial])
        common = in_common(self._session.project, self._whom(), self._slot()).get(dial)
        start = common.value if common is not None else 0.0
        self._values = [start, start]
        if isinstance(start, (int, float)):
            low, high = spec.soft or (spec.low if spec.low is not None else start - 0.5,
                                      spec.high if spec.high is not None else start + 0.5)  # fmt: skip
            reach = (high - low) * 0.15
            self._values = [max(start - reach, low), min(start + reach, high)]
        elif isinstance(start, tuple) and len(start) == 3:
            self._values = [tuple(v * k for v in start) for k in (0.7, 1.15)]  # type: ignore[operator]
        self.ends = []
        for i, word in enumerate(("From", "To")):
            control = field_for(spec, self._values[i], [])
            control.setAccessibleName(f"{word} of the spread")
            control.setFixedWidth(112)
            control.changed.connect(lambda value, i=i: self._set(i, value))
            self.ends.append(control)
            self._rows.addLayout(row(label(word), 1, control))

    def _set(self, end: int, value: Setting) -> None:
        self._values[end] = value

    def throw(self) -> None:
        """Throw anew."""
        self.seed += 1
        self.run()

    def run(self) -> None:
        """Spread the dial over what is chosen."""
        props = self._whom()
        ends = (self._values[0], self._values[1])
        values = spread(self._session.project, props, self._slot(), self.dial, ends, self.seed)  # type: ignore[arg-type]
        if values:
            edit = edits.turn_own_dials(values=values)
            name = self._dials[self.dial].name
            self._session.do(edit.called(f"Spread {name.lower()} over {len(values)} props"))
