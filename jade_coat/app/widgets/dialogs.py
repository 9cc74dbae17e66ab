"""Dialogs: progress with cancel, maps under review, a new material, and export sizes."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QDialog,
    QGridLayout,
    QLineEdit,
    QProgressBar,
    QVBoxLayout,
    QWidget,
)

from jade_coat.app.session import Session
from jade_coat.app.widgets.basics import button, choice, holder, label, row, scrolled
from jade_coat.app.widgets.fields import NumberField
from jade_coat.bake.job import Cancelled, Job
from jade_coat.maps.mapset import MapFile, MapSet
from jade_coat.material.fields import Spec
from jade_coat.material.surface import Role

TILE = Spec("Tile size", unit="m", low=0.001, high=1000.0, soft=(0.05, 8.0), logarithmic=True,
            hint="Metres that one tile of these maps spans in reality")  # fmt: skip


class ProgressDialog(QDialog):
    """Runs a job in the background and shows how far it is; Cancel stops it."""

    reported = pyqtSignal(float, str)

    def __init__(self, parent: QWidget, title: str) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.setModal(True)
        self.setFixedWidth(380)
        self.job = Job(self.reported.emit)
        self._text = label("Starting…")
        self._left = label("", "quiet")
        self._bar = QProgressBar()
        self._bar.setRange(0, 1000)
        self._bar.setTextVisible(False)
        layout = QVBoxLayout(self)
        layout.setSpacing(10)
        layout.addWidget(self._text)
        layout.addWidget(self._bar)
        layout.addLayout(row(self._left, 1, button("Cancel", self.job.cancel)))
        self.reported.connect(self._on_report)

    def _on_report(self, share: float, what: str) -> None:
        self._bar.setValue(round(share * 1000))
        self._text.setText(what)
        left = self.job.seconds_left(share)
        self._left.setText(f"about {max(round(left), 1)} s left" if left is not None else "")

    def run(
        self, session: Session, task: Callable[[Job], Any], done: Callable[[Any], None],
        failed: Callable[[Exception], None],
    ) -> None:  # fmt: skip
        """Start; `done` gets the result, `failed` any error but a cancel."""

        def finished(result: Any) -> None:
            self.accept()
            done(result)

        def broke(error: Exception) -> None:
            self.reject()
            if not isinstance(error, Cancelled):
                failed(error)

        self.show()
        session.work(lambda: task(self.job), finished, broke)

    def keyPressEvent(self, event: Any) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.job.cancel()


class MapRow:
    """One file's line in the review: what it is, which channels, and how it is encoded."""

    def __init__(self, entry: MapFile, grid: QGridLayout, at: int, on_change: Callable[[], None]) -> None:
        self._entry = entry
        roles = [("", "leave out"), *((r.value, r.label) for r in Role)]
        self.role = choice(roles, entry.role.value, lambda r: self._role_changed(r, on_change), "What the map says")
        channels = [("rgb", "RGB"), ("r", "R"), ("g", "G"), ("b", "B"), ("a", "A")]
        self.channels = choice(channels, entry.channels, lambda _: on_change(), "The channels that hold it")
        spaces = [("srgb", "Colour (sRGB)"), ("linear", "Data (linear)")]
        self.space = choice(spaces, entry.color_space, lambda _: on_change(), "How the numbers are encoded")
        self.flip = QCheckBox("green down")
        self.flip.setToolTip("For normal maps whose green points down")
        self.flip.setChecked(entry.flip_green)
        self.invert = QCheckBox("invert")
        self.invert.setToolTip("For gloss maps read as roughness")
        self.invert.setChecked(entry.invert)
        name = label(entry.file, tip=entry.file)
        name.setMaximumWidth(260)
        for column, widget in enumerate((name, self.role, self.channels, self.space, self.flip, self.invert)):
            grid.addWidget(widget, at, column)

    def _role_changed(self, role: str, on_change: Callable[[], None]) -> None:
        if role:  # the colour space and channels follow from the role
            linear = self._entry.file.lower().endswith(".exr") or not Role(role).is_color
            self.space.setCurrentIndex(int(linear))
            wide = Role(role).is_color or Role(role) is Role.NORMAL
            if wide != (self.channels.currentData() == "rgb"):
                self.channels.setCurrentIndex(0 if wide else 1)
        on_change()

    def entry(self) -> MapFile | None:
        """What the line says now; None when the map is left out."""
        role = self.role.currentData()
        if not role:
            return None
        changed: MapFile = self._entry.with_(
            role=Role(role), channels=self.channels.currentData(), color_space=self.space.currentData(),
            flip_green=self.flip.isChecked(), invert=self.invert.isChecked(),
        )  # fmt: skip
        return changed


