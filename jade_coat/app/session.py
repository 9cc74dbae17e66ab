"""A session: the open document, its files, the renderer, the selection, and work in the background."""

from __future__ import annotations

import contextlib
import json
import os
import shutil
import threading
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor, wait
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any

from PyQt6 import sip
from PyQt6.QtCore import QElapsedTimer, QObject, QSocketNotifier, QTimer, pyqtSignal
from PyQt6.QtGui import QImage

from jade_coat.app import preferences
from jade_coat.bake.job import Job
from jade_coat.bake.look_at import LookAt
from jade_coat.files.assets import Assets
from jade_coat.files.atomic import WriteFailed, clear_partial, write_atomic
from jade_coat.files.library import Library
from jade_coat.files.open_mark import OpenMark
from jade_coat.files.project_folder import Home, Opened, data_folder, open_project, save_project
from jade_coat.files.recovery import Leftover, Recovery, recover
from jade_coat.maps.images import linear_radiance
from jade_coat.material.material import Material, plain_id
from jade_coat.mesh.painting import Paint, PaintMap
from jade_coat.stage.boxes import PropBoxes
from jade_coat.stage.document import Document
from jade_coat.stage.edits import title
from jade_coat.stage.looks import material_of
from jade_coat.stage.merging import merged
from jade_coat.stage.packed_tree import PackedTree, TilePacker
from jade_coat.stage.project import Project, Prop
from jade_coat.stage.references import losses
from jade_coat.stage.remesh import painted_state
from jade_coat.view.client import Picture, RenderClient
from jade_coat.view.environment import SKIES, Environment, from_lat_long
from jade_coat.view.link import StageLink

AUTOSAVE_MS = 20_000
MAX_RECENT = 8
BACKGROUND_NICE = 10
CLOSE_SECONDS = 0.6
"""How long closing waits for work that was told to stop."""
PLAY_MS = 40


