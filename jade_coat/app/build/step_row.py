"""One step of a recipe as a row: its name, what is done, from what, its picture and its cost."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial
from typing import Any, Protocol

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QLabel, QLineEdit, QWidget

from jade_coat.app.build import step_pictures
from jade_coat.app.controls.basics import button, choice, column, counted, holder, label, row, show_or_hide
from jade_coat.app.controls.glyphs import SignButton
from jade_coat.app.session import Session
from jade_coat.material.recipes import Recipe, Step
from jade_coat.material.step_kinds import STEP_KINDS
from jade_coat.program import Value, passes
from jade_coat.stage import edits
from jade_coat.stage.edits import Edit

AT_VERTICES = "at vertices"


class Sheet(Protocol):
    """What a row asks of the sheet it is on."""

    session: Session

    def do(self, edit: Edit) -> bool:
        """Run an edit of the chosen recipe."""


class StepRow(QFrame):
    """One step."""

    # Long: the layout of one row, from left to right.
    def __init__(self, sheet: Sheet, recipe: Recipe, step: Step) -> None:
        super().__init__()
        self.setObjectName("card")
        self._sheet, self._recipe, self._step = sheet, recipe, step
        self.name = QLineEdit(step.id)
        self.name.setFixedWidth(110)
        self.name.setToolTip("The step's name; steps below read it by this name")
        self.name.editingFinished.connect(self._rename)
        kinds = [(k, v.label) for k, v in STEP_KINDS.items()]
        if step.kind not in STEP_KINDS:
            kinds.insert(0, (step.kind, step.kind))
        self.kind = choice(
            kinds, step.kind, self._set_kind, STEP_KINDS[step.kind].hint if step.kind in STEP_KINDS else ""
        )
        self.kind.setFixedWidth(140)
        self.args: list[QLineEdit] = []
        parts: list[QWidget | int] = []
        for i, (what, _) in enumerate(self._arguments()):
            field = QLineEdit(step.args[i] if i < len(step.args) else "")
            field.setFixedWidth(86)
            field.setPlaceholderText(what)
            field.setToolTip(f"{what}: a number, or the name of an input or of a step above (name.x picks a part)")
            field.editingFinished.connect(self._set_args)
            self.args.append(field)
            parts += [label(what, "quiet"), field]
        pick = self._pick()
        if pick is not None:
            parts.insert(0, pick)
        self.picture = QLabel()
        self.picture.setFixedSize(step_pictures.WIDE, step_pictures.HIGH)
        self.cost = label("", "quiet")
        self.cost.setFixedWidth(44)
        self.cost.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.fault = label("", "warn", wrap=True)
        self.note = label("", "quiet", wrap=True)
        show_or_hide(self.note, step.kind == AT_VERTICES)
        up = SignButton("up", partial(self._move, -1), "Move the step up")
        down = SignButton("down", partial(self._move, 1), "Move the step down")
        remove = button("×", self._remove, "plain", "Remove the step")
        remove.setFixedSize(26, 26)
        line = row(self.picture, self.name, self.kind, *parts, 1, self.cost, up, down, remove, gap=6)
        self.setLayout(column(holder(line), self.fault, self.note, margins=(8, 6, 8, 6)))

    def _arguments(self) -> tuple[tuple[str, str], ...]:
        step, kind = self._step, STEP_KINDS.get(self._step.kind)
        if step.kind == "recipe":
            inner = next((r for r in self._sheet.session.project.recipes if r.id == step.pick), None)
            return tuple((i.name, f"{i.value:g}") for i in inner.inputs) if inner else ()
        return kind.arguments if kind else ()

    def _pick(self) -> QWidget | None:
        project, kind = self._sheet.session.project, STEP_KINDS.get(self._step.kind)
        options = {
            "channel": [(c, f"Channel {c}") for c in "RGBA"],
            "shared": [("", "None yet"), *((d.id, d.name) for d in project.shared)],
            "recipe": [("", "None yet"), *((r.id, r.name) for r in project.recipes if r.id != self._recipe.id)],
            "uv set": [(str(i), f"UV set {i + 1}") for i in range(4)],
            "map": [
                ("", "None yet"),
                *(
                    (f"{s.id}/{m.role.value}", f"{s.name}: {m.role.label.lower()}")
                    for s in project.map_sets
                    for m in s.maps
                ),
            ],
            "coat": [
                ("", "None yet"),
                *((n, n) for n in dict.fromkeys(c.name for m in project.materials for c in m.coats)),
            ],
        }.get(kind.pick if kind else "")
        if options is None:
            return None
        made = choice(options, self._step.pick, self._set_pick)
        made.setFixedWidth(190 if kind is not None and kind.pick == "map" else 120)
        return made

    def _change(self, **changes: Any) -> None:
        steps = tuple(s.with_(**changes) if s.id == self._step.id else s for s in self._recipe.steps)
        self._sheet.do(edits.set_recipe(recipe=self._recipe.id, steps=steps))

    def _set_kind(self, kind: str) -> None:
        old = dict(zip([n for n, _ in self._arguments()], self._step.args, strict=False))
        args = tuple(old.get(name, first) for name, first in STEP_KINDS[kind].arguments)
        pick = {"channel": "R", "uv set": "0"}.get(STEP_KINDS[kind].pick, "")
        self._change(kind=kind, args=args, pick=pick)

    def _set_pick(self, pick: str) -> None:
        args = self._step.args
        if self._step.kind == "recipe":
            inner = next((r for r in self._sheet.session.project.recipes if r.id == pick), None)
            args = tuple(f"{i.value:g}" for i in inner.inputs) if inner else ()
        self._change(pick=pick, args=args)

    def _set_args(self) -> None:
        args = tuple(f.text().strip() for f in self.args)
        if args != self._step.args:
            self._change(args=args)

    def _rename(self) -> None:
        name = self.name.text().strip().lower().replace(" ", "_")
        renamed = edits.rename_step(recipe=self._recipe.id, step=self._step.id, name=name)
        if name != self._step.id and not self._sheet.do(renamed):
            self.name.setText(self._step.id)

    def _move(self, by: int) -> None:
        steps = list(self._recipe.steps)
        at = next(i for i, s in enumerate(steps) if s.id == self._step.id)
        steps.insert(max(0, min(at + by, len(steps) - 1)), steps.pop(at))
        self._sheet.do(edits.set_recipe(recipe=self._recipe.id, steps=tuple(steps)))

    def _remove(self) -> None:
        steps = tuple(s for s in self._recipe.steps if s.id != self._step.id)
        if steps:
            self._sheet.do(edits.set_recipe(recipe=self._recipe.id, steps=steps))


def cost_words(step: str, values: Mapping[str, Value]) -> str:
    """What a pixel costs up to a step, and what of that the step itself adds to those above it, in words."""
    names = list(values)
    above = {name: values[name] for name in names[: names.index(step)]}
    whole, before = passes.cost({"v": values[step]}), passes.cost(above)
    with_it = passes.cost({**above, step: values[step]})
    own, reads = with_it.arithmetic - before.arithmetic, with_it.fetches - before.fetches
    return f"Up to here a pixel takes {_work(whole.arithmetic, whole.fetches)}. This step adds {_work(own, reads)}."


def _work(arithmetic: float, reads: int) -> str:
    parts = [counted(round(arithmetic), "operation")] if round(arithmetic) else []
    parts += [counted(reads, "map read")] if reads else []
    return " and ".join(parts) or "nothing"
