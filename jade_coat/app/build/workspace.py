"""Build: materials are made of coats."""

from __future__ import annotations

from jade_coat.app.build.bush_maker import BushMaker
from jade_coat.app.build.card_maker import CardMaker
from jade_coat.app.build.coat_clipboard import copy_coat, paste_coat
from jade_coat.app.build.field_maker import FieldMaker
from jade_coat.app.build.finish_table import FinishTable
from jade_coat.app.build.maker import Maker
from jade_coat.app.build.mote_maker import MoteMaker
from jade_coat.app.build.steps_sheet import StepsSheet
from jade_coat.app.commands import command
from jade_coat.app.dialogs.stock import Stock
from jade_coat.app.workspaces.workspace import Workspace
from jade_coat.files.library import mean_color
from jade_coat.maps.mapset import MapSet
from jade_coat.mesh.data import MeshData
from jade_coat.mesh.makers import Bush, Card, CardField, Made
from jade_coat.stage import edits
from jade_coat.stage.making import FILL, filled, placed_mesh
from jade_coat.stage.mesh_assets import MeshAsset

MAKERS: dict[type[Made], type[Maker]] = {Bush: BushMaker, Card: CardMaker, CardField: FieldMaker}
"""The sheet of each kind of maker."""


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

    @command("Make")
    def new_card(self) -> Maker:
        """New card…"""
        return self._open_maker(Card)

    @command("Make")
    def new_bush(self) -> Maker:
        """New bush of cards…"""
        return self._open_maker(Bush)

    @command("Make")
    def new_motes(self) -> MoteMaker:
        """New map of motes…"""
        self._motes = MoteMaker(self.window, self.session)
        self._motes.show()
        return self._motes

    @command("Make")
    def new_card_field(self) -> Maker:
        """New card field…"""
        return self._open_maker(CardField)

    @command("Make")
    def make_anew(self) -> Maker | None:
        """Make the chosen mesh anew…"""
        prop = self.session.prop
        mesh = self.session.project.mesh(prop.mesh) if prop is not None else None
        if mesh is None or mesh.made is None:
            self.session.said.emit(
                "Choose a prop that was made from numbers first: a card, a bush, a card field.", True
            )
            return None
        return self._open_maker(type(mesh.made), mesh)

    def _open_numbers(self, thing: MeshAsset | MapSet) -> None:
        """Open what a mesh or a map set was made from."""
        if isinstance(thing, MeshAsset):
            assert thing.made is not None
            self._open_maker(type(thing.made), thing)
            return
        self._motes = MoteMaker(self.window, self.session, thing)
        self._motes.show()

    def _open_maker(self, kind: type[Made], mesh: MeshAsset | None = None) -> Maker:
        self._maker = MAKERS[kind](self.window, self.session, self._place_made, mesh)
        self._maker.show()
        return self._maker

    def _place_made(self, mesh: MeshData, name: str, numbers: Made, mark: str) -> None:
        """A prop of a new mesh where the camera looks, on the ground, in the chosen finish."""
        session = self.session
        x, _, z = session.camera.target

        def keep(data: MeshData, wanted: str, taken: set[str]) -> MeshAsset:
            kept: MeshAsset = session.library.add_mesh(data, wanted, taken).with_(made=numbers, made_of=mark)
            return kept

        made = placed_mesh(session.project, keep, mesh, name, (x, 0.0, z))
        finish, slot = session.finish_id, made.asset.slots[0]
        dress = [edits.put_finish(prop=made.prop.id, slot=slot, finish=finish)] if finish else []
        if FILL in made.asset.slots and session.material is not None:
            dress += filled(
                session.project,
                made.prop.id,
                session.material,
                mean_color(session.library, session.project, session.material),
            )
        if session.do_all(f"Make {name.lower()}", [*made.steps, *dress]):
            session.choose_prop(made.prop.id, slot)

    @command("Edit", "Ctrl+L")
    def show_stock(self) -> Stock:
        """Stock: materials, map sets, recipes…"""
        if self._stock is None:
            self._stock = Stock(self.window, self.session, self.bench.swatches)
            self._stock.numbers_wanted.connect(self._open_numbers)
        self._stock.show()
        return self._stock

    @command("Edit", "Ctrl+R")
    def show_recipes(self) -> StepsSheet:
        """Recipes…"""
        self._recipes = StepsSheet(self.window, self.session)
        self._recipes.show()
        return self._recipes
