"""Pictures of finishes and of single coats on the swatch form, drawn when they are out of date."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QObject, QTimer, pyqtSignal
from PyQt6.QtGui import QImage

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


@dataclass(frozen=True)
class _Wanted:
    """A swatch to draw: a material, its values, and what tells whether a drawn one is out of date."""

    material: Material
    values: dict[str, Number]
    key: object


class Swatches(QObject):
    """Keeps one picture per name (`finish:ID`, `coat:MATERIAL:ID`)."""

    arrived = pyqtSignal(str)

    def __init__(self, session: Session, parent: QObject) -> None:
        super().__init__(parent)
        self._session = session
        self._images: dict[str, QImage] = {}
        self._drawn: dict[str, object] = {}
        self._wait = QTimer(self)
        self._wait.setSingleShot(True)
        self._wait.setInterval(220)
        self._wait.timeout.connect(self._draw)
        session.picture.connect(self._on_picture)
        session.scene_changed.connect(self._textures_or_scene)
        session.changed.connect(self._wait.start)
        session.selection_changed.connect(self._wait.start)
        self._textures = 0

    def image(self, name: str) -> QImage | None:
        """The newest picture, if there is one."""
        return self._images.get(name)

    @property
    def waiting(self) -> bool:
        """Whether swatches are about to be drawn."""
        return self._wait.isActive()

    def _textures_or_scene(self) -> None:
        unsent = len(self._session.link.unsent_sets(self._session.project))
        if unsent != self._textures:
            self._textures = unsent
            self._drawn.clear()
        self._wait.start()

    def _wanted(self) -> dict[str, _Wanted]:
        project = self._session.project
        found = {}
        for finish in project.finishes:
            material = worn(project, finish.id)
            values = field_row(project, finish.id)
            found[f"finish:{finish.id}"] = _Wanted(material, values, (material, tuple(sorted(values.items()))))
        for material in project.materials:
            if not any(f.parent == material.id for f in project.finishes):
                found[f"finish:{material.id}"] = _Wanted(material, field_values(material), material)
        chosen = self._session.material
        if chosen is not None:
            for coat in chosen.coats:
                alone = coat_alone(chosen, coat)
                found[alone_id(chosen.id, coat.id)] = _Wanted(alone, field_values(alone), alone)
        return found

    def _draw(self) -> None:
        if self._session.client.busy("main"):
            self._wait.start()
            return
        wanted = self._wanted()
        for name, swatch in wanted.items():
            if self._drawn.get(name) != swatch.key:
                self._drawn[name] = swatch.key
                self._session.link.show_look(name, swatch.material, swatch.values)
                self._request(name, 0)
        for name in [n for n in self._drawn if n not in wanted]:
            self._images.pop(name, None)
            del self._drawn[name]
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
