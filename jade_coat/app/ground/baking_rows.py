"""Whether a ground's far parts are drawn from pages, from where on, and how much these may take."""

from __future__ import annotations

from PyQt6.QtWidgets import QWidget

from jade_coat.app.build.number_rows import NumberRows
from jade_coat.app.controls.basics import button, column, label, row
from jade_coat.app.ground.state import GroundState
from jade_coat.app.session import Session
from jade_coat.material.fields import Setting
from jade_coat.stage import edits
from jade_coat.stage.grounds import Baking, Ground


class BakingRows(QWidget):
    """The numbers of baking, and a switch to see it live beside."""

    def __init__(self, session: Session, state: GroundState) -> None:
        super().__init__()
        self._session, self._state = session, state
        self._beyond = 20.0
        """From where on it was drawn from pages last, metres."""
        self.switch = button("Live", self._switch, "tab", "Draw all of it live, or its far parts from pages again")
        self.switch.setCheckable(True)
        self.numbers = NumberRows(Baking(), self._bake)
        box = column(gap=2)
        box.addLayout(row(label("BAKED", "head"), 1, self.switch))
        box.addWidget(self.numbers)
        self.setLayout(box)

    def show_ground(self, ground: Ground) -> None:
        """Show how a ground is baked."""
        self.numbers.follow(ground.baking)
        self.switch.setChecked(ground.baking.beyond <= 0)

    def _bake(self, name: str, value: Setting) -> None:
        ground = self._state.ground
        if ground is not None and getattr(ground.baking, name) != value:
            made = edits.set_ground(ground=ground.id, baking=ground.baking.with_(**{name: value}))
            self._session.do(made.called(f"Bake {ground.name}"), merge=("baking", ground.id, name))

    def _switch(self) -> None:
        """Draw it live, or from pages from where it was last; to compare."""
        ground = self._state.ground
        if ground is None:
            return
        beyond = ground.baking.beyond
        self._beyond = beyond or self._beyond
        self._bake("beyond", 0.0 if beyond > 0 else self._beyond)
        self.show_ground(self._state.ground or ground)
