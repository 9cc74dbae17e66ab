"""The direction of strands over the chosen prop, as lines from root to tip."""

from __future__ import annotations

from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPainter, QPainterPath, QPen

from jade_coat.app import theme
from jade_coat.app.view.overlay import Overlay
from jade_coat.app.view.view import View
from jade_coat.jobs.words import told
from jade_coat.looking.flow import NO_FLOW, Flow, flow_of
from jade_coat.view.camera import seen


class FlowLines(Overlay[View]):
    """Worked out anew when the look or the prop changes; another camera only draws it again."""

    def __init__(self, view: View) -> None:
        super().__init__(view)
        self.flow: Flow = NO_FLOW
        self._measured: object = None
        self._working = False
        session = view.session
        session.flow_changed.connect(self._follow)
        view.arrived.connect(self._follow)

    @property
    def waiting(self) -> bool:
        """Whether newer lines are on their way."""
        return self._working

    def _follow(self) -> None:
        session = self.view.session
        prop = session.shown_prop
        if not session.flow_shown or prop is None:
            self.flow, self._measured = NO_FLOW, None
            self.view.update()
            return
        state = (session.shown_project, prop.id, session.slot)
        if self._working or self._measured == state:
            return
        self._measured, self._working = state, True
        project, library, slot = session.shown_project, session.library, session.slot
        mesh = session.link.mesh_data(prop.mesh)

        def done(found: Flow) -> None:
            self._working = False
            self.flow = found
            self.view.update()

        def failed(error: Exception) -> None:
            self._working = False
            self.flow = NO_FLOW
            if not session.faults:
                session.said.emit(f"The direction of the strands could not be worked out: {told(error)}", True)

        session.work(lambda: flow_of(project, library, prop, slot, mesh), done, failed)

    def paint(self, painter: QPainter) -> None:
        """Lines that begin on what faces the eye, fine at the root and with a dot at the tip."""
        if not len(self.flow.lines) or self.view.shape:
            return
        wide, high = self.view.width(), self.view.height()
        eye = self.view.eye(self.view.camera, wide, high)
        towards = eye.position - self.flow.lines[:, 0]
        shown = self.flow.lines[(towards * self.flow.normals).sum(axis=1) > 0]
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        points = seen(eye, shown.reshape(-1, 3)).reshape(*shown.shape[:2], 3)
        for line in points[(points[..., 2] > 0).all(axis=1)]:
            ends = [QPointF(float(x) * wide, float(y) * high) for x, y in line[:, :2]]
            path = QPainterPath(ends[0])
            for end in ends[1:]:
                path.lineTo(end)
            for tone, width in (("chrome", 3.0), ("celadon", 1.3)):
                painter.setPen(QPen(theme.color(tone, 170 if tone == "chrome" else 255), width))
                painter.drawPath(path)
            painter.setPen(QPen(theme.color("persimmon"), 3.4))
            painter.drawPoint(ends[-1])
