"""The pictures of the view: what is asked for, how finely, from which camera, and what has come."""

from __future__ import annotations

import contextlib
import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QRectF, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import (
    QImage,
)
from PyQt6.QtWidgets import QWidget

from jade_coat.app.session import Session
from jade_coat.program.types import Array
from jade_coat.stage.desk import Camera
from jade_coat.stage.looks import field_row
from jade_coat.stage.project import Project
from jade_coat.stage.redress import redressed
from jade_coat.view.camera import eye_of
from jade_coat.view.client import Picture
from jade_coat.view.link import PREVIEW, STAGE
from jade_coat.view.requests import Eye, Marks, Part

SAMPLES = 8
FAR_SAMPLES = 4
FINENESS = 1.0
"""Pixels drawn for each of the screen's, along an axis, when all has come to rest."""
REST_MS = 160
PATIENCE = 25
"""So many rests a fine picture waits for maps that are being read."""
MOVING_TARGET_MS = 70.0
INSET = QSize(172, 118)
BEFORE, COMPARE = "before", "compare"
PREVIEW_CAMERA = Camera(target=(0.0, 0.0, 0.0), yaw=0.35, pitch=0.22, distance=2.4, field_of_view=0.5)


@dataclass(frozen=True)
class _Tag:
    """What a requested picture belongs to."""

    generation: int
    moving: bool
    sample: int
    part: bool = False


@dataclass(frozen=True)
class Split:
    """What the right part of a split view shows: another look, or another finish in place of the chosen one."""

    look: str = ""
    finish: str = ""
    name: str = ""


def dressed(project: Project, finish: str, other: str) -> Project:
    """A project whose props wear one finish wherever they wore another."""
    return redressed(project, lambda f: other if f == finish else f)


