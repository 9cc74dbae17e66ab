"""A picture to compare the view with: beside it, split, as the difference, or in turn, with a zoom of its own."""

from __future__ import annotations

from pathlib import Path

import cv2
import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, QTimer
from PyQt6.QtGui import QImage, QPainter, QPen, QSinglePointEvent, QWheelEvent

from jade_coat.app import theme
from jade_coat.app.controls.images import image_of
from jade_coat.app.controls.zoom_picture import Place, ZoomPicture
from jade_coat.app.view.overlay import Overlay, draw_tag
from jade_coat.app.view.view import View
from jade_coat.jobs.words import told
from jade_coat.maps.images import read_image
from jade_coat.maps.picture import BadImage

MODES = {"beside": "Beside the view", "split": "Split with the view", "difference": "Difference", "turns": "In turns"}
TURN_MS = 600
REACH = 8.0
MOST = 2048
"""Pixels along the longer side that are kept of it."""


class Reference(Overlay[View]):
    """The picture over the view; `pane` is the widget for the picture beside it.

    With Alt held the wheel zooms the picture and a drag moves it; the view itself stays.
    """

    def __init__(self, view: View) -> None:
        super().__init__(view)
        self.name, self.mode = "", ""
        self.image: QImage | None = None
        self.place = Place()
        self.place.changed.connect(self._redraw)
        self.pane = ZoomPicture(self.place)
        self.pane.hide()
        self.split_at = 0.5
        self._grab: tuple[QPointF, float, float] | None = None
        self._on_turn = False
        self._turning = QTimer(self)
        self._turning.setInterval(TURN_MS)
        self._turning.timeout.connect(self._turn)

    def open(self, path: Path) -> None:
        """Take a picture file. Raises OSError or BadImage, which name the file."""
        picture = read_image(path.read_bytes(), path.name)
        side = max(picture.shape[:2])
        if side > MOST:
            share = MOST / side
            picture = cv2.resize(np.ascontiguousarray(picture), None, fx=share, fy=share, interpolation=cv2.INTER_AREA)
            picture = picture.reshape(*picture.shape[:2], -1)
        self.image, self.name = image_of(picture, "rgb"), path.name
        self.pane.show_image(self.image)
        self.place.whole()
        self.show(self.mode or "beside")

    def show(self, mode: str) -> None:
        """Compare with it in one of `MODES`; an empty mode puts it away."""
        self.mode = mode if self.image is not None else ""
        self.pane.setVisible(self.mode == "beside")
        if self.mode == "turns":
            self._on_turn = True
            self._turning.start()
        else:
            self._turning.stop()
        self.view.update()

    def close(self) -> None:
        """Let it go."""
        self.image, self.name = None, ""
        self.pane.show_image(None)
        self.show("")

    @property
    def over(self) -> bool:
        """Whether it lies over the view."""
        return self.image is not None and self.mode in ("split", "difference", "turns")

    def _redraw(self) -> None:
        if self.over:
            self.view.update()

    def _turn(self) -> None:
        self._on_turn = not self._on_turn
        self.view.update()

    def _box(self) -> QRectF:
        """Where it lies on the view: fitted in, then zoomed and moved."""
        assert self.image is not None
        width, height = self.image.width(), self.image.height()
        fit = min(self.view.width() / width, self.view.height() / height) * self.place.zoom
        left = self.view.width() / 2 - self.place.x * width * fit
        return QRectF(left, self.view.height() / 2 - self.place.y * height * fit, width * fit, height * fit)

    def paint(self, painter: QPainter) -> None:
        """Draw it over the view as the mode says."""
        if not self.over or (self.mode == "turns" and not self._on_turn):
            return
        assert self.image is not None
        painter.save()
        if self.mode == "split":
            x = self.split_at * self.view.width()
            painter.setClipRect(QRectF(x, 0, self.view.width() - x, self.view.height()))
        if self.mode == "difference":
            painter.setCompositionMode(QPainter.CompositionMode.CompositionMode_Difference)
        painter.drawImage(self._box(), self.image)
        painter.restore()
        if self.mode == "split":
            for tone, width in (("chrome", 4.0), ("persimmon", 1.5)):
                painter.setPen(QPen(theme.color(tone), width))
                painter.drawLine(QPointF(x, 0), QPointF(x, self.view.height()))
        text = (
            f"{self.name}: mean difference {self.difference():.1f} of 255" if self.mode == "difference" else self.name
        )
        draw_tag(painter, QPointF(10, self.view.height() - 10), text, 500, self.view.width() - 30)

    def difference(self) -> float:
        """The mean difference of both where they overlap, over 0 to 255."""
        seen, picture, box = self.view.picture(), self.image, self._box()
        if seen is None or picture is None:
            return 0.0
        both = []
        small = (160, 100)
        common = box.intersected(QRectF(self.view.rect()))
        if common.isEmpty():
            return 0.0
        for image, frame in ((seen, QRectF(self.view.rect())), (picture, box)):
            part = QRectF(
                (common.left() - frame.left()) / frame.width() * image.width(),
                (common.top() - frame.top()) / frame.height() * image.height(),
                common.width() / frame.width() * image.width(), common.height() / frame.height() * image.height(),
            ).toRect()  # fmt: skip
            shown = image.copy(part).scaled(
                *small, Qt.AspectRatioMode.IgnoreAspectRatio, Qt.TransformationMode.SmoothTransformation
            )
            shown = shown.convertToFormat(QImage.Format.Format_RGBA8888)
            data = shown.constBits().asstring(shown.sizeInBytes())
            both.append(np.frombuffer(data, np.uint8).reshape(small[1], small[0], 4)[..., :3].astype(np.float64))
        return float(np.abs(both[0] - both[1]).mean())

    # Hands

    def press(self, at: QPointF, event: QSinglePointEvent) -> bool:
        """Take hold of the line, or with Alt of the picture."""
        if not self.over:
            return False
        if event.modifiers() & Qt.KeyboardModifier.AltModifier:
            self._grab = (at, self.place.x, self.place.y)
            return True
        self._grab = None
        return self.mode == "split" and abs(at.x() - self.split_at * self.view.width()) < REACH

    def move(self, at: QPointF, event: QSinglePointEvent) -> None:
        """Drag what was taken hold of."""
        if self._grab is None:
            self.split_at = min(max(at.x() / max(self.view.width(), 1), 0.02), 0.98)
            self.view.update()
            return
        start, x, y = self._grab
        box = self._box()
        moved = at - start
        self.place.set(self.place.zoom, x - moved.x() / box.width(), y - moved.y() / box.height())

    def wheel(self, turn: float, event: QWheelEvent) -> bool:
        """Alt zooms the picture alone, at the pointer."""
        if not self.over or not event.modifiers() & Qt.KeyboardModifier.AltModifier:
            return False
        box, at = self._box(), event.position()
        x, y = (at.x() - box.left()) / box.width(), (at.y() - box.top()) / box.height()
        self.place.zoom_at(1.12**turn, x, y)
        return True


def take_reference(reference: Reference, path: Path) -> bool:
    """Lay a picture beside the view; what is wrong with it is said. Returns whether it was taken."""
    try:
        reference.open(path)
    except (OSError, BadImage) as error:
        reference.view.session.said.emit(f"{path.name} cannot be shown: {told(error)}", True)
        return False
    return True
