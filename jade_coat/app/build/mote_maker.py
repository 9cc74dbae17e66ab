"""Makes maps of motes from numbers: first one card at its true distance, then the field that covers."""

from __future__ import annotations

import math
from dataclasses import dataclass

import cv2
import numpy as np
from PyQt6.QtCore import QSize
from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import QButtonGroup, QCheckBox, QGridLayout, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from jade_coat.app.build.number_rows import NumberRows
from jade_coat.app.build.number_sheet import NumberSheet
from jade_coat.app.controls.basics import button, column, holder, label, row, scrolled, show_or_hide
from jade_coat.app.controls.images import image_from
from jade_coat.app.session import Session
from jade_coat.check.banding import told as banding
from jade_coat.jobs.words import told
from jade_coat.maps.color import to_srgb, tone_mapped
from jade_coat.maps.mapset import MapSet
from jade_coat.maps.motes import Motes
from jade_coat.material.fields import Color, Frozen, Setting, field, option
from jade_coat.mesh.makers import CardField
from jade_coat.mesh.makers.trimming import grid_cells
from jade_coat.program.types import Array
from jade_coat.stage import edits
from jade_coat.stage.making import glowing, mote_file, mote_set

SIZE, SMALL = QSize(420, 420), QSize(136, 136)
FIELD = 0.6
"""The angle that the picture spans, radians, as that of the other makers."""
NAMES = ("R: motes", "G: noise", "B: noise", "A: stars")
LIT = 0.02
"""The light from which a pixel counts as covered."""


class Look(Frozen):
    """How the motes are looked at while they are made."""

    size: float = field(0.4, "Card", unit="m", low=0.001, high=1000.0, soft=(0.02, 4.0), logarithmic=True,
                        hint="How large a card is")  # fmt: skip
    away: float = field(2.0, "Seen from", unit="m", low=0.05, high=1000.0, soft=(0.3, 30.0), logarithmic=True)
    count: int = option(40, "Cards", "integer", low=1, high=2000, soft=(1, 300), hint="In the field")
    tint: Color = field((1.0, 0.55, 0.2), "Tint", kind="color")
    boost: float = field(1.5, "Boost", high=1000.0, soft=(0.0, 16.0))


@dataclass(frozen=True)
class _Seen:
    """What is shown of motes: their channels, small; the picture; and what is told."""

    channels: list[Array]
    picture: Array
    words: str
    file: bytes
    """The map as a file."""


