"""Pictures of a model alone in each of its variants, drawn when they are out of date."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtGui import QImage

from jade_coat.app.session import Session
from jade_coat.stage.project import Prop
from jade_coat.view.camera import eye_of
from jade_coat.view.client import Picture
from jade_coat.view.requests import Eye

WIDTH, HEIGHT = 96, 72
SAMPLES = 4
WAIT_MS = 200


class ModelPictures(QObject):
    """Keeps a picture for each variant of one model, by the variant's id."""

    arrived = pyqtSignal(str)

    def __init__(self, session: Session, parent: QObject) -> None:
        super().__init__(parent)
        self._session = session
        self._prop: Prop | None = None
        self._images: dict[str, QImage] = {}
        self._keys: dict[str, object] = {}
        self._wait = QTimer(self)
        self._wait.setSingleShot(True)
        self._wait.setInterval(WAIT_MS)
        self._wait.timeout.connect(self._draw)
        session.picture.connect(self._on_picture)
        session.scene_changed.connect(self._soon)

    def image(self, variant: str) -> QImage | None:
        """The newest picture of a variant, if there is one."""
        return self._images.get(variant)

    @property
    def waiting(self) -> bool:
        """Whether pictures are about to be drawn."""
        return self._wait.isActive()

    def show(self, prop: Prop | None) -> None:
        """Draw the variants of a prop's model from now on, with its paint; None for none."""
        if prop is None or self._prop is None or prop.mesh != self._prop.mesh:
            self.let_go()
        self._prop = prop
        self._soon()

    def let_go(self) -> None:
        """Forget all pictures."""
        for variant in self._keys:
            self._session.link.hide(self._stream(variant))
        self._images, self._keys, self._prop = {}, {}, None

    def _soon(self) -> None:
        if self._prop is not None:
            self._wait.start()

    @staticmethod
    def _stream(variant: str) -> str:
        return f"variant:{variant}"

    def _draw(self) -> None:
        session, prop = self._session, self._prop
        project = session.project
        if prop is None or prop.id not in project.props:
            return
        if session.client.busy("main"):
            self._wait.start()
            return
        prop = project.props[prop.id]
        mesh = project.mesh(prop.mesh)
        sent = len(session.link.unsent_sets(project))
        for variant in mesh.variants:
            dressed = prop.with_(variant=variant.id, finishes={}, values={}, rules=())
            key = (variant.finishes, mesh.variants[0].finishes, mesh.categories, prop.paint, prop.paint_map,
                   project.materials, project.finishes, project.categories, sent, mesh.asset)  # fmt: skip
            if self._keys.get(variant.id) != key:
                self._keys[variant.id] = key
                session.link.show_model(self._stream(variant.id), dressed)
                self._request(variant.id, 0)
        for gone in self._keys.keys() - {v.id for v in mesh.variants}:
            session.link.hide(self._stream(gone))
            del self._keys[gone]
            self._images.pop(gone, None)

    def _request(self, variant: str, sample: int) -> None:
        assert self._prop is not None
        low, high = self._session.link.mesh_data(self._prop.mesh).bounds
        self._session.client.request(
            self._stream(variant), sample, scene=self._stream(variant), eye=portrait(low, high, WIDTH / HEIGHT),
            width=WIDTH, height=HEIGHT, sample=sample, priority=6, backdrop=False,
        )  # fmt: skip

    def _on_picture(self, picture: Picture, image: QImage) -> None:
        variant = picture.stream.removeprefix("variant:")
        if picture.stream == variant or variant not in self._keys or self._prop is None:
            return
        self._images[variant] = image
        if picture.tag + 1 < SAMPLES:
            self._request(variant, picture.tag + 1)
        self.arrived.emit(variant)


def portrait(low: object, high: object, shape: float, field_of_view: float = 0.5) -> Eye:
    """An eye that sees all of a box `low`, `high` `(3,)` from ahead and above; `shape` is width to height."""
    a, b = np.asarray(low, np.float64), np.asarray(high, np.float64)
    half = max(float(np.linalg.norm(b - a)) / 2, 1e-3)
    away = half / math.sin(field_of_view / 2) * (0.92 if shape >= 1 else 0.92 / shape)
    way = np.array([0.45, 0.28, 1.0])
    middle = (a + b) / 2
    return eye_of(middle + way / np.linalg.norm(way) * away, middle, field_of_view, shape)
