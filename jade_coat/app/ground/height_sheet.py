"""Heights from a file: how large the ground is to be, and between which heights it lies."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from jade_coat.app.build.number_rows import NumberRows
from jade_coat.app.controls.basics import button, label, row
from jade_coat.app.controls.images import image_from
from jade_coat.app.ground.land_sheet import SIZE, add_ground, shaded
from jade_coat.app.ground.state import GroundState
from jade_coat.app.session import Session
from jade_coat.files.height_files import Read, ground_heights
from jade_coat.material.fields import Frozen, Setting, field
from jade_coat.stage import edits


class Lies(Frozen):
    """How what a file holds becomes a ground."""

    across: float = field(64.0, "Across", unit="m", low=0.5, high=1e6, soft=(8.0, 5000.0), logarithmic=True)
    low: float = field(0.0, "Lowest", unit="m", low=-12000.0, high=12000.0, soft=(-50.0, 50.0))
    high: float = field(20.0, "Highest", unit="m", low=-12000.0, high=12000.0, soft=(0.0, 500.0))


class HeightSheet(QDialog):
    """The sheet for a file that was read. `anew` is the ground whose heights are replaced, if any."""

    def __init__(self, parent: QWidget, session: Session, state: GroundState, path: Path, read: Read) -> None:
        super().__init__(parent)
        self._session, self._state, self._path, self._read = session, state, path, read
        self.setWindowTitle(f"Heights from {path.name}")
        across = read.size[0] if read.size is not None else 64.0
        self.numbers = Lies(across=min(max(across, 0.5), 1e6))
        self.rows = NumberRows(self.numbers, self.turn)
        self.picture = QLabel()
        self.picture.setFixedSize(SIZE)
        self.told = label("", "quiet", wrap=True)
        left = QVBoxLayout()
        left.addWidget(self.rows)
        if read.metres:
            left.addWidget(label("The file holds metres: lowest and highest stay as they are.", "quiet", wrap=True))
        for line in read.lines:
            left.addWidget(label(line, "warn", wrap=True))
        left.addStretch(1)
        self.make = button("Make a ground", self._make, "main")
        self.replace = button("Replace the present one's", self._replace, "add", "Layers and paint stay")
        self.replace.setEnabled(state.ground is not None)
        right = QVBoxLayout()
        right.addWidget(self.picture)
        right.addWidget(self.told)
        right.addStretch(1)
        right.addLayout(row(1, button("Close", self.reject), self.replace, self.make))
        layout = QHBoxLayout(self)
        layout.addLayout(left)
        layout.addLayout(right)
        self._show()

    def turn(self, name: str, value: Setting) -> None:
        """Set one number."""
        self.numbers = self.numbers.with_(**{name: value})
        self.rows.follow(self.numbers)
        self._show()

    def _show(self) -> None:
        made = ground_heights(self._read, self.numbers.across, self.numbers.low, self.numbers.high)
        self._heights = made
        self.picture.setPixmap(QPixmap.fromImage(image_from(shaded(made, SIZE.width()))).scaled(SIZE))
        pages = made.pages
        self.told.setText(
            f"{pages.columns} × {pages.rows} samples, one every {made.spacing[0]:.2f} m; {made.size[0]:.0f} × "
            f"{made.size[1]:.0f} m, {made.low:.1f} to {made.high:.1f} m high."
        )

    def _make(self) -> None:
        add_ground(self._session, self._state, self._path.stem or "Land", self._heights, None)
        self.accept()

    def _replace(self) -> None:
        ground = self._state.ground
        if ground is not None:
            self._session.do(edits.set_heights(ground=ground.id, heights=self._heights).called("Replace the heights"))
        self.accept()
