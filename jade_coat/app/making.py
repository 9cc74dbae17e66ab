"""Making materials by hand: a dialog for a new one, and coats laid over what is there."""

from __future__ import annotations

from typing import TYPE_CHECKING

from jade_coat.app.dialogs.common import NewMaterial
from jade_coat.maps.mapset import MapSet
from jade_coat.material.material import Coat, Material
from jade_coat.material.seam import SeamKind
from jade_coat.stage import edits
from jade_coat.stage.edits import new_coat
from jade_coat.stage.making import new_material

if TYPE_CHECKING:
    from jade_coat.app.project_window import ProjectWindow
    from jade_coat.app.session import Session


def lay_over(session: Session, material: Material, map_set: MapSet | None) -> Coat | None:
    """Put a new coat on top of a material, painted by a free channel; choose it."""
    before = {c.id for c in material.coats}
    name = map_set.name if map_set is not None else "New coat"
    session.do(edits.add_coat(material=material.id, coat=new_coat(name, map_set, material.free_channel)))
    now = session.project.material(material.id)
    made = next((c for c in now.coats if c.id not in before), None)
    if made is not None:
        session.choose_coat(made.id)
    return made


def make_material(window: ProjectWindow) -> None:
    """Ask for the coats of a new material and make it."""
    sets = tuple(s.id for s in window.session.project.map_sets)
    ask = NewMaterial(window, window.session, sets[-2:])
    window.ask = ask  # type: ignore[attr-defined]
    if not ask.exec():
        return
    top = ask.top.currentData()
    add_material(
        window, ask.name.text().strip() or "New material", ask.base.currentData(),
        None if top == "none" else top, ask.channel.currentData(), ask.seam.currentData(), ask.put_on.isChecked(),
    )  # fmt: skip


def add_material(
    window: ProjectWindow, name: str, base: str, top: str | None, channel: str, seam: SeamKind, put_on: bool
) -> None:
    """Add a material of one or two coats with a finish of its own; `put_on` gives it to the chosen prop's slot."""
    session = window.session
    made = new_material(session.project, name, base, top, channel, seam)
    steps = list(made.steps)
    if put_on and session.prop is not None:
        steps.append(edits.put_finish(prop=session.prop_id, slot=session.slot, finish=made.finish))
    session.do_all("New material", steps)
    session.choose_finish(made.finish)
    session.choose_coat(made.material.coats[-1].id)
