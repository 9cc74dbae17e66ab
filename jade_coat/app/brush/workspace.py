"""Brush: props are painted."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent

from jade_coat.app.commands import command
from jade_coat.app.workspaces.workspace import Workspace

if TYPE_CHECKING:
    from jade_coat.app.project_window import ProjectWindow
    from jade_coat.app.workspaces.bench import Bench


class Brush(Workspace):
    """The brush's panel at the left, the view to paint in."""

    name = "Brush"
    shut = frozenset({"section", "finishes"})

    def __init__(self, window: ProjectWindow, bench: Bench) -> None:
        super().__init__(window, bench)
        self._suited = ""
        """The material that the brush was last suited to."""
        self.session.selection_changed.connect(self._suit)

    def enter(self) -> None:
        """Brush: paint on props."""
        self.bench.panes.enter(self.name, self.shut)
        self.bench.set_tool("brush")
        self._suit()
        self.bench.view.setFocus()

    def _suit(self) -> None:
        """A stroke should show: on another material, the brush starts with a channel that it reads."""
        material = self.session.material
        if material is None or self.bench.view.tool != "brush" or material.id == self._suited:
            return
        self._suited = material.id
        own = [t.painted.channel for c in material.coats if c.id == self.session.coat_id
               for t in c.where if t.painted is not None]  # fmt: skip
        read = material.paint_uses(self.session.link.lookup, self.bench.brush.color_set)
        self.bench.brush.suit([*(c for c in own if c in read), *read])

    def key(self, event: QKeyEvent) -> bool:
        """1 to 4 choose the brush's channels; with Ctrl one more."""
        digit = event.key() - Qt.Key.Key_1
        if 0 <= digit < 4:
            self.bench.brush.choose_channel(digit, bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier))
            return True
        return False

    @command("Brush", "E")
    def pick_value(self) -> None:
        """Pick the value under the pointer to paint with."""
        if self.bench.view.tool == "brush":
            self.bench.brush_tool.pick_value()

    @command("Brush", "X")
    def swap_brush(self) -> None:
        """Swap the two values that the brush paints toward."""
        self.bench.brush.swap()

    @command("Brush", "A")
    def smaller_brush(self) -> None:
        """Smaller brush."""
        self.bench.brush.scale(1 / 1.15)

    @command("Brush", "D")
    def larger_brush(self) -> None:
        """Larger brush."""
        self.bench.brush.scale(1.15)
