"""The rules that lay layers, in order: which are on, what each goes by, and its numbers."""

from __future__ import annotations

from functools import partial

from PyQt6.QtWidgets import QCheckBox, QVBoxLayout, QWidget

from jade_coat.app.build.number_rows import WIDTH, NumberRows
from jade_coat.app.controls.basics import button, choice, clear, holder, label, row
from jade_coat.app.controls.focus import focus_kept
from jade_coat.app.ground.state import GroundState
from jade_coat.app.session import Session
from jade_coat.ground.pages import Pages
from jade_coat.ground.rules import OF_LAYER, LayerRule, run
from jade_coat.jobs.words import told
from jade_coat.looking.rule_maps import rule_picture
from jade_coat.material.fields import Setting
from jade_coat.material.where import MAP_READS
from jade_coat.stage import edits
from jade_coat.stage.footprints import clear_of_props
from jade_coat.stage.grounds import Ground


class RuleRows(QWidget):
    """One row a rule. What is chosen shows its numbers; whatever changes, all rules run again."""

    def __init__(self, session: Session, state: GroundState) -> None:
        super().__init__()
        self._session, self._state = session, state
        self.chosen = -1
        self.working = False
        """Whether rules are running."""
        self._waiting: dict[str, tuple[tuple[LayerRule, ...], str]] = {}
        """By ground, the rules that are to run next, and what undo calls it."""
        self._key: object = None
        self.ticks: list[QCheckBox] = []
        self.numbers: NumberRows | None = None
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(2)
        self.add = button("+ rule", self.add_rule, "add", "Lay the chosen layer by what the land is like")
        self.again = button("Run again", self.run_again, "plain", "Lay all anew; what was painted by hand stays")
        box.addLayout(row(label("RULES", "head"), 1, self.again, self.add, gap=4))
        self._rows = QVBoxLayout()
        self._rows.setSpacing(2)
        box.addLayout(self._rows)

    def show_ground(self, ground: Ground) -> None:
        """Show the rules of a ground."""
        names = {layer.id: layer.name for layer in ground.layers}
        told = tuple((r.layer, r.on, r.measure, r.other, r.path, r.map_set, r.words()) for r in ground.rules)
        sets = tuple((m.id, m.name) for m in self._session.project.map_sets)
        key = (ground.id, told, names, sets, tuple((p.id, p.name) for p in ground.paths), self.chosen)
        if key == self._key:
            if self.numbers is not None and self.chosen < len(ground.rules):
                self.numbers.follow(ground.rules[self.chosen])
            return
        self._key = key
        with focus_kept(self):
            self._build(ground, names)

    def _build(self, ground: Ground, names: dict[str, str]) -> None:
        clear(self._rows)
        self.ticks, self.numbers = [], None
        for i, rule in enumerate(ground.rules):
            tick = QCheckBox()
            tick.setChecked(rule.on)
            tick.setToolTip("Whether this rule runs")
            tick.setAccessibleName(f"Rule {i + 1} is on")
            tick.toggled.connect(partial(self._turn, i, "on"))
            self.ticks.append(tick)
            words = button(f"{names.get(rule.layer, '?')}: {rule.words()}", partial(self._choose, i), "entry",
                           "Show its numbers", names=True)  # fmt: skip
            later = button("Later", partial(self._move, i), "plain", "Run it after the next one")
            gone = button("×", partial(self._drop, i), "plain", "Remove this rule")
            gone.setFixedWidth(26)
            later.setEnabled(i + 1 < len(ground.rules))
            line = row(tick, words, later, gone, gap=2)
            line.setStretch(1, 1)
            self._rows.addWidget(holder(line))
            if i == self.chosen and rule.measure in OF_LAYER:
                others = [("", "none yet"), *((k, n) for k, n in names.items() if k != rule.layer)]
                pick = choice(others, rule.other, partial(self._turn, i, "other"), "The layer that it goes by")
                pick.setFixedWidth(WIDTH)
                self._rows.addLayout(row(label("By layer"), 1, pick, margins=(9, 0, 9, 0)))
            if i == self.chosen and rule.measure == "path":
                paths = [("", "none yet"), *((p.id, p.name) for p in ground.paths)]
                pick = choice(paths, rule.path, partial(self._turn, i, "path"), "The path that it goes by")
                pick.setFixedWidth(WIDTH)
                self._rows.addLayout(row(label("By path"), 1, pick, margins=(9, 0, 9, 0)))
            if i == self.chosen and rule.measure == "map":
                sets = [("", "none yet"), *((m.id, m.name) for m in self._session.project.map_sets)]
                pick = choice(sets, rule.map_set, partial(self._take_map, i), "The map set that it goes by")
                pick.setFixedWidth(WIDTH)
                self._rows.addLayout(row(label("Map set"), 1, pick, margins=(9, 0, 9, 0)))
            if i == self.chosen:
                self.numbers = NumberRows(rule, partial(self._turn, i))
                self._rows.addWidget(self.numbers)
        if not ground.rules:
            none = "None yet. A rule lays a layer on slopes, in hollows, where water runs…"
            self._rows.addWidget(label(none, "quiet", wrap=True))

    # Hands

    def _choose(self, index: int) -> None:
        self.chosen = -1 if self.chosen == index else index
        ground = self._state.ground
        if ground is not None:
            self.show_ground(ground)

    def add_rule(self) -> None:
        """Add a rule for the chosen layer, behind the others."""
        ground, layer = self._state.ground, self._state.layer
        if ground is None or layer is None:
            return
        if layer is ground.layers[0]:
            self._session.said.emit(f"{layer.name} is there where nothing else is: choose another layer.", True)
            return
        self.chosen = len(ground.rules)
        self._put(ground, (*ground.rules, LayerRule(layer=layer.id)), f"Lay {layer.name} by rule")

    def _turn(self, index: int, name: str, value: Setting) -> None:
        ground = self._state.ground
        if ground is not None and index < len(ground.rules):
            rules = list(ground.rules)
            rules[index] = rules[index].with_(**{name: value})
            if rules[index].measure == "path" and not rules[index].path and ground.paths:
                rules[index] = rules[index].with_(path=ground.paths[-1].id)
            self._put(ground, tuple(rules), "Change a rule", merge=("rule", ground.id, index, name))

    def _take_map(self, index: int, map_set: str) -> None:
        """Go by another map set: by the first of its maps, where it lacks the one that was read."""
        ground, project = self._state.ground, self._session.project
        if ground is None or index >= len(ground.rules):
            return
        rule = ground.rules[index]
        roles = {m.role for m in project.map_set(map_set).maps} if map_set else set()
        fitting = [name for name, (role, _) in MAP_READS.items() if role in roles]
        read = rule.read if rule.read in fitting or not fitting else fitting[0]
        rules = list(ground.rules)
        rules[index] = rule.with_(map_set=map_set, read=read)
        self._put(ground, tuple(rules), "Change a rule")

    def _drop(self, index: int) -> None:
        ground = self._state.ground
        if ground is not None:
            self.chosen = -1
            self._put(ground, tuple(r for i, r in enumerate(ground.rules) if i != index), "Remove a rule")

    def _move(self, index: int) -> None:
        ground = self._state.ground
        if ground is not None and index + 1 < len(ground.rules):
            rules = list(ground.rules)
            rules[index], rules[index + 1] = rules[index + 1], rules[index]
            self.chosen = -1
            self._put(ground, tuple(rules), "Move a rule")

    def run_again(self) -> None:
        """Run all rules on the land as it is now."""
        ground = self._state.ground
        if ground is not None and ground.rules:
            self._put(ground, ground.rules, "Run the rules again")

    def follow_paths(self) -> None:
        """Run them again where one that is on goes by a path."""
        ground = self._state.ground
        if ground is not None and any(r.on and r.measure == "path" for r in ground.rules):
            self._put(ground, ground.rules, "Follow a path")

    def _put(self, ground: Ground, rules: tuple[LayerRule, ...], title: str, merge: object = None) -> None:
        """Keep the rules at once, and run them beside the window; of those that wait for a ground the last run."""
        laid = {r.layer for r in ground.rules} - {r.layer for r in rules}
        if rules != ground.rules:
            self._session.do(edits.set_rules(ground=ground.id, rules=rules).called(title), merge=merge)
        now = self._state.ground
        if now is None:
            return
        # A layer that no rule lays any more goes back to what hands have painted of it.
        resting = tuple(LayerRule(layer=layer, on=False) for layer in sorted(laid))
        if self.working:
            self._waiting[now.id] = ((*rules, *resting), title)
        else:
            self._run(now, (*rules, *resting), title)

    def _run(self, ground: Ground, rules: tuple[LayerRule, ...], title: str) -> None:
        self.working = True
        session = self._session

        def done(weights: dict[str, Pages]) -> None:
            now = session.project.grounds.get(ground.id)
            if now is not None and ground.id not in self._waiting:
                if now.heights is not ground.heights or now.weights != ground.weights:
                    self._waiting[ground.id] = (rules, title)  # it was sculpted or painted meanwhile
                elif weights:
                    session.do(edits.set_rules(ground=ground.id, rules=now.rules, weights=weights).called(title),
                               merge=("rules run", ground.id, title))  # fmt: skip
            self._next()

        def failed(error: Exception) -> None:
            session.said.emit(f"The rules cannot run: {told(error)}", True)
            self._next()

        near_props = any(r.on and r.measure == "props" for r in rules)
        project, mesh_data, library = session.project, session.link.mesh_of, session.library

        def work() -> dict[str, Pages]:
            clear = clear_of_props(project, ground, mesh_data) if near_props else None
            pictures = partial(rule_picture, project, library)
            return run(
                rules, ground.heights, ground.weights, ground.sharing, ground.by_hand, clear, pictures, ground.paths
            )

        session.work(work, done, failed)

    def _next(self) -> None:
        """Run what waits, for a ground that is still there."""
        self.working = False
        while self._waiting and not self.working:
            name = next(iter(self._waiting))
            rules, title = self._waiting.pop(name)
            ground = self._session.project.grounds.get(name)
            if ground is not None:
                self._run(ground, rules, title)
