"""Fills the chosen prop's paint by rule: a live preview until it is applied, and rules kept to run again."""

from __future__ import annotations

from functools import partial
from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, pyqtSignal
from PyQt6.QtGui import QPainter, QPen, QSinglePointEvent
from PyQt6.QtWidgets import QCheckBox, QVBoxLayout, QWidget

from jade_coat.app import theme
from jade_coat.app.brush_state import BrushState
from jade_coat.app.session import Session
from jade_coat.app.widgets.basics import button, choice, clear, label, row
from jade_coat.app.widgets.fields import NumberField
from jade_coat.app.widgets.overlay import Overlay
from jade_coat.app.widgets.settings import field_for
from jade_coat.app.widgets.view import View
from jade_coat.material.fields import Setting, Spec
from jade_coat.mesh.filling import GROUND_HINTS, GROUND_LABELS, PaintRule, filled, filled_by
from jade_coat.mesh.painting import Paint
from jade_coat.stage.project import Prop
from jade_coat.view.camera import project, ray

ANGLES = Spec("Angles", "range", "°", 0.0, float(np.pi), hint="A up to the first angle, B from the second on")
METRES = Spec("From, to", "range", "m", -1000.0, 1000.0, (0.0, 5.0), hint="A at the first, B at the second")
SPREAD = Spec("Spread", "range", hint="The noise that becomes A, and B")
SIZE = Spec("Size", "number", "m", 0.001, 1000.0, (0.005, 5.0), True)
SEED = Spec("Seed", "integer", "", 0, 9999, (0, 99))
BEND = Spec("Bend", "number", "m", 0.001, 10.0, (0.005, 1.0), True, "The radius that counts as an edge")
REACH = Spec("Reach", "number", "m", 0.001, 1000.0, (0.02, 5.0), True, "How far away something still shelters")
DIRECTION = Spec("Direction", "point", "", -1.0, 1.0)


def _point(label: str) -> Spec:
    return Spec(label, "point", "m", -1000.0, 1000.0, (-5.0, 5.0))


FIELDS: dict[str, tuple[tuple[str, Spec], ...]] = {
    "even": (), "part": (("seed", SEED),), "channel": (), "cavity": (("size", BEND),), "occlusion": (("size", REACH),),
    "gradient": (("points.0", _point("From point")), ("points.1", _point("To point"))),
    "angle": (("direction", DIRECTION), ("range", ANGLES)), "height": (("range", METRES),),
    "distance": (("points.0", _point("Point")), ("range", METRES)),
    "noise": (("size", SIZE), ("seed", SEED), ("range", SPREAD)),
}  # fmt: skip
STARTS: dict[str, dict[str, Any]] = {
    "angle": {"range": (0.0, float(np.pi / 2))}, "height": {"range": (0.0, 1.0)}, "distance": {"range": (0.0, 1.0)},
    "noise": {"range": (0.3, 0.7), "size": 0.3}, "cavity": {"size": 0.03}, "occlusion": {"size": 0.3},
}  # fmt: skip
SPACED = ("gradient", "angle", "distance", "noise")


