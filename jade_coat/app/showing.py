"""What the render process shows of a project: its pictures, textures, sky, light and time."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

import numpy as np
from PyQt6 import sip
from PyQt6.QtCore import QElapsedTimer, QSocketNotifier, QTimer, pyqtSignal
from PyQt6.QtGui import QImage

from jade_coat.app.background import Background
from jade_coat.files.assets import Assets
from jade_coat.files.library import Library
from jade_coat.jobs.words import told
from jade_coat.maps.images import linear_radiance
from jade_coat.material.specials import AS_DECAL, plain_id
from jade_coat.stage.desk import Camera
from jade_coat.stage.project import Project
from jade_coat.stage.strewing import Grown
from jade_coat.view.camera import eye_of
from jade_coat.view.client import Picture, RenderClient
from jade_coat.view.environment import SKIES, Environment, from_lat_long
from jade_coat.view.link import STAGE, StageLink

PLAY_MS = 40
HELD_BACK_MS = 1500
"""How long maps wait for the first picture at the most."""
AFTER_AHEAD_MS = 60
"""How long they wait once its programs are made."""
AHEAD = "ahead"


class Showing(Background):
    """Owns the render process and feeds it. Whoever has the project says which it is."""

    scene_changed = pyqtSignal()
    picture = pyqtSignal(object, object)
    view_state = pyqtSignal(str)
    fault = pyqtSignal(str, str)
    said = pyqtSignal(str, bool)
    played = pyqtSignal()
    flow_changed = pyqtSignal()
    grown = pyqtSignal()
    """What was to be strewn stands now."""

    def __init__(self, client: RenderClient | None = None) -> None:
        """`client` may be one whose process was started earlier, to save time."""
        super().__init__()
        self.library = Library(Assets())
        self.faults: dict[str, str] = {}
        self._loading: set[object] = set()
        self._failed: dict[object, str] = {}
        """What could not be made ready to be shown, and why."""
        self.client = client or RenderClient()
        self.client.on_picture = self._on_picture
        self.client.on_state = self.view_state.emit
        self.client.on_fault = self._on_fault
        self.client.on_trouble = lambda text: self.said.emit(f"The view: {text}", True)
        self.client.on_connection = self._watch_connection
        self._notifier: QSocketNotifier | None = None
        self._watch_connection()
        self.link = StageLink(self.client, self.library, later=True)
        self.time = 0.0
        self.camera = Camera()
        self.flow_shown = False
        """Whether lines along the strands of the chosen prop lie over the view."""
        self.hand_busy: Callable[[], bool] = lambda: False
        """Whether a stroke is under way: nothing else moves meanwhile."""
        self._playing = QTimer(self)
        self._playing.setInterval(PLAY_MS)
        self._playing.timeout.connect(self._tick)
        self._clock = QElapsedTimer()
        self._held_back = QTimer(self)
        self._held_back.setSingleShot(True)
        self._held_back.setInterval(HELD_BACK_MS)
        self._held_back.timeout.connect(self._load_textures)

    def show_flow(self, wanted: bool) -> None:
        """Show the lines along strands, or no more."""
        self.flow_shown = wanted
        self.flow_changed.emit()

    def hold_back(self) -> None:
        """Let maps wait until a picture is there to be seen: until then, reading them would only delay it."""
        self._held_back.start()

    def draw_ahead(self) -> None:
        """Have the stage's programs made by a small picture that nobody sees, while a window is being built."""
        eye = eye_of(self.camera.position(), np.array(self.camera.target), self.camera.field_of_view, 1.0)
        self.client.request(AHEAD, scene=STAGE, eye=eye, width=16, height=16)

    @property
    def project(self) -> Project:
        """The document's present tree."""
        raise NotImplementedError

    def show_library(self, library: Library) -> None:
        """Turn to another project's meshes and maps; all of the last one's is let go."""
        self.library = library
        self.link = StageLink(self.client, self.library, later=True)
        self._loading, self._failed = set(), {}
        self.faults = {}
        self._playing.stop()
        self.time = 0.0

    def stop_showing(self) -> None:
        """End the render process."""
        self._playing.stop()
        if self._notifier is not None:
            self._notifier.setEnabled(False)
        self.client.close()

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
        if picture.stream == AHEAD:
            self.client.forget_stream(AHEAD)
            self._held_back.start(AFTER_AHEAD_MS)
            return
        if self._held_back.isActive():
            self._held_back.stop()
            QTimer.singleShot(0, self._load_textures)
        height, width = picture.pixels.shape[:2]
        image = QImage(picture.pixels.tobytes(), width, height, width * 4, QImage.Format.Format_RGBA8888)
        self.picture.emit(picture, image.copy())

    def _on_fault(self, material: str, reason: str) -> None:
        way = AS_DECAL if material.endswith(AS_DECAL) else ""
        material = plain_id(material.removesuffix(AS_DECAL)) + way
        if reason:
            self.faults[material] = reason
        else:
            self.faults.pop(material, None)
        self.fault.emit(material, reason)

    @property
    def faults_told(self) -> str:
        """Which materials do not compile and why, all of them, in one line; empty where all do."""
        names = {m.id: m.name for m in self.project.materials}
        names |= {m.id + AS_DECAL: f"{m.name}, as a decal," for m in self.project.materials}
        told_of = [f"{names.get(m, m)}: {reason.splitlines()[0]}" for m, reason in self.faults.items()]
        if len(told_of) == 1:
            return told_of[0].replace(": ", " does not compile: ", 1)
        return f"{len(told_of)} materials do not compile. {' · '.join(told_of)}" if told_of else ""

    def _load_textures(self) -> None:
        if self._held_back.isActive():
            return
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
                    self._failed[map_set] = told(error)
                    self.said.emit(" · ".join(dict.fromkeys(self._failed.values())), True)

                self.work(partial(library.textures, map_set), loaded, failed)

    @property
    def reading(self) -> bool:
        """Whether maps are being read still, or are about to be."""
        return any(s not in self._failed for s in self.link.unsent_sets(self.project))

    def _strew(self) -> None:
        """Strew what is due, in the background; what is shown of it stays as it is until then."""
        due, link = self.link.due, self.link
        if due is None or link in self._loading:
            return
        self._loading.add(link)

        def strewn(grown: Grown) -> None:
            self._loading.discard(link)
            if link is self.link:
                link.grow(due, grown)
                self.scene_changed.emit()
                self.grown.emit()
                self._strew()

        def failed(error: Exception) -> None:
            strewn(Grown({s.id: {} for s in due.kinds}, None))
            self.said.emit(f"What grows on {due.ground.name} could not be strewn: {told(error)}", True)

        self.work(due.strewn, strewn, failed)

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
            self._failed[wanted] = f"The sky cannot be used, the hazy morning stands in: {told(error)}"
            self.said.emit(self._failed[wanted], True)

        self.work(work, loaded, failed)

    @property
    def playing(self) -> bool:
        """Whether the shared dials run along their tracks."""
        return self._playing.isActive()

    def play(self, on: bool) -> None:
        """Let the clock run on, or hold it where it is; the shared dials and all that moves go by it."""
        if on:
            self._clock.start()
            self._playing.start()
        else:
            self._playing.stop()
            self.scene_changed.emit()
        self.played.emit()

    def seek(self, time: float) -> None:
        """Put the clock at a time, seconds; it runs on from there if it runs."""
        self.time = max(float(time), 0.0)
        self._clock.restart()
        self.link.play(self.project, self.time)
        self.scene_changed.emit()
        self.played.emit()

    def _tick(self) -> None:
        self.time += self._clock.restart() / 1000
        if self.hand_busy():
            return  # what is under the hand stands still; the clock runs on
        self.link.play(self.project, self.time)
        self.played.emit()

    def drag_sun(self, azimuth: float, elevation: float) -> None:
        """Show the sun elsewhere while it is dragged; the document follows when it is let go."""
        light = self.project.light.with_(azimuth=azimuth, elevation=elevation)
        self.link.light(self.project.with_(light=light), quick=True)
        self.scene_changed.emit()

    @property
    def settled(self) -> bool:
        """Whether all textures are with the renderer, all is strewn and no picture is under way."""
        return (
            self.client.idle
            and self.link.due is None
            and all(s in self._failed for s in self.link.unsent_sets(self.project))
        )
