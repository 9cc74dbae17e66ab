"""What a fill does: tries a rule out on the chosen prop, keeps it as one change, or takes it back."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QWidget

from jade_coat.app.brush.state import BrushState
from jade_coat.app.controls.basics import Line, counted
from jade_coat.app.session import Session
from jade_coat.jobs.words import told
from jade_coat.looking.surroundings import surroundings
from jade_coat.mesh.data import MeshData
from jade_coat.mesh.filling import filled, map_filled
from jade_coat.mesh.measures import Around
from jade_coat.mesh.painting import Paint, PaintMap, shown_paint
from jade_coat.program.types import Array
from jade_coat.stage import edits
from jade_coat.stage.alike import others_like
from jade_coat.stage.edits import Edit
from jade_coat.stage.paint_rules import MEASURE_LABELS, PaintRule
from jade_coat.stage.project import Prop

Painted = Paint | PaintMap


class Filling(QWidget):
    """A rule that is tried out and applied; the panel around it sets it."""

    changed = pyqtSignal()
    keep: QCheckBox
    """Whether the rule is kept with the prop."""

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

    also: str
    """Which other props are filled along (`stage.alike.ALSO`); empty for none."""

    def _rebuild(self) -> None:
        """Show what the rule asks for."""
        raise NotImplementedError

    @property
    def live(self) -> bool:
        """Whether a preview is shown that is not applied yet."""
        return self._base is not None

    @property
    def prop(self) -> Prop | None:
        """The prop that is filled."""
        return self._session.prop

    def apply(self) -> None:
        """Keep what is shown, as one change; with the tick, keep the rule too. What is still worked out is awaited."""
        if not self.live:
            return
        if self._pending or self._shown is None:
            self._applying = True
            return
        made, rule = self._shown, self.rule if self.keep.isChecked() else None
        prop, also = self._prop, self.also
        self._end()
        steps = [_put(prop, made)]
        if rule is not None:
            steps.append(edits.keep_rule(prop=prop, rule=rule))
        by = MEASURE_LABELS[self.rule.measure].lower()
        title = f"{self._brush.told(self._session)} by {by}"
        if also:
            self._apply_also(title, steps, self._session.project.prop(prop), also, rule is not None)
        else:
            self._session.do_all(title, steps)

    def _apply_also(self, title: str, steps: list[Edit], prop: Prop, also: str, keep: bool) -> None:
        """Fill other props by the same rule in the background; all of them become one step of the history."""
        session, rule = self._session, self.rule
        others = others_like(session.project, prop, also)
        sets = max(rule.channels) // 4 + 1
        wanted = [(p, session.link.mesh_data(p.mesh), self.paint_of(p, sets), self.around(p)) for p in others]

        def work() -> list[tuple[Prop, Painted | None]]:
            return [
                (p, _filled_where_it_fits(rule, mesh, p.matrix(), base, around)) for p, mesh, base, around in wanted
            ]

        def done(found: list[tuple[Prop, Painted | None]]) -> None:
            now = session.project.props
            if any(now.get(p.id) is not p for p, _ in found):
                self.failed(ValueError("one of the props was changed meanwhile. Do it again"))
                return
            for p, made in found:
                if made is not None:
                    steps.append(_put(p.id, made))
                    steps.extend([edits.keep_rule(prop=p.id, rule=rule)] if keep else [])
            left = [p.name for p, made in found if made is None]
            if session.do_all(title, steps):
                unfit = f"; {', '.join(left)} have no such slot" if left else ""
                session.said.emit(f"{counted(len(found) + 1 - len(left), 'prop')} filled{unfit}", False)

        session.work(work, done, self.failed)

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
        base = self.paint_of(prop, sets)
        around = self.around(prop)

        def work() -> Painted:
            found = base
            for rule in prop.rules:
                found = _filled(rule, mesh, matrix, found, around)
            return found

        self._session.work_on_paint(prop.mesh, work, lambda made: self._put_on(prop.id, made, None), self.failed)

    def at_once(self, rule: PaintRule, title: str) -> None:
        """Fill the chosen prop's chosen channels by a rule, without trying it out first."""
        prop = self.prop
        if prop is None:
            self._session.said.emit("Choose a prop to fill first.", True)
            return
        if self.live:
            self.take_back()
        mesh, matrix, around = self._session.link.mesh_data(prop.mesh), prop.matrix(), self.around(prop)
        base = self.paint_of(prop, max(rule.channels) // 4 + 1)

        def done(made: Painted) -> None:
            self._session.do_all(title, [_put(prop.id, made)])

        self._session.work_on_paint(prop.mesh, lambda: _filled(rule, mesh, matrix, base, around), done, self.failed)

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

    def paint_of(self, prop: Prop, sets: int = 0) -> Painted:
        """What is filled: the prop's map where it stands in for the chosen colour set, else its vertices."""
        found = prop.paint_map
        if isinstance(found, PaintMap) and found.color_set == self._brush.color_set:
            return found
        mesh, own = self._session.link.mesh_data(prop.mesh), prop.paint if isinstance(prop.paint, Paint) else None
        return shown_paint(mesh, own, max(sets, max(self.rule.channels) // 4 + 1))

    def around(self, prop: Prop) -> Around:
        """What lies around a prop, for rules that read it."""
        asked = self._asked
        return surroundings(self._session.project, self._session.library, prop, lambda: asked != self._asked)

    def _put_on(self, prop: str, made: Painted, merge: object) -> None:
        self._session.do(_put(prop, made), merge=merge)

    def failed(self, error: Exception) -> None:
        """Say why a fill came to nothing."""
        self._pending = self._applying = False
        self._working.say("")
        text = told(error)
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
        mesh, matrix, around = self._session.link.mesh_data(prop.mesh), prop.matrix(), self.around(prop)

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
        self._session.work(lambda: _filled(rule, mesh, matrix, base, around), done, self.failed)


def _put(prop: str, made: Painted) -> Edit:
    """The edit that gives a prop this paint."""
    if isinstance(made, PaintMap):
        return edits.paint_map(prop=prop, paint_map=made)
    return edits.paint_prop(prop=prop, paint=made)


def _filled_where_it_fits(
    rule: PaintRule, mesh: MeshData, matrix: Array, painted: Painted, around: Around
) -> Painted | None:
    """What a rule makes of a prop's paint; None where its mesh has no slot of the rule's name."""
    if rule.slot and rule.slot not in {s.name for s in mesh.slots}:
        return None
    return _filled(rule, mesh, matrix, painted, around)


def _filled(rule: PaintRule, mesh: MeshData, matrix: Array, painted: Painted, around: Around) -> Painted:
    if isinstance(painted, PaintMap):
        chosen = None if rule.chosen is None else rule.chosen % 4
        own = rule.with_(channels=tuple(c % 4 for c in rule.channels), source=rule.source % 4, chosen=chosen)
        return map_filled(own, mesh, matrix, painted, around)
    return filled(rule, mesh, matrix, painted, around)
