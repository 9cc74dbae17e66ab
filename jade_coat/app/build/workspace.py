"""Build: materials are made of coats."""

from __future__ import annotations

from jade_coat.app.build.coat_clipboard import copy_coat, paste_coat
from jade_coat.app.build.finish_table import FinishTable
from jade_coat.app.build.steps_sheet import StepsSheet
from jade_coat.app.commands import command
from jade_coat.app.dialogs.stock import Stock
from jade_coat.app.workspaces.workspace import Workspace


class Build(Workspace):
    """The coat's panel at the left, the view to look with, the section below."""

    name = "Build"
    _stock: Stock | None = None

    def enter(self) -> None:
        """Look: turn the view, choose props."""
        self.bench.panes.enter(self.name, self.shut)
        self.bench.set_tool("look")
        self.bench.view.setFocus()

    @command("Edit", "Ctrl+Shift+F")
    def new_finish(self) -> None:
        """New finish from the chosen one."""
        self.bench.rail.new_finish()

    @command("Edit", "Ctrl+Shift+C")
    def add_coat(self) -> None:
        """Add a coat on top."""
        self.bench.stack.add_coat()

    @command("Edit", "Ctrl+C")
    def copy_coat(self) -> None:
        """Copy the chosen coat."""
        copy_coat(self.session)

    @command("Edit", "Ctrl+V")
    def paste_coat(self) -> None:
        """Paste a coat on top."""
        paste_coat(self.session)

    @command("Edit", "Ctrl+T")
    def compare_finishes(self) -> FinishTable:
        """Finishes side by side…"""
        self._table = FinishTable(self.window, self.session, self.bench.swatches)
        self._table.show()
        return self._table

    @command("Edit", "Ctrl+L")
    def show_stock(self) -> Stock:
        """Stock: materials, map sets, recipes…"""
        if self._stock is None:
            self._stock = Stock(self.window, self.session, self.bench.swatches)
        self._stock.show()
        return self._stock

    @command("Edit", "Ctrl+R")
    def show_recipes(self) -> StepsSheet:
        """Recipes…"""
        self._recipes = StepsSheet(self.window, self.session)
        self._recipes.show()
        return self._recipes
