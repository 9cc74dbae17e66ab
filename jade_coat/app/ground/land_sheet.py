"""Makes land from numbers, with a picture of its relief."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QSize
from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from jade_coat.app.build.number_rows import NumberRows
from jade_coat.app.build.number_sheet import NumberSheet
from jade_coat.app.controls.basics import button, label, row, scrolled
from jade_coat.app.controls.images import image_from
from jade_coat.app.ground.state import GroundState
from jade_coat.app.session import Session
from jade_coat.ground.heights import Heights
from jade_coat.ground.relief import gradient
from jade_coat.ground.synthesis import Land
from jade_coat.jobs.words import told
from jade_coat.material.fields import Setting
from jade_coat.material.stacking import GroundLayer
from jade_coat.program.types import Array
from jade_coat.stage import edits
from jade_coat.stage.grounds import new_ground
from jade_coat.stage.naming import free_id, free_name

SIZE = QSize(400, 400)
FEWEST_CELLS, MOST_CELLS = 129, 1025
"""Cells of the weights along an edge: as many as heights have, between these."""


def shaded(heights: Heights, side: int) -> Array:
    """Relief lit from the north-west, brighter the higher, `(side, side, 3)` as a screen shows it."""
    step = max(heights.pages.rows // side, 1)
    land = heights.whole[::step, ::step]
    dx, dz = gradient(land, (heights.spacing[0] * step, heights.spacing[1] * step))
    light = (0.7 + 0.5 * dx + 0.5 * dz) / np.sqrt(1 + dx * dx + dz * dz)
    share = (land - heights.low) / max(heights.high - heights.low, 1e-6)
    low, high = np.array([0.28, 0.34, 0.30]), np.array([0.86, 0.80, 0.68])
    return np.asarray(np.clip((low + (high - low) * share[..., None]) * np.clip(light, 0.15, 1.2)[..., None], 0, 1))


class LandSheet(NumberSheet):
    """The numbers of land: of a new ground, or of the one at hand if it was made from some."""

    def __init__(self, parent: QWidget, session: Session, state: GroundState, anew: str = "") -> None:
        super().__init__(parent)
        self._session, self._state, self._anew = session, state, anew
        ground = session.project.grounds.get(anew) if anew else None
        self.numbers = ground.land if ground is not None and ground.land is not None else Land()
        self.setWindowTitle(f"Make {ground.name} anew" if ground is not None else "New land")
        self._made: Heights | None = None
        self.rows = NumberRows(self.numbers, self.turn)
        self.picture = QLabel()
        self.picture.setFixedSize(SIZE)
        self.picture.setAccessibleName("The relief of the land")
        self.told = label("", "quiet", wrap=True)
        self.told.setMinimumHeight(40)
        self._make = button("Make anew" if anew else "Make", self.make, "main")
        left, right = scrolled(self.rows), QVBoxLayout()
        left.setFixedWidth(300)
        right.addWidget(self.picture)
        right.addWidget(self.told)
        right.addStretch(1)
        right.addLayout(row(1, button("Close", self.reject), self._make))
        layout = QHBoxLayout(self)
        layout.addWidget(left)
        layout.addLayout(right)

    @property
    def ready(self) -> bool:
        """Whether the picture shows what the numbers make."""
        return self._made is not None

    def turn(self, name: str, value: Setting) -> None:
        """Set one number."""
        self.numbers = self.numbers.with_(**{name: value})
        self.rows.follow(self.numbers)
        self._soon()

    def _soon(self) -> None:
        self._made = None
        super()._soon()

    def _work(self) -> None:
        self._asked += 1
        asked, numbers = self._asked, self.numbers

        def work() -> tuple[Heights, Array]:
            made = numbers.heights()
            return made, shaded(made, SIZE.width())

        def done(found: tuple[Heights, Array]) -> None:
            if asked != self._asked or not self.isVisible():
                return
            self._made, picture = found
            self.picture.setPixmap(QPixmap.fromImage(image_from(picture)).scaled(SIZE))
            cell = self._made.spacing[0]
            self.told.setText(
                f"{self._made.low:.1f} to {self._made.high:.1f} m high, a sample every {cell * 100:.0f} cm; "
                f"{self._made.pages.nbytes / 1e6:.1f} MB of heights."
            )
            self._worked_out(True)

        def failed(error: Exception) -> None:
            if asked == self._asked:
                self._worked_out(False)
                self.told.setText(f"It cannot be made: {told(error)}.")

        self._session.work(work, done, failed)

    def make(self) -> None:
        """Put the land into the project; a new ground is flooded with the chosen finish."""
        if self._made is None:
            self.make_once_there()
            return
        session, made = self._session, self._made
        if self._anew and self._anew in session.project.grounds:
            session.do(edits.set_heights(ground=self._anew, heights=made, land=self.numbers).called("Make land anew"))
        else:
            add_ground(session, self._state, "Land", made, self.numbers)
        self.accept()

    def showEvent(self, event: object) -> None:
        self._soon()


def add_ground(session: Session, state: GroundState, name: str, heights: Heights, land: Land | None) -> None:
    """Put a ground into the project, flooded with the chosen finish, and work on it."""
    project = session.project
    name = free_name(name, {g.name for g in project.grounds})
    finish = next((f for f in project.finishes if f.id == session.finish_id), None)
    first = GroundLayer(id="base", name=finish.name if finish else "Base", finish=finish.id if finish else "")
    cells = min(max(heights.pages.columns, FEWEST_CELLS), MOST_CELLS)
    made = new_ground(free_id(name, set(project.grounds.ids())), name, heights, first, cells).with_(land=land)
    if session.do(edits.add_ground(ground=made).called(f"New ground {name}")):
        state.choose_ground(made.id)
