"""The left of Ground: what the hand does, the numbers of the brush, and the layers with what is painted of them."""

from __future__ import annotations

from functools import partial

import cv2
import numpy as np
from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QImage, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from jade_coat.app import theme
from jade_coat.app.build.number_rows import NumberRows
from jade_coat.app.controls.basics import Sheet, button, clear, column, holder, label, row, show_or_hide
from jade_coat.app.controls.focus import focus_kept
from jade_coat.app.controls.tiles import PressedTile
from jade_coat.app.ground.baking_rows import BakingRows
from jade_coat.app.ground.path_rows import PathRows
from jade_coat.app.ground.rule_rows import RuleRows
from jade_coat.app.ground.state import GroundState
from jade_coat.app.session import Session
from jade_coat.ground.pages import Pages
from jade_coat.ground.stroke import DEED_HINTS, DEED_LABELS, PAINTING, SHAPING, Deed
from jade_coat.material.coverage import coat_color
from jade_coat.material.fields import Setting
from jade_coat.material.stacking import WAY_LABELS, GroundLayer
from jade_coat.stage import edits
from jade_coat.stage.edits.grounds import fills_in, flooded
from jade_coat.stage.grounds import Ground
from jade_coat.stage.naming import free_id, free_name

MAP = QSize(46, 46)
ACROSS = 3


def weight_picture(pages: Pages, side: int = MAP.width()) -> np.ndarray:
    """What is painted of a layer, small, `(side, side) uint8`."""
    return np.asarray(cv2.resize(pages.whole(), (side, side), interpolation=cv2.INTER_AREA))


class LayerTile(PressedTile):
    """One layer: a little map of what is painted, its name, and how it gets on with the others."""

    def __init__(self, layer: GroundLayer, number: int, map_of: np.ndarray, lowest: bool) -> None:
        super().__init__()
        self.layer, self.number, self.map_of, self.lowest = layer, number, map_of, lowest
        self.current = False
        self.setFixedHeight(MAP.height() + 10)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName(f"Layer {layer.name}")

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.SmoothPixmapTransform)
        box = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        if self.current or self.underMouse() or self.hasFocus():
            path = QPainterPath()
            path.addRoundedRect(box, 6, 6)
            painter.fillPath(path, theme.color("raised"))
            if self.current or self.hasFocus():
                painter.setPen(QPen(theme.color("celadon" if self.current else "jade"), 1.5))
                painter.drawPath(path)
        r, g, b = (round(c * 255) for c in coat_color(self.number))
        dark = np.array([30, 33, 34])
        share = (self.map_of / 255.0)[..., None]
        pixels = np.ascontiguousarray(dark * (1 - share) + np.array([r, g, b]) * share, np.uint8)
        side = self.map_of.shape[0]
        image = QImage(pixels.tobytes(), side, side, 3 * side, QImage.Format.Format_RGB888)
        painter.drawImage(QRectF(5, 5, MAP.width(), MAP.height()), image)
        left = MAP.width() + 14
        painter.setFont(theme.font(13, 600))
        painter.setPen(theme.color("text"))
        name = painter.fontMetrics().elidedText(self.layer.name, Qt.TextElideMode.ElideRight, self.width() - left - 8)
        painter.drawText(QRectF(left, 8, self.width() - left, 20), Qt.AlignmentFlag.AlignVCenter, name)
        painter.setFont(theme.font(11.5, 400))
        painter.setPen(theme.color("quiet"))
        words = "everywhere else" if self.lowest else WAY_LABELS[self.layer.way]
        there = float((self.map_of > 0).mean())
        painter.drawText(
            QRectF(left, 28, self.width() - left - 4, 18), Qt.AlignmentFlag.AlignVCenter, f"{words} · on {there:.0%}"
        )


