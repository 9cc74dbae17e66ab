"""Finishes side by side: only the dials in which they differ; one turn changes every ticked finish."""

from __future__ import annotations

from functools import partial

from PyQt6.QtCore import QSize, Qt
from PyQt6.QtWidgets import QCheckBox, QDialog, QGridLayout, QVBoxLayout, QWidget

from jade_coat.app.build.swatches import HEIGHT, WIDTH, Swatches, SwatchPicture
from jade_coat.app.controls.basics import button, clear, holder, label, row, scrolled
from jade_coat.app.controls.basics import column as over
from jade_coat.app.controls.fields import Field
from jade_coat.app.controls.settings import field_for
from jade_coat.app.session import Session
from jade_coat.material.fields import Setting
from jade_coat.material.rows import dial_spec
from jade_coat.stage import edits
from jade_coat.stage.looks import dial_values, material_of

PICTURE = QSize(96, 96 * HEIGHT // WIDTH)


class FinishTable(QDialog):
    """The finishes of the present material, a column each; the dials that differ, a row each."""

    def __init__(self, parent: QWidget, session: Session, swatches: Swatches) -> None:
        super().__init__(parent)
        self._session, self._swatches = session, swatches
        self.pictures: dict[str, SwatchPicture] = {}
        self.setWindowTitle("Finishes side by side")
        self.resize(820, 460)
        self.fields: dict[tuple[str, str], Field] = {}
        self.ticks: dict[str, QCheckBox] = {}
        self._ticked: set[str] = set()
        self._kept: set[str] = set()
        self._all = QCheckBox("also dials that are the same in all")
        self._all.clicked.connect(self._build)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(12)
        self._grid.setVerticalSpacing(6)
        layout = QVBoxLayout(self)
        layout.addWidget(label("Tick finishes to turn a dial in all of them at once.", "quiet"))
        area = scrolled(holder(self._grid))
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAsNeeded)
        layout.addWidget(area)
        layout.addLayout(row(self._all, 1, button("Close", self.accept)))
        self._key: object = None
        session.changed.connect(self.refresh)
        self.refresh()

    def _finishes(self) -> list[tuple[str, str]]:
        session, material = self._session, self._session.material
        if material is None:
            return []
        project = session.project
        return [(f.id, f.name) for f in project.finishes if material_of(project, f.id).id == material.id]

    def _rows(self) -> list[str]:
        material = self._session.material
        if material is None:
            return []
        values = [dial_values(self._session.project, f) for f, _ in self._finishes()]
        differ = {d.id for d in material.dials if len({repr(v[d.id]) for v in values}) > 1}
        self._kept |= differ  # a row that is being turned must not go from under the hand
        return [d.id for d in material.dials if self._all.isChecked() or d.id in self._kept]

    def refresh(self) -> None:
        """Follow the document."""
        material = self._session.material
        key = (material.id if material else "", tuple(self._finishes()), tuple(self._rows()))
        if key != self._key:
            self._key = key
            self._build()
        for (finish, dial), field in self.fields.items():
            field.show_value(dial_values(self._session.project, finish)[dial])
            field.mark(dial in self._session.project.finish(finish).values)

    def _build(self) -> None:
        clear(self._grid)
        self.fields, self.ticks, self.pictures = {}, {}, {}
        material = self._session.material
        finishes, rows = self._finishes(), self._rows()
        if material is None or not finishes:
            self._grid.addWidget(label("This material has no finish yet.", "quiet"), 0, 0)
            return
        for column, (finish, name) in enumerate(finishes, 1):
            tick = QCheckBox(name)
            tick.setChecked(finish in self._ticked)
            tick.clicked.connect(partial(self._tick, finish))
            self.ticks[finish] = tick
            self.pictures[finish] = SwatchPicture(self._swatches, f"finish:{finish}", PICTURE)
            self._grid.addLayout(over(self.pictures[finish], tick), 0, column)
        dials = {d.id: d for d in material.dials}
        for at, dial in enumerate(rows, 1):
            self._grid.addWidget(label(dials[dial].name), at, 0)
            spec = dial_spec(material, dials[dial])
            sets = [(s.id, s.name) for s in self._session.project.map_sets]
            for column, (finish, _) in enumerate(finishes, 1):
                field = field_for(spec, dial_values(self._session.project, finish)[dial], sets)
                field.changed.connect(partial(self._turn, finish, dial))
                field.settled.connect(self._session.document.settle)
                field.setFixedWidth(116)
                self.fields[finish, dial] = field
                self._grid.addWidget(field, at, column)
        if not rows:
            self._grid.addWidget(label("They do not differ in any dial.", "quiet"), 1, 0, 1, 4)
        self._grid.setRowStretch(len(rows) + 2, 1)
        self._grid.setColumnStretch(len(finishes) + 1, 1)

    def _tick(self, finish: str, on: bool) -> None:
        (self._ticked.add if on else self._ticked.discard)(finish)

    def _turn(self, finish: str, dial: str, value: Setting) -> None:
        together = tuple(dict.fromkeys([finish, *(self._ticked if finish in self._ticked else ())]))
        turned = edits.set_dial_of_many(finishes=together, dial=dial, value=value)
        self._session.do(turned, merge=("many", together, dial))
