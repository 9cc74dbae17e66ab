"""All four painted channels in small live pictures over the view."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QImage, QPainter, QPainterPath, QPen, QSinglePointEvent

from jade_coat.app import theme
from jade_coat.app.brush.state import BrushState
from jade_coat.app.view.overlay import Overlay, draw_tag
from jade_coat.app.view.view import View
from jade_coat.view.client import Picture
from jade_coat.view.requests import Part

SIZE = QSize(150, 96)
GAP = 8
LEFT = 88
"""Room for the light's dome in the corner."""
STREAM = "channels"


class ChannelViews(Overlay[View]):
    """Four pictures along the view's lower edge; a click shows one channel alone, another the material again."""

    def __init__(self, view: View, state: BrushState) -> None:
        super().__init__(view)
        self._state = state
        self.images: dict[str, QImage] = {}
        self._asked: object = None
        self._part: Part | None = None
        self._whole = True
        """Whether more than the part has changed since the pictures were asked for."""
        view.refreshed.connect(self._changed)
        view.arrived.connect(self._ask)
        state.shown_changed.connect(self._ask)
        state.changed.connect(self._ask)
        view.session.picture.connect(self._on_picture)

    @property
    def shown(self) -> bool:
        """Whether the pictures are shown."""
        view = self.view
        return self._state.shown.channels and view.tool == "brush" and not view.shape and view.width() > 4 * 90

    def looks(self) -> tuple[str, ...]:
        """The looks of the four channels of the colour set that is painted."""
        first = 4 * self._state.color_set
        return tuple(f"channel:{first + i}" if first else f"paint:{'RGBA'[i]}" for i in range(4))

    def _size(self) -> tuple[float, float]:
        width = min(SIZE.width(), (self.view.width() - LEFT - 12 - 3 * GAP) / 4)
        return width, width * SIZE.height() / SIZE.width()

    def boxes(self) -> list[QRectF]:
        """Where the pictures lie on the view."""
        width, height = self._size()
        top = self.view.height() - height - 12
        return [QRectF(LEFT + i * (width + GAP), top, width, height) for i in range(4)]

    def _changed(self, part: Part | None) -> None:
        """Something changed since: a part alone, or who knows what."""
        if part is None:
            self._whole = True
        elif self._part is None:
            self._part = part
        else:
            self._part = self._part.with_(part)
            self._whole = self._whole or self._part is None

    def _ask(self) -> None:
        client, looks = self.view.session.client, self.looks()
        if not self.shown:
            for look in self.images:
                client.forget_stream(f"{STREAM}:{look}")
            self.images, self._asked = {}, None
            return
        if any(client.busy(f"{STREAM}:{look}") for look in looks):
            return
        ratio = self.view.devicePixelRatioF()
        wide, high = self._size()
        width, height = max(round(wide * ratio), 16), max(round(high * ratio), 16)
        eye = self.view.eye(self.view.camera, width, height)
        wanted = (self.view.generation, looks, width)
        if wanted == self._asked:
            return
        self._asked = wanted
        part = None if self._whole else self._part
        self._part, self._whole = None, False
        for look in looks:  # a stream each: it goes on from its last picture where a part alone has changed
            client.request(
                f"{STREAM}:{look}", None, scene=self.view.scene, eye=eye, width=width, height=height, looks=(look,),
                priority=1, part=part,
            )  # fmt: skip

    def _on_picture(self, picture: Picture, image: QImage) -> None:
        stream, _, look = picture.stream.partition(":")
        if stream != STREAM:
            return
        self.images[look] = image
        self.view.update()
        self._ask()  # something may have moved meanwhile

    def paint(self, painter: QPainter) -> None:
        """Draw the four pictures with their letters."""
        if not self.shown:
            return
        words = self._words()
        for i, (box, look) in enumerate(zip(self.boxes(), self.looks(), strict=True)):
            path = QPainterPath()
            path.addRoundedRect(box, 6, 6)
            painter.save()
            painter.setClipPath(path)
            if look in self.images:
                painter.drawImage(box, self.images[look])
            else:
                painter.fillRect(box, theme.color("well"))
            painter.restore()
            chosen = i in self._state.letters
            alone = self.view.look == look
            tone = "celadon" if alone else "jade" if chosen else "chrome"
            painter.setPen(QPen(theme.color(tone), 3 if alone else 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPath(path)
            corner = box.bottomLeft() + QPointF(6, -6)
            draw_tag(painter, corner, words[i], 600 if chosen else 500, box.width() - 28)

    def _words(self) -> list[str]:
        """What each channel does, behind its letter."""
        session = self.view.session
        material = session.material
        uses = material.paint_uses(session.link.lookup, self._state.color_set) if material else {}
        return [f"{c}  {', '.join(uses[c])}" if c in uses else f"{c}  not read" for c in "RGBA"]

    def press(self, at: QPointF, event: QSinglePointEvent) -> bool:
        """Show a channel alone, or the material again."""
        if not self.shown:
            return False
        for box, look in zip(self.boxes(), self.looks(), strict=True):
            if box.contains(at):
                self.view.set_look("lit" if self.view.look == look else look)
                return True
        return False