class MapReview(QDialog):
    """Shows what each file of a map set was taken for, to be corrected before it is used."""

    def __init__(self, parent: QWidget, map_set: MapSet, unknown: list[MapFile]) -> None:
        super().__init__(parent)
        self.setWindowTitle("Maps of a surface")
        self.resize(860, 380)
        self._set = map_set
        self.name = QLineEdit(map_set.name)
        self.tile = NumberField(TILE, map_set.tile_size)
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(6)
        for column, head in enumerate(("File", "Role", "Channels", "Encoding", "", "")):
            grid.addWidget(label(head, "head"), 0, column)
        self.rows = [MapRow(m, grid, i, self._check) for i, m in enumerate(map_set.maps, 1)]
        for m in unknown:
            made = MapRow(m, grid, len(self.rows) + 1, self._check)
            made.role.setCurrentIndex(0)
            self.rows.append(made)
        grid.setRowStretch(len(self.rows) + 1, 1)
        self._problem = label("", "warn", wrap=True)
        self._use = button("Use these maps", self.accept, "main")
        layout = QVBoxLayout(self)
        layout.setSpacing(10)
        layout.addLayout(row(label("Name"), self.name, label("One tile spans"), self.tile, 1))
        layout.addWidget(scrolled(holder(grid)))
        layout.addWidget(self._problem)
        layout.addLayout(row(1, button("Cancel", self.reject), self._use))
        self._check()

    def map_set(self) -> MapSet:
        """The set as corrected."""
        entries = [e for e in (r.entry() for r in self.rows) if e is not None]
        made: MapSet = self._set.with_(
            name=self.name.text().strip() or self._set.name, tile_size=self.tile.value, maps=tuple(entries)
        )
        return made

    def _check(self) -> None:
        roles = [e.role.label for e in (r.entry() for r in self.rows) if e is not None]
        doubled = sorted({r for r in roles if roles.count(r) > 1})
        text = f"{', '.join(doubled)}: chosen more than once. Leave one out." if doubled else ""
        if not roles:
            text = "Every map is left out. Give at least one a role."
        self._problem.setText(text)
        self._use.setEnabled(not text)


class NewMaterial(QDialog):
    """Makes a material of one or two coats out of map sets."""

    def __init__(self, parent: QWidget, session: Session, suggested: tuple[str, ...] = ()) -> None:
        super().__init__(parent)
        self.setWindowTitle("New material")
        self.setFixedWidth(420)
        sets = [("", "Plain values"), *((s.id, s.name) for s in session.project.map_sets)]
        first = suggested[0] if suggested else ""
        second = suggested[1] if len(suggested) > 1 else ""
        self.name = QLineEdit("New material")
        self.base = choice(sets, first, lambda _: None)
        self.top = choice([("none", "No second coat"), *sets], second or "none", lambda _: None)
        self.channel = choice([(c, f"Paint channel {c}") for c in "RGBA"], "R", lambda _: None)
        seams = [(k, k.capitalize()) for k in ("interlock", "soft", "cut", "ramp")]
        self.seam = choice(seams, "interlock", lambda _: None)
        self.put_on = QCheckBox()
        prop = session.prop
        self.put_on.setText(f"Put it on {prop.name}" if prop else "Put it on the chosen prop")
        self.put_on.setChecked(prop is not None)
        self.put_on.setEnabled(prop is not None)
        grid = QGridLayout()
        grid.setVerticalSpacing(8)
        lines = (("Name", self.name), ("Base coat", self.base), ("Coat on top", self.top),
                 ("It shows by", self.channel), ("Its seam", self.seam))  # fmt: skip
        for at, (text, widget) in enumerate(lines):
            grid.addWidget(label(text), at, 0)
            grid.addWidget(widget, at, 1)
        layout = QVBoxLayout(self)
        layout.setSpacing(12)
        layout.addLayout(grid)
        layout.addWidget(self.put_on)
        layout.addLayout(row(1, button("Cancel", self.reject), button("Make material", self.accept, "main")))


class ExportSize(QDialog):
    """Asks how large baked maps should be."""

    def __init__(self, parent: QWidget, count: int) -> None:
        super().__init__(parent)
        self.setWindowTitle("Export GLB")
        self.setFixedWidth(380)
        sizes = [(str(s), f"{s} × {s} texels") for s in (256, 512, 1024, 2048, 4096)]
        self.side_choice = choice(sizes, "1024", lambda _: None)
        props = f"{count} prop{'s' if count != 1 else ''}"
        text = (
            f"The coats of {props} are baked, per slot, to base colour, metallic-roughness, normal and occlusion maps. "
            "Vertex paint is kept as a second colour set."
        )
        layout = QVBoxLayout(self)
        layout.setSpacing(12)
        layout.addWidget(label(text, "quiet", wrap=True))
        layout.addLayout(row(label("Map size"), 1, self.side_choice))
        layout.addLayout(row(1, button("Cancel", self.reject), button("Choose a file…", self.accept, "main")))

    @property
    def side(self) -> int:
        """The chosen size in texels."""
        return int(self.side_choice.currentData())
