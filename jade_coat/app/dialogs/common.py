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

from jade_coat.app.build.seam_pictures import of_seam
from jade_coat.app.controls.basics import button, choice, counted, label, row
from jade_coat.app.controls.images import with_pictures
from jade_coat.app.session import Session
from jade_coat.app.thing_pictures import pictured
from jade_coat.jobs.job import Cancelled, Job
from jade_coat.material.fields import Spec

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
        session.work(lambda: task(self.job), finished, broke, self.job)

    def keyPressEvent(self, event: Any) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.job.cancel()


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
        self.base = pictured(choice(sets, first, lambda _: None), session, "map_sets")
        tops = [("none", "No second coat"), *sets]
        self.top = pictured(choice(tops, second or "none", lambda _: None), session, "map_sets")
        self.channel = choice([(c, f"Paint channel {c}") for c in "RGBA"], "R", lambda _: None)
        seams = [(k, k.capitalize()) for k in ("interlock", "soft", "cut", "ramp")]
        self.seam = with_pictures(choice(seams, "interlock", lambda _: None), of_seam)
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
    """Asks which props are written, and how large baked maps should be."""

    def __init__(self, parent: QWidget, count: int, chosen: str = "") -> None:
        """`chosen` says in words what is chosen, if anything is."""
        super().__init__(parent)
        self.setWindowTitle("Export GLB")
        self.setFixedWidth(380)
        sizes = [(str(s), f"{s} × {s} texels") for s in (256, 512, 1024, 2048, 4096)]
        self.side_choice = choice(sizes, "1024", lambda _: None)
        self.side_choice.setMinimumWidth(170)
        props = counted(count, "prop")
        text = (
            f"The coats of {props} are baked, per slot, to base colour, metallic-roughness, normal and occlusion maps. "
            "Vertex paint is kept as a second colour set."
        )
        layout = QVBoxLayout(self)
        layout.setSpacing(12)
        layout.addWidget(label(text, "quiet", wrap=True))
        which = [("", f"All {count} props" if count > 1 else "The prop")]
        which += [("chosen", chosen)] if chosen and count > 1 else []
        self.which = choice(which, "", lambda _: None, "What is written")
        self.which.setMinimumWidth(170)
        layout.addLayout(row(label("Props"), 1, self.which))
        layout.addLayout(row(label("Map size"), 1, self.side_choice))
        self.variants = QCheckBox("All variants of the models")
        self.variants.setToolTip("As KHR_materials_variants; each look of each variant is baked")
        layout.addWidget(self.variants)
        layout.addLayout(row(1, button("Cancel", self.reject), button("Choose a file…", self.accept, "main")))

    @property
    def alone(self) -> bool:
        """Whether the chosen prop alone is written."""
        return bool(self.which.currentData() == "chosen")

    @property
    def side(self) -> int:
        """The chosen size in texels."""
        return int(self.side_choice.currentData())
