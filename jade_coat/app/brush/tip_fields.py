"""The tip of the brush: which picture a dab is pressed through, how it lies, and taking one from a file."""

from __future__ import annotations

import math
from pathlib import Path

from PyQt6.QtGui import QIcon, QShowEvent
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from jade_coat.app.brush import tips
from jade_coat.app.brush.state import BrushState
from jade_coat.app.controls.basics import button, captioned, choice, row
from jade_coat.app.controls.fields import NumberField
from jade_coat.app.controls.images import ICON, toned
from jade_coat.app.dialogs.files import ask_file
from jade_coat.app.session import Session
from jade_coat.jobs.words import told
from jade_coat.maps.images import PICTURES
from jade_coat.maps.picture import BadImage
from jade_coat.material.fields import Spec

TURN = Spec("Turned", "angle", low=-math.pi, high=math.pi, hint="Turns the tip, anticlockwise")
WAYS = [("still", "Always alike"), ("each", "Another way each dab"), ("along", "Along the stroke")]
WIDE = 132


class TipFields(QWidget):
    """Which tip, how it is turned, and a picture of it."""

    def __init__(self, session: Session, brush: BrushState) -> None:
        super().__init__()
        self._session, self._brush = session, brush
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 4, 0, 4)
        box.setSpacing(5)
        self.tip = choice([("", "Round")], "", self.take, "A picture that each dab is pressed through")
        self.tip.setIconSize(ICON)
        self.way = choice(WAYS, brush.brush.tip_way, lambda k: brush.set(tip_way=k), "How the tip lies from dab to dab")
        self.turn = NumberField(TURN, brush.brush.tip_turn)
        self.turn.changed.connect(lambda v: brush.set(tip_turn=v))
        self.from_file = button("From a picture…", self.choose_file, "add",
                                "White paints, black does not; what is transparent does not either")  # fmt: skip
        box.addLayout(captioned("Tip", self.tip, WIDE))
        box.addLayout(captioned("It lies", self.way, WIDE))
        box.addLayout(captioned("Turned", self.turn, WIDE))
        box.addLayout(row(self.from_file, 1))
        self._filled = False
        brush.changed.connect(self._show)
        self._show()

    def showEvent(self, event: QShowEvent | None) -> None:
        """The tips are read once they are seen."""
        super().showEvent(event)
        if not self._filled:
            self._fill()
            self._show()

    def _fill(self) -> None:
        self._filled = True
        self.tip.clear()
        self.tip.addItem("Round", "")
        for name in tips.names():
            found = tips.tip(name)
            if found is not None:
                small = toned(found.values).scaled(ICON.height(), ICON.height())
                self.tip.addItem(QIcon(small), name, name)

    def take(self, name: str) -> None:
        """Paint with this tip from now on."""
        found = tips.tip(name) if name else None
        if name and found is None:
            self._session.said.emit(f"The tip {name} cannot be read any more.", True)
        self._brush.set(tip=found)

    def choose_file(self) -> None:
        """Take a picture file as a tip."""
        path = ask_file(self, "A picture as the brush's tip", "Pictures", PICTURES)
        if path is not None:
            self.take_file(path)

    def take_file(self, path: Path) -> None:
        """Make a tip of a picture, keep it, and paint with it."""
        try:
            made = tips.keep(path)
        except (OSError, BadImage, ValueError) as error:
            self._session.said.emit(f"No tip was made: {told(error)}", True)
            return
        self._fill()
        self._brush.set(tip=made)
        self._session.said.emit(f"The tip {made.name} is kept with your tips", False)

    def _show(self) -> None:
        now = self._brush.brush
        name = now.tip.name if now.tip is not None else ""
        self.tip.setCurrentIndex(max(self.tip.findData(name), 0))
        self.way.setCurrentIndex(max(self.way.findData(now.tip_way), 0))
        self.turn.show_value(now.tip_turn)
        for control in (self.way, self.turn):
            control.setEnabled(now.tip is not None)
