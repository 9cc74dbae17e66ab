"""Works out in the background what the present material costs, whenever its program is another."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QObject, QTimer

from jade_coat.app.session import Session
from jade_coat.check.material_costs import MaterialCost, PixelCost, material_cost
from jade_coat.material.compile import structure

WAIT_MS = 300
"""Edits that follow one another are worked out once."""
Shown = Callable[[MaterialCost | None, PixelCost | None], None]


class CostWatch(QObject):
    """Tells the cost of the chosen finish's material, and what it was before the last change of its program."""

    def __init__(self, session: Session, show: Shown) -> None:
        super().__init__()
        self._session, self._show = session, show
        self._key: object = None
        self._material = ""
        self._now: MaterialCost | None = None
        self._before: PixelCost | None = None
        self._wait = QTimer(self)
        self._wait.setSingleShot(True)
        self._wait.setInterval(WAIT_MS)
        self._wait.timeout.connect(self._work)
        session.changed.connect(self._follow)
        session.selection_changed.connect(self._follow)
        session.scene_changed.connect(self._follow)

    def again(self) -> None:
        """Tell once more what is known: it is shown by new widgets."""
        self._show(self._now, self._before)

    def _follow(self) -> None:
        material, lookup = self._session.material, self._session.link.lookup
        key = (material.id, structure(material), getattr(lookup, "key", None)) if material is not None else None
        if key == self._key:
            return
        self._key = key
        if material is None:
            self._now = self._before = None
            self.again()
            return

        self._wait.start()

    def _work(self) -> None:
        material, lookup, key = self._session.material, self._session.link.lookup, self._key
        if material is None:
            return

        def done(found: MaterialCost) -> None:
            if self._key != key:
                return  # another is on its way
            same = self._material == material.id and self._now is not None
            self._before = self._now.whole if same and self._now is not None else None
            self._material, self._now = material.id, found
            self.again()

        self._session.work(lambda: material_cost(material, lookup), done, lambda error: self._failed())

    def _failed(self) -> None:
        """A material that does not compile says so elsewhere."""
        self._now = self._before = None
        self.again()
