"""Fills the chosen prop's paint by rule: a live preview until it is applied, and rules kept to run again."""

from __future__ import annotations

from functools import partial
from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPen, QSinglePointEvent
from PyQt6.QtWidgets import QCheckBox, QVBoxLayout, QWidget

from jade_coat.app import theme
from jade_coat.app.brush.state import BrushState
from jade_coat.app.controls.basics import Line, button, choice, clear, label, row
from jade_coat.app.controls.fields import NumberField
from jade_coat.app.controls.settings import field_for
from jade_coat.app.session import Session
from jade_coat.app.view.overlay import Overlay
from jade_coat.app.view.view import View
from jade_coat.looking.surroundings import surroundings
from jade_coat.material.fields import Setting, Spec, Vec3
from jade_coat.material.where import MAP_READS
from jade_coat.mesh.data import MeshData
from jade_coat.mesh.filling import filled, map_filled
from jade_coat.mesh.measures import Around
from jade_coat.mesh.painting import Paint, PaintMap, shown_paint
from jade_coat.program.types import Array
from jade_coat.stage import edits
from jade_coat.stage.paint_rules import MEASURE_HINTS, MEASURE_LABELS, PaintRule
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


VALUES = Spec("From, to", "range", hint="What becomes A, and what becomes B")
WIDTH = Spec("Width", "number", "m", 0.001, 100.0, (0.005, 2.0), True, "How far the values run into each other")
TILE = Spec("Tile size", "number", "m", 0.001, 1000.0, (0.05, 8.0), True, "Metres that one tile spans")
CURVE = Spec("Ease curve", "curve", hint="B over the way from A")
FIELDS: dict[str, tuple[tuple[str, Spec], ...]] = {
    "even": (), "part": (("seed", SEED),), "channel": (), "cavity": (("size", BEND),), "occlusion": (("size", REACH),),
    "mesh": (("range", METRES),), "map": (("range", VALUES),), "levels": (("range", VALUES),), "clamp": (),
    "blur": (("size", WIDTH),),
    "gradient": (("points.0", _point("From point")), ("points.1", _point("To point"))),
    "angle": (("direction", DIRECTION), ("range", ANGLES)), "height": (("range", METRES),),
    "distance": (("points.0", _point("Point")), ("range", METRES)),
    "noise": (("size", SIZE), ("seed", SEED), ("range", SPREAD)),
}  # fmt: skip
STARTS: dict[str, dict[str, Any]] = {
    "angle": {"range": (0.0, float(np.pi / 2))}, "height": {"range": (0.0, 1.0)}, "distance": {"range": (0.0, 1.0)},
    "noise": {"range": (0.3, 0.7), "size": 0.3}, "cavity": {"size": 0.03}, "occlusion": {"size": 0.3},
    "mesh": {"range": (0.0, 0.5)}, "map": {"range": (0.0, 1.0)}, "levels": {"range": (0.2, 0.8)},
    "blur": {"size": 0.1}, "clamp": {"a": 0.2, "b": 0.8},
}  # fmt: skip
POINTED = ("gradient", "distance")
SPACED = ("gradient", "angle", "distance", "noise")


