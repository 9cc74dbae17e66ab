"""What can be found by typing: commands, workspaces, and everything in the project, each with where it leads."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from functools import partial
from typing import Any, Protocol

from jade_coat.app import preferences, theme
from jade_coat.app.commands import Bound
from jade_coat.app.dialogs.finder import Entry
from jade_coat.app.session import Session
from jade_coat.app.workspaces.bench import Bench
from jade_coat.stage.looks import material_of


class Window(Protocol):
    """What is found leads to: the window's parts."""

    session: Session
    bench: Bench
    workspaces: dict[str, Any]

    def commands(self) -> list[Bound]:
        """All commands."""

    def show_workspace(self, name: str) -> None:
        """Go to a workspace."""

    def swap_theme(self) -> None:
        """Swap the themes."""

    def undo_memory(self) -> None:
        """Ask for the memory of undo."""


def entries_of(window: Window) -> list[Entry]:
    """Everything there is to find or do, commands first."""
    return [*_commands(window), *_things(window), *_parts(window), *_settings(window)]


def _commands(window: Window) -> Iterator[Entry]:
    for bound in window.commands():
        yield Entry(bound.command.title, bound.command.keys.replace(" ", " or "), bound.do)
    for name in window.workspaces:
        yield Entry(f"Go to {name}", "workspace", partial(window.show_workspace, name))


def _things(window: Window) -> Iterator[Entry]:
    session, project = window.session, window.session.project
    for finish in project.finishes:
        yield Entry(finish.name, "finish", _in_build(window, "finishes", session.choose_finish, finish.id))
    for prop in project.props:
        yield Entry(prop.name, "prop", partial(session.choose_prop, prop.id, project.mesh(prop.mesh).slots[0]))
    for group, kind, word in (
        (project.materials, "materials", "material"), (project.map_sets, "map_sets", "map set"),
        (project.meshes, "meshes", "mesh"),
    ):  # fmt: skip
        for thing in group:
            yield Entry(thing.name, word, partial(_in_stock, window, kind, thing.id))
    for recipe in project.recipes:
        yield Entry(recipe.name, "recipe", partial(_recipe, window, recipe.id))


def _parts(window: Window) -> Iterator[Entry]:
    """Coats of all materials, and dials of the finish at hand."""
    session, project = window.session, window.session.project
    for material in project.materials:
        worn = next((f.id for f in project.finishes if material_of(project, f.id) is material), material.id)
        for coat in material.coats:
            yield Entry(coat.name, f"coat of {material.name}", partial(_coat, window, worn, coat.id))
    now = session.material
    for dial in now.dials if now is not None else ():
        yield Entry(dial.name, f"dial, {dial.group}" if dial.group else "dial", partial(_dial, window, dial.id))
    for shared in project.shared:
        yield Entry(shared.name, "shared dial", partial(window.bench.panes.open, "dials"))


def _settings(window: Window) -> Iterator[Entry]:
    other = "Porcelain" if theme.current().name == "Inkstone" else "Inkstone"
    yield Entry(f"Theme: {theme.current().name}", f"setting, to {other}", window.swap_theme)
    held = preferences.recall(preferences.UNDO_MEGABYTES)
    yield Entry(f"Memory for undo: {held} MB", "setting", window.undo_memory)


def _in_build(window: Window, pane: str, do: Callable[[str], None], wanted: str) -> Callable[[], None]:
    def go() -> None:
        window.bench.panes.open(pane)
        do(wanted)

    return go


def _in_stock(window: Window, kind: str, wanted: str) -> None:
    stock = window.workspaces["Build"].show_stock()
    stock.show_kind(kind)
    stock.point_at(wanted)


def _recipe(window: Window, recipe: str) -> None:
    sheet = window.workspaces["Build"].show_recipes()
    sheet.chosen = recipe
    sheet.refresh()


def _coat(window: Window, finish: str, coat: str) -> None:
    window.show_workspace("Build")
    window.bench.panes.open("panel")
    session = window.session
    if session.material is None or coat not in {c.id for c in session.material.coats} or (
        material_of(session.project, finish).id != session.material.id
    ):  # fmt: skip
        session.choose_finish(finish)
    session.choose_coat(coat)


def _dial(window: Window, dial: str) -> None:
    window.bench.panes.open("dials")
    field = window.bench.dials.fields.get(dial)
    if field is not None:
        window.bench.dials.bring_into_sight(field)
        field.setFocus()
