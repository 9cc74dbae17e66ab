"""A stroke that was begun before its surface was ready: kept as it is drawn, and laid when it can be."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from PyQt6.QtCore import QPointF

from jade_coat.app.view.view import View

MAX_MOVES = 20_000


@dataclass
class Waiting:
    """The places, the pen's pressure and whether it erased, in the order drawn; and what was seen when it began."""

    view: View
    prop: str
    moves: list[tuple[QPointF, float, bool]] = field(default_factory=list)
    ended: bool = False

    def __post_init__(self) -> None:
        self._eye = self._seen()

    def _seen(self) -> tuple[bytes, int, int]:
        return self.view.main_eye().view.tobytes(), self.view.width(), self.view.height()

    def add(self, at: QPointF, erasing: bool) -> None:
        """Remember a place."""
        if len(self.moves) < MAX_MOVES:
            self.moves.append((QPointF(at), self.view.pressure, erasing))

    @property
    def stands(self) -> bool:
        """Whether the view still shows what it was drawn on."""
        return self._seen() == self._eye and self.prop in self.view.session.project.props

    def replay(self, begin: Callable[[QPointF, bool], bool], go_on: Callable[[QPointF, bool], None]) -> bool:
        """Draw it with the pressure it had; whether it began."""
        before = self.view.pressure
        try:
            for i, (at, pressure, erasing) in enumerate(self.moves):
                self.view.pressure = pressure
                if i == 0 and not begin(at, erasing):
                    return False
                if i:
                    go_on(at, erasing)
        finally:
            self.view.pressure = before
        return True