class FillPanel(QWidget):
    """What to fill with. The channels are those of the brush."""

    changed = pyqtSignal()

    def __init__(self, session: Session, brush: BrushState) -> None:
        super().__init__()
        self._session, self._brush = session, brush
        self.rule = PaintRule(channels=brush.brush.channels)
        self._base: Painted | None = None
        self._shown: Painted | None = None
        self._prop, self._asked, self._placed = "", 0, ""
        self._worn: tuple[object, ...] = ()
        """The mesh, and the paint that the document has on the prop, while a preview is shown."""
        self._pending = self._applying = False
        self._working = Line()
        self.choosing_piece = False
        """Whether the next press on the prop says which connected piece is filled."""
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
        self._worn = self._wears(prop)
        self._preview()
        self._rebuild()

    def apply(self) -> None:
        """Keep what is shown, as one change; with the tick, keep the rule too. What is still worked out is awaited."""
        if not self.live:
            return
        if self._pending or self._shown is None:
            self._applying = True
            return
        made, rule = self._shown, self.rule if self.keep.isChecked() else None
        prop = self._prop
        self._end()
        if isinstance(made, PaintMap):
            steps = [edits.paint_map(prop=prop, paint_map=made)]
        else:
            steps = [edits.paint_prop(prop=prop, paint=made)]
        if rule is not None:
            steps.append(edits.keep_rule(prop=prop, rule=rule))
        self._session.do_all("Fill by rule", steps)

    def take_back(self) -> None:
        """Go back to the paint before."""
        self._end()

    def run_again(self) -> None:
        """Run all kept rules anew on the prop's paint as it is."""
        prop = self.prop
        if prop is None or not prop.rules:
            return
        mesh, matrix = self._session.link.mesh_data(prop.mesh), prop.matrix()
        sets = max(max(rule.channels) for rule in prop.rules) // 4 + 1
        base = self._paint_of(prop, sets)
        around = self._around(prop)

        def work() -> Painted:
            found = base
            for rule in prop.rules:
                found = _filled(rule, mesh, matrix, found, around)
            return found

        self._session.work_on_paint(prop.mesh, work, lambda made: self._put_on(prop.id, made, None), self._failed)

    def choose_piece(self, point: Vec3) -> None:
        """Fill only the connected piece at a place of the prop."""
        self.choosing_piece = False
        self.set(piece=point)
        self._rebuild()

    def set(self, **changes: Any) -> None:
        """Change the rule; a preview follows."""
        made: PaintRule = self.rule.with_(**changes)
        if made == self.rule:
            return
        rebuilt = any(getattr(made, n) != getattr(self.rule, n) for n in ("measure", "space", "ease", "tiled"))
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
        if self.live and not self._still_shown(prop):
            self._end()  # something else changed the paint, or undid the preview
        slots = self._session.project.mesh(prop.mesh).slots if prop else ()
        others = tuple((p.id, p.name) for p in self._session.project.props)
        key = (prop.id if prop else "", slots, prop.rules if prop else (), others, self._session.project.map_sets)
        if prop is not None and prop.id != self._placed and not self.live:
            self._placed = prop.id  # the last prop's points mean nothing here
            self.rule = self.rule.with_(points=self._ends(prop))
        if key != self._key:
            self._key = key
            self._rebuild()

    def _still_shown(self, prop: Prop | None) -> bool:
        """Whether the preview is what the prop wears: another change, an undo or another choice ends it."""
        if prop is None or prop.id != self._prop:
            return False
        return all(a is b for a, b in zip(self._wears(prop), self._worn, strict=True))

    def _wears(self, prop: Prop) -> tuple[object, ...]:
        return (self._session.project.mesh(prop.mesh), prop.paint, prop.paint_map)

    def _end(self) -> None:
        self._asked += 1  # what is still being worked out is given up
        self._base = self._shown = None
        self._pending = self._applying = False
        self._working.say("")
        self._session.show_on_trial(self._prop, None)
        self._rebuild()
        self.changed.emit()

    def _rebuild(self) -> None:
        clear(self._box)
        self.fields, rule, prop = {}, self.rule, self.prop
        self.keep = QCheckBox("keep as a rule")
        if prop is None:
            self._box.addWidget(label("Choose a prop to fill.", "quiet"))
            return
        measures = [(k, text) for k, text in MEASURE_LABELS.items()]
        self.measure = choice(measures, rule.measure, self._choose, MEASURE_HINTS[rule.measure])
        self._line("By", self.measure)
        self._box.addWidget(label(MEASURE_HINTS[rule.measure], "quiet", wrap=True))
        self._build_actions()
        self._number("a", Spec("A"))
        self._number("b", Spec("B"))
        if rule.measure in SPACED:
            spaces = [("object", "the object"), ("world", "the world")]
            self._line("Fixed to", choice(spaces, rule.space, self._set_space))
        for name, spec in FIELDS[rule.measure]:
            self._number(name, spec)
        self._build_sources(prop)
        if rule.measure not in ("clamp", "blur", "even"):
            eases = [(k, k.capitalize()) for k in ("linear", "smooth", "step", "curve")]
            self._line("Ease", choice(eases, rule.ease, lambda e: self.set(ease=e)))
            if rule.ease == "curve":
                curve = field_for(CURVE, rule.curve)
                curve.changed.connect(partial(self._put, "curve"))
                self.fields["curve"] = curve
                self._box.addWidget(curve)
        mixes = [(k, k.capitalize()) for k in ("replace", "multiply", "add", "max", "min")]
        self._line("Mix", choice(mixes, rule.mix, lambda m: self.set(mix=m), "How it joins what is painted"))
        self._number("strength", Spec("Strength"))
        self._build_only(prop)
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
            self._box.addWidget(self._working.widget())
            self._box.addWidget(self.keep)
        else:
            tip = "Show it on the prop; nothing is kept until you apply it"
            self.start_button = button("Fill…", self.start, tip=tip)
            self._box.addLayout(row(self.start_button, 1))

    def _build_sources(self, prop: Prop) -> None:
        """What the measure reads beside the mesh."""
        rule, project = self.rule, self._session.project
        if rule.measure == "channel":
            first = 4 * self._brush.color_set
            sources = [(str(first + i), f"Channel {c}") for i, c in enumerate("RGBA")]
            self._line("Reads", choice(sources, str(rule.source), lambda c: self.set(source=int(c))))
        elif rule.measure == "mesh":
            others = [("", "Choose…"), *((p.id, p.name) for p in project.props if p.id != prop.id)]
            self._line("From", choice(others, rule.other, lambda p: self.set(other=p)))
        elif rule.measure == "map":
            sets = [("", "Choose…"), *((s.id, s.name) for s in project.map_sets)]
            self._line("Map set", choice(sets, rule.map_set, self._choose_map))
            held = next((s.maps for s in project.map_sets if s.id == rule.map_set), ())
            roles = {m.role for m in held}
            reads = [(k, k.capitalize()) for k, (role, _) in MAP_READS.items() if not held or role in roles]
            self._line("Read", choice(reads, rule.read, lambda r: self.set(read=r)))
            count = len(self._session.link.mesh_data(prop.mesh).uvs)
            uv_sets = [(str(i), f"UV set {i + 1}") for i in range(count)]
            self._line("By", choice(uv_sets, str(rule.uv_set), lambda i: self.set(uv_set=int(i))))
            ways = [("once", "Once"), ("tiled", "Tiled")]
            self._line("Laid", choice(ways, "tiled" if rule.tiled else "once", lambda w: self.set(tiled=w == "tiled"),
                                      "Once over the whole UV square, or tiled by metres"))  # fmt: skip
            if rule.tiled:
                self._number("size", TILE)

    def _choose_map(self, map_set: str) -> None:
        found = next((s for s in self._session.project.map_sets if s.id == map_set), None)
        roles = {m.role for m in found.maps} if found else set()
        read = next((k for k, (role, _) in MAP_READS.items() if role in roles), self.rule.read)
        tiled = {"size": found.tile_size} if found else {}
        self.set(map_set=map_set, read=read, **tiled)
        self._rebuild()

    def _build_only(self, prop: Prop) -> None:
        """Where on the mesh: a slot, a piece, or what a channel selects."""
        rule, slots = self.rule, self._session.project.mesh(prop.mesh).slots
        options = [("", "Whole mesh")]
        options += [(f"slot {s}", s) for s in slots] if len(slots) > 1 else []
        options += [("piece", "One piece…")]
        first = 4 * self._brush.color_set
        options += [(f"channel {first + i}", f"Where {c} is painted") for i, c in enumerate("RGBA")]
        now = f"slot {rule.slot}" if rule.slot in slots and len(slots) > 1 else ""
        now = "piece" if rule.piece is not None else f"channel {rule.chosen}" if rule.chosen is not None else now
        self.only = choice(options, now, self._choose_only, "Only a part: what a channel is painted on is a selection")
        self._line("Only", self.only)
        if self.choosing_piece:
            self._box.addWidget(label("Click on the piece in the view.", "warn", wrap=True))

    def _choose_only(self, key: str) -> None:
        kind, _, what = key.partition(" ")
        self.choosing_piece = kind == "piece"
        if not self.choosing_piece:
            chosen = int(what) if kind == "channel" else None
            self.set(slot=what if kind == "slot" else "", piece=None, chosen=chosen)
        self._rebuild()

    def _build_rules(self, prop: Prop) -> None:
        for i, kept in enumerate(prop.rules):
            names = ", ".join(channel_name(c) for c in kept.channels)
            drop = button(
                "×", partial(self._session.do, edits.drop_rule(prop=prop.id, index=i)), "plain", "Forget this rule"
            )
            drop.setFixedSize(26, 26)
            self._box.addLayout(row(label(f"{i + 1}. {MEASURE_LABELS[kept.measure]} on {names}"), 1, drop))
        if prop.rules:
            self._box.addWidget(
                button("Run the rules again", self.run_again, "add", "In order, on the paint as it is now")
            )

        others = [(p.id, p.name) for p in self._session.project.props if p.id != prop.id and p.rules]
        if others:
            tip = "Take the rules that another prop keeps, to run them here"
            self.rules_of = choice([("", "Take rules from…"), *others], "", self._copy_rules, tip)
            self._box.addWidget(self.rules_of)

    def _copy_rules(self, source: str) -> None:
        if source and self.prop is not None:
            self._session.do(edits.copy_rules(prop=self.prop.id, source=source))

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

    def _choose(self, measure: str) -> None:
        changes = {"measure": measure, **STARTS.get(measure, {})}
        if measure in POINTED and self.prop is not None:
            changes["points"] = self._ends(self.prop)
        self.set(**changes)

    def _ends(self, prop: Prop) -> Any:
        """The foot and the top of a prop, in the middle of its bounds, in the rule's space."""
        low, high = self._session.link.mesh_data(prop.mesh).bounds
        middle = (low + high) / 2
        ends = np.stack([middle, middle]).astype(np.float64)
        ends[0, 1], ends[1, 1] = low[1], high[1]
        return _points(ends if self.rule.space == "object" else _moved(ends, prop.matrix()))

    def _set_space(self, space: str) -> None:
        """Fix the rule to the object or to the world; its points and its direction stay where they are seen."""
        prop, rule = self.prop, self.rule
        if prop is None or space == rule.space:
            return
        matrix = prop.matrix() if space == "world" else np.linalg.inv(prop.matrix())
        way = matrix[:3, :3] @ np.array(rule.direction)
        way /= max(float(np.linalg.norm(way)), 1e-12)
        points = _points(_moved(np.array(rule.points, np.float64), matrix))
        self.set(space=space, points=points, direction=tuple(float(v) for v in way))

    # Filling

    def _paint_of(self, prop: Prop, sets: int = 0) -> Painted:
        """What is filled: the prop's map where it stands in for the chosen colour set, else its vertices."""
        found = prop.paint_map
        if isinstance(found, PaintMap) and found.color_set == self._brush.color_set:
            return found
        mesh, own = self._session.link.mesh_data(prop.mesh), prop.paint if isinstance(prop.paint, Paint) else None
        return shown_paint(mesh, own, max(sets, max(self.rule.channels) // 4 + 1))

    def _around(self, prop: Prop) -> Around:
        asked = self._asked
        return surroundings(self._session.project, self._session.library, prop, lambda: asked != self._asked)

    def _put_on(self, prop: str, made: Painted, merge: object) -> None:
        if isinstance(made, PaintMap):
            self._session.do(edits.paint_map(prop=prop, paint_map=made), merge=merge)
        else:
            self._session.do(edits.paint_prop(prop=prop, paint=made), merge=merge)

    def _failed(self, error: Exception) -> None:
        self._pending = self._applying = False
        self._working.say("")
        text = str(error.args[0]) if isinstance(error, KeyError) and error.args else str(error)
        self._session.said.emit(f"This cannot be filled: {text}", True)

    def _preview(self) -> None:
        prop, base, rule = self.prop, self._base, self.rule
        assert prop is not None
        assert base is not None
        if isinstance(base, Paint):  # the rule may have gone on to another colour set meanwhile
            own = self._session.link.mesh_data(prop.mesh)
            self._base = base = shown_paint(own, base, max(rule.channels) // 4 + 1)
        self._asked += 1
        asked = self._asked
        mesh, matrix, around = self._session.link.mesh_data(prop.mesh), prop.matrix(), self._around(prop)

        def done(made: Painted) -> None:
            if self.live and asked == self._asked:
                self._working.say("")
                self._pending = False
                self._shown = made
                self._session.show_on_trial(prop.id, made)
                if self._applying:
                    self.apply()

        self._pending = True
        self._working.say("Working it out…")
        self._session.work(lambda: _filled(rule, mesh, matrix, base, around), done, self._failed)


Painted = Paint | PaintMap


def channel_name(channel: int) -> str:
    """A channel as people read it: its letter, and its colour set beyond the first."""
    color_set, letter = divmod(channel, 4)
    return f"{'RGBA'[letter]}{f' of set {color_set + 1}' if color_set else ''}"


def _moved(points: Array, matrix: Array) -> Array:
    return np.asarray(points @ matrix[:3, :3].T + matrix[:3, 3])


def _points(points: Array) -> tuple[Vec3, Vec3]:
    first, second = ((float(x), float(y), float(z)) for x, y, z in points)
    return first, second


def _filled(rule: PaintRule, mesh: MeshData, matrix: Array, painted: Painted, around: Around) -> Painted:
    if isinstance(painted, PaintMap):
        chosen = None if rule.chosen is None else rule.chosen % 4
        own = rule.with_(channels=tuple(c % 4 for c in rule.channels), source=rule.source % 4, chosen=chosen)
        return map_filled(own, mesh, matrix, painted, around)
    return filled(rule, mesh, matrix, painted, around)


class FillHandles(Overlay[View]):
    """The two points of a gradient on the view, to be dragged."""

    def __init__(self, view: View, panel: FillPanel) -> None:
        super().__init__(view)
        self._panel, self._grabbed = panel, 0
        panel.changed.connect(view.update)

    def _places(self) -> list[QPointF]:
        """Where the points of the rule lie on the view."""
        panel, prop = self._panel, self._panel.prop
        shows = {"gradient": 2, "distance": 1}.get(panel.rule.measure, 0)
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
        """Take hold of a point, or say which piece is filled."""
        panel = self._panel
        if panel.choosing_piece and self.view.tool == "brush" and panel.prop is not None:
            hit = self.view.pick(at, panel.prop.id)
            if hit is not None:
                x, y, z = (float(v) for v in hit.local[0])
                panel.choose_piece((x, y, z))
            return True
        for i, place in enumerate(self._places()):
            if (place - at).manhattanLength() < 13:
                self._grabbed = i
                return True
        return False

    def move(self, at: QPointF, event: QSinglePointEvent) -> None:
        """Move it along the line between the points; with Shift, or alone, across the plane that faces the viewer."""
        panel, prop = self._panel, self._panel.prop
        assert prop is not None
        own = panel.rule.space == "object"
        points = np.array(panel.rule.points, np.float64)
        world = _moved(points, prop.matrix()) if own else points
        origin, way = ray(self.view.main_eye(), at.x() / max(self.view.width(), 1), at.y() / max(self.view.height(), 1))
        free = panel.rule.measure != "gradient" or bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        held, other = world[self._grabbed], world[1 - self._grabbed]
        along = None if free else _along_line(held, other, origin, way)
        if along is None:
            _, ahead = ray(self.view.main_eye(), 0.5, 0.5)
            along = origin + way * (float((held - origin) @ ahead) / max(float(way @ ahead), 1e-9))
        world[self._grabbed] = along
        panel.set(points=_points(_moved(world, np.linalg.inv(prop.matrix())) if own else world))


def _along_line(held: Array, other: Array, origin: Array, way: Array) -> Array | None:
    """The place on the line through two points that is nearest to a ray; None where the line points at the viewer."""
    line = held - other
    size = float(np.linalg.norm(line))
    if size < 1e-9:
        return None
    line = line / size
    slant = float(line @ way)
    if 1 - slant * slant < 0.02:
        return None
    between = origin - other
    far = float(between @ line - (between @ way) * slant) / (1 - slant * slant)
    return np.asarray(other + line * far)
