"""Asks which slot of a mesh each slot of the file that takes its place goes on as."""

from __future__ import annotations

from PyQt6.QtWidgets import QDialog, QGridLayout, QVBoxLayout, QWidget

from jade_coat.app.controls.basics import button, choice, label, row


class SlotMatch(QDialog):
    """A line a slot of the new file: the old slot whose finishes it takes, or none."""

    def __init__(self, parent: QWidget, old: tuple[str, ...], match: dict[str, str]) -> None:
        super().__init__(parent)
        self.setWindowTitle("Slots of the new mesh")
        self.setMinimumWidth(470)
        self._old = old
        grid = QGridLayout()
        grid.setVerticalSpacing(8)
        self.choices = {}
        for at, (new, known) in enumerate(match.items()):
            ways = [("", "a new slot, without a finish"), *((o, o) for o in old)]
            self.choices[new] = choice(ways, known if known in old else "", lambda _: self._check())
            self.choices[new].setMinimumWidth(230)
            grid.addWidget(label(new), at, 0)
            grid.addWidget(label("goes on as", "quiet"), at, 1)
            grid.addWidget(self.choices[new], at, 2)
        self._warning = label("", "warn", wrap=True)
        self.keep = button("Go on", self.accept, "main")
        layout = QVBoxLayout(self)
        layout.setSpacing(12)
        layout.addWidget(label("The file's slots are not named as the mesh's. Each takes the finishes of:", wrap=True))
        layout.addLayout(grid)
        layout.addWidget(self._warning)
        layout.addLayout(row(1, button("Cancel", self.reject), self.keep))
        self._check()

    def match(self) -> dict[str, str]:
        """The name that each new slot goes on under."""
        return {new: str(box.currentData()) or new for new, box in self.choices.items()}

    def _check(self) -> None:
        wanted = list(self.match().values())
        twice = sorted({w for w in wanted if wanted.count(w) > 1})
        gone = [o for o in self._old if o not in wanted]
        text = f"{', '.join(twice)} is taken twice." if twice else ""
        if gone and not twice:
            text = f"Finishes of {', '.join(gone)} are kept, in case it returns."
        self._warning.setText(text)
        self.keep.setEnabled(not twice)
