"""Ground: land is shaped, and layers of finishes are painted on it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent

from jade_coat.app.commands import command
from jade_coat.app.ground.land_sheet import LandSheet
from jade_coat.app.workspaces.workspace import Workspace

if TYPE_CHECKING:
    from jade_coat.app.project_window import ProjectWindow
    from jade_coat.app.workspaces.bench import Bench


class Ground(Workspace):
    """Layers at the left, the view to shape and paint in, the meter below, the layer's numbers at the right."""

    name = "Ground"
    narrow = True
    shut = frozenset({"looks", "finishes"})

    def __init__(self, window: ProjectWindow, bench: Bench) -> None:
        super().__init__(window, bench)
        self._state = bench.ground
        bench.ground_panel.new_land.clicked.connect(lambda _=False: self.new_land())

    def enter(self) -> None:
        """Ground: shape land and paint layers."""
        self.bench.panes.enter(self.name, self.shut)
        self.bench.set_tool("ground")
        self.bench.view.setFocus()

    def key(self, event: QKeyEvent) -> bool:
        """1 to 9 choose a layer, from the lowest up."""
        ground, digit = self._state.ground, event.key() - Qt.Key.Key_1
        if ground is not None and 0 <= digit < min(len(ground.layers), 9) and not event.modifiers():
            self._state.choose_layer(ground.layers[digit].id)
            return True
        return False

    @command("Ground")
    def new_land(self) -> LandSheet:
        """New land…"""
        self._sheet = LandSheet(self.window, self.session, self._state)
        self._sheet.show()
        return self._sheet

    @command("Ground", "A")
    def smaller_ground_brush(self) -> None:
        """Smaller brush on the ground."""
        self._state.scale(1 / 1.15)

    @command("Ground", "D")
    def larger_ground_brush(self) -> None:
        """Larger brush on the ground."""
        self._state.scale(1.15)