class MoteMaker(NumberSheet):
    """The numbers of one map of motes. Without a map set it makes a new one; with one, that is made anew."""

    def __init__(self, parent: QWidget, session: Session, map_set: MapSet | None = None) -> None:
        super().__init__(parent)
        self._session, self._set = session, map_set.id if map_set is not None else ""
        self.setWindowTitle(f"Make {map_set.name} anew" if map_set is not None else "Make a map of motes")
        self.numbers = map_set.made if map_set is not None and map_set.made is not None else Motes()
        self.look = Look()
        self.rows, self.look_rows = NumberRows(self.numbers, self.turn), NumberRows(self.look, self._turn_look)
        self.pictures = [QLabel() for _ in NAMES]
        self.picture = QLabel()
        self.picture.setFixedSize(SIZE)
        self.picture.setAccessibleName("The motes as they are seen")
        self.told = label("", "quiet", wrap=True)
        self.told.setMinimumHeight(56)
        self.told.setFixedWidth(SIZE.width())
        self.with_glow = QCheckBox("and a glow that shows it")
        self.with_glow.setToolTip(
            "A material of the kind Glow with this map, its tint and its boost, and a finish of it"
        )
        self.with_glow.setChecked(not self._set)
        show_or_hide(self.with_glow, not self._set)
        self._make = button("Make anew" if self._set else "Make", self.make, "main")
        self._build()
        self._file: bytes | None = None
        """The map of the numbers as they were last worked out, as a file."""
        self._failed = False

    def _build(self) -> None:
        left = scrolled(self.rows)
        left.setFixedWidth(290)
        grid = QGridLayout()
        for i, (name, picture) in enumerate(zip(NAMES, self.pictures, strict=True)):
            picture.setFixedSize(SMALL)
            grid.addWidget(holder(column(picture, label(name, "quiet"), gap=2)), i // 2, i % 2)
        self._ways = QButtonGroup(self)
        tabs = []
        for i, name in enumerate(("One card", "The field")):
            tab = button(name, self._soon, "tab")
            tab.setCheckable(True)
            tab.setChecked(i == 0)
            self._ways.addButton(tab, i)
            tabs.append(tab)
        middle, right = QVBoxLayout(), QVBoxLayout()
        middle.addLayout(grid)
        middle.addWidget(self.look_rows)
        middle.addStretch(1)
        right.addLayout(row(*tabs, 1, gap=4))
        right.addWidget(self.picture)
        right.addWidget(self.told)
        right.addStretch(1)
        right.addLayout(row(self.with_glow, 1, button("Close", self.reject), self._make))
        layout = QHBoxLayout(self)
        layout.addWidget(left)
        layout.addLayout(middle)
        layout.addLayout(right)

    def turn(self, name: str, value: Setting) -> None:
        """Set one number."""
        self.numbers = self.numbers.with_(**{name: value})
        self.rows.follow(self.numbers)
        self._soon()

    def _turn_look(self, name: str, value: Setting) -> None:
        self.look = self.look.with_(**{name: value})
        self.look_rows.follow(self.look)
        self._soon()

    def show_way(self, field: bool) -> None:
        """Show the field, or one card."""
        self._ways.buttons()[int(field)].click()

    @property
    def ready(self) -> bool:
        """Whether what is shown is what the numbers make; or they make nothing."""
        return self._file is not None or self._failed

    def _soon(self) -> None:
        self._file, self._failed = None, False
        super()._soon()

    def _work(self) -> None:
        """Work out the map and its picture beside the window; only what was asked for last is shown."""
        self._asked += 1
        asked, numbers, look, field_wanted = self._asked, self.numbers, self.look, self._ways.checkedId() == 1

        def done(seen: _Seen) -> None:
            if asked != self._asked or not self.isVisible():
                return
            for picture, values in zip(self.pictures, seen.channels, strict=True):
                picture.setPixmap(QPixmap.fromImage(image_from(values[..., None])))
            self.picture.setPixmap(QPixmap.fromImage(image_from(seen.picture)))
            self.told.setText(seen.words)
            self._file = seen.file
            self._worked_out(True)

        def failed(error: Exception) -> None:
            if asked == self._asked:
                self._failed = True
                self._worked_out(False)
                self.told.setText(f"It cannot be made: {told(error)}.")

        self._session.work(lambda: _seen(numbers, look, field_wanted), done, failed)

    def make(self) -> None:
        """Put the map into the project, or in the place of the one that it is made anew from."""
        session, numbers, data = self._session, self.numbers, self._file
        if data is None:
            self.make_once_there()
            return
        put = session.library.assets.put
        if self._set:
            name = session.project.map_set(self._set).name
            maps = mote_file(self._set, data, put)
            session.do(edits.set_map_set(map_set=self._set, maps=maps, made=numbers).called(f"Make {name} anew"))
        else:
            made = mote_set(session.project, "Motes", numbers, data, put)
            steps, finish = [edits.add_map_set(map_set=made)], ""
            if self.with_glow.isChecked():
                glow, finish = glowing(session.project, made.name, made.id, self.look.tint, self.look.boost)
                steps += glow
            if session.do_all("Make a map of motes", steps) and finish:
                session.choose_finish(finish)
        self.accept()

    def showEvent(self, event: object) -> None:
        self._soon()


def _seen(numbers: Motes, look: Look, field_wanted: bool) -> _Seen:
    channels = numbers.channels()
    small = [cv2.resize(channels[..., i], (SMALL.width(), SMALL.height()), interpolation=cv2.INTER_AREA)
             for i in range(4)]  # fmt: skip
    across = look.size / (2 * look.away * math.tan(FIELD / 2)) * SIZE.width()
    texels = numbers.side / numbers.columns / max(across, 1e-6)
    light = np.zeros((SIZE.height(), SIZE.width()))
    cells = grid_cells(numbers.columns, numbers.rows)
    if field_wanted:
        wide = look.away * math.tan(FIELD / 2)
        strewn = CardField(over="box", radii=(wide, wide, 0.0), count=look.count, facing="ahead", fill=0.1)
        places, _ = strewn.places()
        rng = np.random.default_rng(1)
        for x, y, _ in places:
            size = across * (1 + strewn.spread * rng.uniform(-1, 1))
            at = (x / wide + 1) / 2 * SIZE.width(), (1 - y / wide) / 2 * SIZE.height()
            _add(light, _cell(channels, cells[int(rng.integers(len(cells)))]), size, at)
    else:
        _add(light, _cell(channels, cells[0]), across, (SIZE.width() / 2, SIZE.height() / 2))
    shown = to_srgb(np.clip(tone_mapped(light[..., None] * np.array(look.tint) * look.boost), 0, 1))
    lit = float((light * look.boost > LIT).mean())
    words = f"A card is {across:.0f} pixels across here, {texels:.1f} texels a pixel"
    if field_wanted:
        words += f"; {look.count:,} cards light {lit:.0%} of the picture"
    return _Seen(small, shown, f"{words}. {banding(channels[..., 0], look.boost)}.", numbers.file_of(channels))


def _cell(channels: Array, cell: tuple[float, float, float, float]) -> Array:
    left, top, right, bottom = (round(c * channels.shape[0]) for c in cell)
    return np.ascontiguousarray(channels[top:bottom, left:right, 0])


def _add(light: Array, cell: Array, across: float, at: tuple[float, float]) -> None:
    """Add a card of so many pixels to a picture `(h, w)` of light, its middle at a place."""
    scale_x, scale_y = across / cell.shape[1], across / cell.shape[0]
    while min(scale_x, scale_y) < 0.5 and min(cell.shape) > 2:  # what is much finer than the picture is averaged first
        cell = cv2.resize(cell, (cell.shape[1] // 2, cell.shape[0] // 2), interpolation=cv2.INTER_AREA)
        scale_x, scale_y = across / cell.shape[1], across / cell.shape[0]
    into = np.array([[scale_x, 0.0, at[0] - across / 2], [0.0, scale_y, at[1] - across / 2]])
    light += cv2.warpAffine(cell.astype(np.float64), into, (light.shape[1], light.shape[0]), flags=cv2.INTER_LINEAR)