class Session(QObject):
    """Owns everything that outlives a single panel. Panels watch its signals and edit through `do`."""

    changed = pyqtSignal()
    selection_changed = pyqtSignal()
    scene_changed = pyqtSignal()
    picture = pyqtSignal(object, object)
    view_state = pyqtSignal(str)
    fault = pyqtSignal(str, str)
    said = pyqtSignal(str, bool)
    background = pyqtSignal(object)
    played = pyqtSignal()

    def __init__(self, client: RenderClient | None = None) -> None:
        """`client` may be one whose process was started earlier, to save time."""
        super().__init__()
        self.document = Document()
        self.document.room = preferences.recall(preferences.UNDO_MEGABYTES) << 20
        self._let_go = 0
        self._packer = TilePacker()
        self._packing = False
        self.folder: Path | None = None
        self.library = Library(Assets())
        self.recovery = Recovery()
        self._home: Home | None = None
        self._mark = OpenMark()
        self.prop_id = ""
        self.slot = ""
        self.coat_id = ""
        self.finish_id = ""
        self.solo: tuple[str, str] | None = None
        """The material and the coat that is looked at alone."""
        self._preview: tuple[str, Paint | PaintMap] | None = None
        """A prop and paint that is shown on it without being part of the document."""
        self._shown: tuple[Project, object, object, Project] | None = None
        self._edits_coats = False
        self.boxes = PropBoxes()
        """Where props are, to find what a ray meets."""
        self.picked_look: tuple[tuple[object, ...], LookAt] | None = None
        """What the last cut-out that was pointed at wears (`picking`)."""
        self.faults: dict[str, str] = {}
        self._loading: set[object] = set()
        self._failed: set[object] = set()
        self._adopted: Path | None = None
        self._pool = ThreadPoolExecutor(2, thread_name_prefix="jade-coat", initializer=_stand_back)
        self.agree: Callable[[str, list[str]], bool] = lambda what, lines: True
        """Asks whether an edit may drop what the lines say."""
        self._running: dict[Future[Any], Job | None] = {}
        self.closed = False
        self.unfinished = False
        """Whether closing left work behind that could not be stopped; it ends with the process."""
        self.background.connect(self._call)
        self.client = client or RenderClient()
        self.client.on_picture = self._on_picture
        self.client.on_state = self.view_state.emit
        self.client.on_fault = self._on_fault
        self.client.on_trouble = lambda text: self.said.emit(f"The view: {text}", True)
        self.client.on_connection = self._watch_connection
        self._notifier: QSocketNotifier | None = None
        self._watch_connection()
        self.link = StageLink(self.client, self.library)
        self._autosave = QTimer(self)
        self._autosave.setInterval(AUTOSAVE_MS)
        self._autosave.timeout.connect(self.autosave)
        self._autosave.start()
        self._autosaved: Project | None = None
        self.time = 0.0
        self._playing = QTimer(self)
        self._playing.setInterval(PLAY_MS)
        self._playing.timeout.connect(self._tick)
        self._clock = QElapsedTimer()
        self.selection_changed.connect(self._open_coat)
        self._stop_watching = self.document.watch(self._on_document)

    def child_for_prop(self, merge: object) -> str:
        """Make a child of the chosen finish and put it on the chosen prop's slot, as part of one change; its id."""
        prop, parent = self.prop, self.finish_id
        assert prop is not None
        known = {f.id for f in self.project.finishes}
        names = {f.id: f.name for f in self.project.finishes} | {m.id: m.name for m in self.project.materials}
        self.do("add_finish", merge=merge, parent=parent, name=f"{names[parent]}, {prop.name.lower()}")
        made = next(f.id for f in self.project.finishes if f.id not in known)
        self.do("put_finish", merge=merge, prop=prop.id, slot=self.slot, finish=made)
        return made

    # The renderer

    def _watch_connection(self) -> None:
        if self._notifier is not None:
            self._notifier.setEnabled(False)
            self._notifier.deleteLater()
        if self.client.stopped:
            self._notifier = None
            return
        self._notifier = QSocketNotifier(sip.voidptr(self.client.fileno()), QSocketNotifier.Type.Read, self)
        self._notifier.activated.connect(lambda: self.client.poll())

    def _on_picture(self, picture: Picture) -> None:
        height, width = picture.pixels.shape[:2]
        image = QImage(picture.pixels.tobytes(), width, height, width * 4, QImage.Format.Format_RGBA8888)
        self.picture.emit(picture, image.copy())

    def _on_fault(self, material: str, reason: str) -> None:
        material = plain_id(material)
        if reason:
            self.faults[material] = reason
        else:
            self.faults.pop(material, None)
        self.fault.emit(material, reason)

    # The document

    @property
    def project(self) -> Project:
        """The present tree."""
        return self.document.project

    def do(self, name: str, /, merge: object = None, **arguments: Any) -> bool:
        """Run an edit; one that cannot be is said, not raised, and what it would drop besides is told beforehand.

        Returns whether it was made.
        """
        refused: list[str] = []

        def allow(before: Project, after: Project) -> bool:
            lines = losses(before, after)
            if lines and not self.agree(title(name), lines):
                refused.extend(lines)
            return not refused

        try:
            self.document.do(name, merge=merge, allow=allow, **arguments)
        except (KeyError, ValueError) as error:
            self.said.emit(f"That cannot be done: {_first_line(error)}", True)
            return False
        return not refused

    def do_all(self, what: str, steps: list[tuple[str, dict[str, Any]]]) -> bool:
        """Run several edits as one step of the history, all or none; what cannot be is said. Whether they were made."""
        try:
            self.document.do_all(what, steps)
        except (KeyError, ValueError) as error:
            self.said.emit(f"That cannot be done: {_first_line(error)}", True)
            return False
        return True

    def _on_document(self) -> None:
        known = set(self.link.problems)
        if self.solo is not None and not self._solo_is_there():
            self.solo = None
        moved = self.link.sync(self.shown_project)
        for mesh in self.link.problems.keys() - known:
            self.said.emit(f"A plain box stands in: {self.link.problems[mesh]}", True)
        self._mend_selection()
        if self.document.let_go > self._let_go:
            room = self.document.room >> 20
            self.said.emit(f"The oldest steps of undo were let go: paint in them took more than {room} MB.", False)
        self._let_go = self.document.let_go
        self._pack_history()
        if moved:
            self.scene_changed.emit()
        self._load_textures()
        self._load_sky()
        self.changed.emit()

    def _pack_history(self) -> None:
        """Compress paint that lies far behind in the history, a step at a time, in the background."""
        found = None if self._packing else self.document.to_pack()
        if found is None:
            return
        step, after = found
        self._packing = True
        packer, tree = self._packer, step.project

        def done(packed: PackedTree) -> None:
            self._packing = False
            self.document.packed(step, packed)
            self._pack_history()

        def failed(error: Exception) -> None:
            self._packing = False
            self.said.emit(f"The history could not be packed: {_first_line(error)}", True)

        self.work(lambda: packer.pack(tree, after), done, failed)

    def _solo_is_there(self) -> bool:
        assert self.solo is not None
        material = next((m for m in self.project.materials if m.id == self.solo[0]), None)
        return material is not None and any(c.id == self.solo[1] for c in material.coats)

    def _mend_selection(self) -> None:
        project = self.project
        props = {p.id: p for p in project.props}
        before = (self.prop_id, self.slot, self.coat_id, self.finish_id)
        if self.prop_id not in props:
            self.prop_id = project.props[0].id if project.props else ""
        prop = props.get(self.prop_id)
        slots = project.mesh(prop.mesh).slots if prop else ()
        if self.slot not in slots:
            self.slot = slots[0] if slots else ""
        known = {f.id for f in project.finishes} | {m.id for m in project.materials}
        if self.finish_id not in known:
            worn = prop.finishes.get(self.slot, "") if prop else ""
            fallback = project.finishes[0].id if project.finishes else ""
            self.finish_id = worn or fallback or (project.materials[0].id if project.materials else "")
        material = self.material
        if material is None:
            self.coat_id = ""
        elif all(c.id != self.coat_id for c in material.coats):
            self.coat_id = material.coats[-1].id
        if before != (self.prop_id, self.slot, self.coat_id, self.finish_id):
            self.selection_changed.emit()

    def edits_coats(self, on: bool) -> None:
        """Say whether fields of the chosen coat can be turned: the renderer then has a program that bears it."""
        self._edits_coats = on
        self._open_coat()

    def _open_coat(self) -> None:
        material = self.material if self._edits_coats else None
        if self.link.open_coat(material.id if material else "", self.coat_id if material else ""):
            self.scene_changed.emit()

    @property
    def material(self) -> Material | None:
        """The material that the chosen finish comes from."""
        return material_of(self.project, self.finish_id) if self.finish_id else None

    def material_of(self, finish: str) -> Material | None:
        """The material that a finish comes from; None for none."""
        return material_of(self.project, finish) if finish else None

    @property
    def shown_project(self) -> Project:
        """The document as the view shows it: one coat alone where one is looked at by itself, and paint on trial."""
        if self.solo is None and self._preview is None:
            return self.project
        known = self._shown
        if known is None or known[0] is not self.project or known[1:3] != (self.solo, self._preview):
            known = self._shown = (self.project, self.solo, self._preview, self._with_trials())
        return known[3]

    def _with_trials(self) -> Project:
        changes: dict[str, Any] = {}
        if self.solo is not None:
            material_id, coat_id = self.solo
            changes["materials"] = tuple(
                m.with_(coats=tuple(c.with_(shown=c.id == coat_id) for c in m.coats)) if m.id == material_id else m
                for m in self.project.materials
            )
        if self._preview is not None:
            prop_id, made = self._preview
            kind = "paint_map" if isinstance(made, PaintMap) else "paint"
            changes["props"] = tuple(p.with_(**{kind: made}) if p.id == prop_id else p for p in self.project.props)
        shown: Project = self.project.with_(**changes)
        return shown

    def show_on_trial(self, prop: str, made: Paint | PaintMap | None) -> None:
        """Show paint on a prop that is no part of the document, or stop that (None). Not an edit."""
        wanted = (prop, made) if made is not None else None
        if wanted != self._preview:
            self._preview = wanted
            self._on_document()

    def look_alone(self, coat: str) -> None:
        """Show one coat of the present material alone, or, when it is alone already, all of them. Not an edit."""
        material = self.material
        if material is None:
            return
        wanted = (material.id, coat)
        self.solo = None if self.solo == wanted else wanted
        self._on_document()

    @property
    def prop(self) -> Prop | None:
        """The chosen prop."""
        return next((p for p in self.project.props if p.id == self.prop_id), None)

    @property
    def shown_prop(self) -> Prop | None:
        """The chosen prop as the view shows it, with paint on trial."""
        return next((p for p in self.shown_project.props if p.id == self.prop_id), None)

    def choose_prop(self, prop: str, slot: str) -> None:
        """Choose a prop's slot and the finish it wears."""
        self.prop_id, self.slot = prop, slot
        found = self.prop
        if found is not None and found.finishes.get(slot):
            self.finish_id = found.finishes[slot]
        self._mend_selection()
        self.selection_changed.emit()

    def choose_finish(self, finish: str) -> None:
        """Choose a finish for the dial sheet and the coat stack."""
        self.finish_id = finish
        self._mend_selection()
        self.selection_changed.emit()

    def choose_coat(self, coat: str) -> None:
        """Choose a coat of the present material."""
        self.coat_id = coat
        self.selection_changed.emit()

    # Textures

    def _load_textures(self) -> None:
        for map_set in self.link.unsent_sets(self.project):
            if map_set not in self._loading:
                self._loading.add(map_set)
                link, library = self.link, self.library

                def loaded(result: Any, map_set: Any = map_set, link: StageLink = link) -> None:
                    if link is self.link:
                        self._loading.discard(map_set)
                        link.textures_loaded(map_set, result)
                        self.scene_changed.emit()

                def failed(error: Exception, map_set: Any = map_set) -> None:
                    self._failed.add(map_set)
                    self.said.emit(_first_line(error), True)

                self.work(partial(library.textures, map_set), loaded, failed)

    def _load_sky(self) -> None:
        """Work out the light of a sky that comes from a picture, in the background."""
        light, link = self.project.light, self.link
        wanted = (light.sky, light.sky_turn)
        if light.sky in SKIES or wanted in link.skies or wanted in self._loading or wanted in self._failed:
            return
        self._loading.add(wanted)
        assets = self.library.assets

        def work() -> Environment:
            return from_lat_long(linear_radiance(assets.read(light.sky), light.sky_name or light.sky), light.sky_turn)

        def loaded(found: Environment) -> None:
            link.skies[wanted] = found
            if link is self.link:
                link.light(self.project)
                self.scene_changed.emit()

        def failed(error: Exception) -> None:
            self._failed.add(wanted)
            self.said.emit(f"The sky cannot be used, the hazy morning stands in: {_first_line(error)}", True)

        self.work(work, loaded, failed)

    @property
    def playing(self) -> bool:
        """Whether the shared dials run along their tracks."""
        return self._playing.isActive()

    def play(self, on: bool) -> None:
        """Let the shared dials run along their tracks, or stop them and go back to the start."""
        if on:
            self._clock.start()
            self._playing.start()
        else:
            self._playing.stop()
            self.time = 0.0
            self.link.play(self.project, 0.0)
            self.scene_changed.emit()
        self.played.emit()

    def _tick(self) -> None:
        self.time += self._clock.restart() / 1000
        self.link.play(self.project, self.time)
        self.played.emit()

    def drag_sun(self, azimuth: float, elevation: float) -> None:
        """Show the sun elsewhere while it is dragged; the document follows when it is let go."""
        light = self.project.light.with_(azimuth=azimuth, elevation=elevation)
        self.link.light(self.project.with_(light=light), quick=True)
        self.scene_changed.emit()

    @property
    def settled(self) -> bool:
        """Whether all textures are with the renderer and no picture is under way."""
        return self.client.idle and all(s in self._failed for s in self.link.unsent_sets(self.project))

    def work(
        self, task: Callable[[], Any], done: Callable[[Any], None], failed: Callable[[Exception], None],
        job: Job | None = None,
    ) -> None:  # fmt: skip
        """Run a task in the background; `done` or `failed` is called in the window's thread, unless all is closed.

        The task gets what it needs as values that nobody changes, and gives back its result. Closing cancels its `job`.
        """

        def finished(future: Future[Any]) -> None:
            self._running.pop(future, None)
            if future.cancelled():
                return
            error = future.exception()
            if error is None:
                self.background.emit(lambda: done(future.result()))
            else:  # a compiled library may raise what is no Exception
                told = error if isinstance(error, Exception) else RuntimeError(f"{type(error).__name__}: {error}")
                self.background.emit(lambda: failed(told))

        if not self.closed:
            future = self._pool.submit(task)
            self._running[future] = job
            future.add_done_callback(finished)

    def work_on_paint(
        self, mesh_id: str, task: Callable[[], Any], done: Callable[[Any], None], failed: Callable[[Exception], None],
        job: Job | None = None,
    ) -> None:  # fmt: skip
        """Run a task on a mesh or the paint of its props in the background, as `work` does.

        Where either was changed meanwhile the result fits no more: it fails, and the change stays.
        """
        state = painted_state(self.project, mesh_id)

        def fitting(result: Any) -> None:
            if state.holds_in(self.project, mesh_id):
                done(result)
            else:
                failed(ValueError("it was painted or changed meanwhile. Do it again"))

        self.work(task, fitting, failed, job)

    def _call(self, call: Callable[[], None]) -> None:
        if not self.closed:  # what was under way at the end finds no window any more
            call()

    # Files

    def open(self, folder: Path) -> list[str]:
        """Open a project; returns what is missing in it. Raises BadProject; the present project then stays."""
        opened = open_project(folder)
        self._show(opened, opened.assets.folder)
        assert self.folder is not None
        other = self._mark.take(self.folder)
        if other:
            opened.problems.append(f"{self.folder} is open elsewhere too, by {other}. Whoever saves later is asked.")
        else:
            clear_partial(self.folder)
        remember(self.folder)
        return opened.problems

    def recover(self, leftover: Leftover) -> list[str]:
        """Take over unsaved work of a session that died. Raises BadProject."""
        opened = recover(leftover)
        opened.home = Home(leftover.home, leftover.digest) if leftover.home is not None else None
        self._show(opened, leftover.home)
        self.document.mark_unsaved()
        self._adopted = leftover.folder
        self.changed.emit()
        return opened.problems

    def new(self) -> None:
        """Start an empty project."""
        self._show(Opened(Project(), Assets()), None)

    def _show(self, opened: Opened, folder: Path | None) -> None:
        self.recovery.clear()
        if folder is None or folder != self.folder:
            self._mark.leave()
        self.folder, self._home = folder, opened.home
        self.library = Library(opened.assets)
        self.link = StageLink(self.client, self.library)
        self._loading, self._failed = set(), set()
        self.faults = {}
        self.prop_id = self.slot = self.coat_id = self.finish_id = ""
        self.solo = self._preview = self.picked_look = None
        self.boxes = PropBoxes()
        self._playing.stop()
        self.time = 0.0
        self._autosaved = opened.project
        self.document.replace(opened.project)

    def save(self, folder: Path) -> tuple[str, ...]:
        """Save into a folder; returns a line for each file that is needed and lost.

        Raises WriteFailed, or ChangedOnDisk when somebody else has saved there meanwhile; nothing is lost then.
        """
        home = self._home if self._home is not None and self._home.folder == folder else None
        saved = save_project(self.project, self.library.assets, folder, home, self.library.mesh_bytes)
        self._home = saved.home
        self.library.assets.moved_to(folder)
        self.folder = folder
        self._mark.take(folder)
        self.document.mark_saved()
        self._autosaved = self.project
        self.recovery.clear()
        if self._adopted is not None:
            shutil.rmtree(self._adopted, ignore_errors=True)  # recovered work is safe in its own folder now
            self._adopted = None
        remember(folder)
        self.changed.emit()
        return saved.missing

    def merge_with_file(self, folder: Path) -> list[str]:
        """Take in what somebody else saved in the project's folder; returns the names of what both sides changed.

        Raises BadProject, or ValueError when the two do not go together; the present tree then stays.
        """
        assert self._home is not None
        theirs = open_project(folder)
        assert theirs.home is not None
        base = self._home.base or Project()  # of recovered work it is not known: nobody's things are dropped then
        made, both = merged(base, self.project, theirs.project)
        known = replace(theirs.home, paint=theirs.home.paint | self._home.paint)
        self._home = replace(known, base=theirs.project)
        self.document.put("Merge with the saved file", made)
        return both

    def autosave(self) -> None:
        """Keep a copy of unsaved work, in the background."""
        if self.project is not self._autosaved:
            self.keep_aside()

    def keep_aside(self) -> bool:
        """Copy unsaved work to a safe place, in the background; whether there was any."""
        project = self.project
        if not self.document.dirty:
            return False
        self._autosaved = project
        assets, home, turn = self.library.assets, self.folder, self.recovery.turn
        digest = self._home.digest if self._home is not None else ""
        self.work(
            lambda: self.recovery.store(project, assets, home, turn, digest),
            lambda _: None,
            lambda error: self.said.emit(f"The safety copy could not be written: {_first_line(error)}", True),
        )
        return True

    def close(self) -> None:
        """End the session; nothing is called back from here on."""
        if self.closed:
            return
        self.closed = True
        self._stop_watching()
        self._autosave.stop()
        self._playing.stop()
        if self._notifier is not None:
            self._notifier.setEnabled(False)
        self._pool.shutdown(wait=False, cancel_futures=True)
        running = dict(self._running)
        for job in running.values():
            if job is not None:
                job.cancel()
        self.unfinished = bool(wait(running, CLOSE_SECONDS).not_done)
        self.client.close()
        self._mark.leave()
        self.recovery.clear()


def _stand_back() -> None:
    """Give a background thread, and those it starts, a lower priority than the window's."""
    with contextlib.suppress(OSError):
        os.setpriority(os.PRIO_PROCESS, threading.get_native_id(), BACKGROUND_NICE)


def _first_line(error: BaseException) -> str:
    text = str(error.args[0]) if isinstance(error, KeyError) and error.args else str(error)
    lines = [line for line in text.splitlines() if line.strip()]
    return lines[0] if lines else type(error).__name__


def recent() -> list[Path]:
    """Projects opened or saved lately, newest first, that are still there."""
    try:
        names = json.loads((data_folder() / "recent.json").read_text())
        return [p for p in (Path(str(n)) for n in names) if (p / "project.json").is_file()]
    except (OSError, ValueError, TypeError):
        return []


def remember(folder: Path) -> None:
    """Put a project in front of the recent ones."""
    folder = folder.resolve()
    names = [str(folder), *(str(p) for p in recent() if p != folder)][:MAX_RECENT]
    try:
        write_atomic(data_folder() / "recent.json", json.dumps(names).encode())
    except WriteFailed:
        return  # only a convenience: an unwritable home must not stop the work
