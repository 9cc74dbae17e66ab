"""Pictures of models alone, each in a variant, drawn when they are out of date."""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np
from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtGui import QImage

from jade_coat.app.session import Session
from jade_coat.stage.project import Project, Prop
from jade_coat.view.camera import eye_of
from jade_coat.view.client import Picture
from jade_coat.view.requests import Eye

WIDTH, HEIGHT = 96, 72
SAMPLES = 4
WAIT_MS = 200


class ModelPictures(QObject):
    """Keeps a picture of each of some props alone, by names that the one who shows them gives."""

    arrived = pyqtSignal(str)

    def __init__(self, session: Session, parent: QObject, kind: str) -> None:
        """`kind` begins the names of its streams: no two may have the same."""
        super().__init__(parent)
        self._session, self._kind = session, kind
        self._props: dict[str, Prop] = {}
        self._images: dict[str, QImage] = {}
        self._keys: dict[str, object] = {}
        self._wait = QTimer(self)
        self._wait.setSingleShot(True)
        self._wait.setInterval(WAIT_MS)
        self._wait.timeout.connect(self._draw)
        session.picture.connect(self._on_picture)
        session.scene_changed.connect(self._soon)

    def image(self, name: str) -> QImage | None:
        """The newest picture of that name, if there is one."""
        return self._images.get(name)

    @property
    def waiting(self) -> bool:
        """Whether pictures are about to be drawn."""
        return self._wait.isActive()

    def show(self, props: Mapping[str, Prop]) -> None:
        """Draw these props from now on, with their paint; of other names nothing is kept."""
        self._props = dict(props)
        for gone in self._keys.keys() - self._props.keys():
            self._forget(gone)
        self._soon()

    def let_go(self) -> None:
        """Forget all pictures."""
        self.show({})

    def _forget(self, name: str) -> None:
        self._session.link.hide(self._stream(name))
        del self._keys[name]
        self._images.pop(name, None)

    def _soon(self) -> None:
        if self._props:
            self._wait.start()
        else:
            self._wait.stop()

    def _stream(self, name: str) -> str:
        return f"{self._kind}:{name}"

    def _draw(self) -> None:
        session = self._session
        project = session.project
        if session.client.busy("main"):
            self._wait.start()
            return
        sent = len(session.link.unsent_sets(project))
        there = {m.id for m in project.meshes}
        for name, prop in self._props.items():
            if prop.mesh not in there:
                continue
            key = (_follows(project, prop), sent)
            if self._keys.get(name) != key:
                self._keys[name] = key
                session.link.show_model(self._stream(name), prop)
                self._request(name, 0)

    def _request(self, name: str, sample: int) -> None:
        low, high = self._session.link.mesh_data(self._props[name].mesh).bounds
        self._session.client.request(
            self._stream(name), sample, scene=self._stream(name), eye=portrait(low, high, WIDTH / HEIGHT),
            width=WIDTH, height=HEIGHT, sample=sample, priority=6, backdrop=False,
        )  # fmt: skip

    def _on_picture(self, picture: Picture, image: QImage) -> None:
        name = picture.stream.removeprefix(f"{self._kind}:")
        there = {m.id for m in self._session.project.meshes}
        if picture.stream == name or name not in self._keys or self._props[name].mesh not in there:
            return
        self._images[name] = image
        if picture.tag + 1 < SAMPLES:
            self._request(name, picture.tag + 1)
        self.arrived.emit(name)


def _follows(project: Project, prop: Prop) -> tuple[object, ...]:
    """What the picture of a prop follows from."""
    mesh = project.mesh(prop.mesh)
    worn = mesh.variant(prop.variant).finishes if prop.variant else mesh.variants[0].finishes
    return (worn, mesh.variants[0].finishes, mesh.categories, prop.paint, prop.paint_map, project.materials,
            project.finishes, project.categories, mesh.asset)  # fmt: skip


def portrait(low: object, high: object, shape: float, field_of_view: float = 0.5) -> Eye:
    """An eye that sees all of a box `low`, `high` `(3,)` from ahead and above; `shape` is width to height."""
    a, b = np.asarray(low, np.float64), np.asarray(high, np.float64)
    half = max(float(np.linalg.norm(b - a)) / 2, 1e-3)
    away = half / math.sin(field_of_view / 2) * (0.92 if shape >= 1 else 0.92 / shape)
    way = np.array([0.45, 0.28, 1.0])
    middle = (a + b) / 2
    return eye_of(middle + way / np.linalg.norm(way) * away, middle, field_of_view, shape)
