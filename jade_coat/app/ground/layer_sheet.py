"""The right of Ground: how the chosen layer gets on with the others, and the dials of what it is made of."""

from __future__ import annotations

from functools import partial

from PyQt6.QtWidgets import QLineEdit, QStackedWidget, QVBoxLayout, QWidget

from jade_coat.app.build.dial_sheet import DialSheet
from jade_coat.app.build.finish_rail import family_order
from jade_coat.app.controls.basics import button, choice, clear, column, holder, label, row, show_or_hide
from jade_coat.app.controls.fields import Field
from jade_coat.app.controls.focus import focus_kept
from jade_coat.app.controls.settings import field_for
from jade_coat.app.ground.scatter_sheet import ScatterSheet
from jade_coat.app.ground.state import GroundState
from jade_coat.app.session import Session
from jade_coat.material.fields import Setting, declared
from jade_coat.material.stacking import GroundLayer
from jade_coat.stage import edits
from jade_coat.stage.grounds import Ground

WIDTH = 128
FINISH, SCATTER = "Finish", "Scatter"
TABS = {FINISH: "The dials of what the layer is made of", SCATTER: "What grows and lies on the layer"}


class LayerSheet(QWidget):
    """The chosen layer's own numbers over the dials of its finish."""

    def __init__(self, session: Session, state: GroundState) -> None:
        super().__init__()
        self._session, self._state = session, state
        self.fields: dict[str, Field] = {}
        self._key: object = None
        own = QWidget()
        self._box = QVBoxLayout(own)
        self._box.setContentsMargins(12, 10, 10, 6)
        self._box.setSpacing(4)
        self.dials = DialSheet(session, of_prop=False)
        self.scatter = ScatterSheet(session, state)
        self.tabs = {name: button(name, partial(self._turn_to, name), "tab", tip) for name, tip in TABS.items()}
        for made in self.tabs.values():
            made.setCheckable(True)
        self.tab = FINISH
        self._sheets = QStackedWidget()
        self._sheets.addWidget(self.dials)
        self._sheets.addWidget(self.scatter)
        self._switch = holder(row(*self.tabs.values(), 1, margins=(12, 2, 10, 2), gap=4))
        layout = column(own, self._switch, self._sheets, gap=0)
        layout.setStretch(2, 1)
        layout.addStretch(0)
        self.setLayout(layout)
        session.changed.connect(self.refresh)
        state.changed.connect(self.refresh)

    def showEvent(self, event: object) -> None:
        self.refresh()

    def refresh(self) -> None:
        """Follow the project and what is chosen."""
        if not self.isVisible():
            return
        ground, layer = self._state.ground, self._state.layer
        lowest = ground is not None and layer is ground.layers[0]
        names = tuple((i, n, d) for i, n, d in family_order(self._session.project))
        shared = tuple((d.id, d.name) for d in self._session.project.shared)
        told = (
            (layer.id, layer.name, layer.way, layer.role, layer.finish, layer.follows, layer.rain, layer.rain_follows)
            if layer is not None
            else None
        )
        key = (told, lowest, names, shared)
        if key != self._key:
            self._key = key
            with focus_kept(self):
                clear(self._box)
                self.fields = {}
                if ground is not None and layer is not None:
                    self._build(ground, layer, lowest)
        self._show_tab(ground, layer)
        for name, field in self.fields.items():
            field.show_value(getattr(layer, name))

    def _turn_to(self, tab: str) -> None:
        self.tab = tab
        self.refresh()

    def _show_tab(self, ground: Ground | None, layer: GroundLayer | None) -> None:
        """Show the dials of the finish, or what grows on the layer; one without a finish has no dials."""
        has_dials = layer is not None and bool(layer.finish) and layer.way != "absolute"
        show_or_hide(self._switch, layer is not None)
        show_or_hide(self._sheets, layer is not None and (has_dials or self.tab == SCATTER))
        self._sheets.setCurrentWidget(self.scatter if self.tab == SCATTER else self.dials)
        self.tabs[FINISH].setEnabled(has_dials)
        count = sum(s.layer == layer.id for s in ground.scatter) if ground is not None and layer is not None else 0
        self.tabs[SCATTER].setText(f"{SCATTER} · {count}" if count else SCATTER)
        for name, made in self.tabs.items():
            made.setChecked(name == self.tab)

    def _build(self, ground: Ground, layer: GroundLayer, lowest: bool) -> None:
        self.name = QLineEdit(layer.name)
        self.name.setAccessibleName("Name of the layer")
        self.name.editingFinished.connect(self._rename)
        self._box.addLayout(row(label("LAYER", "head"), self.name))
        if layer.way != "absolute":
            finishes = [("", "nothing yet"), *((i, "  " * d + n) for i, n, d in family_order(self._session.project))]
            self.finish = choice(finishes, layer.finish, partial(self._set, "finish"),
                                 "What it is made of; what is painted stays")  # fmt: skip
            self.finish.setFixedWidth(160)
            self._box.addLayout(row(label("Made of"), 1, self.finish))
        for name, spec in declared(GroundLayer).items():
            if spec.matters(layer) and not (lowest and name == "way"):
                field = self.fields[name] = field_for(spec, getattr(layer, name))
                field.changed.connect(partial(self._set, name))
                field.settled.connect(self._session.document.settle)
                field.setFixedWidth(WIDTH)
                self._box.addLayout(row(label(spec.label, tip=spec.hint), 1, field))
        if layer.way != "shared":
            dials = [("", "nothing"), *((d.id, d.name) for d in self._session.project.shared)]
            self.follows = choice(dials, layer.follows, partial(self._set, "follows"),
                                  "A shared dial that what was painted is multiplied by")  # fmt: skip
            self.follows.setFixedWidth(WIDTH)
            self._box.addLayout(row(label("Follows"), 1, self.follows))
            if layer.rain != "none":
                self.rain_follows = choice(dials, layer.rain_follows, partial(self._set, "rain_follows"),
                                           "A shared dial that the rings are multiplied by")  # fmt: skip
                self.rain_follows.setFixedWidth(WIDTH)
                self._box.addLayout(row(label("Rain follows"), 1, self.rain_follows))
        if lowest:
            self._box.addWidget(label("It is there where nothing is painted.", "quiet", wrap=True))

    def _rename(self) -> None:
        layer = self._state.layer
        if layer is not None and self.name.text().strip() and self.name.text().strip() != layer.name:
            self._set("name", self.name.text().strip())

    def _set(self, name: str, value: Setting) -> None:
        ground, layer = self._state.ground, self._state.layer
        if ground is None or layer is None or getattr(layer, name) == value:
            return
        made = edits.set_layer(ground=ground.id, layer=layer.id, **{name: value}).called(f"Change {layer.name}")
        self._session.do(made, merge=("layer", ground.id, layer.id, name))
        if name == "finish" and value:
            self._session.choose_finish(str(value))
