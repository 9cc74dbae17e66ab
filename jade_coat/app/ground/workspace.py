"""Ground: land is shaped, and layers of finishes are painted on it."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, cast

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QFileDialog

from jade_coat.app.commands import command
from jade_coat.app.dialogs.common import ProgressDialog
from jade_coat.app.dialogs.files import ask_file, ask_folder
from jade_coat.app.ground.height_sheet import HeightSheet
from jade_coat.app.ground.land_sheet import LandSheet
from jade_coat.app.workspaces.workspace import Workspace
from jade_coat.files.atomic import write_atomic
from jade_coat.files.height_files import HEIGHT_FILES, Read, heights_bytes, read_heights
from jade_coat.jobs.words import told
from jade_coat.stage.grounds import Ground as GroundThing

if TYPE_CHECKING:
    from jade_coat.app.ground.hand_over_sheet import HandOverSheet
    from jade_coat.app.ground.room import GroundRoom
    from jade_coat.app.project_window import ProjectWindow
    from jade_coat.app.workspaces.bench import Bench
    from jade_coat.bake.ground_files import GroundFiles


class Ground(Workspace):
    """Layers at the left, the view to shape and paint in, the meter below, the layer's numbers at the right."""

    name = "Ground"
    narrow = True
    shut = frozenset({"looks", "finishes"})

    def __init__(self, window: ProjectWindow, bench: Bench) -> None:
        super().__init__(window, bench)
        self._state = bench.ground
        bench.makers["ground"] = self._make_room

    @property
    def room(self) -> GroundRoom:
        """Its parts round the view."""
        return cast("GroundRoom", self.bench.room("ground"))

    def _make_room(self) -> GroundRoom:
        from jade_coat.app.ground.room import GroundRoom  # the window need not wait for it

        made = GroundRoom(self.session, self.bench)
        made.panel.new_land.clicked.connect(lambda _=False: self.new_land())
        made.panel.bring.clicked.connect(lambda _=False: self.bring_heights())
        made.panel.hand_over.clicked.connect(lambda _=False: self.hand_over_ground())
        self.bench.ground_tool.land_shaped.connect(made.panel.rules.run_again)
        return made

    def enter(self) -> None:
        """Ground: shape land and paint layers."""
        self.bench.panes.enter(self.name, self.shut)
        self.bench.set_tool("ground")
        if self._state.layer is not None:
            self._state.choose_layer(self._state.layer.id)
        self.bench.view.setFocus()

    def key(self, event: QKeyEvent) -> bool:
        """1 to 9 choose a layer, from the lowest up; Delete takes out a point of the path in hand."""
        if event.key() in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and self.bench.path_tool.take_out():
            return True
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

    @command("Ground")
    def make_land_anew(self) -> None:
        """Make the land anew from other numbers…"""
        ground = self._state.ground
        if ground is None or ground.land is None:
            self.session.said.emit("The ground at hand was not made from numbers, or was sculpted since.", True)
            return
        self._sheet = LandSheet(self.window, self.session, self._state, ground.id)
        self._sheet.accepted.connect(self.room.panel.rules.run_again)
        self._sheet.show()

    @command("Ground")
    def bring_heights(self) -> None:
        """Heights from a file…"""
        path = ask_file(self.window, "Heights for a ground", "Heights", HEIGHT_FILES)
        if path is not None:
            self.read_heights(path)

    def read_heights(self, path: Path) -> None:
        """Read a file of heights beside the window, and ask how they are to lie."""

        def done(read: Read) -> None:
            self.height_sheet = HeightSheet(self.window, self.session, self._state, path, read)
            self.height_sheet.accepted.connect(self.room.panel.rules.run_again)
            self.height_sheet.show()

        failed = lambda error: self.session.said.emit(f"No heights: {told(error)}", True)  # noqa: E731
        self.session.work(lambda: read_heights(path.read_bytes(), path.name), done, failed)

    @command("Ground")
    def save_heights(self) -> None:
        """Write the heights into a file…"""
        ground = self._state.ground
        if ground is None:
            return
        name, _ = QFileDialog.getSaveFileName(
            self.window, "Write the heights", f"{ground.name}.tif", "Heights (*.tif *.png *.exr *.npy)"
        )
        if name:
            self.write_heights(ground, Path(name))

    def write_heights(self, ground: GroundThing, path: Path) -> None:
        """Write the heights of a ground beside the window."""

        def work() -> None:
            write_atomic(path, heights_bytes(ground.heights, path.suffix.lower()))

        low, high = ground.heights.low, ground.heights.high
        done = lambda _: self.session.said.emit(f"{path.name} written: {low:.2f} to {high:.2f} m", False)  # noqa: E731
        failed = lambda error: self.session.said.emit(f"Not written: {told(error)}", True)  # noqa: E731
        self.session.work(work, done, failed)

    @command("Ground")
    def hand_over_ground(self) -> HandOverSheet | None:
        """Hand over the ground as files…"""
        from jade_coat.app.ground.hand_over_sheet import HandOverSheet  # what writes the files is slow to import

        ground = self._state.ground
        if ground is None:
            self.session.said.emit("There is no ground to hand over yet.", True)
            return None

        def choose(wanted: GroundFiles) -> None:
            folder = ask_folder(self.window, "Write the ground into which folder?", "Exports")
            if folder is not None:
                self.write_ground(ground.id, wanted, folder)

        self.files_sheet = HandOverSheet(self.window, ground, choose)
        self.files_sheet.show()
        return self.files_sheet

    def write_ground(self, ground: str, wanted: GroundFiles, folder: Path) -> ProgressDialog:
        """Write the files of a ground into a folder beside the window."""
        from jade_coat.app.ground.hand_over_sheet import write_ground

        return write_ground(self.window, self.session, ground, wanted, folder)

    @command("Ground", "A")
    def smaller_ground_brush(self) -> None:
        """Smaller brush on the ground."""
        self._state.scale(1 / 1.15)

    @command("Ground", "D")
    def larger_ground_brush(self) -> None:
        """Larger brush on the ground."""
        self._state.scale(1.15)