class FillPanel(QWidget):
    """What to fill with. The channels are those of the brush."""

    changed = pyqtSignal()

    def __init__(self, session: Session, brush: BrushState) -> None:
        super().__init__()
        self._session, self._brush = session, brush
        self.rule = PaintRule(channels=brush.brush.channels)
        self._base: Paint | None = None
        self._shown: Paint | None = None
        self._prop, self._turn, self._asked = "", 0, 0
        self.fields: dict[str, QWidget] = {}
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(0, 6, 0, 0)
        self._box.setSpacing(5)
        self._key: object = None
        brush.changed.connect(lambda: self.set(channels=brush.brush.channels))
        session.changed.connect(self._follow)
        session.selection_changed.connect(self._follow)
        self._follow()

    @property
    def live(self) -> bool:
        """Whether a preview is shown that is not applied yet."""
        return self._base is not None

    @property
    def prop(self) -> Prop | None:
        """The prop that is filled."""
        return self._session.prop

    def start(self) -> None:
        """Show the fill on the prop until it is applied or taken back."""
        prop = self.prop
        if prop is None:
            return
        self._base, self._prop = self._paint_of(prop), prop.id
        self._turn += 1
        self._preview()
        self._rebuild()

    def apply(self) -> None:
        """Keep what is shown, as one change; with the tick, keep the rule too."""
        if not self.live:
            return
        if self.keep.isChecked():
            self._session.do("keep_rule", merge=("fill", self._turn), prop=self._prop, rule=self.rule)
        self._session.document.settle()
        self._end()

    def take_back(self) -> None:
        """Go back to the paint before."""
        if self.live and self._shown is not None:
            self._session.document.undo()
        self._end()

    def run_again(self) -> None:
        """Run all kept rules anew on the prop's paint as it is."""
        prop = self.prop
        if prop is None or not prop.rules:
            return
        mesh, matrix, base = self._session.link.mesh_data(prop.mesh), prop.matrix(), self._paint_of(prop)

        def done(paint: Paint) -> None:
            self._session.do("paint_prop", prop=prop.id, paint=paint)

        self._session.work(lambda: filled_by(prop.rules, mesh, matrix, base), done, self._failed)

    def set(self, **changes: Any) -> None:
        """Change the rule; a preview follows."""
        made: PaintRule = self.rule.with_(**changes)
        if made == self.rule:
            return
        rebuilt = (made.ground, made.space) != (self.rule.ground, self.rule.space)
        self.rule = made
        if rebuilt:
            self._rebuild()
        self._show()
        if self.live:
            self._preview()
        self.changed.emit()

    # Building

    def _follow(self) -> None:
        prop = self.prop
        if self.live and (
            prop is None or prop.id != self._prop or (self._shown is not None and prop.paint is not self._shown)
        ):
            self._end()  # something else changed the paint, or undid the preview
        slots = self._session.project.mesh(prop.mesh).slots if prop else ()
        key = (prop.id if prop else "", slots, prop.rules if prop else ())
        if key != self._key:
            self._key = key
            self._rebuild()

    def _still_shown(self, prop: Prop | None) -> bool:
        """Whether the preview is what the prop wears: another change, an undo or another choice ends it."""
        return prop is not None and prop.id == self._prop and (self._shown is None or prop.paint is self._shown)

    def _end(self) -> None:
        self._base = self._shown = None
        self._rebuild()
        self.changed.emit()

    def _rebuild(self) -> None:
        clear(self._box)
        self.fields, rule, prop = {}, self.rule, self.prop
        self.keep = QCheckBox("keep as a rule")
        if prop is None:
            self._box.addWidget(label("Choose a prop to fill.", "quiet"))
            return
        grounds = [(k, text) for k, text in GROUND_LABELS.items()]
        self.ground = choice(grounds, rule.ground, self._choose, GROUND_HINTS[rule.ground])
        self._line("By", self.ground)
        self._box.addWidget(label(GROUND_HINTS[rule.ground], "quiet", wrap=True))
        self._build_actions()
        self._number("a", Spec("A"))
        self._number("b", Spec("B"))
        if rule.ground in SPACED:
            spaces = [("object", "the object"), ("world", "the world")]
            self._line("Fixed to", choice(spaces, rule.space, lambda s: self.set(space=s)))
        for name, spec in FIELDS[rule.ground]:
            self._number(name, spec)
        if rule.ground == "channel":
            sources = [(str(i), f"Channel {c}") for i, c in enumerate("RGBA")]
            self._line("Reads", choice(sources, str(rule.source), lambda c: self.set(source=int(c))))
        eases = [(k, k.capitalize()) for k in ("linear", "smooth", "step")]
        self._line("Ease", choice(eases, rule.ease, lambda e: self.set(ease=e)))
        mixes = [(k, k.capitalize()) for k in ("replace", "multiply", "add", "max", "min")]
        self._line("Mix", choice(mixes, rule.mix, lambda m: self.set(mix=m), "How it joins what is painted"))
        self._number("strength", Spec("Strength"))
        slots = self._session.project.mesh(prop.mesh).slots
        if len(slots) > 1:
            options = [("", "Whole mesh"), *((s, s) for s in slots)]
            self._line("On", choice(options, rule.slot if rule.slot in slots else "", lambda s: self.set(slot=s)))
        turned = QCheckBox("turn A and B round")
        turned.setChecked(rule.invert)
        turned.clicked.connect(lambda on: self.set(invert=on))
        self._box.addWidget(turned)
        self._build_rules(prop)

    def _build_actions(self) -> None:
        if self.live:
            self.apply_button = button("Apply", self.apply, "main")
            self.back_button = button("Take back", self.take_back)
            self._box.addLayout(row(self.apply_button, self.back_button, 1))
            self._box.addWidget(self.keep)
        else:
            tip = "Show it on the prop; nothing is kept until you apply it"
            self.start_button = button("Fill…", self.start, tip=tip)
            self._box.addLayout(row(self.start_button, 1))

    def _build_rules(self, prop: Prop) -> None:
        for i, kept in enumerate(prop.rules):
            names = "".join("RGBA"[c] for c in kept.channels)
            drop = button(
                "×", partial(self._session.do, "drop_rule", prop=prop.id, index=i), "plain", "Forget this rule"
            )
            drop.setFixedSize(26, 26)
            self._box.addLayout(row(label(f"{i + 1}. {GROUND_LABELS[kept.ground]} on {names}"), 1, drop))
        if prop.rules:
            self._box.addWidget(
                button("Run the rules again", self.run_again, "add", "In order, on the paint as it is now")
            )

    def _line(self, name: str, control: QWidget) -> None:
        control.setFixedWidth(124)
        self._box.addLayout(row(label(name), 1, control))

    def _number(self, name: str, spec: Spec) -> None:
        control = field_for(spec, self._value(name))
        control.changed.connect(partial(self._put, name))
        self.fields[name] = control
        self._line(spec.label, control)

    def _value(self, name: str) -> Setting:
        if name.startswith("points."):
            found: Setting = self.rule.points[int(name[-1])]
            return found
        value: Setting = getattr(self.rule, name)
        return value

    def _put(self, name: str, value: Any) -> None:
        if name.startswith("points."):
            points = list(self.rule.points)
            points[int(name[-1])] = value
            self.set(points=tuple(points))
        elif name == "direction" and not np.any(value):
            return
        else:
            self.set(**{name: value})

    def _show(self) -> None:
        for name, control in self.fields.items():
            if isinstance(control, NumberField):
                control.show_value(self._value(name))

    def _choose(self, ground: str) -> None:
        changes = {"ground": ground, **STARTS.get(ground, {})}
        prop = self.prop
        if ground in ("gradient", "distance") and prop is not None:
            low, high = self._session.link.mesh_data(prop.mesh).bounds
            middle = (low + high) / 2
            ends = np.stack([middle, middle])
            ends[0, 1], ends[1, 1] = low[1], high[1]
            if self.rule.space == "world":
                ends = ends @ prop.matrix()[:3, :3].T + prop.matrix()[:3, 3]
            changes["points"] = tuple(tuple(float(v) for v in p) for p in ends)
        self.set(**changes)

    # Filling

    def _paint_of(self, prop: Prop) -> Paint:
        if isinstance(prop.paint, Paint):
            return prop.paint
        mesh = self._session.link.mesh_data(prop.mesh)
        return Paint.of(mesh.colors[0] if mesh.colors else np.zeros((mesh.vertex_count, 4), np.uint16))

    def _failed(self, error: Exception) -> None:
        self._session.said.emit(f"This cannot be filled: {error}", True)

    def _preview(self) -> None:
        prop, base, rule = self.prop, self._base, self.rule
        assert prop is not None
        assert base is not None
        self._asked += 1
        asked, turn = self._asked, self._turn
        mesh, matrix = self._session.link.mesh_data(prop.mesh), prop.matrix()

        def done(paint: Paint) -> None:
            if self.live and asked == self._asked:
                self._shown = paint
                self._session.do("paint_prop", merge=("fill", turn), prop=prop.id, paint=paint)

        self._session.work(
            lambda: filled(rule, mesh, matrix, base), done,
            self._failed,
        )  # fmt: skip


