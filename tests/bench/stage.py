"""The stage at work: variants and dials of thousands at once, and pictures with two hundred decals."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from jade_coat.demo.terrace import CAMERA
from jade_coat.files.library import Library
from jade_coat.files.project_folder import open_project
from jade_coat.stage import edits
from jade_coat.stage.decals import Decal
from jade_coat.stage.document import Document
from jade_coat.stage.draws import Scene
from jade_coat.stage.mesh_assets import Variant
from jade_coat.stage.project import Project
from jade_coat.stage.scene import SceneColumns
from jade_coat.stage.stamping import upright_turn
from jade_coat.view.context import create_context
from jade_coat.view.link import StageLink
from tests.bench.common import alternate, entry
from tests.bench.many import MANY, Silent, strewn
from tests.support import Demo, eye_for, stage_renderer

CHOSEN, MARKS = 5_000, 200


def bench_stage(folder: Path) -> list[dict]:
    """Against bare NumPy writes of the same rows, and against the same picture without decals."""
    opened = open_project(folder)
    library = Library(opened.assets)
    project = strewn(opened.project, library, MANY)
    crate = project.meshes[-1]
    slot = crate.slots[0]
    dressed = crate.with_(variants=(
        Variant(id="default", name="Iron", finishes={slot: "iron_jar"}),
        Variant(id="cream", name="Cream", finishes={slot: "cream_jar"}),
    ))  # fmt: skip
    bare = project.props.with_(*(p.with_(finishes={}) for p in project.props))
    document = Document(project.with_(meshes=(*project.meshes[:-1], dressed), props=bare))
    link = StageLink(Silent(), library)
    link.sync(document.project)
    ids, turn = tuple(document.project.props.ids()), [0]
    rows = np.zeros((MANY, 64), np.float32)
    row = np.ones(64, np.float32)

    def switch() -> None:
        turn[0] += 1
        document.do(edits.wear_variant(props=ids, variant="cream" if turn[0] % 2 else "default"))
        link.sync(document.project)

    def dial() -> None:
        turn[0] += 1
        values = {i: {slot: {"dust": turn[0] % 90 / 100}} for i in ids[:CHOSEN]}
        document.do(edits.turn_own_dials(values=values))
        link.sync(document.project)

    def write() -> None:
        for i in range(MANY):
            rows[i] = row

    switched, floor = alternate(switch, write, rounds=5)
    dialled, _ = alternate(dial, write, rounds=5)
    return [
        entry(
            "variant_of_10000",
            switched,
            "ms",
            floor,
            60.0,
            "10,000 props put on another variant, against NumPy "
            "writing as many rows one by one; from the edit to the patch that is sent",
        ),
        entry("dial_of_5000", dialled, "ms", floor, 150.0, "a dial of 5,000 props turned, against the same"),
        *_decals(folder, opened.project, library),
    ]


def _decals(folder: Path, project: Project, library: Library) -> list[dict]:
    """The wall and floor with two hundred marks of one finish."""
    rng = np.random.default_rng(5)
    marks = []
    for i in range(MARKS):
        x, z = rng.uniform(-2.2, 2.2), rng.uniform(-2.0, 1.0)
        turn = upright_turn(np.array([0.0, 1.0, 0.0]), rng.uniform(0, 6.28))
        size = float(rng.uniform(0.1, 0.35))
        place = {"position": (x, 0.0, z), "turn": turn, "size": (size, 0.3, size)}
        marks.append(Decal(id=f"m{i}", name=f"M{i}", finish="cream_jar", **place))
    renderer = stage_renderer(create_context(), Demo(project, library, folder))
    columns, scene = SceneColumns(lambda _, mesh: library.mesh_by_id(project, mesh)), Scene()
    columns.update(project.with_(decals=tuple(marks))).apply(scene)
    renderer.scenes.set("marked", scene)
    eye = eye_for(CAMERA, 748, 420)

    def draw(name: str) -> None:
        renderer.drawer.changes += 1
        renderer.picture(name, eye, 748, 420)

    draw("marked")
    with_marks, without = alternate(lambda: draw("marked"), lambda: draw("stage"), rounds=7)
    return [entry("decals_200", with_marks, "ms", without, 2.5, "a picture with 200 decals, against the same without")]
