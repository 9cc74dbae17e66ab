"""Takes the colour of a surface from the view: its base colour there, not its light."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QImage, QSinglePointEvent

from jade_coat.app.view.overlay import Overlay
from jade_coat.app.view.view import View
from jade_coat.maps.color import to_linear
from jade_coat.material.fields import Color
from jade_coat.view.client import Picture

STREAM = "dropper"


class Dropper(Overlay[View]):
    """While armed, the next press takes a colour; Esc lets it be."""

    def __init__(self, view: View) -> None:
        super().__init__(view)
        self._done: Callable[[Color], None] | None = None
        self._at = QPointF()
        view.session.picture.connect(self._on_picture)

    @property
    def armed(self) -> bool:
        """Whether the next press takes a colour."""
        return self._done is not None

    def take(self, done: Callable[[Color], None]) -> None:
        """Let the next press in the view give a colour."""
        self._done = done
        self.view.setCursor(Qt.CursorShape.CrossCursor)
        self.view.session.said.emit("Press a place of the view to take its colour (Esc lets it be).", False)

    def give_up(self) -> bool:
        """Take no colour after all; whether one was to be taken."""
        was, self._done = self.armed, None
        if was:
            self.view.setCursor(Qt.CursorShape.CrossCursor if self.view.tool == "brush" else Qt.CursorShape.ArrowCursor)
        return was

    def press(self, at: QPointF, event: QSinglePointEvent) -> bool:
        if not self.armed:
            return False
        self._at = QPointF(at.x() / max(self.view.width(), 1), at.y() / max(self.view.height(), 1))
        view, width, height = self.view, self.view.width(), self.view.height()
        eye = view.eye(view.camera, width, height)
        view.session.client.request(
            STREAM, None, scene=view.scene, eye=eye, width=width, height=height, looks=("base_color",), priority=1
        )
        return True

    def _on_picture(self, picture: Picture, image: QImage) -> None:
        if picture.stream != STREAM or self._done is None:
            return
        done = self._done
        self.give_up()
        self.view.session.client.forget_stream(STREAM)
        x, y = (min(int(s * n), n - 1) for s, n in ((self._at.x(), image.width()), (self._at.y(), image.height())))
        tone = image.pixelColor(x, y)
        r, g, b = (float(v) for v in to_linear([tone.redF(), tone.greenF(), tone.blueF()]))
        done((r, g, b))
