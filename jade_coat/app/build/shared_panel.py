"""The project's shared dials, their time tracks, and the play button."""

from __future__ import annotations

import math
from functools import partial

from PyQt6.QtWidgets import QInputDialog, QVBoxLayout, QWidget

from jade_coat.app.build.dial_sheet import DialName
from jade_coat.app.controls.basics import button, clear, holder, label, row, scrolled
from jade_coat.app.controls.fields import Field, NumberField
from jade_coat.app.controls.focus import focus_kept
from jade_coat.app.controls.glyphs import SignButton
from jade_coat.app.controls.settings import ChoiceField, field_for
from jade_coat.app.controls.track_bar import TrackBar
from jade_coat.app.session import Session
from jade_coat.material.fields import Spec
from jade_coat.stage import edits
from jade_coat.stage.shared_dials import SharedDial

TIME = Spec("Clock", unit="s", low=0.0, high=100000.0, soft=(0.0, 16.0), hint="Drag to scrub, or type a time")
WIND = {
    "strength": Spec("Strength", hint="How strongly it blows; at 0 all is still"),
    "azimuth": Spec(
        "Blows to",
        "angle",
        low=-math.tau,
        high=math.tau,
        soft=(-math.pi, math.pi),
        hint="About the upright axis, from +Z to +X",
    ),
}


