"""The maps of a surface: what each file was taken for, its channels as pictures, and what looks wrong with it."""

from __future__ import annotations

from collections.abc import Sequence
from functools import lru_cache, partial
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QCheckBox, QDialog, QFileDialog, QFrame, QLineEdit, QVBoxLayout, QWidget

from jade_coat.app import theme
from jade_coat.app.build.reach_note import ReachNote
from jade_coat.app.controls.basics import FocusPainted, button, choice, clear, column, holder, label, row, scrolled
from jade_coat.app.controls.fields import NumberField
from jade_coat.files.assets import Assets
from jade_coat.files.library import Library
from jade_coat.formats import dialog_filter
from jade_coat.maps.color import to_srgb
from jade_coat.maps.findings import Finding, findings
from jade_coat.maps.images import PICTURES, as_float, read_image
from jade_coat.maps.mapset import Guess, MapFile, MapSet, assumption, guess, map_files
from jade_coat.maps.picture import BadImage
from jade_coat.material.fields import Spec, specs
from jade_coat.material.surface import Role, Surface
from jade_coat.program.types import Array
from jade_coat.stage.looks import Reach
from jade_coat.stage.project import Project

TILE: Spec = specs(Surface)["tile_size"]
CELL = 46
CHANNELS = ("rgb", "r", "g", "b", "a")


@lru_cache(maxsize=24)
def _decoded(assets: Assets, asset: str, name: str) -> Array | None:
    try:
        return read_image(assets.read(asset), name)
    except (OSError, BadImage):
        return None


