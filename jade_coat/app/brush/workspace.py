"""Brush: props are painted."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent

from jade_coat.app.commands import command
from jade_coat.app.workspaces.workspace import Workspace


class Brush(Workspace):
    """The brush's panel at the left, the view to paint in."""

    name = "Brush"

    def enter(self) -> None:
        """Brush: paint on props."""
        self.bench.set_tool("brush")
        self.bench.view.setFocus()

    def key(self, event: QKeyEvent) -> bool:
        """1 to 4 choose the brush's channels; with Ctrl one more."""
        digit = event.key() - Qt.Key.Key_1
        if 0 <= digit < 4:
            self.bench.brush.choose_channel(digit, bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier))
            return True
        return False

    @command("View", "E")
    def pick_value(self) -> None:
        """Pick the value under the pointer to paint with."""
        if self.bench.view.tool == "brush":
            self.bench.brush_tool.pick_value()

    @command("View", "X")
    def swap_brush(self) -> None:
        """Swap the two values that the brush paints toward."""
        self.bench.brush.swap()

    @command("View", "A")
    def smaller_brush(self) -> None:
        """Smaller brush."""
        self.bench.brush.scale(1 / 1.15)

    @command("View", "D")
    def larger_brush(self) -> None:
        """Larger brush."""
        self.bench.brush.scale(1.15)
