"""Little pictures of brushes, their falloffs, tips and kinds of fill."""

from __future__ import annotations

from functools import lru_cache

import numpy as np
from PyQt6.QtCore import QPointF, QSize, Qt
from PyQt6.QtGui import QIcon, QPainter, QPen, QPixmap, QPolygonF

from jade_coat.app import theme
from jade_coat.app.controls.images import ICON, toned
from jade_coat.mesh import shapes
from jade_coat.mesh.brush import Brush, falloff
from jade_coat.mesh.data import MeshData
from jade_coat.mesh.filling import shares
from jade_coat.mesh.measures import OWN, Around
from jade_coat.mesh.places import Places
from jade_coat.mesh.stroke_picture import stroke_picture
from jade_coat.program.types import Array
from jade_coat.stage.paint_rules import PaintRule


def of_brush(brush: Brush, size: QSize) -> QPixmap:
    """One stroke of a brush."""
    return toned(stroke_picture(brush, size.width(), size.height()))


def of_falloff(kind: str, curve: tuple[tuple[float, float], ...]) -> QIcon:
    """The weight across a dab."""
    width, height = ICON.width(), ICON.height()
    made = QPixmap(ICON)
    made.fill(Qt.GlobalColor.transparent)
    at = np.linspace(-1.05, 1.05, 64)
    high = falloff(kind, np.abs(at), curve)  # type: ignore[arg-type]
    line = QPolygonF([QPointF(2 + (x + 1.05) / 2.1 * (width - 4), height - 3 - y * (height - 6))
                      for x, y in zip(at.tolist(), high.tolist(), strict=True)])  # fmt: skip
    painter = QPainter(made)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(theme.color("celadon"), 1.6))
    painter.drawPolyline(line)
    painter.end()
    return QIcon(made)


def of_fill(rule: PaintRule) -> QIcon:
    """What a fill does to a ball, seen from in front."""
    return QIcon(toned(_filled_ball(rule)))


@lru_cache(maxsize=128)
def _filled_ball(rule: PaintRule) -> Array:
    """A ball, each pixel a place on it, filled by a rule; `(h, w)`."""
    width, height = ICON.width(), ICON.height()
    ball = _ball()
    y, x = np.mgrid[height / 2 - 0.5 : -height / 2 : -1, -width / 2 + 0.5 : width / 2 : 1] / (height / 2 - 1) * 0.5
    inside = x * x + y * y < 0.25
    made = np.zeros((height, width))
    if rule.measure in OWN or rule.measure in ("channel", "map", "mesh", "occlusion", "cavity", "part"):
        return _drawn(rule.measure, x * 2, y * 2)
    z = np.sqrt(np.maximum(0.25 - x * x - y * y, 0))
    at = np.stack([x, y, z], axis=-1)[inside].astype(np.float32)
    mesh = ball.with_(**_as_vertices(ball, at))
    found = shares(rule, Places(mesh, slice(0, len(at))), np.eye(4), None, Around())
    made[inside] = 0.12 + 0.88 * np.broadcast_to(found, len(at))
    return made


@lru_cache(maxsize=1)
def _ball() -> MeshData:
    return shapes.ball(0.5, 24)


def _as_vertices(ball: object, at: Array) -> dict[str, object]:
    """The fields of a mesh whose vertices are these places of a ball round the origin."""
    normals = at / np.linalg.norm(at, axis=1, keepdims=True)
    count = len(at)
    return {
        "positions": at, "normals": normals.astype(np.float32), "tangents": np.zeros((count, 4), np.float32),
        "uvs": (np.zeros((count, 2), np.float32),), "colors": (), "triangles": np.zeros((1, 3), np.uint32),
    }  # fmt: skip


def _drawn(measure: str, x: Array, y: Array) -> Array:
    """A sign for what cannot be shown on a ball: what lies around, other values, files."""
    away = np.hypot(x, y)
    ramp = np.clip((x + 1.2) / 2.4, 0, 1)
    if measure == "levels":
        return np.clip((ramp - 0.3) / 0.4, 0, 1)
    if measure == "clamp":
        return np.clip(ramp, 0.3, 0.7)
    if measure == "blur":
        return 1 / (1 + np.exp(-x * 4))
    if measure == "channel":
        return np.where(y > 0, ramp, 1 - ramp)
    if measure == "map":
        return ((np.floor(x * 2.5) + np.floor(y * 2.5)) % 2) * 0.8
    if measure == "part":
        return np.select([x < -0.45, x < 0.45], [0.85, 0.25], 0.55) * (np.abs((x + 1.35) % 0.9 - 0.45) < 0.38)
    if measure == "mesh":
        return np.clip(1 - np.abs(away - 0.5) * 3, 0, 1) * (away > 0.5) + 0.12 * (away <= 0.5)
    corner = np.maximum(np.abs(x), np.abs(y))
    if measure == "occlusion":
        return np.clip((-y - 0.1) * 1.2, 0, 1) * (corner < 0.9)
    return np.where(corner < 0.85, np.clip((corner - 0.55) * 4, 0.1, 1), 0)
