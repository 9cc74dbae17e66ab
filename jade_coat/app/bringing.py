"""The part of the window that brings files in and hands them over: meshes, maps, other projects, GLB."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtGui import QDragEnterEvent, QDropEvent

from jade_coat.app import beginning, importing, making
from jade_coat.app.commands import command
from jade_coat.app.dialogs.common import ExportSize, ProgressDialog
from jade_coat.app.dialogs.files import ask_file, ask_files, ask_folder, ask_new_file
from jade_coat.app.dialogs.take_over import TakeOver, UpdateTaken
from jade_coat.app.project_window import ProjectWindow
from jade_coat.files.mesh_files import MESHES
from jade_coat.files.project_folder import BadProject
from jade_coat.formats import by_suffix
from jade_coat.jobs.apart import apart
from jade_coat.jobs.words import told
from jade_coat.maps.images import is_image_name
from jade_coat.stage.project import Prop

if TYPE_CHECKING:
    from jade_coat.bake.exporting import Written


class BringingWindow(ProjectWindow):
    """A window that takes files in, by commands and by drops, and writes them."""

    @command("Project")
    def open_demo(self) -> None:
        """Open the demo."""
        self._leave_for(lambda: beginning.open_demo(self))

    @command("Bring in", "Ctrl+I")
    def import_mesh(self) -> None:
        """Import meshes…"""
        paths = ask_files(self, "Import meshes", "Meshes", MESHES)
        if paths:
            importing.bring_meshes(self, paths)

    @command("Bring in", "Ctrl+Shift+I")
    def import_mesh_anew(self) -> None:
        """Import the chosen prop's mesh anew…"""
        if self.session.prop is None:
            self.say("Choose the prop whose mesh is to be imported anew first.", True)
            return
        path = ask_file(self, "Import its mesh anew", "Meshes", MESHES)
        if path is not None:
            importing.bring_mesh_anew(self, path)

    @command("Bring in", "Ctrl+M")
    def import_maps(self) -> None:
        """Import a folder of maps…"""
        folder = ask_folder(self, "Import a folder of maps", "Maps")
        if folder is not None:
            importing.bring_maps(self, folder)

    @command("Bring in", "Ctrl+Shift+N")
    def new_material(self) -> None:
        """New material…"""
        making.make_material(self)

    @command("Bring in")
    def correct_maps(self) -> None:
        """Correct the maps of the chosen coat…"""
        importing.correct_maps(self)

    @command("Bring in")
    def choose_texture_size(self) -> None:
        """Texture size of the chosen coat…"""
        importing.choose_texture_size(self)

    @command("Bring in", "Ctrl+Shift+T")
    def take_from_project(self) -> None:
        """Take over from another project…"""
        folder = ask_folder(self, "Take over from which project?", "Projects")
        if folder is not None:
            self.take_from(folder)

    def take_from(self, folder: Path) -> TakeOver | None:
        """Show what another project has; what is ticked there comes into this one."""
        try:
            dialog = TakeOver(self, self.session, folder)
        except BadProject as error:
            self._tell("Nothing was taken over", [told(error)])
            return None
        dialog.accepted.connect(dialog.run)
        dialog.open()
        return dialog

    @command("Bring in")
    def update_taken(self) -> UpdateTaken | None:
        """Update what was taken over…"""
        if not self.session.project.origins:
            self.say("Nothing here was taken over from another project yet: Ctrl+Shift+T takes something over.", True)
            return None
        dialog = UpdateTaken(self, self.session)
        dialog.accepted.connect(dialog.run)
        dialog.open()
        return dialog

    @command("Hand over", "Ctrl+E")
    def export_scene(self) -> None:
        """Export a GLB…"""
        count = len(self.session.project.props)
        if not count:
            self.say("There is no prop to export yet. Import a mesh first.", True)
            return
        prop = self.session.prop
        chosen = self.session.chosen_props or ((prop,) if prop is not None else ())
        words = f"{chosen[0].name} alone" if len(chosen) == 1 else f"the {len(chosen)} chosen" if chosen else ""
        ask = ExportSize(self, count, words)
        if not ask.exec():
            return
        path = ask_new_file(self, "Export a GLB", f"{self.session.project.name}.glb", "GLB", ".glb")
        if path is not None:
            props = chosen if ask.alone else ()
            self.export_to(path.with_suffix(".glb"), ask.side, props, ask.variants.isChecked())

    def export_to(self, path: Path, side: int, props: tuple[Prop, ...] = (), variants: bool = False) -> ProgressDialog:
        """Bake some props (all if none is named) and write a GLB in the background."""
        from jade_coat.bake.exporting import export_some  # its library is slow to import

        session = self.session
        project, library = session.project, session.library
        dialog = ProgressDialog(self, "Export a GLB")
        dialog.run(
            session,
            lambda job: apart(export_some, job, project, library, path, side, props, variants),
            lambda written: self._told_export(path, written),
            lambda error: self._tell("The export did not succeed; nothing was written", [told(error)]),
        )
        return dialog

    def _told_export(self, path: Path, written: Written) -> None:
        text = f"{path.name} written, {written.nbytes / 1e6:.1f} MB"
        if written.notes:
            self._tell(f"{text}, but not all as it should be", [*written.notes, *written.told])
        elif written.told:
            self.tell(text, list(written.told), problem=False)
        else:
            self.say(text)

    # Dropped files

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        assert event is not None
        mime = event.mimeData()
        if mime is not None and mime.hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        assert event is not None
        mime = event.mimeData()
        paths = [Path(url.toLocalFile()) for url in mime.urls()] if mime is not None else []
        meshes = [p for p in paths if p.is_file() and by_suffix(MESHES, p) is not None]
        if len(meshes) > 1:
            importing.bring_meshes(self, meshes)
            paths = [p for p in paths if p not in meshes]
        unread = [path.name for path in paths if not self.bring(path)]
        if unread:
            self.say(f"{', '.join(unread)}: not read. Drop a project folder, a mesh, or a folder of maps.", True)

    def bring_picture(self, path: Path) -> None:
        """Take one picture in, as a map set; a workspace may make something else of it."""
        importing.bring_picture(self, path)

    def bring(self, path: Path) -> bool:
        """Take in whatever was dropped: a project, a mesh, a folder of maps, or one picture; whether it is one."""
        if (path / "project.json").is_file() or path.name == "project.json":
            self._leave_for(lambda: self.open_folder(path))
        elif path.is_dir():
            importing.bring_maps(self, path)
        elif by_suffix(MESHES, path) is not None:
            importing.bring_meshes(self, [path])
        elif is_image_name(path):
            self.bring_picture(path)
        else:
            return False
        return True
