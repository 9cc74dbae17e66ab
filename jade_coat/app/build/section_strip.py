"""The section: the coats' real heights along the line, each in its own colours where it wins."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF, QShowEvent
from PyQt6.QtWidgets import QWidget

from jade_coat.app import theme
from jade_coat.app.build.section_line import SectionLine
from jade_coat.app.session import Session
from jade_coat.jobs.words import told
from jade_coat.looking.section import Cut, cut
from jade_coat.maps.color import to_srgb
from jade_coat.material.coverage import coat_color
from jade_coat.program.types import Array
from jade_coat.stage.looks import finish_on

AXIS = 20
SKIN = 4
"""Pixels of the topmost skin, in the colour of the coat that is seen."""
WAIT_MS = 25


class SectionStrip(QWidget):
    """Shows the cut along the view's line, follows every change, and picks coats."""

    coat_picked = pyqtSignal(str)

    def __init__(self, session: Session, line: SectionLine) -> None:
        super().__init__()
        self._session, self._line = session, line
        self._cut: Cut | None = None
        self._picture: QImage | None = None
        self._drawn_for: object = None
        """The size and the theme that the picture was drawn for."""
        self._strata: Array | None = None
        self._hover: QPointF | None = None
        self._working = False
        self._again = False
        self._problem = ""
        self.setMouseTracking(True)
        self.setMinimumSize(160, 90)
        self.setAccessibleName("Section")
        self._wait = QTimer(self)
        self._wait.setSingleShot(True)
        self._wait.setInterval(WAIT_MS)
        self._wait.timeout.connect(self._work)
        session.changed.connect(self._soon)
        session.selection_changed.connect(self._soon)
        session.scene_changed.connect(self._soon)
        line.changed.connect(self._soon)
        line.view.painted_over.connect(self._soon)

    def showEvent(self, event: QShowEvent | None) -> None:
        self._soon()  # nothing is cut while it is folded

    @property
    def cut(self) -> Cut | None:
        """What is shown."""
        return self._cut

    @property
    def waiting(self) -> bool:
        """Whether a newer cut is on its way."""
        return self._working or self._wait.isActive()

    def _soon(self) -> None:
        if not self._wait.isActive():
            self._wait.start()

    def _work(self) -> None:
        session, prop, line = self._session, self._session.shown_prop, self._line.line
        if self._working:
            self._again = True
            return
        finish = session.finish_id
        if not self.isVisible():
            return  # it comes again when it is shown
        if prop is None or line is None or session.material is None:
            self._show(None)
            return
        if session.link.unsent_sets(session.project):
            return  # it comes again when the maps are there
        worn = finish_on(session.project, prop, session.slot)
        if session.material_of(worn) is not session.material:
            self._show(None)
            return
        self._working = True
        project, library, slot = session.shown_project, session.library, session.slot
        paint_at, time = self._line.view.live_paint(prop.id), session.time

        def done(found: Cut) -> None:
            self._problem = ""
            self._finished(found)

        def failed(error: Exception) -> None:
            self._problem = told(error)
            self._finished(None)

        session.work(lambda: cut(project, library, prop, slot, finish, line, paint_at, time), done, failed)

    def _finished(self, found: Cut | None) -> None:
        self._working = False
        self._show(found)
        if self._again:
            self._again = False
            self._wait.start()

    def _show(self, found: Cut | None) -> None:
        self._cut, self._picture = found, None
        self.update()

    # Drawing

    def _box(self) -> QRectF:
        return QRectF(12, 8, self.width() - 24, self.height() - 8 - AXIS)

    def _draw(self, found: Cut) -> None:
        """Fill every column from below: the lowest coat up to its height, and those on it as far as they rise."""
        box = self._box()
        width, height = max(round(box.width()), 1), max(round(box.height()), 1)
        at = np.linspace(0, found.metres[-1], width)

        def along(values: Array) -> Array:
            return np.interp(at, found.metres, values)

        levels = np.stack([along(c.level) for c in found.coats])
        tops = np.maximum.accumulate(levels, axis=0)
        surface = levels[-1]
        nearest = np.clip(np.searchsorted(found.metres, at), 0, len(found.metres) - 1)
        winner = found.winner[nearest]
        level = (height - 0.5 - np.arange(height))[:, None] / height * 1.04
        stratum = (level[None] > tops[:, None, :]).sum(axis=0)
        air = level > surface[None]
        stratum = np.minimum(stratum, len(found.coats) - 1)
        skin = ~air & (level > surface[None] - SKIN / height)
        stratum = np.where(skin, winner[None], stratum)
        colors = np.stack([np.stack([along(c.color[:, k]) for k in range(3)], axis=1) for c in found.coats])
        picture = to_srgb(colors[stratum, np.arange(width)[None]])
        depth = np.clip(surface[None] - level, 0, 1)
        picture = picture * np.where(skin, 1.12, 0.86 - 0.35 * depth)[..., None]
        back = theme.color("chrome")
        picture = np.where(air[..., None], np.array([back.redF(), back.greenF(), back.blueF()]), np.clip(picture, 0, 1))
        pixels = np.full((height, width, 4), 255, np.uint8)
        pixels[..., :3] = np.round(picture * 255)
        self._strata = np.where(air, -1, stratum)
        self._picture = QImage(pixels.tobytes(), width, height, width * 4, QImage.Format.Format_RGBA8888).copy()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), theme.color("chrome"))
        if self._cut is None:
            painter.setPen(theme.color("persimmon" if self._problem else "quiet"))
            painter.setFont(theme.font(13))
            flags = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            painter.drawText(self.rect().adjusted(16, 8, -16, -8), int(flags), self._problem or self._advice())
            return
        drawn_for = (self.size(), theme.current().name)
        if self._picture is None or self._drawn_for != drawn_for:
            self._drawn_for = drawn_for
            self._draw(self._cut)
        assert self._picture is not None
        box = self._box()
        painter.drawImage(box.topLeft(), self._picture)
        self._paint_curves(painter, self._cut, box)
        self._paint_axis(painter, self._cut, box)
        if self._hover is not None:
            self._paint_reading(painter, self._cut, box)

    def _advice(self) -> str:
        if self._session.prop is None:
            return "The section of the chosen prop's coats shows here."
        if self._line.line is None:
            return "Press “Draw the line” and drag across the chosen prop."
        return "Choose a finish that the chosen prop wears."

    def _curve(self, values: Array, found: Cut, box: QRectF, low: float = 0.0, high: float = 1.04) -> QPolygonF:
        x = box.left() + found.metres / max(found.metres[-1], 1e-9) * box.width()
        y = box.bottom() - (values - low) / (high - low) * box.height()
        return QPolygonF([QPointF(float(a), float(b)) for a, b in zip(x, y, strict=True)])

    def _paint_curves(self, painter: QPainter, found: Cut, box: QRectF) -> None:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        material = self._session.material
        order = [c.id for c in material.coats] if material else []
        for one in found.coats[1:]:
            number = order.index(one.coat) if one.coat in order else 0
            tone = QColor.fromRgbF(*coat_color(number))
            tone.setAlpha(170)
            painter.setPen(QPen(tone, 1.0))
            painter.drawPolyline(self._curve(one.weight, found, box))
        chosen = next((c for c in found.coats if c.coat == self._session.coat_id), None)
        if chosen is not None:
            painter.setPen(QPen(theme.color("celadon"), 1.2, Qt.PenStyle.DotLine))
            painter.drawPolyline(self._curve(chosen.height, found, box))
        painter.setPen(QPen(theme.color("text", 190), 1.2))
        painter.drawPolyline(self._curve(found.coats[-1].level, found, box))

    def _paint_axis(self, painter: QPainter, found: Cut, box: QRectF) -> None:
        painter.setFont(theme.font(11))
        painter.setPen(QPen(theme.color("line"), 1))
        painter.drawLine(box.bottomLeft(), box.bottomRight())
        length = float(found.metres[-1])
        step = _round_step(length / max(box.width() / 90, 1))
        unit, factor = ("m", 1.0) if length >= 0.5 else ("mm", 1000.0)
        at = 0.0
        while at <= length + 1e-9:
            x = box.left() + at / max(length, 1e-9) * box.width()
            painter.setPen(QPen(theme.color("line"), 1))
            painter.drawLine(QPointF(x, box.bottom()), QPointF(x, box.bottom() + 4))
            painter.setPen(theme.color("quiet"))
            text = f"{at * factor:g} {unit}" if at == 0 or at + step > length else f"{at * factor:g}"
            place = QRectF(x - 40, box.bottom() + 3, 80, 16)
            place.moveLeft(min(max(place.left(), box.left() - 36), self.width() - 62))
            painter.drawText(place, Qt.AlignmentFlag.AlignCenter, text)
            at += step
        text = f"depth {found.depth * 1000:g} mm"
        width = painter.fontMetrics().horizontalAdvance(text) + 10
        tag = QRectF(box.right() - width, box.top(), width, 17)
        painter.fillRect(tag, theme.color("chrome", 200))
        painter.drawText(tag, Qt.AlignmentFlag.AlignCenter, text)

    def _paint_reading(self, painter: QPainter, found: Cut, box: QRectF) -> None:
        assert self._hover is not None
        index = self._index(self._hover.x())
        x = box.left() + float(found.metres[index]) / max(float(found.metres[-1]), 1e-9) * box.width()
        painter.setPen(QPen(theme.color("persimmon"), 1))
        painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
        material = self._session.material
        names = {c.id: c.name for c in material.coats} if material else {}
        lines = [f"{found.metres[index]:.3f} m"]
        for one in reversed(found.coats):
            height = float(one.height[index]) * found.depth * 1000
            lines.append(f"{names.get(one.coat, one.coat)}: {height:.1f} mm high, {one.seen[index] * 100:.0f} % seen")
        painter.setFont(theme.font(12))
        metrics = painter.fontMetrics()
        width = max(metrics.horizontalAdvance(t) for t in lines) + 16
        card = QRectF(x + 10, box.top() + 4, width, 8 + 17 * len(lines))
        if card.right() > self.width() - 4:
            card.moveRight(x - 10)
        painter.setPen(QPen(theme.color("line"), 1))
        painter.setBrush(theme.color("panel", 240))
        painter.drawRoundedRect(card, 5, 5)
        for i, text in enumerate(lines):
            painter.setPen(theme.color("quiet" if i == 0 else "text"))
            painter.drawText(QRectF(card.left() + 8, card.top() + 4 + 17 * i, width, 17),
                             Qt.AlignmentFlag.AlignVCenter, text)  # fmt: skip

    # Mouse

    def _index(self, x: float) -> int:
        assert self._cut is not None
        box = self._box()
        share = min(max((x - box.left()) / max(box.width(), 1), 0.0), 1.0)
        metres = self._cut.metres
        return int(np.argmin(np.abs(metres - share * metres[-1])))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._cut is not None:
            self._hover = event.position()
            self._line.mark(self._index(event.position().x()))
            self.update()

    def leaveEvent(self, event: object) -> None:
        self._hover = None
        self._line.mark(None)
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        if self._cut is None or self._strata is None:
            return
        box = self._box()
        x = min(max(int(event.position().x() - box.left()), 0), self._strata.shape[1] - 1)
        y = min(max(int(event.position().y() - box.top()), 0), self._strata.shape[0] - 1)
        stratum = int(self._strata[y, x])
        if stratum >= 0:
            self.coat_picked.emit(self._cut.coats[stratum].coat)


def _round_step(least: float) -> float:
    """The next step of 1, 2 or 5 times a power of ten."""
    power = 10.0 ** np.floor(np.log10(max(least, 1e-9)))
    return float(next(power * f for f in (1, 2, 5, 10) if power * f >= least))
