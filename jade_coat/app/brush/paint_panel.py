"""A prop's own paint: what it takes, where it lies, copying, resetting; and more vertices where there are too few."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from jade_coat.app.brush.state import BrushState
from jade_coat.app.controls.basics import Line, button, choice, clear, counted, label, row
from jade_coat.app.session import Session
from jade_coat.bake.unwrap import with_paint_uvs
from jade_coat.check.paint_costs import best_uv_set, size
from jade_coat.jobs.apart import apart
from jade_coat.jobs.job import Job
from jade_coat.jobs.words import told
from jade_coat.maps.images import png_bytes
from jade_coat.maps.mapset import MapFile, MapSet
from jade_coat.material.surface import Role
from jade_coat.mesh.data import MeshData
from jade_coat.mesh.painting import MAP_SIDES, Paint, PaintMap, lies_in_square, shown_paint
from jade_coat.mesh.transfer import map_from_vertices, map_transferred, transferred, vertices_from_map
from jade_coat.stage import edits
from jade_coat.stage.edits import Edit
from jade_coat.stage.naming import free_id, free_name
from jade_coat.stage.project import Prop
from jade_coat.stage.remesh import Exchange, rearranged, wearers

SPLIT_REACH = 1.3
REST_MS = 250
"""How long the pointer rests before splitting there is tried on the side."""
ENOUGH = 1.5
"""Vertices that a brush must reach across for a dab to keep its shape."""
FINE = 6.0
"""Vertices a brush should reach across from its middle to its edge, once triangles are split for it."""


class PaintBody(QWidget):
    """What both panels share: the chosen prop, its mesh, work in the background, and exchanging the mesh."""

    reported = pyqtSignal(float)

    def __init__(self, session: Session, brush: BrushState) -> None:
        super().__init__()
        self._session, self._brush = session, brush
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(0, 6, 0, 2)
        self._box.setSpacing(5)
        self._busy = ""
        self._job: Job | None = None
        self._share = Line()
        self._key: object = None
        self.reported.connect(self._on_share)

    @property
    def _prop(self) -> Prop | None:
        return self._session.prop

    def _mesh(self, prop: Prop) -> MeshData:
        return self._session.link.mesh_data(prop.mesh)

    def _work(self, what: str, task: Callable[[Job], Any], done: Callable[[Any], None]) -> None:
        """Do something in the background; the panel says so meanwhile, and it can be given up."""
        if self._job is not None:
            return
        self._busy, self._key = what, None
        self._job = job = Job(lambda share, _: self.reported.emit(share))
        self.refresh()

        def finished(result: Any) -> None:
            if self._job is job:  # what was given up comes too late
                self._free()
                done(result)
                self._key = None
                self.refresh()

        def failed(error: Exception) -> None:
            if self._job is job:
                self._free()
                self._session.said.emit(f"That cannot be done: {told(error)}", True)

        prop = self._prop
        assert prop is not None
        self._session.work_on_paint(prop.mesh, lambda: task(job), finished, failed, job)

    def _free(self) -> None:
        self._job, self._busy, self._key = None, "", None
        self.refresh()

    def _give_up(self) -> None:
        """Stop what is under way; nothing of it stays."""
        if self._job is not None:
            self._job.cancel()
            self._free()

    def _build_busy(self) -> None:
        """What is under way, how far it is, and a way to stop it."""
        self._share.say(f"{self._busy}…")
        self.cancel = button("Cancel", self._give_up)
        self._box.addLayout(row(self._share.widget(), 1, self.cancel))

    def _on_share(self, share: float) -> None:
        if self._job is not None:
            self._share.say(f"{self._busy}… {share * 100:.0f} %")

    def refresh(self) -> None:
        """Show the chosen prop as it is now."""
        raise NotImplementedError

    def _exchange(self, mesh_id: str, title: str, made: Exchange) -> None:
        """Put a new mesh in a mesh's place, with the paint of all props that show it."""
        session = self._session
        asset = session.library.exchanged(session.project.mesh(mesh_id), made.mesh)
        session.do_all(title, [edits.exchange_mesh(mesh=asset, paint=made.paint, maps=made.maps)])


