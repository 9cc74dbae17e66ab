"""Makes one card from a cell of an atlas, chosen by the mouse and trimmed to few corners."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

import cv2
import numpy as np
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout

from jade_coat.app import theme
from jade_coat.app.build.atlas_picture import SIDE, AtlasPicture, CornerCurve
from jade_coat.app.build.maker import Maker
from jade_coat.app.controls.basics import label
from jade_coat.app.controls.images import image_from
from jade_coat.files.library import Library
from jade_coat.maps.color import to_srgb
from jade_coat.maps.mapset import MapSet
from jade_coat.material.surface import Role
from jade_coat.mesh.makers import Card, Made
from jade_coat.mesh.makers.trimming import Cell, curve_of, found_cells, share_shown
from jade_coat.program.types import Array
from jade_coat.stage.project import Project


@dataclass(frozen=True)
class _Atlas:
    """What is shown of an atlas: its picture `(h, w, 3)`, its cells, and the card that is cut from one."""

    picture: Array
    cells: tuple[Cell, ...]
    cell: Cell
    outline: Array
    curve: list[tuple[int, float]]
    shows: float
    """The share of the cell on which something shows."""
    empty: float
    """The share of the card on which nothing does."""


class CardMaker(Maker):
    """The numbers of one card, and the atlas it is cut from."""

    kind: ClassVar[type[Made]] = Card
    title: ClassVar[str] = "Make a card"
    _seen: _Atlas | None = None

    def first(self) -> Card:
        """A card of the map set that the chosen material reads, where that has an opacity; else of any that has."""
        project = self._session.project
        there = [s.id for s in project.map_sets if s.file(Role.OPACITY) is not None]
        worn = self._session.material.map_sets if self._session.material is not None else frozenset()
        return Card(atlas=next((s for s in there if s in worn), there[0] if there else ""))

    def build_source(self, layout: QHBoxLayout) -> None:
        """The atlas with its cells, and the curve of corners."""
        self.atlas, self.curve = AtlasPicture(), CornerCurve()
        self.atlas.chosen.connect(lambda u, v: self.turn("at", (u, v)))
        self.curve.chosen.connect(lambda corners: self.turn("corners", corners))
        column = QVBoxLayout()
        column.addWidget(self.atlas)
        column.addWidget(label("Corners, and how much of its cell the card covers", "quiet"))
        column.addWidget(self.curve)
        column.addStretch(1)
        layout.addLayout(column)

    def show_source(self) -> None:
        """Show the atlas, the cell and the card as the numbers have them."""
        numbers, session = self.numbers, self._session
        assert isinstance(numbers, Card)
        if not numbers.atlas:
            self._seen, self.atlas.image = None, None
            self.atlas.show_cells((), None, None)
            self.curve.show_curve((), 0, 0.0)
            return
        project, library, tone = session.project, session.library, theme.color("raised").getRgbF()[:3]

        def done(found: _Atlas) -> None:
            if numbers is self.numbers:
                self._seen = found
                self.atlas.image = image_from(found.picture)
                self.atlas.show_cells(found.cells, found.cell, found.outline)
                self.curve.show_curve(found.curve, numbers.corners, found.shows)
                self._dress()

        session.work(lambda: _looked_at(project, library, numbers, np.array(tone)), done, lambda error: None)

    def more_words(self) -> str:
        """How much of the card is drawn for nothing."""
        return f"{self._seen.empty:.0%} of the card is empty" if self._seen is not None else ""


def _looked_at(project: Project, library: Library, numbers: Card, ground: Array) -> _Atlas:
    map_set = project.map_set(numbers.atlas)
    opacity = library.opacity(map_set)
    cell = numbers.cell(opacity)
    return _Atlas(
        _pictured(library, map_set, opacity, ground), found_cells(opacity, numbers.cut, numbers.gap), cell,
        numbers.outline(opacity), curve_of(opacity, cell, numbers.cut, True),
        share_shown(opacity, cell, numbers.cut), numbers.empty(opacity),
    )  # fmt: skip


def _pictured(library: Library, map_set: MapSet, opacity: Array, ground: Array) -> Array:
    """A small picture of an atlas as a screen shows it: its colour, or white, over a ground by its opacity."""
    size = (SIDE * 2, SIDE * 2)
    there = cv2.resize(opacity, size, interpolation=cv2.INTER_AREA)[..., None]
    color = library.role(map_set, Role.BASE_COLOR, max(size))
    over = np.ones(3) if color is None else to_srgb(cv2.resize(color, size, interpolation=cv2.INTER_AREA))
    return np.asarray(ground + (over - ground) * there)
