"""A map looked at large: each channel alone, tiled, with the values under the pointer."""

from __future__ import annotations

from functools import partial

from PyQt6.QtWidgets import QCheckBox, QDialog, QVBoxLayout, QWidget

from jade_coat.app.controls.basics import button, label, row
from jade_coat.app.controls.images import has_channel, image_of
from jade_coat.app.controls.zoom_picture import ZoomPicture
from jade_coat.maps.images import as_float
from jade_coat.program.types import Array

CHANNELS = ("rgb", "r", "g", "b", "a")


class MapLook(QDialog):
    """One picture file, large."""

    def __init__(self, parent: QWidget, name: str, picture: Array, channel: str = "rgb") -> None:
        """`picture` is `(h, w, c)` as its file holds it."""
        super().__init__(parent)
        self.setWindowTitle(name)
        self._picture = picture
        self.channel = channel if has_channel(picture, channel) else "rgb"
        self.view = ZoomPicture()
        self.view.pointed.connect(self._point)
        self.buttons = {}
        for key in CHANNELS:
            if not has_channel(picture, key):
                continue
            self.buttons[key] = button(
                key.upper(), partial(self.show_channel, key), "tool", "Look at this channel alone"
            )
            self.buttons[key].setCheckable(True)
        self.tiled = QCheckBox("tiled")
        self.tiled.setToolTip("Lay it three times across and down, to see its edges")
        self.tiled.toggled.connect(self._tile)
        self.words = label("", "quiet")
        height, width = picture.shape[:2]
        kind = {"uint8": "8 bits", "uint16": "16 bits"}.get(str(picture.dtype), "floating point")
        box = QVBoxLayout(self)
        box.addLayout(
            row(*self.buttons.values(), 8, self.tiled, 1, label(f"{width} × {height}, {kind}", "quiet"), gap=4)
        )
        box.addWidget(self.view, 1)
        box.addLayout(row(self.words, 1, button("Close", self.accept)))
        self.resize(760, 680)
        self.show_channel(self.channel)

    def show_channel(self, key: str) -> None:
        """Look at one channel, or all as a colour."""
        self.channel = key
        for name, made in self.buttons.items():
            made.setChecked(name == key)
        self.view.show_image(image_of(self._picture, key))

    def _tile(self, on: bool) -> None:
        self.view.tiles = 3 if on else 1
        self.view.update()

    def _point(self, x: float, y: float) -> None:
        height, width = self._picture.shape[:2]
        if self.view.tiles == 1 and not (0 <= x < 1 and 0 <= y < 1):
            self.words.setText("")
            return
        column, line = int(x % 1 * width), int(y % 1 * height)
        values = as_float(self._picture[line : line + 1, column : column + 1])[0, 0]
        told = "  ".join(
            f"{c} {float(v):.4f}" for c, v in zip("RGBA" if len(values) > 1 else " ", values, strict=False)
        )
        self.words.setText(f"column {column}, row {line}:  {told.strip()}")