class OwnPaintPanel(PaintBody):
    """Where the chosen prop's paint lies, what it takes, and moving it."""

    def __init__(self, session: Session, brush: BrushState) -> None:
        super().__init__(session, brush)
        self.side, self.bits, self.uv_set = 512, 8, -1
        session.changed.connect(self.refresh)
        session.selection_changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the chosen prop's paint."""
        prop = self._prop
        key = None if prop is None else (prop.id, prop.paint, prop.paint_map, prop.mesh, self._session.project.meshes)
        if prop is not None and key == self._key:
            return
        self._key = key
        clear(self._box)
        if prop is None:
            self._box.addWidget(label("Choose a prop to see its paint.", "quiet"))
            return
        self._box.addWidget(label(self._words(prop), "", wrap=True))
        if self._job is not None:
            self._build_busy()
            return
        if isinstance(prop.paint_map, PaintMap):
            self._build_map(prop)
        else:
            self._build_new_map(prop)
        others = [(p.id, p.name) for p in self._session.project.props
                  if p.id != prop.id and (p.paint is not None or p.paint_map is not None)]  # fmt: skip
        if others:
            self.copy = choice([("", "Copy from…"), *others], "", self.copy_from,
                               "Take another prop's paint: the same where the mesh is the same, else from the nearest "
                               "surface")  # fmt: skip
            self._box.addWidget(self.copy)
        if prop.paint is not None or prop.paint_map is not None:
            tip = "Forget its own paint: it shows the mesh's again"
            self.reset = button("Reset to the mesh's paint", self.reset_paint, "add", tip)
            self._box.addWidget(self.reset)

    def _words(self, prop: Prop) -> str:
        same = len(wearers(self._session.project, prop.mesh))
        if isinstance(prop.paint_map, PaintMap):
            found = prop.paint_map
            return (
                f"Own paint on a map: {found.side} × {found.side}, {found.bits} bits, UV set {found.uv_set + 1}. "
                f"It takes {size(found.paint.nbytes)}, and this prop draws on its own."
            )
        if isinstance(prop.paint, Paint):
            return f"Own paint on its vertices: {size(prop.paint.nbytes)}, and this prop draws on its own."
        shared = f", as {same - 1} more do" if same > 1 else ""
        mesh = self._mesh(prop)
        own = size(mesh.vertex_count * 8)
        return f"It shows the mesh's own paint{shared}. The first stroke makes it its own: {own}, and one draw a slot."

    # On a map

    def _build_new_map(self, prop: Prop) -> None:
        mesh = self._mesh(prop)
        if self.uv_set >= len(mesh.uvs) or self.uv_set < 0:
            self.uv_set = best_uv_set(mesh)
        sides = [(str(s), f"{s} × {s}") for s in MAP_SIDES]
        bits = [("8", "8 bits"), ("16", "16 bits")]
        sets = [(str(i), f"UV {i + 1}, {'one square' if lies_in_square(mesh, i) else 'repeats'}")
                for i in range(len(mesh.uvs))]  # fmt: skip
        self._box.addLayout(row(
            choice(sides, str(self.side), lambda k: self._choose(side=int(k)), "Texels along the map"),
            choice(bits, str(self.bits), lambda k: self._choose(bits=int(k)), "Steps a channel has: 256 or 65,536"),
        ))  # fmt: skip
        self._box.addWidget(choice([*sets, ("new", "Unwrap anew")], str(self.uv_set), self._choose_uv,
                                   "How the map lies on the mesh; a set that repeats shows a stroke in every "
                                   "repeat"))  # fmt: skip
        self.to_map = button(
            f"Paint on a map ({self.map_cost()})", self.make_map, "", "Lay the paint onto a map instead"
        )
        self._box.addLayout(row(self.to_map, 1))

    def map_cost(self) -> str:
        """What a map of the chosen size takes."""
        return size(self.side**2 * 4 * self.bits // 8)

    def _choose(self, **changes: int) -> None:
        for name, value in changes.items():
            setattr(self, name, value)
        self._key = None
        self.refresh()

    def _choose_uv(self, key: str) -> None:
        if key == "new":
            self.unwrap()
        else:
            self._choose(uv_set=int(key))

    def unwrap(self) -> None:
        """Give the mesh a UV set that lies in one square."""
        prop = self._prop
        assert prop is not None
        mesh, mesh_id, project = self._mesh(prop), prop.mesh, self._session.project

        def done(made: Exchange) -> None:
            self._exchange(mesh_id, "Unwrap a mesh", made)
            self.uv_set = len(made.mesh.uvs) - 1

        self._work("Unwrapping", lambda job: rearranged(project, mesh_id, *apart(with_paint_uvs, job, mesh)), done)

    def make_map(self) -> None:
        """Lay the prop's paint onto a map, and paint that from now on."""
        prop = self._prop
        assert prop is not None
        mesh, color_set = self._mesh(prop), self._brush.color_set
        paint = shown_paint(mesh, prop.paint if isinstance(prop.paint, Paint) else None, color_set + 1)
        side, bits, uv_set, name = self.side, self.bits, self.uv_set, prop.id

        def done(made: PaintMap) -> None:
            self._session.do(edits.paint_map(prop=name, paint_map=made))

        self._work("Laying the paint onto a map",
                   lambda job: map_from_vertices(mesh, paint, side, bits, uv_set, color_set), done)  # fmt: skip

    def _build_map(self, prop: Prop) -> None:
        back = "Paint its vertices as the map shows there, and let the map go"
        self.to_vertices = button("Back to the vertices", self.leave_map, "", back)
        keep = "Make a map set of the map's channels, to read as masks in where-terms"
        self.to_sets = button("Keep as masks", self.keep_masks, "", keep)
        for control in (self.to_vertices, self.to_sets):
            self._box.addLayout(row(control, 1))

    def leave_map(self) -> None:
        """Paint the vertices as the map shows there, and let the map go."""
        prop = self._prop
        assert prop is not None
        assert isinstance(prop.paint_map, PaintMap)
        mesh, found, name = self._mesh(prop), prop.paint_map, prop.id
        paint = shown_paint(mesh, prop.paint if isinstance(prop.paint, Paint) else None, found.color_set + 1)

        def done(made: Paint) -> None:
            steps = [
                edits.paint_prop(prop=name, paint=made),
                edits.paint_map(prop=name, paint_map=None),
            ]
            self._session.do_all("Paint the vertices", steps)

        self._work("Reading the map", lambda job: vertices_from_map(mesh, found, paint), done)

    def keep_masks(self) -> None:
        """Keep each painted channel of the map as a mask of the project."""
        prop, session = self._prop, self._session
        assert prop is not None
        assert isinstance(prop.paint_map, PaintMap)
        picture = prop.paint_map.picture()
        painted = [c for c in range(4) if picture[..., c].any()]
        steps: list[Edit] = []
        taken, names = {s.id for s in session.project.map_sets}, {s.name for s in session.project.map_sets}
        for c in painted:
            name = free_name(f"{prop.name} mask {'RGBA'[c]}", names)
            asset = session.library.assets.put("maps", f"{name}.png", png_bytes(picture[..., c : c + 1]))
            made = MapSet(
                id=free_id(name, taken), name=name,
                maps=(MapFile(role=Role.MASK, asset=asset, file=f"{name}.png", channels="r"),),
            )  # fmt: skip
            taken.add(made.id)
            names.add(name)
            steps.append(edits.add_map_set(map_set=made))
        if not steps:
            session.said.emit("The map has no paint to keep yet.", True)
            return
        session.do_all("Keep masks", steps)
        session.said.emit(f"{counted(len(steps), 'mask')} kept among the map sets", False)

    # From another prop

    def copy_from(self, other_id: str) -> None:
        """Take another prop's paint."""
        prop, session = self._prop, self._session
        if prop is None or not other_id:
            return
        other = session.project.prop(other_id)
        old, new, name = self._mesh(other), self._mesh(prop), prop.id
        paint = other.paint if isinstance(other.paint, Paint) else None
        painted = other.paint_map if isinstance(other.paint_map, PaintMap) else None

        def work(job: Job) -> tuple[Paint | None, PaintMap | None, list[str]]:
            words: list[str] = []
            made = made_map = None
            if paint is not None:
                made, report = transferred(old, paint, new)
                words.append(report.words())
            if painted is not None:
                made_map, report = map_transferred(old, painted, new, lambda share: job.step(share, "Copying"))
                words.append(report.words("texels"))
            return made, made_map, words

        def done(found: tuple[Paint | None, PaintMap | None, list[str]]) -> None:
            steps = [
                edits.paint_prop(prop=name, paint=found[0]),
                edits.paint_map(prop=name, paint_map=found[1]),
            ]
            session.do_all("Copy paint", steps)
            session.said.emit(f"Paint of {other.name}: {'; '.join(found[2])}", False)

        self._work(f"Copying from {other.name}", work, done)

    def reset_paint(self) -> None:
        """Show the mesh's own paint again."""
        prop = self._prop
        if prop is not None:
            self._session.do(edits.reset_paint(prop=prop.id))
