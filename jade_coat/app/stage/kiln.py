"""The word kiln: words in, a candidate in the middle and its neighbours around it; people walk to what they want."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QGridLayout, QLineEdit, QWidget

from jade_coat.app.controls.basics import button, column, counted, holder, label, row, scrolled
from jade_coat.app.controls.images import image_from
from jade_coat.app.session import Session
from jade_coat.app.stage.kiln_tiles import MIDDLE as MIDDLE_SIDE
from jade_coat.app.stage.kiln_tiles import NEIGHBOUR, KilnTile
from jade_coat.app.trying import REST_MS
from jade_coat.files.project_folder import asset_names
from jade_coat.jobs.job import Cancelled, Job
from jade_coat.jobs.words import told
from jade_coat.kiln.brief import DIRECTIONS
from jade_coat.kiln.keeping import all_at_once, keeping, map_set_of, wearing
from jade_coat.kiln.pictures import lit_tile
from jade_coat.kiln.provider import (
    FULL,
    MIDDLE,
    PREVIEW,
    Ask,
    BadCandidate,
    Candidate,
    Provider,
    SimulatedKiln,
    checked,
)
from jade_coat.maps.mapset import MapSet
from jade_coat.program.types import Array

HINT = "mossy weathered clay, fine cracks"


class KilnPage(QWidget):
    """The page below the view in Stage. `provider` may be another than the kiln that ships."""

    arrived = pyqtSignal(object, object, object)
    """An ask's job, a candidate and its picture; the candidate is a text where it was damaged."""

    # Long: every part of the page, a line each.
    def __init__(self, session: Session, provider: Provider | None = None) -> None:
        super().__init__()
        self._session = session
        self.provider: Provider = provider or SimulatedKiln()
        self.ask: Ask | None = None
        self.candidates: dict[str, Candidate] = {}
        self.behind: list[Ask] = []
        """What was in the middle before, the last one last."""
        self._job: Job | None = None
        self._lost: list[str] = []
        self._trial: MapSet | None = None
        self.words = QLineEdit()
        self.words.setPlaceholderText(HINT)
        self.words.setAccessibleName("Words for the kiln")
        self.words.setClearButtonEnabled(True)
        self.words.returnPressed.connect(self.fire)
        self.stop = button("Stop", self.cancel, "", "Stop firing")
        self.back = button("Back", self.go_back, "", "To what was in the middle before")
        self.vary = button("Vary", self.vary_seed, "", "The same words, another seed")
        self.drop = button("Discard", self.discard, "", "Let these candidates go")
        self.keep = button("Keep", self.keep_maps, "", "Keep the one in the middle as a map set of the project")
        self.wear = button("Keep and wear", self.keep_and_wear, "", "Keep it, and dress what is chosen in it")
        self.note = label("", "quiet", wrap=True)
        self.unknown = label("", "warn", wrap=True)
        self.about = label("", "quiet", wrap=True)
        self.tiles = {MIDDLE: KilnTile(MIDDLE, "", MIDDLE_SIDE)}
        self.tiles |= {k: KilnTile(k, d.label, NEIGHBOUR) for k, d in DIRECTIONS.items()}
        for way, tile in self.tiles.items():
            tile.clicked.connect(partial(self.walk, way))
            tile.rested.connect(self._rest_on)
        self._wait = QTimer(self)
        self._wait.setSingleShot(True)
        self._wait.setInterval(REST_MS)
        self._wait.timeout.connect(self._try)
        self._resting = ""
        self.head = holder(row(self.words, button("Fire", self.fire, "", "Fire these words"), self.stop, gap=4))
        """The words, and what fires them; whoever shows the page gives it a place."""
        self.words.setMinimumWidth(330)
        self._lay()
        self.arrived.connect(self._take)
        self._show()

    def _lay(self) -> None:
        ways = list(DIRECTIONS)
        sides = []
        for half in (ways[0::2], ways[1::2]):  # what is less at the left, its opposite at the right
            grid = QGridLayout()
            grid.setSpacing(2)
            for i, way in enumerate(half):
                grid.addWidget(self.tiles[way], i % 3, i // 3)
            sides.append(grid)
        deeds = column(self.unknown, self.about, self.note, gap=4)
        deeds.addStretch(1)
        for pair in ((self.back, self.vary), (self.drop, self.keep)):
            deeds.addLayout(row(*pair, gap=4))
        deeds.addWidget(self.wear)
        body = row(gap=8, margins=(12, 2, 8, 4))
        body.addLayout(sides[0])
        body.addWidget(self.tiles[MIDDLE], 0, Qt.AlignmentFlag.AlignVCenter)
        body.addLayout(sides[1])
        body.addLayout(deeds, 1)
        inner = QWidget()
        inner.setLayout(body)
        self.setLayout(column(scrolled(inner), gap=0))  # so that it never takes height from the view

    # Firing

    @property
    def waiting(self) -> bool:
        """Whether candidates are still to come."""
        return self._job is not None

    def fire(self) -> None:
        """Fire the words that are written."""
        words = self.words.text().strip() or HINT
        self.words.setText(words)
        if self.ask is not None:
            self.behind.append(self.ask)
        self._fire(Ask(words, self.ask.seed if self.ask is not None else 1))

    def vary_seed(self) -> None:
        """The same, from another seed."""
        if self.ask is not None:
            self.behind.append(self.ask)
            self._fire(replace(self.ask, seed=self.ask.seed + 1))

    def walk(self, way: str) -> None:
        """Put a neighbour into the middle."""
        found = self.candidates.get(way)
        if found is None or way == MIDDLE or self.ask is None:
            return
        picture = self.tiles[way].image
        self.behind.append(self.ask)
        self._fire(found.ask, picture)

    def go_back(self) -> None:
        """Return to what was in the middle before."""
        if self.behind:
            self._fire(self.behind.pop())

    def discard(self) -> None:
        """Let all candidates go."""
        self.cancel()
        self._forget_trial()
        self.ask, self.candidates, self.behind = None, {}, []
        self._show()

    def cancel(self) -> None:
        """Stop what is being fired; what has come stays."""
        if self._job is not None:
            self._job.cancel()
            self._job = None
            self._show()

    def _fire(self, ask: Ask, picture: QImage | None = None) -> None:
        self.cancel()
        self._forget_trial()
        self.ask, self.candidates, self._lost = ask, {}, []
        self.words.setText(ask.words)
        self.words.setCursorPosition(0)
        for tile in self.tiles.values():
            tile.show_image(None)
        self.tiles[MIDDLE].show_image(picture)
        provider, job = self.provider, Job()
        self._job = job

        def work() -> None:
            for candidate in provider.candidates(ask, PREVIEW, job):
                if job.cancelled:
                    raise Cancelled
                try:
                    made = checked(candidate, PREVIEW)
                    self.arrived.emit(job, made, lit_tile(made.files))
                except BadCandidate as error:
                    self.arrived.emit(job, str(error), None)

        def done(_: object) -> None:
            self._finished(job, "")

        def failed(error: Exception) -> None:
            self._finished(job, "" if isinstance(error, Cancelled) else f"{provider.name}: {told(error)}")

        self._session.work(work, done, failed, job)
        self._show()

    def _take(self, job: Job, candidate: Candidate | str, pixels: Array) -> None:
        if job is not self._job:
            return  # of an earlier firing
        if isinstance(candidate, Candidate):
            self.candidates[candidate.way] = candidate
            if candidate.way in self.tiles:
                self.tiles[candidate.way].show_image(image_from(pixels))
        else:
            self._lost.append(candidate)
        self._show()

    def _finished(self, job: Job, problem: str) -> None:
        if job is not self._job:
            return
        self._job = None
        if problem:
            self._session.said.emit(problem, True)
        elif self._lost:
            self._session.said.emit(f"{counted(len(self._lost), 'candidate')} left out. {self._lost[0]}", True)
        self._show()

    def _show(self) -> None:
        ask, middle = self.ask, self.candidates.get(MIDDLE)
        self.stop.setVisible(self.waiting)
        self.back.setEnabled(bool(self.behind))
        for deed in (self.vary, self.drop):
            deed.setEnabled(ask is not None)
        for deed in (self.keep, self.wear):
            deed.setEnabled(middle is not None)
        if ask is None:
            self.note.setText("Write what you want and press Return. Then walk: press what is nearer to it.")
            self.about.setText("")
            self.unknown.setText("")
            for tile in self.tiles.values():
                tile.show_image(None)
            return
        read = self._understood(ask)
        self.unknown.setText(f"Not understood: {', '.join(read)}" if read else "")
        self.unknown.setVisible(bool(read))
        if middle is not None:
            self.about.setText(f"{middle.name} · {middle.category} · {middle.size:g} m · seed {ask.seed}")
        count = len(self.candidates)
        calm = "Press a neighbour to walk on; rest on one to try it."
        self.note.setText(f"Firing… {count}" if self.waiting else calm)

    def _understood(self, ask: Ask) -> tuple[str, ...]:
        try:
            return self.provider.understood(ask).unknown
        except Exception as error:  # whatever a service raises, the page stays
            self._session.said.emit(f"{self.provider.name}: {told(error)}", True)
            return ()

    # Trying

    def _rest_on(self, way: str) -> None:
        self._resting = way
        self._wait.start()

    def leaveEvent(self, event: object) -> None:
        """Take back what is tried on."""
        self._wait.stop()
        self._forget_trial()

    def _try(self) -> None:
        session, found = self._session, self.candidates.get(self._resting)
        props = session.chosen_props
        self._forget_trial()
        if found is None or not props or not session.slot:
            return
        self._trial = map_set_of(found, session.project, session.library.assets.put, "Kiln trial")
        steps = wearing(session.project, self._trial, props, session.slot)
        session.try_out(all_at_once("Try a candidate", steps))

    def _forget_trial(self) -> None:
        if self._trial is not None:
            self._session.try_out(None)
            self._session.library.forget(self._trial, asset_names(self._session.project))
            self._trial = None

    # Keeping

    def keep_maps(self) -> None:
        """Fire the middle at full size and keep it as a map set."""
        self._keep(False)

    def keep_and_wear(self) -> None:
        """Keep the middle, and dress the chosen props' slot in it."""
        if not self._session.chosen_props or not self._session.slot:
            self._session.said.emit("Choose what is to wear it first.", True)
            return
        self._keep(True)

    def _keep(self, wears: bool) -> None:
        session, provider, ask = self._session, self.provider, self.ask
        if ask is None:
            return
        self._forget_trial()
        props, slot, job = session.chosen_props, session.slot, Job()
        session.said.emit("Firing at full size…", False)

        def done(made: Candidate) -> None:
            project = session.project
            map_set = map_set_of(made, project, session.library.assets.put)
            there = [project.props[p.id] for p in props if p.id in project.props]
            steps = wearing(project, map_set, there, slot) if wears else keeping(map_set)
            if session.do_all(f"Keep {map_set.name.lower()}", steps):
                session.said.emit(f"{map_set.name} kept: {FULL} × {FULL}, {made.size:g} m, seed {ask.seed}", False)

        def failed(error: Exception) -> None:
            if not isinstance(error, Cancelled):
                session.said.emit(f"{provider.name}: {told(error)}", True)

        session.work(lambda: checked(provider.full(ask, FULL, job), FULL), done, failed, job)
