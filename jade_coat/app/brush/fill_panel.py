"""Fills the chosen prop's paint by rule: a live preview until it is applied, and rules kept to run again."""

from __future__ import annotations

from functools import lru_cache, partial
from typing import Any

import numpy as np
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QCheckBox, QVBoxLayout, QWidget

from jade_coat.app.brush.fill_fields import CURVE, FIELDS, POINTED, SPACED, STARTS, TILE, channel_name
from jade_coat.app.brush.filling import Filling
from jade_coat.app.brush.pictures import of_fill
from jade_coat.app.brush.state import BrushState
from jade_coat.app.brush.step_width import StepWidth
from jade_coat.app.controls.basics import button, captioned, choice, clear, label, row
from jade_coat.app.controls.fields import NumberField
from jade_coat.app.controls.images import with_pictures
from jade_coat.app.controls.settings import field_for
from jade_coat.app.session import Session
from jade_coat.material.fields import Setting, Spec, Vec3
from jade_coat.material.where import MAP_READS
from jade_coat.program.types import Array
from jade_coat.stage import edits
from jade_coat.stage.alike import ALSO, others_like
from jade_coat.stage.paint_rules import MEASURE_HINTS, MEASURE_LABELS, PaintRule
from jade_coat.stage.project import Prop


class FillPanel(Filling):
    """What to fill with. The channels are those of the brush."""

    def __init__(self, session: Session, brush: BrushState) -> None:
        super().__init__(session, brush)
        self.choosing_piece = False
        """Whether the next press on the prop says which connected piece is filled."""
        self.fields: dict[str, QWidget] = {}
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(0, 6, 0, 0)
        self._box.setSpacing(5)
        self._key: object = None
        self.also = ""
        self.step = StepWidth(session, self)
        brush.changed.connect(self._take_brush)
        self._take_brush()
        session.changed.connect(self._follow)
        session.selection_changed.connect(self._follow)
        self._follow()

    def _take_brush(self) -> None:
        """The channels and the two values are the brush's; only a clamp has two of its own."""
        brush = self._brush.brush
        own = {} if self.rule.measure == "clamp" else {"a": brush.a, "b": brush.b}
        self.set(channels=brush.channels, **own)

    def start(self) -> None:
        """Show the fill on the prop until it is applied or taken back."""
        prop = self.prop
        if prop is None:
            return
        self._base, self._prop = self.paint_of(prop), prop.id
        self._worn = self._wears(prop)
        self._preview()
        self._rebuild()

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
        if made.ease == "step" and not rebuilt:
            self.step.measure()
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

    def _rebuild(self) -> None:
        clear(self._box)
        self.fields, rule, prop = {}, self.rule, self.prop
        self.keep = QCheckBox("keep as a rule")
        if prop is None:
            self._box.addWidget(label("Choose a prop to fill.", "quiet"))
            return
        measures = [(k, text) for k, text in MEASURE_LABELS.items()]
        self.measure = choice(measures, rule.measure, self._choose, "What the fill goes by")
        with_pictures(self.measure, _fill_picture)
        self._line("By", self.measure)
        self._box.addWidget(label(MEASURE_HINTS[rule.measure], "quiet", wrap=True))
        self._build_actions()
        clamp = rule.measure == "clamp"
        self._number("a", Spec("Highest" if clamp else "A", hint="The brush's own A" if not clamp else ""))
        self._number("b", Spec("Lowest" if clamp else "B", hint="The brush's own B" if not clamp else ""))
        if rule.measure in SPACED:
            spaces = [("object", "the object"), ("world", "the world")]
            self._line(
                "Fixed to", choice(spaces, rule.space, self._set_space, "What its places and directions are told in")
            )
        if rule.measure == "axis":
            axes = [(a, a.upper()) for a in "xyz"]
            self._line("Axis", choice(axes, rule.axis, lambda a: self.set(axis=a), "Which way through its bounds"))
        for name, spec in FIELDS[rule.measure]:
            self._number(name, spec)
        self._build_sources(prop)
        if rule.measure not in ("clamp", "blur", "even"):
            self._build_ease()
        mixes = [(k, k.capitalize()) for k in ("replace", "multiply", "add", "max", "min")]
        self._line("Mix", choice(mixes, rule.mix, lambda m: self.set(mix=m), "How it joins what is painted"))
        self._number("strength", Spec("Strength"))
        self._build_only(prop)
        turned = QCheckBox("turn A and B round")
        turned.setChecked(rule.invert)
        turned.clicked.connect(lambda on: self.set(invert=on))
        self._box.addWidget(turned)
        self._build_rules(prop)

    def _build_ease(self) -> None:
        rule = self.rule
        eases = [(k, k.capitalize()) for k in ("linear", "smooth", "step", "curve")]
        self._line("Ease", choice(eases, rule.ease, lambda e: self.set(ease=e), "How it goes from B to A"))
        if rule.ease == "step":
            self.step.build(self._box)
        if rule.ease == "curve":
            curve = field_for(CURVE, rule.curve)
            curve.changed.connect(partial(self._put, "curve"))
            self.fields["curve"] = curve
            self._box.addWidget(curve)

    def _build_actions(self) -> None:
        if self.live:
            self.apply_button = button("Apply", self.apply, "main")
            self.back_button = button("Take back", self.take_back)
            self._box.addLayout(row(self.apply_button, self.back_button, 1))
            self._box.addWidget(self._working.widget())
            self._build_also()
            self._box.addWidget(self.keep)
        else:
            tip = "Show it on the prop; nothing is kept until you apply it"
            self.start_button = button("Fill…", self.start, tip=tip)
            self._box.addLayout(row(self.start_button, 1))

    def _build_also(self) -> None:
        """Which other props are filled along with the chosen one."""
        prop, project = self.prop, self._session.project
        assert prop is not None
        options = [("", "This prop alone")]
        for key, words in ALSO.items():
            more = len(others_like(project, prop, key))
            if more:
                options.append((key, f"{words} ({more} more)"))
        if self.also not in dict(options):
            self.also = ""
        if len(options) > 1:
            tip = "Apply fills all of them by the rule, each by its own shape, as one step of undo"
            self.also_box = choice(options, self.also, self._choose_also, tip)
            self._line("Fill", self.also_box)

    def _choose_also(self, key: str) -> None:
        self.also = key

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
        self._box.addLayout(captioned(name, control, 124))

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
        elif name in ("a", "b") and self.rule.measure != "clamp":
            self._brush.set(**{name: value})
        else:
            self.set(**{name: value})

    def _show(self) -> None:
        for name, control in self.fields.items():
            if isinstance(control, NumberField):
                control.show_value(self._value(name))

    def _choose(self, measure: str) -> None:
        changes = {"measure": measure, **STARTS.get(measure, {})}
        if measure != "clamp":
            changes |= {"a": self._brush.brush.a, "b": self._brush.brush.b}
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


@lru_cache(maxsize=64)
def _fill_picture(measure: str) -> QIcon:
    """What a kind of fill does, as a little picture."""
    start = {"points": ((0.0, -0.5, 0.0), (0.0, 0.5, 0.0)), **STARTS.get(measure, {})}
    if measure in ("height", "distance"):
        start["range"] = (-0.5, 0.5) if measure == "height" else (0.2, 0.9)
    return of_fill(PaintRule(measure=measure, **{"a": 1.0, "b": 0.0, **start}))


def _moved(points: Array, matrix: Array) -> Array:
    return np.asarray(points @ matrix[:3, :3].T + matrix[:3, 3])


def _points(points: Array) -> tuple[Vec3, Vec3]:
    first, second = ((float(x), float(y), float(z)) for x, y, z in points)
    return first, second