class GroundPanel(Sheet):
    """Tools, brush and layers of the ground that is worked on; without one, what makes one."""

    def __init__(self, session: Session, state: GroundState) -> None:
        super().__init__()
        self._session, self._state = session, state
        self.new_land = button("New land…", None, "main", "Make a ground from numbers")
        self.bring = button("Heights from a file…", None, "add", "PNG, TIFF, GeoTIFF, EXR or NumPy heights")
        self.tools: dict[Deed, QPushButton] = {}
        self.tiles: dict[str, LayerTile] = {}
        self._maps: dict[str, tuple[Pages, np.ndarray]] = {}
        self._key: object = None
        self._empty = holder(column(
            label("GROUND", "head"),
            label("There is no ground yet. Make one from numbers, or take heights from a file; then lay layers of your "
                  "finishes on it and paint them.", "quiet", wrap=True),
            gap=8,
        ))  # fmt: skip
        self._whole = QWidget()
        self._build_whole()
        self._box.addWidget(self._empty)
        self._box.addWidget(self._whole)
        self.hand_over = button(
            "Hand over…", None, "add", "Write the ground as open files: heights, weights, maps, a GLB"
        )
        self._box.addLayout(row(self.new_land, self.bring, 1))
        self._box.addLayout(row(self.hand_over, 1))
        self._box.addStretch(1)
        session.changed.connect(self.refresh)
        state.changed.connect(self.refresh)

    def _build_whole(self) -> None:
        box = QVBoxLayout(self._whole)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(6)
        self.name = label("", "name")
        box.addLayout(row(label("GROUND", "head"), 1, self.name))
        self._build_tools(box)
        self.numbers = NumberRows(self._state.brush, self._turn)
        box.addWidget(self.numbers)
        self.add = button("+ layer", self.add_layer, "add", "Lay the chosen finish on top, painted nowhere yet")
        box.addLayout(row(label("LAYERS", "head"), 1, self.add))
        self._layers = QVBoxLayout()
        self._layers.setSpacing(2)
        box.addLayout(self._layers)
        self.up = button("Up", partial(self._shift, 1), "plain", "Move the chosen layer up: it lies over more")
        self.down = button("Down", partial(self._shift, -1), "plain", "Move the chosen layer down")
        self.flood = button("Flood", self._flood, "plain", "Lay the chosen layer everywhere")
        self.drop = button("Remove", self._ask_remove, "plain")
        box.addLayout(row(self.up, self.down, self.flood, 1, self.drop, gap=2))
        self.asking = QVBoxLayout()
        box.addLayout(self.asking)
        self.rules, self.baking = RuleRows(self._session, self._state), BakingRows(self._session, self._state)
        self.paths = PathRows(self._session, self._state)
        self.paths.laid.connect(self.rules.follow_paths)
        for part in (self.paths, self.rules, self.baking):
            box.addWidget(part)

    def _build_tools(self, box: QVBoxLayout) -> None:
        self._group = QButtonGroup(self)
        for title, deeds in (("Layers", PAINTING), ("Land", SHAPING)):
            box.addWidget(label(title, "quiet"))
            line = QHBoxLayout()
            for i, deed in enumerate(deeds):
                if i and i % ACROSS == 0:
                    line.addStretch(1)
                    box.addLayout(line)
                    line = QHBoxLayout()
                line.setSpacing(4)
                made = button(DEED_LABELS[deed], partial(self._state.take, deed), "tab", DEED_HINTS[deed])
                made.setCheckable(True)
                self._group.addButton(made)
                self.tools[deed] = made
                line.addWidget(made)
            line.addStretch(1)
            box.addLayout(line)

    def _turn(self, name: str, value: Setting) -> None:
        self._state.set(**{name: value})

    def showEvent(self, event: object) -> None:
        self.refresh()

    def refresh(self) -> None:
        """Follow the project and what is chosen."""
        if not self.isVisible():
            return
        ground = self._state.ground
        show_or_hide(self._empty, ground is None)
        show_or_hide(self._whole, ground is not None)
        show_or_hide(self.hand_over, ground is not None)
        self.numbers.follow(self._state.brush)
        self._group.setExclusive(self._state.path is None)  # with a path in hand none of them is
        for deed, made in self.tools.items():
            made.setChecked(deed == self._state.brush.deed and self._state.path is None)
        if ground is None:
            return
        self.name.setText(ground.name)
        key = (ground.id, tuple((s.id, s.name, s.way) for s in ground.layers))
        if key != self._key:
            self._key = key
            with focus_kept(self):
                self._build_layers(ground)
        self.paths.show_ground(ground)
        self.rules.show_ground(ground)
        self.baking.show_ground(ground)
        chosen = self._state.layer
        for layer in ground.layers:
            tile, now = self.tiles[layer.id], self._map(ground, layer.id)
            if tile.map_of is not now or tile.current != (layer is chosen):
                tile.map_of, tile.current = now, layer is chosen
                tile.update()
        at = ground.layers.index(chosen) if chosen is not None else 0
        self.up.setEnabled(0 < at < len(ground.layers) - 1)
        self.down.setEnabled(at > 1)
        self.drop.setEnabled(at > 0)
        self.drop.setToolTip("Tells what fills in before it goes" if at else "The lowest layer stays")

    def _map(self, ground: Ground, layer: str) -> np.ndarray:
        """The little map of a layer, worked out anew only where it was painted."""
        pages = ground.weights[layer]
        known = self._maps.get(layer)
        if known is None or known[0] is not pages:
            self._maps[layer] = known = (pages, weight_picture(pages))
        return known[1]

    def _build_layers(self, ground: Ground) -> None:
        clear(self._layers)
        clear(self.asking)
        self.tiles = {}
        for i, layer in reversed(list(enumerate(ground.layers))):
            tile = LayerTile(layer, i, self._map(ground, layer.id), i == 0)
            tile.pressed.connect(partial(self._state.choose_layer, layer.id))
            self.tiles[layer.id] = tile
            self._layers.addWidget(tile)

    # Hands

    def add_layer(self) -> None:
        """Lay the chosen finish on top of the others."""
        ground, session = self._state.ground, self._session
        if ground is None:
            return
        finish = next((f for f in session.project.finishes if f.id == session.finish_id), None)
        name = free_name(finish.name if finish is not None else "Layer", {s.name for s in ground.layers})
        made = GroundLayer(id=free_id(name, {s.id for s in ground.layers}), name=name, finish=session.finish_id)
        if session.do(edits.add_layer(ground=ground.id, layer=made).called(f"Lay {name}")):
            self._state.choose_layer(made.id)

    def _shift(self, by: int) -> None:
        ground, layer = self._state.ground, self._state.layer
        if ground is not None and layer is not None:
            to = ground.layers.index(layer) + by
            self._session.do(edits.move_layer(ground=ground.id, layer=layer.id, to=to).called(f"Move {layer.name}"))

    def _flood(self) -> None:
        ground, layer = self._state.ground, self._state.layer
        if ground is None or layer is None:
            return
        weights = flooded(ground, layer.id)
        self._session.do(edits.paint_layers(ground=ground.id, weights=weights).called(f"Flood {layer.name}"))

    def _ask_remove(self) -> None:
        """Tell what fills in before a layer goes."""
        ground, layer = self._state.ground, self._state.layer
        clear(self.asking)
        if ground is None or layer is None:
            return
        self.asking.addWidget(label(f"{layer.name} goes. {fills_in(ground, layer.id)}", "warn", wrap=True))
        yes = button(f"Remove {layer.name}", partial(self._remove, ground.id, layer.id, layer.name), "main")
        self.asking.addLayout(row(1, button("Keep it", lambda: clear(self.asking), "plain"), yes))

    def _remove(self, ground: str, layer: str, name: str) -> None:
        clear(self.asking)
        self._session.do(edits.remove_layer(ground=ground, layer=layer).called(f"Remove {name}"))
