"""Brushes kept by name, each with a picture of its stroke: the built-in ones, and people's own."""

from __future__ import annotations

from dataclasses import asdict, dataclass, replace
from functools import partial
from typing import Any

from PyQt6.QtCore import QPoint, QSize, Qt
from PyQt6.QtGui import QIcon, QShowEvent
from PyQt6.QtWidgets import QGridLayout, QInputDialog, QMenu, QToolButton, QWidget

from jade_coat.app import preferences
from jade_coat.app.brush import tips
from jade_coat.app.brush.pictures import of_brush
from jade_coat.app.brush.state import BrushState, restored
from jade_coat.app.controls.basics import button
from jade_coat.mesh.brush import Brush
from jade_coat.stage.naming import free_name

TILE = QSize(44, 28)
ACROSS = 5
MOST = 40
SETTINGS = (
    "tool", "strength", "flow", "spacing", "falloff", "curve", "angle", "surface_only", "tip_turn", "tip_way",
)  # fmt: skip
"""What a preset sets; the size, the values, the channels and the mirror are the hand's business."""


@dataclass(frozen=True)
class Preset:
    """A brush by name; its tip is named, so that a picture that is gone is only missed."""

    name: str
    brush: Brush
    tip: str = ""
    own: bool = False

    def on(self, brush: Brush) -> Brush:
        """A brush with these settings."""
        made = {name: getattr(self.brush, name) for name in SETTINGS}
        return brush.with_(**made, tip=tips.tip(self.tip) if self.tip else None)

    def fits(self, brush: Brush) -> bool:
        """Whether a brush has these settings."""
        same = all(getattr(self.brush, name) == getattr(brush, name) for name in SETTINGS)
        return same and (brush.tip.name if brush.tip is not None else "") == self.tip


BUILT_IN = (
    Preset("Soft round", Brush(strength=0.5)),
    Preset("Hard edge", Brush(strength=1.0, falloff="flat", spacing=0.1)),
    Preset("Build-up", Brush(strength=1.0, flow=0.08, spacing=0.12)),
    Preset("Sponge", Brush(strength=0.8, falloff="flat", spacing=0.6, tip_way="each"), "Flecks"),
    Preset("Dry bristles", Brush(strength=0.9, falloff="flat", spacing=0.06, tip_way="along"), "Bristles"),
    Preset("Dust", Brush(strength=0.6, flow=0.3, spacing=0.4, tip_way="each"), "Grain"),
    Preset("Running drops", Brush(strength=0.9, falloff="flat", spacing=1.1), "Run"),
    Preset("Soften", Brush(tool="smooth", strength=0.7)),
)


def kept() -> list[Preset]:
    """People's own presets; what is damaged among them is left out."""
    found = []
    for entry in preferences.recall(preferences.BRUSHES):
        name, tip = entry.get("name"), entry.get("tip", "")
        if isinstance(name, str) and name and isinstance(tip, str):
            found.append(Preset(name, restored(Brush(), entry.get("brush")), tip, True))
    return found


def keep(presets: list[Preset]) -> None:
    """Remember people's own presets."""
    entries: list[dict[str, Any]] = []
    for preset in presets:
        settings = asdict(replace(preset.brush, tip=None))
        entries.append({"name": preset.name, "tip": preset.tip, "brush": {k: settings[k] for k in SETTINGS}})
    preferences.keep(preferences.BRUSHES, entries)


class Presets(QWidget):
    """The presets as small pictures, five in a row; a press takes one, a right press on one's own changes it."""

    def __init__(self, brush: BrushState) -> None:
        super().__init__()
        self._brush = brush
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setSpacing(3)
        self.tiles: dict[str, QToolButton] = {}
        self._presets: list[Preset] = []
        self.keep_button = button("Keep…", self.keep_this, "add", "Keep this brush by a name of its own")
        brush.changed.connect(self._mark)

    def showEvent(self, event: QShowEvent | None) -> None:
        """Their pictures are drawn once they are seen: a start must not wait for them."""
        super().showEvent(event)
        if not self.tiles:
            self.rebuild()

    def rebuild(self) -> None:
        """Show every preset."""
        for tile in self.tiles.values():
            self._grid.removeWidget(tile)
            tile.deleteLater()
        self.tiles, self._presets = {}, [*BUILT_IN, *kept()]
        for i, preset in enumerate(self._presets):
            tile = QToolButton()
            tile.setIconSize(TILE - QSize(6, 6))
            tile.setFixedSize(TILE)
            tile.setCheckable(True)
            tile.setIcon(QIcon(of_brush(preset.on(Brush()), TILE - QSize(6, 6))))
            tile.setToolTip(preset.name + ("\nRight-click to rename or forget it" if preset.own else ""))
            tile.setAccessibleName(preset.name)
            tile.clicked.connect(partial(self.take, preset))
            if preset.own:
                tile.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
                tile.customContextMenuRequested.connect(partial(self._menu, preset, tile))
            self.tiles[preset.name] = tile
            self._grid.addWidget(tile, i // ACROSS, i % ACROSS, Qt.AlignmentFlag.AlignLeft)
        self._grid.setColumnStretch(ACROSS, 1)
        self._mark()

    def take(self, preset: Preset, _: bool = False) -> None:
        """Set the brush as a preset has it."""
        if preset.tip and tips.tip(preset.tip) is None:
            self._brush.told_wrong.emit(f"The tip {preset.tip} of this brush is gone: it paints round.")
        self._brush.use(preset.on(self._brush.brush))

    def keep_this(self) -> None:
        """Keep the present brush by a name."""
        own = kept()
        if len(own) >= MOST:
            self._brush.told_wrong.emit(f"{MOST} brushes are kept already: forget one first (right-click it).")
            return
        name, sure = QInputDialog.getText(self, "Keep this brush", "Name")
        if sure and name.strip():
            self.add(name.strip()[:40])

    def add(self, name: str) -> None:
        """Keep the present brush by this name, or by one like it that is free."""
        free, now = free_name(name, set(self.tiles)), self._brush.brush
        keep([*kept(), Preset(free, now, now.tip.name if now.tip is not None else "", True)])
        self.rebuild()

    def _menu(self, preset: Preset, tile: QToolButton, at: QPoint) -> None:
        menu = QMenu(self)
        menu.addAction("Rename…", partial(self._rename, preset))
        menu.addAction("Forget", partial(self.forget, preset.name))
        menu.exec(tile.mapToGlobal(at))

    def _rename(self, preset: Preset) -> None:
        name, sure = QInputDialog.getText(self, "Rename this brush", "Name", text=preset.name)
        if sure and name.strip() and name.strip() not in self.tiles:
            keep([replace(p, name=name.strip()[:40]) if p.name == preset.name else p for p in kept()])
            self.rebuild()

    def forget(self, name: str) -> None:
        """Let one's own preset go."""
        keep([p for p in kept() if p.name != name])
        self.rebuild()

    def _mark(self) -> None:
        for preset in self._presets:
            self.tiles[preset.name].setChecked(preset.fits(self._brush.brush))
