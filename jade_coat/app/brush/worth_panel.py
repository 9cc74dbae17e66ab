"""Paint or dial? The ways to make one prop look different, side by side, with what each costs in this scene."""

from __future__ import annotations

from PyQt6.QtWidgets import QFrame, QVBoxLayout, QWidget

from jade_coat.app.controls.basics import choice, clear, column, counted, label, row
from jade_coat.app.session import Session
from jade_coat.check.paint_costs import Way, size, ways
from jade_coat.jobs.words import told
from jade_coat.stage.looks import finish_on


class WorthPanel(QWidget):
    """A card for each way; worked out when it is unfolded, and again when the scene changes meanwhile."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.ways: tuple[Way, ...] = ()
        self._side, self._bits = 512, 8
        self._asked = 0
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(0, 6, 0, 2)
        self._box.setSpacing(6)
        session.changed.connect(self._follow)
        session.selection_changed.connect(self._follow)

    def _follow(self) -> None:
        if self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        """Work it out for the chosen prop and slot."""
        session, prop, slot = self._session, self._session.prop, self._session.slot
        if prop is None or not finish_on(session.project, prop, slot):
            self.ways = ()
            self._show("Choose a prop that wears a finish.")
            return
        self._asked += 1
        asked, project = self._asked, session.project
        meshes = {m.id: session.link.mesh_data(m.id) for m in project.meshes}
        side, bits = self._side, self._bits

        def done(found: tuple[Way, ...]) -> None:
            if asked == self._asked:
                self.ways = found
                self._show("")

        session.work(lambda: ways(project, prop, slot, meshes.__getitem__, side, bits), done,
                     lambda error: self._show(f"This cannot be worked out: {told(error)}"))  # fmt: skip

    def _show(self, problem: str) -> None:
        clear(self._box)
        session, project = self._session, self._session.project
        if not problem and (session.prop is None or not finish_on(project, session.prop, session.slot)):
            problem = "Choose a prop that wears a finish."  # it went while this was worked out
        if problem:
            self._box.addWidget(label(problem, "quiet", wrap=True))
            return
        prop, slot = session.prop, session.slot
        assert prop is not None
        finish = finish_on(project, prop, slot)
        many = sum(p.mesh == prop.mesh and finish_on(project, p, slot) == finish for p in project.props)
        text = f"To make {prop.name} look different"
        self._box.addWidget(label(f"{text}, or all {many} like it:" if many > 1 else f"{text}:", "quiet", wrap=True))
        for way in self.ways:
            self._box.addWidget(_Card(way, many))
        sides = [(f"{s} {b}", f"{s} × {s}, {b} bits") for s in (64, 256, 512, 1024, 2048, 4096) for b in (8, 16)]
        self.size_of_map = choice(sides, f"{self._side} {self._bits}", self._choose, "The map that is compared")
        self.size_of_map.setFixedWidth(164)
        self._box.addLayout(row(label("Map"), 1, self.size_of_map))

    def _choose(self, key: str) -> None:
        side, bits = key.split()
        self._side, self._bits = int(side), int(bits)
        self.refresh()


class _Card(QFrame):
    def __init__(self, way: Way, many: int) -> None:
        super().__init__()
        self.setObjectName("card")
        lines = [label(way.name, "name"), label(_cost(way.nbytes, way.draws))]
        if many > 1:
            lines.append(label(f"all {many}: {_cost(way.many_bytes, way.many_draws)}", "quiet"))
        lines += [label(f"Shows {way.can}.", "", wrap=True), label(f"Not: {way.cannot}.", "quiet", wrap=True)]
        self.setLayout(column(*lines, margins=(10, 7, 10, 8), gap=2))


def _cost(nbytes: int, draws: int) -> str:
    if not nbytes and not draws:
        return "adds nothing"
    more = f"{counted(draws, 'draw')} more" if draws else "no more draws"
    return f"{size(nbytes)} more, {more}"
