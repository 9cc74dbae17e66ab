"""All four painted channels in small live pictures over the view."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QImage, QPainter, QPainterPath, QPen, QSinglePointEvent

from jade_coat.app import theme
from jade_coat.app.brush.state import BrushState
from jade_coat.app.view.overlay import Overlay, draw_tag
from jade_coat.app.view.view import View
from jade_coat.view.client import Picture

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

    def _ask(self) -> None:
        client = self.view.session.client
        if not self.shown or client.busy(STREAM):
            return
        ratio = self.view.devicePixelRatioF()
        wide, high = self._size()
        width, height = max(round(wide * ratio), 16), max(round(high * ratio), 16)
        eye = self.view.eye(self.view.camera, width, height)
        wanted = (self.view.generation, self.looks(), width)
        if wanted == self._asked:
            return
        self._asked = wanted
        client.request(
            STREAM, (self.looks(), width), scene=self.view.scene, eye=eye, width=width, height=height,
            looks=self.looks(), priority=1,
        )  # fmt: skip

    def _on_picture(self, picture: Picture, image: QImage) -> None:
        if picture.stream != STREAM:
            return
        looks, width = picture.tag
        for i, look in enumerate(looks):
            self.images[look] = image.copy(i * width, 0, width, image.height())
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
