"""The left panel of Stage: what stands there as a list, how it is placed, and how more of it comes."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QCheckBox, QLineEdit, QMenu, QWidget

from jade_coat.app.build.finish_rail import family_order
from jade_coat.app.build.swatches import Swatches
from jade_coat.app.controls.basics import button, choice, column, holder, label, row
from jade_coat.app.session import Session
from jade_coat.app.stage.array_fold import ArrayFold
from jade_coat.app.stage.hand import ANGLES, STEPS, StageHand
from jade_coat.app.stage.thing_list import ThingList

FREE = "0"


class StagePanel(QWidget):
    """The list of things with its filter, the hand's settings, and arrays. `deeds` are what its menu offers."""

    def __init__(
        self, session: Session, swatches: Swatches, hand: StageHand, deeds: list[tuple[str, Callable[[], object]]]
    ) -> None:
        super().__init__()
        self._session, self._hand, self._deeds = session, hand, deeds
        self.list = ThingList(session, swatches)
        self.list.menu_wanted.connect(self.open_menu)
        self.filter = QLineEdit()
        self.filter.setPlaceholderText("Filter by name, model or finish")
        self.filter.setAccessibleName("Filter things")
        self.filter.setClearButtonEnabled(True)
        self.filter.textChanged.connect(lambda _: self._sift())
        self._count = label("", "quiet")
        self._only_box = row(gap=4)
        self.only = ""
        self._finishes: object = None
        self.place = button("Place…", None, "", "Place a model of the project, a built-in shape or a file")
        self.array = ArrayFold(session)
        top = column(gap=6, margins=(12, 10, 10, 6))
        top.addLayout(row(label("ON THE STAGE", "head"), self._count, 1, self.place))
        top.addWidget(self.filter)
        top.addWidget(holder(self._only_box))
        body = column(gap=0)
        body.addLayout(top)
        body.addWidget(self.list, 1)
        body.addWidget(self._make_foot())
        self.setLayout(body)
        session.changed.connect(self.refresh)
        session.selection_changed.connect(self.refresh)
        self.refresh()

    def _make_foot(self) -> QWidget:
        hand = self._hand
        self.step = choice(
            [(FREE, "free"), *((f"{s:g}", f"{s:g} m") for s in STEPS)], FREE if not hand.snaps else f"{hand.step:g}",
            self._set_step, "What moves land on; Ctrl while dragging is the other way",
        )  # fmt: skip
        self.step.setAccessibleName("Step of moves")
        self.angle = choice([(f"{a:g}", f"{a:g}°") for a in ANGLES], f"{hand.angle:g}",
                            lambda a: hand.set(angle=float(a)), "What turns land on")  # fmt: skip
        self.angle.setAccessibleName("Step of turns")
        self.step.setFixedWidth(84)
        self.angle.setFixedWidth(68)
        self.leans = QCheckBox("lean with the ground")
        self.leans.setToolTip("What is dropped or laid on something stands along its slope")
        self.leans.setChecked(hand.leans)
        self.leans.toggled.connect(lambda on: hand.set(leans=bool(on)))
        foot = column(gap=4, margins=(12, 6, 10, 8))
        foot.addLayout(row(label("Lands on"), 1, self.step, self.angle, gap=4))
        foot.addWidget(self.leans)
        foot.addWidget(self.array)
        return holder(foot)

    def _set_step(self, step: str) -> None:
        if step == FREE:
            self._hand.set(snaps=False)
        else:
            self._hand.set(snaps=True, step=float(step))

    def _sift(self) -> None:
        self.list.rows.sift(self.filter.text(), self.only)
        self._say_count()

    def refresh(self) -> None:
        """Follow the project."""
        finishes = tuple(family_order(self._session.project))
        if finishes != self._finishes:
            self._finishes = finishes
            while self._only_box.count():
                item = self._only_box.takeAt(0)
                widget = item.widget() if item is not None else None
                if widget is not None:
                    widget.deleteLater()
            if all(i != self.only for i, _, _ in finishes):
                self.only = ""
            options = [("", "whatever they wear"), *((i, "  " * d + f"wearing {n}") for i, n, d in finishes)]
            self.wearing = choice(options, self.only, self._set_only, "List only props that wear this finish")
            self.wearing.setAccessibleName("List only what wears")
            self._only_box.addWidget(self.wearing)
        self._say_count()

    def _set_only(self, finish: str) -> None:
        self.only = finish
        self._sift()

    def _say_count(self) -> None:
        listed, chosen = self.list.rows.rowCount(), len(self._session.chosen)
        self._count.setText(f"{listed:,} · {chosen:,} chosen" if chosen else f"{listed:,}")

    def open_menu(self, at: QPoint) -> None:
        """What can be done with what is chosen."""
        self.menu = QMenu(self)
        for text, do in self._deeds:
            if text == "-":
                self.menu.addSeparator()
                continue
            action = self.menu.addAction(text)
            if action is not None:
                action.triggered.connect(lambda _=False, do=do: do())
        self.menu.popup(at)
