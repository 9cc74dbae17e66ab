"""Hands a ground over: which of its files are written, and how finely."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtWidgets import QDialog, QWidget

from jade_coat.app.build.number_rows import NumberRows
from jade_coat.app.controls.basics import button, column, label, row
from jade_coat.app.dialogs.common import ProgressDialog
from jade_coat.app.session import Session
from jade_coat.bake.ground_files import GroundFiles, GroundWritten, hand_over
from jade_coat.jobs.apart import apart
from jade_coat.jobs.words import told
from jade_coat.material.fields import Setting
from jade_coat.stage.grounds import Ground


class HandOverSheet(QDialog):
    """Asks what is to be written of a ground; `choose` then asks for a folder."""

    def __init__(self, parent: QWidget, ground: Ground, choose: Callable[[GroundFiles], object]) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Hand over {ground.name}")
        self.setMinimumWidth(420)
        self.wanted = GroundFiles()
        self.rows = NumberRows(self.wanted, self.turn)
        self._choose = choose
        across, along = ground.heights.size
        words = f"{across:g} by {along:g} m, {len(ground.layers)} layers, {len(ground.scatter)} scatters"
        self.write = button("Write into a folder…", self._write, "main")
        self.setLayout(column(
            label(words, "quiet"), self.rows,
            label("ground.json beside the files says what each of them is.", "quiet", wrap=True), 1, gap=8,
            margins=(16, 14, 16, 14),
        ))  # fmt: skip
        self.layout().addLayout(row(1, button("Close", self.reject), self.write))  # type: ignore[union-attr]

    def turn(self, name: str, value: Setting) -> None:
        """Choose otherwise."""
        self.wanted = self.wanted.with_(**{name: value})
        self.rows.follow(self.wanted)

    def _write(self) -> None:
        self.accept()
        self._choose(self.wanted)


def write_ground(parent: QWidget, session: Session, ground: str, wanted: GroundFiles, folder: Path) -> ProgressDialog:
    """Write a ground's files in the background."""
    project, library = session.project, session.library
    dialog = ProgressDialog(parent, "Hand over the ground")

    def done(written: GroundWritten) -> None:
        lines = " ".join(written.told)
        session.said.emit(
            f"{len(written.paths)} files in {folder.name}, {written.nbytes / 1e6:.1f} MB. {lines}".strip(), False
        )

    def failed(error: Exception) -> None:
        session.said.emit(f"Nothing was written: {told(error)}", True)

    dialog.run(session, lambda job: apart(hand_over, job, project, library, ground, wanted, folder), done, failed)
    return dialog
