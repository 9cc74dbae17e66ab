"""The demo's wall as the window tests use it: a place on it, its paint, and the picture shown."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QImage

from jade_coat.view.camera import project
from tests.app.conftest import Hand

WALL = np.array([-0.35, 1.55, -2.4 + 4.2 * (1 - np.cos(0.35 / 4.2))])


def pixel_of(hand: Hand, point: np.ndarray) -> QPoint:
    x, y = project(hand.window.view.main_eye(), point[None])[0]
    return QPoint(round(x * hand.window.view.width()), round(y * hand.window.view.height()))


def shown(hand: Hand) -> np.ndarray:
    return _texels(hand, hand.window.view._image)


def other_side(hand: Hand) -> np.ndarray:
    """The picture of the right part of a comparison, whole."""
    return _texels(hand, hand.window.view._split_image)


def _texels(hand: Hand, picture: QImage) -> np.ndarray:
    image = picture.scaled(hand.window.view.size()).convertToFormat(QImage.Format.Format_RGBA8888)
    data = image.constBits().asstring(image.sizeInBytes())
    return np.frombuffer(data, np.uint8).reshape(image.height(), image.width(), 4)[..., :3].astype(int)


def wall_paint(hand: Hand) -> np.ndarray:
    return hand.session.project.prop("kiln_wall_prop").paint.whole()


def paint_a_stroke(hand: Hand, keys=Qt.KeyboardModifier.NoModifier) -> None:
    view, start = hand.window.view, pixel_of(hand, WALL)
    hand.drag(view, start, start + QPoint(90, 12), keys=keys)
