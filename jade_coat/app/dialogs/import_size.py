"""Asks in which unit a mesh was made, and shows how large it would then be beside a person."""

from __future__ import annotations

import cv2
import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QDialog, QVBoxLayout, QWidget

from jade_coat.app import theme
from jade_coat.app.controls.basics import button, choice, label, row
from jade_coat.mesh.data import MeshData
from jade_coat.mesh.units import UNITS, likely_unit

PERSON = 1.75
"""Metres of the person beside it."""


class SizePicture(QWidget):
    """The outline of a mesh from the front, and a person, on one ground and at one scale."""

    def __init__(self, mesh: MeshData) -> None:
        super().__init__()
        self.setFixedHeight(190)
        low, high = mesh.bounds
        self._size = (high - low).astype(float)
        flat = np.ascontiguousarray((mesh.positions - low)[:, :2], np.float32)
        self._outline = cv2.convexHull(flat).reshape(-1, 2).astype(float)
        self.factor = 1.0

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), theme.color("well"))
        wide, high = self._size[0] * self.factor, self._size[1] * self.factor
        gap = 0.25 * max(wide, PERSON)
        scale = min((self.width() - 32) / (wide + gap + PERSON * 0.3), (self.height() - 28) / max(high, PERSON))
        ground = self.height() - 12.0
        left = (self.width() - (wide + gap + PERSON * 0.3) * scale) / 2
        painter.setPen(QPen(theme.color("line"), 1))
        painter.drawLine(QPointF(8, ground), QPointF(self.width() - 8, ground))
        painter.setPen(QPen(theme.color("celadon"), 1.4))
        painter.setBrush(theme.color("celadon", 70))
        k = self.factor * scale
        painter.drawPolygon(QPolygonF([QPointF(left + x * k, ground - y * k) for x, y in self._outline]))
        self._person(painter, left + (wide + gap) * scale, ground, scale)

    def _person(self, painter: QPainter, left: float, ground: float, scale: float) -> None:
        tall, broad = PERSON * scale, max(PERSON * scale * 0.22, 1.5)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("persimmon"))
        head = tall * 0.13
        painter.drawEllipse(QRectF(left + (broad - head) / 2, ground - tall, head, head))
        painter.drawRoundedRect(QRectF(left, ground - tall * 0.84, broad, tall * 0.84), broad / 2, broad / 2)


class ImportSize(QDialog):
    """The unit of a mesh whose size in metres is unlikely."""

    def __init__(self, parent: QWidget, mesh: MeshData, name: str) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"How large is {name}?")
        self.setFixedWidth(420)
        self._extents = [float(v) for v in mesh.bounds[1] - mesh.bounds[0]]
        self.picture = SizePicture(mesh)
        self.size_text = label("", "name")
        guess = likely_unit(mesh)
        self.unit = choice([(key, text) for key, (text, _) in UNITS.items()], guess, self._show)
        self.unit.setMinimumWidth(150)
        layout = QVBoxLayout(self)
        layout.setSpacing(10)
        told = f"Taken as metres it would be {metres_text(self._extents, 1.0)}. Which unit was it made in?"
        layout.addWidget(label(told, "quiet", wrap=True))
        layout.addWidget(self.picture)
        layout.addLayout(row(self.size_text, 1, self.unit))
        layout.addLayout(row(1, button("Cancel", self.reject), button("Bring it in", self.accept, "main")))
        self._show(guess)

    @property
    def factor(self) -> float:
        """Metres of the chosen unit."""
        return UNITS[self.unit.currentData()][1]

    def _show(self, unit: str) -> None:
        self.picture.factor = UNITS[unit][1]
        self.picture.update()
        self.size_text.setText(metres_text(self._extents, UNITS[unit][1]))


def metres_text(extents: list[float], factor: float) -> str:
    """Width, height and depth in metres or millimetres."""
    sizes = [e * factor for e in extents]
    unit, by = ("m", 1.0) if max(sizes) >= 0.1 else ("mm", 1000.0)
    return f"{' × '.join(f'{s * by:.3g}' for s in sizes)} {unit}"
