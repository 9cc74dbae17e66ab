"""Images of arrays."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np
from PyQt6.QtCore import QRect, QSize
from PyQt6.QtGui import QIcon, QIconEngine, QImage, QPainter, QPixmap
from PyQt6.QtWidgets import QComboBox

from jade_coat.app import theme
from jade_coat.maps.color import to_srgb
from jade_coat.maps.images import as_float
from jade_coat.program.types import Array

ICON = QSize(30, 22)


def image_from(encoded: Array) -> QImage:
    """An image of values as a screen shows them, `(h, w, 3)` or `(h, w, 1)`, 0 to 1; beyond that they are cut."""
    height, width = encoded.shape[:2]
    pixels = np.round(np.clip(np.broadcast_to(encoded, (height, width, 3)), 0, 1) * 255).astype(np.uint8)
    return QImage(np.ascontiguousarray(pixels).tobytes(), width, height, width * 3, QImage.Format.Format_RGB888).copy()


def has_channel(picture: Array, channel: str) -> bool:
    """Whether a picture `(h, w, c)` has a channel of r, g, b, a; all have a colour, "rgb"."""
    return channel == "rgb" or "rgba".index(channel) < picture.shape[2]


def image_of(picture: Array, channel: str) -> QImage:
    """A channel of a file's picture `(h, w, c)`, or its colour ("rgb"); floating point is shown as light."""
    if channel == "rgb":
        values = picture[..., :3] if picture.shape[2] >= 3 else picture[..., :1]
    else:
        values = picture[..., ["rgba".index(channel)]]
    shown = as_float(np.ascontiguousarray(values))
    return image_from(to_srgb(np.clip(shown, 0, 1)) if picture.dtype == np.float32 else shown)


def toned(values: Array, low: str = "well", high: str = "celadon") -> QPixmap:
    """A picture of values `(h, w)`, 0 to 1, between two tones of the theme."""
    ends = [np.array(theme.color(tone).getRgb()[:3], np.float64) for tone in (low, high)]
    pixels = ends[0] + (ends[1] - ends[0]) * np.clip(values, 0, 1)[..., None]
    made = np.ascontiguousarray(pixels.round().astype(np.uint8))
    height, width = made.shape[:2]
    return QPixmap.fromImage(QImage(made.tobytes(), width, height, width * 3, QImage.Format.Format_RGB888).copy())


class _Due(QIconEngine):
    """An icon that is made when it is first seen."""

    def __init__(self, make: Callable[[], QIcon]) -> None:
        super().__init__()
        self._make = make
        self._made: QIcon | None = None

    def _icon(self) -> QIcon:
        self._made = self._made or self._make()
        return self._made

    def clone(self) -> QIconEngine:
        return _Due(self._icon)

    def paint(self, painter: QPainter | None, rect: QRect, mode: QIcon.Mode, state: QIcon.State) -> None:
        self._icon().paint(painter, rect, mode=mode, state=state)

    def pixmap(self, size: QSize, mode: QIcon.Mode, state: QIcon.State) -> QPixmap:
        return self._icon().pixmap(size, mode, state)


def with_pictures(box: QComboBox, icon_of: Callable[[str], QIcon]) -> QComboBox:
    """Put a picture before each entry of a drop-down, made from its key when it is first seen."""
    box.setIconSize(ICON)
    for i in range(box.count()):
        box.setItemIcon(i, QIcon(_Due(partial(icon_of, box.itemData(i)))))
    return box
