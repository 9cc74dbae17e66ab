"""Makes bushes of cards, and their levels with fewer, larger cards for afar."""

from __future__ import annotations

from typing import ClassVar

from PyQt6.QtWidgets import QCheckBox, QVBoxLayout

from jade_coat.app.build.maker import Maker
from jade_coat.app.controls.basics import show_or_hide
from jade_coat.jobs.words import told
from jade_coat.mesh.data import MeshData
from jade_coat.mesh.makers import Bush, Made
from jade_coat.stage import edits
from jade_coat.stage.edits.registry import Edit
from jade_coat.stage.mesh_assets import FarLevel, MeshAsset
from jade_coat.stage.naming import free_id, free_name

LEVELS = 2
"""How many levels for afar are made beside a bush."""
FIRST_AWAY, FARTHER = 7.0, 2.5
"""From how many times its size on the first level is shown, and each further one from how much farther."""


class BushMaker(Maker):
    """The numbers of one bush."""

    kind: ClassVar[type[Made]] = Bush
    title: ClassVar[str] = "Make a bush"

    def build_more(self, box: QVBoxLayout) -> None:
        """Whether levels are made too."""
        self.with_levels = QCheckBox("and two levels for afar")
        self.with_levels.setToolTip(
            "Meshes with half and a quarter of the cards, larger, that cover as much; the view shows them from afar"
        )
        box.addWidget(self.with_levels)
        show_or_hide(self.with_levels, not self.is_anew)

    def make(self) -> None:
        """Make the bush, and its levels after it."""
        numbers = self.numbers
        assert isinstance(numbers, Bush)
        super().make()
        prop = self._session.prop
        if self.with_levels.isChecked() and not self.isVisible() and prop is not None:
            self._add_levels(numbers, prop.mesh)

    def _add_levels(self, numbers: Bush, bush: str) -> None:
        session = self._session
        low, high = session.link.mesh_data(bush).bounds
        away = float((high - low).max()) * FIRST_AWAY
        project, library = session.project, session.library
        wanted = [numbers.with_(level=numbers.level + i) for i in range(1, LEVELS + 1)]

        def done(found: list[tuple[MeshData, str]]) -> None:
            steps: list[Edit] = []
            far: list[FarLevel] = []
            taken, names = {m.id for m in session.project.meshes}, {m.name for m in session.project.meshes}
            for made, (mesh, mark) in zip(wanted, found, strict=True):
                name = free_name(f"Bush, level {made.level}", names)
                kept = library.add_mesh(mesh, name, taken)
                asset: MeshAsset = kept.with_(id=free_id(name, taken), made=made, made_of=mark)
                taken.add(asset.id)
                names.add(name)
                steps.append(edits.add_mesh(mesh=asset))
                far.append(FarLevel(mesh=asset.id, away=round(away * FARTHER ** len(far), 2)))
            steps.append(edits.set_levels(mesh=bush, levels=tuple(far)))
            session.do_all("Make levels for afar", steps)

        failed = lambda error: session.said.emit(f"The levels cannot be made: {told(error)}", True)  # noqa: E731
        session.work(lambda: [library.make(project, made) for made in wanted], done, failed)
