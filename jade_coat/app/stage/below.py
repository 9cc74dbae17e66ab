"""What lies below the view in Stage: the line-up of variants, the stamps, or the word kiln."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QButtonGroup, QStackedWidget, QWidget

from jade_coat.app.controls.basics import button, column, row
from jade_coat.app.stage.kiln import KilnPage
from jade_coat.app.stage.line_up import LineUp
from jade_coat.app.stage.stamp_gallery import StampGallery


class StageBelow(QWidget):
    """Three tabs."""

    def __init__(self, line_up: LineUp, stamps: StampGallery, kiln: KilnPage) -> None:
        super().__init__()
        self.setObjectName("stack")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground, True)
        self.pages = QStackedWidget()
        group = QButtonGroup(self)
        self.tabs = []
        for i, (name, page, tip) in enumerate((
            ("Line-up", line_up, "Which finish each variant puts on each slot"),
            ("Stamps", stamps, "Decals to be laid onto surfaces"),
            ("Word kiln", kiln, "Map sets out of words"),
        )):  # fmt: skip
            self.pages.addWidget(page)
            tab = button(name, partial(self.show_page, i), "pane", tip)
            tab.setCheckable(True)
            tab.setChecked(i == 0)
            group.addButton(tab)
            self.tabs.append(tab)
        self._heads = (line_up.head, stamps.head, kiln.head)
        body = column(gap=0, margins=(4, 3, 8, 0))
        body.addLayout(row(*self.tabs, 1, *self._heads, gap=2))
        body.addWidget(self.pages, 1)
        self.setLayout(body)
        for head in self._heads[1:]:
            head.hide()

    def show_page(self, at: int) -> None:
        """Show the line-up (0), the stamps (1) or the word kiln (2)."""
        self.tabs[at].setChecked(True)
        self.pages.setCurrentIndex(at)
        for i, head in enumerate(self._heads):
            head.setVisible(i == at)
