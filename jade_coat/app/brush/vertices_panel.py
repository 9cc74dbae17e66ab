"""The panel for meshes with too few vertices: how fine they are, and splitting them."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

import numpy as np
from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtGui import QShowEvent

from jade_coat.app.brush.paint_panel import ENOUGH, FINE, REST_MS, SPLIT_REACH, PaintBody
from jade_coat.app.brush.state import BrushState
from jade_coat.app.brush.tool import BrushTool
from jade_coat.app.controls.basics import Line, button, clear, label, row
from jade_coat.app.session import Session
from jade_coat.check.paint_costs import length, size
from jade_coat.jobs.words import told
from jade_coat.material.kinds import kind_of
from jade_coat.mesh.data import MeshData
from jade_coat.mesh.painting import PaintMap
from jade_coat.stage.looks import finishes_on, worn
from jade_coat.stage.project import Prop
from jade_coat.stage.remesh import Exchange, split, split_to, wearers


class VerticesPanel(PaintBody):
    """How finely the mesh can be painted with this brush, and splitting its triangles where that is too coarse."""

    map_wanted = pyqtSignal()

    def __init__(self, session: Session, brush: BrushState, tool: BrushTool, map_cost: Callable[[], str]) -> None:
        super().__init__(session, brush)
        self._tool, self.map_cost = tool, map_cost
        session.changed.connect(self.refresh)
        session.selection_changed.connect(self.refresh)
        brush.changed.connect(self.refresh)
        tool.touched.connect(self._at_brush)
        self._where = Line(wrap=True)
        self._measuring: MeshData | None = None
        self._under = ""
        self._foretold: tuple[tuple[Any, ...], Exchange] | None = None
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(REST_MS)
        self._rest.timeout.connect(self._foretell)
        self.refresh()

    def showEvent(self, event: QShowEvent | None) -> None:
        """Unfolded: look at the mesh now."""
        super().showEvent(event)
        self.refresh()

    def _measure(self, mesh: MeshData) -> bool:
        """Whether the mesh's edges are measured; if not, that begins."""
        if "spacing" in mesh.__dict__ and (not self.isVisible() or "edge_count" in mesh.__dict__):
            return True
        if self._measuring is not mesh:
            self._measuring = mesh
            seen = self.isVisible()  # how many edges there are is asked for only while the panel shows

            def done(_: object) -> None:
                self._measuring = None
                self.refresh()

            self._session.work(lambda: (mesh.spacing, mesh.edge_count if seen else 0), done, self._unmeasured)
        return False

    def _unmeasured(self, error: Exception) -> None:
        self._session.said.emit(f"The mesh cannot be measured: {told(error)}", True)

    def refresh(self) -> None:
        """Show what the chosen mesh holds."""
        prop = self._prop
        if not self.isVisible() or (prop is not None and not self._measure(self._mesh(prop))):
            return
        key = None
        if prop is not None:
            drawn = self.drawn_shadows(prop)
            key = (prop.id, prop.paint_map, self._mesh(prop), round(self._radius(prop), 4), drawn)
        if prop is not None and key == self._key:
            return
        self._key = key
        clear(self._box)
        if prop is None:
            self._box.addWidget(label("Choose a prop to see how finely it can be painted.", "quiet", wrap=True))
            return
        mesh = self._mesh(prop)
        if isinstance(prop.paint_map, PaintMap):
            self._box.addWidget(label("It is painted on a map: its vertices do not matter.", "", wrap=True))
            return
        self._box.addWidget(label(self.words(prop, mesh), "", wrap=True))
        self._where.say("")
        self._box.addWidget(self._where.widget())
        if self._job is not None:
            self._build_busy()
            return
        tip = "Split the triangles round the last dab until the brush has vertices enough"
        self.here = button("Split here", self.split_here, "", tip)
        after = mesh.vertex_count + mesh.edge_count  # one more in the middle of every edge
        more = size(mesh.edge_count * _bytes_a_vertex(mesh) + len(mesh.triangles) * 36)
        tip = f"Every triangle in four: {after:,} vertices, {more} more for the mesh"
        self.everywhere = button(f"Everywhere (+{more})", self.split_everywhere, "", tip)
        self._box.addLayout(row(self.here, self.everywhere, 1))
        if drawn:
            self._box.addWidget(label(drawn, "warn", wrap=True))
        tip = "Texels instead of vertices: how many, how deep and by which UV set is chosen there"
        self.instead = button(f"Paint a map instead ({self.map_cost()})…", self.map_wanted.emit, "add", tip)
        self._box.addWidget(self.instead)

    def drawn_shadows(self, prop: Prop) -> str:
        """What splitting does to light that is drawn by the mesh's own triangles and normals; empty where it is not."""
        project = self._session.project
        kinds = {worn(project, f).kind for f in finishes_on(project, prop).values()}
        if not any(kind_of(kind).part == "tones" for kind in kinds):
            return ""
        return "Its light is cut in two tones along these triangles: splitting them changes the shadows as drawn."

    def warning(self) -> str:
        """What is wrong under the brush, in words; empty while there are vertices enough, or a map is painted."""
        contact, prop = self._tool.contact, self._prop
        if contact is None or prop is None or contact.prop != prop.id or isinstance(prop.paint_map, PaintMap):
            return ""
        mesh = self._mesh(prop)
        if not self._measure(mesh) or contact.triangle >= len(mesh.triangles):
            return ""
        edge = float(mesh.edge_length[mesh.triangles[contact.triangle]].max())
        if self._radius(prop) >= edge * ENOUGH:
            return ""
        return f"Too few vertices here for this brush: one every {length(edge * prop.scale)}."

    def _radius(self, prop: Prop) -> float:
        """The brush's radius in the mesh's own metres."""
        contact = self._tool.contact
        if self._brush.hand.measure == "screen" and contact is not None:
            return contact.radius
        return self._brush.brush.radius / prop.scale

    def words(self, prop: Prop, mesh: MeshData) -> str:
        """What the mesh holds, as sentences."""
        radius, edge = self._radius(prop), mesh.spacing
        across = radius / max(edge, 1e-9)
        judged = (
            "plenty for this brush" if across >= 4 else "just enough for this brush" if across >= 2
            else "too few for this brush: strokes will fray or vanish"
        )  # fmt: skip
        return (
            f"{mesh.vertex_count:,} vertices, one every {length(edge * prop.scale)} or so. The brush reaches "
            f"{across:.1f} of them from its middle: {judged}."
        )

    def _at_brush(self) -> None:
        contact, prop = self._tool.contact, self._prop
        if not self.isVisible() or contact is None or prop is None or contact.prop != prop.id:
            return
        mesh = self._mesh(prop)
        if "spacing" not in mesh.__dict__ or contact.triangle >= len(mesh.triangles):
            return
        near = np.linalg.norm(mesh.positions[mesh.triangles[contact.triangle]] - contact.point, axis=1).argmin()
        edge = float(mesh.edge_length[mesh.triangles[contact.triangle][near]])
        self._under = f"Under the brush: one every {length(edge * prop.scale)}."
        self._where.say(self._under)
        self._foretold = None
        self._rest.start()

    def _foretell(self) -> None:
        """Work out what splitting here would add, by doing it on the side; the click then takes what was made."""
        contact, prop = self._tool.contact, self._prop
        if contact is None or prop is None or contact.prop != prop.id or not self.isVisible() or self._job is not None:
            return
        key = self._split_key()
        mesh, mesh_id, project, (point, radius) = self._mesh(prop), prop.mesh, self._session.project, key[2:]

        def done(made: Exchange) -> None:
            if self._prop is not None and self._tool.contact is not None and self._split_key() == key:
                self._foretold = (key, made)
                more = made.mesh.vertex_count - mesh.vertex_count
                cost = size(more * _bytes_a_vertex(mesh))
                told = f"Splitting here adds {more:,} vertices, {cost}." if more else "Splitting here adds nothing."
                self._where.say(f"{self._under} {told}")

        at = np.array(point)
        self._session.work(
            lambda: split_to(project, mesh_id, mesh, at, radius * SPLIT_REACH, radius / FINE), done,
            lambda error: self._where.say(f"{self._under} It cannot be split here: {told(error)}"),
        )  # fmt: skip

    def _split_key(self) -> tuple[Any, ...]:
        """What splitting here depends on: the mesh, the props' paint, the place and the brush's radius."""
        contact, prop = self._tool.contact, self._prop
        assert contact is not None
        assert prop is not None
        place = tuple(float(v) for v in contact.point)
        return self._mesh(prop), self._session.project.props, place, self._radius(prop)

    def split_here(self) -> None:
        """Split round the last dab."""
        contact, prop = self._tool.contact, self._prop
        if contact is None or prop is None or contact.prop != prop.id:
            self._session.said.emit("Point at the place on the prop first, then split.", True)
            return
        mesh, mesh_id, project = self._mesh(prop), prop.mesh, self._session.project
        point, radius = contact.point, self._radius(prop)
        if self._foretold is not None and self._foretold[0] == self._split_key():
            made, self._foretold = self._foretold[1], None
            self._done(mesh_id, mesh, made)
            self.refresh()
            return
        self._work(
            "Splitting", lambda job: split_to(project, mesh_id, mesh, point, radius * SPLIT_REACH, radius / FINE),
            partial(self._done, mesh_id, mesh),
        )  # fmt: skip

    def split_everywhere(self) -> None:
        """Split every triangle in four."""
        prop = self._prop
        assert prop is not None
        mesh, mesh_id, project = self._mesh(prop), prop.mesh, self._session.project
        self._work("Splitting", lambda job: split(project, mesh_id, mesh, None), partial(self._done, mesh_id, mesh))

    def _done(self, mesh_id: str, old: MeshData, made: Exchange) -> None:
        self._exchange(mesh_id, "Split triangles", made)
        count = len(wearers(self._session.project, mesh_id))
        more = size((made.mesh.vertex_count - old.vertex_count) * _bytes_a_vertex(made.mesh))
        shared = f"; {count} props share the mesh" if count > 1 else ""
        self._session.said.emit(
            f"{old.vertex_count:,} vertices before, {made.mesh.vertex_count:,} now, {more} more{shared}", False
        )


def _bytes_a_vertex(mesh: MeshData) -> int:
    return 40 + 8 * len(mesh.uvs) + 8 * len(mesh.colors)
