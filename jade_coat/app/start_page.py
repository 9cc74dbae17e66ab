"""The start page: what people can begin with, while the project holds nothing."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QImage
from PyQt6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from jade_coat.app.controls.basics import button, clear, column, holder, label, row, scrolled
from jade_coat.app.controls.picture_card import PictureCard
from jade_coat.app.recent import picture_of, recent
from jade_coat.view.link import SHAPE_LABELS

PICTURES = Path(__file__).parent / "pictures"
DEMO_NAME = "Saltglaze Terrace"
LARGE, SMALL, RECENT = QSize(352, 194), QSize(112, 84), QSize(170, 96)
ACROSS, MOST = 2, 4
"""Recent projects beside one another, and of all."""


class StartPage(QWidget):
    """The demo, the recent projects, a built-in shape, a mesh, a folder of maps."""

    demo_wanted = pyqtSignal()
    project_wanted = pyqtSignal(Path)
    shape_wanted = pyqtSignal(str)

    def __init__(
        self, open_project: Callable[[], object], mesh: Callable[[], object], maps: Callable[[], object]
    ) -> None:
        super().__init__()
        self.setObjectName("stack")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground, True)
        self.shapes = {
            key: PictureCard(text, "", picture(key), SMALL, partial(self.shape_wanted.emit, key))
            for key, text in SHAPE_LABELS.items()
        }
        self.demo = PictureCard(
            DEMO_NAME, "The demo: a hillside pottery, its walls and jars", picture("terrace"), LARGE,
            self.demo_wanted.emit,
        )  # fmt: skip
        self.mesh = button("Your mesh…", mesh, "main", "GLB, glTF, OBJ or PLY (Ctrl+I)")
        self.maps = button("Your maps…", maps, "", "Pictures of one or more surfaces (Ctrl+M)")
        self.open = button("Open a project…", open_project, "", "A folder that was saved before (Ctrl+O)")
        for made in (self.mesh, self.maps, self.open):
            made.setMinimumHeight(32)
        self._recent = QGridLayout()
        self._recent_head = label("RECENT PROJECTS", "head")
        sides = (holder(self._own()), holder(self._there()))
        self.setLayout(column(scrolled(holder(row(1, *sides, 1, margins=(24, 40, 24, 24), gap=56)))))
        self.cards: dict[Path, PictureCard] = {}
        self.refresh()

    def _own(self) -> QVBoxLayout:
        """What people bring, or a shape."""
        shapes = QGridLayout()
        shapes.setSpacing(8)
        shapes.setContentsMargins(0, 0, 0, 0)
        for i, card in enumerate(self.shapes.values()):
            shapes.addWidget(card, i // 3, i % 3)
        left = column(
            label("Begin", "title"), label("With something of your own, or with a shape that is here", "quiet"),
            gap=6,
        )  # fmt: skip
        left.addSpacing(8)
        left.addLayout(row(self.mesh, self.maps, self.open, 1))
        left.addSpacing(10)
        left.addWidget(label("A BUILT-IN SHAPE", "head"))
        left.addLayout(row(holder(shapes), 1))
        left.addSpacing(10)
        left.addWidget(label("Or drop a mesh, a folder of maps or a project onto this window.", "quiet"))
        left.addStretch(1)
        return left

    def _there(self) -> QVBoxLayout:
        """What is there to be opened."""
        self._recent.setSpacing(9)
        right = column(label("Look", "title"), label("Everything at work in one place", "quiet"), gap=6)
        right.addSpacing(8)
        right.addWidget(self.demo)
        right.addSpacing(10)
        right.addWidget(self._recent_head)
        right.addLayout(row(holder(self._recent), 1))
        self._recent.setContentsMargins(0, 0, 0, 0)
        right.addStretch(1)
        return right

    def refresh(self) -> None:
        """Show the projects that were opened lately."""
        clear(self._recent)
        self.cards = {}
        for i, folder in enumerate(recent()[:MOST]):
            changed = datetime.fromtimestamp((folder / "project.json").stat().st_mtime, UTC).astimezone()
            line = f"{changed:%-d %b %Y}, in {folder.parent.name}"
            image = QImage(str(picture_of(folder)))
            card = PictureCard(folder.name, line, image, RECENT, partial(self.project_wanted.emit, folder))
            card.setToolTip(str(folder))
            self.cards[folder] = card
            self._recent.addWidget(card, i // ACROSS, i % ACROSS)
        self._recent_head.setVisible(bool(self.cards))


def picture(name: str) -> QImage:
    """One of the pictures that come with the application."""
    return QImage(str(PICTURES / f"{name}.png"))
