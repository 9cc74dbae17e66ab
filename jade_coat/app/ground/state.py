"""What is chosen in Ground, and the brush in hand."""

from __future__ import annotations

from typing import Any, Literal

from PyQt6.QtCore import QObject, pyqtSignal

from jade_coat.app.session import Session
from jade_coat.ground.paths import GroundPath
from jade_coat.ground.scatter import Scatter
from jade_coat.ground.stroke import Deed, GroundBrush
from jade_coat.material.stacking import GroundLayer
from jade_coat.stage.grounds import Ground

Plucking = Literal["", "out", "prop"]
"""What the hand does with the pieces of a scatter: nothing, take them out, make props of them."""


class GroundState(QObject):
    """The ground and the layer that are worked on, and the brush; `changed` when any is another."""

    changed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.brush = GroundBrush()
        self.layer_id = ""
        self.scatter_id = ""
        self.plucking: Plucking = ""
        self.path_id = ""
        """The path that the hand lays, none while it does something else."""
        self._ground_id = ""
        session.changed.connect(self._mend)

    @property
    def ground(self) -> Ground | None:
        """The ground that is worked on: the one chosen, else the first."""
        grounds = self._session.project.grounds
        return grounds.get(self._ground_id) or grounds.first

    @property
    def layer(self) -> GroundLayer | None:
        """The layer that is worked on."""
        ground = self.ground
        if ground is None:
            return None
        return next((layer for layer in ground.layers if layer.id == self.layer_id), ground.layers[-1])

    @property
    def scatter(self) -> Scatter | None:
        """The scatter of the layer that is worked on."""
        ground, layer = self.ground, self.layer
        if ground is None or layer is None:
            return None
        return next((s for s in ground.scatter if s.id == self.scatter_id and s.layer == layer.id), None)

    @property
    def path(self) -> GroundPath | None:
        """The path that is in hand."""
        ground = self.ground
        return next((p for p in ground.paths if p.id == self.path_id), None) if ground is not None else None

    def take_path(self, path: str) -> None:
        """Take a path in hand, to lay it; an empty one puts it down."""
        self.path_id, self.plucking = path, ""
        self.changed.emit()

    def choose_scatter(self, scatter: str) -> None:
        """Work on another scatter of the layer; an empty one for none."""
        self.scatter_id = scatter
        self.plucking = ""
        self.changed.emit()

    def pluck(self, how: Plucking) -> None:
        """Let the hand take pieces out of the scatter, or make props of them; or nothing of that."""
        self.plucking = how if self.scatter is not None else ""
        self.path_id = ""
        self.changed.emit()

    def choose_ground(self, ground: str) -> None:
        """Work on another ground."""
        self._ground_id = ground
        self._mend()
        self.changed.emit()

    def choose_layer(self, layer: str) -> None:
        """Work on another layer; its finish is shown with its dials."""
        self.layer_id, self.plucking, self.path_id = layer, "", ""
        found = self.layer
        if found is not None and found.finish:
            self._session.choose_finish(found.finish)
        self.changed.emit()

    def take(self, deed: Deed) -> None:
        """Take up what the brush is to do."""
        self.plucking = self.path_id = ""
        self.set(deed=deed)

    def set(self, **changes: Any) -> None:
        """Change the brush."""
        self.brush = self.brush.with_(**changes)
        self.changed.emit()

    def scale(self, by: float) -> None:
        """A larger or smaller brush."""
        self.set(radius=min(max(self.brush.radius * by, 0.02), 2000.0))

    def _mend(self) -> None:
        layer = self.layer
        if layer is not None and layer.id != self.layer_id:
            self.layer_id = layer.id
            self.changed.emit()
        if self.path_id and self.path is None:
            self.take_path("")
        if self.plucking and self.scatter is None:
            self.pluck("")
