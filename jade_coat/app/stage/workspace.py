"""Stage: props in their places, and what each of them wears."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, cast

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QMenu

from jade_coat.app.commands import command
from jade_coat.app.dialogs.files import ask_file
from jade_coat.app.importing import bring_stamp
from jade_coat.app.stage.clipboard import copy_things, paste_things
from jade_coat.app.workspaces.workspace import Workspace
from jade_coat.maps.images import PICTURES
from jade_coat.view.link import PREVIEW_SHAPES, SHAPE_LABELS

if TYPE_CHECKING:
    from jade_coat.app.stage.room import StageRoom

_NUDGES = {
    Qt.Key.Key_Left: (-1, 0, 0), Qt.Key.Key_Right: (1, 0, 0), Qt.Key.Key_Up: (0, 0, -1), Qt.Key.Key_Down: (0, 0, 1),
    Qt.Key.Key_PageUp: (0, 1, 0), Qt.Key.Key_PageDown: (0, -1, 0),
}  # fmt: skip


class Stage(Workspace):
    """The list of things at the left, the view to place them in, the line-up below, and only dials at the right."""

    name = "Stage"
    narrow = True
    shut = frozenset({"looks", "finishes"})

    def __init__(self, window, bench) -> None:  # type: ignore[no-untyped-def]
        super().__init__(window, bench)
        self._deeds = bench.deeds
        bench.makers["stage"] = self._make_room
        bench.stage_menu_wanted.connect(lambda at: self.room.panel.open_menu(at))

    @property
    def room(self) -> StageRoom:
        """Its parts round the view."""
        return cast("StageRoom", self.bench.room("stage"))

    def _make_room(self) -> StageRoom:
        from jade_coat.app.stage.room import StageRoom  # the window need not wait for it

        made = StageRoom(self.session, self.bench)
        made.stamps.picture_wanted.connect(self._ask_picture)
        made.panel.place.clicked.connect(lambda _=False: self.place_something())
        return made

    def enter(self) -> None:
        """Stage: place props, and choose what they wear."""
        self.bench.panes.enter(self.name, self.shut)
        self.bench.set_tool("stage")
        if not self.session.chosen and self.session.prop is not None:
            self.session.choose_things((self.session.prop_id,), self.session.slot)
        self.bench.view.setFocus()

    def takes_picture(self, path: Path) -> bool:
        """A picture becomes a stamp, which is taken in hand."""
        made = bring_stamp(self.window, path)
        if made is not None:
            self.room.below.show_page(1)
            kept = self.session.project.stamps[-1]
            self.bench.stamp_tool.take(kept.decal)
        return True

    def _ask_picture(self) -> None:
        path = ask_file(self.window, "A picture for a stamp", "Pictures", PICTURES)
        if path is not None:
            self.takes_picture(path)

    def key(self, event: QKeyEvent) -> bool:
        """Alt with arrows and page keys moves what is chosen by steps; comma and point turn it; Esc chooses nothing."""
        if event.modifiers() & Qt.KeyboardModifier.AltModifier and event.key() in _NUDGES:
            self._deeds.nudge(*_NUDGES[Qt.Key(event.key())])
            return True
        if event.key() in (Qt.Key.Key_Comma, Qt.Key.Key_Period):
            self._deeds.turn(1 if event.key() == Qt.Key.Key_Comma else -1)
            return True
        if event.key() == Qt.Key.Key_Escape and self.session.chosen:
            self.session.choose_things(())
            return True
        return False

    @command("Stage", "Ctrl+Shift+A")
    def place_something(self) -> None:
        """Place something…"""
        window, deeds = self.window, self._deeds
        self.menu = QMenu(self.bench)
        for mesh in self.session.project.meshes:
            self.menu.addAction(mesh.name, partial(deeds.place, mesh.id))
        self.menu.addSeparator()
        for shape, words in SHAPE_LABELS.items():
            self.menu.addAction(words, partial(self._place_shape, shape))
        self.menu.addSeparator()
        self.menu.addAction("A lamp", partial(deeds.place_lamp, False))
        self.menu.addAction("A spot lamp", partial(deeds.place_lamp, True))
        self.menu.addAction("Mist", deeds.place_mist)
        self.menu.addSeparator()
        self.menu.addAction("A mesh from a file…", window.import_mesh)  # type: ignore[attr-defined]
        at = self.room.panel.place
        self.menu.popup(at.mapToGlobal(at.rect().bottomLeft()))

    def _place_shape(self, shape: str) -> None:
        self._deeds.place_new(PREVIEW_SHAPES[shape](), SHAPE_LABELS[shape])

    @command("Stage", "Ctrl+C")
    def copy_things(self) -> None:
        """Copy what is chosen on the stage."""
        copy_things(self.session)

    @command("Stage", "Ctrl+V")
    def paste_things(self) -> None:
        """Paste things onto the stage."""
        paste_things(self.session)

    @command("Stage", "Ctrl+D")
    def duplicate(self) -> None:
        """Duplicate what is chosen."""
        self._deeds.duplicate()

    @command("Stage", "Delete")
    def remove(self) -> None:
        """Remove what is chosen."""
        self._deeds.remove()

    @command("Stage", "G")
    def drop(self) -> None:
        """Drop what is chosen onto what is below."""
        self._deeds.drop()

    @command("Stage", "Ctrl+G")
    def group(self) -> None:
        """Group what is chosen."""
        self._deeds.group()

    @command("Stage", "Ctrl+Shift+G")
    def ungroup(self) -> None:
        """Dissolve the chosen groups."""
        self._deeds.ungroup()

    @command("Stage", "H")
    def hide(self) -> None:
        """Hide what is chosen, or show it."""
        self._deeds.hide()

    @command("Stage", "Shift+H")
    def show_all(self) -> None:
        """Show everything hidden."""
        self._deeds.show_all()

    @command("Stage", "L")
    def lock(self) -> None:
        """Lock what is chosen, or unlock it."""
        self._deeds.lock()

    @command("Stage", "U")
    def upright(self) -> None:
        """Straighten what is chosen."""
        self._deeds.upright()

    @command("Stage", "T")
    def tip_wheel(self) -> None:
        """Tip the wheel onto the next axis."""
        self.bench.wheel.tip_over()

    @command("Stage", "R")
    def draw_frame(self) -> None:
        """Choose by a frame: drag it over the view."""
        self.bench.frame.armed = True
        self.session.said.emit("Drag a frame round what is to be chosen.", False)

    @command("Stage", "I")
    def aim(self) -> None:
        """Aim the chosen lamps: press what they should shine on."""
        self.bench.aim.take()

    @command("Stage", "Y")
    def swap_below(self) -> None:
        """Show the next page below: line-up, stamps, word kiln."""
        below = self.room.below
        below.show_page((below.pages.currentIndex() + 1) % below.pages.count())

    @command("Stage", "Shift+K")
    def word_kiln(self) -> None:
        """Write words for the kiln."""
        self.room.below.show_page(2)
        self.room.kiln.words.setFocus()

    @command("Stage", "K")
    def quarter_turn(self) -> None:
        """Roll the stamp in hand by a quarter turn."""
        self.bench.stamp_tool.quarter()

    @command("Stage", "Ctrl+A")
    def choose_all(self) -> None:
        """Choose everything that is seen."""
        project = self.session.project
        self.session.choose_things(p.id for p in project.props if project.shows(p))