class FillHandles(Overlay):
    """The two points of a gradient on the view, to be dragged."""

    def __init__(self, view: View, panel: FillPanel) -> None:
        super().__init__(view)
        self._panel, self._grabbed = panel, 0
        panel.changed.connect(view.update)

    def _places(self) -> list[QPointF]:
        """Where the points of the rule lie on the view."""
        panel, prop = self._panel, self._panel.prop
        shows = {"gradient": 2, "distance": 1}.get(panel.rule.ground, 0)
        if prop is None or self.view.tool != "brush" or self.view.shape or not panel.live or not shows:
            return []
        points = np.array(panel.rule.points[:shows])
        if panel.rule.space == "object":
            points = points @ prop.matrix()[:3, :3].T + prop.matrix()[:3, 3]
        seen = project(self.view.main_eye(), points)
        return [QPointF(x * self.view.width(), y * self.view.height()) for x, y in seen[:, :2]]

    def paint(self, painter: QPainter) -> None:
        """Draw the points, A empty and B full, and the line between them."""
        places = self._places()
        if len(places) == 2:
            for tone, width in (("chrome", 3.5), ("persimmon", 1.5)):
                painter.setPen(QPen(theme.color(tone), width))
                painter.drawLine(places[0], places[1])
        painter.setPen(QPen(theme.color("persimmon"), 2))
        for i, place in enumerate(places):
            painter.setBrush(theme.color("persimmon" if i else "chrome"))
            painter.drawEllipse(place, 6, 6)

    def press(self, at: QPointF, event: QSinglePointEvent) -> bool:
        """Take hold of a point."""
        for i, place in enumerate(self._places()):
            if (place - at).manhattanLength() < 13:
                self._grabbed = i
                return True
        return False

    def move(self, at: QPointF, event: QSinglePointEvent) -> None:
        """Move it across the plane that faces the viewer."""
        panel, prop = self._panel, self._panel.prop
        assert prop is not None
        matrix = prop.matrix()
        eye = self.view.main_eye()
        point = np.array(panel.rule.points[self._grabbed])
        world = matrix[:3, :3] @ point + matrix[:3, 3] if panel.rule.space == "object" else point
        origin, way = ray(eye, at.x() / max(self.view.width(), 1), at.y() / max(self.view.height(), 1))
        _, ahead = ray(eye, 0.5, 0.5)
        reach = float((world - origin) @ ahead) / max(float(way @ ahead), 1e-9)
        moved = origin + way * reach
        if panel.rule.space == "object":
            moved = np.linalg.inv(matrix[:3, :3]) @ (moved - matrix[:3, 3])
        points: list[Any] = list(panel.rule.points)
        points[self._grabbed] = tuple(float(v) for v in moved)
        panel.set(points=tuple(points))
