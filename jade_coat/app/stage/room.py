"""What Stage has in the bench: the list of things, line-up, stamps and kiln, and the sheets of what is chosen."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QInputDialog, QWidget

from jade_coat.app.stage.below import StageBelow
from jade_coat.app.stage.decal_sheet import DecalSheet
from jade_coat.app.stage.kiln import KilnPage
from jade_coat.app.stage.lamp_sheet import LampSheet
from jade_coat.app.stage.line_up import LineUp
from jade_coat.app.stage.panel import StagePanel
from jade_coat.app.stage.sheet import StageSheet
from jade_coat.app.stage.stamp_gallery import StampGallery
from jade_coat.stage import edits
from jade_coat.stage.decals import Decal
from jade_coat.stage.lamps import Lamp, Mist

if TYPE_CHECKING:
    from jade_coat.app.session import Session
    from jade_coat.app.workspaces.bench import Bench


class StageRoom:
    """The parts of Stage round the view."""

    word = "Line-up"

    def __init__(self, session: Session, bench: Bench) -> None:
        self._session, self._bench, swatches = session, bench, bench.swatches
        self.left = self.panel = StagePanel(session, swatches, bench.stage_hand, self._menu())
        self.stage_sheet, self.decal_sheet = StageSheet(session, swatches), DecalSheet(session, swatches)
        self.lamp_sheet = LampSheet(session, bench.aim.take)
        self.sheets = (self.stage_sheet, self.decal_sheet, self.lamp_sheet)
        self.line_up = LineUp(session, swatches)
        self.stamps = StampGallery(session, swatches, bench.stamp_tool)
        self.kiln = KilnPage(session)
        self.below = StageBelow(self.line_up, self.stamps, self.kiln)

    @property
    def waiting(self) -> bool:
        """Whether the line-up or the kiln is at work."""
        return self.line_up.waiting or self.kiln.waiting

    def sheet(self) -> QWidget:
        """The dials of what was chosen last: a prop's, or the settings of another thing."""
        last = self._session.chosen_last
        if isinstance(last, Decal):
            return self.decal_sheet
        return self.lamp_sheet if isinstance(last, (Lamp, Mist)) else self.stage_sheet

    def _menu(self) -> list[tuple[str, Callable[[], object]]]:
        """What is offered for the things chosen on the stage."""
        deeds = self._bench.deeds
        return [
            ("Duplicate", deeds.duplicate), ("Drop onto what is below", deeds.drop), ("Straighten", deeds.upright),
            ("-", deeds.group), ("Group", deeds.group), ("Dissolve the group", deeds.ungroup),
            ("Hide or show", deeds.hide), ("Lock or unlock", deeds.lock), ("Rename…", self._rename_chosen),
            ("-", deeds.remove), ("Remove", deeds.remove),
        ]  # fmt: skip

    def _rename_chosen(self) -> None:
        found = self._session.chosen_last
        if found is None:
            return
        name, ok = QInputDialog.getText(self._bench, "Rename", "Name", text=found.name)
        if ok and name.strip():
            self._session.do(edits.rename_thing(thing=found.id, name=name))
