"""Looks for one more of each kind in a grown copy of the package; run by `test_growing.py`, prints what is missing."""

from __future__ import annotations

import json
import sys
from pathlib import Path

import numpy as np

import jade_coat
from jade_coat.app.finding import entries_of
from jade_coat.app.main import make_application
from jade_coat.app.session import Session
from jade_coat.app.window import Window
from jade_coat.files.mesh_files import MESHES, read_mesh
from jade_coat.formats import dialog_filter
from jade_coat.program.types import FLOAT, VEC3
from jade_coat.stage import edits
from tests.app.conftest import Hand
from tests.app.wall import shown


def missing_op() -> list[str]:
    """Both back ends and the compiled loop take it, with the same result."""
    from jade_coat.view.context import create_context
    from tests.core.test_ops import test_numpy_and_glsl_agree_on_every_op

    for kind in (FLOAT, VEC3):
        test_numpy_and_glsl_agree_on_every_op(create_context(), "cube", (kind,) * 3, None)
    return []


def missing_format(folder: Path) -> list[str]:
    """Files of it are read, and dialogs and messages name it."""
    path, wrong = folder / "one.tri", folder / "one.nothing"
    path.write_bytes(np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0]], np.float32).tobytes())
    wrong.write_bytes(b"")
    missing = [] if read_mesh(path).vertex_count == 3 else ["reading"]
    missing += [] if "*.tri" in dialog_filter("Meshes", MESHES) else ["dialog"]
    try:
        read_mesh(wrong)
    except ValueError as error:
        return missing + ([] if "One triangle" in str(error) else ["message"])
    return [*missing, "message"]


def missing_term(hand: Hand) -> list[str]:
    """A coat can have it, its field has a control, the picture follows, and it is saved and opened."""
    session, panel = hand.session, hand.window.bench.coat_panel
    session.do(edits.add_term(material="kiln_wall", coat="lime", kind="ring"))
    hand.settle()
    term = session.material.coat("lime").where[-1]
    missing = [] if f"lime.where.{term.id}.width" in panel.rows.fields else ["control"]
    before = shown(hand)
    session.do(edits.set_term(material="kiln_wall", coat="lime", term=term.id, width=5.0))
    hand.settle()
    missing += [] if np.abs(shown(hand) - before).max() > 8 else ["picture"]
    return missing + ([] if hand.session.faults == {} else ["program"])


def missing_field(hand: Hand) -> list[str]:
    """It has a control with its label, changes the program, and can become a dial."""
    rows = hand.window.bench.coat_panel.rows
    missing = [] if "lime.seam.grip" in rows.fields else ["control"]
    missing += (
        [] if any(d.text() == "Grip" for d in hand.window.findChildren(type(hand.window._message))) else ["label"]
    )
    before = shown(hand)
    hand.session.do(edits.set_seam(material="kiln_wall", coat="lime", grip=0.0))
    hand.settle()
    missing += [] if np.abs(shown(hand) - before).max() > 8 else ["picture"]
    hand.session.do(edits.expose(material="kiln_wall", path="lime.seam.grip"))
    return missing + ([] if any(d.path == "lime.seam.grip" for d in hand.session.material.dials) else ["dial"])


def missing_quantity(hand: Hand) -> list[str]:
    """Its look is on offer, the view shows its value, and a bake writes its file."""
    from jade_coat.bake.scene_bake import SceneBaker
    from jade_coat.jobs.job import Job

    missing = [] if ("grain", "Grain") in hand.window.bench.looks.looks() else ["look"]
    tile = next(t for t in hand.window.bench.looks._thumbs if t.look == "grain")
    hand.click(tile)
    hand.settle()
    missing += [] if np.median(shown(hand)[150:200, 330:400]) == 64 else ["view"]  # a quarter of 255
    hand.click(hand.window.bench.looks._thumbs[0])
    prop = hand.session.project.prop("cream_jar")
    baked = SceneBaker(hand.session.project, hand.session.library, 32, Job()).maps(prop, "Body")
    return missing + ([] if "grain" in baked.png_files() else ["bake"])


def missing_message(hand: Hand) -> list[str]:
    """It is taken in the other process, and what it raises comes back."""
    from jade_coat.view.messages import Knock  # type: ignore[attr-defined]

    told: list[str] = []
    before, hand.session.client.on_trouble = hand.session.client.on_trouble, told.append
    hand.session.client.send(Knock())
    hand.until(lambda: bool(told))
    hand.session.client.on_trouble = before
    return [] if any("knocked on Renderer" in t for t in told) else ["answer"]


def missing_workspace(hand: Hand) -> list[str]:
    """The bar has it, the finder has its command, and the key does it."""
    from PyQt6.QtCore import Qt

    window = hand.window
    missing = [] if "Kiln" in window.tabs else ["bar"]
    hand.click(window.tabs["Kiln"])
    missing += [] if window.workspace == "Kiln" else ["page"]
    missing += [] if any("Fire what is chosen" in e.text for e in entries_of(window)) else ["finder"]
    keys = Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier
    hand.key(window, Qt.Key.Key_J, keys)
    missing += [] if window.workspaces["Kiln"].fired == 1 else ["key"]
    window.show_workspace("Build")
    return missing


def main(project: Path, package: Path) -> None:
    """Open a window on the project and look."""
    assert Path(jade_coat.__file__).parent == package
    found = {"op": missing_op(), "format": missing_format(project)}
    app = make_application()
    window = Window(Session())
    window.resize(1280, 800)
    window.show()
    window.open_folder(project)
    hand = Hand(window)
    hand.settle()
    window.session.choose_prop("kiln_wall_prop", "surface")
    window.session.choose_coat("lime")
    hand.settle()
    found["pass"] = [] if (shown(hand)[-1, 0] == (255, 0, 255)).all() else ["picture"]
    found["where-term"] = missing_term(hand)
    found["field"] = missing_field(hand)
    found["quantity"] = missing_quantity(hand)
    found["message"] = missing_message(hand)
    found["workspace"] = missing_workspace(hand)
    window.session.document.mark_saved()
    window.close()
    app.processEvents()
    print(json.dumps(found))


if __name__ == "__main__":
    main(Path(sys.argv[1]), Path(sys.argv[2]))
