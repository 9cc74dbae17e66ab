"""What the view shows of a mesh from afar: coarser meshes, each from a distance on."""

from __future__ import annotations

from functools import partial

from PyQt6.QtWidgets import QVBoxLayout, QWidget

from jade_coat.app.controls.basics import button, choice, clear, holder, label, row
from jade_coat.app.controls.fields import NumberField
from jade_coat.app.controls.focus import focus_kept
from jade_coat.app.session import Session
from jade_coat.material.fields import Spec
from jade_coat.stage import edits
from jade_coat.stage.mesh_assets import FarLevel, MeshAsset

FROM = Spec("From", unit="m", low=0.01, high=1e6, soft=(0.5, 200.0), logarithmic=True,
            hint="How far away a prop of size 1 must be; larger ones change farther away")  # fmt: skip
FIRST, NEXT = 8.0, 2.5
"""From where a first level is shown, metres, and each further one from how much farther."""


class LevelRows(QWidget):
    """The levels of the mesh of the chosen prop, one a row, and a choice that adds one."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.fields: list[NumberField] = []
        self._box = QVBoxLayout(self)
        self._box.setContentsMargins(0, 0, 0, 0)
        self._box.setSpacing(4)
        self._shown: object = None

    def show_mesh(self, mesh: MeshAsset) -> None:
        """Show the levels of a mesh."""
        names = tuple((m.id, m.name) for m in self._session.project.meshes)
        state = (mesh.id, tuple(level.mesh for level in mesh.levels), names)
        if state != self._shown:
            self._shown = state
            with focus_kept(self):
                self._build(mesh, dict(names))
        for field, level in zip(self.fields, mesh.levels, strict=True):
            field.show_value(level.away)

    def _build(self, mesh: MeshAsset, names: dict[str, str]) -> None:
        clear(self._box)
        self.fields = []
        for i, level in enumerate(mesh.levels):
            field = NumberField(FROM, level.away)
            field.setFixedWidth(96)
            field.setAccessibleName(f"{names.get(level.mesh, 'A mesh that is gone')} from")
            field.changed.connect(partial(self._move, i))
            field.settled.connect(self._session.document.settle)
            self.fields.append(field)
            gone = button("Remove", partial(self._drop, i), "plain", "Show this mesh from afar no more")
            name = label(names.get(level.mesh, "A mesh that is gone"), "name")
            self._box.addWidget(holder(row(label("From", "quiet"), field, label("on", "quiet"), name, 1, gone)))
        used = {mesh.id, *(level.mesh for level in mesh.levels)}
        others = [(i, n) for i, n in names.items() if i not in used]
        self.add = choice([("", "Show another mesh from afar…"), *others], "", self._add)
        self._box.addWidget(self.add)

    def _mesh(self) -> MeshAsset | None:
        prop = self._session.prop
        return self._session.project.mesh(prop.mesh) if prop is not None else None

    def _put(self, mesh: MeshAsset, levels: list[FarLevel], what: str, merge: object = None) -> None:
        ordered = tuple(sorted(levels, key=lambda level: level.away))
        self._session.do(edits.set_levels(mesh=mesh.id, levels=ordered).called(what), merge=merge)

    def _add(self, wanted: str) -> None:
        mesh = self._mesh()
        if mesh is not None and wanted:
            away = mesh.levels[-1].away * NEXT if mesh.levels else FIRST
            self._put(mesh, [*mesh.levels, FarLevel(mesh=wanted, away=away)], "Show another mesh from afar")

    def _drop(self, index: int) -> None:
        mesh = self._mesh()
        if mesh is not None and index < len(mesh.levels):
            self._put(mesh, [s for i, s in enumerate(mesh.levels) if i != index], "Show a mesh from afar no more")

    def _move(self, index: int, away: object) -> None:
        """Another distance; never past those of the levels beside it."""
        mesh = self._mesh()
        if mesh is None or index >= len(mesh.levels) or not isinstance(away, float):
            return
        low = mesh.levels[index - 1].away * 1.001 if index else FROM.low
        high = mesh.levels[index + 1].away / 1.001 if index + 1 < len(mesh.levels) else FROM.high
        levels = list(mesh.levels)
        levels[index] = levels[index].with_(away=min(max(away, low), high))
        self._put(mesh, levels, "Show from another distance", merge=("level", mesh.id, index))
