"""One file of a map set under review: its channels as pictures, its role, and what looks wrong with it."""

from __future__ import annotations

from functools import partial
from typing import Any

import cv2
import numpy as np
from PyQt6.QtCore import QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QCheckBox, QFrame, QVBoxLayout, QWidget

from jade_coat.app import theme
from jade_coat.app.build.map_look import MapLook
from jade_coat.app.controls.basics import button, choice, clear, column, holder, label, row
from jade_coat.app.controls.images import has_channel, image_of
from jade_coat.app.controls.tiles import FocusPainted
from jade_coat.files.assets import Assets
from jade_coat.jobs.byte_cache import ByteCache
from jade_coat.maps.findings import Finding, findings
from jade_coat.maps.images import as_float, read_image
from jade_coat.maps.mapset import Guess, MapFile, assumption
from jade_coat.maps.picture import BadImage
from jade_coat.material.fields import Spec, specs
from jade_coat.material.surface import Role, Surface
from jade_coat.program.types import Array

TILE: Spec = specs(Surface)["tile_size"]
CELL = 46
CHANNELS = ("rgb", "r", "g", "b", "a")


_DECODED: ByteCache[Array] = ByteCache(384 << 20, lambda picture: picture.nbytes)
"""Whole pictures by the asset they are of, whose name is its content's."""


def _decoded(assets: Assets, asset: str, name: str) -> Array | None:
    try:
        return _DECODED.get(asset, lambda: read_image(assets.read(asset), name))
    except (OSError, BadImage):
        return None  # not kept: the file may be put back


class ChannelLooks(FocusPainted):
    """Small pictures of a file's channels, each alone; a click takes the role from that one."""

    chosen = pyqtSignal(str)
    enlarged = pyqtSignal(str)

    def __init__(self, picture: Array | None, channels: str) -> None:
        super().__init__()
        self._images = [] if picture is None else [_look(picture, c) for c in CHANNELS]
        self.current = channels
        self.setFixedSize(len(CHANNELS) * (CELL + 3), CELL + 16)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName("Channels")
        self.setToolTip("Click the channel that holds the role; double-click or Return shows it large")

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

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        self.enlarged.emit(self.current)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.enlarged.emit(self.current)
            return
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
    if not has_channel(picture, channel):
        return None
    small = cv2.resize(as_float(np.ascontiguousarray(picture)), (CELL * 2, CELL * 2), interpolation=cv2.INTER_AREA)
    small = small.reshape(CELL * 2, CELL * 2, -1)
    return image_of(small if picture.dtype == np.float32 else np.round(small * 255).astype(np.uint8), channel)


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
        self.channels.enlarged.connect(self.enlarge)
        spaces = [("srgb", "Colour (sRGB)"), ("linear", "Data (linear)")]
        self.space = choice(
            spaces, entry.color_space, lambda s: self.change(color_space=s), "How the numbers are encoded"
        )
        self.space.setFixedWidth(130)
        switches: list[QWidget | int] = []
        normal, single = entry.role is Role.NORMAL, len(entry.channels) == 1
        for name, text, tip, fits in (
            ("flip_green", "green down", "For normal maps whose green points down", normal),
            ("unit_length", "unit length", "Bring the normals to length 1", normal),
            ("invert", "invert", "For gloss maps read as roughness", single),
            ("unstep", "smooth steps", "Smooth the steps of an 8-bit height", entry.role is Role.HEIGHT),
            (
                "steady",
                "calm from afar",
                "Rougher where the normals average out, so that it does not glitter from afar",
                entry.role is Role.ROUGHNESS,
            ),
            ("blend_edges", "blend edges", "Blend the edges, so that it tiles", True),
        ):
            if fits and not self._left_out:
                switches.append(self._switch(name, text, tip))
        large = button("Enlarge", self.enlarge, "plain", "Look at the map large, each channel alone")
        large.setEnabled(self._picture is not None)
        more = button("+ role", self.doubled.emit, "plain", "Take another role from this file")
        texels = "" if self._picture is None else f"{self._picture.shape[1]} × {self._picture.shape[0]}"
        side = column(
            holder(row(label(entry.file, "name", entry.file), label(texels, "quiet"), 1, large, more)),
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

    def enlarge(self, channel: str = "") -> MapLook | None:
        """Show the map large, in a window of its own."""
        if self._picture is None:
            return None
        made = MapLook(self, self._entry.file, self._picture, channel or "rgb")
        made.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        made.open()
        return made

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
        wide = "rgba" if wanted is Role.CHANNELS else "rgb" if wanted.is_color or wanted is Role.NORMAL else "r"
        channels = self._entry.channels
        if len(wide) != len(channels):
            channels = wide
        self.change(role=wanted, channels=channels, color_space="linear" if linear else "srgb",
                    unit_length=wanted is Role.NORMAL)  # fmt: skip

    @property
    def file_entry(self) -> MapFile:
        """What the card says of its file, whether or not the map is left out."""
        return self._entry

    def entry(self) -> MapFile | None:
        """What the card says; None when the map is left out."""
        return None if self._left_out else self._entry
