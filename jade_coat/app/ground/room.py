"""What Ground has in the bench: tools and layers, the meter with the land along a line, and the layer's numbers."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QWidget

from jade_coat.app.ground.layer_sheet import LayerSheet
from jade_coat.app.ground.meter import Meter
from jade_coat.app.ground.panel import GroundPanel

if TYPE_CHECKING:
    from jade_coat.app.session import Session
    from jade_coat.app.workspaces.bench import Bench


class GroundRoom:
    """The parts of Ground round the view."""

    word = "Meter"

    def __init__(self, session: Session, bench: Bench) -> None:
        self.left = self.panel = GroundPanel(session, bench.ground)
        bench.path_tool.laid.connect(self.panel.paths.laid)
        self.layer_sheet = LayerSheet(session, bench.ground)
        self.sheets = (self.layer_sheet,)
        self.below = self.meter = Meter(session, bench.ground, bench.ground_tool)

    @property
    def waiting(self) -> bool:
        """Whether costs are being worked out, or rules run."""
        return self.meter.waiting or self.panel.rules.working

    def sheet(self) -> QWidget:
        """The numbers of the layer that is worked on."""
        return self.layer_sheet
