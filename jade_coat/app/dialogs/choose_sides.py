"""Asks which side counts where two people changed the same: mine, theirs or both, each by itself or all at once."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtGui import QIcon, QPixmap
from PyQt6.QtWidgets import QButtonGroup, QDialog, QFrame, QSizePolicy, QToolButton, QVBoxLayout, QWidget

from jade_coat.app.controls.basics import button, column, counted, holder, label, row, scrolled
from jade_coat.app.dialogs.side_pictures import HEIGHT, WIDTH, side_picture
from jade_coat.app.merging import TwoSides, all_of
from jade_coat.stage.merging import BOTH, MINE, THEIRS, Collision
from jade_coat.stage.merging.words import title, told

if TYPE_CHECKING:
    from PyQt6.QtGui import QImage

WORDS = {MINE: "Mine", THEIRS: "Theirs", BOTH: "Both"}


class ChooseSides(QDialog):
    """A row for each thing that collides, with what either side made of it."""

    def __init__(self, parent: QWidget, sides: TwoSides, found: tuple[Collision, ...]) -> None:
        super().__init__(parent)
        self._sides, self._found = sides, found
        self.setWindowTitle("Both changed the same")
        self.resize(720, 560)
        self.groups: dict[str, QButtonGroup] = {}
        rows = column(*(self._row(c) for c in found), 1, gap=10, margins=(2, 2, 10, 2))
        text = (
            f"{counted(len(found), 'place')} changed here and by somebody else, each in another way. All else of both "
            "comes together by itself. What is not chosen is kept in a folder beside."
        )
        every = row(
            label("All of them:", "quiet"), *(button(WORDS[s], partial(self.choose_all, s)) for s in WORDS), 1, gap=6
        )
        layout = QVBoxLayout(self)
        layout.setSpacing(12)
        layout.addWidget(label(text, wrap=True))
        layout.addLayout(every)
        layout.addWidget(scrolled(holder(rows)), 1)
        self.go = button("Merge and save", self.accept, "main")
        layout.addLayout(row(1, button("Not now", self.reject), self.go))

    def _row(self, collision: Collision) -> QWidget:
        sides, theirs = self._sides, self._sides.theirs
        mine = side_picture(sides, collision, collision.mine, sides.mine, sides.library.assets)
        other = side_picture(sides, collision, collision.theirs, theirs.project, theirs.assets)
        group = QButtonGroup(self)
        group.setExclusive(True)
        ways = [(MINE, told(collision, collision.mine), mine), (THEIRS, told(collision, collision.theirs), other)]
        if sides.two_of(collision):
            ways.append((BOTH, "theirs as a second one", None))
        where = title(collision, sides.mine, theirs.project)
        tiles = []
        for side, words, picture in ways:
            tile = _tile(side, words, picture, mine is not None or other is not None)
            tile.setAccessibleName(f"{where}: {WORDS[side].lower()}, {words}")
            group.addButton(tile, list(WORDS).index(side))
            tiles.append(tile)
        tiles[0].setChecked(True)
        self.groups[collision.key] = group
        frame = QFrame()
        frame.setLayout(column(label(where, "name"), holder(row(*tiles, 1, gap=8)), gap=4))
        return frame

    def choose(self, key: str, side: str) -> None:
        """Choose a side for one collision, by its key."""
        tile = self.groups[key].button(list(WORDS).index(side))
        if tile is not None:
            tile.setChecked(True)

    def choose_all(self, side: str) -> None:
        """Choose the same side for all; mine where both cannot be."""
        for key, wanted in all_of(side, self._found, self._sides).items():
            self.choose(key, wanted)

    def chosen(self) -> dict[str, str]:
        """The side that counts, by the key of the collision."""
        names = list(WORDS)
        return {key: names[group.checkedId()] for key, group in self.groups.items()}


def _tile(side: str, words: str, picture: QImage | None, pictured: bool) -> QToolButton:
    tile = QToolButton()
    tile.setCheckable(True)
    tile.setProperty("role", "side")
    tile.setText(f"{WORDS[side]}\n{words if len(words) < 30 else words[:28] + '…'}")
    tile.setToolTip(words)
    tile.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
    tile.setMinimumWidth(WIDTH + 24)
    if picture is not None:
        tile.setIcon(QIcon(QPixmap.fromImage(picture)))
        tile.setIconSize(QSize(WIDTH, HEIGHT))
    style = Qt.ToolButtonStyle.ToolButtonTextUnderIcon if picture is not None else Qt.ToolButtonStyle.ToolButtonTextOnly
    tile.setToolButtonStyle(style)
    tile.setFixedHeight(HEIGHT + 54 if pictured else 50)
    return tile
