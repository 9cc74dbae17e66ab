"""The brush's panel and the paint on the kiln wall, for tests in the window."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QComboBox, QLabel

from jade_coat.mesh.data import FULL
from tests.app.conftest import Hand
from tests.app.wall import wall_paint

WALL_PROP = "kiln_wall_prop"


def panel_of(hand: Hand):
    return hand.window.bench.brush_panel


def unfold(hand: Hand, name: str) -> None:
    QTest.mouseClick(panel_of(hand).folds[name]._head, Qt.MouseButton.LeftButton)
    QApplication.processEvents()


def values_near(hand: Hand, point: np.ndarray, radius: float = 0.05) -> np.ndarray:
    mesh = hand.session.link.mesh_data("kiln_wall")
    near = np.linalg.norm(mesh.positions + np.array([0, 0, -2.4]) - point, axis=1) < radius
    return wall_paint(hand)[near, 1].astype(float) / FULL


def texts_of(widget) -> str:
    return " | ".join([w.text() for w in widget.findChildren(QLabel)] + [
        w.currentText() for w in widget.findChildren(QComboBox)])  # fmt: skip
