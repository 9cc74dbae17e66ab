"""The workspaces that are still to come: their pages say plainly what will be there."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, ClassVar

from PyQt6.QtWidgets import QWidget

from jade_coat.app.controls.basics import button, column, holder, label, row
from jade_coat.app.workspaces.workspace import Workspace

if TYPE_CHECKING:
    from jade_coat.app.project_window import ProjectWindow
    from jade_coat.app.workspaces.bench import Bench

PLANNED = {
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


class Planned(Workspace):
    """A workspace that is not built yet."""

    works_today: ClassVar[tuple[tuple[str, str], ...]] = ()
    """What can be done already: words, and the name of the window's method."""

    def __init__(self, window: ProjectWindow, bench: Bench) -> None:
        super().__init__(window, bench)
        self._page = PlannedPage(self.name, [(text, getattr(window, name)) for text, name in self.works_today])

    @property
    def page(self) -> QWidget:
        """What will be there."""
        return self._page


class Check(Planned):
    """Costs and findings."""

    name = "Check"


class Deliver(Planned):
    """Handing over."""

    name = "Deliver"
    works_today = (("Export a GLB…", "export_scene"),)