class ChannelLooks(FocusPainted):
    """Small pictures of a file's channels, each alone; a click takes the role from that one."""

    chosen = pyqtSignal(str)

    def __init__(self, picture: Array | None, channels: str) -> None:
        super().__init__()
        self._images = [] if picture is None else [_look(picture, c) for c in CHANNELS]
        self.current = channels
        self.setFixedSize(len(CHANNELS) * (CELL + 3), CELL + 16)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName("Channels")
        self.setToolTip("Click the channel that holds the role")

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        painter.setFont(theme.font(11))
        for i, channel in enumerate(CHANNELS):
            box = QRectF(i * (CELL + 3) + 1, 1, CELL, CELL)
            image = self._images[i] if i < len(self._images) else None
            if image is not None:
                painter.drawImage(box, image)
            else:
                painter.fillRect(box, theme.color("well"))
            if channel == self.current:
                painter.setPen(QPen(theme.color("jade" if self.hasFocus() else "celadon"), 2))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(box, 3, 3)
            painter.setPen(theme.color("text" if channel == self.current else "quiet"))
            painter.drawText(QRectF(box.left(), CELL + 1, CELL, 15), Qt.AlignmentFlag.AlignCenter, channel.upper())

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        self._take(int(event.position().x() // (CELL + 3)))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
        else:
            self._take(CHANNELS.index(self.current) + step)

    def _take(self, index: int) -> None:
        if 0 <= index < len(CHANNELS) and (not self._images or self._images[index] is not None):
            self.current = CHANNELS[index]
            self.update()
            self.chosen.emit(self.current)


def _look(picture: Array, channel: str) -> QImage | None:
    """One channel of a file, or all, as a small square; None where the file has no such channel."""
    count = picture.shape[2]
    if channel == "rgb":
        values = picture[..., :3] if count >= 3 else np.repeat(picture[..., :1], 3, axis=2)
    else:
        at = "rgba".index(channel)
        if at >= count:
            return None
        values = np.repeat(picture[..., at : at + 1], 3, axis=2)
    small = cv2.resize(as_float(np.ascontiguousarray(values)), (CELL * 2, CELL * 2), interpolation=cv2.INTER_AREA)
    if picture.dtype == np.float32:
        small = to_srgb(np.clip(small, 0, 1))
    pixels = np.full((CELL * 2, CELL * 2, 4), 255, np.uint8)
    pixels[..., :3] = np.round(np.clip(small, 0, 1) * 255)
    return QImage(pixels.tobytes(), CELL * 2, CELL * 2, CELL * 8, QImage.Format.Format_RGBA8888).copy()


class MapCard(QFrame):
    """One role of one file."""

    changed = pyqtSignal()
    doubled = pyqtSignal()
    alpha_meant = pyqtSignal(str)
    """The role that the file's alpha is to be read as; empty for none."""

    def __init__(self, entry: MapFile, assets: Assets, left_out: bool = False) -> None:
        super().__init__()
        self.setObjectName("card")
        self._entry = entry
        self._left_out = left_out
        self._picture = _decoded(assets, entry.asset, entry.file)
        self._alpha: str | None = None
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(10, 8, 10, 8)
        self.findings: list[Finding] = []
        self._build()

    # Long: the layout of one dialog, from top to bottom.
    def _build(self) -> None:
        clear(self._box)
        entry = self._entry
        roles = [("", "Leave out"), *((r.value, r.label) for r in Role)]
        self.role = choice(roles, "" if self._left_out else entry.role.value, self._set_role, "What the map says")
        self.role.setFixedWidth(130)
        self.channels = ChannelLooks(self._picture, entry.channels)
        self.channels.chosen.connect(lambda c: self.change(channels=c))
        spaces = [("srgb", "Colour (sRGB)"), ("linear", "Data (linear)")]
        self.space = choice(
            spaces, entry.color_space, lambda s: self.change(color_space=s), "How the numbers are encoded"
        )
        self.space.setFixedWidth(130)
        switches: list[QWidget | int] = []
        normal, single = entry.role is Role.NORMAL, not entry.role.is_color and entry.role is not Role.NORMAL
        for name, text, tip, fits in (
            ("flip_green", "green down", "For normal maps whose green points down", normal),
            ("unit_length", "unit length", "Bring the normals to length 1", normal),
            ("invert", "invert", "For gloss maps read as roughness", single),
            ("unstep", "smooth steps", "Smooth the steps of an 8-bit height", entry.role is Role.HEIGHT),
            ("blend_edges", "blend edges", "Blend the edges, so that it tiles", True),
        ):
            if fits and not self._left_out:
                switches.append(self._switch(name, text, tip))
        more = button("+ role", self.doubled.emit, "plain", "Take another role from this file")
        texels = "" if self._picture is None else f"{self._picture.shape[1]} × {self._picture.shape[0]}"
        side = column(
            holder(row(label(entry.file, "name", entry.file), label(texels, "quiet"), 1, more)),
            holder(row(self.role, self.space, *switches, 1, gap=10)), gap=4,
        )  # fmt: skip
        top = row(self.channels, gap=14)
        top.addLayout(side)
        self._box.addLayout(top)
        self._build_alpha()
        self.findings = [] if self._picture is None or self._left_out else findings(entry, self._picture)
        if self._picture is None:
            self._box.addWidget(label("The file cannot be read.", "warn"))
        for found in self.findings:
            parts: list[QWidget | int] = [label("•", "alarm"), label(found.text, "warn", wrap=False), 1]
            if found.mend:
                parts.append(button(found.mend, partial(self.change, **found.changes), tip="Mend it"))
            self._box.addLayout(row(*parts))
        supposed = assumption(entry.file, [Guess(role=entry.role, channels=entry.channels, invert=entry.invert)])
        if supposed and not self._left_out:
            self._box.addWidget(label(supposed, "quiet", wrap=True))

    @property
    def has_alpha(self) -> bool:
        """Whether the file has an alpha that is not full everywhere."""
        if self._picture is None or self._picture.shape[2] < 4:
            return False
        alpha = self._picture[..., 3]
        return bool(alpha.min() < (1.0 if alpha.dtype == np.float32 else np.iinfo(alpha.dtype).max))

    def show_alpha(self, meaning: str | None) -> None:
        """Show what the file's alpha is read as; None leaves that to another card."""
        if meaning != self._alpha:
            self._alpha = meaning
            self._build()

    def _build_alpha(self) -> None:
        if self._alpha is None or not self.has_alpha:
            return
        ways = [("", "nothing"), (Role.OPACITY.value, "opacity"), (Role.MASK.value, "an area (mask)")]
        if self._alpha not in dict(ways):
            ways.append((self._alpha, Role(self._alpha).label.lower()))
        self.alpha = choice(ways, self._alpha, self.alpha_meant.emit, "What the file's fourth channel says")
        self.alpha.setFixedWidth(130)
        self._box.addLayout(row(label("Its alpha means", "quiet"), self.alpha, 1))

    def _switch(self, name: str, text: str, tip: str) -> QCheckBox:
        made = QCheckBox(text)
        made.setToolTip(tip)
        made.setChecked(getattr(self._entry, name))
        made.clicked.connect(lambda on: self.change(**{name: on}))
        return made

    def change(self, **changes: Any) -> None:
        """Change what the map's entry says."""
        self._entry = self._entry.with_(**changes)
        self._build()
        self.changed.emit()

    def _set_role(self, role: str) -> None:
        self._left_out = not role
        if not role:
            self.change()
            return
        wanted = Role(role)
        linear = self._entry.file.lower().endswith((".exr", ".hdr")) or not wanted.is_color
        wide = wanted.is_color or wanted is Role.NORMAL
        channels = self._entry.channels
        if wide != (channels == "rgb"):
            channels = "rgb" if wide else "r"
        self.change(role=wanted, channels=channels, color_space="linear" if linear else "srgb",
                    unit_length=wanted is Role.NORMAL)  # fmt: skip

    @property
    def file_entry(self) -> MapFile:
        """What the card says of its file, whether or not the map is left out."""
        return self._entry

    def entry(self) -> MapFile | None:
        """What the card says; None when the map is left out."""
        return None if self._left_out else self._entry


class MapReview(QDialog):
    """Shows what each file of a map set was taken for, to be corrected before it is used."""

    def __init__(
        self, parent: QWidget, map_set: MapSet, unknown: list[MapFile], library: Library, notes: Sequence[str] = ()
    ) -> None:
        """`unknown` are shown left out; `notes` say what was not read, and why."""
        super().__init__(parent)
        self.setWindowTitle("Maps of a surface")
        self.resize(900, 620)
        self._set, self._library, self._assets = map_set, library, library.assets
        self.name = QLineEdit(map_set.name)
        self.tile = NumberField(TILE, map_set.tile_size)
        self._list = QVBoxLayout()
        self._list.setSpacing(8)
        self.cards: list[MapCard] = []
        for entry in map_set.maps:
            self._add(MapCard(entry, self._assets))
        for entry in unknown:
            self._add(MapCard(entry, self._assets, left_out=True))
        self._list.addStretch(1)
        self.note = ReachNote()
        self.note.hide()
        self._only = QCheckBox()
        self._only.hide()
        self._problem = label("", "warn", wrap=True)
        self._mend_all = button("Mend all", self.mend_all, tip="Make every change that is suggested")
        self._use = button("Use these maps", self.accept, "main")
        layout = QVBoxLayout(self)
        layout.setSpacing(10)
        layout.addLayout(row(label("Name"), self.name, label("One tile spans"), self.tile, 1))
        layout.addWidget(scrolled(holder(self._list)))
        self.notes = label("\n".join(notes[:8]), "quiet", "\n".join(notes), wrap=True)
        self.notes.setVisible(bool(notes))
        layout.addWidget(self.notes)
        layout.addWidget(self.note)
        layout.addWidget(self._only)
        more = button("Add a file…", self._ask_file, tip="Take one more picture into this set")
        layout.addLayout(row(more, self._problem, 1, self._mend_all, button("Cancel", self.reject), self._use))
        self._check()

    def show_reach(self, project: Project, found: Reach, prop: str) -> None:
        """Say whom the change of a set in use reaches, and offer to keep it to one prop."""
        self.note.show_reach(project, found)
        self.note.show()
        self._only.setText(f"Only on {prop}: as a map set and a child finish of their own")
        self._only.setVisible(bool(prop) and len(found.props) > 0)

    @property
    def only_here(self) -> bool:
        """Whether the maps are to be kept to the chosen prop."""
        return self._only.isChecked()

    def _add(self, card: MapCard, after: MapCard | None = None) -> None:
        at = self.cards.index(after) + 1 if after is not None else len(self.cards)
        self.cards.insert(at, card)
        self._list.insertWidget(at, card)
        card.changed.connect(self._check)
        card.alpha_meant.connect(lambda meaning: self.take_alpha(card, meaning))
        card.doubled.connect(lambda: self._double(card))

    def _double(self, card: MapCard) -> None:
        self._add(MapCard(card.file_entry, self._assets, left_out=True), card)
        self._check()

    def _ask_file(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Add a map to the set", "", dialog_filter("Pictures", PICTURES))
        if path:
            self.add_file(Path(path))

    def add_file(self, path: Path) -> None:
        """Take one more picture into the set; a role that is taken already leaves it out."""
        try:
            entries = self._library.read_map(path)
        except (OSError, BadImage) as error:
            self._problem.setText(str(error))
            return
        taken = {e.role for e in (c.entry() for c in self.cards) if e is not None}
        for entry in entries:
            self._add(MapCard(entry, self._assets, left_out=entry.role in taken or not guess(path.name)))
        self._check()

    def take_alpha(self, card: MapCard, meaning: str) -> None:
        """Read a file's alpha as a role of the set, or not at all (an empty meaning)."""
        file = card.file_entry
        for other in [c for c in self.cards if c.file_entry.asset == file.asset and c.file_entry.channels == "a"]:
            self._remove(other)
        if meaning:
            made = map_files(file.file, file.asset, [Guess(role=Role(meaning), channels="a")], file.origin)[0]
            self._add(MapCard(made, self._assets), card)
        self._check()

    def _remove(self, card: MapCard) -> None:
        self.cards.remove(card)
        self._list.removeWidget(card)
        card.hide()
        card.deleteLater()

    def mend_all(self) -> None:
        """Make every change that is suggested."""
        for card in self.cards:
            for _ in range(8):  # one mend may show the next
                if not card.findings:
                    break
                card.change(**card.findings[0].changes)

    def _meaning_of_alpha(self, card: MapCard) -> str | None:
        """What the alpha of a card's file means here: a role, "" for nothing; None when another card shows that."""
        same = [c for c in self.cards if c.file_entry.asset == card.file_entry.asset]
        if card is not next((c for c in same if c.file_entry.channels != "a"), None):
            return None
        return next((e.role.value for e in (c.entry() for c in same) if e is not None and e.channels == "a"), "")

    def map_set(self) -> MapSet:
        """The set as corrected."""
        entries = [e for e in (c.entry() for c in self.cards) if e is not None]
        made: MapSet = self._set.with_(
            name=self.name.text().strip() or self._set.name, tile_size=self.tile.value, maps=tuple(entries)
        )
        return made

    def _check(self) -> None:
        for card in self.cards:
            card.show_alpha(self._meaning_of_alpha(card))
        roles = [e.role.label for e in (c.entry() for c in self.cards) if e is not None]
        doubled = sorted({r for r in roles if roles.count(r) > 1})
        wrong = sum(len(c.findings) for c in self.cards)
        text = f"{wrong} thing{'s' if wrong != 1 else ''} to look at." if wrong else ""
        if doubled:
            text = f"{', '.join(doubled)}: chosen more than once. Leave one out."
        if not roles:
            text = "Every map is left out. Give at least one a role."
        self._problem.setText(text)
        self._mend_all.setVisible(wrong > 0)
        self._use.setEnabled(not doubled and bool(roles))
