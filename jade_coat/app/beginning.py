"""From nothing to something to look at: the demo, a built-in shape, and what newly brought maps become."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from jade_coat.app.dialogs.common import ProgressDialog
from jade_coat.app.making import add_material, lay_over
from jade_coat.files.project_folder import data_folder
from jade_coat.jobs.apart import apart
from jade_coat.jobs.words import told
from jade_coat.maps.mapset import MapSet
from jade_coat.stage import edits
from jade_coat.stage.making import first_dials, placed_mesh
from jade_coat.stage.project import Project, Prop
from jade_coat.view.link import PREVIEW_SHAPES, SHAPE_LABELS

if TYPE_CHECKING:
    from jade_coat.app.project_window import ProjectWindow
    from jade_coat.app.session import Session

DEMO = "demo"


def is_empty(project: Project) -> bool:
    """Whether a project holds nothing that could be looked at."""
    return not (project.props or project.meshes or project.materials or project.map_sets)


def open_demo(window: ProjectWindow) -> ProgressDialog | None:
    """Open the demo; the first time it is made, in the background."""
    from jade_coat.demo.terrace import make_for  # a start on a project does without it

    folder = data_folder() / DEMO
    if (folder / "project.json").is_file():
        window.open_folder(folder)
        return None
    dialog = ProgressDialog(window, "Make the demo")
    dialog.run(
        window.session, lambda job: apart(make_for, job, folder), lambda _: _opened(window, folder),
        lambda error: window.tell("The demo could not be made", [told(error)], problem=True),
    )  # fmt: skip
    return dialog


def _opened(window: ProjectWindow, folder: Path) -> None:
    window.open_folder(folder)


def place_shape(window: ProjectWindow, shape: str) -> Prop:
    """Put a built-in shape on the stage, dressed in something plain."""
    session, project = window.session, window.session.project
    mesh = PREVIEW_SHAPES[shape]()
    low, _ = mesh.bounds
    made = placed_mesh(project, session.library.add_mesh, mesh, SHAPE_LABELS[shape], (0.0, -float(low[1]), 0.0))
    session.do_all(f"Begin with a {SHAPE_LABELS[shape].lower()}", made.steps)
    session.choose_prop(made.prop.id, made.asset.slots[0])
    window.view.frame()
    return made.prop


@dataclass(frozen=True)
class Use:
    """What becomes of maps that were taken in: its name for the code, and what people read."""

    key: str
    text: str


def uses_of(session: Session) -> list[Use]:
    """What maps can become now, the likeliest first."""
    material, prop = session.material, session.prop
    keep = Use("keep", "Keep them for later")
    if prop is None:
        return [keep] if session.project.props else [Use("shape", "Show them on a bent tile"), keep]
    new = Use("new", f"Make a new material of them on {prop.name}")
    if material is None:
        return [new, keep]
    base = Use("base", f"Make them the base of {material.name}")
    over = Use("over", f"Lay them over {material.name} as a new coat")
    if not material.coats[0].surface.map_set and len(material.coats) == 1:
        return [base, over, new, keep]
    return [over, new, keep] if len(material.coats) == 1 else [keep, over, new]


def use_maps(window: ProjectWindow, map_set: MapSet, use: str) -> None:
    """Make of a map set of the project what was chosen, and say what can be done with it."""
    session = window.session
    if use == "shape":
        place_shape(window, "tile")
        use = "base"
    material, prop = session.material, session.prop
    if use == "base" and material is not None:
        base = material.coats[0]
        coat, laid = base.id, base.with_(surface=base.surface.with_(map_set=map_set.id))
        steps = [
            edits.set_surface(material=material.id, coat=coat, map_set=map_set.id, tile_size=map_set.tile_size),
            edits.set_coat(material=material.id, coat=coat, name=map_set.name),
            *(edits.expose(material=material.id, path=path) for path in first_dials(laid, True)),
        ]
        session.do_all(f"Make {map_set.name} the base", steps)
        session.choose_coat(coat)
        window.say(f"{map_set.name} is the base of {material.name} now.")
    elif use == "over" and material is not None:
        made = lay_over(session, material, map_set)
        if made is not None:
            channel = made.where[0].painted.channel  # type: ignore[union-attr]
            window.say(f"{map_set.name} lies over {material.name}, where channel {channel} is painted (B paints).")
    elif use == "new" and prop is not None:
        add_material(window, map_set.name, map_set.id, None, "R", "interlock", put_on=True)
    else:
        window.say(f"{map_set.name} added. Use it in a coat, or as a mask in a where-term.")
