"""Pictures of finishes and of single coats on the swatch form: those that are looked at, drawn when out of date."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QObject, QRectF, QSize, QTimer, pyqtSignal
from PyQt6.QtGui import QImage, QPainter, QPaintEvent
from PyQt6.QtWidgets import QWidget

from jade_coat.app.session import Session
from jade_coat.material.fields import Number
from jade_coat.material.material import Material
from jade_coat.material.rows import field_values
from jade_coat.stage.coats_alone import alone_id, coat_alone
from jade_coat.stage.looks import field_row, worn
from jade_coat.view.camera import eye_of
from jade_coat.view.client import Picture

WIDTH, HEIGHT = 168, 124
SAMPLES = 4
MOST = 150
"""So many pictures are kept beside those that are looked at."""


@dataclass(frozen=True)
class _Wanted:
    """A swatch to draw: a material, its values, and what tells whether a drawn one is out of date."""

    material: Material
    values: dict[str, Number]
    key: object


class Swatches(QObject):
    """Keeps one picture per name (`finish:ID`, `coat:MATERIAL:ID`).

    Whoever paints one asks for it, and only what was asked for is drawn: what is out of sight costs nothing.
    """

    arrived = pyqtSignal(str)
    outdated = pyqtSignal()
    """Pictures may be of something else now: who shows some paints again, and so tells which."""

    def __init__(self, session: Session, parent: QObject) -> None:
        super().__init__(parent)
        self._session = session
        self._images: dict[str, QImage] = {}
        self._drawn: dict[str, object] = {}
        """What the drawn ones were drawn from; those asked for last come last."""
        self._asked: dict[str, None] = {}
        """What has been looked at since it was last told that pictures may be outdated."""
        self._changed = False
        self._wait = QTimer(self)
        self._wait.setSingleShot(True)
        self._wait.setInterval(220)
        self._wait.timeout.connect(self._draw)
        session.picture.connect(self._on_picture)
        session.scene_changed.connect(self._textures_or_scene)
        session.changed.connect(self._change)
        session.selection_changed.connect(self._change)
        self._textures = 0

    def image(self, name: str) -> QImage | None:
        """The newest picture, if there is one; a newer one comes if it is out of date."""
        if name not in self._asked:
            self._asked[name] = None
            if not self._wait.isActive():
                self._wait.start()
        return self._images.get(name)

    @property
    def waiting(self) -> bool:
        """Whether swatches are about to be drawn."""
        return self._wait.isActive()

    def _change(self) -> None:
        if not self._changed:  # what is out of sight now is not asked for again
            self._changed, self._asked = True, {}
            self.outdated.emit()
        self._wait.start()

    def _textures_or_scene(self) -> None:
        unsent = len(self._session.link.unsent_sets(self._session.project))
        if unsent != self._textures:
            self._textures = unsent
            self._drawn = dict.fromkeys(self._drawn)
        self._change()

    def _wanted(self, name: str) -> _Wanted | None:
        """What a name stands for; None if there is nothing of it any more."""
        project, chosen = self._session.project, self._session.material
        finish = name.removeprefix("finish:")
        if finish != name:
            try:
                material, values = worn(project, finish), field_row(project, finish)
            except KeyError:
                return None
            return _Wanted(material, values, (material, tuple(sorted(values.items()))))
        for coat in chosen.coats if chosen is not None else ():
            if chosen is not None and alone_id(chosen.id, coat.id) == name:
                alone = coat_alone(chosen, coat)
                return _Wanted(alone, field_values(alone), alone)
        return None

    def _draw(self) -> None:
        if self._session.client.busy("main"):
            self._wait.start()
            return
        self._changed = False
        for name in list(self._asked):
            swatch = self._wanted(name)
            if swatch is None:
                self._let_go(name)
                continue
            known = self._drawn.pop(name, None)
            self._drawn[name] = swatch.key
            if known != swatch.key:
                self._session.link.show_look(name, swatch.material, swatch.values)
                self._request(name, 0)
        aside = [n for n in self._drawn if n not in self._asked]
        for name in aside[: max(len(aside) - MOST, 0)]:
            self._let_go(name)

    def _let_go(self, name: str) -> None:
        self._images.pop(name, None)
        if self._drawn.pop(name, None) is not None:
            self._session.link.hide(name)

    def _request(self, name: str, sample: int) -> None:
        eye = eye_of(np.array([0.42, 0.26, 1.72]), np.array([-0.01, -0.005, -0.06]), 0.42, WIDTH / HEIGHT)
        self._session.client.request(
            name, sample, scene=name, eye=eye, width=WIDTH, height=HEIGHT, sample=sample, priority=5, backdrop=False
        )

    def _on_picture(self, picture: Picture, image: QImage) -> None:
        if picture.stream not in self._drawn:
            return
        self._images[picture.stream] = image
        if picture.tag + 1 < SAMPLES:
            self._request(picture.stream, picture.tag + 1)
        self.arrived.emit(picture.stream)


class SwatchPicture(QWidget):
    """Shows one swatch, or a picture of what has none."""

    def __init__(self, swatches: Swatches, name: str, size: QSize, instead: QImage | None = None) -> None:
        super().__init__()
        self._swatches, self._name, self._instead = swatches, name, instead
        self.setFixedSize(size)
        swatches.arrived.connect(self._on_arrived)
        swatches.outdated.connect(self.update)

    def image(self) -> QImage | None:
        """What it shows."""
        return self._swatches.image(self._name) if self._name else self._instead

    def _on_arrived(self, name: str) -> None:
        if name == self._name:
            self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        image = self.image()
        if image is not None:
            painter = QPainter(self)
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(QRectF(self.rect()), image)
