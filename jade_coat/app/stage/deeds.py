"""What is done with things of the stage: placing more, copying, dropping, grouping, hiding, removing."""

from __future__ import annotations

import numpy as np

from jade_coat.app.session import Session
from jade_coat.app.stage.chosen_marks import world_box
from jade_coat.app.stage.hand import StageHand
from jade_coat.app.view.picking import stage_now
from jade_coat.app.view.view import View
from jade_coat.looking.stage_surface import nearest_surface
from jade_coat.mesh.data import MeshData
from jade_coat.program.types import Array
from jade_coat.stage import edits
from jade_coat.stage.arranging import Place, Places, Stand, along_line, dropped, place_of
from jade_coat.stage.copying import Copier, copies
from jade_coat.stage.lamps import Lamp, Mist
from jade_coat.stage.making import placed_mesh
from jade_coat.stage.naming import free_id, free_name
from jade_coat.stage.placed import Placed
from jade_coat.stage.project import KINDS_OF_THINGS, Group, Prop
from jade_coat.stage.things import Thing
from jade_coat.view.camera import on_plane, ray

DOWN = np.array([0.0, -1.0, 0.0])
UP = np.array([0.0, 1.0, 0.0])


class Deeds:
    """The deeds, by name; each is one step of the history, and says where it can do nothing."""

    def __init__(self, session: Session, view: View, hand: StageHand) -> None:
        self._session, self._view, self._hand = session, view, hand

    def _say(self, text: str, problem: bool = True) -> None:
        self._session.said.emit(text, problem)

    def _chosen(self, doing: str) -> tuple[Placed, ...]:
        """What is chosen; says so where that is nothing."""
        things = self._session.chosen_placed
        if not things:
            self._say(f"Choose what is to be {doing} first.")
        return things

    def _free(self) -> list[Placed]:
        """What is chosen and can be moved."""
        return [t for t in self._session.chosen_placed if not self._session.project.locks(t)]

    # More

    def spot(self) -> Array:
        """Where something new comes to stand: what is seen in the middle of the view, else the ground there."""
        view, session = self._view, self._session
        origin, way = ray(view.main_eye(), 0.5, 0.55)
        hit = nearest_surface(session.rays, stage_now(session), origin, way)
        if hit is not None:
            return hit.point
        found = on_plane(np.zeros(3), UP, origin, way)
        return found if found is not None else np.array(view.camera.target) * (1.0, 0.0, 1.0)

    def place(self, mesh: str) -> None:
        """Place one more prop of a model."""
        session, project = self._session, self._session.project
        asset = project.mesh(mesh)
        low, _ = session.link.mesh_data(mesh).bounds
        x, y, z = (float(v) for v in self.spot() - np.array([0.0, float(low[1]), 0.0]))
        like = next((p for p in project.props if p.mesh == mesh), None)
        made = Prop(id="", name=asset.name, mesh=mesh)
        if like is not None and not asset.variants[0].finishes:
            made = made.with_(finishes=like.finishes)  # nothing else says how this model is dressed
        made = Copier(project).copy(made, Place((x, y, z), made.turn, made.size))
        if session.do(edits.add_things(things=(made,)).called(f"Place {asset.name.lower()}")):
            session.choose_things((made.id,))

    def place_lamp(self, spot: bool) -> None:
        """Place a lamp a little above what is in the middle of the view."""
        self._place_thing(Lamp(id="", name="Spot lamp" if spot else "Lamp", spot=spot), 1.2)

    def place_mist(self) -> None:
        """Place a box of mist on what is in the middle of the view."""
        self._place_thing(Mist(id="", name="Mist"), Mist(id="", name="").size[1] / 2)

    def _place_thing(self, thing: Placed, above: float) -> None:
        x, y, z = (float(v) for v in self.spot() + UP * above)
        made = Copier(self._session.project).copy(thing, Place((x, y, z), thing.turn, thing.size))
        if self._session.do(edits.add_things(things=(made,)).called(f"Place {thing.name.lower()}")):
            self._session.choose_things((made.id,))

    def place_new(self, mesh: MeshData, name: str) -> None:
        """Place a prop of a mesh that the project does not have yet."""
        session = self._session
        low, _ = mesh.bounds
        x, y, z = (float(v) for v in self.spot() - np.array([0.0, float(low[1]), 0.0]))
        made = placed_mesh(session.project, session.library.add_mesh, mesh, name, (x, y, z))
        if session.do_all(f"Place {name.lower()}", made.steps):
            session.choose_things((made.prop.id,))

    def duplicate(self) -> None:
        """Place a copy of each chosen prop beside it."""
        props = self._chosen("duplicated")
        box = world_box(self._view, props)
        if box is None:
            return
        width = float(box[1][0] - box[0][0])
        runs = along_line(Stand(props), 1, (width * 1.06 + 0.02, 0.0, 0.0))
        made = copies(self._session.project, props, runs)
        if self._session.do(edits.add_things(things=made).called("Duplicate")):
            self._session.choose_things(t.id for t in made)

    # Where it stands

    def drop(self) -> None:
        """Let each chosen prop down onto what is below it."""
        session = self._session
        props = [p for p in session.chosen_props if not session.project.locks(p)]
        if not props:
            return
        now = stage_now(session)
        boxes = session.rays.bounds(now)
        feet: dict[str, Array] = {}
        tops: dict[bytes, float] = {}
        for prop in props:
            found = boxes.around((prop.id,))
            if found is None:
                continue
            low, high = found
            foot = np.array([(low[0] + high[0]) / 2, low[1], (low[2] + high[2]) / 2])
            feet[prop.id], tops[foot.tobytes()] = foot, float(high[1])
        ids = frozenset(feet)

        def below(foot: Array) -> tuple[Array, Array] | None:
            start = np.array([foot[0], tops[foot.tobytes()] + 0.01, foot[2]])
            hit = nearest_surface(session.rays, now, start, DOWN, ids)
            return (hit.point, hit.normal) if hit is not None else None

        places, nowhere = dropped(Stand(p for p in props if p.id in feet), feet, below, self._hand.leans)
        session.do(edits.place_things(places=places).called("Drop onto what is below"))
        if nowhere:
            names = ", ".join(session.project.prop(i).name for i in nowhere[:3])
            self._say(f"Nothing is below {names}{' and others' if len(nowhere) > 3 else ''}: left where it is.")

    def nudge(self, x: float, y: float, z: float) -> None:
        """Move what is chosen by steps of the hand."""
        props = self._free()
        if props:
            by = np.array([x, y, z]) * self._hand.step
            edit = edits.place_things(places=Stand(props).moved(by)).called("Move")
            self._session.do(edit, merge=("nudge", tuple(p.id for p in props)))

    def turn(self, steps: int) -> None:
        """Turn what is chosen about the vertical by steps of the hand, each about itself."""
        props = self._free()
        angle = float(np.radians(self._hand.angle)) * steps
        places: Places = {}
        for prop in props:
            places |= Stand((prop,)).turned(np.array(prop.position), UP, angle)
        if places:
            edit = edits.place_things(places=places).called("Turn")
            self._session.do(edit, merge=("turn", tuple(places)))

    def upright(self) -> None:
        """Stand what is chosen straight, at its mesh's own size."""
        props = [p for p in self._session.chosen_props if not self._session.project.locks(p)]
        places = {p.id: place_of(p)._replace(turn=(0.0, 0.0, 0.0, 1.0), size=(1.0, 1.0, 1.0)) for p in props}
        if places:
            self._session.do(edits.place_things(places=places).called("Straighten"))

    # Groups, sight, removal

    def group(self) -> None:
        """Put what is chosen into a new group."""
        session, project = self._session, self._session.project
        if not session.chosen:
            self._say("Choose what belongs together first.")
            return
        taken = {t.id for t in self._everything()}
        name = free_name("Group", {g.name for g in project.groups})
        parents = {self._parent(i) for i in session.chosen}
        parent = parents.pop() if len(parents) == 1 else ""
        made = Group(id=free_id(name, taken), name=name, parent=parent)
        if session.do(edits.add_group(group=made, things=session.chosen)):
            session.choose_things((made.id,))

    def _parent(self, thing: str) -> str:
        found = self._thing(thing)
        return found.parent if found is not None else ""

    def _thing(self, wanted: str) -> Thing | None:
        project = self._session.project
        return next((t for kind in KINDS_OF_THINGS if (t := getattr(project, kind).get(wanted)) is not None), None)

    def _chosen_things(self) -> list[Thing]:
        chosen = set(self._session.chosen)
        return [t for t in self._everything() if t.id in chosen]

    def _everything(self) -> list[Thing]:
        return [t for kind in KINDS_OF_THINGS for t in getattr(self._session.project, kind)]

    def ungroup(self) -> None:
        """Let the chosen groups go; what they held stays chosen."""
        session = self._session
        groups = [i for i in session.chosen if i in session.project.groups]
        if not groups:
            self._say("Choose a group to be dissolved first.")
            return
        everything = self._everything()
        held = [t.id for g in groups for t in everything if t.parent == g]
        if session.do_all("Dissolve groups", [edits.remove_group(group=g) for g in groups]):
            session.choose_things(held)

    def hide(self) -> None:
        """Hide what is chosen, or show it where all of it is hidden."""
        session = self._session
        if not session.chosen:
            self._say("Choose what is to be hidden first.")
            return
        seen = any(t.visible for t in self._chosen_things())
        session.do(edits.show_things(things=session.chosen, on=not seen))

    def show_all(self) -> None:
        """Show everything that is hidden."""
        hidden = tuple(t.id for t in self._everything() if not t.visible)
        if hidden:
            self._session.do(edits.show_things(things=hidden, on=True))

    def lock(self) -> None:
        """Lock what is chosen where it stands, or unlock it where all of it is locked."""
        session = self._session
        if not session.chosen:
            self._say("Choose what is to be locked first.")
            return
        free = any(not t.locked for t in self._chosen_things())
        session.do(edits.lock_things(things=session.chosen, on=free))

    def remove(self) -> None:
        """Remove what is chosen."""
        session = self._session
        if not session.chosen:
            self._say("Choose what is to be removed first.")
            return
        count = len(session.chosen)
        title = f"Remove {count} things" if count > 1 else "Remove"
        session.do(edits.remove_things(things=session.chosen).called(title))
