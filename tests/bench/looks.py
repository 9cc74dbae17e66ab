"""What finishes, shared dials and recipes cost when there are many."""

from __future__ import annotations

import numpy as np

from jade_coat.maps.packing import PackedLookup
from jade_coat.material.material import Coat, Dial, Finish, Link, Material
from jade_coat.material.recipes import Recipe, RecipeInput, Step
from jade_coat.material.rows import field_values, layout
from jade_coat.material.surface import NoMaps, Surface
from jade_coat.material.where import RecipeTerm
from jade_coat.mesh import shapes
from jade_coat.stage import edits
from jade_coat.stage.alone import single
from jade_coat.stage.document import Document
from jade_coat.stage.draws import Draw, Scene
from jade_coat.stage.mesh_assets import MeshAsset
from jade_coat.stage.project import Project, Prop
from jade_coat.stage.rows import FinishRows, KeptRows
from jade_coat.stage.scene import build_scene
from jade_coat.view.camera import eye_of
from jade_coat.view.client import RenderClient
from tests.bench.common import HEIGHT, WIDTH, alternate, entry
from tests.support import put_mesh


def bench_shared() -> list[dict]:
    """A shared dial turned over 1,000 props, against the same picture again."""
    link = Link(path="c.surface.color", shared="damp", low=(0.6, 0.5, 0.4), high=(0.2, 0.15, 0.1))
    material = Material(id="m", name="M", coats=(Coat(id="c", name="C", surface=Surface()),), links=(link,))
    client = RenderClient()
    pictures: list = []
    client.on_picture = pictures.append
    client.put_mesh("box", shapes.box(0.6, 0.6, 0.6))
    client.set_material(material, NoMaps(), {})
    matrices = np.tile(np.eye(4, dtype=np.float32), (1000, 1, 1))
    matrices[:, 0, 3], matrices[:, 2, 3] = np.arange(1000) % 40 - 19.5, np.arange(1000) // 40 - 12.0
    zero = np.zeros(1000, np.int32)
    draw = Draw("box", "", 0, 12, "m", matrices, zero, zero.astype(np.float32))
    rows = layout(material).pack(field_values(material))[None]
    client.set_scene("stage", Scene((draw,), {"m": rows}))
    eye = eye_of(np.array([0.0, 30.0, 20.0]), np.zeros(3), 0.7, WIDTH / HEIGHT)
    step = [0]

    def redraw() -> None:
        seen = len(pictures)
        client.request("main", scene="stage", eye=eye, width=WIDTH // 2, height=HEIGHT // 2)
        if not client.wait(lambda: len(pictures) > seen):
            raise SystemExit("the render process gave no picture")

    def turned() -> None:
        step[0] += 1
        client.set_shared({"own_damp": 0.01 * (step[0] % 100)})
        redraw()

    redraw()
    compiles = pictures[-1].compiles
    value, floor = alternate(turned, redraw)
    moved = pictures[-1].compiles - compiles
    client.close()
    note = f"{WIDTH // 2}x{HEIGHT // 2}; floor: the same picture again; programs compiled meanwhile: {moved}"
    return [entry("shared dial over 1,000 props, to picture", value, "ms", floor, 1.15, note)]


def bench_finishes() -> list[dict]:
    """10,000 finishes, six deep, resolved; and after one dial of the topmost is turned."""
    material = Material(
        id="m", name="M", coats=(Coat(id="c", name="C", surface=Surface()), Coat(id="d", name="D", surface=Surface())),
        dials=(Dial(id="rough", path="c.surface.roughness", name="Rough"), Dial(id="tint", path="d.surface.tint", name="T"),
               Dial(id="amount", path="d.amount", name="Amount")),
    )  # fmt: skip
    rng = np.random.default_rng(0)
    finishes: list[Finish] = []
    for i in range(10_000):
        level = i % 6
        parent = "m" if level == 0 else f"f{i - 1}"
        values = {"rough": float(rng.random())} if i % 3 else {"tint": tuple(map(float, rng.random(3))), "amount": 0.5}
        finishes.append(Finish(id=f"f{i}", name=f"F{i}", parent=parent, values=values))
    project = Project(materials=(material,), finishes=tuple(finishes))
    document = Document(project)
    table = FinishRows(material)
    table.update(project.finishes)
    resolved = table.resolve()
    order = rng.permutation(len(finishes))
    step = [0]
    kept = KeptRows()

    def turned() -> None:
        step[0] += 1
        document.do(edits.set_dial(finish="f0", dial="rough", value=0.001 * (step[0] % 1000)), merge="bench")
        kept.of(document.project, material).row("f5")

    resolve, edit, floor = alternate(table.resolve, turned, lambda: resolved[order])
    return [
        entry("resolving 10,000 finishes, 6 deep", resolve, "ms", floor, 10.0,
              f"rows of {resolved.shape[1]} floats; floor: a NumPy gather of the same rows"),
        entry("a dial of one of 10,000 finishes turned", edit, "ms", floor, 60.0,
              "the whole edit: a new tree, checked for circles, and all rows; same floor"),
    ]  # fmt: skip


def bench_recipe(renderer) -> list[dict]:
    """A recipe of 200 steps, its first one edited, to the picture; against the same edit of a recipe of one step."""
    kinds = ("add", "multiply", "least", "most")
    count = [0]

    def recipe(steps: int) -> Recipe:
        count[0] += 1
        rows = [Step(id="s0", kind="clouds", args=("position", str(0.3 + 0.001 * count[0])))]
        rows += [
            Step(id=f"s{i}", kind=kinds[i % 4], args=(f"s{i - 1}", f"{0.5 + i * 1e-3:.4f}")) for i in range(1, steps)
        ]
        return Recipe(id="r", name="R", inputs=(RecipeInput(name="x", value=1.0),), steps=tuple(rows))

    material = Material(
        id="long", name="Long",
        coats=(Coat(id="a", name="A"), Coat(id="b", name="B", where=(RecipeTerm(id="t", recipe="r"),))),
    )  # fmt: skip
    ball = shapes.ball(0.5, 64)
    put_mesh(renderer, "ball", ball)
    eye = eye_of(np.array([0.0, 0.3, 2.0]), np.zeros(3), 0.6, WIDTH / HEIGHT)

    def edited(steps: int) -> None:
        renderer.assets.set_material(material, PackedLookup((), (recipe(steps),)))
        renderer.scenes.set("recipe", single("ball", ball, material, field_values(material)))
        renderer.picture("recipe", eye, WIDTH // 2, HEIGHT // 2, stream="recipe")

    edit, floor = alternate(lambda: edited(200), lambda: edited(1))
    return [
        entry("recipe of 200 steps edited at its root, to picture", edit, "ms", floor, 3.0,
              f"{WIDTH // 2}x{HEIGHT // 2}; floor: the same edit of a recipe of one step"),
    ]  # fmt: skip


def bench_many_materials() -> list[dict]:
    """The scene of as many props as there are materials, worked out again after one was moved, for each prop."""
    box = shapes.box(1, 1, 1)

    def scene_of(count: int):
        coats = (Coat(id="c", name="C", surface=Surface()),)
        made = tuple(Material(id=f"m{i}", name=f"M{i}", coats=coats) for i in range(count))
        props = tuple(
            Prop(id=f"p{i}", name="P", mesh="box", finishes={box.slots[0].name: f"m{i}"}) for i in range(count)
        )
        mesh = MeshAsset(id="box", name="Box", asset="meshes/box", slots=(box.slots[0].name,))
        document, step = Document(Project(materials=made, meshes=(mesh,), props=props)), [0]

        def moved() -> None:
            step[0] += 1
            document.do(edits.set_prop(prop="p0", position=(step[0] % 9, 0.0, 0.0)), merge="bench")
            build_scene(document.project, lambda _: box)

        return moved

    ten, hundred, many = alternate(scene_of(10), scene_of(100), scene_of(500), rounds=3)
    return [
        entry("a scene of 100 materials, a prop", hundred / 100, "ms", ten / 10, 1.5, "floor: of 10 materials, a prop"),
        entry("a scene of 500 materials, a prop", many / 500, "ms", ten / 10, 1.5, "floor: of 10 materials, a prop"),
    ]
