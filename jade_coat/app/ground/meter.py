"""Below the view in Ground: what stacking layers costs here and where most of them meet, and the land along a line."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, QTimer
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QHBoxLayout, QWidget

from jade_coat.app import theme
from jade_coat.app.controls.basics import column, label
from jade_coat.app.ground.state import GroundState
from jade_coat.app.ground.tool import GroundTool
from jade_coat.app.session import Session
from jade_coat.check.ground_costs import (
    PAGE_READS,
    Stacked,
    layers_at,
    live_layers,
    memory_of,
    places_of,
    stacked_cost,
    unstackable,
)
from jade_coat.material.coverage import coat_color
from jade_coat.program.types import Array
from jade_coat.stage.ground_looks import span_of
from jade_coat.stage.ground_nodes import GroundNodes
from jade_coat.stage.grounds import Ground

WAIT_MS = 250
NEAR = 0.5
"""Within how many metres layers count as being here, at the least."""
MOST_LINES = 3
"""So many lines of what else there is to tell."""
MOST_PLACES = 6
"""Of how many meetings of layers the cost is worked out, those of most layers first."""
SAMPLES = 320
"""Places along the line of the land."""


@dataclass(frozen=True)
class Costs:
    """What was worked out: here, where it costs most, which share of the ground that is, and what cannot be stacked."""

    here: Stacked
    worst: Stacked
    share: float
    lines: tuple[str, ...]


class CostBar(QWidget):
    """Texture reads, a part of the bar for each layer."""

    def __init__(self, title: str) -> None:
        super().__init__()
        self._title, self._most, self._words = title, 1, ""
        self._cost: Stacked | None = None
        self._ground: Ground | None = None
        self.setMinimumHeight(38)
        self.setAccessibleName(title)

    def show_cost(self, ground: Ground, cost: Stacked, most: int, words: str) -> None:
        """Show a cost; `most` reads fill the bar."""
        self._ground, self._cost, self._most = ground, cost, max(most, 1)
        self._words = words
        names = {layer.id: layer.name for layer in ground.layers}
        self.setToolTip("\n".join(f"{names.get(n, n)}: + {c.sentence}" for n, c in cost.layers.items()))
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.font(11.5, 600))
        painter.setPen(theme.color("quiet"))
        painter.drawText(QRectF(0, 0, 60, 16), Qt.AlignmentFlag.AlignVCenter, self._title)
        if self._cost is None or self._ground is None:
            return
        painter.setFont(theme.font(11.5, 500))
        painter.setPen(theme.color("text"))
        painter.drawText(QRectF(60, 0, self.width() - 60, 16), Qt.AlignmentFlag.AlignVCenter, self._words)
        order = {layer.id: i for i, layer in enumerate(self._ground.layers)}
        left, scale = 0.0, self.width() / self._most
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("well"))
        painter.drawRoundedRect(QRectF(0, 18, self.width(), 14), 4, 4)
        for name, cost in self._cost.layers.items():
            wide = max(cost.reads, 0) * scale
            painter.setBrush(QColor.fromRgbF(*coat_color(order.get(name, 0))))
            painter.drawRect(QRectF(left, 18, max(wide - 1, 0.5), 14))
            left += wide


class LandLine(QWidget):
    """The land along a line across the ground: its heights, and which layer shows where."""

    def __init__(self, state: GroundState, tool: GroundTool) -> None:
        super().__init__()
        self._state, self._tool = state, tool
        self._known: tuple[object, Array, Array] | None = None
        self.setMinimumHeight(80)
        self.setAccessibleName("The land along a line")
        self.setToolTip("Heights along a line from west to east through the pointer, and which layer shows where")

    def _line(self, ground: Ground) -> tuple[Array, Array]:
        """Heights `(n,)` along the line, metres, and the number of the layer that shows most."""
        along = self._tool.last[1] if self._tool.last is not None else ground.heights.size[1] / 2
        key = (ground.heights, ground.weights, ground.layers, round(along, 3))
        if self._known is not None and self._known[0] == key:
            return self._known[1], self._known[2]
        places = np.stack([np.linspace(0, ground.heights.size[0], SAMPLES), np.full(SAMPLES, along)], axis=1)
        columns, rows = ground.weight_cells
        x = np.rint(places[:, 0] / ground.heights.size[0] * (columns - 1)).astype(int)
        z = int(np.clip(round(along / ground.heights.size[1] * (rows - 1)), 0, rows - 1))
        top, most = np.zeros(SAMPLES, int), np.zeros(SAMPLES)
        for i, layer in enumerate(ground.layers):
            if layer.way == "absolute":
                continue
            own = ground.weights[layer.id].values((z, z + 1, 0, columns))[0, x].astype(float)
            wins = own > 127 if layer.way == "over" else own > most
            top[wins] = i
            most = np.maximum(most, own) if layer.way == "shared" else most
        self._known = (key, ground.heights.at(places), top)
        return self._known[1], self._known[2]

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(self.rect()).adjusted(34, 6, -18, -18)
        painter.fillRect(box, theme.color("well"))
        ground = self._state.ground
        if ground is None or box.height() < 10:
            return
        heights, top = self._line(ground)
        low, high = float(heights.min()), float(heights.max())
        span = max(high - low, ground.heights.size[0] * 0.02)
        x = box.left() + np.linspace(0, 1, len(heights)) * box.width()
        y = box.bottom() - 6 - (heights - low) / span * (box.height() - 16)
        outline = [QPointF(float(a), float(b)) for a, b in zip(x, y, strict=True)]
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(theme.color("raised"))
        painter.drawPolygon(
            QPolygonF([QPointF(box.left(), box.bottom()), *outline, QPointF(box.right(), box.bottom())])
        )
        start = 0
        for i in range(1, len(top) + 1):
            if i == len(top) or top[i] != top[start]:
                painter.setPen(QPen(QColor.fromRgbF(*coat_color(int(top[start]))), 4.0))
                painter.drawPolyline(QPolygonF(outline[start : min(i + 1, len(top))]))
                start = i
        painter.setPen(theme.color("quiet"))
        painter.setFont(theme.font(11, 400))
        for share, value in ((0.0, high), (1.0, low)):
            line = QRectF(0, box.top() + share * (box.height() - 14), 30, 14)
            painter.drawText(line, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, f"{value:.1f}")
        wide = ground.heights.size[0]
        for share in (0.0, 0.25, 0.5, 0.75, 1.0):
            at = QRectF(box.left() + share * box.width() - 30, box.bottom() + 2, 60, 14)
            painter.drawText(at, Qt.AlignmentFlag.AlignCenter, f"{share * wide:.0f} m")
        if self._tool.last is not None:
            px = box.left() + self._tool.last[0] / wide * box.width()
            painter.setPen(QPen(theme.color("celadon"), 1))
            painter.drawLine(QPointF(px, box.top()), QPointF(px, box.bottom()))


class Meter(QWidget):
    """The meter and the land along a line."""

    def __init__(self, session: Session, state: GroundState, tool: GroundTool) -> None:
        super().__init__()
        self._session, self._state, self._tool = session, state, tool
        self.costs: Costs | None = None
        self._asked = 0
        self._working = False
        self.here, self.worst = CostBar("HERE"), CostBar("WORST")
        self.told = [label("", "quiet") for _ in range(MOST_LINES)]
        self.line = LandLine(state, tool)
        left = column(label("METER", "head", "What stacking layers costs: texture reads, layer by layer"), self.here,
                      self.worst, *self.told, 1, margins=(12, 8, 12, 4), gap=4)  # fmt: skip
        right = column(label("LAND ALONG A LINE", "head"), self.line, margins=(0, 8, 10, 4), gap=4)
        right.setStretch(1, 1)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addLayout(left, 2)
        layout.addLayout(right, 3)
        self.setObjectName("stack")
        self._wait = QTimer(self)
        self._wait.setSingleShot(True)
        self._wait.setInterval(WAIT_MS)
        self._wait.timeout.connect(self._work)
        session.changed.connect(self._soon)
        state.changed.connect(self._soon)
        tool.pointed.connect(self._soon)

    @property
    def waiting(self) -> bool:
        """Whether something is still being worked out."""
        return self.isVisible() and (self._wait.isActive() or self._working)

    def _soon(self) -> None:
        if self.isVisible():
            self.line.update()
            if not self._wait.isActive():
                self._wait.start()

    def showEvent(self, event: object) -> None:
        self._soon()

    def _work(self) -> None:
        """Work the costs out beside the window."""
        ground, session = self._state.ground, self._session
        if ground is None or not self.isVisible():
            return
        self._asked += 1
        asked, project, lookup = self._asked, session.project, session.link.lookup
        last = self._tool.last if self._tool.last is not None else np.array(ground.heights.size) / 2
        radius = max(NEAR, self._state.brush.radius * 0.5)

        def work() -> Costs:
            met = places_of(ground, GroundNodes.of(ground, span_of(ground)))
            here = stacked_cost(project, ground, layers_at(ground, last, radius), lookup)
            largest = [m for m in met if not any(m < other for other in met)]
            largest = sorted(largest, key=len, reverse=True)[:MOST_PLACES]
            found = [(stacked_cost(project, ground, m, lookup), m) for m in largest]
            worst, where = max(found, key=lambda f: (f[0].whole.reads, f[0].whole.operations))
            lines = [line for layer in ground.layers for line in unstackable(project, layer, lookup)]
            if ground.baking.beyond > 0:
                lines = [*live_layers(project, ground, lookup), *lines]
            return Costs(here, worst, met[where] / sum(met.values()), tuple(lines))

        def done(costs: Costs) -> None:
            self._working = False
            if asked == self._asked and self._state.ground is not None:
                self.costs = costs
                self._show(self._state.ground, costs)

        def failed(error: Exception) -> None:
            self._working = False
            if asked == self._asked:
                self._tell([str(error)], str(error))

        self._working = True
        session.work(work, done, failed)

    def _show(self, ground: Ground, costs: Costs) -> None:
        most = max(costs.worst.whole.reads, costs.here.whole.reads)
        count = len(costs.here.layers)
        self.here.show_cost(ground, costs.here, most, f"{costs.here.whole.sentence} · {count} of {len(ground.layers)}")
        words = f"{costs.worst.whole.sentence} · on {costs.share:.0%}"
        self.worst.show_cost(ground, costs.worst, most, words)
        heights, weights, water = memory_of(ground)
        memory = f"{heights / 1e6:.1f} MB of heights, {weights / 1e6:.1f} MB of weights"
        memory += f", {water / 1e6:.1f} MB of water" if water else ""
        lines = [f"{costs.worst.textures} textures at once · {(heights + weights + water) / 1e6:.1f} MB"]
        whole = [f"{costs.worst.textures} textures at once at the worst, {memory}."]
        whole += ["Textures of one size share an array."] if costs.worst.crowded else []
        baking = ground.baking
        if baking.beyond > 0:
            texel = f"{max(ground.heights.size) / baking.side * 100:.1f} cm"
            instead = f"{PAGE_READS} reads, not {costs.worst.whole.reads}"
            lines.append(f"From {baking.beyond:g} m on {instead} · {texel} texels")
            whole.append(f"Beyond {baking.beyond:g} m it is read from pages of {baking.side}² texels of {texel}.")
            whole.append(f"That is {PAGE_READS} reads, and one more where something moves, in place of "
                         f"{costs.worst.whole.reads} at the worst.")  # fmt: skip
        self._tell([*lines, *costs.lines], "\n".join([*whole, *costs.lines]))

    def _tell(self, lines: list[str], whole: str) -> None:
        """Show as many lines as there is room for; resting on one shows the whole."""
        for i, line in enumerate(self.told):
            line.setText(lines[i] if i < len(lines) else "")
            line.setToolTip(whole)