class Pictures(QWidget):
    """Asks for the near and the far picture, coarse while something moves and fine at rest, and keeps the newest."""

    arrived = pyqtSignal()
    refreshed = pyqtSignal(object)
    """Something changed: the part that alone did, or None for all."""
    painted_over = pyqtSignal()
    """A stroke under way has changed paint that the document does not have yet."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = self._session = session
        self.look = "lit"
        self.shape = ""
        """The preview shape that is shown instead of the stage."""
        self.split: Split | None = None
        self.split_at = 0.5
        self._preview_camera = PREVIEW_CAMERA
        self._before = False
        self._split_image: QImage | None = None
        self.far_first = False
        self._image: QImage | None = None
        self._far: QImage | None = None
        self._generation = 0
        self.drawn = -1
        """The generation of the large picture that is shown."""
        self._part_size: tuple[int, int] | None = None
        self._fine = False
        self._kept = False
        self._waited = 0
        self._milliseconds_a_pixel = 1e-3  # until pictures tell: the first is coarse, and soon there
        self._state = ""
        self.live_paint: Callable[[str], Callable[[Array], Array] | None] = lambda prop: None
        """What a stroke under way has made of a prop's vertex paint, by vertex; None between strokes."""
        self.marks: Callable[[], Marks | None] = lambda: None
        """What is drawn over the large picture: the chosen mesh's edges, vertices, how finely it can be painted."""
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(REST_MS)
        self._rest.timeout.connect(self._refine)
        session.picture.connect(self._on_picture)
        session.scene_changed.connect(self._scene_moved)
        session.selection_changed.connect(self._follow_preview)
        session.played.connect(self.refresh)
        session.view_state.connect(self._on_state)
        session.fault.connect(self._on_faults)
        session.selection_changed.connect(self.update)

    def _on_faults(self, material: str, reason: str) -> None:
        self.update()

    @property
    def held(self) -> bool:
        """Whether a hand moves something in the view just now."""
        return False

    @property
    def camera(self) -> Camera:
        """The near camera."""
        return self._preview_camera if self.shape else self._session.camera

    def far_camera(self) -> Camera:
        """The same view from afar."""
        least = 6.0 if self.shape else 12.0
        moved: Camera = self.camera.with_(distance=min(max(least, self.camera.distance * 4.5), 100000))
        return moved

    def eye(self, camera: Camera, width: float, height: float) -> Eye:
        """A camera for a picture of some size."""
        return eye_of(camera.position(), np.array(camera.target), camera.field_of_view, width / max(height, 1))

    def main_eye(self) -> Eye:
        """The eye of the large picture."""
        return self.eye(self.far_camera() if self.far_first else self.camera, self.width(), self.height())

    def set_camera(self, camera: Camera) -> None:
        """Look from elsewhere; not part of the history."""
        if self.shape:
            self._preview_camera = camera
        else:
            self._session.camera = camera
        self.refresh()

    def frame(self, everything: bool = False) -> None:
        """Bring what is chosen (or everything) into view."""
        if self.shape:
            self.set_camera(PREVIEW_CAMERA)
            return
        session = self._session
        props = list(session.project.props)
        lead = [session.prop] if session.prop is not None else []
        chosen = props if everything else list(session.chosen_props) or lead or props
        if not chosen:
            return
        corners = []
        for prop in chosen:
            low, high = session.link.mesh_data(prop.mesh).bounds
            x, y, z = np.meshgrid(*np.stack([low, high], axis=1))
            points = np.stack([x.ravel(), y.ravel(), z.ravel()], axis=1)
            corners.append(points @ prop.matrix()[:3, :3].T + prop.matrix()[:3, 3])
        points = np.concatenate(corners)
        low, high = points.min(axis=0), points.max(axis=0)
        half = max(float(np.linalg.norm(high - low)) / 2, 0.01)
        distance = half / math.sin(self.camera.field_of_view / 2) * 0.8
        target = tuple(float(v) for v in (low + high) / 2)
        self.set_camera(self.camera.with_(target=target, distance=distance))

    @property
    def scene(self) -> str:
        """The scene of the large picture."""
        return BEFORE if self._before else PREVIEW if self.shape else STAGE

    def show_shape(self, shape: str) -> None:
        """Show the chosen finish on a preview shape, or the stage again (an empty name)."""
        if not shape:
            self._session.link.hide(PREVIEW)
        self.shape = shape
        self._follow_preview()
        self.refresh()

    def show_split(self, split: Split | None) -> None:
        """Compare the picture with another look or another finish, or stop that."""
        if split is None or not split.finish:
            self._session.link.hide(COMPARE)
        self.split, self._split_image = split, None
        self._follow_split()
        self.refresh()

    def show_before(self, on: bool) -> None:
        """Show the state before the last change, or the present one."""
        before = self._session.document.before
        if on and before is not None and not self._before:
            self._session.link.show_other(BEFORE, before)
            self._before = True
            self.refresh()
        elif not on and self._before:
            self._before = False
            self._session.link.hide(BEFORE)
            self.refresh()

    def _scene_moved(self) -> None:
        self._follow_preview()
        self._follow_split()
        self.refresh()

    def _follow_preview(self) -> None:
        session, material = self._session, self._session.material
        if self.shape and material is not None:
            session.link.show_preview(self.shape, material, field_row(session.project, session.finish_id))
            self.refresh()

    def _follow_split(self) -> None:
        session = self._session
        if self.split is None or not self.split.finish:
            return
        known = {f.id for f in session.project.finishes} | {m.id for m in session.project.materials}
        if self.split.finish not in known:
            self.show_split(None)
            return
        session.link.show_other(COMPARE, dressed(session.project, session.finish_id, self.split.finish))

    def refresh(self, part: Part | None = None) -> None:
        """Something changed: draw at once, coarsely if need be, and finely when it has come to rest.

        A `part` says what alone has changed since the picture of the generation `drawn`. The pictures of a run of
        parts have one size, so that each can go on from the last: that of the fine picture, where one is shown.
        """
        fine = self._fine and self.drawn == self._generation
        self._generation += 1
        self._waited = 0
        self.refreshed.emit(part)
        if not self.testAttribute(Qt.WidgetAttribute.WA_WState_Created):
            return  # a picture of some size would keep the first that can be seen waiting
        if self._kept:
            self._rest.start()
            return
        if part is not None and self._part_size is None and fine:
            self._part_size = self._pixels()
        if part is None or self._part_size is None:
            width, height = self._pixels()
            budget = MOVING_TARGET_MS / max(self._milliseconds_a_pixel, 1e-7)
            scale = min(max(math.sqrt(budget / max(width * height, 1)), 0.3), 1.0)
            size = max(round(width * scale), 16), max(round(height * scale), 16)
            self._part_size = size if part is not None else None
        else:
            size = self._part_size
        self._ask(*size, 0, moving=True, part=part)
        self._rest.start()

    @contextlib.contextmanager
    def picture_kept(self) -> Iterator[None]:
        """What changes meanwhile is seen already: only the fine picture is drawn again."""
        self._kept = True
        try:
            yield
        finally:
            self._kept = False

    def _pixels(self) -> tuple[int, int]:
        ratio = self.devicePixelRatioF() * FINENESS
        return max(round(self.width() * ratio), 16), max(round(self.height() * ratio), 16)

    def _refine(self) -> None:
        self._waited += 1
        if self.held or (self._session.reading and self._waited < PATIENCE):
            self._rest.start()  # a fine picture takes a while, and would keep the maps that come in waiting
            return
        self._ask(*self._pixels(), 0, moving=False)
        self._ask_far()

    def _ask(self, width: int, height: int, sample: int, moving: bool, part: Part | None = None) -> None:
        tag = _Tag(self._generation, moving, sample, part is not None)
        beside = part
        if part is not None and self.split is not None:  # each side is drawn where it is seen
            part, beside = part.between(0.0, self.split_at), part.between(self.split_at, 1.0)
        if part is not None and not part.is_seen and not self._session.client.waits("main"):
            self.drawn = tag.generation  # it shows all of it that can be seen
        else:
            self._request("main", tag, self.main_eye(), width, height, self.look, sample, 0, part=part)
        if self.split is not None and (beside is None or beside.is_seen):
            scene = COMPARE if self.split.finish else self.scene
            look = self.split.look or self.look
            beside = self._session.client.with_waiting("split", beside)
            self._request("split", tag, self.main_eye(), width, height, look, sample, 1, scene, beside)

    def set_split_at(self, share: float) -> None:
        """Draw the line of a split view elsewhere, at a share of its width."""
        self.split_at = min(max(share, 0.02), 0.98)
        if self._part_size is not None:
            self.refresh()  # of a stroke each side was drawn where it was seen alone
        self.update()

    def _ask_far(self) -> None:
        ratio = self.devicePixelRatioF()
        width, height = round(INSET.width() * ratio), round(INSET.height() * ratio)
        camera = self.camera if self.far_first else self.far_camera()
        self._request(
            "far", _Tag(self._generation, False, 0), self.eye(camera, width, height), width, height, self.look, 0, 2
        )

    def _request(
        self, stream: str, tag: _Tag, eye: Eye, width: int, height: int, look: str, sample: int, priority: int,
        scene: str = "", part: Part | None = None,
    ) -> None:  # fmt: skip
        marks = self.marks() if stream == "main" and not self.shape else None
        self._session.client.request(
            stream, tag, scene=scene or self.scene, eye=eye, width=width, height=height, looks=(look,), sample=sample,
            priority=priority, marks=marks, part=part,
        )  # fmt: skip

    def _on_picture(self, picture: Picture, image: QImage) -> None:
        tag = picture.tag
        if picture.stream == "far":
            self._far = image
            if tag.generation == self._generation and tag.sample + 1 < FAR_SAMPLES:
                ratio = self.devicePixelRatioF()
                width, height = round(INSET.width() * ratio), round(INSET.height() * ratio)
                camera = self.camera if self.far_first else self.far_camera()
                next_tag = _Tag(tag.generation, False, tag.sample + 1)
                self._request(
                    "far", next_tag, self.eye(camera, width, height), width, height, self.look, tag.sample + 1, 2
                )
            self.update()
        if picture.stream == "split":
            self._split_image = image
            self.update()
            if tag.part and self.drawn == tag.generation and not self._session.client.busy("main"):
                self.arrived.emit()  # of this stroke the large picture shows nothing
        if picture.stream != "main":
            return
        fresh = tag.generation == self._generation
        if not tag.moving and not fresh:
            return
        self._image = image
        self.drawn, self._fine = tag.generation, not tag.moving or (tag.part and self._fine)
        if picture.milliseconds > 0 and tag.sample == 0 and not tag.part:
            per_pixel = picture.milliseconds / max(image.width() * image.height(), 1)
            self._milliseconds_a_pixel += 0.35 * (per_pixel - self._milliseconds_a_pixel)
        if fresh and not tag.moving and tag.sample + 1 < SAMPLES:
            self._ask(*self._pixels(), tag.sample + 1, moving=False)
        self.update()
        self.arrived.emit()

    @property
    def generation(self) -> int:
        """Counts up with every change of what is shown."""
        return self._generation

    @property
    def has_picture(self) -> bool:
        """Whether any picture has come yet."""
        return self._image is not None

    def picture(self) -> QImage | None:
        """What was drawn last, without what lies over it."""
        return self._image

    @property
    def moving(self) -> bool:
        """Whether something is being dragged or painted, or has been a moment ago."""
        return self._rest.isActive() or self.held

    @property
    def at_rest(self) -> bool:
        """Whether the finest picture of the present state is shown."""
        return not self._rest.isActive() and self._session.settled

    def set_look(self, look: str) -> None:
        """Show another quantity."""
        if look != self.look:
            self.look = look
            self.refresh()

    def swap_far(self) -> None:
        """Exchange the near and the far picture."""
        self.far_first = not self.far_first
        self._image, self._far = self._far, self._image
        self.refresh()

    def _on_state(self, text: str) -> None:
        self._state = text
        self.update()

    def inset_rect(self) -> QRectF:
        """Where the far picture lies."""
        return QRectF(self.width() - INSET.width() - 12, 12, INSET.width(), INSET.height())

    def inset_shown(self) -> bool:
        """Whether there is room for the far picture, and it has come."""
        return self._far is not None and self.width() > 420 and self.height() > 260
