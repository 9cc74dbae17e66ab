"""Says how far a change will reach before it is made, and lists whom it reaches."""

from __future__ import annotations

from PyQt6.QtWidgets import QFrame, QWidget

from jade_coat.app.controls.basics import button, column, label, row
from jade_coat.stage.looks import Reach
from jade_coat.stage.project import Project


class ReachNote(QFrame):
    """A sentence, and behind a button the names of the finishes and props."""

    def __init__(self, *more: QWidget) -> None:
        """`more` are further widgets below the sentence."""
        super().__init__()
        self.setObjectName("note")
        self._text = label("", "warn")
        self._who = label("", "quiet", wrap=True)
        self._who.hide()
        self._open = button("Who?", self._unfold, "add", "List the finishes and props that a change here reaches")
        self._open.setCheckable(True)
        inner = column(margins=(10, 4, 6, 5))
        inner.addLayout(row(self._text, 1, self._open))
        for widget in (self._who, *more):
            inner.addWidget(widget)
        self.setLayout(inner)

    @property
    def sentence(self) -> str:
        """What the note says."""
        return self._text.text()

    @property
    def names(self) -> str:
        """The list, once it is unfolded."""
        return self._who.text() if self._who.isVisibleTo(self) else ""

    def show_reach(self, project: Project, found: Reach) -> None:
        """Show how far a change reaches."""
        self._text.setText(f"Reaches {found.sentence}" if found.any else "No prop wears this yet")
        self._open.setVisible(found.any)
        finishes = {f.id: f.name for f in project.finishes}
        props = {p.id: p.name for p in project.props}
        self._who.setText(
            f"Finishes: {', '.join(finishes[f] for f in found.finishes) or 'none'}\n"
            f"Props: {', '.join(props[p] for p in found.props) or 'none'}"
            + (f"\nLayers of the ground: {', '.join(found.layers)}" if found.layers else "")
        )

    def _unfold(self) -> None:
        self._who.setVisible(not self._who.isVisibleTo(self))
        self._open.setText("Hide" if self._who.isVisibleTo(self) else "Who?")
