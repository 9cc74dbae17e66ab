"""Rows of controls for the fields of a material's parts, made of the fields' own declarations."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator
from functools import partial
from typing import Any

from PyQt6.QtWidgets import QBoxLayout, QCheckBox, QWidget

from jade_coat.app.build.expose_dot import ExposeDot
from jade_coat.app.build.seam_pictures import of_seam
from jade_coat.app.controls.basics import button, choice, label, row
from jade_coat.app.controls.fields import Field
from jade_coat.app.controls.gradient_bar import GradientBar, plain_gradient
from jade_coat.app.controls.images import with_pictures
from jade_coat.app.controls.settings import IntegerField, field_for
from jade_coat.app.session import Session
from jade_coat.app.thing_pictures import pictured
from jade_coat.material.fields import Number, Setting, Spec, declared, options, settings, specs
from jade_coat.material.material import Finish, Material
from jade_coat.material.seam import SEAM_LABELS
from jade_coat.material.where import MAP_READS
from jade_coat.mesh.data import MAX_COLOR_SETS, MAX_UV_SETS
from jade_coat.stage import edits
from jade_coat.stage.edits import Edit

Change = Callable[..., None]
"""Puts changes into a part, by field name; `merge` makes consecutive ones one step of the history."""
WIDTH = 118
ROOM_FOR_WORDS = 20
"""Letters that a drop-down shows; a choice of longer words is shown by its key, and told in a line below."""


class FieldRows:
    """Builds rows into a layout, and keeps their controls by path. Changes go to the material, or to one finish."""

    def __init__(self, session: Session) -> None:
        self._session = session
        self.only = False
        """Whether changes go to the chosen finish alone."""
        self.clear()

    def clear(self) -> None:
        """Forget the controls: the panel is built anew."""
        self.fields: dict[str, Field] = {}
        """Of numbers, by path."""
        self.link_fields: dict[str, Field] = {}
        self.link_ticks: dict[str, QCheckBox] = {}
        """By path, whether a recipe may lead a field beyond its two values."""
        """Of linked fields, by path and end: `moss.amount.low`."""
        self.dots: dict[str, ExposeDot] = {}
        """The dots that make fields dials, by path."""
        self.chosen: dict[str, QWidget] = {}
        """Of what is chosen rather than turned, by path."""
        self.given: dict[str, Field] = {}
        """Of what a part gives to its recipe, by path and the input's name: `moss.where.dust.inputs.patch`."""
        self.parts: dict[str, Any] = {}
        """The parts as they were last shown, by path."""
        self.gradients: dict[str, GradientBar] = {}
        """Of stops, by path."""

    def show(self, material: Material, parts: dict[str, Any]) -> None:
        """Show a material's parts, by path, as they are now; none is built anew, it may be in the user's hand."""
        self.parts = parts
        for path, dot in self.dots.items():
            dot.setChecked(material.dial_at(path) is not None)
        for path, control in self.fields.items():
            owner, _, name = path.rpartition(".")
            control.show_value(getattr(parts[owner], name))
        for path, bar in self.gradients.items():
            owner, _, name = path.rpartition(".")
            bar.show_stops(getattr(parts[owner], name))
        for path, control in self.link_fields.items():
            owner, _, end = path.rpartition(".")
            link = material.link_at(owner.removesuffix(".inputs"))
            if link is not None and owner.endswith(".inputs"):
                control.show_value(link.inputs.get(end, self._first(link.recipe, end)))
            elif link is not None:
                control.show_value(getattr(link, end))
        for path, control in self.given.items():
            owner, _, name = path.rpartition(".inputs.")
            part = parts[owner]
            control.show_value(part.inputs.get(name, self._first(part.recipe, name)))

    def _first(self, recipe: str, name: str) -> float:
        """What an input of a recipe is where nothing is given."""
        return next(
            i.value for r in self._session.project.recipes if r.id == recipe for i in r.inputs if i.name == name
        )

    # Where changes go

    def finish(self) -> Finish | None:
        """The chosen finish, if it is none of the materials themselves."""
        return next((f for f in self._session.project.finishes if f.id == self._session.finish_id), None)

    def set_field(self, material: Material, path: str, value: Setting) -> None:
        """Change one field, in the material or in the one finish that changes go to."""
        session, finish = self._session, self.finish()
        if not self.only or finish is None:
            session.do(edits.set_field(material=material.id, path=path, value=value), merge=("field", path))
            return
        merge = ("field", finish.id, path)
        if material.dial_at(path) is None:
            session.do(edits.expose(material=material.id, path=path), merge=merge)
        known = session.project.material(material.id).dial_at(path)
        if known is not None:
            session.do(edits.set_dial(finish=finish.id, dial=known.id, value=value), merge=merge)

    def change_all(self, material: Material, edit: Edit, merge: object = None) -> None:
        """Change what a finish cannot have of its own; while changes go to one finish, say that all follow."""
        session, finish = self._session, self.finish()
        if session.do(edit, merge=merge) and self.only and finish is not None:
            name = session.project.material(material.id).name
            session.said.emit(f"{name} changed for every finish: that cannot be a dial. Ctrl+Z takes it back.", True)

    def changing(
        self, material: Material, prefix: str, part: Any, edit: Callable[..., Edit], **arguments: str
    ) -> Change:
        """What puts changes into a part by an edit; what can be a dial goes into the one finish, if changes do."""
        known = {**options(type(part)), **specs(type(part))}

        def change(merge: object = None, **changes: Any) -> None:
            mine = {name: value for name, value in changes.items() if name in known}
            if self.only and self.finish() is not None and mine:
                for name, value in mine.items():
                    self.set_field(material, f"{prefix}.{name}", value)
                self._session.document.settle()
                return
            self.change_all(material, edit(material=material.id, **arguments, **changes), merge)

        return change

    # Rows

    def part(
        self, box: QBoxLayout, material: Material, prefix: str, part: Any, change: Change,
        names: Collection[str] | None = None, group: str = "",
    ) -> None:  # fmt: skip
        """A row for each declared field of a part that is in a group and matters; `names` are those that may."""
        for name, spec in declared(type(part)).items():
            if spec.group == group and spec.matters(part) and (names is None or name in names):
                self.field(box, material, prefix, part, name, change)

    def field(self, box: QBoxLayout, material: Material, prefix: str, part: Any, name: str, change: Change) -> None:
        """The row of one field."""
        path, kind = f"{prefix}.{name}", type(part)
        if name in specs(kind):
            self._number(box, material, path, part, name)
        elif name in options(kind):
            control = self._control(options(kind)[name], name, part, change)
            self.with_dot(box, material, path, options(kind)[name], control)
            words = dict(options(kind)[name].choices).get(str(getattr(part, name)), "")
            if len(words) > ROOM_FOR_WORDS:
                box.addWidget(label(words, "quiet", wrap=True))
        else:
            spec = settings(kind)[name]
            for words, control in self._setting(spec, prefix, name, part, change):
                self.chosen.setdefault(path, control)
                if words:
                    plain_row(box, words, control, spec.hint)
                else:
                    box.addWidget(control)

    def _number(self, box: QBoxLayout, material: Material, path: str, part: Any, name: str) -> None:
        spec = specs(type(part))[name]
        dot = ExposeDot(material.dial_at(path) is not None, spec.label)
        dot.followed.connect(lambda shared, recipe: self.follow(material, path, shared, recipe))
        project, link = self._session.project, material.link_at(path)
        recipes = [(r.id, r.name) for r in project.recipes]
        dot.offer([(d.id, d.name) for d in project.shared], recipes, link)
        if link is not None:
            self._linked(box, material, path, spec, dot)
            return
        control = field_for(spec, getattr(part, name))
        control.changed.connect(partial(self.set_field, material, path))
        control.settled.connect(self._session.document.settle)
        dot.clicked.connect(partial(self._expose, material, path))
        self.fields[path], self.dots[path] = control, dot
        box.addLayout(row(dot, label(spec.label, tip=spec.hint), 1, sized(control), gap=6))

    def with_dot(self, box: QBoxLayout, material: Material, path: str, spec: Spec, control: QWidget) -> None:
        """A field that shapes the program, with the dot that makes it a dial."""
        dot = ExposeDot(material.dial_at(path) is not None, spec.label)
        dot.clicked.connect(partial(self._expose, material, path))
        self.dots[path], self.chosen[path] = dot, control
        box.addLayout(row(dot, label(spec.label, tip=spec.hint), 1, sized(control), gap=6))

    def _expose(self, material: Material, path: str, on: bool) -> None:
        """Make a field a dial or take the dial away; the ring shows what came of it."""
        if not self._session.do((edits.expose if on else edits.hide)(material=material.id, path=path)):
            self.dots[path].setChecked(not on)

    def follow(self, material: Material, path: str, shared: str, recipe: str) -> None:
        """Let a field follow a shared dial or a recipe, or nothing."""
        if shared or recipe:
            self._session.do(edits.link_field(material=material.id, path=path, shared=shared, recipe=recipe))
        else:
            self._session.do(edits.unlink_field(material=material.id, path=path))

    def _linked(self, box: QBoxLayout, material: Material, path: str, spec: Spec, dot: ExposeDot) -> None:
        """A field that follows a shared dial or a recipe: what it is at its 0 and at its 1, and the recipe's inputs."""
        link = material.link_at(path)
        assert link is not None
        project = self._session.project
        recipe = next((r for r in project.recipes if r.id == link.recipe), None)
        known = {d.id: d.name for d in project.shared}
        source = recipe.name if recipe else known.get(link.shared, "what is gone")
        follows = label(f"follows {source}", "warn", wrap=False)
        box.addLayout(row(dot, label(spec.label, tip=spec.hint), 1, follows, gap=6))

        def put(end: str, value: Number) -> None:
            low, high = (value, None) if end == "low" else (None, value)
            changed = edits.link_field(
                material=material.id, path=path, shared=link.shared, recipe=link.recipe, low=low, high=high
            )
            self._session.do(changed, merge=("link", path, end))

        for end in ("low", "high"):
            control = field_for(spec, getattr(link, end))
            control.changed.connect(partial(put, end))
            control.settled.connect(self._session.document.settle)
            self.link_fields[f"{path}.{end}"] = control
            plain_row(box, "   at 0" if end == "low" else "   at 1", control)
        if recipe is not None:
            tick = QCheckBox("also below 0 and above 1")
            tick.setChecked(link.beyond)
            tick.setToolTip("The recipe may lead the field beyond both values, as far as the field goes")
            tick.clicked.connect(lambda on: self._session.do(
                edits.link_field(material=material.id, path=path, recipe=link.recipe, beyond=on)))  # fmt: skip
            self.link_ticks[path] = tick
            box.addWidget(tick)
        for given in recipe.inputs if recipe else ():
            self._input_of_link(box, material, path, given.name, link.inputs.get(given.name, given.value))

    def _input_of_link(self, box: QBoxLayout, material: Material, path: str, name: str, value: float) -> None:
        control = field_for(Spec(name.replace("_", " "), low=-1e6, high=1e6, soft=(0, 2)), value)

        def put(number: float) -> None:
            link = self._session.project.material(material.id).link_at(path)
            if link is not None:
                inputs = {**link.inputs, name: number}
                changed = edits.link_field(material=material.id, path=path, recipe=link.recipe, inputs=inputs)
                self._session.do(changed, merge=("input", path, name))

        control.changed.connect(put)
        control.settled.connect(self._session.document.settle)
        self.link_fields[f"{path}.inputs.{name}"] = control
        plain_row(box, f"   {name.replace('_', ' ')}", control)

    # Controls of what is chosen

    def _setting(self, spec: Spec, prefix: str, name: str, part: Any, change: Change) -> Iterator[tuple[str, QWidget]]:
        """The controls of a field that cannot be a dial, with the words before them; without words they fill a row."""
        if spec.kind == "inputs":
            yield from self._inputs(prefix, part, change)
        elif spec.kind == "sets":
            yield from self._more_sets(name, part, change)
        elif spec.kind == "stops":
            yield from self._stops(spec, f"{prefix}.{name}", part, change)
        elif spec.kind == "flag" and not spec.choices:
            yield "", _flag(spec, getattr(part, name), lambda on: change(**{name: on}))
        else:
            yield spec.label, self._control(spec, name, part, change)

    def _control(self, spec: Spec, name: str, part: Any, change: Change) -> QWidget:
        """A control for one choice."""
        value = getattr(part, name)
        if spec.kind == "integer":
            field = IntegerField(spec, value)
            field.changed.connect(lambda number: change(**{name: number}))
            return field
        read: Callable[[str], Any] = str
        if spec.kind == "flag":
            read = lambda text: text == "True"  # noqa: E731
        elif spec.kind in ("uv_set", "color_set"):
            read = int
        keys = self._keys(spec, part, value)
        hint = spec.hint or dict(spec.choices).get(str(value), "")
        more: dict[str, Any] = {"inputs": {}} if spec.kind == "recipe" else {}  # another recipe has other inputs
        made = choice(keys, str(value), lambda key: change(**{name: read(key), **more}), hint)
        if spec.choices == tuple(SEAM_LABELS.items()):
            with_pictures(made, of_seam)
        return pictured(made, self._session, "map_sets") if spec.kind == "map" else made

    def _keys(self, spec: Spec, part: Any, value: Any) -> list[tuple[str, str]]:
        project = self._session.project
        if spec.kind == "map":
            return [("", dict(spec.choices)[""]), *((s.id, s.name) for s in project.map_sets)]
        if spec.kind == "recipe":
            return [("", "None yet"), *((r.id, r.name) for r in project.recipes)]
        if spec.kind == "shared":
            return [("", "None yet"), *((d.id, d.name) for d in project.shared)]
        if spec.kind == "reading":
            held = next((s.maps for s in project.map_sets if s.id == part.map_set), ())
            roles = {m.role for m in held}
            return [
                (k, k.capitalize()) for k, (role, _) in MAP_READS.items() if not held or role in roles or k == value
            ]
        if spec.kind == "uv_set":
            there = [len(self._session.link.mesh_data(m.id).uvs) for m in project.meshes]
            return [(str(i), f"UV set {i + 1}") for i in range(min(max([value + 1, *there]), MAX_UV_SETS))]
        if spec.kind == "color_set":
            return [(str(i), f"Colour set {i + 1}") for i in range(MAX_COLOR_SETS)]
        return [(k, _short(k, text)) for k, text in spec.choices]

    def _inputs(self, prefix: str, part: Any, change: Change) -> Iterator[tuple[str, QWidget]]:
        """What this use gives to the inputs of its recipe."""
        recipe = next((r for r in self._session.project.recipes if r.id == part.recipe), None)

        def put(name: str, value: Number) -> None:
            given = self.parts[prefix].inputs  # as it is now: another input may have been given meanwhile
            change(merge=("input", prefix, name), inputs={**given, name: value})

        for wanted in recipe.inputs if recipe else ():
            value = part.inputs.get(wanted.name, wanted.value)
            span = max(abs(wanted.value) * 3, 1.0)
            spec = Spec(
                wanted.name, low=-1000.0, high=1000.0, soft=(min(0.0, -span if wanted.value < 0 else 0.0), span)
            )
            field = field_for(spec, value)
            field.changed.connect(partial(put, wanted.name))
            field.settled.connect(self._session.document.settle)
            self.given[f"{prefix}.inputs.{wanted.name}"] = field
            yield wanted.name.replace("_", " "), field

    def _more_sets(self, name: str, part: Any, change: Change) -> Iterator[tuple[str, QWidget]]:
        chosen, project = getattr(part, name), self._session.project
        known = [("", "Take away"), *((s.id, s.name) for s in project.map_sets)]
        for i, extra in enumerate(chosen):

            def swap(key: str, i: int = i) -> None:
                change(**{name: (*chosen[:i], *([key] if key else []), *chosen[i + 1 :])})

            yield "or", pictured(choice(known, extra, swap), self._session, "map_sets")
        unused = [s.id for s in project.map_sets if s.id not in (part.map_set, *chosen)]
        if unused:
            yield "", button(
                "+ map set to pick from", lambda: change(**{name: (*chosen, unused[0])}), "add",
                "Each prop or tile gets one of the sets at random",
            )  # fmt: skip

    def _stops(self, spec: Spec, path: str, part: Any, change: Change) -> Iterator[tuple[str, QWidget]]:
        name = path.rpartition(".")[2]
        stops = getattr(part, name)
        on = QCheckBox(spec.label.lower())
        on.setToolTip(spec.hint or "Colour the base colour's dark, middle and light anew")
        on.setChecked(bool(stops))
        on.clicked.connect(lambda yes: change(**{name: plain_gradient() if yes else ()}))
        yield "", on
        if stops:
            bar = self.gradients[path] = GradientBar(stops)
            bar.changed.connect(lambda new: change(merge=("gradient", id(bar)), **{name: new}))
            bar.settled.connect(self._session.document.settle)
            yield "", bar


def _flag(spec: Spec, value: bool, put: Callable[[bool], None]) -> QWidget:
    box = QCheckBox(spec.label)
    box.setToolTip(spec.hint)
    box.setChecked(value)
    box.clicked.connect(put)
    return box


def _short(key: str, text: str) -> str:
    """A choice in a narrow drop-down: its words where they fit, else its key."""
    shown = text if len(text) <= ROOM_FOR_WORDS else key
    return shown[:1].upper() + shown[1:]


def plain_row(box: QBoxLayout, name: str, control: QWidget, tip: str = "") -> None:
    """A control that has no dot, in line with those that have one."""
    spacer = QWidget()
    spacer.setFixedWidth(16)
    box.addLayout(row(spacer, label(name, tip=tip), 1, sized(control), gap=6))


def sized(control: QWidget) -> QWidget:
    """A control as wide as all others."""
    control.setFixedWidth(WIDTH)
    return control
