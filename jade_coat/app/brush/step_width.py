"""How sharp a fill's step can be on a mesh's vertices, and splitting the triangles it runs across."""

from __future__ import annotations

from PyQt6 import sip
from PyQt6.QtWidgets import QPushButton, QVBoxLayout

from jade_coat.app.brush.filling import Filling
from jade_coat.app.controls.basics import Line, button, counted, show_or_hide
from jade_coat.app.session import Session
from jade_coat.check.paint_costs import length
from jade_coat.mesh.data import MeshData
from jade_coat.mesh.filling import Crossing, step_crossing
from jade_coat.mesh.painting import PaintMap
from jade_coat.stage import edits
from jade_coat.stage.remesh import Exchange, split


class StepWidth:
    """Words on the width of the step of a panel's rule, and a button that splits there."""

    def __init__(self, session: Session, panel: Filling) -> None:
        self._session, self._panel = session, panel
        self.words = Line(wrap=True)
        self.button: QPushButton | None = None
        self._crossing: tuple[str, MeshData, Crossing] | None = None

    def build(self, box: QVBoxLayout) -> None:
        """Put both into a panel that is built anew."""
        box.addWidget(self.words.widget())
        self.button = button("Split", self.split, "add", "Halve the triangles that the step runs across")
        box.addWidget(self.button)
        self.measure()

    def measure(self) -> None:
        """Work out on the side how wide the step is."""
        panel, session, prop, shown = self._panel, self._session, self._panel.prop, self.button
        self._crossing = None
        if shown is not None:
            show_or_hide(shown, False)
        if prop is None or isinstance(panel.paint_of(prop), PaintMap):
            self.words.say("")
            return
        mesh, matrix, rule, around = session.link.mesh_data(prop.mesh), prop.matrix(), panel.rule, panel.around(prop)

        def done(found: Crossing | None) -> None:
            if panel.rule is not rule or panel.prop is None or panel.prop.id != prop.id:
                return
            if found is None:
                self.words.say("The step crosses none of its triangles.")
                return
            self._crossing = (prop.mesh, mesh, found)
            usual, widest = (length(v * prop.scale) for v in (found.usual, found.widest))
            self.words.say(
                f"Its edge is as wide as the triangles it crosses: {usual}, {widest} at most. Splitting halves that, "
                "and a map paints it sharp."
            )
            if shown is not None and not sip.isdeleted(shown):
                shown.setText(f"Split {counted(len(found.triangles), 'triangle')}")
                shown.setVisible(True)

        session.work(lambda: step_crossing(rule, mesh, matrix, around), done, panel.failed)

    def split(self) -> None:
        """Split the triangles that the step runs across."""
        if self._crossing is None:
            return
        mesh_id, mesh, found = self._crossing
        project, session = self._session.project, self._session
        if self._panel.live:
            self._panel.take_back()

        def done(made: Exchange) -> None:
            asset = session.library.exchanged(session.project.mesh(mesh_id), made.mesh)
            more = made.mesh.vertex_count - mesh.vertex_count
            edit = edits.exchange_mesh(mesh=asset, paint=made.paint, maps=made.maps)
            if session.do_all("Split triangles along a step", [edit]):
                session.said.emit(f"{more:,} more vertices along the step", False)

        work = lambda: split(project, mesh_id, mesh, found.triangles)  # noqa: E731
        session.work_on_paint(mesh_id, work, done, self._panel.failed)
