"""The brush panel: channel, size, strength, falloff, and what the chosen channel does."""

from __future__ import annotations

from functools import partial

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from jade_coat.app.brush_state import BrushState
from jade_coat.app.session import Session
from jade_coat.app.widgets.basics import Fold, button, choice, clear, label, row, scrolled
from jade_coat.app.widgets.fields import NumberField
from jade_coat.app.widgets.fill_panel import FillPanel
from jade_coat.material.fields import Spec

SIZE = Spec("Size", unit="m", low=0.001, high=50.0, soft=(0.01, 2.0), logarithmic=True, hint="Radius of the brush")
STRENGTH = Spec("Strength", hint="How far one dab goes")
FALLOFFS = [("smooth", "Smooth"), ("linear", "Linear"), ("sharp", "Sharp"), ("flat", "Flat")]


class BrushPanel(QWidget):
    """Settings of the brush."""

    def __init__(self, session: Session, brush: BrushState) -> None:
        super().__init__()
        self._session, self._brush = session, brush
        inner = QWidget()
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(scrolled(inner))
        box = QVBoxLayout(inner)
        box.setContentsMargins(12, 10, 10, 12)
        box.setSpacing(6)
        box.addWidget(label("BRUSH", "head"))
        self.paint = button("Paint", lambda: brush.set(second=False), "tool", "Paint toward 1 (X swaps)")
        self.erase = button("Erase", lambda: brush.set(second=True), "tool", "Paint toward 0 (X swaps)")
        for tool in (self.paint, self.erase):
            tool.setCheckable(True)
        box.addLayout(row(self.paint, self.erase, 1))
        self.radius = NumberField(SIZE, brush.brush.radius)
        self.radius.changed.connect(lambda v: brush.set(radius=v))
        self.strength = NumberField(STRENGTH, brush.brush.strength)
        self.strength.changed.connect(lambda v: brush.set(strength=v))
        falloff = choice(FALLOFFS, brush.brush.falloff, lambda k: brush.set(falloff=k), "How a dab fades to its edge")
        for name, control in (("Size", self.radius), ("Strength", self.strength), ("Falloff", falloff)):
            control.setFixedWidth(124)
            box.addLayout(row(label(name), 1, control))
        box.addSpacing(8)
        box.addWidget(label("CHANNEL", "head"))
        self._channels = QVBoxLayout()
        self._channels.setSpacing(4)
        box.addLayout(self._channels)
        self.channel_buttons: dict[str, QWidget] = {}
        box.addSpacing(8)
        self._hint = label("", "quiet", wrap=True)
        box.addWidget(self._hint)
        fold = Fold("Fill by rule", "", True)
        self.fill = FillPanel(session, brush)
        fold.box.addWidget(self.fill)
        box.addWidget(fold)
        box.addStretch(1)
        brush.changed.connect(self._show)
        session.changed.connect(self._rebuild)
        session.selection_changed.connect(self._rebuild)
        self._key: object = None
        self._rebuild()

    def _rebuild(self) -> None:
        meaning = self._meanings()
        key = tuple(meaning.items())
        if key != self._key:
            self._key = key
            clear(self._channels)
            self.channel_buttons = {}
            for channel in "RGBA":
                what = ", ".join(meaning.get(channel, [])) or "not read by this material"
                pick = button(channel, partial(self._brush.set, channels=("RGBA".index(channel),)), "tool", what)
                pick.setCheckable(True)
                pick.setFixedWidth(40)
                self.channel_buttons[channel] = pick
                self._channels.addLayout(row(pick, label(what, "" if channel in meaning else "quiet"), 1))
        self._show()

    def _meanings(self) -> dict[str, tuple[str, ...]]:
        """What each channel does in the chosen prop's material."""
        material = self._session.material
        return material.paint_uses(self._session.link.lookup) if material else {}

    def _show(self) -> None:
        brush = self._brush.brush
        self.radius.show_value(brush.radius)
        self.strength.show_value(brush.strength)
        self.paint.setChecked(not self._brush.erasing)
        self.erase.setChecked(self._brush.erasing)
        for i, channel in enumerate("RGBA"):
            self.channel_buttons[channel].setChecked(i in brush.channels)  # type: ignore[attr-defined]
        used = self._meanings()
        name = "RGBA"[brush.channels[0]]
        text = "Drag on a prop to paint. Right-drag turns the view, the wheel comes closer, Ctrl+wheel sizes the brush."
        if self._session.material is not None and name not in used:
            text = f"Channel {name} is not read by {self._session.material.name}, so painting it will not show. " + text
        self._hint.setText(text)
