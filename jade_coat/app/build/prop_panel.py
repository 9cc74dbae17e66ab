"""What can be done with a prop as a whole: its menu, and where it stands, how it is turned and how large it is."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QInputDialog, QMenu, QWidget

from jade_coat.app.controls.basics import Fold, button, label, row
from jade_coat.app.controls.fields import NumberField
from jade_coat.app.session import Session
from jade_coat.material.fields import Spec
from jade_coat.stage import edits
from jade_coat.stage.arranging import Stand, place_of
from jade_coat.stage.naming import free_id, free_name
from jade_coat.stage.placed import Placed
from jade_coat.stage.project import Prop
from jade_coat.stage.turns import Angles, angles_of, turn_of

_PLACE = Spec("Place", unit="m", low=-10000.0, high=10000.0, soft=(-5.0, 5.0))
_TURN = Spec("Turn", "angle", low=-2 * math.pi, high=2 * math.pi, soft=(-math.pi, math.pi))
_SIZE = Spec("Size", low=0.0001, high=10000.0, soft=(0.1, 10.0), logarithmic=True)
_WIDTH = 62
AXES = "xyz"


class PlaceFold(Fold):
    """Three numbers each for where a prop stands, how it is turned, and how large it is."""

    def __init__(self, session: Session, shut: bool, whom: Callable[[], tuple[Placed, ...]] | None = None) -> None:
        """`whom` gives the things that are placed by it; without it the leading one alone is."""
        super().__init__("Place and size", shut=shut)
        self._session = session
        self._whom = whom or (lambda: (session.prop,) if session.prop is not None else ())
        self.fields: dict[str, list[NumberField]] = {}
        for key, spec in (("position", _PLACE), ("turn", _TURN), ("size", _SIZE)):
            made = []
            for axis, letter in enumerate(AXES):
                field = NumberField(spec, 0.0 if key != "size" else 1.0)
                field.setFixedWidth(_WIDTH)
                field.setToolTip(f"{spec.label} along {letter}" if key != "turn" else f"Turn about {letter}")
                field.setAccessibleName(f"{spec.label} {letter}")
                field.changed.connect(partial(self._set, key, axis))
                field.settled.connect(session.document.settle)
                made.append(field)
            self.fields[key] = made
            self.box.addLayout(row(label(spec.label), 1, *made, gap=3))
        self.by = NumberField(_TURN, math.pi / 2)
        self.by.setFixedWidth(_WIDTH)
        self.by.setToolTip("How far a button beside it turns")
        self.by.setAccessibleName("Turn further by")
        self.own = [
            button(axis, partial(self._turn_further, i), "", f"Turn by this about its own {axis} axis")
            for i, axis in enumerate(AXES)
        ]
        for turn in self.own:
            turn.setFixedWidth(28)
        self.box.addLayout(
            row(label("Turn further", tip="Turn it about its own axis, from where it is"), 1, self.by, *self.own, gap=3)
        )
        self._angles: Angles = (0.0, 0.0, 0.0)
        self._shown_turn: object = None

    def show_placed(self, prop: Placed) -> None:
        """Show where a thing is."""
        if prop.turn != self._shown_turn:  # angles that were typed stay as they were typed
            self._shown_turn, self._angles = prop.turn, angles_of(prop.turn)
        for key, values in (("position", prop.position), ("turn", self._angles), ("size", prop.size)):
            for field, value in zip(self.fields[key], values, strict=True):
                field.show_value(value)

    def _turn_further(self, axis: int) -> None:
        places = Stand(self._whom()).turned_own(axis, self.by.value)
        self._session.do(edits.place_things(places=places).called(f"Turn about own {AXES[axis]}"))

    def _set(self, key: str, axis: int, value: float) -> None:
        places = {}
        if key == "turn":
            now = list(self._angles)
            now[axis] = float(value)
            self._angles = (now[0], now[1], now[2])
            self._shown_turn = turn = turn_of(*now)
            places = {other.id: place_of(other)._replace(turn=turn) for other in self._whom()}
        else:
            for other in self._whom():
                own = list(other.position if key == "position" else other.size)
                own[axis] = float(value)
                x, y, z = own
                old = place_of(other)
                places[other.id] = (
                    old._replace(position=(x, y, z)) if key == "position" else old._replace(size=(x, y, z))
                )
        self._session.do(edits.place_things(places=places), merge=("place", tuple(places), key))


class PropMenu(QMenu):
    """What can be done with a prop: look at it, rename it, place another, remove it."""

    def __init__(self, parent: QWidget, session: Session, prop: Prop, slot: str = "") -> None:
        super().__init__(parent)
        self._session, self._id = session, prop.id
        if slot:
            self.addAction(f"Choose {prop.name}", partial(session.choose_prop, prop.id, slot))
        self.addAction("Rename…", self.rename)
        self.addAction("Duplicate", self.duplicate)
        self.addSeparator()
        self.addAction("Remove", partial(session.do, edits.remove_prop(prop=prop.id)))

    @property
    def _prop(self) -> Prop:
        """As it is now: the menu may stay open while it changes."""
        return self._session.project.prop(self._id)

    def ask(self, at: QPoint) -> None:
        """Open it at a place of the screen."""
        self.popup(at)

    def rename(self) -> None:
        """Ask for another name."""
        name, ok = QInputDialog.getText(self.parentWidget(), "Rename prop", "Name", text=self._prop.name)
        if ok and name.strip():
            self._session.do(edits.rename_thing(thing=self._id, name=name))

    def duplicate(self) -> None:
        """Place another beside it, with its finishes, values and paint, and choose it."""
        session, prop = self._session, self._prop
        project = session.project
        name = free_name(prop.name, {p.name for p in project.props})
        low, high = session.link.mesh_data(prop.mesh).bounds
        step = float(high[0] - low[0]) * prop.size[0] * 1.1
        x, y, z = prop.position
        made = prop.with_(id=free_id(name, set(project.props.ids())), name=name, position=(x + step, y, z))
        if session.do(edits.add_prop(prop=made)):
            session.choose_prop(made.id, session.slot or project.mesh(prop.mesh).slots[0])
