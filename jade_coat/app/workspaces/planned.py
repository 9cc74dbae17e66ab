"""Pages of the workspaces that are still to come: they say plainly what will be there."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtWidgets import QWidget

from jade_coat.app.controls.basics import button, column, holder, label, row

PLANNED = {
    "Ground": (
        "Terrain layers, painted and shared out",
        ["Heights from a file or by hand", "Layers that fill low places first, damp hollows, water",
         "Plants and stones strewn by layer, slope and mask"],
    ),
    "Stage": (
        "Props in their place",
        ["Placing, turning and arranging props", "Decals laid onto whatever is in their box",
         "Variants: one table of slots and looks for each model"],
    ),
    "Check": (
        "What it all costs",
        ["Cost of each coat and step, by rate", "Findings with a remedy for each",
         "Repetition from afar, texture sizes side by side"],
    ),
    "Deliver": (
        "Handing over",
        ["Baking in bulk, on several machines", "MaterialX documents and packed maps",
         "GLSL with a parameter sheet (now from the command line: jade-coat glsl)"],
    ),
}  # fmt: skip


class PlannedPage(QWidget):
    """A heading, what is to come, and what can be done already."""

    def __init__(self, name: str, actions: list[tuple[str, Callable[[], object]]]) -> None:
        super().__init__()
        title, points = PLANNED[name]
        lines = [label(title, "title"), label(f"{name} is not built yet. This is what will be here:", "quiet")]
        lines += [label(f"–  {p}") for p in points]
        buttons = [button(text, do) for text, do in actions]
        if buttons:
            lines.append(label("What works today:", "quiet"))
        body = column(*lines, gap=10)
        body.addLayout(row(*buttons, 1))
        inner = holder(body)
        inner.setMaximumWidth(560)
        page = column(1, holder(row(1, inner, 1)), 1)
        self.setLayout(page)
        self.setObjectName("stack")
