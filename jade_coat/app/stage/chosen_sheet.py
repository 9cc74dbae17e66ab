"""The base of the sheets at the right of Stage: each follows what is chosen while it is seen."""

from __future__ import annotations

from jade_coat.app.build.prop_panel import PlaceFold
from jade_coat.app.controls.basics import Sheet
from jade_coat.app.session import Session


class ChosenSheet(Sheet):
    """A sheet of what is chosen. Its place fold stays shut or open as it was left."""

    def __init__(self, session: Session, place_shut: bool) -> None:
        super().__init__()
        self._session = session
        self.place: PlaceFold | None = None
        self._place_shut = place_shut
        self._key: object = None
        session.changed.connect(self.refresh)
        session.selection_changed.connect(self.refresh)

    def refresh(self) -> None:
        """Follow the document and what is chosen, while the sheet is seen."""
        raise NotImplementedError

    def showEvent(self, event: object) -> None:
        self.refresh()

    def _lay_place(self, place: PlaceFold) -> None:
        self.place = place
        place.folded.connect(self._on_place_folded)
        self._box.addWidget(place)

    def _on_place_folded(self, shut: bool) -> None:
        self._place_shut = shut