class SharedPanel(QWidget):
    """One line a shared dial; a track under those that move."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.fields: dict[str, Field] = {}
        self.tracks: dict[str, TrackBar] = {}
        self.wind: dict[str, Field] = {}
        self.clips: dict[str, ChoiceField] = {}
        self._opened: set[str] = set()
        self._key: object = None
        self.setObjectName("shared")
        inner = QWidget()
        self._box = QVBoxLayout(inner)
        self._box.setContentsMargins(12, 4, 10, 8)
        self._box.setSpacing(4)
        self.play = button("Play", tip="Let the clock run, or hold it (P): shared dials follow their tracks")
        self.play.setCheckable(True)
        self.play.setProperty("role", "tool")
        self.play.clicked.connect(lambda on: session.play(on))
        self.time = NumberField(TIME, 0.0)
        self.time.setFixedWidth(74)
        self.time.changed.connect(self._seek)
        self.back = SignButton("start", partial(session.seek, 0.0), "Back to the start")
        add = button("+ shared dial", self.add, "add", "A value that every material can follow")
        head = holder(row(label("SHARED DIALS", "head"), 1, self.back, self.time, self.play, margins=(12, 8, 10, 2)))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addWidget(head)
        layout.addWidget(scrolled(inner))
        self._add = add
        session.changed.connect(self.refresh)
        session.played.connect(self._show)
        self.refresh()

    def refresh(self) -> None:
        """Follow the document."""
        shared = self._session.project.shared
        moving = tuple((m.id, m.name, m.clips) for m in self._session.project.meshes if m.clips)
        key = (moving, tuple((d.id, d.name, bool(d.keys) or d.id in self._opened) for d in shared))
        if key != self._key:
            self._key = key
            with focus_kept(self):
                self._build(shared)
        self._show()

    def _build(self, shared: tuple[SharedDial, ...]) -> None:
        self._add.setParent(None)
        clear(self._box)
        self.fields, self.tracks = {}, {}
        for dial in shared:
            spec = Spec(dial.name, unit=dial.unit, low=dial.low, high=dial.high)
            field = field_for(spec, dial.value)
            field.setFixedWidth(100)
            field.changed.connect(partial(self._turn, dial.id))
            field.settled.connect(self._session.document.settle)
            name = DialName(dial.name, "Fields follow it from the menu of the ring before them")
            name.renamed.connect(partial(self._rename, dial.id))
            moves = bool(dial.keys) or dial.id in self._opened
            track = button("Track", partial(self._toggle, dial.id), "plain", "Let it move over time")
            remove = button("×", partial(self._session.do, edits.remove_shared(shared=dial.id)), "plain",
                            f"Remove {dial.name}; what follows it keeps its present value")  # fmt: skip
            remove.setFixedSize(26, 26)
            self.fields[dial.id] = field
            self._box.addLayout(row(name, 1, track, field, remove, gap=4))
            if moves:
                bar = TrackBar(dial)
                bar.changed.connect(partial(self._set_keys, dial.id))
                bar.settled.connect(self._session.document.settle)
                self.tracks[dial.id] = bar
                self._box.addWidget(bar)
        if not shared:
            text = "Season, damp, time of day: a value here can move many materials at once."
            self._box.addWidget(label(text, "quiet", wrap=True))
        self._box.addWidget(self._add)
        self._build_wind()
        self._build_clips()
        self._box.addStretch(1)

    def _show(self) -> None:
        session = self._session
        for dial in session.project.shared:
            if dial.id in self.fields:
                self.fields[dial.id].show_value(dial.at(session.time))
                self.fields[dial.id].setEnabled(not dial.keys)
            if dial.id in self.tracks:
                self.tracks[dial.id].show_dial(dial, session.time)
        wind = session.project.wind
        for name, field in self.wind.items():
            field.show_value(getattr(wind, name))
        for mesh in session.project.meshes:
            if mesh.id in self.clips:
                self.clips[mesh.id].show_value(mesh.clip)
        self.time.show_value(session.time)
        self.play.setChecked(session.playing)
        self.play.setText("Hold" if session.playing else "Play")
        for control in (self.play, self.time, self.back):
            control.setEnabled(session.project.plays)

    def _seek(self, time: object) -> None:
        assert isinstance(time, (int, float))
        self._session.seek(time)

    def _build_wind(self) -> None:
        """The wind, which recipes and moves can follow."""
        self._box.addWidget(label("Wind", "name", tip="Recipes can read it, and materials can move with it"))
        self.wind = {}
        for name, spec in WIND.items():
            field = field_for(spec, getattr(self._session.project.wind, name))
            field.changed.connect(partial(self._set_wind, name))
            field.settled.connect(self._session.document.settle)
            field.setFixedWidth(116)
            self.wind[name] = field
            self._box.addLayout(row(label(spec.label, tip=spec.hint), 1, field))

    def _set_wind(self, name: str, value: object) -> None:
        self._session.do(edits.set_wind(**{name: value}), merge=("wind", name))

    def _build_clips(self) -> None:
        """By which of its clips each mesh that can move does so."""
        self.clips = {}
        moving = [m for m in self._session.project.meshes if m.clips]
        if moving:
            self._box.addWidget(label("Motion", "name", tip="Meshes that came with animations; the clock plays them"))
        for mesh in moving:
            choices = (("", "Stands still"), *((c, c) for c in mesh.clips))
            spec = Spec(mesh.name, "choice", choices=choices, hint="How it moves, wherever it stands")
            field = ChoiceField(spec, mesh.clip, choices)
            field.changed.connect(partial(self._set_clip, mesh.id))
            field.setFixedWidth(116)
            self.clips[mesh.id] = field
            self._box.addLayout(row(label(mesh.name), 1, field))

    def _set_clip(self, mesh: str, clip: object) -> None:
        self._session.do(edits.set_clip(mesh=mesh, clip=str(clip)))

    def _turn(self, dial: str, value: float) -> None:
        self._session.do(edits.set_shared(shared=dial, value=value), merge=("shared", dial))

    def _set_keys(self, dial: str, keys: object) -> None:
        self._session.do(edits.set_shared(shared=dial, keys=keys), merge=("track", dial))

    def _rename(self, dial: str, old: str) -> None:
        name, ok = QInputDialog.getText(self, "Rename shared dial", "Name", text=old)
        if ok and name.strip():
            self._session.do(edits.set_shared(shared=dial, name=name.strip()))

    def _toggle(self, dial: str) -> None:
        found = self._session.project.shared_dial(dial)
        if found.keys:
            self._opened.discard(dial)
            self._session.do(edits.set_shared(shared=dial, keys=()))
            return
        self._opened.add(dial)
        middle = found.low + (found.high - found.low) * 0.5
        keys = ((0.0, found.value), (found.length / 2, found.high if found.value < middle else found.low))
        self._session.do(edits.set_shared(shared=dial, keys=keys))

    def add(self) -> None:
        """Add a shared dial."""
        name, ok = QInputDialog.getText(self, "New shared dial", "Name", text="Season")
        if ok and name.strip():
            self._session.do(edits.add_shared(name=name.strip()))
