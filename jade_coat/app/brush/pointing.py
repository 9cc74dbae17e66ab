"""Where the brush is held: the place under it, what it would do there, and the marks over the mesh."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import partial

import numpy as np
from PyQt6.QtCore import QPointF, pyqtSignal
from PyQt6.QtGui import QPainter

from jade_coat.app.brush.ring import paint_dab
from jade_coat.app.brush.state import BrushState
from jade_coat.app.view.overlay import Overlay
from jade_coat.app.view.view import View
from jade_coat.jobs.words import told
from jade_coat.looking.stage_rays import PropHit
from jade_coat.mesh.brush import Brush
from jade_coat.mesh.canvas import MapCanvas, VertexCanvas
from jade_coat.mesh.data import MeshData
from jade_coat.mesh.painting import Paint, PaintMap, shown_paint
from jade_coat.mesh.picking import target
from jade_coat.mesh.stroke import Stroke
from jade_coat.mesh.surface_index import surface_index
from jade_coat.mesh.warm import is_warm, warm_up
from jade_coat.program.types import Array
from jade_coat.stage.project import Prop
from jade_coat.view.requests import Marks

AT_ONCE, SIDE_AT_ONCE = 120_000, 1024
"""Vertices, and texels along a map, up to which a surface is made ready in the moment of the press."""


@dataclass(frozen=True)
class Contact:
    """Where the brush last was: the prop, the place in its mesh's space, and the brush's radius there."""

    prop: str
    point: Array
    normal: Array
    triangle: int
    radius: float


class Pointing(Overlay[View]):
    """A brush that is pointed at props. `state` holds its settings."""

    touched = pyqtSignal()
    """The place under the brush has changed."""
    readied = pyqtSignal()
    """What was got ready in the background is, or has failed."""

    def __init__(self, view: View, state: BrushState) -> None:
        super().__init__(view)
        self._state = state
        self._marked = False
        self._warming = False
        self._pointer: QPointF | None = None
        self._hover: PropHit | None = None
        self._preview: tuple[tuple[object, ...], VertexCanvas | MapCanvas] | None = None
        self._readying: set[object] = set()
        self._readied: set[object] = set()
        self.contact: Contact | None = None

    @property
    def active(self) -> bool:
        """Whether the brush is in hand, and what is drawn is the stage."""
        return self.view.tool == "brush" and not self.view.shape

    def metres_a_pixel(self, hit: PropHit) -> float:
        """How many metres a pixel of the view spans where it was hit."""
        camera, eye = self.view.camera, self.view.main_eye()
        ahead = float(-(eye.view @ np.append(hit.hit.point, 1.0))[2])
        return 2 * max(ahead, 1e-6) * math.tan(camera.field_of_view / 2) / max(self.view.height(), 1)

    def brush_at(self, hit: PropHit, erasing: bool | None = None) -> Brush:
        """The brush for one dab: its size in metres there, the pen's pressure, and the other value when `erasing`.

        Without a dab (None) it is as the settings have it.
        """
        brush, hand = self._state.brush, self._state.hand
        if hand.measure == "screen":
            brush = brush.with_(radius=hand.pixels * self.metres_a_pixel(hit))
        if erasing is None:
            return brush
        pressure = min(max(self.view.pressure, 0.0), 1.0)
        if hand.pressure_size:
            brush = brush.with_(radius=brush.radius * max(pressure, 0.02))
        if hand.pressure_strength:
            brush = brush.with_(strength=brush.strength * pressure)
        return brush.with_(second=not brush.second) if erasing else brush

    def _canvas(self, prop: Prop, mesh: MeshData) -> VertexCanvas | MapCanvas:
        """What is painted on: the prop's map where it stands in for the chosen colour set, else its vertices."""
        found = prop.paint_map
        if isinstance(found, PaintMap) and found.color_set == self._state.color_set:
            return MapCanvas(mesh, found)
        sets = max(self._state.brush.channels) // 4 + 1
        return VertexCanvas(mesh, shown_paint(mesh, prop.paint if isinstance(prop.paint, Paint) else None, sets))

    def _on(self, canvas: VertexCanvas | MapCanvas, brush: Brush) -> Brush:
        """The brush with the channels as the canvas counts them."""
        if isinstance(canvas, MapCanvas):
            return brush.with_(channels=tuple(c % 4 for c in brush.channels))
        return brush

    @property
    def readying(self) -> bool:
        """Whether something is being got ready in the background."""
        return self._warming or bool(self._readying)

    def warm(self) -> bool:
        """Whether the brush's loops are compiled; if not, that begins in the background."""
        if is_warm() or self._warming:
            return is_warm()
        self._warming = True

        def done(_: object) -> None:
            self._warming = False
            self.view.update()
            self.readied.emit()

        def failed(error: Exception) -> None:
            self._warming = False
            self.readied.emit()
            self.view.session.said.emit(f"The brush cannot be used: {told(error)}", True)

        self.view.session.work(warm_up, done, failed)
        return False

    def _ready(self, prop: Prop, mesh: MeshData) -> bool:
        """Whether a surface can be painted at once; a large one is made ready in the background."""
        if not self.warm():
            self.view.session.said.emit("Getting the brush ready, once on this machine. Strokes are kept…", False)
            return False
        found = prop.paint_map if isinstance(prop.paint_map, PaintMap) else None
        key = (mesh, found.source if found else None, found.side if found else 0)
        if key in self._readying:
            return False
        if not _large(prop, mesh) or key in self._readied:
            return True
        self._readying.add(key)

        def work() -> None:
            surface_index(mesh).beside  # noqa: B018  (worked out and kept)
            target(mesh)
            canvas = self._canvas(prop, mesh)
            Stroke(canvas).dab(mesh.positions[0].astype(float), mesh.normals[0].astype(float), Brush(), lay=False)

        def done(_: object) -> None:
            self._readying.discard(key)
            self._readied = {key}
            self.view.session.said.emit(f"{prop.name} is ready to be painted", False)
            self.readied.emit()

        self.view.session.work(work, done, partial(self._failed, key))
        self.view.session.said.emit(f"Getting the surface of {prop.name} ready for painting…", False)
        return False

    def _failed(self, key: object, error: Exception) -> None:
        self._readying.discard(key)
        self.view.session.said.emit(f"This cannot be painted: {told(error)}", True)
        self.readied.emit()

    def _point(self, at: QPointF, only: str) -> None:
        self._hover = self.view.pick(at, only)
        if self._hover is not None:
            point, normal = self._hover.local
            radius = self.brush_at(self._hover).radius / self._hover.prop.scale
            self.contact = Contact(self._hover.prop.id, point, normal, self._hover.hit.triangle, radius)
            self.touched.emit()
        self.view.update()

    def marks(self) -> Marks | None:
        """What the renderer draws over the chosen prop's mesh."""
        shown, prop = self._state.shown, self.view.session.prop
        if prop is None or not self.active or not (shown.edges or shown.vertices or shown.held):
            return None
        radius = self._state.brush.radius
        if self._state.hand.measure == "screen":
            radius = self.contact.radius * prop.scale if self.contact is not None else 0.1
        held = radius / prop.scale if shown.held and not isinstance(prop.paint_map, PaintMap) else 0.0
        mesh, camera = self.view.session.link.mesh_data(prop.mesh), self.view.camera
        away = float(np.linalg.norm(camera.position() - np.array(prop.position)))
        high = 2 * max(min(away, camera.distance), 1e-3) * math.tan(camera.field_of_view / 2)
        spacing = mesh.spacing * prop.scale / high
        return Marks(
            self.view.session.link.mesh_key(prop.mesh), prop.matrix(), shown.edges, shown.vertices, held, spacing
        )

    def _show_marks(self) -> None:
        session, prop, shown = self.view.session, self.view.session.prop, self._state.shown
        if prop is None or not (shown.edges or shown.vertices or shown.held):
            if self._marked:
                self.view.refresh()
            self._marked = False
            return
        self._marked = True
        mesh_id, mesh = prop.mesh, session.link.mesh_data(prop.mesh)

        def done(_: object) -> None:
            if any(m.id == mesh_id for m in session.project.meshes):
                session.link.measure_edges(mesh_id)
                self.view.refresh()

        session.work(lambda: mesh.spacing, done, partial(self._failed, None))

    def _paint_preview(self, painter: QPainter, hit: PropHit, brush: Brush) -> None:
        """What a dab would do here, without doing it."""
        prop = self.view.session.project.props.get(hit.prop.id)
        if prop is None or not self._ready(prop, hit.mesh):
            return
        key = (prop.id, prop.paint, prop.paint_map, hit.mesh, max(brush.channels) // 4)
        if self._preview is None or any(a is not b for a, b in zip(self._preview[0], key, strict=True)):
            self._preview = (key, self._canvas(prop, hit.mesh))
        canvas = self._preview[1]
        dots = self.metres_a_pixel(hit)
        paint_dab(painter, self.view, hit, Stroke(canvas, prop.scale), canvas, self._on(canvas, brush), dots)


def _large(prop: Prop, mesh: MeshData) -> bool:
    """Whether making a surface ready would be felt."""
    side = prop.paint_map.side if isinstance(prop.paint_map, PaintMap) else 0
    return mesh.vertex_count > AT_ONCE or side > SIDE_AT_ONCE
