"""The brush's ring on the surface, and dots where its next dab would change something."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QPainter, QPen, QPolygonF

from jade_coat.app import theme
from jade_coat.app.view.view import View
from jade_coat.looking.stage_rays import PropHit
from jade_coat.mesh.brush import Brush
from jade_coat.mesh.canvas import Canvas, MapCanvas, axes
from jade_coat.mesh.painting import TILE
from jade_coat.mesh.picking import target
from jade_coat.mesh.stroke import Stroke
from jade_coat.program.types import Array
from jade_coat.view.camera import project

RING_POINTS = 64
MAX_DOTS = 900


def on_view(view: View, points: Array) -> list[QPointF]:
    """World points as places of the view."""
    return [QPointF(x * view.width(), y * view.height()) for x, y in project(view.main_eye(), points)]


def paint_ring(painter: QPainter, view: View, hit: PropHit, brush: Brush) -> None:
    """Draw the brush's edge on the surface, and a finer ring where a dab does half."""
    tone = theme.color("persimmon" if brush.second else "celadon")
    half = float(np.searchsorted(-brush.table, -0.5)) / len(brush.table)
    for share, width in ((1.0, 2.0), (min(max(half, 0.05), 0.97), 1.0)):
        line = QPolygonF(on_view(view, ring(hit, brush.radius * share)))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(theme.color("chrome", 160), width + 1.5))
        painter.drawPolygon(line)
        painter.setPen(QPen(tone, width))
        painter.drawPolygon(line)


def paint_dab(
    painter: QPainter, view: View, hit: PropHit, stroke: Stroke, canvas: Canvas, brush: Brush, metres_a_pixel: float
) -> None:
    """Draw dots where a dab would change something, the stronger the more."""
    point, normal = hit.local
    patches = stroke.dab(point, normal, brush, hit.hit.triangle, lay=False)
    if not patches:
        return
    amount = np.concatenate([stroke.changes(p, brush) for p in patches])
    if isinstance(canvas, MapCanvas):
        plane = np.concatenate([p.plane for p in patches])
        places = point + plane @ np.stack(axes(normal)) * (brush.radius / hit.prop.scale)
    else:
        rows = np.concatenate([p.tile * TILE + p.rows for p in patches])
        places = hit.vertices[rows]
    step = -(-len(places) // MAX_DOTS)
    matrix = hit.prop.matrix()
    dots = on_view(view, places[::step] @ matrix[:3, :3].T + matrix[:3, 3])
    size = min(max(2.2 * brush.radius / metres_a_pixel / math.sqrt(max(len(dots), 1)), 1.5), 6.0)
    tone = "persimmon" if brush.second else "celadon"
    painter.setPen(Qt.PenStyle.NoPen)
    for dot, share in zip(dots, amount[::step], strict=True):
        painter.setBrush(theme.color(tone, round(20 + 190 * min(float(share), 1.0)) if share > 0.004 else 0))
        painter.drawEllipse(dot, size / 2, size / 2)


def ring(hit: PropHit, radius: float) -> Array:
    """Points of a circle around a hit, laid onto the prop's surface where it is near, `(RING_POINTS, 3)`, world."""
    matrix = hit.prop.matrix()
    point, normal = hit.local
    reach = radius / hit.prop.scale
    angle = np.linspace(0, 2 * np.pi, RING_POINTS, endpoint=False)[:, None]
    across, up = axes(normal)
    flat = point + reach * (np.cos(angle) * across + np.sin(angle) * up)
    start = flat + normal * reach
    owner, weights = target(hit.mesh).hits(start, np.repeat(-normal[None], RING_POINTS, axis=0))
    corners = hit.mesh.positions[hit.mesh.triangles[np.maximum(owner, 0)]].astype(np.float64)
    v, w = weights[:, :1], weights[:, 1:]
    if hit.placed is not None:
        return _on_placed(hit, owner, weights, reach)
    found = corners[:, 0] + (corners[:, 1] - corners[:, 0]) * v + (corners[:, 2] - corners[:, 0]) * w
    near = (owner >= 0) & (np.linalg.norm(found - point, axis=1) < 2 * reach)
    laid = np.where(near[:, None], found + normal * reach * 0.02, flat)
    return np.asarray(laid @ matrix[:3, :3].T + matrix[:3, 3])


def _on_placed(hit: PropHit, owner: Array, weights: Array, reach: float) -> Array:
    """The ring on a mesh that its materials move; where it leaves the surface, it stays at the hit's height."""
    assert hit.placed is not None
    mesh, matrix = hit.placed.mesh, hit.prop.matrix()
    corners = mesh.positions[mesh.triangles[np.maximum(owner, 0)]].astype(np.float64)
    v, w = weights[:, :1], weights[:, 1:]
    found = corners[:, 0] + (corners[:, 1] - corners[:, 0]) * v + (corners[:, 2] - corners[:, 0]) * w
    inverse = np.linalg.inv(matrix)
    middle = inverse[:3, :3] @ hit.hit.point + inverse[:3, 3]
    away = (owner < 0) | (np.linalg.norm(found - middle, axis=1) > 3 * reach)
    found[away] = middle
    return np.asarray(found @ matrix[:3, :3].T + matrix[:3, 3])
