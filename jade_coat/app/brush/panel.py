"""The brush panel: tool, values, size, channels and what they do, and everything else about painting in folds."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QCheckBox, QPushButton, QVBoxLayout, QWidget

from jade_coat.app.brush.fill_panel import FillPanel
from jade_coat.app.brush.paint_panel import OwnPaintPanel
from jade_coat.app.brush.pictures import of_falloff
from jade_coat.app.brush.presets import Presets
from jade_coat.app.brush.state import BrushState
from jade_coat.app.brush.tip_fields import TipFields
from jade_coat.app.brush.tool import BrushTool
from jade_coat.app.brush.vertices_panel import VerticesPanel
from jade_coat.app.brush.worth_panel import WorthPanel
from jade_coat.app.controls.basics import Elided, Fold, button, captioned, choice, clear, label, row, scrolled
from jade_coat.app.controls.fields import NumberField
from jade_coat.app.controls.images import with_pictures
from jade_coat.app.controls.settings import CurveField
from jade_coat.app.session import Session
from jade_coat.check.paint_costs import length
from jade_coat.material.fields import Spec
from jade_coat.mesh.brush import TOOL_LABELS
from jade_coat.mesh.data import MAX_COLOR_SETS
from jade_coat.mesh.stroke import mirror_plane
from jade_coat.stage.paint_rules import PaintRule

SIZE = Spec("Size", unit="m", low=0.001, high=50.0, soft=(0.01, 2.0), logarithmic=True, hint="Radius of the brush")
PIXELS = Spec("Size", unit="px", low=2.0, high=600.0, soft=(4.0, 200.0), logarithmic=True, hint="Radius on the screen")
STRENGTH = Spec("Strength", hint="The most that one stroke does")
FLOW = Spec("Flow", hint="What one dab does of that; below 1 it builds up while the brush is held")
SPACING = Spec("Spacing", unit="r", low=0.02, high=4.0, soft=(0.05, 1.0), hint="Between dabs, in radii of the brush")
VALUE = Spec("Value", hint="The value painted toward")
SHIFT = Spec("Mirror moved", unit="m", low=-100.0, high=100.0, soft=(-2.0, 2.0),
             hint="How far the mirror stands from where it is by itself; it can be dragged in the view")  # fmt: skip
TRAIL = Spec("Trail", unit="px", low=0.0, high=200.0, soft=(0.0, 80.0), hint="How far the brush trails the pointer")
ANGLE = Spec("Angle", "angle", low=0.0, high=3.1415927, hint="How far a place may face from the brush")
FALLOFF_CURVE = Spec("Falloff curve", "curve", hint="Weight from the edge to the middle")
FALLOFFS = [("smooth", "Smooth"), ("linear", "Linear"), ("sharp", "Sharp"), ("flat", "Flat"), ("curve", "A curve")]
WITHIN = [("mesh", "Whole mesh"), ("slot", "Its slot"), ("part", "Its piece"), ("facing", "Its facing")]
MIRRORS = [("", "No"), ("x", "Across X"), ("y", "Across Y"), ("z", "Across Z")]
WIDE = 132


class BrushPanel(QWidget):
    """Settings of the brush."""

    def __init__(self, session: Session, brush: BrushState, tool: BrushTool) -> None:
        super().__init__()
        self._session, self._brush = session, brush
        self.fields: dict[str, NumberField] = {}
        self._ticks: dict[str, tuple[QCheckBox, Callable[[], bool]]] = {}
        inner = QWidget()
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        self.area = scrolled(inner)
        outer.addWidget(self.area)
        self._box = QVBoxLayout(inner)
        self._box.setContentsMargins(12, 10, 10, 12)
        self._box.setSpacing(6)
        self._build_brush()
        self._build_channels()
        self.own = OwnPaintPanel(session, brush)
        self.vertices = VerticesPanel(session, brush, tool, self.own.map_cost)
        self.fill = FillPanel(session, brush)
        self.worth = WorthPanel(session)
        self.folds: dict[str, Fold] = {}
        for name, body in (
            ("Tip", TipFields(session, brush)), ("Reach", self._reach()), ("Hand and pen", self._hand()),
            ("Over the view", self._over()),
            ("Fill by rule", self.fill), ("Too few vertices?", self.vertices), ("This prop's paint", self.own),
            ("Paint or dial?", self.worth),
        ):  # fmt: skip
            fold = Fold(name, "", True)
            fold.box.addWidget(body)
            fold.folded.connect(partial(self._unfolded, name))
            self.folds[name] = fold
            self._box.addWidget(fold)
        self._box.addStretch(1)
        self.vertices.map_wanted.connect(self._show_own_paint)
        tool.touched.connect(self._warn)
        brush.told_wrong.connect(lambda text: session.said.emit(text, True))
        brush.changed.connect(self._show)
        session.changed.connect(self._rebuild)
        session.selection_changed.connect(self._rebuild)
        self._key: object = None
        self._rebuild()

    # Building

    def _build_brush(self) -> None:
        brush, box = self._brush, self._box
        self.presets = Presets(brush)
        box.addLayout(row(label("BRUSH", "head"), 1, self.presets.keep_button))
        box.addWidget(self.presets)
        self.tools: dict[str, QPushButton] = {}
        for key, text in TOOL_LABELS.items():
            self.tools[key] = self._tool(text, partial(brush.set, tool=key), f"{text} what is under the brush")
        box.addLayout(row(*self.tools.values(), gap=4))
        self.paint = self._tool("A", lambda: brush.set(second=False), "Paint toward A (X swaps, Ctrl for one stroke)")
        self.erase = self._tool("B", lambda: brush.set(second=True), "Paint toward B (X swaps, Ctrl for one stroke)")
        self.pick = self._tool("Pick", lambda: brush.pick(not brush.picking), "Take the value under the pointer (E)")
        for swap in (self.paint, self.erase):
            swap.setFixedWidth(30)
        for name in ("a", "b"):
            self.fields[name] = NumberField(VALUE, getattr(brush.brush, name))
            self.fields[name].changed.connect(lambda v, n=name: brush.set(**{n: v}))
            self.fields[name].setFixedWidth(52)
        box.addLayout(row(self.paint, self.fields["a"], self.erase, self.fields["b"], 1, self.pick, gap=4))
        self._meant = label("", "quiet", wrap=True)
        box.addWidget(self._meant)
        self._build_size()

    def _build_size(self) -> None:
        brush, box = self._brush, self._box
        measures = [("surface", "Metres"), ("screen", "Pixels")]
        self.measure = choice(measures, brush.hand.measure, lambda k: brush.set_hand(measure=k),
                              "Size on the surface, or on the screen")  # fmt: skip
        self.measure.setFixedWidth(80)
        self.radius, self.pixels = NumberField(SIZE, brush.brush.radius), NumberField(PIXELS, brush.hand.pixels)
        self.radius.changed.connect(lambda v: brush.set(radius=v))
        self.pixels.changed.connect(lambda v: brush.set_hand(pixels=v))
        for size in (self.radius, self.pixels):
            size.setFixedWidth(WIDE - 40)
        box.addLayout(row(label("Size"), 1, self.measure, self.radius, self.pixels, gap=4))
        for name, spec in (("strength", STRENGTH), ("flow", FLOW), ("spacing", SPACING)):
            box.addLayout(self._line(spec.label, self._number(name, spec)))
        self.strength = self.fields["strength"]
        self.falloff = choice(FALLOFFS, brush.brush.falloff, lambda k: brush.set(falloff=k),
                              "How a dab fades to its edge")  # fmt: skip
        box.addLayout(self._line("Falloff", self.falloff))
        with_pictures(self.falloff, lambda kind: of_falloff(kind, brush.brush.curve))
        self.curve = CurveField(FALLOFF_CURVE, brush.brush.curve)
        self.curve.changed.connect(lambda points: brush.set(curve=points))
        box.addWidget(self.curve)

    def _build_channels(self) -> None:
        box = self._box
        box.addSpacing(8)
        sets = [(str(i), f"Set {i + 1}") for i in range(MAX_COLOR_SETS)]
        self.sets = choice(sets, "0", lambda k: self._brush.choose_set(int(k)), "Which colour set of the mesh")
        self.sets.setFixedWidth(80)
        box.addLayout(row(label("CHANNELS", "head"), 1, self.sets))
        self._channels = QVBoxLayout()
        self._channels.setSpacing(4)
        box.addLayout(self._channels)
        quick = (
            ("Fill", "all of the chosen channels with A, everywhere on the chosen prop"),
            ("Clear", "all of the chosen channels to 0"), ("Invert", "the chosen channels: 0 becomes 1"),
        )  # fmt: skip
        self.quick = {name: button(name, partial(self._at_once, name), "", f"{name} {tip}") for name, tip in quick}
        box.addLayout(row(*self.quick.values(), 1, gap=4))
        self.channel_buttons: dict[str, QPushButton] = {}
        self._hint = label("", "quiet", wrap=True)
        self._few = Elided("", "warn")
        self.what_to_do = button(
            "What to do?", self._show_vertices, "add", "How finely it can be painted, and the ways out"
        )
        for part in (self._few, self.what_to_do):  # its place is kept: nothing jumps under a moving hand
            policy = part.sizePolicy()
            policy.setRetainSizeWhenHidden(True)
            part.setSizePolicy(policy)
        line = row(self._few, self.what_to_do, gap=4)
        line.setStretch(0, 1)
        box.addLayout(line)
        box.addWidget(self._hint)

    def _reach(self) -> QWidget:
        brush = self._brush
        angle = self._number("angle", ANGLE)
        within = choice(
            WITHIN, brush.brush.within, lambda k: brush.set(within=k), "Where a stroke may go from its start"
        )
        mirror = choice(
            MIRRORS, brush.brush.mirror, lambda k: brush.set(mirror=k, mirror_shift=0.0), "Paint the mirror image too"
        )
        self.within, self.mirror = within, mirror
        only = self._tick("surface only", lambda: brush.brush.surface_only, lambda on: brush.set(surface_only=on),
                          "Nothing leaks through a thin wall or onto another sheet close by")  # fmt: skip
        moved = self._number("mirror_shift", SHIFT)
        self.mirror_moved = _body(self._line("Mirror moved", moved))
        return _body(
            only, self._line("Angle", angle), self._line("Stays on", within), self._line("Mirror", mirror),
            self.mirror_moved,
        )  # fmt: skip

    def _hand(self) -> QWidget:
        brush = self._brush
        trail = NumberField(TRAIL, brush.hand.trail)
        trail.changed.connect(lambda v: brush.set_hand(trail=v))
        self.fields["trail"] = trail
        ticks = [
            self._tick("pressure sets the strength", lambda: brush.hand.pressure_strength,
                       lambda on: brush.set_hand(pressure_strength=on)),
            self._tick("pressure sets the size", lambda: brush.hand.pressure_size,
                       lambda on: brush.set_hand(pressure_size=on)),
            self._tick("the mouse stands in for a pen", lambda: brush.hand.simulated,
                       lambda on: brush.set_hand(simulated=on), "Slow strokes press hard, fast ones lightly"),
        ]  # fmt: skip
        return _body(self._line("Steadying", trail), *ticks)

    def _over(self) -> QWidget:
        brush = self._brush
        return _body(
            self._tick("edges of the mesh", lambda: brush.shown.edges, lambda on: brush.show(edges=on)),
            self._tick("vertices as dots", lambda: brush.shown.vertices, lambda on: brush.show(vertices=on)),
            self._tick("how finely it can be painted", lambda: brush.shown.held, lambda on: brush.show(held=on),
                       "Green: plenty of vertices under the brush; yellow: just enough; red: too few"),
            self._tick("all four channels", lambda: brush.shown.channels, lambda on: brush.show(channels=on)),
        )  # fmt: skip

    def _tool(self, text: str, do: Callable[[], object], tip: str) -> QPushButton:
        made = button(text, do, "tool", tip)
        made.setCheckable(True)
        made.setStyleSheet("padding: 4px 6px;")
        return made

    def _number(self, name: str, spec: Spec) -> NumberField:
        field = NumberField(spec, getattr(self._brush.brush, name))
        field.changed.connect(lambda v: self._brush.set(**{name: v}))
        self.fields[name] = field
        return field

    def _line(self, name: str, control: QWidget) -> Any:
        return captioned(name, control, WIDE)

    def _tick(self, text: str, now: Callable[[], bool], do: Callable[[bool], object], tip: str = "") -> QCheckBox:
        made = QCheckBox(text)
        made.setToolTip(tip)
        made.clicked.connect(do)
        self._ticks[text] = (made, now)
        return made

    def tick(self, text: str) -> QCheckBox:
        """One of the panel's ticks by its words."""
        return self._ticks[text][0]

    def _show_own_paint(self) -> None:
        self._bring("This prop's paint")

    def _show_vertices(self) -> None:
        self._bring("Too few vertices?")

    def _bring(self, name: str) -> None:
        fold = self.folds[name]
        fold.unfold()
        QApplication.processEvents()
        self.area.ensureWidgetVisible(fold)

    def _warn(self) -> None:
        """Say so where the mesh has too few vertices for the brush."""
        text = self.vertices.warning()
        self._few.setText(text)
        self._few.setToolTip(text)
        for part in (self._few, self.what_to_do):
            part.setVisible(bool(text))

    def _unfolded(self, name: str, shut: bool) -> None:
        if name == "Too few vertices?":
            self._brush.show(held=not shut)
        if name == "Paint or dial?" and not shut:
            self.worth.refresh()

    # What is shown

    def _rebuild(self) -> None:
        meaning = self._meanings()
        key = (tuple(meaning.items()), self._brush.color_set)
        if key != self._key:
            self._key = key
            clear(self._channels)
            self.channel_buttons = {}
            for i, letter in enumerate("RGBA"):
                what = ", ".join(meaning.get(letter, ())) or "not read by this material"
                tip = f"{what}. {i + 1} chooses it; Ctrl-click or Ctrl+{i + 1} for several at once"
                pick = self._tool(letter, partial(self._choose, i), tip)
                pick.setFixedWidth(34)
                self.channel_buttons[letter] = pick
                self._channels.addLayout(row(pick, label(what, "" if letter in meaning else "quiet", wrap=True)))
        self._show()

    def _choose(self, letter: int) -> None:
        more = bool(QApplication.keyboardModifiers() & Qt.KeyboardModifier.ControlModifier)
        self._brush.choose_channel(letter, more)

    def _at_once(self, what: str) -> None:
        """Fill, clear or invert the chosen channels of the chosen prop."""
        channels = self._brush.brush.channels
        rule = PaintRule(channels=channels, measure="even", a=self._brush.brush.a if what == "Fill" else 0.0)
        if what == "Invert":
            rule = PaintRule(channels=channels, measure="levels", a=0.0, b=1.0, range=(0.0, 1.0))
        self.fill.at_once(rule, f"{what} {self._brush.told(self._session).lower()}")

    def _meanings(self) -> dict[str, tuple[str, ...]]:
        """What each channel of the chosen colour set does in the chosen prop's material, by letter."""
        material = self._session.material
        return material.paint_uses(self._session.link.lookup, self._brush.color_set) if material else {}

    def _show(self) -> None:
        brush, hand = self._brush.brush, self._brush.hand
        if self._key != (tuple(self._meanings().items()), self._brush.color_set):
            self._rebuild()
            return
        for name, field in self.fields.items():
            field.show_value(hand.trail if name == "trail" else getattr(brush, name))
        self.radius.show_value(brush.radius)
        self.pixels.show_value(hand.pixels)
        self.radius.setVisible(hand.measure == "surface")
        self.pixels.setVisible(hand.measure == "screen")
        self.curve.setVisible(brush.falloff == "curve")
        self.mirror_moved.setVisible(bool(brush.mirror))
        self._meant.setText(self._meaning())
        for box, key in ((self.measure, hand.measure), (self.falloff, brush.falloff), (self.within, brush.within),
                         (self.mirror, brush.mirror), (self.sets, str(self._brush.color_set))):  # fmt: skip
            box.setCurrentIndex(max(box.findData(key), 0))
        for tool, made in self.tools.items():
            made.setChecked(tool == brush.tool)
        self.paint.setChecked(not brush.second)
        self.erase.setChecked(brush.second)
        self.pick.setChecked(self._brush.picking)
        for tick, now in self._ticks.values():
            tick.setChecked(now())
        for i, letter in enumerate("RGBA"):
            self.channel_buttons[letter].setChecked(i in self._brush.letters)
        self._hint.setText(self._advice())
        self._hint.setVisible(bool(self._hint.text()))
        self._warn()

    def _meaning(self) -> str:
        """What the two values do here, in words."""
        brush, what = self._brush.brush, self._brush.told(self._session)
        if what.startswith("Channel"):
            return ""
        return f"A {value_words(brush.a, what)}, B {value_words(brush.b, 'it')}"

    def _advice(self) -> str:
        used, material = self._meanings(), self._session.material
        unread = [c for i, c in enumerate("RGBA") if i in self._brush.letters and c not in used]
        if material is not None and unread:
            verb = "is" if len(unread) == 1 else "are"
            return f"{' and '.join(unread)} {verb} not read by {material.name}, so painting it will not show."
        prop, mirror = self._session.prop, self._brush.brush.mirror
        if prop is None:
            return "Drag on a prop to paint it."
        if mirror:
            plane = mirror_plane(self._session.link.mesh_data(prop.mesh), mirror)
            if plane and not self._brush.brush.mirror_shift:
                off = length(abs(plane))
                return f"{prop.name} lies off-centre: strokes are mirrored about its middle, {off} from its origin."
        return ""


def value_words(value: float, what: str) -> str:
    """What painting toward a value does, for a channel that shows something: "lays Moss", "leaves it bare"."""
    if value <= 0:
        return f"takes {what} away"
    return f"lays {what}" if value >= 1 else f"lays {what} to {value:.0%}"


def _body(*parts: Any) -> QWidget:
    made = QWidget()
    box = QVBoxLayout(made)
    box.setContentsMargins(0, 4, 0, 4)
    box.setSpacing(5)
    for part in parts:
        if isinstance(part, QWidget):
            box.addWidget(part)
        else:
            box.addLayout(part)
    return made
